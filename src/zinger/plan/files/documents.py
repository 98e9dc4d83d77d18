"""`job.yaml` as a document that can be changed in place: comments, order and what is not touched stay as they are.

Nothing here reads or writes a disk. The build sheet is `sheetdocs`'s.
"""

from __future__ import annotations

import csv
import difflib
import io
from collections.abc import Iterable, Sequence
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq

from zinger.plan.files.cells import shielded
from zinger.plan.files.yamlfile import TOO_LARGE, UnreadableError, load_yaml
from zinger.plan.raw import JOB_FILE


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
        return None if value is None else as_text(value)

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


def as_text(value: Any) -> str:
    """A value of YAML or JSON as a cell would hold it."""
    if isinstance(value, list):
        return "; ".join(as_text(v) for v in value)
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
    lines = [csv_line(headings), *(csv_line(map(shielded, row)) for row in rows)]
    return "".join(f"{line}\n" for line in lines).encode()


def csv_line(cells: Iterable[str], delimiter: str = ",") -> str:
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
