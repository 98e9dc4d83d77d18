"""Build sheets into tables, whatever they are: CSV with any delimiter and encoding, XLSX, YAML or JSON.

A table keeps every cell as it was written, with the row that it stands in. What can't be read is a problem
that points at the file, the row and the cell.
"""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from zinger.plan.collector import builds_much
from zinger.plan.files.cells import unshielded
from zinger.plan.files.headings import known_headings, meaning_of, plain
from zinger.plan.files.yamlfile import UnreadableError, load_yaml
from zinger.plan.problems import Problem, Spot, error_at
from zinger.plan.raw import SHEET_FILE, Raw, RawRow
from zinger.plan.settings import SETTINGS
from zinger.plan.values.addresses import with_mask
from zinger.plan.values.bad import BadValue

TOO_LARGE = 20_000_000
"""Bytes; a sheet of 10,000 devices has about one million."""
_TOO_LARGE_OPEN = 200_000_000
_LOOK_FOR_HEADINGS = 20
_LOOK_FOR_DELIMITER = 100_000
_DELIMITERS = ",;\t|"


class EmptySheetError(UnreadableError):
    """A sheet in which nothing stands."""


@dataclass(frozen=True)
class Table:
    """One sheet: headings, and rows of cells (text; lists and mappings from YAML and JSON) with their numbers.

    `name` is the sheet's own name within a workbook; `heading_row` its row, counted from 1.
    """

    file: str
    headings: tuple[str, ...]
    rows: tuple[tuple[int, tuple[Any, ...]], ...]
    heading_row: int = 1
    name: str = ""
    encoding: str = ""
    problems: tuple[Problem, ...] = field(default=())

    def column(self, index: int) -> list[str]:
        """The values below a heading, as text."""
        return [str(cells[index]) for _, cells in self.rows if index < len(cells)]

    def spot(self, row: int, index: int | None = None) -> Spot:
        """A row, or a cell of it: by its heading, and in a workbook by its letter too."""
        if index is None:
            return Spot(self.file, row, self.name)
        heading = self.headings[index] if index < len(self.headings) else ""
        return Spot(self.file, row, f"{self.name}!{letter(index)}{row} {heading}" if self.name else heading)


def letter(index: int) -> str:
    """A column's letters in a workbook, from 0: A, B, ... Z, AA."""
    text = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        text = chr(65 + rest) + text
    return text


def read_tables(data: bytes, file: str) -> list[Table]:
    """Every table of a file that may hold devices; raises UnreadableError when there is none to be had."""
    if len(data) > TOO_LARGE:
        raise UnreadableError(
            Spot(file),
            f"it has {len(data) / 1e6:.0f} MB, more than {TOO_LARGE / 1e6:.0f}",
            "Look whether this is the build sheet; export only its devices",
        )
    if not data.strip():
        raise EmptySheetError(Spot(file), "the file is empty", "Put the column headings in row 1")
    kind = file.lower().rpartition(".")[2]
    if data[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise UnreadableError(
            Spot(file),
            "this workbook is protected by a password, or of the old binary kind",
            "Open it, take the password away and save it as .xlsx, or export it as CSV",
        )
    if data[:4] == b"PK\x03\x04":
        return _read_workbook(data, file)
    if kind in ("xlsx", "xlsm"):
        raise UnreadableError(Spot(file), "this is not a workbook, whatever its name says", "Export the sheet again")
    if kind in ("yaml", "yml", "json"):
        return [_read_mappings(data, file, kind)]
    return [_read_csv(data, file)]


def decoded(data: bytes, file: str) -> tuple[str, str]:
    """The text of a file and its encoding: UTF-8, UTF-16 or a Western one-byte code; raises UnreadableError."""
    codes = ["utf-8-sig"]
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        codes = ["utf-16"]
    elif data[1:2] == b"\0" or data[:1] == b"\0":
        codes = ["utf-16-le" if data[1:2] == b"\0" else "utf-16-be"]
    for code in (*codes, "cp1252"):
        try:
            text = data.decode(code)
        except UnicodeDecodeError:
            continue
        bad = re.search(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f]", text)
        if bad:
            line = text.count("\n", 0, bad.start()) + 1
            raise UnreadableError(
                Spot(file, line),
                f"this is not a text: it holds the character U+{ord(bad[0]):04X}",
                "Export the sheet as CSV in UTF-8",
            )
        return text, code.removesuffix("-sig")
    import charset_normalizer

    best = charset_normalizer.from_bytes(data).best()
    if best is None:
        raise UnreadableError(Spot(file), "its encoding can't be told", "Export the sheet as CSV in UTF-8")
    return str(best), best.encoding


def _read_csv(data: bytes, file: str) -> Table:
    text, encoding = decoded(data, file)
    lines = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter_of(text), strict=True)
    rows: list[tuple[int, Sequence[Any]]] = []
    before = 0
    try:
        for cells in lines:
            rows.append((before + 1, cells))
            before = lines.line_num
    except csv.Error as error:
        raise UnreadableError(
            Spot(file, before + 1), f"this line is no CSV: {error}", "Look for a quote left open"
        ) from None
    return _table(file, rows, encoding=encoding)


def delimiter_of(text: str) -> str:
    """The delimiter of a CSV text: the one that divides a line into most headings that are known.

    Of those that do so equally it is the one that stands equally often, outside quotes, in the most of the first lines.
    """
    bare = re.sub(r'"[^"]*"', "", text[:_LOOK_FOR_DELIMITER])
    lines = [line for line in bare.splitlines()[:_LOOK_FOR_HEADINGS] if line.strip()]
    known = known_headings()

    def fits(delimiter: str) -> tuple[int, int]:
        headings = max((sum(plain(part) in known for part in line.split(delimiter)) for line in lines), default=0)
        counts = [line.count(delimiter) for line in lines]
        return headings, max((count * counts.count(count) for count in set(counts)), default=0)

    return max(_DELIMITERS, key=fits)


def _table(
    file: str,
    rows: Iterable[tuple[int, Sequence[Any]]],
    name: str = "",
    encoding: str = "",
    problems: tuple[Problem, ...] = (),
) -> Table:
    """Find the headings among the first rows (titles may stand above them), and take what is below."""
    filled = [(number, made) for number, cells in rows if any(made := tuple(map(_cell, cells)))]
    if not filled:
        raise EmptySheetError(Spot(file, None, name), "the sheet has no rows", "Put the column headings in row 1")
    known = known_headings()
    first = filled[:_LOOK_FOR_HEADINGS]
    counts = [sum(plain(str(c)) in known for c in cells) for _, cells in first]
    at = counts.index(max(counts))
    number, cells = filled[at]
    width = max((i + 1 for i, c in enumerate(cells) if c != ""), default=0)
    headings = tuple(str(c) for c in cells[:width])
    return Table(file, headings, tuple(filled[at + 1 :]), number, name, encoding, problems)


def _cell(value: Any) -> Any:
    if isinstance(value, str):
        return unshielded(value.strip())
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return value if isinstance(value, list | Mapping) else str(value)


def _read_workbook(data: bytes, file: str) -> list[Table]:
    import openpyxl  # here, since it takes long to load

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as inside:
            if sum(entry.file_size for entry in inside.infolist()) > _TOO_LARGE_OPEN:
                raise UnreadableError(Spot(file), "it unpacks to more than 200 MB", "Export only the devices, as CSV")
        shown = openpyxl.load_workbook(io.BytesIO(data), data_only=True)
        written = openpyxl.load_workbook(io.BytesIO(data))
    except UnreadableError:
        raise
    except Exception as error:  # the library raises whatever its parts raise; none of it is a person's fault
        raise UnreadableError(
            Spot(file),
            f"the workbook can't be read ({type(error).__name__})",
            "Save it again as .xlsx, or export it as CSV",
        ) from None
    tables = []
    for sheet in shown.worksheets:
        if sheet.max_row and sheet.sheet_state == "visible":
            try:
                tables.append(_worksheet(sheet, written[sheet.title], file))
            except UnreadableError:
                continue  # an empty sheet is not a table
    if not tables:
        raise EmptySheetError(Spot(file), "no sheet of the workbook has rows", "Put the column headings in row 1")
    return tables


def _worksheet(sheet: Any, written: Any, file: str) -> Table:
    rows: dict[int, list[Any]] = {}
    problems: list[Problem] = []
    for cells in sheet.iter_rows():
        values = [cell.value for cell in cells]
        for index, cell in enumerate(cells):
            if cell.value is None and written.cell(cell.row, cell.column).data_type == "f":
                problems.append(
                    error_at(
                        "sheet-formula",
                        Spot(file, cell.row, f"{sheet.title}!{cell.coordinate}"),
                        "this cell is a formula whose value was not saved",
                        "Open the workbook in a spreadsheet program, save it, and import it again",
                    )
                )
            elif getattr(cell, "is_date", False):
                values[index] = ""
                problems.append(
                    error_at(
                        "sheet-date",
                        Spot(file, cell.row, f"{sheet.title}!{cell.coordinate}"),
                        f"the spreadsheet program made a date of this cell ({cell.value})",
                        "Format the column as text and type the value again",
                    )
                )
        rows[cells[0].row] = values
    for merged in sheet.merged_cells.ranges:
        value = rows[merged.min_row][merged.min_col - 1]
        for row in range(merged.min_row, merged.max_row + 1):
            if merged.max_row > merged.min_row:  # a title across columns says nothing of the columns
                rows[row][merged.min_col - 1] = value
    return _table(file, rows.items(), sheet.title, problems=tuple(problems))


def _read_mappings(data: bytes, file: str, kind: str) -> Table:
    """A list of mappings, `{devices: [...]}`, or mappings by hostname; nested keys become dotted headings."""
    text, encoding = decoded(data, file)
    loaded = _json(text, file) if kind == "json" else load_yaml(text, file, 8_000_000)
    if isinstance(loaded, Mapping) and isinstance(loaded.get("devices"), list | Mapping):
        loaded = loaded["devices"]
    if isinstance(loaded, Mapping) and all(isinstance(v, Mapping) for v in loaded.values()):
        loaded = [{"hostname": name, **body} for name, body in loaded.items()]
    if not isinstance(loaded, list) or not all(isinstance(entry, Mapping) for entry in loaded):
        raise UnreadableError(
            Spot(file), "this is not a list of devices", "Write a list with a mapping for each device"
        )
    flat = [dict(_flat(entry)) for entry in loaded]
    headings = tuple(dict.fromkeys(key for entry in flat for key in entry))
    lines = _lines_of(loaded)
    rows = tuple((lines[i], tuple(_cell(entry.get(h, "")) for h in headings)) for i, entry in enumerate(flat))
    if not headings:
        raise UnreadableError(Spot(file), "the list has no devices", "Add a mapping for each device")
    return Table(file, headings, rows, 0, "", encoding)


def _json(text: str, file: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        raise UnreadableError(Spot(file, error.lineno), f"not valid JSON: {error.msg}", "Correct this line") from None
    except RecursionError:
        raise UnreadableError(Spot(file), "not valid JSON: it is nested too deeply", "Correct the file") from None


def _lines_of(loaded: list[Any]) -> list[int]:
    """The line of each entry where the reader kept it, else its number in the list."""
    marks = getattr(loaded, "lc", None)
    return [marks.item(i)[0] + 1 if marks else i + 1 for i in range(len(loaded))]


def _flat(entry: Mapping[Any, Any], stem: str = "") -> Iterable[tuple[str, Any]]:
    for key, value in entry.items():
        name = f"{stem}{key}"
        if isinstance(value, Mapping) and name not in SETTINGS:
            yield from _flat(value, f"{name}.")
        else:
            yield name, "" if value is None else value if not isinstance(value, bool) else "yes" if value else "no"


# -- a table as the devices of a job -------------------------------------------------------------------
@builds_much
def read_sheet(
    data: bytes, file: str = SHEET_FILE, columns: Mapping[str, str] | None = None
) -> tuple[list[RawRow], list[Problem]]:
    """Read a job's own build sheet; `columns` are headings that were confirmed at an import."""
    try:
        tables = read_tables(data, file)
    except UnreadableError as error:
        id = "sheet-empty" if isinstance(error, EmptySheetError) else "sheet-unreadable"
        return [], [error_at(id, error.spot, error.what, error.do)]
    known = [t for t in tables if any(meaning_of(h, columns or {}) for h in t.headings)] or tables[:1]
    rows, problems = rows_of(known[0], columns or {})
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
            error_at("sheet-empty", Spot(file), "the sheet has headings but no devices", "Add a row a device")
        )
    return rows, problems


def rows_of(table: Table, columns: Mapping[str, str]) -> tuple[list[RawRow], list[Problem]]:
    """The devices of a table, and what is wrong with its shape."""
    means = [meaning_of(h, columns) for h in table.headings]
    problems = [*table.problems, *_heading_problems(table, means)]
    width = len(table.headings)
    rows = []
    for number, cells in table.rows:
        rows.append(_row(table, means, number, cells, problems))
        if len(cells) > width and any(c != "" for c in cells[width:]):
            problems.append(
                error_at(
                    "sheet-shape",
                    table.spot(number),
                    "this row has more cells than there are headings",
                    "Look for a delimiter inside a value and quote it",
                )
            )
    return rows, problems


def _heading_problems(table: Table, means: list[str]) -> Iterable[Problem]:
    seen: dict[str, str] = {}
    for written, meaning in zip(table.headings, means, strict=True):
        if meaning and meaning in seen:
            yield error_at(
                "sheet-shape",
                Spot(table.file, table.heading_row or None, written),
                f"columns {seen[meaning]!r} and {written!r} mean the same",
                "Remove one of them",
            )
        seen.setdefault(meaning, written)
    for needed in ("family", "site"):
        if needed not in seen:
            yield error_at(
                "sheet-shape",
                Spot(table.file, table.heading_row or None),
                f"no column says the {needed}",
                f"Add a column headed {needed!r}",
            )


def _row(table: Table, means: list[str], number: int, cells: tuple[Any, ...], problems: list[Problem]) -> RawRow:
    identity: dict[str, str] = {}
    settings: dict[str, Raw] = {}
    kept: dict[str, str] = {}
    for index, (meaning, cell) in enumerate(zip(means, cells, strict=False)):
        if cell == "":
            continue
        if not meaning:
            kept[table.headings[index]] = str(cell)
        elif meaning in SETTINGS:
            settings[meaning] = Raw(cell, table.spot(number, index))
        else:
            identity[meaning] = cell if isinstance(cell, str) else str(cell)
    if (mask := identity.pop("mask", "")) and (address := settings.get("management.address")):
        try:
            settings["management.address"] = Raw(with_mask(address.value, mask), address.spot)
        except BadValue as error:
            at = table.spot(number, means.index("mask"))
            problems.append(
                error_at("management-address-form", at, error.what, error.repair, setting="management.address")
            )
    return RawRow(Spot(table.file, number, table.name), identity, settings, kept)
