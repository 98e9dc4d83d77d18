"""A job, open: its plan, scripts, board and what the journal believes; no device is touched."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Collection, Hashable, Mapping
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.revision import revision_of
from zinger.plan.setting import Stop
from zinger.proof.findings import planned_words
from zinger.proof.outcome import State
from zinger.run.board import Board, DeviceLine, Mark
from zinger.run.memory import Memory, remember
from zinger.run.newnames import NewNames, by_present_names
from zinger.script.compile import Script
from zinger.script.scripts import Scripts
from zinger.store import entries
from zinger.store.folder import JobFolder
from zinger.store.openplan import OpenPlan
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.store.journal import Journal

PLAN_CHANGED = "plan changed · run it again"
READINGS = 3
"""How often a job is read again on a thread, before it is read at once while everything waits."""


class OpenJob(OpenPlan):
    """All that is known of a job without touching a device: its plan, and a board with what the journal knows."""

    def __init__(self, folder: JobFolder, sheet: str = "") -> None:
        super().__init__(folder, sheet)
        spoken = self._spoken = dict[str, tuple[Device, Phrasebook]]()
        planned: list[tuple[Device, str]] = []
        for device in self.plan.devices:
            book = self.books.get(device.family)
            if book is not None:
                spoken.setdefault(device.name, (device, book))
            else:
                title = self.families[device.family].title if device.family in self.families else device.family
                planned.append((device, title or "no family"))
        self.scripts: Mapping[str, Script] = Scripts(spoken)
        lines = {
            name: DeviceLine(device, book.title, partial(self.scripts.__getitem__, name))
            for name, (device, book) in spoken.items()
        }
        sites = tuple(dict.fromkeys(device.site.key for device in self.plan.devices))
        self.board = Board(
            self.plan.title, self.plan.note, self.plan.mode == "practice", 0.0, lines, tuple(planned), site_order=sites
        )
        self.memories: dict[str, Memory] = {name: Memory() for name in lines}
        self.unspoken: dict[str, Memory] = {device.name: Memory() for device, _ in planned}
        """What is known of devices that no phrasebook speaks to."""
        self.new_names = NewNames()
        """Devices whose new name the journal does not know yet."""
        self.leaving: set[str] = set()
        """Devices that the plan has no more, and that are in work still."""
        self.terms: list[entries.TermsAccepted] = []
        """What a person accepted in this job so far."""
        self.kept_aside = ""
        if folder.journal.exists():
            self.recall()

    def recall(self) -> None:
        """Bring the board to what the journal believes."""
        from zinger.store.journal import Journal  # a database, which a job without a journal does without

        journal = Journal(self.folder.journal)
        try:
            self.take_in(journal)
        finally:
            journal.close()

    def called_now(self, name: str) -> str:
        """What a device is called whose name was this until the plan changed."""
        return next((now for now, before in self.new_names.before.items() if before == name), name)

    def renew_line(self, name: str) -> None:
        """A device's line as its plan is now, with what its memory knows."""
        device = self.plan.device(name)
        title = self.books[device.family].title
        line = DeviceLine(device, title, partial(self.scripts.__getitem__, name))
        recall(line, self.memories[name])
        self.board.lines = {**self.board.lines, name: line}

    def keep_line(self, line: DeviceLine, memory: Memory) -> None:
        """A device that is in work keeps its line, though the plan is another one now."""
        self.board.lines = {**self.board.lines, line.device.name: line}
        self.memories[line.device.name] = memory

    def keep_leaving(self, line: DeviceLine, memory: Memory) -> None:
        """A device that is in work, and that the plan has no more, stays in sight until it is through."""
        name = line.device.name
        book = self.books.get(line.device.family)
        if book is None or name in self.plan.by_name:
            return
        self.leaving.add(name)
        self._spoken[name] = line.device, book
        self.plan = replace(self.plan, devices=(*self.plan.devices, line.device))
        self.keep_line(line, memory)

    def let_go(self, name: str) -> None:
        """It is through: the plan counts again."""
        self.leaving.discard(name)
        self._spoken.pop(name, None)
        self.plan = replace(self.plan, devices=tuple(d for d in self.plan.devices if d.name != name))
        self.board.lines = {other: line for other, line in self.board.lines.items() if other != name}
        self.memories.pop(name, None)

    def versions(self) -> dict[str, Hashable]:
        """For each device, a value that changes whenever something new is known about it."""
        return {**{name: (id(line), line.version) for name, line in self.board.lines.items()}, **self.board.by_hand}

    def take_in(self, journal: Journal) -> None:
        """Fold the journal into memories and lines."""
        self.terms.clear()
        if journal.kept_aside:
            self.kept_aside = (
                f"the journal was damaged and is kept aside as {journal.kept_aside.name}; "
                "devices are read again before anything is sent"
            )
        every = list(journal.entries())
        happened = by_present_names(every, self.plan.devices)
        self.new_names = happened.new_names
        for entry in every:
            event = entries.read(entry) if entry.kind == entries.TermsAccepted.kind else None
            if isinstance(event, entries.TermsAccepted):
                self.terms.append(event)
        for name in self.unspoken:
            self.unspoken[name] = remember(happened.of.get(name, ()))
        self.board.by_hand = {name: by_hand_words(self, name) for name in self.unspoken}
        for name, line in self.board.lines.items():
            self.memories[name] = remember(happened.of.get(name, ()))
            recall(line, self.memories[name])


async def open_again(job: OpenJob, in_work: Callable[[], Collection[str]]) -> OpenJob:
    """Read the job's files again on a thread, while everything else goes on. Raises ZingerError as opening does.

    `in_work` names the devices that keep what is known about them here. If something happened to any other device in
    the meantime, the job is read once more.
    """
    for _ in range(READINGS):
        before = job.versions()
        again = await asyncio.to_thread(OpenJob, job.folder)
        changed = {name for name, version in job.versions().items() if before.get(name) != version}
        if changed <= set(in_work()):
            return again
    return OpenJob(job.folder)


def by_hand_words(job: OpenJob, name: str) -> str:
    """How a device that no phrasebook speaks to stands: how much of its plan a person set by hand."""
    device, memory = job.plan.device(name), job.unspoken[name]
    if memory.aside:
        return f"{memory.aside}: left out"
    done = sum(memory.by_hand.get(setting) == value.shown for setting, value in device.values.items())
    return f"{done} of {len(device.values)} set by hand" if memory.by_hand else "planned only, no phrasebook yet"


def recall(line: DeviceLine, memory: Memory) -> None:
    """A line shows all that the journal knows of its device."""
    changed = memory.concluded_of not in ("", revision_of(line.device))
    planned = {step.setting: planned_words(step) for step in line.script.steps} if changed else {}
    for finding in memory.findings.values():
        if finding.planned == planned.get(finding.setting, finding.planned):
            line.find(finding)  # of a value that is planned otherwise by now, nothing was seen
    for what, lines in memory.kept.items():
        line.keep(what, lines)
    show_notes(line, memory)
    say_what_is_known(line, memory)


def show_notes(line: DeviceLine, memory: Memory) -> None:
    """A person's notes stand among what is kept of the device."""
    if memory.notes:
        told = [f"{time.strftime('%d %b %H:%M', time.localtime(at))}  {text}" for at, text in memory.notes]
        line.keep("your notes", told)


def say_what_is_known(line: DeviceLine, memory: Memory) -> None:
    """The sentence and the marks of a line that nobody works on, as the journal knows the device."""
    revision = revision_of(line.device) if memory.concluded_of else ""
    if memory.aside:
        line.say(f"{memory.aside}: left out", Mark.NONE)
    elif memory.stopped:
        line.say(f"stopped by you · {memory.stopped}", Mark.AHEAD)
    elif memory.rotating:
        line.say(f"{counted(len(memory.rotating), 'new password')} to be sent; run it", Mark.AHEAD)
    elif memory.concluded_of not in ("", revision):
        line.say(PLAN_CHANGED, Mark.AHEAD)
    elif memory.touched and memory.concluded_of:
        line.say("you had its wire since · prove it again", Mark.AHEAD)
    elif memory.concluded_at:
        _recall_outcome(line, memory, memory.concluded_at)
    elif memory.needs_you:
        line.say(f"needs you · {memory.needs_you}", Mark.NEEDS_YOU)
    elif memory.outcome.differing:
        line.outcome = memory.outcome
        line.say(f"{memory.outcome.sentence}, in an earlier run", Mark.DIFFERS)
    elif memory.accepted or memory.intended:
        line.say("begun in an earlier run", Mark.AHEAD)
    else:
        line.say("not started", Mark.AHEAD)


def _recall_outcome(line: DeviceLine, memory: Memory, at: float) -> None:
    came = line.outcome = memory.outcome
    proved = came.state is State.PROVED
    for stop, mark in line.stops.items():
        line.stop(stop, Mark.PROVED if mark is not Mark.NONE else mark)
    for row in line.steps:
        row.mark = Mark.PROVED
    if not proved:
        line.stop(Stop.PROOF, Mark.CONFIGURED)
    clock = time.strftime("%H:%M", time.localtime(at))
    earlier = ", in an earlier run" if proved and line.ended is None else ""
    mood = {State.PROVED: Mark.PROVED, State.DIFFERS: Mark.DIFFERS}.get(came.state, Mark.CONFIGURED)
    line.say(" · ".join(filter(None, [f"{came.state.value} {clock}", came.sentence])) + earlier, mood)
