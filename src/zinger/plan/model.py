"""A resolved plan: every device with every setting, each value knowing where it came from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import Any, TypeVar

from zinger.plan.problems import Problem, Severity, Spot
from zinger.plan.setting import Setting
from zinger.plan.values.addresses import Address, ManagementAddress, Network
from zinger.plan.values.password_rules import PasswordRules
from zinger.plan.values.secrets import SecretRef

T = TypeVar("T")


class Layer(StrEnum):
    """Who said a value, from the weakest to the strongest; DERIVED fills only what nobody said."""

    DERIVED = "derived"
    BASELINE = "baseline"
    SITE = "site"
    ROLE = "role"
    FAMILY = "family"
    SHEET = "sheet"


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a value comes from: the layer, its name for people, and the spot in the file."""

    layer: Layer
    label: str
    spot: Spot

    def __str__(self) -> str:
        return self.label


@dataclass(frozen=True, slots=True)
class Value:
    """A setting's typed value, its origin, and what it overrode (strongest first)."""

    setting: Setting[Any]
    value: object
    origin: Origin
    overrode: tuple[tuple[object, Origin], ...] = ()

    @property
    def shown(self) -> str:
        """The value in words; secrets never appear."""
        return self.setting.show(self.value)


_JOB = Spot("job.yaml")


@dataclass(frozen=True)
class Site:
    """A place with its own subnet; `key` is how the sheet and `job.yaml` name it."""

    key: str
    name: str
    subnet: Network | None = None
    spot: Spot = _JOB
    head: int = 0
    """How many addresses at the beginning of the subnet are never handed out."""
    tail: int = 0
    """How many at its end."""
    allocates: bool = False
    """Whether a device without an address gets the first free one."""
    gateway: Address | None = None
    """The first or last address of the subnet, as the job says."""


@dataclass(frozen=True)
class Device:
    """One device: who it is, how it is reached, and what is planned for it."""

    name: str
    site: Site
    role: str
    family: str
    values: Mapping[str, Value]
    spot: Spot
    own: frozenset[str] = frozenset()
    """The settings that this device has for itself; it shares all others with its site, role and family."""
    serial: str = ""
    mac: str = ""
    label: str = ""
    location: str = ""
    console: str = ""
    fingerprint: str = ""
    """The fingerprint of its first certificate, as its label has it."""
    address: ManagementAddress | None = None
    """The planned management address, if there is one."""

    @property
    def fixed(self) -> ManagementAddress | None:
        """The planned management address if it is a fixed one."""
        return self.address if self.address is not None and self.address.address is not None else None

    def __getitem__(self, setting: Setting[T]) -> T | None:
        """The value of a setting, or None when it is not planned."""
        found = self.values.get(setting.name)
        return found.value if found else None  # type: ignore[return-value]  # the resolver parsed it by this setting

    @property
    def factory_account_secret(self) -> SecretRef:
        """Where the new secret of the family's own first account is kept for this device."""
        return SecretRef(f"{self.name}/factory account")


@dataclass(frozen=True)
class Plan:
    """A job's devices, resolved and checked. `problems` holds everything found, not just the first."""

    title: str
    note: str = ""
    mode: str = "practice"
    sites: tuple[Site, ...] = ()
    devices: tuple[Device, ...] = ()
    problems: tuple[Problem, ...] = ()
    commands: Mapping[str, str] = field(default_factory=dict)
    """Programs that lead to a console, by the name that the sheet uses."""
    leases: tuple[str, ...] = ()
    password_rules: PasswordRules = field(default_factory=PasswordRules)
    """What the job asks of passwords, whatever a family would take."""

    def device(self, name: str) -> Device:
        """The device of that hostname; raises KeyError."""
        return self.by_name[name]

    @cached_property
    def by_name(self) -> Mapping[str, Device]:
        """The devices by hostname; of several with one name, the first."""
        return {device.name: device for device in reversed(self.devices)}

    def errors(self, device: str | None = None) -> tuple[Problem, ...]:
        """Problems that block: of one device (with those that name no device), or all."""
        return tuple(
            p
            for p in self.problems
            if p.severity is Severity.ERROR and (device is None or not p.devices or device in p.devices)
        )
