"""The desk: a plan being edited. Holds the edits over the job's files, resolves them, saves them.

Resolving takes a while for large plans, so screens call `resolved` and `tried` on another thread; a lock keeps
the documents whole meanwhile.
"""

from __future__ import annotations

import itertools
import re
import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from zinger.plan.families import Rules
from zinger.plan.files.editing import Conflict, Edits
from zinger.plan.files.headings import WHO_PARSERS
from zinger.plan.files.jobfile import read_job
from zinger.plan.model import Device, Layer, Plan, Site
from zinger.plan.owners import as_word
from zinger.plan.problems import Change, Problem
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.names.settings import HOSTNAME
from zinger.plan.subjects.standing import standing
from zinger.plan.subjects.switching.settings import UPLINKS
from zinger.plan.subjects.wireless.settings import BRIDGE, JOINED
from zinger.plan.subnets import free_addresses
from zinger.plan.values.addresses import parse_network
from zinger.plan.values.bad import BadValue
from zinger.plan.values.secrets import Vaulted
from zinger.plan.values.text import parse_text
from zinger.store.folder import ChangedOutside, JobFolder, JobFolderError
from zinger.wording import counted


@dataclass(frozen=True)
class Target:
    """Where an edit goes: this device's row (or each selected one's), or a layer of job.yaml."""

    words: str
    stem: tuple[str, ...] = ()

    @property
    def short(self) -> str:
        """Its kind alone."""
        return {"roles": "role", "sites": "site"}.get(self.stem[0], self.stem[0]) if self.stem else "device"

    def holds(self, device: Device) -> bool:
        """Whether a value that stands there is a device's, unless a stronger layer says otherwise."""
        kind, key = self.stem[0] if self.stem else "", self.stem[-1] if self.stem else ""
        return kind == "baseline" or key == (device.role if kind == "roles" else device.site.key)


@dataclass(frozen=True)
class Move:
    """A value said elsewhere, or no more: in words, and as changes."""

    words: str
    changes: tuple[Change, ...]


ADDRESSES = frozenset({"management.ipv6", "management.out_of_band", "management.gateway", "management.gateway6"})
"""Settings of one device or of its site, which a role can't give."""
NAME_OTHERS = (UPLINKS.name, BRIDGE.name, JOINED.name)
"""Settings that call another device by its name."""
_ITS_OWN = frozenset({"hostname", "management.address", "serial", "mac", "label", "fingerprint", "console"})
"""What a copy of a device does not have of it."""


def _says(device: Device, setting: str) -> object:
    value = device.values.get(setting)
    return value.value if value is not None else None


def _counted_on(name: str, taken: Iterable[str]) -> Iterator[str]:
    """Names that count on from one: `sw09`, `sw10`; those that are taken are left out."""
    known = {n.lower() for n in taken}
    found = re.fullmatch(r"(.*?)(\d+)(\D*)", name)
    stem, number, end = found.groups() if found else (f"{name}-", "1", "")
    for n in itertools.count(int(number) + 1):
        made = f"{stem}{n:0{len(number)}}{end}"
        if made.lower() not in known:
            yield made


def _free_after(plan: Plan, device: Device) -> Iterator[str]:
    """The free addresses of a device's site after its own."""
    if device.fixed is None or device.site.subnet is None:
        return
    taken = {int(a) for d in plan.devices for a in standing(d)}
    taken |= {int(site.gateway) for site in plan.sites if site.gateway is not None}
    length = "" if device.fixed.length == device.site.subnet.prefixlen else f"/{device.fixed.length}"
    yield from (f"{a}{length}" for _, a in free_addresses(device.site, taken) if int(a) > int(device.fixed.ip))


class Desk:
    """A job's plan on the desk; raises UnreadableError when its files can't be read at all."""

    def __init__(self, folder: JobFolder, rules: Rules, vaulted: Vaulted) -> None:
        self.folder, self.rules, self.vaulted = folder, rules, vaulted
        self._lock = threading.Lock()
        self.edits = Edits(folder.files())
        self._stamp = folder.stamp()
        self.plan: Plan = self.resolved()

    def resolved(self) -> Plan:
        """The plan as it would be saved; it is also kept in `plan`."""
        with self._lock:
            files = self.edits.numbered
        self.plan = files.plan(self.rules, self.vaulted)
        return self.plan

    def tried(self, changes: Iterable[Change]) -> Plan:
        """The plan after changes that are not made."""
        with self._lock:
            files = self.edits.preview(changes)
        return files.plan(self.rules, self.vaulted)

    # -- edits ---------------------------------------------------------------------------------------
    def text(self, device: Device, setting: str) -> str:
        """What stands in a cell, or would: the text that an editor begins with."""
        if setting in SETTINGS:
            value = device.values.get(setting)
            return SETTINGS[setting].text(value.value) if value else ""
        if setting == "subnet":
            return str(device.site.subnet or "")
        return (device.site.name if device.site.key else "") if setting == "site" else str(getattr(device, setting))

    def targets(self, devices: Sequence[Device], setting: str) -> list[Target]:
        """Where a value of these devices could be written, the nearest first."""
        one = devices[0]
        if setting == "subnet":
            return [Target(one.site.name, ("sites", one.site.key))]
        targets = [Target("this device" if len(devices) == 1 else f"these {len(devices)} devices")]
        if setting not in SETTINGS:
            return targets
        if one.role and all(d.role == one.role for d in devices):
            targets.append(Target(f"role {one.role}", ("roles", one.role)))
        if all(d.site.key == one.site.key for d in devices):
            targets.append(Target(one.site.name, ("sites", one.site.key)))
        return [*targets, Target("the baseline", ("baseline",))]

    def changes(self, devices: Sequence[Device], setting: str, text: str, target: Target) -> list[Change]:
        """The changes that put a text (or nothing) there."""
        value = text.strip() or None
        if target.stem:
            return [Change((*target.stem, *setting.split(".")), value)]
        own = [Change((setting,), value, d.spot.line) for d in devices if d.spot.line]
        return own + (self._called_there(devices[0], value) if setting == HOSTNAME.name and value and own else [])

    def _called_there(self, device: Device, name: str) -> list[Change]:
        """The changes by which rows of other devices that name it name it so, too."""
        word = as_word(device.name)
        rows = [(d.spot.line, setting) for d in self.plan.devices for setting in NAME_OTHERS if setting in d.own]
        texts = [(row, setting, self.edits.cells(row).get(setting, "")) for row, setting in rows if row]
        return [Change((s,), word.sub(name, text), row) for row, s, text in texts if word.search(text)]

    @staticmethod
    def refusal(setting: str, text: str) -> str:
        """What is wrong with a text as a value of a setting, or nothing."""
        parsers = {"subnet": parse_network, **WHO_PARSERS}
        parse = SETTINGS[setting].parse if setting in SETTINGS else parsers.get(setting, parse_text)
        if not text.strip():
            return ""
        try:
            parse(text)
        except ValueError as error:
            return str(error)
        return ""

    def add(self, site: Site | None, like: Device | None) -> int:
        """A new device at the end of the sheet, of a site and like another; its row."""
        site = site or next(iter(self.plan.sites), None)
        cells = {"site": site.name if site else ""}
        cells |= {"family": like.family, "role": like.role} if like else {}
        if site is None or read_job(self.edits.base.job).naming is None:  # a row must say something to be one
            names = {d.name for d in self.plan.devices}
            cells["hostname"] = next(name for n in itertools.count(1) if (name := f"new{n}") not in names)
        with self._lock:
            return self.edits.add_rows([{key: text for key, text in cells.items() if text}], "a new device")[0]

    def copy(self, device: Device, count: int) -> list[int]:
        """So many devices like one: names that count on, the next free addresses, nothing of what is its own alone.

        Returns their rows.
        """
        with self._lock:
            names = [d.name for d in self.plan.devices]
            addresses = _free_after(self.plan, device)
            made = []
            own = self.edits.cells(device.spot.line or 0)
            for name in itertools.islice(_counted_on(device.name, names), count):
                cells = {key: text for key, text in own.items() if key not in _ITS_OWN}
                cells |= {"hostname": name} if "hostname" in own else {}
                cells |= {"management.address": next(addresses, "")} if "management.address" in own else {}
                made.append({key: text for key, text in cells.items() if text})
            return self.edits.add_rows(made, f"{counted(count, 'device')} like {device.name}")

    def remove(self, devices: Sequence[Device]) -> None:
        """Take devices out of the sheet, as one step."""
        with self._lock:
            rows = [d.spot.line for d in devices if d.spot.line]
            self.edits.remove_rows(rows, f"{', '.join(d.name for d in devices)} removed")

    def moves(self, device: Device, setting: str) -> list[Move]:
        """Where else a device's own value can be said, and what that changes; and what stands without it."""
        value = device.values.get(setting)
        if setting not in SETTINGS or value is None or value.origin.layer is not Layer.SHEET:
            return []
        text = SETTINGS[setting].text(value.value)
        found = []
        for target in self.targets([device], setting)[1:]:
            under = [d for d in self.plan.devices if target.holds(d)]
            same = [d for d in under if _says(d, setting) == value.value and setting in d.own]
            others = [d for d in under if setting not in d.own and _says(d, setting) != value.value]
            changes = [Change((*target.stem, *setting.split(".")), text)]
            changes += [Change((setting,), None, d.spot.line) for d in same if d.spot.line]
            words = f"lift it to {target.words}"
            if len(same) > 1:
                words += f", for {len(same)} devices that say the same"
            if others:
                words += f"; {len(others)} that {'says nothing gets' if len(others) == 1 else 'say nothing get'} it too"
            found.append(Move(words, tuple(changes)))
        if value.overrode:
            below, origin = value.overrode[0]
            drop = Change((setting,), None, device.spot.line)
            found.append(Move(f"drop it here: {origin.label} says {SETTINGS[setting].show(below)}", (drop,)))
        return found

    def as_role(self, device: Device, role: str) -> list[Change]:
        """A device's own values said for a role, and the device of that role; what is one device's alone stays.

        The next device of the role begins with them. Raises BadValue for a device without such values, or a name that
        is none.
        """
        role = parse_text(role)
        own = [name for name in device.own if name in SETTINGS and name not in _ITS_OWN | ADDRESSES]
        if not role or not own:
            what = f"{device.name} has no values of its own to save" if role else "a role needs a name"
            raise BadValue(what, "plan some in its row" if role else "write one")
        row = device.spot.line
        said = [
            Change(("roles", role, *name.split(".")), SETTINGS[name].text(device.values[name].value)) for name in own
        ]
        return [*said, *(Change((name,), None, row) for name in own), Change(("role",), role, row)]

    def make(self, changes: Sequence[Change], words: str) -> None:
        """Make changes as one step."""
        with self._lock:
            self.edits.make(changes, words)

    def repair(self, problem: Problem) -> str | None:
        """Make a problem's repair; returns its words, or None when it has none."""
        if problem.repair is None:
            return None
        self.make(problem.repair.changes, f"{problem.who}: {problem.repair.words}".lstrip(": "))
        return problem.repair.words

    def undo(self) -> str | None:
        """Take the last step back; returns its words."""
        with self._lock:
            return self.edits.undo()

    def redo(self) -> str | None:
        """Do again what was undone last; returns its words."""
        with self._lock:
            return self.edits.redo()

    # -- files ---------------------------------------------------------------------------------------
    def save(self) -> list[Conflict]:
        """Write the files; changes from outside are taken in first. Returns what somebody must decide.

        Raises JobFolderError when nothing can be written, UnreadableError when the files outside can't be read.
        """
        with self._lock:
            for _ in range(3):
                wanted = self.edits.files
                try:
                    self.folder.write(wanted, self.edits.base)
                except ChangedOutside as outside:
                    conflicts = self.edits.merge(outside.files)
                    if conflicts:
                        return conflicts
                    continue
                self.edits.saved()
                break
            self._stamp = self.folder.stamp()
            return []

    def decide(self, ours: bool) -> None:
        """Settle conflicts: lay our changes over what is outside, or take what is outside and forget them.

        Raises JobFolderError or UnreadableError when that can't be read; then nothing is changed.
        """
        with self._lock:
            files = self.folder.files()
            if ours:
                self.edits.merge(files, ours=True)
            else:
                self.edits = Edits(files)
            self._stamp = self.folder.stamp()

    def look_outside(self) -> tuple[bool, list[Conflict]]:
        """Whether the files were changed by somebody else, now taken in; and what must be decided first.

        Raises JobFolderError or UnreadableError, once for each change, when they can't be read as they are now.
        """
        stamp = self.folder.stamp()
        if stamp == self._stamp:
            return False, []
        with self._lock:
            self._stamp = stamp
            files = self.folder.files()
            if files == self.edits.base:
                return False, []
            return True, self.edits.merge(files)

    def write_row(self, name: str, cells: Mapping[str, str], words: str) -> None:
        """Write cells of a device's own row, by setting or identity, and save. Raises JobFolderError."""
        for column, text in cells.items():
            if parse := WHO_PARSERS.get(column):
                try:
                    parse(text)
                except BadValue as error:
                    raise JobFolderError(f"{error.what}. {error.repair}") from None
        device = self.resolved().device(name)
        here = Target("this device")
        self.make([c for column, text in cells.items() for c in self.changes([device], column, text, here)], words)
        if self.save():
            raise JobFolderError("somebody else changed the same places meanwhile; look at the plan")
