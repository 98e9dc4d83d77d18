"""Devices that the plan calls otherwise than the journal: what is known of a box follows it to its new name.

A hostname is a value like any other, and it is what journal, vault and pinned keys go by. A device of which nothing was
met yet is the box that was met under a name that the plan has no more, if it has that one's serial number or MAC (where
the plan says neither: if it is planned where that one answered). Whoever it really is, is compared before anything is
sent to it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from zinger.link.hostkeys import HostKeys
from zinger.plan.model import Device
from zinger.plan.owners import same_identity
from zinger.run.memory import remember
from zinger.store.entries import Entry, Met, Renamed, SignedIn, read
from zinger.store.vault import Vault

_KNOWN = frozenset({Met.kind, SignedIn.kind, Renamed.kind})
"""The kinds of entries that tell of a box that was met."""


@dataclass
class Told:
    """A journal's entries by the names that the plan has now."""

    of: dict[str, list[Entry]] = field(default_factory=dict)
    """Each device's entries, oldest first; those that are of no device have an empty name."""
    new_names: dict[str, str] = field(default_factory=dict)
    """The devices whose new name is not written down yet: the name now, and the one before."""


def by_present_names(entries: Iterable[Entry], devices: Iterable[Device]) -> Told:
    """Share out the entries of a journal among the names of a plan."""
    told = Told()
    for entry in entries:
        event = read(entry) if entry.kind == Renamed.kind else None
        if isinstance(event, Renamed):
            _follow(told, event.before, entry.device)
        told.of.setdefault(entry.device, []).append(entry)
    planned = {device.name: device for device in devices}
    gone = [name for name, mine in told.of.items() if name and name not in planned and _was_met(mine)]
    if gone:
        boxes = {name: remember(told.of[name]) for name in gone}
        for device in planned.values():
            if _was_met(told.of.get(device.name, ())):
                continue
            before = next((name for name in boxes if _is(device, boxes[name].box, boxes[name].stands_at)), None)
            if before is not None:
                del boxes[before]
                _follow(told, before, device.name)
                told.new_names[device.name] = before
    return told


def carry_over(before: str, now: str, vault: Vault, needed: Collection[str], pins: Iterable[HostKeys]) -> Renamed:
    """Give what is kept under the name of before the new one; returns the event to write.

    Entries of the vault that are `needed` under the old name stay there too. Raises VaultError and FileError; it can
    be done again then.
    """
    vault.carry_over(before, now, needed)
    for keys in pins:
        keys.carry_over(before, now)
    return Renamed(before)


def _was_met(entries: Iterable[Entry]) -> bool:
    return any(entry.kind in _KNOWN for entry in entries)


def _is(device: Device, box: Met, stands_at: Any) -> bool:
    pairs = [(device.serial, box.serial), (device.mac, box.mac)]
    both = [same_identity(mine, its) for mine, its in pairs if mine and its]
    if device.serial or device.mac:
        return bool(both) and all(both)
    return stands_at is not None and device.fixed is not None and device.fixed.ip == stands_at.ip


def _follow(told: Told, before: str, now: str) -> None:
    """What was of one name is of another from here on, vault entries that are called after it too."""
    mine = [_called(entry, before, now) for entry in told.of.pop(before, ())]
    told.of[now] = sorted([*mine, *told.of.get(now, ())], key=lambda entry: entry.id)


def _called(entry: Entry, before: str, now: str) -> Entry:
    data = {
        key: now + value.removeprefix(before) if isinstance(value, str) and value.startswith(f"{before}/") else value
        for key, value in entry.data.items()
    }
    return replace(entry, device=now, data=data)
