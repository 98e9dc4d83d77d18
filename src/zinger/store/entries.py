"""What can happen to a device or a run, as the journal keeps it: each kind of entry a typed event.

The journal itself stores a kind and data; `written` and `read` are the border between both. An entry of a kind that is
not known here (of an older or a newer Zinger) is read as None and skipped by every fold.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, dataclass, field, fields
from typing import Any, ClassVar, Self

from zinger.errors import ZingerError
from zinger.proof.findings import Finding, Source, Verdict
from zinger.proof.outcome import Debt, Lacking


class JournalError(ZingerError):
    """The journal can't be read or written; the message says what was done about it."""


@dataclass(frozen=True)
class Entry:
    """One thing that happened: `at` in seconds since 1970, the device (or ""), its kind and data."""

    id: int
    at: float
    device: str
    kind: str
    data: dict[str, Any]


class Happened:
    """An event that the journal can keep."""

    kind: ClassVar[str]


@dataclass(frozen=True)
class RunBegan(Happened):
    """A run began: over these devices, or (for one device) with or without sending."""

    kind = "run began"
    devices: list[str] = field(default_factory=list)
    practice: bool = True
    sends: bool = True


@dataclass(frozen=True)
class RunEnded(Happened):
    """A run ended, with each device in this state."""

    kind = "run ended"
    states: dict[str, str]


@dataclass(frozen=True)
class VaultFilled(Happened):
    """New vault entries were made."""

    kind = "vault"
    made: list[str]


@dataclass(frozen=True)
class HandsAsked(Happened):
    """An act is asked for that only a person can do."""

    kind = "hands asked"
    verb: str
    do: str
    why: str
    see: str = ""
    until: float | None = None
    number: int = 0
    """What it is called by until it is done; 0 in the journal of an older Zinger."""
    entry: str = ""
    """The vault entry that is typed into it."""


@dataclass(frozen=True)
class Kept(Happened):
    """What the device said it would do, or has, in its own words: evidence beside the findings."""

    kind = "kept"
    what: str
    lines: tuple[str, ...]


@dataclass(frozen=True)
class BackedUp(Happened):
    """The configuration that the device gave is kept in this file of the job; `size` in bytes."""

    kind = "backed up"
    file: str
    size: int
    sha256: str


@dataclass(frozen=True)
class Restored(Happened):
    """The configuration in this file of the job was brought back to the device; `size` in bytes."""

    kind = "restored"
    file: str
    size: int
    sha256: str


@dataclass(frozen=True)
class Rotating(Happened):
    """An entry has a new password, which these settings of the device send; it knows the one before until then."""

    kind = "rotating"
    entry: str
    settings: list[str]


@dataclass(frozen=True)
class Swapped(Happened):
    """Another box takes the place of the one that this device was so far; that one had these numbers."""

    kind = "swapped"
    serial: str
    mac: str


@dataclass(frozen=True)
class Renamed(Happened):
    """The plan calls devices otherwise: what was known under the name of before is known under the one now."""

    kind = "renamed"
    names: dict[str, str]
    """The name now, and the one before: all at once, since names can be exchanged."""


@dataclass(frozen=True)
class SetByHand(Happened):
    """A person says that they set this value by hand on a device that no phrasebook speaks to; or takes it back."""

    kind = "set by hand"
    setting: str
    value: str
    back: bool = False


@dataclass(frozen=True)
class Rotated(Happened):
    """The new password of an entry was proved on the device."""

    kind = "rotated"
    entry: str


@dataclass(frozen=True)
class HandsWithdrawn(Happened):
    """Nobody waits any more for an act that was asked for."""

    kind = "hands withdrawn"
    verb: str


@dataclass(frozen=True)
class HandsAnswered(Happened):
    """A person said at another terminal that an act is done; or that it `cannot` be, and why, which may be nothing."""

    kind = "hands answered"
    verb: str
    cannot: str | None = None


@dataclass(frozen=True)
class HandsDone(Happened):
    """A person (or the yard) did an act; times in seconds since 1970."""

    kind = "hands"
    verb: str
    do: str
    began: float
    ended: float


@dataclass(frozen=True)
class Leaves(Happened):
    """What is sent now takes the device away for a while, and it may come back with another certificate.

    `still` is false once it came back, and was told to be the same.
    """

    kind = "leaves"
    still: bool = True


@dataclass(frozen=True)
class NewCertificate(Happened):
    """The device showed another certificate after it restarted or moved; its serial number or MAC was compared."""

    kind = "new certificate"
    before: str
    now: str


@dataclass(frozen=True)
class TermsAccepted(Happened):
    """A person accepted a family's terms of use; `text` is the digest of what was shown, or `any`."""

    kind = "terms accepted"
    family: str
    text: str


@dataclass(frozen=True)
class MaySignIn(Happened):
    """An intent: from now on this credential may count."""

    kind = "may sign in"
    user: str
    secret: str


@dataclass(frozen=True)
class SignedIn(Happened):
    """A credential was accepted."""

    kind = "signed in"
    user: str
    secret: str


@dataclass(frozen=True)
class Renewed(SignedIn):
    """A forced change of password was carried out."""

    kind = "renewed"


@dataclass(frozen=True)
class TookAnothers(Happened):
    """The box on this device's wire was another one: the password that it took there is not this device's."""

    kind = "another took it"
    user: str
    secret: str
    whose: str
    """The device whose box it was; empty for one that nobody planned."""


@dataclass(frozen=True)
class Booted(Happened):
    """A boot took so many seconds."""

    kind = "booted"
    seconds: float


@dataclass(frozen=True)
class StageDone(Happened):
    """A stage was carried through; it began at this time (seconds since 1970)."""

    kind = "stage"
    stage: str
    began: float
    waited: float = 0.0
    """Seconds of it in which it waited for people, or for what other devices had."""


@dataclass(frozen=True)
class WillSend(Happened):
    """An intent: a step is about to be sent, in these words (masked). `changes`: not only saving or a restart."""

    kind = "send"
    setting: str
    words: str
    changes: bool = True


@dataclass(frozen=True)
class WasSent(Happened):
    """A step was sent and not refused; `warned` are the device's words that are worth telling."""

    kind = "sent"
    setting: str
    warned: str = ""


@dataclass(frozen=True)
class WasRefused(Happened):
    """The device refused a step, in these words."""

    kind = "refused"
    setting: str
    words: str


@dataclass(frozen=True)
class Found(Happened):
    """A finding."""

    kind = "finding"
    setting: str
    title: str
    source: str
    planned: str
    read: str
    evidence: str
    verdict: str

    @classmethod
    def of(cls, finding: Finding) -> Found:
        """The entry for a finding."""
        return cls(
            finding.setting,
            finding.title,
            finding.source.value,
            finding.planned,
            finding.read,
            finding.evidence,
            finding.verdict.value,
        )

    def finding(self, device: str) -> Finding:
        """The finding again."""
        source, verdict = Source(self.source), Verdict(self.verdict)
        return Finding(device, self.setting, self.title, source, self.planned, self.read, self.evidence, verdict)


@dataclass(frozen=True)
class NeedsYou(Happened):
    """A person is needed; `shown` is what the device last showed."""

    kind = "needs you"
    why: str
    shown: str = ""


@dataclass(frozen=True)
class PersonActed(Happened):
    """A person took the wire, or handed it back."""

    kind = "person"
    what: str


@dataclass(frozen=True)
class Stopped(Happened):
    """A person stopped the device on its way, in this state."""

    kind = "stopped"
    state: str


@dataclass(frozen=True)
class SetAside(Happened):
    """A person leaves the device out of runs, since it is absent or a spare; no reason takes it back."""

    kind = "set aside"
    why: str


@dataclass(frozen=True)
class PassedOver(Happened):
    """A person has a setting passed over: it is not sent to this device. `back` takes that back."""

    kind = "passed over"
    setting: str
    back: bool = False


@dataclass(frozen=True)
class Noted(Happened):
    """A person noted something about the device, for whoever comes after."""

    kind = "noted"
    text: str


@dataclass(frozen=True)
class Differs(Happened):
    """The proof found a difference from the plan of this `revision`."""

    kind = "differs"
    why: str
    revision: str = ""


@dataclass(frozen=True)
class Met(Happened):
    """Which box it is: its serial number and MAC, as it showed them; all that follows is of this one."""

    kind = "met"
    serial: str
    mac: str

    def another_than(self, before: Met) -> bool:
        """Whether it can't be the same box: both showed something, and not the same."""
        pairs = ((self.serial, before.serial), (self.mac, before.mac))
        return any(mine and theirs and mine != theirs for mine, theirs in pairs)

    def __str__(self) -> str:
        return " ".join(filter(None, (self.serial, self.mac)))


@dataclass(frozen=True)
class Stands(Happened):
    """The planned address with its prefix at which this very box answered: it is looked for there when plans change."""

    kind = "stands"
    at: str


@dataclass(frozen=True)
class Saved(Happened):
    """What was sent is saved: every save step was sent and none refused."""

    kind = "saved"


@dataclass(frozen=True)
class ShownUnsaved(Happened):
    """The device shows, in its own line, that what runs is not saved."""

    kind = "shown unsaved"
    line: str


@dataclass(frozen=True)
class Accepted(Happened):
    """A person accepts that a setting differs or is owed, with a reason of their own; an empty one takes it back."""

    kind = "accepted"
    setting: str
    why: str


@dataclass(frozen=True)
class Concluded(Happened):
    """Everything that was found holds. `owed`: for each thing its setting, why it is owed in one word, and the reason;
    also what a person accepted, since that can be taken back. `revision`: of the device's plan."""

    owed: list[list[str]] = field(default_factory=list)
    revision: str = ""

    @classmethod
    def of(cls, debts: Iterable[Debt], revision: str) -> Self:
        """The entry for what is owed."""
        return cls([[debt.setting, debt.lacking.value, debt.why] for debt in debts], revision)

    def debts(self) -> tuple[Debt, ...]:
        """What is owed."""
        known = {lacking.value for lacking in Lacking}
        rows = (
            row for row in self.owed if len(row) == 3 and row[1] in known
        )  # a journal is data from somebody else too
        return tuple(Debt(setting, Lacking(word), why) for setting, word, why in rows)


@dataclass(frozen=True)
class Configured(Concluded):
    """Something is owed that nobody accepted."""

    kind = "configured"


@dataclass(frozen=True)
class Proved(Concluded):
    """Nothing is owed but what was accepted."""

    kind = "proved"


_KINDS: dict[str, type[Any]] = {
    cls.kind: cls
    for cls in (
        RunBegan,
        RunEnded,
        VaultFilled,
        HandsAsked,
        HandsAnswered,
        HandsWithdrawn,
        Rotating,
        Rotated,
        Swapped,
        Renamed,
        SetByHand,
        HandsDone,
        TermsAccepted,
        NewCertificate,
        MaySignIn,
        SignedIn,
        Renewed,
        Kept,
        Leaves,
        BackedUp,
        Restored,
        Booted,
        StageDone,
        WillSend,
        WasSent,
        WasRefused,
        Found,
        NeedsYou,
        PersonActed,
        Stopped,
        SetAside,
        PassedOver,
        Noted,
        Differs,
        Met,
        Stands,
        Saved,
        ShownUnsaved,
        Accepted,
        Configured,
        Proved,
    )
}


def written(event: Happened) -> tuple[str, dict[str, Any]]:
    """The kind and the data under which the journal keeps an event."""
    return event.kind, asdict(event)  # type: ignore[call-overload]


def read(entry: Entry) -> Happened | None:
    """The event that an entry keeps; None for a kind that is not known here, or one that does not fit it."""
    cls = _KINDS.get(entry.kind)
    if cls is None:
        return None
    parts = _PARTS[cls.kind]
    try:
        event: Happened = cls(**{name: value for name, value in entry.data.items() if name in parts})
    except TypeError:  # an entry of another version, which lacks a part
        return None
    return event if all(fits(getattr(event, name)) for name, fits in parts.items()) else None


def _listed(item: Callable[[Any], bool]) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, list | tuple) and all(map(item, value))


def _is_text(value: Any) -> bool:
    return isinstance(value, str)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


_FITS: Mapping[str, Callable[[Any], bool]] = {
    "str": _is_text,
    "bool": lambda value: isinstance(value, bool),
    "int": lambda value: isinstance(value, int),
    "float": _is_number,
    "str | None": lambda value: value is None or _is_text(value),
    "float | None": lambda value: value is None or _is_number(value),
    "list[str]": _listed(_is_text),
    "tuple[str, ...]": _listed(_is_text),
    "list[list[str]]": _listed(_listed(_is_text)),
    "dict[str, str]": lambda value: isinstance(value, dict) and all(map(_is_text, [*value, *value.values()])),
}
"""Whether a value is of the type that a part of an event has: a journal is data from somebody else too."""


_PARTS = {kind: {part.name: _FITS[str(part.type)] for part in fields(cls)} for kind, cls in _KINDS.items()}
