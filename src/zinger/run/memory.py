"""What the journal believes of a device: a fold over its entries, and nothing else.

Any instant of a run can be the last; the next start knows from here what was sent, which credentials to
try first, how long this device took to boot, and what was proved.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.values.secrets import SecretRef
from zinger.proof.findings import Finding, Source
from zinger.store.entries import (
    Booted,
    Entry,
    Found,
    HandsDone,
    Happened,
    MaySignIn,
    NeedsYou,
    Proved,
    RunBegan,
    SignedIn,
    StageDone,
    WasRefused,
    read,
)

FACTORY_PREFIX = "factory/"
_DEVICE_STAGES = frozenset({"reach", "power cut and boot", "save"})


class Worker(StrEnum):
    """Who was at work in a span of time."""

    DEVICE = "device"
    ZINGER = "Zinger"
    HANDS = "hands"

    @classmethod
    def of_stage(cls, stage: str) -> Worker:
        """Who is at work in a stage of a run: in some, it is the device that is waited for."""
        return cls.DEVICE if stage in _DEVICE_STAGES else cls.ZINGER


@dataclass(frozen=True)
class Span:
    """A stretch of a device's time, in seconds since 1970."""

    worker: Worker
    what: str
    began: float
    ended: float


def factory_secret(device: Device, book: Phrasebook) -> SecretRef:
    """The reference under which the factory password is said (and masked like any other).

    A family's public one, or the vault entry for what is printed on this very box.
    """
    return SecretRef(f"{device.name}/label" if book.factory.on_label else f"{FACTORY_PREFIX}{book.family}")


@dataclass
class Memory:
    """One device, as the journal tells it; times in seconds since 1970."""

    accepted: list[tuple[str, str]] = field(default_factory=list)
    """(user, vault entry) pairs that were accepted, the latest first."""
    intended: list[tuple[str, str]] = field(default_factory=list)
    """Pairs that may count by now: a change was begun and its end was never written."""
    boots_in: float | None = None
    needs_you: str = ""
    proved_at: float | None = None
    findings: dict[tuple[str, Source], Finding] = field(default_factory=dict)
    spans: list[Span] = field(default_factory=list)
    """What was done in the last run, and when."""
    refused: dict[str, str] = field(default_factory=dict)


def remember(entries: Iterable[Entry]) -> Memory:
    """Fold a device's entries, oldest first: the one fold over them."""
    memory = Memory()
    for entry in entries:
        event = read(entry)
        if event is not None:
            _take_in(memory, entry, event)
    return memory


def _take_in(memory: Memory, entry: Entry, event: Happened) -> None:
    match event:
        case SignedIn():
            memory.accepted = _first((event.user, event.secret), memory.accepted)
        case MaySignIn():
            memory.intended = _first((event.user, event.secret), memory.intended)
        case Booted():
            memory.boots_in = event.seconds
        case StageDone():
            memory.spans.append(Span(Worker.of_stage(event.stage), event.stage, event.began, entry.at))
        case HandsDone():
            memory.spans.append(Span(Worker.HANDS, event.verb, event.began, event.ended))
        case RunBegan():
            if event.sends:
                memory.findings.clear()
            memory.refused.clear()
            memory.spans.clear()
            memory.proved_at, memory.needs_you = None, ""
        case WasRefused():
            memory.refused[event.setting] = event.words
        case Found():
            finding = event.finding(entry.device)
            memory.findings[finding.setting, finding.source] = finding
        case NeedsYou():
            memory.needs_you = event.why
        case Proved():
            memory.proved_at, memory.needs_you = entry.at, ""


def _first(pair: tuple[str, str], pairs: list[tuple[str, str]]) -> list[tuple[str, str]]:
    return [pair, *(other for other in pairs if other != pair)]


def credentials(device: Device, book: Phrasebook, memory: Memory) -> list[tuple[str, SecretRef]]:
    """Whom to try, in the order of belief: accepted before, perhaps changed, then what the factory gave.

    A device that the journal knows nothing of is tried as new first, since that costs the fewest tries.
    """
    factory = [(book.factory.user, factory_secret(device, book))] if book.factory.user else []
    planned = [(account.name, account.secret) for account in accounts_of(device) if account.administers]
    accepted = [(user, SecretRef(entry)) for user, entry in memory.accepted]
    intended = [(user, SecretRef(entry)) for user, entry in memory.intended]
    believed = [*accepted, *intended, *factory] if accepted else [*factory, *intended]
    renewed = [(book.factory.user, device.factory_account_secret)] if factory else []
    every = dict.fromkeys([*believed, *planned, *renewed])
    # where an administrator does not end at home, only the family's own account leads there
    return [pair for pair in every if not book.administrator or pair[0] == book.factory.user]
