"""Checks of accounts and passwords, by their traits only: the family's rules, strength, and none for two purposes.

A password that the vault does not hold yet is no problem: it is made, by the rules, when a run begins.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checking import ERROR, WARNING, Found, Look, device_check, plan_check, spot_of
from zinger.plan.model import Device, Layer
from zinger.plan.problems import Spot
from zinger.plan.subjects.accounts.credentials import accounts_of, secrets_of
from zinger.plan.subjects.accounts.settings import ORDER, SERVERS, SETTINGS
from zinger.plan.values.secrets import SecretRef

_OWN = tuple(setting.name for setting in SETTINGS)


def _again(secret: SecretRef) -> str:
    return f"Set another: zinger secret JOB '{secret.name}'"


@plan_check("secret-refused", ERROR)
def secret_refused(look: Look) -> Iterator[Found]:
    """A family will refuse the password: too short, too long, or without the characters that it wants."""
    if not look.vaulted:
        return
    for device in look.plan.devices:
        rules = look.rules(device)
        for account in accounts_of(device):
            traits = look.traits(account.secret)
            if traits is None or rules is None:
                continue
            for broken in traits.lacks(rules.secret_shortest, rules.secret_longest, rules.secret_classes):
                yield Found(
                    f"{rules.title} will refuse the password of {account.name}: {broken}",
                    _again(account.secret),
                    account.setting,
                    (device.name,),
                    spot_of(device, account.setting),
                )


@plan_check("secret-against-rules", ERROR)
def secret_against_rules(look: Look) -> Iterator[Found]:
    """A password is against the job's own rules, or a family takes no password that fits them."""
    job = look.plan.password_rules
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules is not None and rules.secret_longest < job.shortest:
            most = rules.secret_longest
            yield Found(
                f"{rules.title} takes passwords of {most} characters; the job's rules want {job.shortest}",
                "Lower password_rules in job.yaml, or plan another family",
                None,
                (device.name,),
                Spot("job.yaml", None, "password_rules"),
            )
        for account in accounts_of(device):
            traits = look.traits(account.secret)
            for broken in traits.lacks(job.shortest, traits.length, job.classes) if traits else ():
                yield Found(
                    f"the password of {account.name} is against the job's rules: {broken}",
                    _again(account.secret),
                    account.setting,
                    (device.name,),
                    spot_of(device, account.setting),
                )


@plan_check("secret-weak", WARNING)
def secret_weak(look: Look) -> Iterator[Found]:
    """A password is easily guessed (strength below 3 of 4, as zxcvbn estimates it)."""
    if not look.vaulted:
        return
    for device in look.plan.devices:
        for setting, word, secret in secrets_of(device):
            traits = look.traits(secret)
            if traits is not None and traits.score < 3 and setting.group != "wireless":
                yield Found(
                    f"the password of {word} is easily guessed",
                    _again(secret),
                    setting,
                    (device.name,),
                    spot_of(device, setting),
                )


@plan_check("secret-in-two-roles", ERROR)
def secret_in_two_roles(look: Look) -> Iterator[Found]:
    """Two roles share one password: console and network, plain and privileged, administrator and viewer."""
    roles: dict[str, dict[str, None]] = defaultdict(dict)
    owners: dict[str, dict[str, None]] = defaultdict(dict)
    for device in look.plan.devices if look.vaulted else _may_share(look):
        for setting, word, secret in secrets_of(device):
            if setting.group in ("accounts", "passwords"):
                traits = look.traits(secret)
                same = traits.sameness if traits else f"entry {secret.name}"
                roles[same][word] = None
                owners[same][device.name] = None
    for same, words in roles.items():
        if len(words) > 1:
            yield Found(
                f"{' and '.join(sorted(words))} share one password",
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
        if kind not in seen or any(device.values[n].origin.layer is Layer.SHEET for n in _OWN if n in device.values):
            seen.add(kind)
            yield device


@device_check("sign-in-without-local", ERROR, ORDER, SERVERS)
def sign_in_without_local(device: Device, look: Look) -> Iterator[Found]:
    """Nobody could sign in while the servers do not answer, or servers are asked first that are not planned."""
    order = device[ORDER]
    if order and "local" not in order:
        yield Found(
            "the sign-in order has no local accounts: nobody gets in while no server answers",
            "Write servers, local",
            ORDER,
        )
    if order and "servers" in order and not device[SERVERS]:
        yield Found("the sign-in order has servers, and none is planned", "Plan accounts.servers", ORDER)


@device_check("sign-in-server-without-secret", ERROR, SERVERS, source="RFC 2865 3, RFC 8907 4.5")
def sign_in_server_without_secret(device: Device, look: Look) -> Iterator[Found]:
    """A RADIUS or TACACS+ server has no shared secret, without which neither is answered."""
    for server in device[SERVERS] or ():
        if server.secret is None:
            yield Found(f"the {server.protocol} server {server.host} has no secret", "Name its vault entry", SERVERS)
