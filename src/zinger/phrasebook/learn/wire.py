"""A draft of a phrasebook from a wire that a person worked on by hand: what they marked, and what did not echo.

Only what was seen or said is filled in. A prompt that was not marked is not guessed; the rest is for whoever goes on.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from itertools import groupby

from zinger.phrasebook.begin import NUMBER, Start, commented_start
from zinger.plan.values.secrets import MASK

TAIL = 2000
"""Characters of what was shown in which the present line is looked for."""
MOST_SENT = 60
"""Lines that were sent, of which a draft reminds at most."""
_TOKEN = re.compile(r"[\w-]+|\W")
_SPEED = re.compile(r"opened serial:\S+\?(\d+)-(\w+)$")


@dataclass(frozen=True)
class Exchange:
    """What stood there, and what was typed behind it; `masked` where that did not come back."""

    asked: str
    typed: str
    masked: bool
    entered: bool
    """Whether it ended with Enter; a single key, such as a pager takes, does not."""

    @property
    def is_blind(self) -> bool:
        """Whether a question was answered without an echo."""
        return self.masked and self.entered and bool(self.asked.strip())


@dataclass
class WireNotes:
    """What a recording tells, in its order, each once; complete before anything is asked of it."""

    prompts: list[str] = field(default_factory=list)
    saves: list[str] = field(default_factory=list)
    noise: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    speed: str = ""
    """Of the serial port, such as `38400 8N1`."""
    exchanges: list[Exchange] = field(default_factory=list)

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The words of the prompts that are the hostname, the first one first. Nothing where none is known.

        It became another one for good: that was typed before, as the new name; where the old prompt came back, it was
        another place instead.
        """
        one, typed = self._tokens(self.prompts[0]) if self.prompts else [], set[str]()
        last = max((n for n, e in enumerate(self.exchanges) if self._tokens(e.asked) == one), default=-1)
        for number, exchange in enumerate(self.exchanges):
            other = self._tokens(exchange.asked)
            differ = [pair for pair in zip(one, other, strict=False) if pair[0] != pair[1]]
            if number > last and len(one) == len(other) and len(differ) == 1 and differ[0][1].lower() in typed:
                return differ[0]
            typed.update(_TOKEN.findall(exchange.typed.lower()))  # some show it in capitals
        first = _same_first_word(self.prompts)
        return (first,) if first else ()

    @cached_property
    def _counts(self) -> set[tuple[int, int]]:
        """Which words of a line of how many words are numbers that count on from one prompt to the next."""
        stood = [_TOKEN.findall(e.asked.strip()) for e in self.exchanges]
        found = set()
        for one in (_TOKEN.findall(prompt.strip()) for prompt in self.prompts):
            for other in (words for words in stood if len(words) == len(one)):
                differ = [at for at, (a, b) in enumerate(zip(one, other, strict=True)) if a != b]
                numbers = [at for at in differ if one[at].isdigit() and other[at].isdigit()]
                if len(numbers) == 1 and len(differ) <= 2:  # the hostname may have become another one meanwhile
                    found.add((len(one), numbers[0]))
        return found

    def _tokens(self, line: str) -> list[str]:
        """The words of a line, what counts on left open."""
        words = _TOKEN.findall(line.strip())
        open_ones = {at for count, at in self._counts if count == len(words)}
        return [NUMBER if at in open_ones and word.isdigit() else word for at, word in enumerate(words)]

    def shaped(self, prompt: str) -> str:
        """A prompt with HOSTNAME in the place of the hostname; what counts on is left open."""
        words = self._tokens(prompt)
        at = next((index for index, word in enumerate(words) if word in self.names), None)
        if at is not None:
            words[at] = "HOSTNAME"
        return "".join(words)

    def without_prompt(self, line: str) -> str | None:
        """What stands behind a prompt; None for a line that begins with none."""
        ends = [match.end() for pattern in self._patterns if (match := pattern.match(line))]
        return line[max(ends) :].strip() if ends else None

    @cached_property
    def _patterns(self) -> list[re.Pattern[str]]:
        shapes = (re.escape(self.shaped(prompt).rstrip()) for prompt in self.prompts)
        return [re.compile(shape.replace("HOSTNAME", r"\S+").replace(NUMBER, r"\d+")) for shape in shapes]

    @property
    def blind(self) -> list[str]:
        """Questions behind which what was typed did not come back."""
        asked = (e.asked for e in self.exchanges if e.is_blind)
        return [question for question in dict.fromkeys(asked) if self.without_prompt(question) is None]

    @property
    def pagers(self) -> list[str]:
        """Where a key without Enter and without an echo brought more."""
        asked = (e.asked for e in self.exchanges if e.masked and not e.entered and e.asked.strip())
        return [text for text in dict.fromkeys(asked) if self.without_prompt(text) is None]

    @property
    def login(self) -> str:
        """The question that was answered in clear right before the first that did not echo."""
        return self._named.asked

    @property
    def user(self) -> str:
        """Who was named there."""
        return self._named.typed

    @property
    def _named(self) -> Exchange:
        first = next((n for n, e in enumerate(self.exchanges) if e.is_blind), 0)
        before = self.exchanges[first - 1] if first else None
        known = before is not None and not before.masked and self.without_prompt(before.asked) is None
        return before if before is not None and known else Exchange("", "", False, False)

    @property
    def saving(self) -> tuple[str, str, str]:
        """What was marked last as what saves; the question that came of it and its answer, nothing where none came."""
        marked = self.saves[-1].strip()
        behind_prompt = self.without_prompt(marked)
        command = ""
        for exchange in self.exchanges:
            if exchange.entered and self.without_prompt(exchange.asked) == "":
                command = exchange.typed
            elif exchange.entered and command and f"{exchange.asked}{exchange.typed}".strip() == marked:
                return command, exchange.asked, exchange.typed
        return behind_prompt or marked, "", ""

    @property
    def sent(self) -> list[str]:
        """What was sent at a prompt."""
        lines = (e.typed for e in self.exchanges if e.entered and self.without_prompt(e.asked) == "")
        return [line for line in dict.fromkeys(lines) if line]


def notes_of(events: Iterable[tuple[float, str, str]]) -> WireNotes:
    """Read a recording's events: (seconds, `o` shown, `i` typed or `m` marked, text).

    What is typed may come a key at a time; the question is what stood there before the first of them.
    """
    recorded = list(events)
    found, shown, typed = WireNotes(), "", ""
    asked: str | None = None
    for code, text in _without_noise(recorded):
        if code == "m":
            if opened := _SPEED.match(text):
                found.speed = f"{opened[1]} {opened[2]}"
            kind, _, words = text.partition(": ")
            kept = {"prompt": found.prompts, "saves": found.saves, "noise": found.noise, "note": found.notes}.get(kind)
            if kept is not None and words.strip() and words not in kept:
                kept.append(words)
        elif code == "i":
            asked, typed = (_present(shown), text) if asked is None else (asked, typed + text)
        elif code == "o":
            shown = (shown + text)[-TAIL:]
            entered = "\r" in typed or "\n" in typed
            if asked is not None and (entered or "\n" in text or "\r" in text):
                found.exchanges.append(Exchange(asked, _as_it_stood(typed), MASK in typed, entered))
                asked, typed = None, ""
    return found


def _without_noise(recorded: list[tuple[float, str, str]]) -> Iterator[tuple[str, str]]:
    """The events without the lines that were marked as noise: what stood there before one burst in stands there still.

    What was shown in several pieces between two keys is one.
    """
    marked = [text.partition(": ")[2] for _, code, text in recorded if code == "m" and text.startswith("noise: ")]
    noise = [re.compile(rf"(?:\r\n|\r|\n)?{_pattern(line)[1:-1]} *(?:\r\n|\r|\n)") for line in marked if line.strip()]
    for code, some in groupby(recorded, key=lambda event: event[1]):
        texts = [text for _, _, text in some]
        if code != "o":
            yield from ((code, text) for text in texts)
            continue
        shown = "".join(texts)
        for pattern in noise:
            shown = pattern.sub("", shown)
        yield code, shown


def _as_it_stood(typed: str) -> str:
    """A typed line after what was rubbed out in it."""
    line: list[str] = []
    for char in typed:
        if char in "\b\x7f":
            del line[-1:]
        elif char == "\x15":
            line.clear()
        elif char.isprintable():
            line.append(char)
    return "".join(line).strip()


def _present(shown: str) -> str:
    """The line that is not ended yet, without what an erased one left."""
    return re.split(r"[\r\n]", shown)[-1]


def draft_of_wire(name: str, found: WireNotes) -> str:
    """The text of a phrasebook that loads; raises ValueError where no prompt was marked."""
    if not found.prompts:
        raise ValueError("no prompt is marked in this recording: press F5 at one, in `zinger wire`")
    shapes = dict.fromkeys(found.shaped(prompt).rstrip() for prompt in found.prompts)
    first, *others = found.blind or ["password: "]
    saves, question, answer = found.saving if found.saves else (Start.saves, "", "")
    start = Start(
        prompts=[f"{shape} " for shape in shapes],
        login=found.login or ("" if found.blind else "name: "),  # nobody is asked for a name: a code lets in
        secret=first,
        user=found.user,
        console=found.speed or Start.console,
        noise=[_pattern(line) for line in found.noise],
        pager=_pattern(found.pagers[0])[1:-1] if found.pagers else "",
        saves=saves,
        sure=(question, answer),
        blind=others,
        sent=found.sent[:MOST_SENT],
        notes=found.notes,
    )
    return commented_start(name, start)


def _same_first_word(prompts: list[str]) -> str:
    """The word with which all prompts begin, if there are several: most likely the hostname."""
    words = {re.match(r"[A-Za-z0-9][A-Za-z0-9-]*", prompt) for prompt in prompts}
    texts = {word[0] if word else "" for word in words}
    return texts.pop() if len(prompts) > 1 and len(texts) == 1 else ""


def _pattern(line: str) -> str:
    """A line's shape: numbers may be others the next time."""
    return "^" + re.sub(r"\d+", r"\\d+", re.escape(line.strip()).replace("\\ ", " ")) + "$"
