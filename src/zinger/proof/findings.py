"""Findings: planned, read back, the evidence, and the verdict.

A setting is proved by the word of the device, not by the absence of an error: what was not read back is
ABSENT, which is as bad as a difference.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from zinger.phrasebook.steps import FILE, Holds
from zinger.plan.subjects.accounts.settings import ACCOUNTS
from zinger.plan.values.clock import NEAR, LaptopTime, at_once
from zinger.plan.values.ports import fold_ports
from zinger.proof.facts import Fact, Facts
from zinger.script.compile import Script, Shows, Step
from zinger.wording import counted

_ACCOUNTS = frozenset(setting.name for setting in ACCOUNTS)
_PORT = re.compile(r"(?:\d+/)*\d+")


class Source(StrEnum):
    """Where a finding was read."""

    RUNNING = "running"
    STARTUP = "startup"
    CONSOLE = "on the console"
    OUTSIDE = "from the network"
    AFTER_POWER_CUT = "after a power cut"
    AFTER_RESTART = "after a restart"


COLUMNS = {
    Source.RUNNING: "running",
    Source.STARTUP: "startup",
    Source.AFTER_POWER_CUT: "power cut",
    Source.AFTER_RESTART: "restart",
    Source.CONSOLE: "console",
    Source.OUTSIDE: "network",
}
"""The columns of a proof, on screen and paper, with their headings."""
_RARE = frozenset({Source.AFTER_RESTART, Source.CONSOLE})


def columns(found: Iterable[Source]) -> list[Source]:
    """The columns of a proof with findings from these sources; a rare one only if there is a finding from it."""
    there = set(found)
    return [source for source in COLUMNS if source not in _RARE or source in there]


class Verdict(StrEnum):
    """What came of comparing."""

    HOLDS = "holds"
    DIFFERS = "differs"
    ABSENT = "not shown"


@dataclass(frozen=True)
class Finding:
    """One planned thing, as it was found. `evidence` is the line the device showed, secrets masked."""

    device: str
    setting: str
    title: str
    source: Source
    planned: str
    read: str
    evidence: str
    verdict: Verdict

    @property
    def holds(self) -> bool:
        """Whether this is as planned."""
        return self.verdict is Verdict.HOLDS


def judge(script: Script, facts: Facts, source: Source, among: frozenset[str] | None = None) -> list[Finding]:
    """Compare every step of the script that can be read back with what was read.

    `among` are the facts that this source can show at all; those of other steps are not looked for.
    """
    return [
        _finding(script.device, step, step.shows, facts, source, among)
        for step in script.steps
        if step.shows is not None
        and (among is None or step.fact in among)
        and (source is Source.RUNNING or not step.is_measured)
        and (source is not Source.STARTUP or step.is_in_startup)
    ]


def unsaved_by(script: Script, facts: Facts) -> list[Finding]:
    """What shows that the running state is not saved, where the family says which fact tells; else nothing."""
    found = [_finding(script.device, step, step.shows, facts, Source.RUNNING) for step in script.saves if step.shows]
    return [finding for finding in found if not finding.holds]


def _finding(
    device: str, step: Step, shows: Shows, facts: Facts, source: Source, among: frozenset[str] | None = None
) -> Finding:
    """One finding of all the facts that show the setting: it holds when each does."""
    too = [other for other in step.shows_too if among is None or other.fact in among]
    every = [(wanted, _that_matter(step, wanted, facts.get(wanted.fact, ()))) for wanted in (shows, *too)]
    if shows.holds is Holds.NOW:
        return _of_clock(device, step, shows, source, every[0][1])
    values = [tuple(fact.value for fact in found) for _, found in every]
    verdict = Verdict.HOLDS
    if not all(found for _, found in every):
        verdict = Verdict.ABSENT
    elif not all(_alike(wanted, shown) for (wanted, _), shown in zip(every, values, strict=True)):
        verdict = Verdict.DIFFERS
    if step.setting.startswith(FILE):
        return _of_file(device, step, source, shows.expected, values[0], verdict)
    evidence = "\n".join(dict.fromkeys(fact.line for _, found in every for fact in found))
    planned = planned_words(step, tuple(wanted for wanted, _ in every))
    read = "  ".join(filter(None, map(_folded, values)))
    return Finding(device, step.setting, step.title, source, planned, read, evidence, verdict)


def planned_words(step: Step, shown: tuple[Shows, ...] = ()) -> str:
    """What a finding of this step says was planned, in what the device shows of it."""
    return "  ".join(
        _folded(wanted.expected) for wanted in shown or ((step.shows, *step.shows_too) if step.shows else ())
    )


def _of_clock(device: str, step: Step, shows: Shows, source: Source, found: tuple[Fact, ...]) -> Finding:
    """A clock, compared with the laptop's at this moment."""
    clock, form = replace(shows.clock or LaptopTime(), now=at_once()), shows.expected[0]
    off = [clock.seconds_off(fact.value, form) for fact in found]
    verdict = Verdict.HOLDS if all(seconds is not None and seconds <= NEAR for seconds in off) else Verdict.DIFFERS
    told = [
        f"{fact.value} ({'not a time' if seconds is None else f'{seconds:.0f} s off'})"
        for fact, seconds in zip(found, off, strict=True)
    ]
    planned, evidence = f"the laptop's time, within {NEAR} s", "\n".join(fact.line for fact in found)
    verdict = verdict if found else Verdict.ABSENT
    return Finding(device, step.setting, step.title, source, planned, "  ".join(told), evidence, verdict)


def _of_file(
    device: str, step: Step, source: Source, planned: tuple[str, ...], shown: tuple[str, ...], verdict: Verdict
) -> Finding:
    """A whole file: how many lines, and as evidence those in which it is another one; all of them where it is not."""
    if verdict is Verdict.HOLDS:
        read, evidence = f"the same {counted(len(shown), 'line')}", shown
    else:
        told = [line for line in difflib.ndiff(planned, shown) if line[0] in "+-"]
        evidence = tuple(line[2:] for line in told if line[0] == "+")
        lacking = sum(line[0] == "-" for line in told)
        read = f"{counted(len(shown), 'line')}: {len(evidence)} not planned, {lacking} missing"
    words = f"{counted(len(planned), 'line')} as generated"
    return Finding(device, step.setting, step.title, source, words, read, "\n".join(evidence), verdict)


def _that_matter(step: Step, shows: Shows, found: tuple[Fact, ...]) -> tuple[Fact, ...]:
    """Among others, only what was planned matters, and what stands in its place: the same first word."""
    if step.setting in _ACCOUNTS:
        return tuple(fact for fact in found if fact.value in shows.expected)
    if shows.holds is Holds.AMONG_OTHERS:
        names = {_first(value) for value in shows.expected}
        return tuple(fact for fact in found if _first(fact.value) in names)
    return found


def _first(value: str) -> str:
    return value.partition(" ")[0]


def _alike(shows: Shows, shown: tuple[str, ...]) -> bool:
    if shows.holds is Holds.AT_LEAST:
        return all(number is not None and number >= float(shows.expected[0]) for number in map(_number, shown))
    if shows.holds is Holds.EXACTLY:
        return shown == shows.expected
    return sorted(shown) == sorted(shows.expected)


def _number(text: str) -> float | None:
    found = re.match(r"-?\d+(?:\.\d+)?", text)
    return float(found[0]) if found else None


def _folded(values: tuple[str, ...]) -> str:
    """Values for people: ports of which the same is said stand together as a range."""
    together: dict[str, list[str]] = {}
    for value in values:
        first, _, rest = value.partition(" ")
        together.setdefault(rest if rest and _PORT.fullmatch(first) else f"\0{value}", []).append(first)
    return "  ".join(
        key[1:] if key.startswith("\0") else f"{fold_ports(tuple(names))} {key}" for key, names in together.items()
    )


def to_send(script: Script, facts: Facts, is_known: Callable[[Step], bool] = lambda step: True) -> tuple[Step, ...]:
    """The steps whose settings differ; what can't be read back is always sent.

    So is a password or key whose account or network is shown, unless `is_known` says that it is the device's: what is
    shown of a secret proves nothing.
    """
    hold = {finding.setting for finding in judge(script, facts, Source.RUNNING) if finding.holds}
    return tuple(step for step in script.steps if step.setting not in hold or (step.secrets and not is_known(step)))
