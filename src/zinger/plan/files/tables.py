"""Build sheets into tables, whatever they are: CSV with any delimiter and encoding, XLSX, YAML or JSON.

A table keeps every cell as it was written, with its row number. This module finds the headings; `headings` finds
what they mean. What can't be read at all is an error that points at the file and the row.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from zinger.plan.files.cells import Spoiled, cell_of, is_empty, unshielded, without_hostile
from zinger.plan.files.headings import known_headings, plain
from zinger.plan.files.yamlfile import CUT_BY_COMMA, UnreadableError, cut_by_comma, load_yaml
from zinger.plan.problems import Spot
from zinger.plan.settings import SETTINGS

TOO_LARGE = 20_000_000
"""Bytes; a sheet of 10,000 devices has about one million."""
_LOOK_FOR_HEADINGS = 20
_LOOK_FOR_DELIMITER = 100_000
_DELIMITERS = ",;\t|"

Cells = tuple[Any, ...]


class EmptySheetError(UnreadableError):
    """A sheet in which nothing stands."""


@dataclass(frozen=True)
class Table:
    """One sheet: headings, and rows of cells (text; lists and mappings from YAML and JSON) with their numbers.

    `name` is the sheet's own name within a workbook; `heading_row` its row, counted from 1 (0: it has none). `hidden`
    are the columns that nobody sees, by their index.
    """

    file: str
    headings: tuple[str, ...]
    rows: tuple[tuple[int, Cells], ...]
    heading_row: int = 1
    name: str = ""
    encoding: str = ""
    hidden: frozenset[int] = frozenset()

    def column(self, index: int) -> list[str]:
        """The values below a heading, as text."""
        found = (cells[index] for _, cells in self.rows if index < len(cells))
        return ["; ".join(map(str, cell)) if isinstance(cell, list) else str(cell) for cell in found]

    def cell_name(self, row: int, index: int) -> str:
        """A cell as spreadsheet programs name it: `G12`, in a workbook `Sheet!G12`."""
        return f"{self.name}!{letter(index)}{row}" if self.name else f"{letter(index)}{row}"

    def spot(self, row: int, index: int | None = None) -> Spot:
        """A row, or a cell of it by its heading and its name."""
        if index is None:
            return Spot(self.file, row, self.name)
        heading = self.headings[index] if index < len(self.headings) else ""
        key = f"{self.cell_name(row, index)} {heading}".rstrip() if self.heading_row else heading
        return Spot(self.file, row, key)

    def with_cells(self, texts: Mapping[tuple[int, int], str]) -> Table:
        """The table with other texts in some cells, by row number and column."""
        of_row: dict[int, dict[int, str]] = {}
        for (row, index), text in texts.items():
            of_row.setdefault(row, {})[index] = text

        def changed(number: int, cells: Cells) -> Cells:
            said = of_row.get(number, {})
            wide = max([len(cells), *(index + 1 for index in said)])
            return tuple(said.get(i, cells[i] if i < len(cells) else "") for i in range(wide)) if said else cells

        return replace(self, rows=tuple((number, changed(number, cells)) for number, cells in self.rows))


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
        from zinger.plan.files.workbooks import read_workbook  # here, since it takes long to load

        return read_workbook(data, file)
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
        odd = re.findall(r"[\x00-\x08\x0e-\x1f]", text)
        if odd and ("\0" in odd or len(odd) > len(text) // 100 + 20):  # one in a cell is told of with that cell
            line = text.count("\n", 0, text.index(odd[0])) + 1
            raise UnreadableError(
                Spot(file, line),
                f"this is not a text: it holds the character U+{ord(odd[0]):04X}",
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
            rows.append((before + 1, [unshielded(cell) for cell in cells]))
            before = lines.line_num
    except csv.Error as error:
        raise UnreadableError(
            Spot(file, before + 1), f"this line is not CSV: {error}", "Look for a quote left open"
        ) from None
    return table_of(file, rows, encoding=encoding)


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


# -- where the headings are ------------------------------------------------------------------------------
def table_of(
    file: str,
    rows: Iterable[tuple[int, Sequence[Any]]],
    name: str = "",
    encoding: str = "",
    hidden: frozenset[int] = frozenset(),
) -> Table:
    """Find the headings among the first rows (titles may stand above them), and take what is below."""
    made = ((number, tuple(map(cell_of, cells))) for number, cells in rows)
    filled = [(number, cells) for number, cells in made if not all(map(is_empty, cells))]
    if not filled:
        raise EmptySheetError(Spot(file, None, name), "the sheet has no rows", "Put the column headings in row 1")
    at = max(range(min(len(filled), _LOOK_FOR_HEADINGS)), key=lambda i: (_likely_headings(filled[i][1]), -i))
    first, headings = at, _texts(filled[at][1])
    if at + 1 < len(filled) and (both := _in_two_lines(filled, at)) is not None:
        first, headings = at + 1, both
    elif at and filled[at - 1][0] == filled[at][0] - 1:
        headings = _below_groups(_texts(filled[at - 1][1]), headings)
    width = max((i + 1 for i, text in enumerate(headings) if text), default=0)
    clean = tuple(without_hostile(text) for text in headings[:width])
    return Table(file, clean, tuple(filled[first + 1 :]), filled[first][0], name, encoding, hidden)


def _texts(cells: Cells) -> list[str]:
    return [" ".join(str(cell).split()) for cell in cells]


def _known(texts: Iterable[str]) -> int:
    known = known_headings()
    return sum(plain(text) in known for text in texts)


def _likely_headings(cells: Cells) -> tuple[int, int]:
    """How many headings of a row are known; of those with none, the row with most words and no number is likely."""
    texts = _texts(cells)
    words = [text for text in texts if text and not any(c.isdigit() for c in text)]
    return _known(texts), len(words) if len(words) == sum(map(bool, texts)) > 1 else 0


def _in_two_lines(filled: Sequence[tuple[int, Cells]], at: int) -> list[str] | None:
    """Headings that run over two lines (`Management` / `address`), joined; None if they do not."""
    (row, upper), (next_row, lower) = filled[at], filled[at + 1]
    above, below = _texts(upper), _texts(lower)
    if next_row != row + 1 or any(c.isdigit() for text in below for c in text):
        return None
    width = max(len(above), len(below))
    above, below = above + [""] * (width - len(above)), below + [""] * (width - len(below))
    joined = [a if a == b else f"{a} {b}".strip() for a, b in zip(above, below, strict=True)]
    return joined if _known(joined) > _known(above) else None


def _below_groups(groups: list[str], headings: list[str]) -> list[str]:
    """Headings below a line of groups: one that stands twice, or alone means nothing, takes its group before it."""
    if sum(map(bool, groups)) < 2:
        return headings  # a title
    known, group, found = known_headings(), "", []
    for index, text in enumerate(headings):
        group = groups[index] if index < len(groups) and groups[index] else group
        whole = f"{group} {text}".strip() if text != group else text
        twice = bool(text) and headings.count(text) > 1
        found.append(whole if text and (twice or (plain(text) not in known and plain(whole) in known)) else text)
    return found


# -- YAML and JSON ---------------------------------------------------------------------------------------
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
    flattened = [dict(flat(entry)) for entry in loaded]
    headings = tuple(dict.fromkeys(key for entry in flattened for key in entry))
    lines = _lines_of(loaded)
    rows = tuple((lines[i], tuple(cell_of(entry.get(h)) for h in headings)) for i, entry in enumerate(flattened))
    if not headings:
        raise UnreadableError(Spot(file), "the list has no devices", "Add a mapping for each device")
    return Table(file, tuple(map(without_hostile, headings)), rows, 0, "", encoding)


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


def flat(entry: Mapping[Any, Any], stem: str = "") -> Iterable[tuple[str, Any]]:
    """The values of a mapping by dotted keys; a value of a setting may itself be a mapping."""
    for key, value in entry.items():
        name = f"{stem}{key}"
        if isinstance(value, Mapping) and name not in SETTINGS:
            yield from flat(value, f"{name}.")
        elif value is None and cut_by_comma(entry):
            yield name, Spoiled("", *CUT_BY_COMMA, refused=True)
        else:
            yield name, value
