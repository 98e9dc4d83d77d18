"""A run that is over, held against what it could have been: the slowest device alone, and what the claims force."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace

from zinger.run.memory import Memory, Worker
from zinger.run.openjob import OpenJob
from zinger.run.outlook import Planned, Took, Ways, claims_of
from zinger.schedule.order import best
from zinger.schedule.work import Bench, Work
from zinger.store.durations import Durations


@dataclass(frozen=True)
class LookBack:
    """All in seconds, from the journal: `took` from the first stage to the last, of so many `devices`.

    `slowest` is the longest way of one device, had it been alone; `forced` what all of them take in the best order that
    is known, with these very durations and what there is of each claim.
    """

    devices: int
    took: float
    slowest: float
    slowest_of: str
    forced: float

    @property
    def ratio(self) -> float:
        """How much longer it took than the claims force."""
        return self.took / self.forced if self.forced else 0.0


def look_back(job: OpenJob) -> LookBack | None:
    """What the last run of each device came to; None where nothing was run."""
    seen = {name: memory for name, memory in job.memories.items() if memory.spans}
    if not seen:
        return None
    ways = Ways(Took(job, Durations(), 1.0, True), needs_hands=False)
    works = [_as_it_was(job, name, memory, ways) for name, memory in seen.items()]
    bench = Bench.of(works, claims_of(works))
    spans = [span for memory in seen.values() for span in memory.spans]
    slowest = max(works, key=lambda work: work.seconds)
    took = max(span.ended for span in spans) - min(span.began for span in spans)
    return LookBack(len(works), took, slowest.seconds, slowest.device, best(bench).end)


def _as_it_was(job: OpenJob, name: str, memory: Memory, ways: Ways) -> Work:
    """A device's way, each phase as long as it took; a stage that was gone through twice counts whole."""
    lasted: dict[str, float] = defaultdict(float)
    for span in memory.spans:
        lasted[span.what] += span.ended - span.began if span.worker is Worker.HANDS else span.took
    device = job.board.lines[name].device
    rows = ways.all_of(device, job.books[device.family], Memory())

    def phase(row: Planned) -> float:
        return lasted.pop(row.act.value if row.act is not None else row.stage, 0.0)

    phases = tuple(replace(row.phase, seconds=seconds) for row in rows if (seconds := phase(row)))
    return Work(name, phases)
