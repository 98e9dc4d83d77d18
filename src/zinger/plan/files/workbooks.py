"""Workbooks (ECMA-376) into tables: merged cells, hidden columns, formulas and dates as their reader sees them."""

from __future__ import annotations

import io
import zipfile
import zlib
from typing import Any
from xml.etree import ElementTree

import openpyxl

from zinger.plan.files.cells import Spoiled, number_cell
from zinger.plan.files.tables import EmptySheetError, Table, table_of
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.problems import Spot

_TOO_LARGE_OPEN = 200_000_000
_OTHERS = {"mimetype": "an OpenDocument file", "word/document.xml": "a text document", "ppt/presentation.xml": "slides"}


def read_workbook(data: bytes, file: str) -> list[Table]:
    """The visible sheets that have rows; raises UnreadableError, which says what is wrong with the workbook."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as inside:
            missing = _missing_sheets(inside)
            if sum(entry.file_size for entry in inside.infolist()) > _TOO_LARGE_OPEN:
                raise UnreadableError(Spot(file), "it unpacks to more than 200 MB", "Export only the devices, as CSV")
        if missing:
            do = "Save it again as .xlsx, or export it as CSV"
            raise UnreadableError(Spot(file), f"the workbook's part {missing[0]} is missing", do)
        shown = openpyxl.load_workbook(io.BytesIO(data), data_only=True)
        written = openpyxl.load_workbook(io.BytesIO(data))
    except UnreadableError:
        raise
    except Exception as error:  # the library raises whatever its parts raise; none of it is a person's fault
        do = "Save it again as .xlsx, or export it as CSV"
        raise UnreadableError(Spot(file), f"the workbook can't be read: {_why(data, error)}", do) from None
    tables = []
    for sheet in shown.worksheets:
        if sheet.max_row and sheet.sheet_state == "visible":
            try:
                tables.append(_worksheet(sheet, written[sheet.title], file))
            except EmptySheetError:
                continue
    if not tables:
        raise EmptySheetError(Spot(file), "no sheet of the workbook has rows", "Put the column headings in row 1")
    return tables


def _missing_sheets(inside: zipfile.ZipFile) -> list[str]:
    """Sheets that the workbook names and does not hold: the library would leave them out without a word."""
    names = set(inside.namelist())
    if "xl/_rels/workbook.xml.rels" not in names:
        return []
    relations = ElementTree.fromstring(inside.read("xl/_rels/workbook.xml.rels"))
    targets = [entry.get("Target", "") for entry in relations if entry.get("Type", "").endswith("/worksheet")]
    paths = [target.lstrip("/") if target.startswith("/") else f"xl/{target}" for target in targets]
    return [path for path in paths if path not in names]


def _why(data: bytes, error: Exception) -> str:
    """What is wrong with a workbook that the library could not read, part by part."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as inside:
            names = inside.namelist()
            for name, kind in _OTHERS.items():
                if name in names:
                    return f"this is {kind}"
            if "xl/workbook.xml" not in names:
                return "this is a ZIP archive without a workbook in it"
            for name in names:
                content = inside.read(name)
                if name.endswith((".xml", ".rels")):
                    try:
                        ElementTree.fromstring(content)
                    except ElementTree.ParseError as broken:
                        return f"its part {name} is damaged in line {broken.position[0]}"
    except zipfile.BadZipFile as broken:
        return "it is cut off or damaged" if "central" in str(broken) or "not a zip" in str(broken) else str(broken)
    except (RuntimeError, NotImplementedError, OSError, EOFError, zlib.error) as broken:
        return f"a part of it can't be unpacked ({broken})"
    return f"it is not as the standard says: {str(error)[:120] or type(error).__name__}"


def _worksheet(sheet: Any, written: Any, file: str) -> Table:
    rows: dict[int, list[Any]] = {}
    for cells in sheet.iter_rows():
        values = [cell.value for cell in cells]
        for index, cell in enumerate(cells):
            if cell.value is None and written.cell(cell.row, cell.column).data_type == "f":
                values[index] = Spoiled(
                    "",
                    "this cell is a formula whose value was not saved",
                    "Open the workbook in a spreadsheet program, save it, and import it again",
                )
            elif isinstance(cell.value, int | float) and not isinstance(cell.value, bool) and not cell.is_date:
                values[index] = number_cell(cell.value, cell.number_format)
        rows[cells[0].row] = values
    for merged in sheet.merged_cells.ranges:
        value = rows[merged.min_row][merged.min_col - 1]
        for row in range(merged.min_row, merged.max_row + 1):
            if merged.max_row > merged.min_row:  # a title across columns says nothing of the columns
                rows[row][merged.min_col - 1] = value
    return table_of(file, rows.items(), sheet.title, hidden=_hidden(sheet))


def _hidden(sheet: Any) -> frozenset[int]:
    """The columns that nobody sees, counted from 0; a group of them is described once."""
    found: set[int] = set()
    for dimension in sheet.column_dimensions.values():
        if dimension.hidden:
            found |= set(range((dimension.min or 1) - 1, min(dimension.max or dimension.min or 1, sheet.max_column)))
    return frozenset(found)
