"""A draft of a phrasebook from a wire that a person worked on by hand: what they marked, and what did not echo.

Only what was seen or said is filled in. A prompt that was not marked is not guessed; the rest is for whoever goes on.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

from zinger.phrasebook.begin import commented_start
from zinger.plan.values.secrets import MASK

TAIL = 2000
"""Characters of what was shown in which the present line is looked for."""


@dataclass
class WireNotes:
    """What a recording tells, in its order, each once."""

    prompts: list[str] = field(default_factory=list)
    saves: list[str] = field(default_factory=list)
    noise: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    blind: list[str] = field(default_factory=list)
    """Questions behind which what was typed did not come back."""
    login: str = ""
    """The question right before the first of these that was answered in clear."""


def notes_of(events: Iterable[tuple[float, str, str]]) -> WireNotes:
    """Read a recording's events: (seconds, `o` shown, `i` typed or `m` marked, text).

    What is typed may come a key at a time; the question is what stood there before the first of them.
    """
    found, shown, clear = WireNotes(), "", ""
    asked: str | None = None
    masked = False
    for _, code, text in events:
        if code == "m":
            kind, _, words = text.partition(": ")
            kept = {"prompt": found.prompts, "saves": found.saves, "noise": found.noise, "note": found.notes}.get(kind)
            if kept is not None and words.strip() and words not in kept:
                kept.append(words)
        elif code == "i":
            asked, masked = _present(shown) if asked is None else asked, masked or MASK in text
        elif code == "o":
            shown = (shown + text)[-TAIL:]
            if asked is not None and ("\n" in text or "\r" in text):
                if masked and asked and asked not in found.blind:
                    found.blind.append(asked)
                    found.login = found.login or clear
                clear = "" if masked else asked
                asked, masked = None, False
    return found


def _present(shown: str) -> str:
    """The line that is not ended yet, without what an erased one left."""
    return re.split(r"[\r\n]", shown)[-1]


def draft_of_wire(name: str, found: WireNotes) -> str:
    """The text of a phrasebook that loads; raises ValueError where no prompt was marked."""
    if not found.prompts:
        raise ValueError("no prompt is marked in this recording: press F5 at one, in `zinger wire`")
    first = _same_first_word(found.prompts)

    def shape(prompt: str) -> str:
        return "HOSTNAME" + prompt[len(first) :] if first else prompt

    secret = found.blind[0] if found.blind else "password: "
    text = commented_start(name, shape(found.prompts[0]).rstrip() + " ", found.login or "name: ", secret)
    if found.noise:
        patterns = "\n".join(f"  - {_quoted(_pattern(line))}" for line in found.noise)
        text = text.replace("noise: []", f"noise:\n{patterns}")
    if found.saves:
        saved = _without_prompt(found.saves[-1], found.prompts)
        text = re.sub(
            r"save: \{at: main, send: keep\} *#", lambda _: f"save: {{at: main, send: {_quoted(saved)}}}   #", text
        )
    more = [f"  place_{n}: {{prompt: {_quoted('^' + _escaped(shape(p)))}}}" for n, p in enumerate(found.prompts[1:], 2)]
    more += [f"  # asks without an echo: {_quoted(question)}" for question in found.blind[1:]]
    if more:
        text = text.replace("  # pager:", "\n".join([*more, "  # pager:"]), 1)
        ways = [
            f"  # - {{from: main, send: WHAT LEADS THERE, to: place_{n}}}" for n in range(2, len(found.prompts) + 1)
        ]
        text = text.replace("\n\nsettings:", "\n" + "\n".join(ways) + "\n\nsettings:", 1) if ways else text
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


def _without_prompt(line: str, prompts: list[str]) -> str:
    longest = max((p for p in prompts if line.startswith(p.rstrip())), key=len, default="")
    return line[len(longest.rstrip()) :].strip()


def _one_line(text: str) -> str:
    return "".join(char if char.isprintable() else " " for char in text)


def _quoted(text: str) -> str:
    return "'" + _one_line(text).replace("'", "''") + "'"
