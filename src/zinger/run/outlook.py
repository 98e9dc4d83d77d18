"""The outlook: what is left to do for each device, as a bench of which a forecast is made.

Each device's way is a row of phases, named as the journal names its stages. How long each takes was seen before, of
this family, at this job or at others; where nothing was seen, it is what the family says of its boot. What comes of
it is for the schedule room to say; this module only tells it what is here now.
"""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from ipaddress import IPv4Interface
from statistics import median
from typing import Protocol

from zinger.phrasebook.book import Factory, Phrasebook
from zinger.plan.model import Device
from zinger.run.carrier import Carrier
from zinger.run.claims import FROM_OUTSIDE, Claims, console_claim, factory_claim
from zinger.run.hands import Hands, Verb
from zinger.run.memory import Memory, Worker
from zinger.run.openjob import OpenJob
from zinger.schedule.forecast import Wait
from zinger.schedule.work import Bench, Claim, Phase, Work
from zinger.store.durations import Durations


class AtWork(Protocol):
    """A run that goes on, as far as the outlook looks at it."""

    hands: Hands
    claims: Claims | None
    carriers: dict[str, Carrier]


HANDS = "hands"
NETWORK = "network"
_ACTS = {Verb.PLUG: 60.0, Verb.POWER_CUT: 15.0, Verb.READ_LABEL: 30.0, Verb.LAPTOP: 30.0, Verb.JOIN: 45.0,
         Verb.PRESS: 20.0}  # fmt: skip
"""Seconds that a person takes for an act where none was seen."""
_STAGES = {"sign in": 8.0, "send": 4.0, "save": 4.0, "read back": 10.0, "from the network": 15.0, "read again": 15.0}
"""The stages that every device has, and their seconds where none was seen; `send` for each planned setting."""
_SEEN = ("on the console", "passwords", "backup", "restart", "legs", "calls")
"""Stages that some have: they count where they were seen."""
_SETTLED = 2.0
"""Seconds of a practice device's stage that do not go faster with the yard."""


class Took:
    """How long stages and acts take, as far as is known."""

    def __init__(self, job: OpenJob, known: Durations, pace: float, by_yard: bool) -> None:
        self.pace, self._known, self._by_yard = pace, known, by_yard
        self.bench = bench_kind(job.board.practice, pace)
        self._of_family: dict[tuple[str, str], list[float]] = defaultdict(list)
        for name, memory in job.memories.items():
            for family, stage, seconds in stages_of(job.board.lines[name].device, memory):
                self._of_family[family, stage].append(seconds)
        self._usual: dict[tuple[str, str], float] = {}

    def seen(self, family: str, stage: str) -> float | None:
        """The usual seconds of a stage where it was seen, in this job first."""
        if (family, stage) not in self._usual:
            times = self._of_family.get((family, stage))
            usual = median(times) if times else self._known.usual(self.bench, family, stage)
            self._usual[family, stage] = -1.0 if usual is None else usual
        usual = self._usual[family, stage]
        return None if usual < 0 else usual

    def stage(self, device: Device, book: Phrasebook, stage: str) -> float:
        """The seconds of a stage of this device."""
        seen = self.seen(device.family, stage)
        if seen is not None:
            return seen
        if stage in ("reach", "power cut and boot"):
            return book.factory.boots_in / self.pace + _SETTLED
        settings = len(device.values) if stage == "send" else 1
        return _STAGES[stage] * settings / self.pace + (_SETTLED if self.pace > 1 else 0.0)

    def act(self, verb: Verb) -> float:
        """The seconds of an act of hands."""
        if self._by_yard:
            return 15.0 / self.pace
        return _ACTS.get(verb, 30.0) / (self.pace if self.pace > 1 else 1.0)


def bench_kind(practice: bool, pace: float) -> str:
    """What durations are kept under: those of practice say nothing of real devices."""
    return f"practice x{pace:g}" if practice else "live"


def stages_of(device: Device, memory: Memory) -> Iterable[tuple[str, str, float]]:
    """(family, stage, seconds) of what was seen of a device in its last run; a stage of several passes counts whole."""
    lasted: dict[str, float] = defaultdict(float)
    for span in memory.spans:
        if span.worker is not Worker.HANDS:
            lasted[span.what] += span.took
    return [(device.family, stage, seconds) for stage, seconds in lasted.items()]


@dataclass(frozen=True)
class Planned:
    """A phase, the stage that it belongs to, and the act that it is where it is one."""

    phase: Phase
    stage: str
    act: Verb | None = None


class Ways:
    """The way of a device from its carton to its proof, as phases."""

    def __init__(self, took: Took, needs_hands: bool, power_cut: bool = True) -> None:
        self.took, self._needs_hands, self._power_cut = took, needs_hands, power_cut
        self._hands = frozenset({HANDS}) if needs_hands else frozenset[str]()

    def all_of(self, device: Device, book: Phrasebook, memory: Memory) -> list[Planned]:
        """From the beginning; a device that was met before needs no label and no press any more."""
        factory = book.factory
        console = frozenset({console_claim(device.console)} - {""})
        pages_first = book.pages is not None
        first = frozenset({factory_claim(str(IPv4Interface(factory.address).ip))}) if pages_first and factory.address \
            else console  # fmt: skip
        rows = [self._act(Verb.PLUG, "reach", first)]
        if factory.press is not None and not memory.accepted:
            rows.append(self._act(Verb.PRESS, "reach", first))
        if pages_first and factory.address:
            rows.append(self._laptop_there(factory, first))
        if factory.certificate and not memory.accepted:
            rows.append(self._act(Verb.COMPARE, "reach", first))
        rows.append(self._stage(device, book, "reach", first))
        if factory.on_label and not memory.accepted:
            rows.append(self._act(Verb.READ_LABEL, "sign in", first))
        rows += [self._stage(device, book, stage, first) for stage in ("sign in", "send")]
        rows += [self._stage(device, book, stage, console) for stage in ("save", "read back")]
        rows += [self._stage(device, book, stage, console) for stage in _SEEN if self._was_seen(device, stage)]
        if book.rules.proved_over or book.pages is not None:
            if device.fixed is not None and device.fixed.interface is not None:
                here = f"laptop {device.fixed.interface.network}"
                rows.append(self._act(Verb.LAPTOP, "from the network", console, once=here))
            rows.append(self._stage(device, book, "from the network", console | {NETWORK}))
        if self._power_cut:
            rows.append(self._act(Verb.POWER_CUT, "power cut and boot", console))
            rows += [self._stage(device, book, stage, console) for stage in ("power cut and boot", "read again")]
        return rows

    def _laptop_there(self, factory: Factory, needs: frozenset[str]) -> Planned:
        """How the laptop comes to a factory address: for one device alone, or once for all of them."""
        if factory.network or factory.hands_out:
            return self._act(Verb.JOIN if factory.network else Verb.DHCP, "reach", needs)
        net = IPv4Interface(factory.address).network
        return self._act(Verb.LAPTOP, "reach", needs, once=f"laptop {net}")

    def _was_seen(self, device: Device, stage: str) -> bool:
        return self.took.seen(device.family, stage) is not None

    def _stage(self, device: Device, book: Phrasebook, stage: str, needs: frozenset[str]) -> Planned:
        return Planned(Phase(stage, self.took.stage(device, book, stage), needs), stage)

    def _act(self, verb: Verb, stage: str, needs: frozenset[str], once: str = "") -> Planned:
        return Planned(Phase(verb.value, self.took.act(verb), needs | self._hands, once), stage, verb)


def left_of(rows: list[Planned], stage: str, taken: float, asked: Verb | None) -> tuple[list[Phase], bool]:
    """What is left of a way, and whether the first of it is under way now.

    `stage` is the one that the device is in, `taken` its seconds so far; `asked` the act of it that waits for hands.
    """
    at = next((i for i, row in enumerate(rows) if row.stage == stage), 0)
    here = [row for row in rows[at:] if row.stage == stage]
    later = [row.phase for row in rows[at + len(here) :]]
    acts = [row for row in here if row.act is not None]
    work = [row.phase for row in here if row.act is None]
    waits = [row for row in acts if row.act is asked]
    if waits:
        return [*(row.phase for row in acts[acts.index(waits[0]) :]), *work, *later], False
    if asked is not None:  # an act that this way did not foresee
        return [Phase(asked.value, work[0].seconds / 4 if work else 1.0, frozenset({HANDS})), *work, *later], False
    if not work:
        return later, False
    usual = work[0].seconds
    rest = max(usual - taken, 0.1 * usual, 0.5)
    return [Phase(work[0].what, rest, work[0].needs), *work[1:], *later], True


def bench_of(job: OpenJob, names: Iterable[str], run: AtWork | None = None, pace: float | None = None) -> Bench:
    """What is left to do for these devices, begun or not. What needs a person to decide first is not in it."""
    return bench_with(list(works_of(job, names, run, pace)))


def works_of(
    job: OpenJob, names: Iterable[str], run: AtWork | None = None, pace: float | None = None
) -> Iterator[Work]:
    """What is left to do, one device after the other, so that the caller can let a key through in between."""
    now = time.time()
    by_person = run is None or run.hands.by_person or run.hands.helper is None
    needs_hands = not job.board.practice or (run is not None and by_person)
    took = Took(job, Durations.read(), (job.board.pace if run else pace) or 1.0, not needs_hands)
    ways = Ways(took, needs_hands)
    yield from (_work(job, name, ways, run, now) for name in names if name in job.board.lines)


def bench_with(works: list[Work]) -> Bench:
    """The bench for this work. It has one of everything that the work needs, or more where more is known."""
    return Bench.of(works, claims_of(works))


def claims_of(works: Iterable[Work]) -> list[Claim]:
    """What there is of each thing that some phase needs, as people call one more of it."""
    keys = {key for work in works for phase in work.phases for key in phase.needs}
    titles = {HANDS: "pair of hands", NETWORK: "sign-in from the network"}
    rooms: Mapping[str, int] = {NETWORK: FROM_OUTSIDE}
    return [Claim(key, titles.get(key) or _title(key), rooms.get(key, 1)) for key in sorted(keys)]


def _title(key: str) -> str:
    kind, _, name = key.partition(" ")
    return f"console cable beside {name}" if kind == "console" else f"bench with a network of its own for {name}"


def _work(job: OpenJob, name: str, ways: Ways, run: AtWork | None, now: float) -> Work:
    line, memory = job.board.lines[name], job.memories[name]
    book = job.books[line.device.family]
    rows = ways.all_of(line.device, book, memory)
    set_up = next((i for i, row in enumerate(rows) if row.stage == "read back"), len(rows))
    if run is None or name not in run.carriers or not line.active:
        return Work(name, tuple(row.phase for row in rows), set_up=set_up)
    watch = line.watch
    stage = watch.stage if watch else ""
    phases, under_way = left_of(rows, stage, watch.taken(now) if watch else 0.0, _asked(run.hands, name))
    claims = run.claims
    blocked = claims is not None and claims.spots.waits(name)
    held = frozenset(key for key, device in (claims.spots.held() if claims else ()) if device == name)
    after = run.carriers[name].script.waits_for("sending")
    gone = len(rows) - len(phases)
    return Work(name, tuple(phases), held, under_way and not blocked, after, max(0, set_up - gone))


def _asked(hands: Hands, name: str) -> Verb | None:
    return next((item.act.verb for item in hands.asked.values() if item.act.subject == name and not item.begun), None)


def awaited(wait: Wait) -> str:
    """What a device waits for, and behind whom, in words."""
    known = {HANDS: "your hands", NETWORK: "its turn on the network"}
    kind, _, name = wait.key.partition(" ")
    what = known.get(wait.key) or {"once": name, "device": f"the set-up of {name}"}.get(kind, wait.key)
    return f"{what}, behind {', '.join(wait.behind[:2])}" if wait.behind else what
