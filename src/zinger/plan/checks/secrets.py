"""Secrets, by their traits only: the family's rules, strength, and no secret for two purposes.

A secret that the vault does not hold yet is no problem: it is made, by the rules, when a run begins.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checks.registry import MEND, THINK, Found, Look, plan_check, spot_of
from zinger.plan.items import Item
from zinger.plan.model import Device, Layer
from zinger.plan.problems import Spot
from zinger.plan.secrets import SecretRef
from zinger.plan.settings import ACCOUNTS

_ROLES = (*ACCOUNTS, "secrets.console", "secrets.remote", "secrets.elevation")
_PLAIN = ("secrets.console", "secrets.remote", "secrets.elevation", "ntp.secret")
_WITH_ITEMS = ("snmp.users", "snmp.communities", "wireless.ssids", "wireless.radius", "edge.outside")


def _again(secret: SecretRef) -> str:
    return f"Set another: zinger secret JOB '{secret.name}'"


def secrets_of(device: Device) -> Iterator[tuple[str, str, SecretRef]]:
    """Every secret that a device needs: (setting, what it is for, its entry)."""
    for name, account in device.accounts:
        yield name, account.name, account.secret
    for name in _PLAIN:
        if (secret := device.value(name)) is not None:
            yield name, name.split(".")[-1], secret
    for name in _WITH_ITEMS:
        value = device.value(name)
        for item in value if isinstance(value, tuple) else (value,):
            secret = getattr(item, "secret", None) if isinstance(item, Item) else None
            if secret is not None:
                yield name, str(getattr(item, "name", None) or name.partition(".")[2]), secret


@plan_check("secret-refused", MEND)
def secret_refused(look: Look) -> Iterator[Found]:
    """A family will refuse the password: too short, too long, or without the characters that it wants."""
    if not look.vaulted:
        return
    for device in look.plan.devices:
        rules = look.rules(device)
        for setting, account in device.accounts:
            traits = look.traits(account.secret)
            if traits is None or rules is None:
                continue
            for broken in traits.lacks(rules.secret_shortest, rules.secret_longest, rules.secret_classes):
                yield Found(
                    f"{rules.title} will refuse the secret of {account.name}: {broken}",
                    _again(account.secret),
                    setting,
                    (device.name,),
                    spot_of(device, setting),
                )


@plan_check("secret-weak", THINK)
def secret_weak(look: Look) -> Iterator[Found]:
    """A secret is easily guessed (strength below 3 of 4, as zxcvbn estimates it)."""
    if not look.vaulted:
        return
    for device in look.plan.devices:
        for setting, word, secret in secrets_of(device):
            traits = look.traits(secret)
            if traits is not None and traits.score < 3 and setting != "wireless.ssids":
                yield Found(
                    f"the secret of {word} is easily guessed",
                    _again(secret),
                    setting,
                    (device.name,),
                    spot_of(device, setting),
                )


@plan_check("secret-in-two-roles", MEND)
def secret_in_two_roles(look: Look) -> Iterator[Found]:
    """Two roles share one secret: console and remote line, plain and elevated, administrator and viewer."""
    roles: dict[str, dict[str, None]] = defaultdict(dict)
    owners: dict[str, dict[str, None]] = defaultdict(dict)
    for device in look.plan.devices if look.vaulted else _may_share(look):
        for setting, word, secret in secrets_of(device):
            if setting.startswith(("accounts.", "secrets.")):
                traits = look.traits(secret)
                same = traits.sameness if traits else f"entry {secret.name}"
                roles[same][word] = None
                owners[same][device.name] = None
    for same, words in roles.items():
        if len(words) > 1:
            yield Found(
                f"{' and '.join(sorted(words))} share one secret",
                "Give each role its own",
                None,
                tuple(owners[same]),
                Spot("vault.age"),
            )


def _may_share(look: Look) -> Iterator[Device]:
    """While the vault is empty, only entries can be shared: one device of each kind, and those with own accounts."""
    seen: set[tuple[str, str, str]] = set()
    for device in look.plan.devices:
        kind = (device.site.key, device.role, device.family)
        if kind not in seen or any(device.values[n].origin.layer is Layer.SHEET for n in _ROLES if n in device.values):
            seen.add(kind)
            yield device
