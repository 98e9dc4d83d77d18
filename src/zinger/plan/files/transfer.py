"""Somebody's sheet as a proposal: which tables, what each heading means, which rows are devices, which cells are bad.

Confirmed, it becomes rows under the sheet's own headings, values written in one way; columns that mean nothing to us
stay byte for byte. How that is laid over a job's own devices is `merging`'s.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from zinger.plan.files.cells import Spoiled, is_empty, says_nothing
from zinger.plan.files.columns import Columns, Said
from zinger.plan.files.documents import table_to_csv
from zinger.plan.files.headings import (
    IDENTITY,
    LISTS,
    WHO_PARSERS,
    Known,
    Match,
    heading_for,
    match_headings,
    meaning_of,
    plain_name,
)
from zinger.plan.files.meant import meant
from zinger.plan.files.tables import Cells, Table, read_tables
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.model import Plan
from zinger.plan.problems import Problem, Spot, error_at
from zinger.plan.settings import SETTINGS
from zinger.plan.values.bad import BadValue, refusal

FOR_ALL = ("site", "role", "family")
"""What can be said once for all rows of a sheet that does not say it."""


@dataclass(frozen=True)
class Part:
    """One table of the sheet with the proposal for its headings; `site` where the table's own name stands for one."""

    table: Table
    matches: tuple[Match, ...]
    site: str = ""
    all_rows: bool = False
    """Whether rows that are not devices go along too."""

    @property
    def unsure(self) -> list[Match]:
        """What somebody should confirm."""
        return [m for m in self.matches if not m.sure]

    @cached_property
    def columns(self) -> Columns:
        """How its rows are read."""
        return Columns([m.meaning for m in self.matches])

    @cached_property
    def _divided(self) -> tuple[Table, list[tuple[int, str]], int]:
        devices, left_out = (self.table, []) if self.all_rows else self.columns.device_rows(self.table)
        if "site" not in self.columns.means:
            return devices, left_out, 0
        devices, filled = _fill_down(devices, self.columns.means.index("site"))
        return devices, left_out, filled

    @property
    def devices(self) -> Table:
        """The table with the rows that are devices, blank site cells filled."""
        return self._divided[0]

    @property
    def left_out(self) -> list[tuple[int, str]]:
        """The rows that are not devices, and what they are."""
        return self._divided[1]

    @property
    def filled(self) -> int:
        """How many blank site cells take the one above."""
        return self._divided[2]

    @cached_property
    def no_values(self) -> Counter[str]:
        """The texts by which cells say that there is no value, and how often."""
        used = self.columns.used
        cells = (row[i] for _, row in self.devices.rows for i in used if i < len(row))
        return Counter(cell.strip() for cell in cells if says_nothing(cell))


@dataclass(frozen=True)
class Proposal:
    """What an import would take from a file; `left_out` are its tables without devices.

    `for_all` says what the sheet does not, by meaning: the one site of all its rows.
    """

    file: str
    parts: tuple[Part, ...]
    left_out: tuple[str, ...] = ()
    for_all: Mapping[str, str] = field(default_factory=dict)

    @property
    def devices(self) -> int:
        """How many rows there are."""
        return sum(len(part.devices.rows) for part in self.parts)

    @property
    def filled(self) -> int:
        """How many blank site cells take the one above."""
        return sum(part.filled for part in self.parts)

    @property
    def matches(self) -> dict[str, Match]:
        """Every heading once, with what it is taken to mean."""
        found: dict[str, Match] = {}
        for part in self.parts:
            for match in part.matches:
                found.setdefault(match.heading, match)
        return found

    def decide(self, heading: str, meaning: str) -> Proposal:
        """The proposal with one heading decided by a person; nothing for a heading that is only kept.

        Raises ValueError for a meaning that does not exist.
        """
        if meaning and meaning not in SETTINGS and meaning not in IDENTITY:
            raise ValueError(f"nothing is called {meaning!r}; give a setting or one of {', '.join(IDENTITY)}")
        if heading not in self.matches:
            raise ValueError(f"the sheet has no heading {heading!r}; it has {', '.join(self.matches)}")
        parts = []
        for part in self.parts:
            matches = tuple(
                Match(m.heading, meaning, "decided by you")
                if m.heading == heading
                else Match(m.heading, "", "kept as it is")
                if meaning and m.meaning == meaning and meaning not in LISTS
                else m
                for m in part.matches
            )
            parts.append(replace(part, matches=matches))
        return replace(self, parts=tuple(parts))

    def say_for_all(self, meaning: str, text: str) -> Proposal:
        """The proposal with something said for all rows; raises ValueError for what can't be."""
        if meaning not in FOR_ALL or not text.strip():
            raise ValueError(
                f"{meaning}={text} can't be said for all rows; give one of {', '.join(FOR_ALL)} and a name"
            )
        if any(meaning in part.columns.means for part in self.parts):
            raise ValueError(f"the sheet has a column for the {meaning}; correct it there, or only keep that column")
        return replace(self, for_all={**self.for_all, meaning: text.strip()})

    def correct(self, texts: Mapping[str, str]) -> Proposal:
        """The proposal with other texts in some cells (`G12`, `Sheet!G12`); raises ValueError for a cell not there."""
        rows = [{number for number, _ in part.devices.rows} for part in self.parts]
        changes: list[dict[tuple[int, int], str]] = [{} for _ in self.parts]
        for cell, text in texts.items():
            sheet, row, index = _place(cell)
            for part, numbers, said in zip(self.parts, rows, changes, strict=True):
                named = not sheet or sheet.lower() == part.table.name.lower()
                if named and index < len(part.table.headings) and row in numbers:
                    said[row, index] = text
                    break
            else:
                raise ValueError(f"no device of the sheet has a cell {cell}")
        parts = zip(self.parts, changes, strict=True)
        return replace(self, parts=tuple(replace(p, table=p.table.with_cells(c)) if c else p for p, c in parts))

    def remembered(self) -> dict[str, str]:
        """What the job must remember, so that the same headings need no second question."""
        return {h: m.meaning for h, m in self.matches.items() if h and m.meaning != meaning_of(h, {})}


def _place(cell: str) -> tuple[str, int, int]:
    """The sheet, row and column (from 0) that a cell's name means; raises ValueError."""
    sheet, _, name = cell.rpartition("!")
    found = re.fullmatch(r"([A-Za-z]{1,3})(\d+)", name.strip())
    if not found:
        raise ValueError(f"{cell!r} is not a cell; write it like G12, or Sheet!G12")
    index = 0
    for letter in found[1].upper():
        index = index * 26 + ord(letter) - 64
    return sheet.strip("'"), int(found[2]), index - 1


def propose(
    data: bytes, file: str, remembered: Mapping[str, str], sheet: str = "", known: Known | None = None
) -> Proposal:
    """Look at a file; raises UnreadableError when it holds nothing that could be devices.

    `known` are the names that the job has already, which tell headings by their values.
    """
    tables = read_tables(data, file)
    if sheet:
        named = [t for t in tables if t.name.lower() == sheet.lower()]
        if not named:
            raise UnreadableError(
                Spot(file), f"it has no sheet {sheet!r}", f"Give one of {', '.join(t.name for t in tables) or '(none)'}"
            )
        tables = named
    parts: list[Part] = []
    left_out: list[str] = []
    empty: list[Table] = []
    for table in tables:
        matches = _matched(table, table, remembered, known)
        devices, others = Columns([m.meaning for m in matches]).device_rows(table)
        if others:  # what is no device says nothing of a column
            matches = _matched(table, devices, remembered, known)
        means = {m.meaning for m in matches}
        if not means & {"hostname", "serial", "mac", "management.address"} or not table.rows:
            left_out.append(table.name or file)
            empty += [table] if not table.rows else []
            continue
        parts.append(Part(table, tuple(matches)))
    known_sites = known.names.get("site", frozenset()) if known else frozenset()
    if len(parts) > 1 or sheet or any(plain_name(part.table.name) in known_sites for part in parts):
        parts = [replace(part, site=_site_of(part)) for part in parts]
    if not parts and empty:
        where = Spot(file, empty[0].heading_row, empty[0].name)
        raise UnreadableError(where, "the sheet has headings but no rows below them", "Add a row for each device")
    if not parts:
        raise UnreadableError(
            Spot(file),
            "no sheet has a column for hostname, serial number, MAC or address",
            "Look at the headings: they must stand in one row above the devices",
        )
    return Proposal(file, tuple(parts), tuple(left_out))


def _matched(table: Table, devices: Table, remembered: Mapping[str, str], known: Known | None) -> list[Match]:
    values = [devices.column(i) for i in range(len(table.headings))]
    return match_headings(table.headings, values, remembered, known, table.hidden)


_NO_SITE = frozenset(
    {*(f"{word}{n}" for word in ("sheet", "tabelle", "feuil", "hoja", "foglio", "feuille") for n in range(1, 10))}
    | {"devices", "sheet", "export", "data", "list"}
)
"""Names that spreadsheet programs give, in lower case: they say nothing of a site."""


def _site_of(part: Part) -> str:
    """The site for which a table's own name stands, where it has no column for that."""
    name = part.table.name
    return "" if "site" in part.columns.means or name.lower() in _NO_SITE else name


def _fill_down(table: Table, at: int) -> tuple[Table, int]:
    """Blank site cells below a filled one take it, as people leave them out for the eye."""
    rows, above, count = [], "", 0
    for number, cells in table.rows:
        here = cells[at] if at < len(cells) else ""
        if is_empty(here) and above:
            cells = (*cells[:at], above, *cells[at + 1 :])
            count += 1
        else:
            above = here or above
        rows.append((number, cells))
    return (replace(table, rows=tuple(rows)) if count else table), count


def own_devices(table: Table, columns: Mapping[str, str]) -> Imported:
    """A job's own sheet read as an import is, `columns` being what it remembers; every row of it, device or not."""
    matches = tuple(Match(h, meaning_of(h, columns), "by name") for h in table.headings)
    return take(Proposal(table.file, (Part(table, matches, all_rows=True),)))


# -- every cell by what its heading means ------------------------------------------------------------------
@dataclass(frozen=True)
class BadCell:
    """A cell that can't be taken: where, what is wrong, and what was probably meant and why, if that is likely."""

    spot: Spot
    cell: str
    row: int
    meaning: str
    text: str
    what: str
    do: str
    meant: str = ""
    why: str = ""

    @property
    def problem(self) -> Problem:
        """As every problem is told."""
        likely = f"Probably {self.meant!r} is meant ({self.why})" if self.meant else self.do
        setting = self.meaning if self.meaning in SETTINGS else None
        return error_at("cell-form", self.spot, self.what, likely, setting=setting)


@dataclass(frozen=True)
class Imported:
    """A sheet as it goes into the job: headings, rows of text with the place of each, and the cells that are bad."""

    headings: tuple[str, ...]
    means: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    spots: tuple[Spot, ...]
    bad: tuple[BadCell, ...] = ()
    has: tuple[frozenset[int], ...] = ()
    """Of each row, the columns that its table has: an empty cell of those is said to be empty."""

    @property
    def problems(self) -> tuple[Problem, ...]:
        """The bad cells as problems."""
        return tuple(cell.problem for cell in self.bad)

    @cached_property
    def wrong(self) -> frozenset[int]:
        """The rows that have a bad cell, by their index."""
        places = {(cell.spot.file, cell.row, cell.cell.rpartition("!")[0]) for cell in self.bad}
        return frozenset(i for i, spot in enumerate(self.spots) if (spot.file, spot.line, spot.key) in places)

    @property
    def good(self) -> Imported:
        """Without the rows that have a bad cell."""
        kept = [i for i in range(len(self.rows)) if i not in self.wrong]
        rows, spots = tuple(self.rows[i] for i in kept), tuple(self.spots[i] for i in kept)
        return replace(self, rows=rows, spots=spots, bad=(), has=tuple(self.has[i] for i in kept))

    def column(self, meaning: str) -> list[str]:
        """What the rows say of one meaning; empty texts where they do not."""
        if meaning not in self.means:
            return [""] * len(self.rows)
        at = self.means.index(meaning)
        return [row[at] for row in self.rows]

    def to_csv(self) -> bytes:
        """The rows as CSV."""
        return table_to_csv(self.headings, self.rows)


def take(proposal: Proposal) -> Imported:
    """Read every cell by what its heading means; cells that can't be read stay as they are, and are told.

    What several sheets say under different headings becomes one column, under the first of them.
    """
    columns: dict[str, str] = {}
    if any(part.site for part in proposal.parts):
        columns["site"] = "site"
    for part in proposal.parts:
        columns |= {key: heading for key, heading in _own_columns(part).items() if key not in columns}
    columns |= {meaning: meaning for meaning in proposal.for_all if meaning not in columns}
    rows: list[tuple[str, ...]] = []
    spots: list[Spot] = []
    has: list[frozenset[int]] = []
    bad: list[BadCell] = []
    for part in proposal.parts:
        own = {*_own_columns(part), *proposal.for_all, *(["site"] if part.site else [])}
        has += [frozenset(i for i, key in enumerate(columns) if key in own)] * len(part.devices.rows)
        same = {**proposal.for_all, **({"site": part.site} if part.site else {})}
        kept = [(i, f"={m.heading}") for i, m in enumerate(part.matches) if m.heading and i not in part.columns.used]
        for number, cells in part.devices.rows:
            row = dict(same)
            for said in part.columns.read(cells):
                row[said.meaning], wrong = _written(part.table, number, said, cells)
                bad += wrong
            for index, key in kept:
                if index < len(cells) and (cells[index] != "" or isinstance(cells[index], Spoiled)):
                    row[key], wrong = _kept(part.table, number, index, cells[index])
                    bad += wrong
            rows.append(tuple([row.get(key, "") for key in columns]))
            spots.append(part.table.spot(number))
            bad += _too_wide(part.table, number, cells)
    means = tuple("" if key.startswith("=") else key for key in columns)
    return Imported(tuple(columns.values()), means, tuple(rows), tuple(spots), tuple(bad), tuple(has))


def _own_columns(part: Part) -> dict[str, str]:
    """The columns that a table brings, by what they mean or are called; several of one list become one."""
    columns: dict[str, str] = {}
    for index, match in enumerate(part.matches):
        several = match.meaning in LISTS and sum(m.meaning == match.meaning for m in part.matches) > 1
        if index in part.columns.own:
            columns[match.meaning] = heading_for(match.meaning) if several else match.heading
        elif match.heading and index not in part.columns.used:
            columns[f"={match.heading}"] = match.heading
    return columns


def _written(table: Table, row: int, said: Said, cells: Cells) -> tuple[str, list[BadCell]]:
    """The text of a value in the one way in which Zinger writes it, or as it is with what is wrong."""
    error = said.error
    if error is None:
        try:
            if said.meaning == "family":
                return " ".join(str(said.value).split()), []
            if said.meaning in WHO_PARSERS:
                return WHO_PARSERS[said.meaning](said.value), []
            if said.meaning in SETTINGS:
                setting = SETTINGS[said.meaning]
                return setting.text(setting.parse(said.value)), []
            return _as_text(said.value), []
        except BadValue as bad:
            error = bad
    parse = WHO_PARSERS.get(said.meaning) or (SETTINGS[said.meaning].parse if said.meaning in SETTINGS else str)
    return _as_text(said.value), [_bad(table, row, said.index, said.meaning, cells[said.index], error, parse)]


def _kept(table: Table, row: int, index: int, cell: Any) -> tuple[str, list[BadCell]]:
    """A cell that is only kept: any text, but for characters that nobody should bring into a job."""
    if isinstance(cell, Spoiled) and cell.refused:
        error = BadValue(cell.what, cell.do)
        return str(cell), [_bad(table, row, index, "", cell, error, str)]
    return _as_text(cell), []


def _bad(
    table: Table, row: int, index: int, meaning: str, cell: Any, error: BadValue, parse: Callable[[object], object]
) -> BadCell:
    text = str(cell)
    likely = None
    if isinstance(cell, Spoiled):
        why = "without that character" if cell.refused else "as it was typed"
        likely = next(((m, why) for m in cell.meant if refusal(parse, m) is None), None)
    likely = likely or (meant(text, parse) if text and isinstance(cell, str) else None)
    text_meant, why = likely or ("", "")
    name = table.cell_name(row, index)
    return BadCell(table.spot(row, index), name, row, meaning, text, error.what, error.repair, text_meant, why)


def _too_wide(table: Table, row: int, cells: Sequence[Any]) -> list[BadCell]:
    """A row with more cells than headings: a delimiter stood inside a value, and its columns can't be trusted."""
    width = len(table.headings)
    if len(cells) <= width or all(map(is_empty, cells[width:])):
        return []
    what, do = "this row has more cells than there are headings", "Look for a delimiter inside a value and quote it"
    if table.name:
        return []  # in a workbook a cell stands where it stands; what is beside the headings is a note
    return [BadCell(table.spot(row), table.cell_name(row, width), row, "", str(cells[width]), what, do)]


def _as_text(cell: Any) -> str:
    return "; ".join(_as_text(c) for c in cell) if isinstance(cell, list) else str(cell)


# -- out again -----------------------------------------------------------------------------------------------
def full_table(plan: Plan) -> tuple[list[str], list[list[str]]]:
    """Every device with every resolved value, whatever it comes from, as headings and rows of text."""
    used = [name for name in SETTINGS if any(name in d.values for d in plan.devices)]
    headings = [
        "site",
        "role",
        "family",
        *("serial", "mac", "label", "location", "console", "fingerprint"),
        *map(heading_for, used),
    ]
    rows = []
    for d in plan.devices:
        cells = [d.site.name, d.role, d.family, d.serial, d.mac, d.label, d.location, d.console, d.fingerprint]
        cells += [SETTINGS[n].text(d.values[n].value) if n in d.values else "" for n in used]
        rows.append(cells)
    return headings, rows
