"""How a check is declared and run.

A check is a generator with an id, a severity, and the settings that it looks at; its docstring is what
`docs/checks.md` says of it. Checks of one device are run once for all devices that share every value that the
check looks at: a slip in the baseline is one problem, not ten thousand, and costs as much.
"""

from __future__ import annotations

import inspect
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace

from zinger.plan.families import FamilyRules, Rules
from zinger.plan.model import Device, Layer, Plan
from zinger.plan.problems import Change, Problem, Repair, Severity, Spot
from zinger.plan.secrets import SecretRef, SecretTraits, Vaulted

MEND, THINK = Severity.MEND, Severity.THINK
_NEVER_SHARED = frozenset({"hostname", "management.address"})


@dataclass(frozen=True)
class Found:
    """One problem that a check found: what, and what to do; the rest is filled in where it is left out."""

    what: str
    do: str
    setting: str | None = None
    devices: tuple[str, ...] = ()
    spot: Spot | None = None
    repair: Repair | None = None


@dataclass(frozen=True)
class Look:
    """What a check may look at beside its device."""

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
    def by_name(self) -> dict[str, Device]:
        """The devices by hostname."""
        return self.plan._by_name


@dataclass(frozen=True)
class Check:
    """A declared check."""

    id: str
    severity: Severity
    reads: frozenset[str]
    source: str
    on_device: Callable[[Device, Look], Iterator[Found]] | None = None
    on_plan: Callable[[Look], Iterator[Found]] | None = None

    @property
    def explanation(self) -> str:
        """What the check is about, for the documentation."""
        return inspect.cleandoc((self.on_device or self.on_plan).__doc__ or "")

    @property
    def repairs(self) -> bool:
        """Whether it can offer a repair."""
        return "repair=" in inspect.getsource(self.on_device or self.on_plan or Found)


CHECKS: list[Check] = []
"""All checks, in the order of their declaration."""


def device_check(
    id: str, severity: Severity, *reads: str, source: str = ""
) -> Callable[[Callable[[Device, Look], Iterator[Found]]], Callable[[Device, Look], Iterator[Found]]]:
    """Declare a check of one device that looks at these settings and no others."""

    def declare(function: Callable[[Device, Look], Iterator[Found]]) -> Callable[[Device, Look], Iterator[Found]]:
        CHECKS.append(Check(id, severity, frozenset(reads), source, on_device=function))
        return function

    return declare


def plan_check(
    id: str, severity: Severity, *, source: str = ""
) -> Callable[[Callable[[Look], Iterator[Found]]], Callable[[Look], Iterator[Found]]]:
    """Declare a check over the whole plan."""

    def declare(function: Callable[[Look], Iterator[Found]]) -> Callable[[Look], Iterator[Found]]:
        CHECKS.append(Check(id, severity, frozenset(), source, on_plan=function))
        return function

    return declare


@dataclass
class _Kind:
    """Devices of one site, role and family, by the settings that they have for themselves."""

    by_own: dict[frozenset[str], list[Device]] = field(default_factory=lambda: defaultdict(list))


def run_checks(plan: Plan, families: Rules, vaulted: Vaulted) -> list[Problem]:
    """Run every check; all that was found, in the order of the checks, what is the same told once."""
    look = Look(plan, families, vaulted)
    kinds: dict[tuple[str, str, str], _Kind] = defaultdict(_Kind)
    for device in plan.devices:
        kinds[device.site.key, device.role, device.family].by_own[device.own].append(device)
    merged: dict[tuple[object, ...], Problem] = {}
    for check in CHECKS:
        for problem in _run(check, look, kinds.values()):
            key = (problem.id, problem.spot, problem.what, problem.do)
            same = merged.get(key)
            merged[key] = (
                problem
                if same is None
                else replace(same, devices=tuple(dict.fromkeys((*same.devices, *problem.devices))))
            )
    return list(merged.values())


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
    return Problem(
        check.id, check.severity, spot, found.what, found.do, found.devices or devices, found.setting, found.repair
    )


def spot_of(device: Device, setting: str | None) -> Spot:
    """Where a device's value was written; where it is missing, its row, or the job for what devices share."""
    value = device.values.get(setting or "")
    if value is not None:
        return value.origin.spot
    return device.spot if setting is None or setting in _NEVER_SHARED else Spot("job.yaml", None, setting)


def in_row(device: Device, setting: str, text: str | None) -> Change:
    """A change of the device's own cell."""
    return Change((setting,), text, device.spot.line)


def where_it_stands(device: Device, setting: str, text: str | None) -> Change:
    """A change of a value where it was written: in the device's row, or in the layer that it comes from."""
    value = device.values.get(setting)
    if value is None or value.origin.layer in (Layer.SHEET, Layer.DERIVED):
        return in_row(device, setting, text)
    return Change(tuple(value.origin.spot.key.split(".")), text)


def repair(words: str, *changes: Change) -> Repair:
    """A repair of these changes."""
    return Repair(words, changes)
