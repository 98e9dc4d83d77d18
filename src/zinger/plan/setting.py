"""What a setting is: its name, its words for people, its stop on the line, how it is read and written.

`Setting[T]` is also the key to its value: `device[VLANS]` is a `tuple[Vlan, ...] | None`. The settings themselves stand
in `subjects/`, each beside its models and checks; `settings` is the table of all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, TypeVar

from zinger.plan.values.account import Account
from zinger.plan.values.addresses import ManagementAddress
from zinger.plan.values.item import Item
from zinger.plan.values.secrets import SecretRef

T = TypeVar("T")


class Stop(StrEnum):
    """The stops of a device's line, in the order of work."""

    REACH = "reach"
    SIGN_IN = "sign in"
    ACCOUNTS = "accounts"
    NAME = "name"
    ADDRESS = "address"
    GATEWAY = "gateway"
    DNS = "dns"
    TIME = "time"
    SERVICES = "services"
    ROLE = "role"
    SAVE = "save"
    PROOF = "proof"

    @property
    def short(self) -> str:
        """The stop's name where there is little room."""
        return _SHORT.get(self, self.value)


_SHORT = {Stop.SIGN_IN: "sign", Stop.ACCOUNTS: "acct", Stop.ADDRESS: "addr", Stop.GATEWAY: "gw", Stop.SERVICES: "svc"}


@dataclass(frozen=True)
class Setting(Generic[T]):
    """One thing that can be planned, sent and read back.

    `parse` takes what a file held and returns the typed value, or raises BadValue with what is wrong and what to write
    instead; it takes back what `text` wrote. `columns` are headings of a build sheet that mean this setting.
    """

    name: str
    title: str
    stop: Stop
    parse: Callable[[object], T]
    columns: tuple[str, ...] = ()
    required: bool = False
    reference: str = ""
    unit: str = ""

    def __hash__(self) -> int:
        return hash(self.name)

    @property
    def group(self) -> str:
        """The first part of its name, under which `job.yaml` holds it."""
        return self.name.partition(".")[0]

    def show(self, value: object) -> str:
        """The value in words for screens and papers; secrets never appear."""
        if isinstance(value, bool):
            return "on" if value else "off"
        if isinstance(value, tuple):
            return ("  " if not any(isinstance(v, Item) for v in value) else " · ").join(str(v) for v in value)
        if isinstance(value, SecretRef):
            return str(value)
        return f"{value} {self.unit}" if self.unit else str(value)

    def text(self, value: object) -> str:
        """The value as it is written into a cell; `parse` reads it back."""
        if isinstance(value, tuple):
            return "; ".join(str(v) for v in value)
        if isinstance(value, Account):
            return f"{value.name} secret {value.secret.name}"
        if isinstance(value, SecretRef):
            return value.name
        if isinstance(value, ManagementAddress):
            return str(value) if value.address else value.method
        return self.show(value)
