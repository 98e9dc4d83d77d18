"""Facts out of what a device showed, each with the very line that is its evidence."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from zinger.phrasebook.book import Reading, Take
from zinger.phrasebook.document import Document
from zinger.phrasebook.terminal import WIDTH
from zinger.proof.fact import Fact, Facts, facts_of
from zinger.proof.onpage import on_page


def facts_in(reading: Reading, rows: Sequence[str], torn: frozenset[int], page: Document | None) -> Facts:
    """The facts of an answer to what a reading asks; `torn` are the rows behind which a log line came."""
    if reading.goes_on is not None and page is None:
        rows, torn = _gone_on(reading.goes_on, rows, torn)
    return gather(reading.take, rows, reading.sections, torn, page)


def _gone_on(goes_on: re.Pattern[str], rows: Sequence[str], torn: frozenset[int]) -> tuple[list[str], frozenset[int]]:
    """Join each line that continues the one before to that line, without what the pattern matches."""
    whole: list[str] = []
    still: set[int] = set()
    for at, row in enumerate(rows):
        match = goes_on.match(row) if whole else None
        if match:
            whole[-1] += row[match.end() :]
        else:
            whole.append(row)
        (still.add if at in torn else still.discard)(len(whole) - 1)
    return whole, frozenset(still)


def gather(
    take: Mapping[str, Take],
    lines: Sequence[str],
    sections: re.Pattern[str] | None = None,
    torn: frozenset[int] = frozenset(),
    page: Document | None = None,
) -> dict[str, tuple[Fact, ...]]:
    """Hold each line against what is to be taken; what is found twice makes a list.

    `sections` is the pattern of lines that head a section. A value that can't be written as the phrasebook wants
    (no mask, no MAC) is taken as it was shown, so that it can be seen to differ. `torn` are the rows behind which a log
    line came. Of a `page`, `lines` are the text.
    """
    if page is None:
        lines = _rejoined(take, lines, torn)
    facts: dict[str, tuple[Fact, ...]] = {}
    for name, wanted in take.items():
        if page is not None and (wanted.source or wanted.columns):
            found = tuple(on_page(wanted, page))
        else:
            found = tuple(_table(wanted, lines) if wanted.columns else _lines(wanted, lines, sections))
        if found:
            facts[name] = found
    return facts


def _rejoined(take: Mapping[str, Take], rows: Sequence[str], torn: frozenset[int]) -> list[str]:
    """Rows that the device broke at its terminal's width, or a log line tore, are whole again, less blanks at the end.

    It breaks them where none is longer and one just as long. A full row goes on in the next one where nothing is to be
    taken from that by itself; in a table only where that is shorter, since tables are padded, and not indented as the
    heading is. The pattern of sections tells nothing here: what goes on begins at the left edge, as a heading does.
    """
    breaks = max(map(len, rows), default=0) == WIDTH
    if not breaks and not torn:
        return [row.rstrip() for row in rows]
    headings = [wanted.pattern for wanted in take.values() if wanted.columns]
    known = [pattern for wanted in take.values() for pattern in (wanted.pattern, wanted.under) if pattern]
    whole: list[str] = []
    full, indent = False, -1
    for at, row in enumerate(rows):
        by_itself = not row.strip() or any(pattern.search(row) for pattern in known)
        of_table = indent >= 0 and (len(row) == WIDTH or 0 < indent == _indent(row))
        if full and not by_itself and not of_table:
            whole[-1] += row
        else:
            whole.append(row)
            if not row.strip():
                indent = -1
            elif any(heading.search(row) for heading in headings):
                indent = _indent(row)
        full = (breaks and len(row) == WIDTH) or at in torn
    return [row.rstrip() for row in whole]


def _indent(row: str) -> int:
    return len(row) - len(row.lstrip())


def _lines(wanted: Take, lines: Sequence[str], sections: re.Pattern[str] | None) -> Iterator[Fact]:
    head: dict[str, str] | None = None if wanted.under else {}
    for line in lines:
        if wanted.under and sections is not None and sections.search(line):
            match = wanted.under.search(line)
            head = _groups(match) if match else None
        if head is not None and (match := wanted.pattern.search(line)):
            yield from facts_of(wanted, {**head, **_groups(match)}, line)


def _groups(match: re.Match[str]) -> dict[str, str]:
    return {name: (text or "").strip() for name, text in match.groupdict().items()}


@dataclass
class _Columns:
    """Where each column of a table begins and ends, by the heading over it."""

    at: dict[str, tuple[int, int | None]] = field(default_factory=dict)

    @classmethod
    def of(cls, heading: str, columns: Mapping[str, str]) -> _Columns | None:
        starts = {name: _start_of(word, heading) for name, word in columns.items()}
        if min(starts.values()) < 0:
            return None
        every = sorted(m.start() for m in re.finditer(r"(?<!\S)\S+(?: \S+)*", heading)) + sorted(starts.values())
        return cls({name: (at, min((x for x in every if x > at), default=None)) for name, at in starts.items()})

    def cells(self, row: str) -> dict[str, str]:
        return {name: row[begin:end].strip() for name, (begin, end) in self.at.items()}


def _start_of(word: str, heading: str) -> int:
    """Where a heading begins: as a word by itself, else as a part of one (`tagged` is not meant by `untagged`)."""
    whole = re.search(rf"(?<!\S){re.escape(word)}(?!\S)", heading)
    return whole.start() if whole else heading.find(word)


def _table(wanted: Take, lines: Sequence[str]) -> Iterator[Fact]:
    columns: _Columns | None = None
    for line in lines:
        if wanted.pattern.search(line):
            columns = _Columns.of(line, wanted.columns)
        elif not line.strip():
            columns = None
        elif columns is not None:
            yield from facts_of(wanted, columns.cells(line), line)


__all__ = ["Fact", "Facts", "facts_in", "gather"]
