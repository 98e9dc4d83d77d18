"""The credentials of a job: which account of which device has which entry of the vault, and when it was last proved."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of, secrets_of
from zinger.plan.values.secrets import SecretRef
from zinger.proof.outcome import SIGN_IN
from zinger.run.hands import RunError
from zinger.run.openjob import OpenJob
from zinger.script.compile import TRIED
from zinger.store import entries
from zinger.store.vault import BEFORE, Vault
from zinger.wording import did_you_mean


@dataclass(frozen=True)
class Credential:
    """One entry in one use. Times in seconds since 1970; None where it was not seen, or nobody wrote it down."""

    device: str
    account: str
    what: str
    address: str
    entry: str
    kept: bool
    since: float | None
    proved_at: float | None
    rotating: bool
    used_at: float | None = None
    """When it was signed in with last, on the way to something else: less than proved, more than nothing."""

    @property
    def seen(self) -> tuple[str, float | None]:
        """How much of it was seen last, in words, and when."""
        if self.proved_at is not None:
            return "proved", self.proved_at
        return ("signed in", self.used_at) if self.used_at is not None else ("not proved", None)


def credentials_of(job: OpenJob, vault: Vault | None) -> list[Credential]:
    """Every use of an entry by a device, then entries that nobody uses; no password is read."""
    names = set(vault.names()) if vault else set()
    used: set[str] = set()
    found = []
    firsts = {device.factory_account_secret.name for device in job.plan.devices}
    for name, memory in {**job.memories, **job.unspoken}.items():
        device = job.plan.device(name)
        first = next((entry for _, entry in memory.accepted if entry in firsts), device.factory_account_secret.name)
        for what, account, ref, proof in _uses(device, name in job.memories, SecretRef(first)):
            used.add(ref.name)
            since = vault.since(ref.name) if vault else None
            proved = max((memory.held_at[key] for key in proof if key in memory.held_at), default=None)
            address = str(device.fixed.ip) if device.fixed else ""
            kept, rotating = ref.name in names, ref.name in memory.rotating
            last = memory.used_at.get(ref.name)
            found.append(Credential(name, account, what, address, ref.name, kept, since, proved, rotating, last))
        label = f"{name}/label"
        if vault and label in names:
            used.add(label)
            found.append(
                Credential(name, "", "password on its label", "", label, True, vault.since(label), None, False)
            )
    for entry in sorted(names - used):
        found.append(Credential("", "", "", "", entry, True, vault.since(entry) if vault else None, None, False))
    return found


def _uses(device: Device, spoken: bool, first: SecretRef) -> Iterator[tuple[str, str, SecretRef, tuple[str, ...]]]:
    """(what it is, account, entry, findings that prove it) of a device, the first account of its family last.

    An account is proved by signing in, a key by being tried. The first account can have another device's password,
    which its box took while it hung on that one's wire.
    """
    accounts = {account.secret: account.name for account in accounts_of(device)}
    for setting, word, ref in secrets_of(device):
        tried = (f"{TRIED}{setting.name}", f"{TRIED}{setting.name}.{word}")
        account = accounts.get(ref, "")
        yield setting.title, account, ref, (f"{SIGN_IN}{account}",) if account else tried
    if spoken:
        whose = "" if first == device.factory_account_secret else f", with {first.name}"
        yield f"the first account{whose}", "", first, ()


def sent_to(job: OpenJob, vault: Vault, entry: str) -> list[tuple[str, list[str]]]:
    """The devices that are sent an entry, with the settings in which; where a new password can be made for it.

    Raises RunError for an entry that no step sends, or that is being changed already.
    """
    using = [
        (n, [s.name for s, _, ref in secrets_of(job.board.lines[n].device) if ref.name == entry]) for n in job.memories
    ]
    users = [(name, settings) for name, settings in using if settings]
    if not users:
        known = {ref.name for name in job.memories for _, _, ref in secrets_of(job.board.lines[name].device)}
        raise RunError(f"no device is sent {entry}{did_you_mean(entry, known)}; only what a step sends can be changed")
    for name, settings in users:
        fixed = [
            s.title for s in job.scripts[name].steps if s.setting in settings and job.scripts[name].only_at_first(s)
        ]
        if fixed:
            raise RunError(f"{name} is told its {fixed[0]} at first contact only; {entry} can't be changed on it")
    if SecretRef(entry) not in vault:
        raise RunError(f"the vault has no entry {entry} yet; a run makes it")
    if SecretRef(entry + BEFORE) in vault:
        raise RunError(
            f"{entry} is being changed already: run {', '.join(name for name, _ in users)} until it is proved"
        )
    return users


def rotate(job: OpenJob, vault: Vault, entry: str) -> list[tuple[str, entries.Happened]]:
    """Make a new password for an entry, the old one kept beside it; returns the events that have devices told.

    Raises RunError as `sent_to` does.
    """
    users = sent_to(job, vault, entry)
    asked = job.plan.password_rules
    rules = [job.books[job.board.lines[name].device.family].rules.asked_of_passwords(asked) for name, _ in users]
    strictest = min(rules, key=lambda rule: (rule.secret_longest - rule.secret_shortest, -rule.secret_shortest))
    vault.rotate(SecretRef(entry), strictest)
    return [(name, entries.Rotating(entry, settings)) for name, settings in users]


def unfinished(job: OpenJob, vault: Vault) -> list[tuple[str, entries.Rotating]]:
    """What was begun and not written down, since the program ended right then: devices know the password of before."""
    found = []
    for entry in (name.removesuffix(BEFORE) for name in vault.names() if name.endswith(BEFORE)):
        if any(entry in memory.rotating for memory in job.memories.values()):
            continue
        for name in job.memories:
            settings = [s.name for s, _, ref in secrets_of(job.board.lines[name].device) if ref.name == entry]
            found += [(name, entries.Rotating(entry, settings))] if settings else []
    return found


def settled(job: OpenJob, vault: Vault, name: str) -> Sequence[entries.Rotated]:
    """What a device has proved to know by now; once all who use it do, the old password is dropped."""
    memory = job.memories[name]
    if not memory.rotating or memory.concluded_at is None or memory.outcome.differing:
        return ()
    events = [entries.Rotated(entry) for entry in sorted(memory.rotating)]
    for event in events:
        memory.take_in(event, name, time.time())
        if not any(event.entry in other.rotating for other in job.memories.values()):
            vault.drop(SecretRef(event.entry + BEFORE))
    return events
