"""Entries that the labels of their fields tell apart: `Channel at 2.4 GHz`, where 2.4 is the band of the first."""

from __future__ import annotations

import re
from collections.abc import Sequence

from zinger.phrasebook.learn.matching import Match
from zinger.plan.values.item import Item

_HERE = "\0"


def named_by(matches: Sequence[Match], entries: Sequence[object]) -> str:
    """The part that the labels have in them, so that they are alike without it; nothing where no part does."""
    by_entry: dict[int, list[Match]] = {}
    for match in matches:
        if match.part.entry is None or match.part.name == "":
            return ""
        by_entry.setdefault(match.part.entry, []).append(match)
    if len(by_entry) < 2 or not all(isinstance(entry, Item) for entry in entries):
        return ""
    said = {match.part.name for match in matches}
    for name in [field for field in type(entries[0]).model_fields if field not in said]:  # type: ignore[attr-defined]
        labels = [
            {match.part.name: neutral(match.slot.key, str(getattr(entries[at], name))) for match in of}
            for at, of in by_entry.items()
        ]
        if all(_HERE in label for of in labels for label in of.values()) and all(of == labels[0] for of in labels):
            return str(name)
    return ""


def neutral(label: str, text: str) -> str:
    """A label with a mark where the text stands as a word of it."""
    return re.sub(rf"(?<![\w.]){re.escape(text)}(?![\w.])", _HERE, label, count=1) if text else label


def rows_of(matches: Sequence[Match], entries: Sequence[object], name: str, order: Sequence[str]) -> str:
    """What fills them: a row a field, for every entry."""
    first = [match for match in matches if match.part.entry == matches[0].part.entry]
    first.sort(key=lambda match: order.index(match.slot.key) if match.slot.key in order else 0)
    rows = ["{% for entry in value %}"]
    for match in first:
        label = neutral(match.slot.key, str(getattr(entries[match.part.entry or 0], name)))
        said = re.sub(r"\bvalue\.", "entry.", match.template)
        rows.append(f"{label.replace(_HERE, f'{{{{ entry.{name} }}}}')} = {said}")
    return "\n".join([*rows, "{% endfor %}"])


def told_apart(
    value: str, shows: str, matches: Sequence[Match], entries: Sequence[object], name: str
) -> tuple[str, str]:
    """What is read and must be shown, each entry with the part that its labels have."""
    order = sorted({match.part.entry or 0 for match in matches})
    rows = [f"{getattr(entries[at], name)} / {row}" for at, row in zip(order, value.split(";"), strict=True)]
    return ";".join(rows), f"{{{{ value.{name} }}}} / {shows}"
