"""The build sheet as a document that can be changed in place: what is not touched stays as somebody wrote it.

CSV keeps its delimiter, encoding, quoting, unknown columns and line ends; YAML its comments and order; a workbook its
other sheets. Rows keep their numbers while they are edited, however lines move. Nothing here reads or writes a disk.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from ruamel.yaml.comments import CommentedMap

from zinger.plan.files.cells import shielded, unshielded
from zinger.plan.files.documents import YamlText, as_text, csv_line
from zinger.plan.files.headings import IDENTITY, heading_for, meaning_of, plain_name
from zinger.plan.files.tables import Table, decoded, delimiter_of, flat, read_tables
from zinger.plan.settings import SETTINGS
from zinger.plan.values.bad import refusal


class Sheet(Protocol):
    """A build sheet that can be changed; rows are named as in its tables, by their number."""

    def get(self, row: int, meaning: str) -> str | None:
        """The text of a cell; None when it is empty or there is no such column."""

    def set(self, row: int, meaning: str, text: str | None) -> None:
        """Change a cell; a column that is missing is added. Raises KeyError when there is no such row."""

    def rows(self) -> list[int]:
        """The numbers of the rows that hold devices."""

    def cells(self, row: int) -> dict[str, str]:
        """The cells of a row, by the meaning of their column, else by its heading."""

    def add_row(self, cells: Mapping[str, str]) -> int:
        """A new row at the end, by what its cells mean; returns its number."""

    def remove_row(self, row: int) -> None:
        """Take back the row that was added last."""

    def take_out(self, row: int) -> None:
        """Leave a row out; raises KeyError when there is no such row."""

    def put_back(self, row: int) -> None:
        """Put the row back that was left out last."""

    def dump(self) -> bytes:
        """The whole file."""

    def dump_numbered(self) -> tuple[bytes, tuple[int, ...]]:
        """The whole file, and the numbers of its rows where a reader would give them others."""


class _Columns:
    """Where the columns are, by what they mean; new ones stand at the end."""

    def __init__(self, headings: Sequence[str], columns: Mapping[str, str]) -> None:
        self.headings = list(headings)
        self.means = [meaning_of(h, columns) for h in headings]
        self.known = len(self.headings)
        self._remembered = columns

    def meaning(self, heading: str) -> str:
        """What a heading means, or nothing."""
        return meaning_of(heading, self._remembered)

    def index(self, meaning: str, add: bool = False) -> int | None:
        if meaning in self.means:
            return self.means.index(meaning)
        if meaning in self.headings:
            return self.headings.index(meaning)
        if not add:
            return None
        self.headings.append(heading_for(meaning) if meaning in SETTINGS or meaning in IDENTITY else meaning)
        self.means.append(meaning)
        return len(self.headings) - 1


class CsvSheet:
    """A CSV file; records that are not changed are written back letter by letter."""

    def __init__(self, data: bytes, file: str, columns: Mapping[str, str]) -> None:
        (self.table,) = read_tables(data, file)
        text, self.encoding = decoded(data, file)
        self.bom = data[:3] == b"\xef\xbb\xbf"
        self.delimiter = delimiter_of(text)
        self.end = "\r\n" if "\r\n" in text else "\n"
        self.columns = _Columns(self.table.headings, columns)
        self._order: list[int] = []
        self._raw: dict[int, str] = {}
        self._cells: dict[int, list[str]] = {}
        self._split(text)
        self._changed: set[int] = set()
        self._out: set[int] = set()

    def _split(self, text: str) -> None:
        lines: list[str] = []
        source = io.StringIO(text, newline="")

        def counted() -> Any:
            for line in source:
                lines.append(line)
                yield line

        number = 1
        for cells in csv.reader(counted(), delimiter=self.delimiter):
            self._order.append(number)
            self._raw[number] = "".join(lines)
            self._cells[number] = [unshielded(cell) for cell in cells]
            number += len(lines)
            lines.clear()

    def rows(self) -> list[int]:
        known = {number for number, _ in self.table.rows}
        return [
            number
            for number in self._order
            if (number in known or (number in self._changed and number > self.table.heading_row))
            and number not in self._out
        ]

    def get(self, row: int, meaning: str) -> str | None:
        at = self.columns.index(meaning)
        cells = self._cells[row]
        return (cells[at].strip() or None) if at is not None and at < len(cells) else None

    def set(self, row: int, meaning: str, text: str | None) -> None:
        cells = self._cells[row]
        at = self.columns.index(meaning, add=True)
        assert at is not None
        cells += [""] * (at + 1 - len(cells))
        cells[at] = text or ""
        self._changed.add(row)

    def add_row(self, cells: Mapping[str, str]) -> int:
        last = self._order[-1]
        number = last + max(1, self._raw[last].count("\n"))
        if not self._raw[last].endswith("\n"):
            self._raw[last] += self.end
        self._order.append(number)
        self._cells[number], self._raw[number] = [], ""
        self._changed.add(number)
        for meaning, text in cells.items():
            self.set(number, meaning, text)
        return number

    def remove_row(self, row: int) -> None:
        self._order.remove(row)
        self._changed.discard(row)
        del self._cells[row], self._raw[row]

    def take_out(self, row: int) -> None:
        if row not in self.rows():
            raise KeyError(row)
        self._out.add(row)

    def put_back(self, row: int) -> None:
        self._out.discard(row)

    def cells(self, row: int) -> dict[str, str]:
        names = [mean or heading for mean, heading in zip(self.columns.means, self.columns.headings, strict=True)]
        return {name: cell for name, cell in zip(names, self._cells[row], strict=False) if cell}

    def _width(self) -> int:
        """The columns to write: those that were there, and added ones that hold something."""
        added = range(self.columns.known, len(self.columns.headings))
        used = [at for at in added if any(len(c) > at and c[at] for c in self._cells.values())]
        return max(used, default=self.columns.known - 1) + 1

    def dump(self) -> bytes:
        return self._dumped(gaps=False)

    def dump_numbered(self) -> tuple[bytes, tuple[int, ...]]:
        return self._dumped(gaps=True), ()  # empty lines stand for rows that are left out

    def _dumped(self, *, gaps: bool) -> bytes:
        width = self._width()
        out: list[str] = []
        for number in self._order:
            if number in self._out:
                out.append(self.end * max(1, self._raw[number].count("\n")) if gaps else "")
                continue
            cells = self._cells[number]
            if number == self.table.heading_row and width > self.columns.known:
                out.append(self._line(self.columns.headings[:width]))
            elif number in self._changed:
                out.append(self._line((cells + [""] * width)[: max(width, 1)]))
            elif width > self.columns.known and any(c.strip() for c in cells) and number > self.table.heading_row:
                out.append(self._raw[number].rstrip("\r\n") + self.delimiter * (width - len(cells)) + self.end)
            else:
                out.append(self._raw[number])
        text = "".join(out)
        return text.encode("utf-8-sig" if self.bom else self.encoding)

    def _line(self, cells: Sequence[str]) -> str:
        return csv_line(map(shielded, cells), self.delimiter) + self.end


class WorkbookSheet:
    """A workbook; only the cells that are changed are touched. A row that is taken out is emptied, not closed up."""

    def __init__(self, data: bytes, file: str, columns: Mapping[str, str]) -> None:
        import openpyxl

        self.tables = read_tables(data, file)
        self.book = openpyxl.load_workbook(io.BytesIO(data))
        self._columns = {t.name: _Columns(t.headings, columns) for t in self.tables}
        self._of = {number: t for t in reversed(self.tables) for number, _ in t.rows}
        self._order = [number for t in self.tables for number, _ in t.rows]
        self._out: dict[int, list[Any]] = {}

    def rows(self) -> list[int]:
        return [number for number in self._order if number not in self._out]

    def cells(self, row: int) -> dict[str, str]:
        columns = self._columns[self._of[row].name]
        names = [mean or heading for mean, heading in zip(columns.means, columns.headings, strict=True)]
        return {name: text for name in names if name and (text := self.get(row, name))}

    def add_row(self, cells: Mapping[str, str]) -> int:
        table = self._table_for(cells)
        number = max(int(self.book[table.name].max_row) + 1, *(row + 1 for row in self._order))
        self._of[number] = table
        self._order.append(number)
        for meaning, text in cells.items():
            if meaning != "site" or "site" in self._columns[table.name].means or table.name != text:
                self.set(number, meaning, text)
        return number

    def _table_for(self, cells: Mapping[str, str]) -> Table:
        """The sheet that stands for the site, else the first one with devices."""
        site = plain_name(cells.get("site", ""))
        return next((t for t in self.tables if plain_name(t.name) == site), self.tables[0])

    def remove_row(self, row: int) -> None:
        self._order.remove(row)
        self.book[self._of.pop(row).name].delete_rows(row)  # it is the last one, so that nothing moves

    def take_out(self, row: int) -> None:
        if row not in self.rows():
            raise KeyError(row)
        cells = self.book[self._of[row].name][row]
        self._out[row] = [cell.value for cell in cells]
        for cell in cells:
            cell.value = None

    def put_back(self, row: int) -> None:
        cells = self.book[self._of[row].name][row]
        for cell, value in zip(cells, self._out.pop(row), strict=False):
            cell.value = value

    def get(self, row: int, meaning: str) -> str | None:
        table = self._of[row]
        at = self._columns[table.name].index(meaning)
        value = self.book[table.name].cell(row, at + 1).value if at is not None else None
        return str(value).strip() or None if value is not None else None

    def set(self, row: int, meaning: str, text: str | None) -> None:
        table = self._of[row]
        columns = self._columns[table.name]
        at = columns.index(meaning, add=True)
        assert at is not None
        sheet = self.book[table.name]
        cell = sheet.cell(row, at + 1)
        cell.value = text
        if at >= columns.known:
            below = (sheet.cell(number, at + 1).value for number, t in self._of.items() if t is table)
            sheet.cell(table.heading_row, at + 1).value = columns.headings[at] if any(below) else None
        if text:
            cell.data_type = "s"  # a text that begins with = is no formula

    def dump(self) -> bytes:
        out = io.BytesIO()
        self.book.save(out)
        return out.getvalue()

    def dump_numbered(self) -> tuple[bytes, tuple[int, ...]]:
        return self.dump(), ()


class MappingSheet:
    """A YAML or JSON list of devices."""

    def __init__(self, data: bytes, file: str, columns: Mapping[str, str]) -> None:
        (self.table,) = read_tables(data, file)
        self.json = file.lower().endswith(".json")
        text, _ = decoded(data, file)
        self._yaml = None if self.json else YamlText(text, file, 8_000_000)
        self.data: Any = self._yaml.data if self._yaml else json.loads(text)
        self._body = self.data.get("devices", self.data) if isinstance(self.data, Mapping) else self.data
        entries = self._body if isinstance(self._body, list) else list(self._body.values())
        self.columns = _Columns(self.table.headings, columns)
        self._entries = {number: entry for (number, _), entry in zip(self.table.rows, entries, strict=True)}
        self._names = {number: "" for number in self._entries}
        if not isinstance(self._body, list):
            self._names = dict(zip(self._entries, map(str, self._body), strict=True))
        self._out: set[int] = set()

    def rows(self) -> list[int]:
        return [number for number in self._entries if number not in self._out]

    def cells(self, row: int) -> dict[str, str]:
        own = {"hostname": self._names[row]} if self._names[row] else {}
        said = {self.columns.meaning(key) or key: value for key, value in flat(self._entries[row])}
        return own | {name: text for name, value in said.items() if (text := _written(name, value))}

    def add_row(self, cells: Mapping[str, str]) -> int:
        self._touch()
        number = max(self._entries, default=0) + 1
        self._entries[number] = CommentedMap() if self._yaml else {}
        self._names[number] = "" if isinstance(self._body, list) else cells.get("hostname", f"new{number}")
        for meaning, text in cells.items():
            if meaning != "hostname" or not self._names[number]:
                self.set(number, meaning, text)
        self._insert(number)
        return number

    def remove_row(self, row: int) -> None:
        self.take_out(row)
        self._out.discard(row)
        del self._entries[row], self._names[row]

    def take_out(self, row: int) -> None:
        at = self.rows().index(row) if row in self.rows() else None
        if at is None:
            raise KeyError(row)
        self._touch()
        if isinstance(self._body, list):
            self._body.pop(at)
        else:
            self._body.pop(self._names[row])
        self._out.add(row)

    def put_back(self, row: int) -> None:
        self._out.discard(row)
        self._insert(row)

    def _insert(self, row: int) -> None:
        """Put an entry where its row stands among those that are there."""
        at, entry = self.rows().index(row), self._entries[row]
        if isinstance(self._body, list):
            self._body.insert(at, entry)
        elif isinstance(self._body, CommentedMap):
            self._body.insert(at, self._names[row], entry)
        else:
            self._body[self._names[row]] = entry
            after = [self._names[n] for n in self.rows()[at + 1 :]]
            for name in after:
                self._body[name] = self._body.pop(name)

    def _touch(self) -> None:
        if self._yaml:
            self._yaml.touch()

    def _home(self, row: int, meaning: str) -> tuple[Any, str]:
        at = self.columns.index(meaning)
        path = self.columns.headings[at].split(".") if at is not None else [meaning]
        entry = self._entries[row]
        whole = ".".join(path)
        if whole in entry:
            return entry, whole
        while len(path) > 1 and isinstance(entry.get(path[0]), dict):
            entry = entry[path.pop(0)]
        return entry, ".".join(path)

    def get(self, row: int, meaning: str) -> str | None:
        if meaning == "hostname" and self._names[row] and "hostname" not in self._entries[row]:
            return self._names[row]
        home, key = self._home(row, meaning)
        value = home.get(key)
        return None if value is None else as_text(value)

    def set(self, row: int, meaning: str, text: str | None) -> None:
        self._touch()
        home, key = self._home(row, meaning)
        if text is None:
            home.pop(key, None)
        else:
            home[key] = text

    def dump(self) -> bytes:
        if self.json:
            return (json.dumps(self.data, indent=2, ensure_ascii=False) + "\n").encode()
        assert self._yaml is not None
        return self._yaml.dump().encode()

    def dump_numbered(self) -> tuple[bytes, tuple[int, ...]]:
        return self.dump(), tuple(self.rows())  # a value more moves all lines below it


def _written(name: str, value: Any) -> str:
    """A value of a mapping as a cell would hold it."""
    if value is None:
        return ""
    if isinstance(value, list | Mapping) and name in SETTINGS and refusal(SETTINGS[name].parse, value) is None:
        return SETTINGS[name].text(SETTINGS[name].parse(value))
    return as_text(value)


def open_sheet(data: bytes, file: str, columns: Mapping[str, str]) -> Sheet:
    """The build sheet as a document, by what kind of file it is; raises UnreadableError."""
    if data[:4] == b"PK\x03\x04":
        return WorkbookSheet(data, file, columns)
    if file.lower().endswith((".yaml", ".yml", ".json")):
        return MappingSheet(data, file, columns)
    return CsvSheet(data, file, columns)
