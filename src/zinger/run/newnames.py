"""Devices that the plan calls otherwise than the journal: what is known of a box follows it to its new name.

A hostname is a value like any other, and it is what journal, vault, pinned keys and recordings go by. A sheet that is
sorted otherwise can even exchange names among its boxes, where names are counted. So it is looked whether a planned
device is the box that was met last under another name: by serial number or MAC; where the plan says neither, one that
was met under a name that the plan has no more is taken for the device at its address. Whoever it really is, is compared
before anything is sent to it.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from zinger.link.dial import Dialer
from zinger.plan.model import Device
from zinger.plan.owners import plain, same_identity
from zinger.plan.subjects.names.settings import HOSTNAME
from zinger.run.hands import RunError
from zinger.run.memory import Memory, remember
from zinger.store.entries import Entry, Met, Renamed, Stands, Swapped, read
from zinger.store.vault import Vault

_OF_THE_BOX = frozenset({Met.kind, Stands.kind, Swapped.kind})
"""The kinds of entries that tell which box it was, and where."""
_MOVING = ".moving"


@dataclass(frozen=True)
class NewNames:
    """The devices whose new name is not written down yet: the name now, and the one before."""

    before: Mapping[str, str] = field(default_factory=dict)
    since: int = 0
    """The last entry of the journal that told of any box: with it, one exchange of names is no other one."""

    @property
    def involved(self) -> frozenset[str]:
        """The names of both kinds."""
        return frozenset({*self.before, *self.before.values()})

    @property
    def called(self) -> str:
        """What this carrying over is called, however often it is begun."""
        return f"{self.since} {sorted(self.before.items())}"


@dataclass
class Told:
    """A journal's entries by the names that the plan has now."""

    of: dict[str, list[Entry]] = field(default_factory=dict)
    """Each device's entries, oldest first; those that are of no device have an empty name."""
    new_names: NewNames = field(default_factory=NewNames)


def by_present_names(entries: Iterable[Entry], devices: Iterable[Device]) -> Told:
    """Share out the entries of a journal among the names of a plan."""
    told = Told()
    for entry in entries:
        event = read(entry) if entry.kind == Renamed.kind else None
        if isinstance(event, Renamed):
            _move(told.of, event.names)
        told.of.setdefault(entry.device, []).append(entry)
    of_boxes = [entry.id for mine in told.of.values() for entry in mine if entry.kind in (*_OF_THE_BOX, Renamed.kind)]
    told.new_names = NewNames(_new_names(told.of, list(devices)), max(of_boxes, default=0))
    _move(told.of, told.new_names.before)
    return told


def _new_names(of: Mapping[str, list[Entry]], devices: Collection[Device]) -> dict[str, str]:
    """Which devices were met last under another name."""
    met = {name: remember(e for e in mine if e.kind in _OF_THE_BOX) for name, mine in of.items() if name}
    met = {name: memory for name, memory in met.items() if str(memory.box)}
    planned = {device.name for device in devices}
    there = {device.name for device in devices if device.name in met and _is(device, met[device.name])}
    free = {name: memory for name, memory in met.items() if name not in there}
    by_identity = {plain(shown): name for name, m in free.items() for shown in (m.box.serial, m.box.mac) if shown}
    gone_from = {m.stands_at.ip: name for name, m in free.items() if m.stands_at is not None and name not in planned}
    found: dict[str, str] = {}
    for device in devices:
        if device.name in there or HOSTNAME.name not in device.values:  # what is no hostname is no new name
            continue
        shown = [plain(identity) for identity in (device.serial, device.mac) if identity]
        before = next((by_identity[identity] for identity in shown if identity in by_identity), None)
        if not shown and device.name not in met and device.fixed is not None:
            before = gone_from.get(device.fixed.ip)
        elif before is not None and not _is(device, met[before]):
            continue  # its serial number is one's, its MAC another's: the plan is wrong
        if before is not None and before not in found.values():
            found[device.name] = before
    return found


def _is(device: Device, memory: Memory) -> bool:
    """Whether a planned device is the box that was met."""
    pairs = [(device.serial, memory.box.serial), (device.mac, memory.box.mac)]
    both = [same_identity(mine, its) for mine, its in pairs if mine and its]
    return bool(both) and all(both) if device.serial or device.mac else True


def _move(of: dict[str, list[Entry]], names: Mapping[str, str]) -> None:
    """What was of one name is of another from here on, all at once; what was of another box is nobody's any more."""
    moved = {before: of.pop(before, []) for before in names.values()}
    for now, before in names.items():
        own = [] if any(entry.kind == Met.kind for entry in of.get(now, ())) else of.get(now, [])
        of[now] = sorted([*(_called(e, before, now) for e in moved[before]), *own], key=lambda entry: entry.id)


def _called(entry: Entry, before: str, now: str) -> Entry:
    """An entry of another name, and vault entries that are called after it."""
    data = {
        key: now + value.removeprefix(before) if isinstance(value, str) and value.startswith(f"{before}/") else value
        for key, value in entry.data.items()
    }
    return replace(entry, device=now, data=data)


def carry_over(new: NewNames, vault: Vault, needed: Collection[str], dialer: Dialer, homes: Iterable[Path]) -> Renamed:
    """Give what is kept under the names of before the new ones, all at once; returns the event to write.

    Entries of the vault that are `needed` under an old name stay there too. `homes` are the folders of recordings and
    of configurations. Raises VaultError, FileError and RunError; it can be done again then.
    """
    vault.carry_over(new.before, needed, new.called)
    for keys in (dialer.host_keys, dialer.certificates):
        keys.carry_over(new.before)
    for home in homes:
        _rename_files(home, new.before)
    return Renamed(dict(new.before))


def _rename_files(home: Path, names: Mapping[str, str]) -> None:
    """In two steps, since names can be exchanged; what was left between them is finished the next time."""
    after = {before: now for now, before in names.items()}
    named = re.compile(rf"((?:bare-)?)({'|'.join(map(re.escape, after))})(-\d{{8}}-.*)")
    try:
        for file in list(home.iterdir()) if home.is_dir() else ():
            if (match := named.fullmatch(file.name)) and not file.name.endswith(_MOVING):
                file.rename(file.with_name(f"{match[1]}{after[match[2]]}{match[3]}{_MOVING}"))
        for file in list(home.glob(f"*{_MOVING}")):
            if not (called := file.with_suffix("")).exists():
                file.rename(called)
    except OSError as error:
        raise RunError(f"files in {home} can't be named after {', '.join(names)}: {error.strerror}") from None
