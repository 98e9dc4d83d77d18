"""What will come of an order: when each device is done, what it waits for meanwhile, and behind whom.

The bench is played through with the devices in a given order of importance: whatever gets free goes to the first of
those that wait for it. Nothing is left idle on purpose; doing so was tried in small cases and won less than a percent.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from zinger.schedule.work import Bench, Phase, Work


class Wait(NamedTuple):
    """A device waits for a claim, in seconds from now, behind those that have it then.

    `key` is a claim's; `device NAME` while another device is to be set up first; what is done once, while it is done.
    """

    device: str
    key: str
    since: float
    until: float
    behind: tuple[str, ...] = ()


class Stretch(NamedTuple):
    """A device is in a phase, in seconds from now."""

    device: str
    phase: Phase
    since: float
    until: float


@dataclass(frozen=True)
class Forecast:
    """How the bench goes on, in seconds from now; `order` is the one that it is played through in."""

    order: tuple[str, ...]
    ends: dict[str, float]
    stretches: tuple[Stretch, ...]
    waits: tuple[Wait, ...]
    stuck: tuple[str, ...] = ()
    """Devices that wait for each other for ever."""

    @property
    def end(self) -> float:
        """When the last device is done."""
        return max(self.ends.values(), default=0.0)

    def rank(self) -> tuple[float, float]:
        """Smaller is better: done earlier; at the same time, less waiting on the way."""
        return (self.end, sum(self.ends.values()))


@dataclass
class _Going:
    """A device on its way through the play."""

    work: Work
    importance: int
    at: int = 0
    holds: set[str] = field(default_factory=set)
    waits: str = ""
    since: float = 0.0
    behind: tuple[str, ...] = ()


class _Play:
    """The bench played through once."""

    def __init__(self, bench: Bench, order: Sequence[str]) -> None:
        importance = {name: index for index, name in enumerate(order)}
        works = sorted(bench.works, key=lambda work: importance[work.device])
        self.going = [_Going(work, index, holds=set(work.holds)) for index, work in enumerate(works)]
        self.named = {going.work.device: going for going in self.going}
        self.held: dict[str, dict[str, None]] = {key: {} for key in bench.claims}
        for going in self.going:
            going.holds &= self.held.keys()
            for key in going.holds:
                self.held[key][going.work.device] = None
        self.room = {key: claim.room for key, claim in bench.claims.items()}
        self.waiting: dict[str, list[int]] = {}
        """The importance of those that wait, a heap for each thing that is waited for."""
        self.events: list[tuple[float, int]] = []
        self.doing: dict[str, bool] = {}
        """What is done once: whether it is done already."""
        self.ends: dict[str, float] = {}
        self.stretches: list[Stretch] = []
        self.waits: list[Wait] = []

    def through(self) -> None:
        for going in sorted(self.going, key=lambda g: (not g.work.under_way, g.importance)):
            self._next(going, 0.0)
        while self.events:
            now, index = heapq.heappop(self.events)
            going = self.going[index]
            phase = going.work.phases[going.at]
            going.at += 1
            if phase.once:
                self.doing[phase.once] = True
                self._free(f"once {phase.once}", now)
            if going.at == going.work.set_up:
                self._free(f"device {going.work.device}", now)
            self._next(going, now)

    def _next(self, going: _Going, now: float) -> None:
        """Begin the next phase, or wait for what it needs; what it needs no more is free for others."""
        phases = going.work.phases
        while going.at < len(phases) and self.doing.get(phases[going.at].once):
            going.at += 1
        done = going.at == len(phases)
        let_go = sorted(going.holds if done else going.holds - phases[going.at].needs)
        for key in let_go:
            going.holds.remove(key)
            self.held[key].pop(going.work.device, None)
        if done:
            self._waited(going, now)
            self.ends[going.work.device] = now
            self._free(f"device {going.work.device}", now)
        elif lacks := self._lacks(going, phases[going.at]):
            if going.waits != lacks:
                self._waited(going, now)
                going.waits, going.since = lacks, now
                going.behind = tuple(self.held.get(lacks, ()))
            heapq.heappush(self.waiting.setdefault(lacks, []), going.importance)
        else:
            self._begin(going, phases[going.at], now)
        for key in let_go:
            self._free(key, now)

    def _begin(self, going: _Going, phase: Phase, now: float) -> None:
        self._waited(going, now)
        going.waits = ""
        for key in phase.in_order:
            self.held[key][going.work.device] = None
        going.holds |= phase.needs
        if phase.once:
            self.doing[phase.once] = False
        self.stretches.append(Stretch(going.work.device, phase, now, now + phase.seconds))
        heapq.heappush(self.events, (now + phase.seconds, going.importance))

    def _waited(self, going: _Going, now: float) -> None:
        if going.waits and now > going.since:
            self.waits.append(Wait(going.work.device, going.waits, going.since, now, going.behind))

    def _lacks(self, going: _Going, phase: Phase) -> str:
        """What it must wait for; nothing where the phase can begin."""
        if going.at == 0 and going.work.after and not going.work.under_way:
            for other in sorted(going.work.after & self.named.keys() - {going.work.device}):
                if self.named[other].at < self.named[other].work.set_up and other not in self.ends:
                    return f"device {other}"
        if phase.once in self.doing:
            return f"once {phase.once}"
        if going.at == 0 and going.work.under_way:
            return ""  # it has what it needs, whatever the books say
        for key in phase.in_order:
            if key not in going.holds and len(self.held[key]) >= self.room[key]:
                return key
        return ""

    def _free(self, key: str, now: float) -> None:
        """Give what got free to those that wait for it, the most important first."""
        heap = self.waiting.get(key)
        if not heap:
            return
        tries = len(heap)
        while heap and tries and len(self.held.get(key, ())) < self.room.get(key, len(heap) + 1):
            tries -= 1
            self._next(self.going[heapq.heappop(heap)], now)


def forecast(bench: Bench, order: Sequence[str]) -> Forecast:
    """How the bench goes if the devices are important in this order, which names each of them once."""
    play = _Play(bench, order)
    play.through()
    stuck = tuple(going.work.device for going in play.going if going.work.device not in play.ends)
    return Forecast(tuple(order), play.ends, tuple(play.stretches), tuple(play.waits), stuck)
