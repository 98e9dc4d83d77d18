"""A job's own build sheet as its devices, untyped, and what is wrong with its shape."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from zinger.plan.collector import builds_much
from zinger.plan.files.cells import is_empty
from zinger.plan.files.columns import Columns
from zinger.plan.files.headings import LISTS, holds_passwords, meaning_of
from zinger.plan.files.tables import Cells, EmptySheetError, Table, read_tables
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.problems import Problem, Spot, error_at, warning_at
from zinger.plan.raw import SHEET_FILE, Raw, RawRow
from zinger.plan.settings import SETTINGS


@builds_much
def read_sheet(
    data: bytes, file: str = SHEET_FILE, columns: Mapping[str, str] | None = None, numbers: Sequence[int] = ()
) -> tuple[list[RawRow], list[Problem]]:
    """Read a job's own build sheet; `columns` are headings that were confirmed at an import.

    `numbers` are those of its rows, where they are not to be counted.
    """
    try:
        tables = read_tables(data, file)
    except UnreadableError as error:
        id = "sheet-empty" if isinstance(error, EmptySheetError) else "sheet-unreadable"
        return [], [error_at(id, error.spot, error.what, error.do)]
    known = [t for t in tables if any(meaning_of(h, columns or {}) for h in t.headings)] or tables[:1]
    table = known[0]
    if len(numbers) == len(table.rows):
        cells = (cells for _, cells in table.rows)
        table = replace(table, rows=tuple(zip(numbers, cells, strict=True)))
    rows, problems = rows_of(table, columns or {})
    if len(known) > 1:
        names = ", ".join(t.name for t in known[1:])
        problems.append(
            error_at(
                "sheet-shape",
                Spot(file),
                f"several of its sheets have devices; {names} are left out",
                "Use `zinger import`, which brings them together",
            )
        )
    if not rows and not problems:
        problems.append(
            error_at("sheet-empty", Spot(file), "the sheet has headings but no rows", "Add a row for each device")
        )
    return rows, problems


def rows_of(table: Table, columns: Mapping[str, str]) -> tuple[list[RawRow], list[Problem]]:
    """The devices of a table, and what is wrong with its shape."""
    read = Columns([meaning_of(h, columns) for h in table.headings])
    problems = list(_heading_problems(table, read.means))
    table, left_out = read.device_rows(table)
    problems += [
        warning_at("sheet-shape", table.spot(number), f"this row is not taken for a device: {why}", "Remove the row")
        for number, why in left_out
    ]
    problems += _passwords(table, read)
    width = len(table.headings)
    rows = []
    for number, cells in table.rows:
        rows.append(_row(table, read, number, cells, problems))
        if len(cells) > width and not all(map(is_empty, cells[width:])):
            problems.append(
                error_at(
                    "sheet-shape",
                    table.spot(number),
                    "this row has more cells than there are headings",
                    "Look for a delimiter inside a value and quote it",
                )
            )
    return rows, problems


def _passwords(table: Table, read: Columns) -> Iterable[Problem]:
    """Columns that hold passwords for all to read; no value of theirs is told."""
    for index, heading in enumerate(table.headings):
        if index not in read.used and holds_passwords(heading):
            with_one = sum(index < len(cells) and not is_empty(cells[index]) for _, cells in table.rows)
            if with_one:
                yield warning_at(
                    "password-in-sheet",
                    Spot(table.file, table.heading_row or None, heading),
                    f"this column has passwords for all to read, in {with_one} rows",
                    "Put them into the vault (`zinger secret JOB ENTRY`), change them, and remove the column",
                )


def _heading_problems(table: Table, means: Iterable[str]) -> Iterable[Problem]:
    seen: dict[str, str] = {}
    for written, meaning in zip(table.headings, means, strict=True):
        if meaning in seen and meaning not in LISTS:
            yield error_at(
                "sheet-shape",
                Spot(table.file, table.heading_row or None, written),
                f"columns {seen[meaning]!r} and {written!r} mean the same",
                "Remove one of them",
            )
        if meaning:
            seen.setdefault(meaning, written)
    for needed in ("family", "site"):
        if needed not in seen:
            yield error_at(
                "sheet-shape",
                Spot(table.file, table.heading_row or None),
                f"no column says the {needed}",
                f"Add a column headed {needed!r}",
            )


def _row(table: Table, read: Columns, number: int, cells: Cells, problems: list[Problem]) -> RawRow:
    identity: dict[str, str] = {}
    settings: dict[str, Raw] = {}
    for said in read.read(cells):
        spot = table.spot(number, said.index)
        if said.error is not None:
            id = f"{said.meaning.replace('.', '-').replace('_', '-')}-form"
            known = said.meaning if said.meaning in SETTINGS else None
            problems.append(error_at(id, spot, said.error.what, said.error.repair, setting=known))
        elif said.meaning in SETTINGS:
            settings[said.meaning] = Raw(said.value, spot)
        else:
            identity[said.meaning] = said.value if isinstance(said.value, str) else str(said.value)
    used = read.used
    kept = {
        heading: str(cell)
        for index, (heading, cell) in enumerate(zip(table.headings, cells, strict=False))
        if index not in used and not is_empty(cell)
    }
    return RawRow(Spot(table.file, number, table.name), identity, settings, kept)
