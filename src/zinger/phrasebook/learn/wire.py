"""A draft of a phrasebook from a wire that a person worked on by hand: what they marked, and what did not echo.

Only what was seen or said is filled in. A prompt that was not marked is not guessed; the rest is for whoever goes on.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

from zinger.phrasebook.begin import commented_start
from zinger.plan.values.secrets import MASK

TAIL = 2000
"""Characters of what was shown in which the present line is looked for."""
MOST_SENT = 60
"""Lines that were sent, of which a draft reminds at most."""
_TOKEN = re.compile(r"[\w-]+|\W")


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
    exchanges: list[Exchange] = field(default_factory=list)

    @cached_property
    def hostname(self) -> str:
        """The word of the prompts that is the hostname: it became another one for good. Nothing where none is known.

        That other word was typed before, as the new name; where the old prompt came back, it was another place instead.
        """
        prompt = self.prompts[0].strip() if self.prompts else ""
        one, typed = _TOKEN.findall(prompt), set[str]()
        last = max((n for n, e in enumerate(self.exchanges) if e.asked.strip() == prompt), default=-1)
        for number, exchange in enumerate(self.exchanges):
            other = _TOKEN.findall(exchange.asked.strip())
            differ = [pair for pair in zip(one, other, strict=False) if pair[0] != pair[1]]
            if number > last and len(one) == len(other) and len(differ) == 1 and differ[0][1] in typed:
                return str(differ[0][0])
            typed.update(_TOKEN.findall(exchange.typed))
        return _same_first_word(self.prompts)

    def shaped(self, prompt: str) -> str:
        """A prompt with HOSTNAME in the place of the hostname."""
        words = _TOKEN.findall(prompt)
        if self.hostname in words:
            words[words.index(self.hostname)] = "HOSTNAME"
        return "".join(words)

    def without_prompt(self, line: str) -> str | None:
        """What stands behind a prompt; None for a line that begins with none."""
        ends = [match.end() for pattern in self._patterns if (match := pattern.match(line))]
        return line[max(ends) :].strip() if ends else None

    @cached_property
    def _patterns(self) -> list[re.Pattern[str]]:
        shapes = (re.escape(self.shaped(prompt).rstrip()) for prompt in self.prompts)
        return [re.compile(shape.replace("HOSTNAME", r"\S+")) for shape in shapes]

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
        first = next((n for n, e in enumerate(self.exchanges) if e.is_blind), 0)
        clear = self.exchanges[first - 1].asked if first else ""
        return clear if self.without_prompt(clear) is None else ""

    @property
    def sent(self) -> list[str]:
        """What was sent at a prompt."""
        lines = (e.typed for e in self.exchanges if e.entered and self.without_prompt(e.asked) == "")
        return [line for line in dict.fromkeys(lines) if line]


def notes_of(events: Iterable[tuple[float, str, str]]) -> WireNotes:
    """Read a recording's events: (seconds, `o` shown, `i` typed or `m` marked, text).

    What is typed may come a key at a time; the question is what stood there before the first of them.
    """
    found, shown, typed = WireNotes(), "", ""
    asked: str | None = None
    for _, code, text in events:
        if code == "m":
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
    secret = found.blind[0] if found.blind else "password: "
    text = commented_start(name, found.shaped(found.prompts[0]).rstrip() + " ", found.login or "name: ", secret)
    if found.noise:
        patterns = "\n".join(f"  - {_quoted(_pattern(line))}" for line in found.noise)
        text = text.replace("noise: []", f"noise:\n{patterns}")
    if found.saves:
        saved = found.without_prompt(found.saves[-1]) or found.saves[-1].strip()
        text = re.sub(
            r"save: \{at: main, send: keep\} *#", lambda _: f"save: {{at: main, send: {_quoted(saved)}}}   #", text
        )
    shapes = [found.shaped(prompt) for prompt in found.prompts[1:]]
    more = [f"  place_{n}: {{prompt: {_quoted('^' + _escaped(shape))}}}" for n, shape in enumerate(shapes, 2)]
    more += [f"  # asks without an echo: {_quoted(question)}" for question in found.blind[1:]]
    if more:
        text = text.replace("  # pager:", "\n".join([*more, "  # pager:"]), 1)
        ways = [f"  # - {{from: main, send: WHAT LEADS THERE, to: place_{n}}}" for n in range(2, len(shapes) + 2)]
        text = text.replace("\n\nsettings:", "\n" + "\n".join(ways) + "\n\nsettings:", 1) if ways else text
    if found.pagers:
        pager = f"  pager: {{pager: {_quoted(_pattern(found.pagers[0])[1:-1])}, press: space, leave: q}}"
        text = re.sub(r"  # pager: .*", lambda _: pager, text, count=1)
    if found.sent:
        lines = "\n".join(f"  # sent at the wire: {_one_line(line)}" for line in found.sent[:MOST_SENT])
        text = text.replace("\n\nreadings:", f"\n{lines}\n\nreadings:", 1)
    if found.notes:
        head, _, rest = text.partition("\n")
        text = "\n".join([head, *(f"# noted at the wire: {_one_line(note)}" for note in found.notes), rest])
    return text


def _same_first_word(prompts: list[str]) -> str:
    """The word with which all prompts begin, if there are several: most likely the hostname."""
    words = {re.match(r"[A-Za-z0-9][A-Za-z0-9-]*", prompt) for prompt in prompts}
    texts = {word[0] if word else "" for word in words}
    return texts.pop() if len(prompts) > 1 and len(texts) == 1 else ""


def _escaped(text: str) -> str:
    return re.escape(text.rstrip() + " ").replace("HOSTNAME", r"(?P<hostname>\S+)").replace("\\ ", " ")


def _pattern(line: str) -> str:
    """A line's shape: numbers may be others the next time."""
    return "^" + re.sub(r"\d+", r"\\d+", re.escape(line.strip()).replace("\\ ", " ")) + "$"


def _one_line(text: str) -> str:
    return "".join(char if char.isprintable() else " " for char in text)


def _quoted(text: str) -> str:
    return "'" + _one_line(text).replace("'", "''") + "'"
