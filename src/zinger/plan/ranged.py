"""Which settings, and which parts of them, a family may take a range of."""

from __future__ import annotations

from typing import Any

from zinger.plan.families import RANGED
from zinger.plan.setting import Setting
from zinger.plan.settings import SETTINGS
from zinger.plan.values.item import kind_of


def in_ranges(name: str) -> tuple[Setting[Any], str]:
    """The setting and its part that a range is of; raises KeyError."""
    if name in RANGED:
        return SETTINGS[name], ""
    setting, _, part = name.rpartition(".")
    kind = kind_of(SETTINGS[setting].parse) if setting in RANGED else None
    if kind is None or part not in kind.model_fields:
        raise KeyError(name)
    return SETTINGS[setting], part
