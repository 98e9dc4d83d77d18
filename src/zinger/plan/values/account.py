"""Accounts: a name, and the vault entry of its password."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zinger.plan.values.bad import BadValue
from zinger.plan.values.names import parse_account_name
from zinger.plan.values.secrets import EACH_DEVICE, SecretRef, parse_secret


@dataclass(frozen=True, slots=True)
class Account:
    """A local account: its name, and where its secret is kept."""

    name: str
    secret: SecretRef

    def __str__(self) -> str:
        return self.name


def parse_account(raw: object) -> Account:
    """`{name: kettle-admin, secret: each device}`: a secret of its own per device, or a shared entry's name."""
    if isinstance(raw, Account):
        return raw
    if isinstance(raw, str):
        name, _, entry = raw.partition(" secret ")
        raw = {"name": name, "secret": entry or EACH_DEVICE}
    if not isinstance(raw, Mapping) or "name" not in raw:
        raise BadValue("it has no name", "write {name: kettle-admin, secret: each device}")
    extra = set(raw) - {"name", "secret"}
    if "password" in extra:
        raise BadValue("a password does not belong in this file", "remove it and use `zinger secret`")
    if extra:
        raise BadValue(f"{', '.join(map(str, extra))} means nothing here", "keep name and secret")
    return Account(parse_account_name(raw["name"]), parse_secret(str(raw.get("secret") or EACH_DEVICE)))
