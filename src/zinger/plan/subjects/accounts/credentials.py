"""The accounts and the vault entries that a device needs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from zinger.plan.model import Device
from zinger.plan.setting import Setting
from zinger.plan.subjects.accounts.settings import ACCOUNTS, ADMINISTRATOR, SECOND
from zinger.plan.values.account import Account
from zinger.plan.values.item import Item
from zinger.plan.values.secrets import SecretRef


@dataclass(frozen=True)
class PlannedAccount:
    """An account of a device: its setting, its name, where its password is kept, and whether it administers."""

    setting: Setting[Account]
    name: str
    secret: SecretRef

    @property
    def administers(self) -> bool:
        """Whether it may change the device."""
        return self.setting in (ADMINISTRATOR, SECOND)


def accounts_of(device: Device) -> tuple[PlannedAccount, ...]:
    """The planned accounts, the administrator first."""
    planned = ((setting, device[setting]) for setting in ACCOUNTS)
    return tuple(PlannedAccount(setting, a.name, a.secret) for setting, a in planned if a is not None)


def factory_renewal(device: Device, user: str) -> SecretRef:
    """The entry for the new password of the family's own first account, at a forced change.

    Where a planned account has that name, it is the same account on the device, and so it has one entry.
    """
    return next((a.secret for a in accounts_of(device) if a.name == user), device.factory_account_secret)


def secrets_of(device: Device) -> Iterator[tuple[Setting[Any], str, SecretRef]]:
    """Every secret that is planned for a device, whatever holds it: (setting, what it is for, its entry)."""
    for name, value in device.values.items():
        yield from ((value.setting, word, secret) for word, secret in _in(value.value, name.rpartition(".")[2]))


def _in(value: object, word: str) -> Iterator[tuple[str, SecretRef]]:
    if isinstance(value, SecretRef):
        yield word, value
    elif isinstance(value, Account):
        yield value.name, value.secret
    elif isinstance(value, Item):
        secret = getattr(value, "secret", None)
        if isinstance(secret, SecretRef):
            yield str(getattr(value, "name", None) or word), secret
    elif isinstance(value, tuple) and value and isinstance(value[0], Item):
        for part in value:
            yield from _in(part, word)


def needed_secrets(device: Device) -> tuple[SecretRef, ...]:
    """Every vault entry that must exist before this device is spoken to."""
    return (device.factory_account_secret, *dict.fromkeys(secret for _, _, secret in secrets_of(device)))
