"""Accepting what differs or is owed: a person's reason, in the journal, from which the verdict is counted anew."""

from __future__ import annotations

from collections.abc import Sequence

from zinger.proof.outcome import State, may_be_accepted, title_of
from zinger.run.hands import RunError
from zinger.run.memory import Memory
from zinger.run.openjob import OpenJob
from zinger.run.steering import keep
from zinger.store import entries
from zinger.wording import did_you_mean


def accept(job: OpenJob, device: str, settings: Sequence[str], why: str) -> str:
    """Accept these settings of a device, or with no reason take that back; returns how it stands then.

    Raises RunError for what is neither different nor owed, and for what must be and was never seen; Locked while a run
    works on the job.
    """
    memory = _memory(job, device)
    keep(job, [(device, accepted(job, device, setting, why)) for setting in settings])
    came = memory.outcome
    return f"{device}: {came.state.value}{', ' if came.state is State.PROVED else ' · '}{came.sentence}".rstrip(", ·")


def accepted(job: OpenJob, device: str, setting: str, why: str) -> entries.Accepted:
    """The event of accepting what differs or is owed; no reason takes it back. Raises RunError where that can't be."""
    _may_be(job.memories[device], device, setting, why)
    return entries.Accepted(setting, why.strip())


def _memory(job: OpenJob, device: str) -> Memory:
    memory = job.memories.get(device)
    if memory is None:
        raise RunError(f"no device that can be spoken to is called {device}{did_you_mean(device, job.memories)}")
    if not memory.concluded_at and not memory.findings:
        raise RunError(f"nothing was read back from {device} yet. Run it first, then see what it owes.")
    return memory


def _may_be(memory: Memory, device: str, setting: str, why: str) -> None:
    """Raises RunError for what can't be accepted."""
    came = memory.outcome
    settled = {name for name, _ in came.accepted}
    lacking = dict.fromkeys([*(f.setting for f in came.differing), *(debt.setting for debt in came.owed)])
    if setting not in lacking and setting not in settled:
        title = title_of(setting)
        named = title if title == setting else f"{title} ({setting})"
        known = f"what is: {', '.join(lacking)}" if lacking else "nothing is"
        raise RunError(f"{named} is neither different nor owed on {device}; {known}")
    if why and not may_be_accepted(setting, memory.findings.values()):
        raise RunError(f"{title_of(setting)} is required and was never read from {device}: it can't be accepted unseen")
