"""What all findings and deeds together mean for a device: proved, configured, or different; the one source of the word.

Better to owe than to claim. A device is proved only when every part of every planned value was sent and shown, nothing
was refused, every password was used, what was sent is kept, and all that was to be looked at was found as planned. What
is missing is *owed*, with its reason; a person may accept it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zinger.phrasebook.steps import FILE
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.accounts.settings import ACCOUNTS
from zinger.proof.findings import Finding, Source, Verdict
from zinger.script.compile import Script, Step
from zinger.wording import counted

SIGN_IN = "sign-in."
"""How findings of sign-ins are called: this, and the account's name."""
SURVIVED = (Source.STARTUP, Source.AFTER_POWER_CUT, Source.AFTER_RESTART)
"""Where it was seen that a value outlives a power cut."""
SURVIVAL = "survival"
"""What is owed when nothing was read after the device had been without power."""
_ACCOUNTS = frozenset(setting.name for setting in ACCOUNTS)


class State(StrEnum):
    """How a device stands, from its findings and what is owed."""

    PROVED = "proved"
    CONFIGURED = "configured"
    DIFFERS = "differs"


class Lacking(StrEnum):
    """Why something is owed."""

    NOT_SENT = "not sent"
    NOT_SHOWN = "not shown"
    REFUSED = "refused"
    NOT_TRIED = "not tried"
    NOT_SAVED = "not saved"
    NOT_SEEN = "not seen"


def title_of(setting: str) -> str:
    """A setting as people call it."""
    if setting in SETTINGS:
        return SETTINGS[setting].title
    return f"generated file {setting.removeprefix(FILE)}" if setting.startswith(FILE) else setting


@dataclass(frozen=True)
class Debt:
    """One thing that is owed: of which setting, why, and the reason as a sentence."""

    setting: str
    lacking: Lacking
    why: str

    @property
    def title(self) -> str:
        """The setting as people call it."""
        return title_of(self.setting)

    def __str__(self) -> str:
        return f"{self.title} {self.lacking.value}: {self.why}"


@dataclass(frozen=True)
class Deeds:
    """What was done with the device, as the journal tells it."""

    refused: Mapping[str, str] = field(default_factory=dict)
    """The device's words, by setting."""
    unsaved: bool = False
    """Whether something was sent, and no save was seen to succeed since."""
    accepted: Mapping[str, str] = field(default_factory=dict)
    """The reasons of people, by setting."""


@dataclass(frozen=True)
class Outcome:
    """What came of it."""

    differing: tuple[Finding, ...] = ()
    owed: tuple[Debt, ...] = ()
    accepted: tuple[tuple[str, str], ...] = ()
    """Settings that differ or are owed and were accepted, each with the reason."""
    forgiven: tuple[Debt, ...] = ()
    """What would be owed without that."""

    @property
    def state(self) -> State:
        """The one word for it."""
        if self.differing:
            return State.DIFFERS
        return State.CONFIGURED if self.owed else State.PROVED

    @property
    def sentence(self) -> str:
        """The first thing that keeps it from being proved, or what was accepted; empty when there is nothing to say."""
        if self.differing:
            return _difference(self.differing[0])
        if self.owed:
            more = f", and {len(self.owed) - 1} more" if len(self.owed) > 1 else ""
            return f"owes {counted(len(self.owed), 'thing')}: {self.owed[0].title} {self.owed[0].lacking.value}{more}"
        return f"but for {len(self.accepted)} accepted" if self.accepted else ""


def but_for(accepted: int) -> str:
    """What is said behind a count of proved devices, of so many of which something was accepted."""
    return f", {accepted} of them but for what was accepted" if accepted else ""


def outcome(
    script: Script, findings: Iterable[Finding], missing: Iterable[tuple[str, Source]], deeds: Deeds
) -> Outcome:
    """Compute it. `missing` are the (setting, source) that were to be looked at and were not."""
    latest = {(f.setting, f.source): f for f in findings}
    return settle(latest.values(), dict.fromkeys(_debts(script, latest, missing, deeds)), deeds.accepted)


def settle(findings: Iterable[Finding], debts: Iterable[Debt], accepted: Mapping[str, str]) -> Outcome:
    """The outcome of findings and debts, less what a person accepted."""
    findings, debts = tuple(findings), tuple(debts)
    differing = [f for f in findings if not f.holds]
    taken = {setting for setting in accepted if may_be_accepted(setting, findings)}
    concerned = dict.fromkeys([*(f.setting for f in differing), *(debt.setting for debt in debts)])
    return Outcome(
        tuple(f for f in differing if f.setting not in taken),
        tuple(debt for debt in debts if debt.setting not in taken),
        tuple((setting, accepted[setting]) for setting in concerned if setting in taken),
        tuple(debt for debt in debts if debt.setting in taken),
    )


def may_be_accepted(setting: str, findings: Iterable[Finding]) -> bool:
    """Whether a person may accept it: what is required must at least have been seen."""
    required = setting in SETTINGS and SETTINGS[setting].required
    return not required or any(finding.setting == setting for finding in findings)


def _debts(
    script: Script, latest: Mapping[tuple[str, Source], Finding], missing: Iterable[tuple[str, Source]], deeds: Deeds
) -> Iterator[Debt]:
    for left_out in script.not_sent:
        if left_out.owed:
            yield Debt(left_out.setting, Lacking.NOT_SENT, left_out.why)
    for step in script.steps:
        if step.setting:
            yield from _of_step(step, latest)
    for setting, words in deeds.refused.items():
        yield Debt(setting, Lacking.REFUSED, words)
    for setting, source in missing:
        yield Debt(setting, Lacking.NOT_SEEN, f"nothing was read {source.value}")
    looked_at = ((_looked_for(step), step) for step in script.steps)
    kept = ((name, step) for name, step in looked_at if name and not step.is_measured)
    mortal = [step for name, step in kept if not any((name, source) in latest for source in SURVIVED)]
    if mortal:
        settings = counted(len(mortal), "setting")
        yield Debt(SURVIVAL, Lacking.NOT_SEEN, f"{settings} not read after a power cut or restart, nor in startup")
    if deeds.unsaved and script.saves:
        yield Debt("save", Lacking.NOT_SAVED, "something was sent, and no save was seen to succeed since")


def _looked_for(step: Step) -> str:
    """What the findings of a step are called: its setting; its sign-in for an account that no reading shows."""
    if step.shows is not None:
        return step.setting
    return SIGN_IN + step.value if step.setting in _ACCOUNTS else ""


def _of_step(step: Step, latest: Mapping[tuple[str, Source], Finding]) -> Iterator[Debt]:
    for part in step.unsent:
        why = f"{part.like} is sent in the same words" if part.like else "the phrasebook does not use it"
        yield Debt(step.setting, Lacking.NOT_SENT, f"{part}: {why}")
    if step.shows is None and not any(setting == _looked_for(step) for setting, _ in latest):
        yield Debt(step.setting, Lacking.NOT_SHOWN, "the phrasebook reads nothing back")
    for part in step.unshown:
        why = f"{part.like} would look the same" if part.like else "no reading shows it"
        yield Debt(step.setting, Lacking.NOT_SHOWN, f"{part}: {why}")
    for part in step.secrets:
        trial = next((trial for trial in step.trials if trial.part == part), None)
        name = SIGN_IN + step.value if step.setting in _ACCOUNTS else trial.name if trial else ""
        if not any(setting == name for setting, _ in latest):
            yield Debt(step.setting, Lacking.NOT_TRIED, f"{part}: nothing has used it")


def _difference(finding: Finding) -> str:
    if finding.verdict is Verdict.ABSENT:
        where = finding.source.value
        where = f"in {where}" if finding.source in (Source.RUNNING, Source.STARTUP) else where
        return f"{finding.title}: nothing shown {where}, planned {finding.planned}"
    return f"{finding.title} reads back {finding.read}, planned {finding.planned}"
