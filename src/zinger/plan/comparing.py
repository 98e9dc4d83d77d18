"""Compares two devices by setting: the different settings first, then the equal ones."""

from __future__ import annotations

from dataclasses import dataclass

from zinger.plan.model import Device, Value
from zinger.plan.settings import SETTINGS


@dataclass(frozen=True)
class Pair:
    """One setting (or fact of who it is) of two devices, in words; empty where it is not planned."""

    title: str
    one: str
    other: str
    one_from: str = ""
    other_from: str = ""

    @property
    def same(self) -> bool:
        """Whether the two do not differ."""
        return self.one == self.other


def compare_devices(one: Device, other: Device) -> list[Pair]:
    """Everything that either has planned; what differs stands first, in the order of the settings."""
    pairs = [
        Pair(word, str(getattr(one, word)), str(getattr(other, word)))
        for word in ("role", "family", "location")
        if getattr(one, word) or getattr(other, word)
    ]
    pairs.insert(0, Pair("site", one.site.name, other.site.name))
    for name, setting in SETTINGS.items():
        mine, theirs = one.values.get(name), other.values.get(name)
        if mine is not None or theirs is not None:
            pairs.append(Pair(setting.title, _shown(mine), _shown(theirs), _label(mine), _label(theirs)))
    return sorted(pairs, key=lambda pair: pair.same)


def _shown(value: Value | None) -> str:
    return value.shown if value is not None else ""


def _label(value: Value | None) -> str:
    return value.origin.label if value is not None else ""
