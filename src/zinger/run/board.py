"""The board: what a person sees of each device, kept up to date by events; screens and commands read it.

Plain data, no interface: a screen takes what it needs ten times a second and never asks a device.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING

from zinger.plan.model import Device
from zinger.plan.setting import Stop
from zinger.proof.findings import Finding, Source
from zinger.proof.outcome import Outcome
from zinger.run.stopwatch import Stopwatch
from zinger.script.compile import Script
from zinger.store.transcript import Transcript
from zinger.talk.events import Waiting

if TYPE_CHECKING:
    from zinger.schedule.outlook import Outlook


class Mark(StrEnum):
    """The state of a stop, a step or a whole line; each has a shape and a colour of its own."""

    AHEAD = "ahead"
    NOW = "now"
    SENT = "sent"
    PROVED = "proved"
    CONFIGURED = "configured"
    DIFFERS = "differs"
    NEEDS_YOU = "needs you"
    NONE = "not for this device"


@dataclass
class StepRow:
    """One step of the script as it is carried out; `note` holds the device's words when it refused."""

    setting: str
    stop: Stop
    title: str
    value: str
    mark: Mark = Mark.AHEAD
    note: str = ""


@dataclass
class DeviceLine:
    """One device's line on the board."""

    device: Device
    family: str
    compiled: Callable[[], Script]
    """Gives the script, which is compiled when somebody looks at it."""
    sentence: str = "not started"
    mood: Mark = Mark.AHEAD
    place: str = ""
    trail: list[str] = field(default_factory=list)
    waits_for: str = ""
    waits_since: float = field(default_factory=time.time)
    expected_end: float | None = None
    waiting: Waiting = Waiting.OTHER
    link: str = ""
    began: float | None = None
    ended: float | None = None
    findings: dict[tuple[str, Source], Finding] = field(default_factory=dict)
    transcript: Transcript = field(default_factory=Transcript)
    evidence: set[str] = field(default_factory=set)
    kept: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """What it showed that is kept as evidence, such as a preview of what it will do: its lines, by name."""
    part: int = 0
    """Which part of its dialogue is under way: 0 is the first, or the only one."""
    person_has_it: bool = False
    held: tuple[str, Mark] | None = None
    """While a person holds it: what the sentence would be."""
    shown: str = ""
    outcome: Outcome | None = None
    """What came of it, once that is known."""
    recorded: str | None = None
    """When what the transcript holds was recorded, where that was in an earlier session; "" for nothing to show."""
    watch: Stopwatch | None = None
    """Of the stage that it is in, or was in last."""
    version: int = 0

    def begin_anew(self) -> None:
        """A new run: nothing is known but the plan; what the console showed stays."""
        fresh = DeviceLine(self.device, self.family, self.compiled, transcript=self.transcript)
        for name in self.__dataclass_fields__:
            setattr(self, name, getattr(fresh, name))
        self.__dict__.pop("stops", None)
        self.__dict__.pop("steps", None)

    @property
    def script(self) -> Script:
        """What will be sent to it."""
        return self.compiled()

    @cached_property
    def steps(self) -> list[StepRow]:
        """Its steps with their marks."""
        return [StepRow(p.setting, p.stop, p.title, p.value) for p in (*self.script.steps, *self.script.saves)]

    @cached_property
    def stops(self) -> dict[Stop, Mark]:
        """The stops of the way with their marks, `NONE` for those that this device does not have."""
        own = {Stop.REACH, Stop.SIGN_IN, Stop.PROOF} | {p.stop for p in self.script.everything}
        return {stop: Mark.AHEAD if stop in own else Mark.NONE for stop in Stop}

    def say(self, sentence: str, mood: Mark = Mark.NOW) -> None:
        """Change the sentence on the right; while it is held, it changes when it is released."""
        if self.held is not None:
            self.held = (sentence, mood)
            return
        self.sentence, self.mood = sentence, mood
        self.version += 1

    @contextmanager
    def at_hands(self, what: str, until: float | None = None) -> Iterator[None]:
        """While it waits for a person's hands to do something; then it says again what it said, if nothing else."""
        before, asks = self._saying, f"hands: {what}"
        self.say(asks)
        self.wait("your hands", until)
        yield
        if self._saying[0] == asks:
            self.say(*before)

    @property
    def _saying(self) -> tuple[str, Mark]:
        return self.held or (self.sentence, self.mood)

    def hold(self) -> None:
        """A person holds it."""
        if self.held is None:
            before = (self.sentence, self.mood)
            self.say("held by you", Mark.NEEDS_YOU)
            self.held = before

    def release(self) -> None:
        """It goes on."""
        if self.held is not None:
            sentence, self.held = self.held, None
            self.say(*sentence)

    def wait(self, why: str, expected_end: float | None = None, what: Waiting = Waiting.OTHER) -> None:
        """It now waits for something; `expected_end` in seconds since 1970, if known."""
        self.waits_for, self.waits_since, self.expected_end, self.waiting = why, time.time(), expected_end, what
        self.version += 1

    def stop(self, stop: Stop, mark: Mark) -> None:
        """Set the state of a stop that this device has."""
        if self.stops[stop] is not Mark.NONE:
            self.stops[stop] = mark
            self.version += 1

    def at(self, place: str) -> None:
        """It stands at this place."""
        self.place = place
        if not self.trail or self.trail[-1] != place:
            self.trail = [*self.trail[-7:], place]
        self.version += 1

    def step(self, setting: str, mark: Mark, note: str = "") -> None:
        """Set the state of a step, and of its stop by all steps of that stop."""
        for line in self.steps:
            if line.setting == setting:
                line.mark, line.note = mark, note
                self._sum_up(line.stop)
        self.version += 1

    def find(self, finding: Finding) -> None:
        """A finding comes in; the stop shows the worst of its own."""
        self.findings[finding.setting, finding.source] = finding
        self.evidence.update(line for line in finding.evidence.split("\n") if line)
        for line in self.steps:
            if line.setting == finding.setting:
                good = all(f.holds for (s, _), f in self.findings.items() if s == line.setting)
                line.mark = Mark.PROVED if good else Mark.DIFFERS
                self._sum_up(line.stop)
        self.version += 1

    def keep(self, what: str, lines: Iterable[str]) -> None:
        """It showed something that is kept as evidence."""
        self.kept[what] = tuple(lines)
        self.version += 1

    def _sum_up(self, stop: Stop) -> None:
        marks = [line.mark for line in self.steps if line.stop is stop]
        for worst in (Mark.NEEDS_YOU, Mark.DIFFERS, Mark.NOW):
            if worst in marks:
                self.stop(stop, worst)
                return
        if all(m is Mark.PROVED for m in marks):
            self.stop(stop, Mark.PROVED)
        elif all(m in (Mark.SENT, Mark.PROVED) for m in marks):
            self.stop(stop, Mark.SENT)
        elif any(m in (Mark.SENT, Mark.PROVED) for m in marks):
            self.stop(stop, Mark.NOW)
        else:
            self.stop(stop, Mark.AHEAD)

    @property
    def differing(self) -> list[Finding]:
        """Findings that do not hold."""
        return [f for f in self.findings.values() if not f.holds]

    @property
    def active(self) -> bool:
        """Whether a conversation is under way."""
        return self.began is not None and self.ended is None


@dataclass
class Board:
    """All lines of a job, in the order of the plan."""

    title: str
    note: str
    practice: bool
    pace: float
    """How much faster than hardware the yard goes; 0 while none runs."""
    lines: Mapping[str, DeviceLine]
    planned: tuple[tuple[Device, str], ...] = ()
    """Devices that are planned and checked only, each with its family's name: there is no phrasebook for it yet."""

    by_hand: dict[str, str] = field(default_factory=dict)
    """How each of these stands, in words."""
    site_order: tuple[str, ...] = ()
    """The keys of the sites in the order of the plan."""
    outlook: Outlook | None = None
    """When the bench is done, while a run goes on."""

    def queue(self) -> list[DeviceLine]:
        """Who waits for a person, the longest first; then what differs, in the order of the plan."""
        waiting = [line for line in self.lines.values() if line.mood is Mark.NEEDS_YOU]
        differing = [line for line in self.lines.values() if line.mood is Mark.DIFFERS]
        return [*sorted(waiting, key=lambda line: line.waits_since), *differing]

    def counts(self) -> dict[str, int]:
        """How many are proved, under way, differ, need you."""
        moods = [line.mood for line in self.lines.values()]
        return {
            "devices": len(moods),
            "proved": moods.count(Mark.PROVED),
            "configured": moods.count(Mark.CONFIGURED),
            "under way": sum(1 for line in self.lines.values() if line.active and line.mood is Mark.NOW),
            "differs": moods.count(Mark.DIFFERS),
            "needs you": moods.count(Mark.NEEDS_YOU),
            "planned only": len(self.planned),
        }
