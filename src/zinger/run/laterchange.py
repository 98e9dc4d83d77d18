"""A later change: what a run would send to a device that was set up before, told from what it was proved to have.

Nothing is asked of a device for this. A run reads first all the same, and sends what the device then lacks.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zinger.phrasebook.book import Interview
from zinger.phrasebook.steps import Effect
from zinger.plan.model import Device
from zinger.plan.revision import revision_of
from zinger.plan.subjects.accounts.credentials import secrets_of
from zinger.proof.findings import Source, planned_words
from zinger.run.memory import Memory, former_accounts
from zinger.run.openjob import OpenJob
from zinger.run.stages.send import ASKED_ONCE
from zinger.script.compile import Script, Step

OLD_IS_KEPT = "the old password, which the vault keeps until the new one is proved"


@dataclass(frozen=True)
class Later:
    """One setting that a run would send: what it was, what it becomes, the lines that are sent, guard and way back."""

    title: str
    before: str
    after: str
    sent: tuple[str, ...]
    guard: str
    way_back: str


def later_changes(device: Device, script: Script, memory: Memory) -> list[Later]:
    """What differs from what was read back last; everything, for a device of which nothing was read."""
    renewed = {setting.name for setting, _, ref in secrets_of(device) if ref.name in memory.rotating}
    read = {setting: finding for (setting, source), finding in memory.findings.items() if source is Source.RUNNING}
    found = []
    for step in script.steps:
        was = read.get(step.setting)
        same = was is not None and was.holds and was.planned == planned_words(step)
        if step.only_looked_at or (same and step.setting not in renewed):
            continue
        if step.shows is None and memory.concluded_at is not None and step.setting in memory.begun:
            continue  # it can't be read; it was sent to this very box, and nobody changed it
        before = was.read or "nothing" if was is not None else "not known"
        asked = script.interviews[step.interview].interview if step.interview else None
        if script.only_at_first(step):
            found.append(Later(step.title, before, step.value, (), f"{ASKED_ONCE}: it will be owed", ""))
            continue
        only_secret = step.setting in renewed and same
        sent = (step.change if only_secret else None) or (step.also if asked and asked.begin is None else None) or step
        if only_secret:
            back = OLD_IS_KEPT
        elif sent is not step and was is not None:  # it was said in a question script that is not asked again
            back = f"the same with {before}"
        else:
            back = _way_back(step, memory.said.get(step.setting, "") if was is not None else "")
        guard = _guard(sent, asked if sent is step else None)
        value = "a new password" if only_secret else step.value
        lines = sent.every_line or (sent.shown,)
        found.append(Later(step.title, before, value, lines, guard, back))
    return found


def _way_back(step: Step, said: str) -> str:
    """What brings the value of before: the words in which it was sent, else what undoes this one."""
    return said if said and said != step.shown else step.undo


def _guard(step: Step, asked: Interview | None) -> str:
    if asked is not None:
        restarts = ", and it restarts" if asked.effect is Effect.RESTARTS else ""
        return f"its questions are asked again, what else stands there is kept{restarts}"
    if step.how.confirm is not None:
        return f"goes back by itself unless it is confirmed within {step.how.confirm.within:g} s"
    if step.effect is Effect.LINK_MOVES:
        return "the link moves: the device is looked for at its new address, and compared with the one before"
    return {Effect.RESTARTS: "the device restarts", Effect.LOCKS_OUT: "sessions end"}.get(step.effect, "")


def changed_devices(job: OpenJob) -> list[str]:
    """The devices that were set up under another plan than the present one, or have a new password to be sent."""

    def is_another(name: str, memory: Memory) -> bool:
        of = memory.concluded_of
        return bool(memory.rotating) or (of != "" and of != revision_of(job.plan.device(name)))

    return [name for name, memory in job.memories.items() if not memory.aside and is_another(name, memory)]


def still_let_in(device: Device, memory: Memory) -> list[str]:
    """Sentences about accounts of an earlier plan, which nobody took away."""
    former = former_accounts(device, memory)
    return [f"{user} may still be let in as before, as an earlier plan had it: take it away by hand" for user in former]


def told(job: OpenJob, names: Sequence[str], most: int = 1000) -> Iterable[str]:
    """What a run would send to these devices, a line each; of more lines than `most` only how many there are."""
    lines = []
    for name in names:
        changes = later_changes(job.board.lines[name].device, job.scripts[name], job.memories[name])
        if not changes:
            lines.append(f"{name}: nothing, as far as is known; it is read back all the same")
        for change in changes:
            lines.append(f"{name}: {change.title}: {change.before} -> {change.after}")
            lines += (f"    {line}" for line in change.sent)
            if change.guard or change.way_back:
                back = f"back by: {change.way_back}" if change.way_back else ""
                lines.append(f"    ({'; '.join(filter(None, (change.guard, back)))})")
        lines += (f"    {known}" for known in still_let_in(job.board.lines[name].device, job.memories[name]))
    return [*lines[:most], f"… {len(lines) - most} more lines"] if len(lines) > most else lines
