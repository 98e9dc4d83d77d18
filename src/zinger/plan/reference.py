"""`docs/settings.md`, written from the settings themselves: `make docs`. What can be planned, and how it is written."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from types import NoneType
from typing import Any, get_args

from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from zinger.plan.setting import Setting
from zinger.plan.settings import SETTINGS
from zinger.plan.values.item import Item, Items, kind_of
from zinger.plan.values.secrets import SecretRef
from zinger.plan.values.text import OneOf

_HEAD = """\
# What can be planned

Written by `make docs` from the code (`src/zinger/plan/subjects/*/settings.py`); do not edit it by hand. {count}
settings. Write a value in the sheet, in a column headed by the setting's name or one of its headings, or in `job.yaml`
under `baseline`, a site, a role or a family. Templates of a phrasebook have it as `value`; its parts as `value.PART`,
those of an entry of a list likewise. [families.md](families.md) says which family is told what.
"""


def text() -> str:
    """The whole document."""
    parts = [_HEAD.format(count=len(SETTINGS))]
    group = ""
    for setting in SETTINGS.values():
        if setting.stop.value != group:
            group = setting.stop.value
            parts.append(f"\n## {group[:1].upper() + group[1:]}")
        parts.append(_section(setting))
    return "\n".join(parts) + "\n"


def of_setting(setting: Setting[Any]) -> str:
    """The section of one setting, as plain text."""
    kind = kind_of(setting.parse)
    lines = [f"{setting.name}: {setting.title}", _form(setting, kind), _headings(setting)]
    lines += [f"  {name:<12} {what}{needed and f' ({needed})'}" for name, what, needed in _parts(kind)] if kind else []
    return "\n".join(lines).replace("`", "")


def _section(setting: Setting[Any]) -> str:
    kind = kind_of(setting.parse)
    lines = [f"\n### `{setting.name}`: {setting.title}", ""]
    lines.append(_form(setting, kind))
    lines.append(_headings(setting))
    if kind is not None:
        rows = [f"| `{name}` | {what} | {needed} |" for name, what, needed in _parts(kind)]
        lines += ["", "| part | what | |", "|---|---|---|", *rows]
    return "\n".join(lines)


def _headings(setting: Setting[Any]) -> str:
    headings = ", ".join(setting.columns) or "none but its name"
    return f"Headings: {headings}.{f' Standard: {setting.reference}.' if setting.reference else ''}"


def _form(setting: Setting[Any], kind: type[Item] | None) -> str:
    if kind is not None:
        what = " ".join((kind.__doc__ or "").split())
        many = "A list; each entry: " if isinstance(setting.parse, Items) else ""
        return f"{many}{what} Written like `{kind.example}`."
    if isinstance(setting.parse, OneOf):
        return f"One of {', '.join(f'`{word}`' for word in setting.parse.words)}."
    return " ".join((setting.parse.__doc__ or "").split()).replace("; raises BadValue.", ".")


def _parts(kind: type[Item]) -> Iterator[tuple[str, str, str]]:
    """Each part: its name, what it is and how it is written, and whether it is needed or what stands for it."""
    for name, described in kind.model_fields.items():
        where = "first, without its name" if name in kind.lead else f"`{name} ...`"
        default = described.default
        without = "" if default in (PydanticUndefined, None, "", ()) else f"else {_shown(default)}"
        needed = "needed" if described.is_required() else without
        yield name, f"{_what(kind, name, described)}; {where}", needed


def _shown(value: object) -> str:
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)


def _what(kind: type[Item], name: str, described: FieldInfo) -> str:
    """What a part holds, in words."""
    kinds = (described.annotation, *get_args(described.annotation))
    inner = [part for of in kinds for part in getattr(of, "__metadata__", ())]  # of `Annotated[...] | None`
    funcs = [getattr(part, "func", None) for part in (*described.metadata, *inner)]
    words = next((func.words for func in funcs if isinstance(func, OneOf)), ())
    if words:
        return "one of " + ", ".join(words)
    told = next((" ".join(func.__doc__.split()) for func in funcs if func is not None and func.__doc__), "")
    unit = f" in {kind.units[name]}" if name in kind.units else ""
    plain = [getattr(of, "__origin__", of) for of in kinds if of not in (None, NoneType)]
    if any(of is SecretRef for of in plain):
        return "the name of a vault entry, or `each device`"
    if any(of is bool for of in plain):
        return "yes or no; its name alone is yes"
    told = told.partition(". ")[0].partition("; raises ")[0].rstrip(".")
    words_of_it = told or ("a number" if int in plain else "a text")
    return words_of_it + (unit if not words_of_it.endswith(unit) else "")


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(text(), "utf-8")
