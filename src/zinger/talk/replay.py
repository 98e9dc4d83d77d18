"""A recording, read through a map: what each line would have been recognised as.

For writing a phrasebook beside a recording of the device: no device is needed, and nothing is sent. Recordings of
families that draw with the cursor are read through the same emulated screen as the device itself.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from zinger.phrasebook.book import Phrasebook, Reading
from zinger.phrasebook.classify import LineKind, classify
from zinger.phrasebook.document import Document
from zinger.phrasebook.pages import Open
from zinger.phrasebook.unfilled import unfilled
from zinger.proof.facts import facts_in
from zinger.talk.terminal.locator import Locator
from zinger.talk.terminal.typed import Typed
from zinger.talk.timing import Timing


@dataclass(frozen=True)
class Heard:
    """One line, or what stood at the tail, at so many seconds, and what it is.

    `kind` is place, download, sent, noise, boot, refusal, warning, fact, required (a field that nothing fills), unknown
    (at the very end) or nothing.
    """

    at: float
    kind: str
    name: str
    text: str


def replay(events: Iterable[tuple[float, str, str]], book: Phrasebook) -> Iterator[Heard]:
    """Read asciicast events (seconds, code, text): `o` was shown, `i` was typed; what was typed blind is dots."""
    reader, typed, line = _Reader(book), Typed(), ""
    for at, code, text in events:
        if code not in ("i", "o"):
            continue
        line += typed.typed(text) if code == "i" else typed.shown(text)
        if code == "o":
            *sent, line = re.split(r"[\r\n]", line)
            yield from (Heard(at, "sent", "", words.strip()) for words in sent if words.strip())
            for piece in text.splitlines(keepends=True) or [text]:
                yield from reader.read(at, piece)
    if line := f"{line}{typed.ended()}".strip():
        yield Heard(reader.at, "sent", "", line)
    yield from reader.end()


def replay_pages(exchanges: Iterable[tuple[float, str, Document | None]], book: Phrasebook) -> Iterator[Heard]:
    """Read exchanges of pages (seconds, what was asked, the page that came): the place each is, and its facts."""
    pages = book.pages
    if pages is None:
        return
    for at, asked, page in exchanges:
        yield Heard(at, "sent", "", asked)
        if page is None or 300 <= page.status < 400:
            continue  # nothing came, or it sent on: the next exchange shows to what
        if page.attached:
            yield Heard(at, "download", "", page.words)
            yield from _downloaded(at, page, book)
            continue
        known = pages.recognise(page)
        captured = ", ".join(f"{name} {value}" for name, value in known[1].items()) if known else ""
        name = f"{known[0].name}{f' ({captured})' if captured else ''}" if known else ""
        yield Heard(at, "place" if known else "unknown", name, page.words)
        if refusal := pages.refusal(page):
            yield Heard(at, "refusal", refusal[1], refusal[0])
        for field in unfilled(book, page):
            yield Heard(at, "required", field.words, "nothing fills it here")
        for reading in book.readings.values():
            if known is not None and known[0].name == (reading.to or reading.at):
                yield from _facts(at, reading, page)


def _downloaded(at: float, page: Document, book: Phrasebook) -> Iterator[Heard]:
    """The facts of a download, by the readings that ask for its address."""
    for reading in book.readings.values():
        if reading.ask == Open(page.path):
            yield from _facts(at, reading, page)


def _facts(at: float, reading: Reading, page: Document) -> Iterator[Heard]:
    for fact, found in facts_in(reading, page.lines, frozenset(), page).items():
        yield from (Heard(at, "fact", fact, f"{one.value}   {one.line}") for one in found)


class _Reader:
    """Where the recording stands."""

    def __init__(self, book: Phrasebook) -> None:
        self.book = book
        self.buffer = Locator(book.terminal, Timing()).buffer
        self.standing = self.question = ""
        self.tables: set[str] = set()
        """The facts whose table's heading stands above."""
        self.heads: dict[str, str] = {}
        """By reading, the line that heads the section in which it is."""
        self.at = 0.0
        self.drawn: set[str] = set()
        """The rows of the screen that told something when it was looked at last."""

    def read(self, at: float, piece: str) -> Iterator[Heard]:
        """One piece of output."""
        self.at = at
        terminal, buffer = self.book.terminal, self.buffer
        buffer.feed(piece.encode())
        for line in buffer.take() if terminal.size is None else ():
            answered = bool(self.question) and line.startswith(self.question.rstrip())  # a prompt with what was typed
            if not line.strip():
                self.tables.clear()
            if line.strip() and not answered and terminal.recognise(line) is None:
                yield Heard(at, *self._line(line), line)
            self.standing = self.question = ""
        known = terminal.recognise(buffer.tail, screen=buffer.text) if buffer.tail else None
        if known is None:
            return
        place, match = known
        if not place.passes:
            self.tables.clear()
        if place.name != self.standing:
            self.standing, self.question = place.name, buffer.tail
            captured = ", ".join(f"{k} {v}" for k, v in match.groupdict().items() if v and k != "half_typed")
            yield Heard(at, "place", f"{place.name}{' (' + captured + ')' if captured else ''}", buffer.tail)
            yield from self._drawn(at)

    def _drawn(self, at: float) -> Iterator[Heard]:
        """The rows of a drawn screen that tell something, once each time that they are another."""
        rows = [row for row in self.buffer.text.split("\n") if row.strip()] if self.book.terminal.size else []
        told = [(row, *self._line(row)) for row in rows]
        for row, kind, name in told:
            if kind and row not in self.drawn:
                yield Heard(at, kind, name, row.strip())
        self.drawn = {row for row, kind, _ in told if kind}

    def end(self) -> Iterator[Heard]:
        """What stands there when the recording ends."""
        tail = self.buffer.tail
        if tail.strip() and self.book.terminal.recognise(tail, screen=self.buffer.text) is None:
            yield Heard(self.at, "unknown", "", tail)

    def _line(self, line: str) -> tuple[str, str]:
        """What a line is, and which facts it holds."""
        kind = classify(self.book.terminal, line)
        if kind is not LineKind.PLAIN:
            return kind.value, ""
        for name, reading in self.book.readings.items():
            if reading.goes_on is not None and reading.goes_on.search(line):
                return "fact", "goes on"
            if reading.sections is not None and reading.sections.search(line):
                self.heads[name] = line
        takes = [
            (fact, take)
            for name, reading in self.book.readings.items()
            for fact, take in reading.take.items()
            if take.under is None or take.under.search(self.heads.get(name, ""))
        ]
        headed = {fact for fact, take in takes if take.columns and take.pattern.search(line)}
        facts = [*self.tables, *(fact for fact, take in takes if not take.columns and take.pattern.search(line))]
        self.tables |= headed
        return ("fact", ", ".join(dict.fromkeys([*facts, *sorted(headed)]))) if facts or headed else ("", "")
