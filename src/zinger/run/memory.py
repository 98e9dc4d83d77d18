"""What the journal believes of a device: a fold over its entries, and nothing else.

Any instant of a run can be the last; the next start knows from here what was sent, which credentials to
try first, how long this device took to boot, and what was proved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from ipaddress import ip_interface

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import AsksFor
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import PlannedAccount, accounts_of, factory_renewal
from zinger.plan.subjects.accounts.settings import CONSOLE_PASSWORD, PRIVILEGED_PASSWORD, SIGN_IN_PASSWORD
from zinger.plan.values.addresses import Interface
from zinger.plan.values.secrets import SecretRef
from zinger.proof.findings import Finding, Source
from zinger.proof.outcome import SIGN_IN, SURVIVED, Debt, Deeds, Outcome, settle
from zinger.script.compile import TRIED
from zinger.store.entries import (
    Accepted,
    Booted,
    Concluded,
    Configured,
    Differs,
    Entry,
    Found,
    HandsDone,
    Happened,
    Kept,
    Leaves,
    MaySignIn,
    Met,
    NeedsYou,
    Noted,
    PassedOver,
    PersonActed,
    Proved,
    Renewed,
    Restored,
    Rotated,
    Rotating,
    RunBegan,
    Saved,
    SetAside,
    SetByHand,
    ShownUnsaved,
    SignedIn,
    StageDone,
    Stands,
    Stopped,
    Swapped,
    TookAnothers,
    WasRefused,
    WasSent,
    WillSend,
    read,
)
from zinger.store.vault import BEFORE

FACTORY_PREFIX = "factory/"
FACTORY_LOGIN = "factory"
"""What the sign-in is called that must be refused."""
QUESTIONS_OF = "questions of "
"""What is sent in a question script is kept in the journal under these words and its name."""
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
    waited: float = 0.0

    @property
    def took(self) -> float:
        """The seconds that were worked in it."""
        return max(0.0, self.ended - self.began - self.waited)


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
    box: Met = field(default_factory=lambda: Met("", ""))
    """The box that all this is of."""
    stands_at: Interface | None = None
    """The address at which it answered last, of those that were planned for it."""
    boots_in: float | None = None
    needs_you: str = ""
    touched: bool = False
    """Whether a person did something to it since the last run came to its end."""
    concluded_at: float | None = None
    """When the last run came to its end with everything found as planned."""
    concluded_of: str = ""
    """The revision of the plan that the last run was about; empty in a journal that did not keep it."""
    debts: tuple[Debt, ...] = ()
    """What the last run left owed."""
    leaves: bool = False
    """Whether it was sent away, by a restart or a move, and did not yet come back and tell that it is the same."""
    begun: set[str] = field(default_factory=set)
    """The settings, and the question scripts, of which something was sent to this box, whether it took it or not."""
    said: dict[str, str] = field(default_factory=dict)
    """The words (masked) in which each of these was sent last."""
    kept_out: set[str] = field(default_factory=set)
    """The accounts with which nobody was let in when they were tried last."""
    taken: dict[str, str] = field(default_factory=dict)
    """What a person accepted, with the reason, by setting."""
    unsaved: bool = False
    """Whether something was sent or typed, and no save was seen to succeed since."""
    findings: dict[tuple[str, Source], Finding] = field(default_factory=dict)
    kept: dict[str, tuple[str, ...]] = field(default_factory=dict)
    spans: list[Span] = field(default_factory=list)
    """What was done in the last run, and when."""
    refused: dict[str, str] = field(default_factory=dict)
    aside: str = ""
    """Why it is left out of runs; empty where it is not."""
    passed_over: set[str] = field(default_factory=set)
    """The settings that a person has passed over."""
    notes: list[tuple[float, str]] = field(default_factory=list)
    """What a person noted about it, and when."""
    by_hand: dict[str, str] = field(default_factory=dict)
    """What a person said that they set by hand, in the plan's words, by setting: said, never proved."""
    rotating: set[str] = field(default_factory=set)
    """The entries with a new password that the device was not proved to know yet."""
    used_at: dict[str, float] = field(default_factory=dict)
    """When each entry of the vault was signed in with last, by its name."""
    held_at: dict[str, float] = field(default_factory=dict)
    """When each finding about a password held last, by its name."""
    last_at: float | None = None
    """When something happened to it last."""
    stopped: str = ""
    """The state in which a person stopped it last, if nothing came after."""

    @property
    def outcome(self) -> Outcome:
        """What the last run came to, less what was accepted since."""
        return settle(self.findings.values(), self.debts, self.taken)

    @property
    def deeds(self) -> Deeds:
        """What was done, for the verdict."""
        return Deeds(self.refused, self.unsaved, self.taken)

    def take_in(self, event: Happened, device: str, at: float) -> None:
        """One more event: the one fold over them, `_FOLD` says how each kind counts."""
        self.last_at = at
        take = _FOLD.get(type(event))
        if take is not None:
            take(self, event, device, at)


def _first(pair: tuple[str, str], pairs: list[tuple[str, str]]) -> list[tuple[str, str]]:
    return [pair, *(other for other in pairs if other != pair)]


def _signed_in(memory: Memory, event: SignedIn, device: str, at: float) -> None:
    memory.accepted = _first((event.user, event.secret), memory.accepted)
    memory.used_at[event.secret] = at


def _renewed(memory: Memory, event: Renewed, device: str, at: float) -> None:
    _signed_in(memory, event, device, at)
    memory.unsaved = True


def _took_anothers(memory: Memory, event: TookAnothers, device: str, at: float) -> None:
    memory.accepted = [pair for pair in memory.accepted if pair != (event.user, event.secret)]


def _may_sign_in(memory: Memory, event: MaySignIn, device: str, at: float) -> None:
    memory.intended = _first((event.user, event.secret), memory.intended)


def _booted(memory: Memory, event: Booted, device: str, at: float) -> None:
    memory.boots_in = event.seconds


def _stage_done(memory: Memory, event: StageDone, device: str, at: float) -> None:
    memory.spans.append(Span(Worker.of_stage(event.stage), event.stage, event.began, at, event.waited))


def _hands_done(memory: Memory, event: HandsDone, device: str, at: float) -> None:
    memory.spans.append(Span(Worker.HANDS, event.verb, event.began, event.ended))


def _run_began(memory: Memory, event: RunBegan, device: str, at: float) -> None:
    """What was found before counts no more, once something may be sent."""
    if event.sends:
        memory.findings.clear()
    memory.refused.clear()
    memory.spans.clear()
    memory.concluded_at = None
    memory.touched = False
    memory.debts = ()
    memory.concluded_of = memory.needs_you = memory.stopped = ""


def _leaves(memory: Memory, event: Leaves, device: str, at: float) -> None:
    memory.leaves = event.still


def _kept(memory: Memory, event: Kept, device: str, at: float) -> None:
    memory.kept[event.what] = tuple(event.lines)


def _will_send(memory: Memory, event: WillSend, device: str, at: float) -> None:
    memory.unsaved |= event.changes
    memory.begun.add(event.setting)
    memory.said[event.setting] = event.words


def _restored(memory: Memory, event: Restored, device: str, at: float) -> None:
    """What was brought back has its passwords of then, or none: whichever was sent before counts no more."""
    memory.begun.clear()


def _was_sent(memory: Memory, event: WasSent, device: str, at: float) -> None:
    memory.refused.pop(event.setting, None)


def _was_refused(memory: Memory, event: WasRefused, device: str, at: float) -> None:
    memory.refused[event.setting] = event.words


def _person_acted(memory: Memory, event: PersonActed, device: str, at: float) -> None:
    """What a person typed is not saved for all that is known, and what survived before may be another by now."""
    memory.unsaved = memory.touched = True
    memory.findings = {key: found for key, found in memory.findings.items() if found.source not in SURVIVED}


def _met(memory: Memory, event: Met, device: str, at: float) -> None:
    """Of another box than before nothing is known: what was sent, found, refused and accepted was of that one."""
    if event.another_than(memory.box):
        memory.findings.clear()
        memory.refused.clear()
        memory.taken.clear()
        memory.kept.clear()
        memory.begun.clear()
        memory.said.clear()
        memory.kept_out.clear()
        memory.passed_over.clear()
        memory.stands_at = None
        memory.unsaved = True  # a forced change of its password may have come first
        memory.box = event
    memory.box = Met(event.serial or memory.box.serial, event.mac or memory.box.mac)


def _stands(memory: Memory, event: Stands, device: str, at: float) -> None:
    with suppress(ValueError):  # a journal is data from somebody else too
        memory.stands_at = ip_interface(event.at)


def _saved(memory: Memory, event: Saved, device: str, at: float) -> None:
    memory.unsaved = False


def _shown_unsaved(memory: Memory, event: ShownUnsaved, device: str, at: float) -> None:
    memory.unsaved = True


def _accepted(memory: Memory, event: Accepted, device: str, at: float) -> None:
    memory.taken.pop(event.setting, None)
    memory.taken.update({event.setting: event.why} if event.why else {})


def _found(memory: Memory, event: Found, device: str, at: float) -> None:
    try:
        finding = event.finding(device)
    except ValueError:  # of a source or verdict that nobody knows here
        return
    memory.findings[finding.setting, finding.source] = finding
    if finding.setting.startswith(SIGN_IN):
        name = finding.setting.removeprefix(SIGN_IN)
        (memory.kept_out.discard if finding.holds else memory.kept_out.add)(name)
    if finding.holds and finding.setting.startswith((SIGN_IN, TRIED)):
        memory.held_at[finding.setting] = at


def _rotating(memory: Memory, event: Rotating, device: str, at: float) -> None:
    """It knows the password of before, and is to be sent the new one: who was let in with the entry was with that."""
    memory.rotating.add(event.entry)
    memory.begun -= set(event.settings)
    before = {pair: (pair[0], event.entry + BEFORE) for pair in memory.accepted if pair[1] == event.entry}
    memory.accepted = [before.get(pair, pair) for pair in memory.accepted]


def _set_by_hand(memory: Memory, event: SetByHand, device: str, at: float) -> None:
    memory.by_hand.pop(event.setting, None)
    if not event.back:
        memory.by_hand[event.setting] = event.value


def _swapped(memory: Memory, event: Swapped, device: str, at: float) -> None:
    """Of the new box nothing is known; a person's notes and decisions about the device stay."""
    fresh = Memory(notes=memory.notes, passed_over=memory.passed_over, aside=memory.aside)
    memory.__dict__.update(fresh.__dict__)


def _rotated(memory: Memory, event: Rotated, device: str, at: float) -> None:
    memory.rotating.discard(event.entry)
    memory.accepted = [pair for pair in memory.accepted if pair[1] != event.entry + BEFORE]


def _set_aside(memory: Memory, event: SetAside, device: str, at: float) -> None:
    memory.aside = event.why


def _passed_over(memory: Memory, event: PassedOver, device: str, at: float) -> None:
    (memory.passed_over.discard if event.back else memory.passed_over.add)(event.setting)


def _noted(memory: Memory, event: Noted, device: str, at: float) -> None:
    memory.notes.append((at, event.text))


def _stopped(memory: Memory, event: Stopped, device: str, at: float) -> None:
    memory.stopped = event.state


def _needs_you(memory: Memory, event: NeedsYou, device: str, at: float) -> None:
    memory.needs_you = event.why


def _differs(memory: Memory, event: Differs, device: str, at: float) -> None:
    memory.touched, memory.concluded_of = False, event.revision


def _concluded(memory: Memory, event: Concluded, device: str, at: float) -> None:
    memory.concluded_at, memory.concluded_of = at, event.revision
    memory.debts, memory.needs_you, memory.touched = event.debts(), "", False


_FOLD: Mapping[type[Happened], Callable[..., None]] = {
    SignedIn: _signed_in,
    Renewed: _renewed,
    Kept: _kept,
    Leaves: _leaves,
    MaySignIn: _may_sign_in,
    TookAnothers: _took_anothers,
    Booted: _booted,
    StageDone: _stage_done,
    HandsDone: _hands_done,
    RunBegan: _run_began,
    WillSend: _will_send,
    WasSent: _was_sent,
    WasRefused: _was_refused,
    Restored: _restored,
    PersonActed: _person_acted,
    Met: _met,
    Stands: _stands,
    Saved: _saved,
    ShownUnsaved: _shown_unsaved,
    Accepted: _accepted,
    Found: _found,
    NeedsYou: _needs_you,
    SetAside: _set_aside,
    PassedOver: _passed_over,
    Stopped: _stopped,
    Rotating: _rotating,
    Rotated: _rotated,
    Swapped: _swapped,
    SetByHand: _set_by_hand,
    Noted: _noted,
    Differs: _differs,
    Configured: _concluded,
    Proved: _concluded,
}
"""How each kind of event counts; kinds that are not here are for the papers only."""


def remember(entries: Iterable[Entry]) -> Memory:
    """Fold a device's entries, oldest first."""
    memory = Memory()
    for entry in entries:
        event = read(entry)
        if event is not None:
            memory.take_in(event, entry.device, entry.at)
    return memory


def former_accounts(device: Device, memory: Memory) -> list[str]:
    """Whom the device let in under an earlier plan, that the present one does not have: nobody took them away."""
    first = (device.factory_account_secret.name, f"{device.name}/label")
    mine = [user for user, entry in memory.accepted if not entry.startswith(FACTORY_PREFIX) and entry not in first]
    let_in = (name.removeprefix(SIGN_IN) for name in memory.held_at if name.startswith(SIGN_IN))
    mine += [name for name in let_in if name != FACTORY_LOGIN]
    planned = {"", *(account.name for account in accounts_of(device)), *memory.kept_out}
    return [user for user in dict.fromkeys(mine) if user not in planned]


def passwords_of(device: Device) -> dict[AsksFor, SecretRef]:
    """The planned passwords that are no account's, by what asks for them."""
    planned = {
        AsksFor.CONSOLE: device[CONSOLE_PASSWORD],
        AsksFor.NETWORK: device[SIGN_IN_PASSWORD],
        AsksFor.ELEVATION: device[PRIVILEGED_PASSWORD],
    }
    return {credential: secret for credential, secret in planned.items() if secret is not None}


def accounts_told(device: Device, book: Phrasebook) -> list[PlannedAccount]:
    """The planned accounts that the family can be told of; others are owed, or not for this kind, and not tried."""
    told = book.told - book.rules.lacks
    return [account for account in accounts_of(device) if account.setting.name in told]


def credentials(device: Device, book: Phrasebook, memory: Memory) -> list[tuple[str, SecretRef]]:
    """Whom to try, in the order of belief: accepted before, perhaps changed, then what the factory gave.

    A device that the journal knows nothing of is tried as new first, since that costs the fewest tries. An account that
    only looks was let in when it was proved, and leads nowhere from which a device can be told anything.
    """
    looking = {account.name for account in accounts_of(device) if not account.administers}
    factory = [(book.factory.user, factory_secret(device, book))] if book.factory.has_account else []
    planned = [(account.name, account.secret) for account in accounts_of(device) if account.administers]
    accepted = [(user, SecretRef(entry)) for user, entry in memory.accepted if user not in looking]
    intended = [(user, SecretRef(entry)) for user, entry in memory.intended if user not in looking]
    believed = [*accepted, *intended, *factory] if accepted else [*factory, *intended]
    renewed = [(book.factory.user, factory_renewal(device, book.factory.user))] if factory else []
    every = dict.fromkeys([*believed, *planned, *renewed])
    # where an administrator does not end at home, only the family's own account leads there
    return [pair for pair in every if not book.administrator or pair[0] == book.factory.user]
