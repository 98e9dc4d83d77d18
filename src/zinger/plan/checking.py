"""How a check is declared and run.

A check is a generator with an id, a severity, and the settings that it looks at; its docstring is what
`docs/checks.md` says of it. Checks of one device are run once for all devices that share every value that the
check looks at: a slip in the baseline is one problem, not ten thousand, and costs as much.
"""

from __future__ import annotations

import inspect
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from types import ModuleType
from typing import Any

from zinger.plan.families import FamilyRules, Rules
from zinger.plan.model import Device, Layer, Plan
from zinger.plan.problems import Change, Problem, Repair, Severity, Spot
from zinger.plan.setting import Setting
from zinger.plan.values.secrets import SecretRef, SecretTraits, Vaulted
from zinger.wording import did_you_mean

ERROR, WARNING = Severity.ERROR, Severity.WARNING
_NEVER_SHARED = frozenset({"hostname", "management.address"})
Key = Setting[Any]


@dataclass(frozen=True)
class Found:
    """One problem that a check found: what, and what to do; the rest is filled in where it is left out."""

    what: str
    do: str
    setting: Key | None = None
    devices: tuple[str, ...] = ()
    spot: Spot | None = None
    repair: Repair | None = None


@dataclass(frozen=True)
class Look:
    """What a check may look at besides its device."""

    plan: Plan
    families: Rules
    vaulted: Vaulted

    def rules(self, device: Device) -> FamilyRules | None:
        """The limits of a device's family."""
        return self.families.get(device.family)

    def traits(self, secret: SecretRef | None) -> SecretTraits | None:
        """What the vault tells of a secret, if it holds it."""
        return self.vaulted.get(secret) if secret is not None else None

    @property
    def by_name(self) -> Mapping[str, Device]:
        """The devices by hostname."""
        return self.plan.by_name


OnDevice = Callable[[Device, Look], Iterator[Found]]
OnPlan = Callable[[Look], Iterator[Found]]


@dataclass(frozen=True)
class Check:
    """A declared check; `repairs` says that it can offer a repair."""

    id: str
    severity: Severity
    reads: frozenset[str]
    source: str
    explanation: str
    repairs: bool = False
    on_device: OnDevice | None = None
    on_plan: OnPlan | None = None


def device_check(
    id: str, severity: Severity, *reads: Key, source: str = "", repairs: bool = False
) -> Callable[[OnDevice], Check]:
    """Declare a check of one device that looks at these settings and no others."""

    def declare(function: OnDevice) -> Check:
        names = frozenset(setting.name for setting in reads)
        return Check(id, severity, names, source, inspect.cleandoc(function.__doc__ or ""), repairs, on_device=function)

    return declare


def plan_check(id: str, severity: Severity, *, source: str = "", repairs: bool = False) -> Callable[[OnPlan], Check]:
    """Declare a check over the whole plan."""

    def declare(function: OnPlan) -> Check:
        about = inspect.cleandoc(function.__doc__ or "")
        return Check(id, severity, frozenset(), source, about, repairs, on_plan=function)

    return declare


def unsafe(
    id: str,
    about: str,
    settings: Mapping[Key, str],
    do: str,
    *,
    value: object = True,
    safe: str = "off",
    words: str = "turn it off",
    source: str = "",
) -> Check:
    """Declare a check that warns when a setting has an unsafe value; `settings` say what is wrong with each.

    The repair writes the `safe` text; `words` are the repair's.
    """

    def look(device: Device, look: Look) -> Iterator[Found]:
        for setting, what in settings.items():
            if device[setting] == value and device[setting] is not None:
                yield Found(what, do, setting, repair=repair(words, where_it_stands(device, setting, safe)))

    return Check(id, WARNING, frozenset(s.name for s in settings), source, about, repairs=True, on_device=look)


def checks_of(module: ModuleType) -> tuple[Check, ...]:
    """The checks that a module declares, in the order of their declaration."""
    return tuple(value for value in vars(module).values() if isinstance(value, Check))


# -- running -------------------------------------------------------------------------------------------
@dataclass
class _Kind:
    """Devices of one site, role and family, by the settings that they have for themselves."""

    by_own: dict[frozenset[str], list[Device]] = field(default_factory=lambda: defaultdict(list))


def run_checks(checks: Iterable[Check], plan: Plan, families: Rules, vaulted: Vaulted) -> list[Problem]:
    """Run every check. Returns the problems in the order of the checks, each told once.

    The devices of a problem stand in the order of the plan, so that the problems before an edit and after it can be
    compared.
    """
    look = Look(plan, families, vaulted)
    kinds: dict[tuple[str, str, str], _Kind] = defaultdict(_Kind)
    for device in plan.devices:
        kinds[device.site.key, device.role, device.family].by_own[device.own].append(device)
    merged: dict[tuple[object, ...], Problem] = {}
    found_at: dict[tuple[object, ...], dict[str, None]] = defaultdict(dict)
    for check in checks:
        for problem in _run(check, look, kinds.values()):
            key = (problem.id, problem.spot, problem.what, problem.do)
            merged.setdefault(key, problem)
            found_at[key].update(dict.fromkeys(problem.devices))
    place = {device.name: index for index, device in enumerate(plan.devices)}
    return [
        replace(problem, devices=tuple(sorted(found_at[key], key=lambda name: place.get(name, len(place)))))
        for key, problem in merged.items()
    ]


def _run(check: Check, look: Look, kinds: Iterable[_Kind]) -> Iterator[Problem]:
    if check.on_plan is not None:
        yield from (_problem(check, found, None, ()) for found in check.on_plan(look))
        return
    assert check.on_device is not None
    apart = not check.reads or bool(check.reads & _NEVER_SHARED)
    for kind in kinds:
        together: list[Device] = []
        for own, devices in kind.by_own.items():
            if apart or not check.reads.isdisjoint(own):
                for device in devices:
                    for found in check.on_device(device, look):
                        yield _problem(check, found, device, (device.name,))
            else:
                together += devices
        if together:
            names: tuple[str, ...] | None = None
            for found in check.on_device(together[0], look):
                names = names or tuple(d.name for d in together)
                yield _problem(check, found, together[0], names)


def _problem(check: Check, found: Found, device: Device | None, devices: tuple[str, ...]) -> Problem:
    spot = found.spot or (spot_of(device, found.setting) if device else Spot("job.yaml"))
    setting = found.setting.name if found.setting else None
    return Problem(
        check.id, check.severity, spot, found.what, found.do, found.devices or devices, setting, found.repair
    )


# -- what checks share ---------------------------------------------------------------------------------
def spot_of(device: Device, setting: Key | None) -> Spot:
    """Where a device's value was written; where it is missing, its row, or the job for what devices share."""
    if setting is None:
        return device.spot
    value = device.values.get(setting.name)
    if value is not None:
        return value.origin.spot
    return device.spot if setting.name in _NEVER_SHARED else Spot("job.yaml", None, setting.name)


def in_row(device: Device, setting: Key, text: str | None) -> Change:
    """A change of the device's own cell."""
    return Change((setting.name,), text, device.spot.line)


def where_it_stands(device: Device, setting: Key, text: str | None) -> Change:
    """A change of a value where it was written: in the device's row, or in the layer that it comes from."""
    value = device.values.get(setting.name)
    if value is None or value.origin.layer in (Layer.SHEET, Layer.DERIVED):
        return in_row(device, setting, text)
    return Change(tuple(value.origin.spot.key.split(".")), text)


def repair(words: str, *changes: Change) -> Repair:
    """A repair of these changes."""
    return Repair(words, changes)


def duplicates(look: Look, word: str, setting: Key | None, key: Callable[[Device], str]) -> Iterator[Found]:
    """Values that must be a device's own and stand in two rows."""
    owners: dict[str, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        if found := key(device):
            owners[found].append(device)
    for value, devices in owners.items():
        if len(devices) > 1:
            rows = " and ".join(str(d.spot.line) for d in devices)
            yield Found(
                f"{word} {value} stands in rows {rows}",
                "Give each device its own",
                setting,
                tuple(dict.fromkeys(d.name for d in devices)),
                spot_of(devices[-1], setting),
            )


def name_hint(name: str, look: Look) -> str:
    """Did you mean this other device?"""
    return did_you_mean(name, look.by_name)
