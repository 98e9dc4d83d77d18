"""What the journal believes of a device: a fold over its entries, and nothing else.

Any instant of a run can be the last; the next start knows from here what was said, which credentials to
try first, how long this device took to boot, and what was proved.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from zinger.phrasebook import Phrasebook
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.subjects.accounts.settings import ADMINISTRATOR
from zinger.plan.values.secrets import SecretRef
from zinger.proof import Finding, Source, Verdict
from zinger.store.journal import Entry

FACTORY_PREFIX = "factory/"


def factory_secret(device: Device, book: Phrasebook) -> SecretRef:
    """The reference under which the factory password is said (and masked like any other).

    A family's public one, or the vault entry for what is printed on this very box.
    """
    return SecretRef(f"{device.name}/label" if book.factory.on_label else f"{FACTORY_PREFIX}{book.family}")


@dataclass
class Memory:
    """One device, as the journal tells it."""

    accepted: list[tuple[str, str]] = field(default_factory=list)
    """(user, vault entry) pairs that were accepted, the latest first."""
    intended: list[tuple[str, str]] = field(default_factory=list)
    """Pairs that may count by now: a change was begun and its end was never written."""
    boots_in: float | None = None
    needs_you: str = ""
    proved_at: float | None = None
    findings: dict[tuple[str, Source], Finding] = field(default_factory=dict)
    stages: list[tuple[str, float, float]] = field(default_factory=list)
    """(stage, began, ended), in seconds since 1970."""
    refused: dict[str, str] = field(default_factory=dict)


def remember(entries: Iterable[Entry]) -> Memory:
    """Fold a device's entries, oldest first."""
    memory = Memory()
    for entry in entries:
        data = entry.data
        match entry.kind:
            case "signed in" | "renewed":
                pair = (data["user"], data["secret"])
                memory.accepted = [pair, *(p for p in memory.accepted if p != pair)]
            case "may sign in":
                pair = (data["user"], data["secret"])
                memory.intended = [pair, *(p for p in memory.intended if p != pair)]
            case "booted":
                memory.boots_in = float(data["seconds"])
            case "stage":
                memory.stages.append((data["stage"], float(data["began"]), entry.at))
            case "run began":
                if data.get("speaks", True):
                    memory.findings.clear()
                memory.refused.clear()
                memory.proved_at, memory.needs_you = None, ""
            case "refused":
                memory.refused[data["setting"]] = data["words"]
            case "finding":
                finding = finding_of(entry.device, data)
                memory.findings[finding.setting, finding.source] = finding
            case "needs you":
                memory.needs_you = data["why"]
            case "proved":
                memory.proved_at, memory.needs_you = entry.at, ""
    return memory


def finding_data(finding: Finding) -> dict[str, str]:
    """A finding as journal data."""
    return {
        "setting": finding.setting,
        "title": finding.title,
        "source": finding.source.value,
        "planned": finding.planned,
        "read": finding.read,
        "evidence": finding.evidence,
        "verdict": finding.verdict.value,
    }


def finding_of(device: str, data: dict[str, str]) -> Finding:
    """The inverse of `finding_data`."""
    return Finding(
        device,
        data["setting"],
        data["title"],
        Source(data["source"]),
        data["planned"],
        data["read"],
        data["evidence"],
        Verdict(data["verdict"]),
    )


def credentials(device: Device, book: Phrasebook, memory: Memory) -> list[tuple[str, SecretRef]]:
    """Whom to try, in the order of belief: accepted before, perhaps changed, then what the factory gave.

    A device that the journal knows nothing of is tried as new first, since that costs the fewest tries.
    """
    factory = [(book.factory.user, factory_secret(device, book))] if book.factory.user else []
    planned = [(account.name, account.secret) for setting, account in accounts_of(device) if setting is ADMINISTRATOR]
    accepted = [(user, SecretRef(entry)) for user, entry in memory.accepted]
    intended = [(user, SecretRef(entry)) for user, entry in memory.intended]
    believed = [*accepted, *intended, *factory] if accepted else [*factory, *intended]
    renewed = [(book.factory.user, device.factory_account_secret)] if factory else []
    every = dict.fromkeys([*believed, *planned, *renewed])
    # where an administrator does not end at home, only the family's own account leads there
    return [pair for pair in every if not book.administrator or pair[0] == book.factory.user]
