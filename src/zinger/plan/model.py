"""A resolved plan: every device with every setting, each value knowing where it came from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import IPv4Network, IPv6Network

from zinger.plan.problems import Problem, Severity, Spot
from zinger.plan.secrets import SecretRef
from zinger.plan.settings import SETTINGS, Account, ManagementAddress

Network = IPv4Network | IPv6Network


class Layer(StrEnum):
    """Who said a value, from the weakest to the strongest; DERIVED fills only what nobody said."""

    DERIVED = "derived"
    BASELINE = "baseline"
    SITE = "site"
    ROLE = "role"
    SHEET = "sheet"


@dataclass(frozen=True)
class Origin:
    """Where a value comes from: the layer, its name for people, and the spot in the file."""

    layer: Layer
    label: str
    spot: Spot

    def __str__(self) -> str:
        return self.label


@dataclass(frozen=True)
class Value:
    """A setting's typed value, its origin, and what it overrode (strongest first)."""

    setting: str
    value: object
    origin: Origin
    overrode: tuple[tuple[object, Origin], ...] = ()

    @property
    def shown(self) -> str:
        """The value in words; secrets never appear."""
        return SETTINGS[self.setting].show(self.value)


@dataclass(frozen=True)
class Site:
    """A place with its own subnet; `key` is how the sheet and `job.yaml` name it."""

    key: str
    name: str
    subnet: Network | None = None


@dataclass(frozen=True)
class Device:
    """One box: who it is, how it is reached, and what is planned for it."""

    name: str
    site: Site
    role: str
    family: str
    values: Mapping[str, Value]
    spot: Spot
    serial: str = ""
    mac: str = ""
    label: str = ""
    location: str = ""
    console: str = ""

    def value(self, setting: str) -> object | None:
        """The typed value of a setting, or None when it is not planned."""
        found = self.values.get(setting)
        return found.value if found else None

    @property
    def address(self) -> ManagementAddress | None:
        """The planned management address, if there is one."""
        value = self.value("management.address")
        return value if isinstance(value, ManagementAddress) else None

    @property
    def accounts(self) -> tuple[tuple[str, Account], ...]:
        """Planned accounts as (setting, account), the administrator first."""
        return tuple(
            (name, value.value)
            for name, value in self.values.items()
            if isinstance(value.value, Account)
        )

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

    def device(self, name: str) -> Device:
        """The device of that hostname; raises KeyError."""
        for device in self.devices:
            if device.name == name:
                return device
        raise KeyError(name)

    def to_mend(self, device: str | None = None) -> tuple[Problem, ...]:
        """Problems that stop a run: of one device (with those that name no device), or all."""
        return tuple(
            p for p in self.problems
            if p.severity is Severity.MEND and (device is None or not p.devices or device in p.devices)
        )
