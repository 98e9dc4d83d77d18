"""Columns that say one value together, and rows that are devices.

A mask in a column of its own belongs to the address of its row; `NTP 1` and `NTP 2` make one list. A job's own sheet
and one that is imported are read by the same rules.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from zinger.plan.files.cells import Spoiled, is_empty, says_nothing
from zinger.plan.files.headings import LISTS
from zinger.plan.files.tables import Cells, Table
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.management.settings import ADDRESS
from zinger.plan.values.addresses import with_mask
from zinger.plan.values.bad import BadValue, refusal

_WHO = ("hostname", "serial", "mac", "label", "management.address", "family")
_SUM = re.compile(
    r"(sub|grand |zwischen)?(totals?|sum|summe|gesamt|gesamtsumme|totale|somme|suma|count|anzahl|nombre|numero)\b.*",
    re.IGNORECASE,
)
_MARK = re.compile(r"(?=.*\d)\S+")


@dataclass(frozen=True, slots=True)
class Said:
    """What one row says of one meaning: its text (or list), the column, and what is wrong with it."""

    meaning: str
    value: Any
    index: int
    error: BadValue | None = None


class Columns:
    """What the columns of a table mean, and how a row is read by that; `means` has an entry for each column."""

    def __init__(self, means: Sequence[str]) -> None:
        self.means = tuple(means)
        at: dict[str, list[int]] = {}
        for index, meaning in enumerate(means):
            if meaning:
                at.setdefault(meaning, []).append(index)
        self._mask = at.pop("mask")[0] if {"mask", ADDRESS.name} <= at.keys() else None
        self._at = {meaning: indexes if meaning in LISTS else indexes[:1] for meaning, indexes in at.items()}
        self._who = [self._at[meaning][0] for meaning in _WHO if meaning in self._at]

    @property
    def own(self) -> frozenset[int]:
        """The columns that stand for a meaning by themselves: no mask, no second one of a list."""
        return frozenset(indexes[0] for indexes in self._at.values())

    @property
    def used(self) -> frozenset[int]:
        """The columns that say something."""
        mask = {self._mask} if self._mask is not None else set()
        return frozenset(index for indexes in self._at.values() for index in indexes) | mask

    def read(self, cells: Cells) -> Iterator[Said]:
        """The values of a row by meaning. Empty cells, and cells such as `n/a`, give no value."""
        for meaning, indexes in self._at.items():
            there = [i for i in indexes if i < len(cells) and not is_empty(cells[i]) and not says_nothing(cells[i])]
            spoiled = [Said(meaning, cells[i], i, _error(cells[i])) for i in there if isinstance(cells[i], Spoiled)]
            if spoiled:
                yield from spoiled
            elif meaning == ADDRESS.name and self._mask is not None:
                yield from self._with_mask(cells, there)
            elif len(there) > 1:
                yield from _joined(meaning, [(i, cells[i]) for i in there])
            elif there:
                value = cells[there[0]]
                yield Said(meaning, value.strip() if isinstance(value, str) else value, there[0])

    def _with_mask(self, cells: Cells, there: list[int]) -> Iterator[Said]:
        assert self._mask is not None
        mask = cells[self._mask] if self._mask < len(cells) and not says_nothing(cells[self._mask]) else ""
        address = str(cells[there[0]]).strip() if there else ""
        if is_empty(mask):
            if address:
                yield Said(ADDRESS.name, address, there[0])
            return
        try:
            if isinstance(mask, Spoiled):
                raise _error(mask)
            if not address:
                raise BadValue(f"a mask {mask} stands without an address", "give the address, or empty the cell")
            if wrong := refusal(ADDRESS.parse, address):
                yield Said(ADDRESS.name, address, there[0], wrong)
                return
            yield Said(ADDRESS.name, with_mask(address, mask), there[0])
        except BadValue as error:
            yield Said(ADDRESS.name, mask, self._mask, error)

    def device_rows(self, table: Table) -> tuple[Table, list[tuple[int, str]]]:
        """The table with its devices only, and what other rows were left out: their numbers, and what they are."""
        if not table.heading_row:
            return table, []
        headings = {plain_text(heading) for heading in table.headings if heading}
        wide = sum(bool(meaning) for meaning in self.means) >= 3
        rows, left_out = [], []
        for number, cells in table.rows:
            why = self._no_device(cells, headings, wide)
            if why:
                left_out.append((number, why))
            else:
                rows.append((number, cells))
        return (replace(table, rows=tuple(rows)) if left_out else table), left_out

    def _no_device(self, cells: Cells, headings: set[str], wide: bool) -> str:
        who = [cells[i] for i in self._who if i < len(cells) and not is_empty(cells[i])]
        if len(who) > 1 and not (_is_sum(cells) and _only_counts(cells, who)) and plain_text(who[0]) not in headings:
            return ""  # the usual row, told in a moment
        filled = [cell for cell in cells if not is_empty(cell)]
        if len(filled) > 1 and all(plain_text(cell) in headings for cell in filled):
            return "the headings again"
        if _is_sum(cells) and _only_counts(cells, who):
            return f"a sum: {_short(filled[0])!r}"
        if len(filled) == 1 and wide and not self._is_marked(cells):
            return f"only {_short(filled[0])!r}"
        if self._who and not who:
            return f"neither a name, number or address nor a family: {_short(filled[0])!r}"
        return ""

    def _is_marked(self, cells: Cells) -> bool:
        """Whether the one cell of a row is a device's mark: with a digit, and without a blank."""
        index = next(i for i, cell in enumerate(cells) if not is_empty(cell))
        text = str(cells[index]).strip()
        return self.means[index : index + 1] != ("family",) and index in self._who and _MARK.fullmatch(text) is not None


def _is_sum(cells: Cells) -> bool:
    first = next((cell for cell in cells if not is_empty(cell)), "")
    return isinstance(first, str) and _SUM.fullmatch(first.strip()) is not None


def _only_counts(cells: Cells, who: list[Any]) -> bool:
    """Whether what stands where a device would be named are the sum's word and numbers."""
    first = next((cell for cell in cells if not is_empty(cell)), "")
    return all(cell is first or str(cell).strip().isdigit() for cell in who)


def plain_text(cell: Any) -> str:
    """A cell's text in lower case, without doubled blanks."""
    return " ".join(str(cell).lower().split())


def _short(cell: Any) -> str:
    text = " ".join(str(cell).split())
    return text if len(text) <= 40 else f"{text[:37]}..."


def _error(cell: Spoiled) -> BadValue:
    return BadValue(cell.what, cell.do[:1].lower() + cell.do[1:])


def _joined(meaning: str, cells: Iterable[tuple[int, Any]]) -> Iterator[Said]:
    """Several columns as one list; each entry is tried by itself, so that a wrong one can be pointed at."""
    texts, first, wrong = [], -1, False
    for index, cell in cells:
        text = cell.strip() if isinstance(cell, str) else cell
        first = index if first < 0 else first
        if error := refusal(SETTINGS[meaning].parse, text):
            wrong = True
            yield Said(meaning, text, index, error)
        texts += [str(t) for t in text] if isinstance(text, list) else [str(text)]
    if not wrong:
        yield Said(meaning, "; ".join(dict.fromkeys(texts)), first)
