"""A draft as the YAML of a phrasebook: a short mapping in one row, a long one a key a row."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

WIDTH = 118
_BARE = re.compile(r"[A-Za-z/][A-Za-z0-9 /_.-]*[A-Za-z0-9_.-]|[A-Za-z]")
_WORDS = frozenset("yes no on off true false null none y n".split())


def yaml_of(draft: Mapping[str, Any], notes: Mapping[str, Iterable[str]]) -> str:
    """The text; `notes` are remarks before a section's or an entry's row, by its path with dots."""
    rows: list[str] = []
    for key, value in draft.items():
        if rows and isinstance(value, Mapping | list):
            rows.append("")
        rows += [f"# {note}" for note in notes.get(key, ())]
        rows += _entry(key, value, 0, key, notes)
    return "\n".join(rows) + "\n"


def _entry(key: str, value: Any, depth: int, path: str, notes: Mapping[str, Iterable[str]]) -> list[str]:
    pad, name = "  " * depth, scalar(key)
    short = flow(value)
    if short is not None and len(pad) + len(name) + 2 + len(short) <= WIDTH and not _holds_notes(path, notes):
        return [f"{pad}{name}: {short}"]
    if isinstance(value, str):
        if "\n" in value or _is_crowded(value):
            return [f"{pad}{name}: |", *(f"{pad}  {row}".rstrip() for row in value.rstrip("\n").split("\n"))]
        return [f"{pad}{name}: {scalar(value)}"]
    rows = [f"{pad}{name}:"]
    if isinstance(value, Mapping):
        for inner, entry in value.items():
            below = f"{path}.{inner}"
            rows += [f"{pad}  # {note}" for note in notes.get(below, ())]
            rows += _entry(inner, entry, depth + 1, below, notes)
        return rows
    for number, entry in enumerate(value):
        rows += [f"{pad}  # {note}" for note in notes.get(f"{path}.{number}", ())]
        rows += _item(entry, depth + 1, f"{path}.{number}", notes)
    return rows


def _item(value: Any, depth: int, path: str, notes: Mapping[str, Iterable[str]]) -> list[str]:
    pad, short = "  " * depth, flow(value)
    if short is not None and (len(pad) + 2 + len(short) <= WIDTH or not isinstance(value, Mapping)):
        return [f"{pad}- {short}"]
    rows = [row for key, entry in value.items() for row in _entry(key, entry, depth + 1, f"{path}.{key}", notes)]
    rows[0] = f"{pad}- {rows[0].lstrip()}"
    return rows


def _holds_notes(path: str, notes: Mapping[str, Iterable[str]]) -> bool:
    return any(at.startswith(f"{path}.") for at in notes)


def flow(value: Any) -> str | None:
    """A value in one row; None for one that holds a text of several."""
    if isinstance(value, Mapping):
        inner = [(scalar(str(key)), flow(entry)) for key, entry in value.items()]
        if any(text is None for _, text in inner):
            return None
        return "{" + ", ".join(f"{key}: {text}" for key, text in inner) + "}"
    if isinstance(value, list):
        texts = [flow(entry) for entry in value]
        return None if any(text is None for text in texts) else "[" + ", ".join(filter(None, texts)) + "]"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return str(value)
    text = str(value)
    return None if "\n" in text or _is_crowded(text) else scalar(text)


def _is_crowded(text: str) -> bool:
    """Whether quotes of both kinds would have to be doubled: it reads better in a row below."""
    return len(text) > 60 and "'" in text and '"' in text


def scalar(text: str) -> str:
    """A text, quoted where YAML would read it otherwise."""
    if _BARE.fullmatch(text) and text.lower() not in _WORDS and ": " not in text and " #" not in text:
        return text
    if "'" in text and '"' not in text and "\\" not in text:
        return f'"{text}"'
    return "'" + text.replace("'", "''") + "'"
