"""Names of ports as a sheet has them, `gi1-4,7` or `1/1/7`, into those that a family prints.

Letters before a number say what kind of port it is, and every family has its own; they are left out. Leading numbers
(stack member, slot) are left out or added where they can only be the first one. What fits none or several stays as it
is written, and the checks tell it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from zinger.plan.families import FamilyRules
from zinger.plan.model import Value
from zinger.plan.subjects.switching.settings import BINDINGS, LAGS, PORT_OPTIONS, PORTS, RING, UPLINKS
from zinger.plan.values.item import Item
from zinger.plan.values.ports import fold_ports

_FIELDS = {
    PORTS.name: "ports",
    PORT_OPTIONS.name: "ports",
    LAGS.name: "ports",
    UPLINKS.name: "ports",
    RING.name: "ports",
    BINDINGS.name: "port",
}
"""The settings that name ports, and the field that does."""


def as_the_family_prints(names: Sequence[str], known: tuple[str, ...]) -> tuple[str, ...]:
    """Each name as a family with these ports prints it; unchanged where none or several of its ports may be meant."""
    return tuple(_one(name, known) for name in names)


@lru_cache(maxsize=65536)
def _one(name: str, known: tuple[str, ...]) -> str:
    by_parts = _by_parts(known)
    if name in known:
        return name
    parts = _parts(name)
    if not parts:
        return name
    if parts in by_parts:
        return by_parts[parts]
    shorter = [by_parts[parts[cut:]] for cut in range(1, len(parts)) if parts[cut:] in by_parts and _first(parts[:cut])]
    if len(shorter) == 1:
        return shorter[0]
    longer = [port for own, port in by_parts.items() if own[-len(parts) :] == parts and len(own) > len(parts)]
    return longer[0] if len(longer) == 1 else name


@lru_cache(maxsize=256)
def _by_parts(known: tuple[str, ...]) -> Mapping[tuple[int, ...], str]:
    """A family's ports by their numbers; a number that two kinds of port share tells neither."""
    found: dict[tuple[int, ...], list[str]] = {}
    for port in known:
        found.setdefault(_parts(port), []).append(port)
    return {parts: ports[0] for parts, ports in found.items() if len(ports) == 1 and parts}


def _parts(name: str) -> tuple[int, ...]:
    """The numbers of a name, from the left: `gi1/0/7` is 1, 0, 7."""
    pieces = name.split("/")
    if not all(re.fullmatch(r"[A-Za-z]*\d+", piece) for piece in pieces):
        return ()
    return tuple(int(re.sub(r"\D", "", piece)) for piece in pieces)


def _first(parts: Iterable[int]) -> bool:
    """Whether these leading numbers can only mean the first member or slot."""
    return all(part in (0, 1) for part in parts)


def in_the_familys_names(value: Value, rules: FamilyRules | None) -> Value:
    """A value whose ports are named as the family prints them; its origin tells how they were written."""
    field = _FIELDS.get(value.setting.name)
    if field is None or rules is None or not rules.ports or not isinstance(value.value, tuple):
        return value
    return renamed(value, field, lambda item: rules.ports)


def renamed(value: Value, field: str, known: Callable[[Any], tuple[str, ...]]) -> Value:
    """A value with one field of ports of each item in the names of the family whose ports `known` gives."""
    items: list[Item] = []
    written: list[str] = []
    for item in value.value if isinstance(value.value, tuple) else ():
        names = getattr(item, field) or ()
        mapped = as_the_family_prints(names, known(item))
        if mapped != tuple(names):
            written.append(fold_ports(tuple(names)))
            item = item.model_copy(update={field: mapped})
        items.append(item)
    if not written:
        return value
    origin = replace(value.origin, label=f"{value.origin.label}, written {', '.join(written)}")
    return Value(value.setting, tuple(items), origin, value.overrode)
