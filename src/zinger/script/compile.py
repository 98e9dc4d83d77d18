"""Compile a planned device and its family's phrasebook into an ordered script.

The order is that of the table of settings, unless the phrasebook says that one comes after another: credentials
first, since left for later they are forgotten. Nothing is said that cannot be said safely: a value with control
characters, or a line longer than the family takes, is left out and listed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from zinger.phrasebook import (
    Confirm,
    Effect,
    Holds,
    Interview,
    Phrase,
    Phrasebook,
    Said,
    Words,
    WordsError,
    has_secret,
    masked,
    render_lines,
    render_text,
)
from zinger.phrasebook.words import names_used
from zinger.plan.model import Device, Value
from zinger.plan.setting import Stop


@dataclass(frozen=True)
class ScriptPhrase:
    """One thing to say: where, in which words, for which setting, with what effect, and how it is undone.

    `lines` are said in order, each with the place to which it leads if it does not stay. `expected` is what a reading
    must show afterwards, in the family's own writing; `undo` is masked. `replies` answer a question each time that it
    is asked, the last one for every further time. What is said in an `interview` has replies only. `also` is said
    when the setting is still not so after it was said.
    """

    setting: str
    title: str
    stop: Stop
    value: str
    at: str
    lines: tuple[Said, ...]
    replies: Mapping[str, tuple[Words, ...]]
    through: frozenset[str] = frozenset()
    expect: re.Pattern[str] | None = None
    progress: re.Pattern[str] | None = None
    patience: float = 30.0
    effect: Effect = Effect.NONE
    confirm: Confirm | None = None
    undo: str = ""
    fact: str | None = None
    expected: tuple[str, ...] = ()
    holds: Holds = Holds.EXACTLY
    interview: str = ""
    also: ScriptPhrase | None = None

    @property
    def shown(self) -> str:
        """The words in one row, as a person may see them."""
        if self.interview:
            return " · ".join(masked(words) or "(Enter)" for turns in self.replies.values() for words in turns)
        first = masked(self.lines[0].words) if self.lines else ""
        return first if len(self.lines) < 2 else f"{first} … {len(self.lines)} lines"

    @property
    def every_line(self) -> tuple[str, ...]:
        """All its lines, as a person may see them."""
        return tuple(masked(line.words) for line in self.lines)


@dataclass(frozen=True)
class ScriptInterview:
    """A question script with this device's answers, by question; what a plan does not say keeps what stands there."""

    interview: Interview
    answers: Mapping[str, tuple[Words, ...]]
    settings: tuple[str, ...]


@dataclass(frozen=True)
class Unsaid:
    """A planned value that is not said, and why; `blocks` means that the device can't be proved so."""

    setting: str
    value: str
    why: str
    blocks: bool = False


@dataclass(frozen=True)
class Script:
    """All that will be said to one device."""

    device: str
    family: str
    phrases: tuple[ScriptPhrase, ...]
    unsaid: tuple[Unsaid, ...]
    keep: tuple[ScriptPhrase, ...]
    interviews: Mapping[str, ScriptInterview] = field(default_factory=dict)
    restart: ScriptPhrase | None = None

    @property
    def everything(self) -> tuple[ScriptPhrase, ...]:
        """The phrases, and what keeps what they made."""
        return (*self.phrases, *self.keep)


Known = dict[tuple[str, str, type, object], ScriptPhrase]
"""Phrases that were compiled already, by family, setting and value: most devices share most of theirs."""


def compile_script(device: Device, book: Phrasebook, known: Known | None = None) -> Script:
    """Order the phrases for every planned setting; what the family cannot be told is listed as unsaid."""
    filler = _Filler(device, book, {} if known is None else known)
    phrases: list[ScriptPhrase] = [filler.step(p, Stop.SIGN_IN, "preparation") for p in book.prepare]
    for name in book.order:
        value = device.values.get(name)
        if value is not None and (phrase := filler.setting(name, value)) is not None:
            phrases.append(phrase)
    interviews = {name: filler.interview(i, phrases) for name, i in book.interviews.items()}
    keep = tuple(filler.step(p, Stop.SAVE, "save to startup") for p in book.keep)
    restart = filler.step(book.restart, Stop.PROOF, "restart") if book.restart else None
    return Script(device.name, book.family, tuple(phrases), tuple(filler.unsaid), keep, interviews, restart)


class _Filler:
    """Fills the templates of one book for one device."""

    def __init__(self, device: Device, book: Phrasebook, known: Known) -> None:
        self.device, self.book, self.known = device, book, known
        self.plan = {name: value.value for name, value in device.values.items()}
        self.unsaid: list[Unsaid] = []

    def setting(self, name: str, value: Value) -> ScriptPhrase | None:
        """The phrase for a planned value; None when it is not said, which is then listed."""
        phrase = self.book.phrases.get(name)
        if phrase is None:
            self.unsaid.append(Unsaid(name, value.shown, f"{self.book.title} has no phrase for it"))
            return None
        if name == "management.gateway" and self.device.address and self.device.address.method == "dhcp":
            self.unsaid.append(Unsaid(name, value.shown, "the lease brings the gateway"))
            return None
        try:
            if phrase.looks_around:
                return self._fill(phrase, value)
            key = (self.book.family, name, type(value.value), value.value)
            if key not in self.known:
                self.known[key] = self._fill(phrase, value)
            return self.known[key]
        except WordsError as error:
            self.unsaid.append(Unsaid(name, value.shown, str(error), blocks=True))
            return None

    def step(self, phrase: Phrase, stop: Stop, title: str) -> ScriptPhrase:
        """A phrase that serves no setting: a preparation, what keeps, a restart."""
        return replace(
            self._filled(phrase, None, (None,) if phrase.fact else ()), stop=stop, title=phrase.title or title
        )

    def _fill(self, phrase: Phrase, value: Value) -> ScriptPhrase:
        items = value.value if isinstance(value.value, tuple) else (value.value,)
        filled = self._filled(phrase, value.value, items if phrase.fact else ())
        setting = value.setting
        return replace(
            filled,
            title=setting.title,
            stop=setting.stop,
            value=value.shown,
            also=self._fill(phrase.also, value) if phrase.also else None,
        )

    def _filled(self, phrase: Phrase, value: object, items: tuple[object, ...]) -> ScriptPhrase:
        def using(source: str) -> dict[str, object]:
            return self._using(source, value=value, before="(as before)")

        lines = render_lines(phrase.say, **using(phrase.say)) if phrase.say else ()
        replies = {place: _turns(reply, using(reply)) for place, reply in phrase.replies.items()}
        self._fits(lines, replies)
        shows = [render_text(phrase.shows, **{**using(phrase.shows), "value": item}) for item in items]
        return ScriptPhrase(
            setting=phrase.setting,
            title=phrase.title,
            stop=Stop.ROLE,
            value="",
            at=phrase.at,
            lines=lines,
            replies=replies,
            through=frozenset(phrase.through),
            expect=phrase.expect,
            progress=phrase.progress,
            patience=phrase.patience,
            effect=phrase.effect,
            confirm=phrase.confirm
            and replace(phrase.confirm, say=render_text(phrase.confirm.say, **using(phrase.confirm.say))),
            undo=render_text(phrase.undo, **using(phrase.undo)) if phrase.undo else "",
            fact=phrase.fact,
            expected=tuple(line for text in shows for line in text.split("\n") if line),
            holds=phrase.holds,
            interview=phrase.interview,
        )

    def _using(self, source: str, **own: object) -> dict[str, object]:
        """The names that a template uses, with what they mean for this device."""
        names = {
            **own,
            "plan": self.plan,
            "device": self.device.name,
            "factory_account": self.device.factory_account_secret,
        }
        return {name: names[name] for name in names_used(source) if name in names}

    def _fits(self, lines: tuple[Said, ...], replies: Mapping[str, tuple[Words, ...]]) -> None:
        """Raises WordsError for what the family would not take."""
        for line in lines:
            length = len(masked(line.words))
            if length > self.book.longest_line:
                raise WordsError(
                    f"it makes a line of {length} characters; {self.book.title} takes {self.book.longest_line}"
                )
        for place, turns in replies.items():
            takes = self.book.places[place].takes
            for words in turns if takes is not None else ():
                if not has_secret(words) and not takes.fullmatch(masked(words)):  # type: ignore[union-attr]
                    raise WordsError(f"{masked(words)!r} is no answer that {place.replace('_', ' ')} takes")

    def interview(self, interview: Interview, phrases: list[ScriptPhrase]) -> ScriptInterview:
        """Every question with its answer: what is planned, and for the rest what the book says."""
        answers: dict[str, tuple[Words, ...]] = {}
        for place, reply in interview.otherwise.items():
            answers[place] = _turns(reply, self._using(reply))
        own = [p for p in phrases if p.interview == interview.name]
        for phrase in own:
            answers.update(phrase.replies)
        return ScriptInterview(interview, answers, tuple(p.setting for p in own))


def _turns(reply: str, names: Mapping[str, object]) -> tuple[Words, ...]:
    """What to answer, the first time and every time after; nothing is Enter alone."""
    return tuple(line.words for line in render_lines(reply, **names)) or ((),)


def compare(one: Script, other: Script) -> Iterator[tuple[ScriptPhrase | None, ScriptPhrase | None]]:
    """The pairs of phrases, by setting, in which two devices' scripts differ."""
    left = {p.setting: p for p in one.phrases}
    right = {p.setting: p for p in other.phrases}
    for name in {**left, **right}:
        a, b = left.get(name), right.get(name)
        if _said(a) != _said(b):
            yield a, b


def _said(phrase: ScriptPhrase | None) -> object:
    return (phrase.lines, dict(phrase.replies)) if phrase else None
