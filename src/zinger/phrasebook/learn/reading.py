"""Where the device shows what was planned: fields, rows, tables and JSON of its pages, held against the plan."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from zinger.phrasebook.document import Document, Table, plain, written
from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.labelled import named_by, told_apart
from zinger.phrasebook.learn.likeness import likeness
from zinger.phrasebook.learn.matching import Match, Matched, Slot, _leaves, match_slots, slot_of
from zinger.phrasebook.learn.values import Part
from zinger.plan.owners import same_identity
from zinger.plan.values.account import Account
from zinger.plan.values.item import Item

BETWEEN = " / "
"""What stands between the parts of a fact."""


@dataclass
class Found:
    """How one setting is read at one place: the take, what it must show, and how it is compared."""

    take: dict[str, Any]
    shows: str = "{{ value }}"
    holds: str = ""
    worth: float = 0.0
    guesses: tuple[str, ...] = ()
    """What of it was concluded, not seen."""


@dataclass
class Readings:
    """All that one page shows of the plan, by setting."""

    by_setting: dict[str, Found] = field(default_factory=dict)
    identity: dict[str, dict[str, Any]] = field(default_factory=dict)


def shown_on(page: Document, parts: Sequence[Part], values: Mapping[str, object], serial: str, mac: str) -> Readings:
    """What a page shows; `values` are the planned values by setting."""
    readings = Readings()
    for how, slots in _sources(page):
        found = Matched(Deed("open", seen=None, before=None, after=page))  # type: ignore[arg-type]  # nothing was sent
        match_slots(slots, [part for part in parts if not part.secret], {}, found)
        by_setting: dict[str, list[Match]] = {}
        for match in found.matches:
            by_setting.setdefault(match.part.setting, []).append(match)
        for setting, matches in by_setting.items():
            if not _covers(matches, values[setting]):
                continue
            _better(readings, setting, _read(how, matches, values[setting]))
        for slot in slots:
            for what, planned in (("serial", serial), ("mac", mac)):
                if planned and slot.value and same_identity(slot.value, planned):
                    readings.identity.setdefault(what, {how: slot.key})
    for setting, value in values.items():
        entries = value if isinstance(value, tuple) else (value,)
        mine = [part for part in parts if part.setting == setting]
        for rows in _row_sources(page):
            if (rowed := _in_rows(rows, mine, entries)) is not None:
                _better(readings, setting, rowed)
    return readings


def _covers(matches: Sequence[Match], value: object) -> bool:
    """Whether all entries of a list are there: each, or the list in one."""
    entries = {match.part.entry for match in matches}
    return not isinstance(value, tuple) or None in entries or len(entries) == len(value)


def _better(readings: Readings, setting: str, found: Found) -> None:
    known = readings.by_setting.get(setting)
    if known is None or found.worth > known.worth:
        readings.by_setting[setting] = found


def _sources(page: Document) -> Iterator[tuple[str, list[Slot]]]:
    """The ways in which a page shows single values."""
    if page.data is not None:
        yield "json", [_with_entries(slot) for slot in _leaves(page.data)]
        return
    fields = [
        replace(slot_of(form, one, one.shown, True), loose=True)
        for form in page.forms
        for one in form.shown_fields
        if one.kind not in ("password", "file")
    ]
    yield "field", fields
    labels = [label for label, _ in dict.fromkeys(page.pairs)]
    rows = [
        Slot(label, label, "", value.strip())
        for label, value in dict.fromkeys(page.pairs)
        if value.strip() and labels.count(label) == 1 and len(label) < 60
    ]
    named = {slot.label for slot in fields}
    yield "row", [slot for slot in rows if slot.label not in named]


def _with_entries(slot: Slot) -> Slot:
    """A list of JSON is read entry by entry."""
    if isinstance(slot.raw, list):
        return Slot(f"{slot.key}[]", slot.label, slot.name, slot.value, raw=slot.raw)
    return Slot(slot.key, slot.label, slot.name, slot.value, is_tick=slot.is_tick, raw=slot.raw)


def _read(how: str, matches: list[Match], value: object) -> Found:
    """One setting from the slots that are its parts."""
    worth = sum(match.worth for match in matches)
    if len(matches) == 1:
        return _from_one(how, matches[0])
    if how == "row":  # rows are taken one by one
        return _from_one(how, max(matches, key=lambda match: match.worth))
    parts = {match.part.name: match for match in matches}
    if all(match.part.entry is None for match in matches) and {"ip", "prefix"} <= parts.keys():
        as_length = "{{ l }}" if parts["prefix"].template == "{{ value.prefix }}" else "{{ l | prefix }}"
        names = {"a": parts["ip"].slot.key, "l": parts["prefix"].slot.key}
        return Found(_several(how, names, "{{ a }}/" + as_length), "{{ value.ip }}/{{ value.prefix }}", worth=worth)
    entries: dict[int | None, dict[str, Match]] = {}
    for match in sorted(matches, key=lambda m: m.part.entry if m.part.entry is not None else -1):
        entries.setdefault(match.part.entry, {})[match.part.name] = match
    every = [name for name in next(iter(entries.values())) if all(name in one for one in entries.values())]
    if not every:
        return _from_one(how, matches[0])
    names, rows = {}, []
    for number, one in enumerate(entries.values()):
        keys = [f"{chr(97 + at)}{number or ''}" for at in range(len(every))]
        names |= {key: one[name].slot.key for key, name in zip(keys, every, strict=True)}
        rows.append(BETWEEN.join(f"{{{{ {key} }}}}" for key in keys))
    take = _several(how, names, ";".join(rows))
    if len(entries) > 1:
        take["split"] = ";"
    first = next(iter(entries.values()))
    shows = BETWEEN.join(first[name].template for name in every)
    kept = [match for one in entries.values() for name, match in one.items() if name in every]
    if isinstance(value, tuple) and (by := named_by(kept, value)):
        take["value"], shows = told_apart(take["value"], shows, kept, value, by)
        return Found(take, shows, "in any order", worth)
    return Found(take, shows, worth=worth)


def _from_one(how: str, one: Match) -> Found:
    take: dict[str, Any] = {how: one.slot.key}
    whole = isinstance(one.part.value, tuple) and one.part.entry is None
    if whole and not (how == "json" and isinstance(one.slot.raw, list)):
        take["split"] = "[,; ]+"
    elif one.slot.offers and one.slot.shown.startswith(f"{one.part.value} "):
        take["line"] = r"^(?P<value>\S+)"  # what is offered says more than the value
    return Found(take, _of_entry(one) if whole else one.template, worth=one.worth)


def _of_entry(match: Match) -> str:
    """What one entry of a whole list shows."""
    attribute = re.search(r"attribute='(\w+)'", match.template)
    return f"{{{{ value.{attribute[1]} }}}}" if attribute else "{{ value }}"


def _several(how: str, names: Mapping[str, str], value: str) -> dict[str, Any]:
    if how == "json":
        common = _common_path(list(names.values()))
        inner = {key: path.removeprefix(common).lstrip(".") for key, path in names.items()}
        return {"json": common.rstrip(".") or "", "columns": inner, "value": value}
    return {"fields": dict(names), "value": value}


def _common_path(paths: list[str]) -> str:
    heads = [path.split(".")[:-1] for path in paths]
    common = []
    for parts in zip(*heads, strict=False):
        if len(set(parts)) > 1:
            break
        common.append(parts[0])
    return ".".join(common)


# -- tables and lists of JSON ----------------------------------------------------------------------------
@dataclass(frozen=True)
class Rows:
    """Rows of cells under headings: of a table, or the entries of a list in JSON."""

    take: Mapping[str, Any]
    heads: tuple[str, ...]
    cells: tuple[tuple[str, ...], ...]


def _row_sources(page: Document) -> Iterator[Rows]:
    for table in page.tables:
        if len(table.rows) > 1 and all(table.rows[0]):
            yield Rows({"table": _named(table)}, table.rows[0], table.rows[1:])
    for path, entries in _lists(page.data):
        heads = tuple(dict.fromkeys(key for entry in entries for key in entry))
        cells = tuple(tuple(written(entry.get(head)) for head in heads) for entry in entries)
        yield Rows({"json": f"{path}[]"}, heads, cells)


def _named(table: Table) -> str:
    return f"^{re.escape(table.caption)}$".replace("\\ ", " ") if table.caption else "."


def _lists(data: Any, path: str = "") -> Iterator[tuple[str, list[dict[str, Any]]]]:
    if isinstance(data, dict):
        for key, value in data.items():
            yield from _lists(value, f"{path}.{key}" if path else str(key))
    elif isinstance(data, list) and data and all(isinstance(entry, dict) for entry in data):
        yield path, data


def _in_rows(rows: Rows, parts: Sequence[Part], entries: Sequence[object]) -> Found | None:
    """A setting whose entries are rows: those cells that show a part, and those that go with one."""
    if not entries or not (any(part.of_items for part in parts) or isinstance(entries[0], Account)):
        return None
    lines: list[tuple[int, tuple[str, ...], dict[int, Part]]] = []
    for index, _ in enumerate(entries):
        mine = [part for part in parts if part.entry in (index, None) and not part.secret]
        best = max(((_cells(row, rows.heads, mine), row) for row in rows.cells), key=lambda f: len(f[0]), default=None)
        if best is None or not _tells(best[0], best[1]):
            return None
        lines.append((index, best[1], best[0]))
    shown = {at: part.name for _, _, found in lines for at, part in found.items()}
    shown = {at: name for at, name in shown.items() if all(at in found for _, _, found in lines)}
    if not shown:
        return None
    writes: dict[int, str] = {}
    guesses: list[str] = []
    with_words: list[str] = []
    for at, head in enumerate(rows.heads):
        column = [row[at] for _, row, _ in lines]
        if at in shown:
            writes[at] = _template(parts, shown[at], column[0], entries[0])
        elif isinstance(entries[0], Account) and column[0]:
            writes[at] = column[0]
        elif (words := goes_with(head, column, entries, [*shown.values(), *with_words], parts[0].setting)) is not None:
            writes[at], guessed = words
            with_words.append(guessed)
            guesses.append(f"the column {head!r} as {guessed}")
    keys = {at: f"c{n}" for n, at in enumerate(writes)}
    columns = {key: plain(rows.heads[at]) for at, key in keys.items()}
    value = BETWEEN.join(f"{{{{ {keys[at]} }}}}" for at in writes)
    take = {**rows.take, "columns": columns, "value": value}
    likely = sum(likeness(rows.heads[at], "", parts[0].setting, name) for at, name in shown.items())
    worth = 4.0 * len(shown) + likely + len(writes)
    return Found(take, BETWEEN.join(writes.values()), "among others", worth, tuple(guesses))


def _cells(row: tuple[str, ...], heads: tuple[str, ...], parts: Sequence[Part]) -> dict[int, Part]:
    found: dict[int, Part] = {}
    used: set[str] = set()
    ranked = sorted(
        (
            (-likeness(heads[at] if at < len(heads) else "", "", part.setting, part.name), at, part.name, part)
            for at, cell in enumerate(row)
            for part in parts
            if cell and any(writing.text == cell for writing in part.writings)
        ),
        key=lambda one: one[:3],
    )
    for _, at, name, part in ranked:
        if at not in found and name not in used:
            found[at] = part
            used.add(name)
    return found


def _tells(found: dict[int, Part], row: tuple[str, ...]) -> bool:
    """Whether the cells tell that it is the entry: a text, or two of its numbers."""
    return len(found) > 1 or any(re.search(r"[A-Za-z]{2}|\d+\.\d+\.", row[at]) for at in found)


def _template(parts: Sequence[Part], name: str, cell: str, entry: object) -> str:
    part = next(part for part in parts if part.name == name and any(w.text == cell for w in part.writings))
    template = next(w.template for w in part.writings if w.text == cell)
    return or_nothing(template, name, entry)


def or_nothing(template: str, name: str, entry: object) -> str:
    """A part that may be left out is written as nothing then."""
    if not isinstance(entry, Item) or not name or type(entry).model_fields[name].is_required():
        return template
    return re.sub(r"\{\{ (value\.\w+) \}\}", r"{{ \1 or '' }}", template)


def goes_with(
    label: str, column: Sequence[str], entries: Sequence[object], used: Sequence[str], setting: str
) -> tuple[str, str] | None:
    """The template of a column that has another word for each word of a part, and the part: the likeliest one."""
    if not isinstance(entries[0], Item):
        return None
    free = [name for name in type(entries[0]).model_fields if name not in used]
    for name in sorted(free, key=lambda one: (-likeness(label, "", setting, one), free.index(one))):
        of = [getattr(entry, name) for entry in entries]
        pairs = list(dict.fromkeys(zip(of, column, strict=True)))
        apart = len({a for a, _ in pairs}) == len(pairs) == len({b for _, b in pairs})
        if len(pairs) > 1 and apart and all(isinstance(a, str | bool) for a, _ in pairs):
            return words_for(name, pairs), name
    return None


def words_for(name: str, pairs: Sequence[tuple[object, str]]) -> str:
    """The template that writes a part by the family's words."""
    told = dict(pairs)
    if set(told) == {True, False}:
        return f"{{{{ value.{name} | flag({told[True]!r}, {told[False]!r}) }}}}"
    words = ", ".join(f"{key!r}: {word!r}" for key, word in told.items())
    return f"{{{{ value.{name} | in_words({{{words}}}) }}}}"
