"""Findings: planned, read back, the evidence, and the verdict.

A setting is proved by the word of the device, not by the absence of an error: what was not read back is
ABSENT, which is as bad as a difference.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from zinger.plan import ACCOUNTS
from zinger.proof.facts import Facts
from zinger.script import Script, ScriptPhrase


class Source(StrEnum):
    """Where a finding was read."""

    RUNNING = "running"
    STARTUP = "startup"
    OUTSIDE = "from the network"
    AFTER_POWER_CUT = "after a power cut"


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


def judge(script: Script, facts: Facts, source: Source) -> list[Finding]:
    """Compare every phrase of the script that can be read back with what was read."""
    return [_finding(script.device, phrase, facts, source) for phrase in script.phrases if phrase.fact]


def _finding(device: str, phrase: ScriptPhrase, facts: Facts, source: Source) -> Finding:
    found = facts.get(phrase.fact or "", ())
    if phrase.setting in ACCOUNTS:
        found = tuple(fact for fact in found if fact.value in phrase.expected)
    shown = tuple(fact.value for fact in found)
    verdict = Verdict.ABSENT
    if found:
        verdict = Verdict.HOLDS if shown == phrase.expected else Verdict.DIFFERS
    return Finding(device, phrase.setting, phrase.title, source, "  ".join(phrase.expected), "  ".join(shown),
                   "\n".join(fact.line for fact in found), verdict)


def to_say(script: Script, facts: Facts) -> tuple[ScriptPhrase, ...]:
    """The phrases whose settings are not so yet; what can't be read back is always said."""
    return tuple(
        phrase for phrase in script.phrases
        if not phrase.fact or not _finding(script.device, phrase, facts, Source.RUNNING).holds
    )


def proved(findings: Iterable[Finding], owed: Iterable[tuple[str, Source]]) -> bool:
    """Whether every owed (setting, source) was found, and everything that was found holds."""
    latest = {(f.setting, f.source): f for f in findings}
    return bool(latest) and all(f.holds for f in latest.values()) and all(key in latest for key in owed)
