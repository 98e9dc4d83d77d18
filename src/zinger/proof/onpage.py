"""Facts from a page: what stands in a field, beside a label, in a table's columns, or at a place in JSON."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zinger.phrasebook.book import Take, is_pattern
from zinger.phrasebook.document import Document, Field, Table, at_path, plain, same_label, written
from zinger.proof.fact import Fact, facts_of


def on_page(wanted: Take, page: Document) -> Iterator[Fact]:
    """What is to be taken of a page, with where it stands there as evidence."""
    ways = {"field": _field, "fields": _fields, "row": _row, "json": _json, "": _table}
    yield from ways[wanted.source](wanted, page)


def _part(wanted: Take, value: str, evidence: str, groups: dict[str, str] | None = None) -> Iterator[Fact]:
    """The part of a value that the pattern finds."""
    if match := wanted.pattern.search(value):
        found = {name: (text or "").strip() for name, text in match.groupdict().items()}
        yield from facts_of(wanted, {**(groups or {}), **found}, evidence)


def _field(wanted: Take, page: Document) -> Iterator[Fact]:
    """The field that is called so; else every field whose name is matched by it as a pattern, in order."""
    one = page.field(wanted.called)
    if one is not None:
        yield from _standing(wanted, one, {}, page)
        return
    for form in page.forms if is_pattern(wanted.called) else ():
        for field in form.fields:
            if match := re.fullmatch(wanted.called, field.name[:200]):
                yield from _standing(wanted, field, match.groupdict(default=""), page)


def _standing(wanted: Take, field: Field, groups: dict[str, str], page: Document) -> Iterator[Fact]:
    if field.kind != "password":
        yield from _part(wanted, field.shown, f"{field.words}: {field.shown} · {page.words}", groups)


def _fields(wanted: Take, page: Document) -> Iterator[Fact]:
    """One fact of several fields; nothing where one of them is not there."""
    found = {name: page.field(called) for name, called in wanted.columns.items()}
    there = {name: field for name, field in found.items() if field is not None and field.kind != "password"}
    if len(there) == len(found):
        shown = ", ".join(f"{field.words}: {field.shown}" for field in there.values())
        yield from facts_of(wanted, {name: field.shown for name, field in there.items()}, f"{shown} · {page.words}")


def _row(wanted: Take, page: Document) -> Iterator[Fact]:
    for label, value in dict.fromkeys(page.pairs):
        if value and same_label(label, wanted.called):
            yield from _part(wanted, value, f"{label}: {value} · {page.words}")


def _json(wanted: Take, page: Document) -> Iterator[Fact]:
    for entry in at_path(page.data, wanted.called):
        where = f"{wanted.called}: "
        if not wanted.columns:
            text = written(entry)
            yield from _part(wanted, text, f"{where}{text} · {page.path}")
            continue
        cells = {
            name: ", ".join(written(value) for value in at_path(entry, path)) for name, path in wanted.columns.items()
        }
        yield from facts_of(wanted, cells, where + ", ".join(f"{k} {v}" for k, v in cells.items()) + f" · {page.path}")


def _table(wanted: Take, page: Document) -> Iterator[Fact]:
    """The rows under the heading that has all columns, of tables that the pattern names by caption or heading."""
    for table in page.tables:
        yield from _rows(wanted, table, page)


def _rows(wanted: Take, table: Table, page: Document) -> Iterator[Fact]:
    at: dict[str, int] | None = None
    for row in table.rows:
        heads = {name: _index(row, heading) for name, heading in wanted.columns.items()}
        if all(index is not None for index in heads.values()):
            named = wanted.pattern.search(table.caption) or wanted.pattern.search("  ".join(row))
            at = {name: index for name, index in heads.items() if index is not None} if named else None
        elif at is not None:
            cells = {name: row[index] if index < len(row) else "" for name, index in at.items()}
            yield from facts_of(wanted, cells, f"{'  '.join(row)} · {page.words}")


def _index(row: tuple[str, ...], heading: str) -> int | None:
    return next((index for index, cell in enumerate(row) if same_label(cell, plain(heading))), None)
