"""The job's two files as documents that can be changed in place: what is not touched stays as somebody wrote it.

CSV keeps its delimiter, encoding, quoting, unknown columns and line ends; YAML its comments and order; a workbook its
other sheets. Nothing here reads or writes a disk.
"""

from __future__ import annotations

import csv
import difflib
import io
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Protocol

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq

from zinger.plan.files.cells import shielded, unshielded
from zinger.plan.files.headings import IDENTITY, heading_for, meaning_of
from zinger.plan.files.tables import decoded, delimiter_of, read_tables
from zinger.plan.files.yamlfile import TOO_LARGE, UnreadableError, load_yaml
from zinger.plan.raw import JOB_FILE
from zinger.plan.settings import SETTINGS


class Sheet(Protocol):
    """A build sheet that can be changed; rows are named as in its tables, by their number."""

    def get(self, row: int, meaning: str) -> str | None:
        """The text of a cell; None when it is empty or there is no such column."""

    def set(self, row: int, meaning: str, text: str | None) -> None:
        """Change a cell; a column that is missing is added. Raises KeyError when there is no such row."""

    def rows(self) -> list[int]:
        """The numbers of the rows that hold devices."""

    def dump(self) -> bytes:
        """The whole file."""


class _Columns:
    """Where the columns are, by what they mean; new ones stand at the end."""

    def __init__(self, headings: Sequence[str], columns: Mapping[str, str]) -> None:
        self.headings = list(headings)
        self.means = [meaning_of(h, columns) for h in headings]
        self.known = len(self.headings)

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
        """A new row at the end, by what its cells mean; returns its number."""
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
        """Take back a row that was added."""
        self._order.remove(row)
        self._changed.discard(row)
        del self._cells[row], self._raw[row]

    def take_out(self, row: int) -> None:
        """Leave a row out; raises KeyError when there is no such row."""
        if row not in self.rows():
            raise KeyError(row)
        self._out.add(row)

    def put_back(self, row: int) -> None:
        """Put a row back that was left out."""
        self._out.discard(row)

    def cells(self, row: int) -> dict[str, str]:
        """What stands in a row, by what its columns mean (or by heading)."""
        names = [mean or heading for mean, heading in zip(self.columns.means, self.columns.headings, strict=True)]
        return {name: cell for name, cell in zip(names, self._cells[row], strict=False) if cell}

    def _width(self) -> int:
        """The columns to write: those that were there, and added ones that hold something."""
        added = range(self.columns.known, len(self.columns.headings))
        used = [at for at in added if any(len(c) > at and c[at] for c in self._cells.values())]
        return max(used, default=self.columns.known - 1) + 1

    def dump(self) -> bytes:
        return self._dumped(gaps=False)

    def dump_numbered(self) -> bytes:
        """The file with empty lines for rows that are left out, so that each row keeps its number."""
        return self._dumped(gaps=True)

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
        return _csv_line(map(shielded, cells), self.delimiter) + self.end


class WorkbookSheet:
    """A workbook; only the cells that are changed are touched."""

    def __init__(self, data: bytes, file: str, columns: Mapping[str, str]) -> None:
        import openpyxl

        self.tables = read_tables(data, file)
        self.book = openpyxl.load_workbook(io.BytesIO(data))
        self._columns = {t.name: _Columns(t.headings, columns) for t in self.tables}
        self._of = {number: t for t in reversed(self.tables) for number, _ in t.rows}

    def rows(self) -> list[int]:
        return [number for t in self.tables for number, _ in t.rows]

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
        if at >= columns.known:
            sheet.cell(table.heading_row, at + 1).value = columns.headings[at]
        cell = sheet.cell(row, at + 1)
        cell.value = text
        if text:
            cell.data_type = "s"  # a text that begins with = is no formula

    def dump(self) -> bytes:
        out = io.BytesIO()
        self.book.save(out)
        return out.getvalue()


class MappingSheet:
    """A YAML or JSON list of devices."""

    def __init__(self, data: bytes, file: str, columns: Mapping[str, str]) -> None:
        (self.table,) = read_tables(data, file)
        self.json = file.lower().endswith(".json")
        text, _ = decoded(data, file)
        self._yaml = None if self.json else YamlText(text, file, 8_000_000)
        self.data: Any = self._yaml.data if self._yaml else json.loads(text)
        body = self.data.get("devices", self.data) if isinstance(self.data, Mapping) else self.data
        entries = body if isinstance(body, list) else list(body.values())
        self.columns = _Columns(self.table.headings, columns)
        self._entries = {number: entry for (number, _), entry in zip(self.table.rows, entries, strict=True)}
        self._cells = dict(self.table.rows)

    def rows(self) -> list[int]:
        return list(self._entries)

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
        home, key = self._home(row, meaning)
        value = home.get(key)
        return None if value is None else str(value)

    def set(self, row: int, meaning: str, text: str | None) -> None:
        if self._yaml:
            self._yaml.touch()
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


def open_sheet(data: bytes, file: str, columns: Mapping[str, str]) -> Sheet:
    """The build sheet as a document, by what kind of file it is; raises UnreadableError."""
    if data[:4] == b"PK\x03\x04":
        return WorkbookSheet(data, file, columns)
    if file.lower().endswith((".yaml", ".yml", ".json")):
        return MappingSheet(data, file, columns)
    return CsvSheet(data, file, columns)


# -- job.yaml ------------------------------------------------------------------------------------------
def _yaml(like: str) -> YAML:
    """A writer that indents as a text does."""
    yaml = YAML(typ="rt")
    yaml.preserve_quotes = True
    yaml.width = 100_000
    lines = [line for line in like.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    depths = [len(line) - len(line.lstrip()) for line in lines]
    step = next(
        (
            b - a
            for a, b, line in zip(depths, depths[1:], lines[1:], strict=False)
            if b > a and not line.lstrip().startswith("- ")
        ),
        2,
    )
    dash = next((at for at, line in enumerate(lines) if line.lstrip().startswith("- ")), None)
    offset = 2 if dash is None else depths[dash] - (depths[dash - 1] if dash else 0)
    yaml.indent(mapping=max(step, 1), sequence=max(offset, 0) + 2, offset=max(offset, 0))
    return yaml


def dump_yaml(data: Any, like: str = "") -> str:
    """YAML text of loaded data, comments and order kept, indented like another text."""
    out = io.StringIO()
    _yaml(like).dump(data, out)
    return out.getvalue()


class YamlText:
    """A YAML text that can be changed through its data; what is not touched stays letter by letter."""

    def __init__(self, text: str, file: str, too_large: int) -> None:
        self.text = text
        self.data: Any = load_yaml(text, file, too_large)
        self._before = ""

    def touch(self) -> None:
        """To be called before the first change: remembers how the text would be written unchanged."""
        self._before = self._before or dump_yaml(self.data, self.text)

    def dump(self) -> str:
        """The text, changed only where the data was."""
        if not self._before:
            return self.text
        after = dump_yaml(self.data, self.text)
        if after == self._before:
            return self.text
        return after if self._before == self.text else _patched(self.text, self._before, after)


class JobDocument:
    """`job.yaml`, changed by path; raises UnreadableError when it can't be read."""

    def __init__(self, text: str, file: str = JOB_FILE) -> None:
        self._yaml = YamlText(text, file, TOO_LARGE)
        if not isinstance(self._yaml.data, CommentedMap):
            self._yaml.data = CommentedMap()
        self.data = self._yaml.data

    def _home(self, path: Sequence[str], make: bool) -> tuple[Any, Any] | None:
        """The mapping that holds the last step of a path, and its key there."""
        node: Any = self.data
        for at, step in enumerate(path):
            rest = ".".join(path[at:])
            if rest in node:
                return node, rest
            if at == len(path) - 1:
                break
            if not isinstance(node.get(step), CommentedMap):
                if not make:
                    return None
                node[step] = CommentedMap()
            node = node[step]
        return (node, path[-1]) if make else None

    def get(self, path: Sequence[str]) -> str | None:
        """The text at a path: a scalar, or a list as a cell would hold it."""
        home = self._home(path, make=False)
        value = home[0].get(home[1]) if home else None
        return None if value is None else _as_text(value)

    def raw(self, path: Sequence[str]) -> Any:
        """What stands at a path, as it was loaded."""
        home = self._home(path, make=False)
        return home[0].get(home[1]) if home else None

    def set(self, path: Sequence[str], value: Any) -> None:
        """Put a value at a path (text, or what `raw` returned), or take it away with None."""
        self._yaml.touch()
        home = self._home(path, make=value is not None)
        if home is None:
            return
        node, key = home
        if value is None:
            node.pop(key, None)
            return
        before = node.get(key)
        node[key] = _like(before, value) if isinstance(value, str) else value

    def place(self, path: Sequence[str]) -> tuple[int, int]:
        """How many steps of a path are there, and the place of the next one in its mapping (0 where it is not)."""
        node = self.data
        for depth, step in enumerate(path):
            if not isinstance(node, CommentedMap) or step not in node:
                return depth, 0
            if depth == len(path) - 1:
                return len(path), list(node).index(step)
            node = node[step]
        return len(path), 0

    def set_back(self, path: Sequence[str], value: Any, place: tuple[int, int]) -> None:
        """Put back what stood at a path: in its old order, and without the mappings that were made for it."""
        depth, index = place
        self.set(path, value)
        home = self._home(path, make=False)
        if value is not None and home is not None and depth == len(path) and list(home[0]).index(home[1]) != index:
            kept = home[0].pop(home[1])
            home[0].insert(index, home[1], kept)
        for end in range(len(path) - 1, depth, -1):
            made = self._home(path[:end], make=False)
            if made is not None and made[0].get(made[1]) == {}:
                made[0].pop(made[1])

    def dump(self) -> str:
        """The text, changed only where something was changed."""
        return self._yaml.dump()


def _scalar(text: str) -> Any:
    return int(text) if text.isdigit() and (text == "0" or not text.startswith("0")) else text


def _like(before: Any, text: str) -> Any:
    """A text in the shape of what stood there: a list or a mapping of items, in one line or in several."""
    parts = [part.strip() for part in text.split(";") if part.strip()]
    made: Any
    if (
        isinstance(before, CommentedMap)
        and all(" " in p and not p.startswith('"') for p in parts)
        and not any(isinstance(v, dict) for v in before.values())
    ):
        made = CommentedMap((_scalar(p.partition(" ")[0]), p.partition(" ")[2]) for p in parts)
    elif isinstance(before, CommentedMap | CommentedSeq) and '"' not in text:
        made = CommentedSeq(_scalar(p) for p in parts)
    else:
        return _scalar(text)
    if before.fa.flow_style():
        made.fa.set_flow_style()
    return made


def _as_text(value: Any) -> str:
    if isinstance(value, list):
        return "; ".join(_as_text(v) for v in value)
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(value)


def _patched(original: str, before: str, after: str) -> str:
    """Carry the difference between two renderings over to the text that they were rendered from."""
    old, base, new = (t.splitlines(keepends=True) for t in (original, before, after))
    place: dict[int, int] = {len(base): len(old)}
    for tag, i1, i2, j1, _ in difflib.SequenceMatcher(None, base, old, autojunk=False).get_opcodes():
        if tag == "equal" or i2 - i1:
            place |= {i1 + k: j1 + k for k in range(i2 - i1)}
    out: list[str] = []
    at = 0
    for tag, i1, i2, j1, j2 in difflib.SequenceMatcher(None, base, new, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        start, end = place.get(i1), place.get(i2)
        if start is None or end is None or start < at:
            return after
        out += [*old[at:start], *new[j1:j2]]
        at = end
    patched = "".join([*out, *old[at:]])
    try:
        same = dump_yaml(load_yaml(patched, JOB_FILE), original) == after
    except UnreadableError:
        same = False
    return patched if same else after


def table_to_csv(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    """A table as CSV in UTF-8 (RFC 4180, with line feeds)."""
    lines = [_csv_line(headings), *(_csv_line(map(shielded, row)) for row in rows)]
    return "".join(f"{line}\n" for line in lines).encode()


def _csv_line(cells: Iterable[str], delimiter: str = ",") -> str:
    """A record without its end; written as if that were CR LF, so that a cell with one of the two is quoted."""
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=delimiter, lineterminator="\r\n").writerow(cells)
    return out.getvalue()[:-2]


def table_to_workbook(headings: Sequence[str], rows: Sequence[Sequence[str]], title: str) -> bytes:
    """A table as a workbook, every cell as text, the headings fixed while one scrolls."""
    import openpyxl
    from openpyxl.styles import Font

    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "".join(c for c in title if c not in r"[]:*?/\\")[:31] or "devices"
    sheet.append(list(headings))
    for row in rows:
        sheet.append([None] * len(headings))
        for column, text in enumerate(row, 1):
            cell = sheet.cell(sheet.max_row, column)
            if text:
                cell.value = text
                cell.data_type = "s"  # a cell that begins with = is text too
            cell.number_format = "@"
    for column, heading in enumerate(headings, 1):
        sheet.cell(1, column).font = Font(bold=True)
        widest = max([len(heading), *(len(row[column - 1]) for row in rows if len(row) >= column)], default=8)
        sheet.column_dimensions[openpyxl.utils.get_column_letter(column)].width = min(48, widest + 2)
    sheet.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
