"""A recording, read through a map: what each line would have been recognised as.

For writing a phrasebook beside a recording of the device: no device is needed, and nothing is said.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from zinger.phrasebook import Phrasebook
from zinger.talk.ear import Ear


@dataclass(frozen=True)
class Heard:
    """One line, or what stood at the tail, at so many seconds, and what it is.

    `kind` is place, said, noise, boot, refusal, fact, unknown (at the very end) or nothing.
    """

    at: float
    kind: str
    name: str
    text: str


def replay(events: Iterable[tuple[float, str, str]], book: Phrasebook) -> Iterator[Heard]:
    """Read asciicast events (seconds, code, text): `o` was shown, `i` was typed."""
    ear = Ear()
    standing = question = ""
    tables: set[str] = set()
    at = 0.0
    for at, code, text in events:
        if code == "i" and text.strip():
            yield Heard(at, "said", "", text.strip())
        if code != "o":
            continue
        for piece in text.splitlines(keepends=True) or [text]:
            ear.hear(piece.encode())
            for line in ear.take():
                answered = bool(question) and line.startswith(question.rstrip())  # a prompt with what was typed at it
                if not line.strip():
                    tables.clear()
                if line.strip() and not answered and book.recognise(line) is None:
                    yield Heard(at, *_line(book, line, tables), line)
                standing = question = ""
            known = book.recognise(ear.tail) if ear.tail else None
            if known is not None and not known[0].passes:
                tables.clear()
            if known is not None and known[0].name != standing:
                standing, question = known[0].name, ear.tail
                captured = ", ".join(f"{k} {v}" for k, v in known[1].groupdict().items() if v and k != "half_typed")
                yield Heard(at, "place", f"{standing}{' (' + captured + ')' if captured else ''}", ear.tail)
    if ear.tail.strip() and book.recognise(ear.tail) is None:
        yield Heard(at, "unknown", "", ear.tail)


def _line(book: Phrasebook, line: str, tables: set[str]) -> tuple[str, str]:
    """What a line is; `tables` are the facts whose table's heading stands above."""
    if book.noise.search(line):
        return "noise", ""
    if book.boot.search(line):
        return "boot", ""
    if book.refused(line):
        return "refusal", ""
    takes = [item for reading in book.readings.values() for item in reading.take.items()]
    headed = {fact for fact, take in takes if take.columns and take.pattern.search(line)}
    facts = [*tables, *(fact for fact, take in takes if not take.columns and take.pattern.search(line))]
    tables |= headed
    return ("fact", ", ".join(dict.fromkeys([*facts, *sorted(headed)]))) if facts or headed else ("", "")
