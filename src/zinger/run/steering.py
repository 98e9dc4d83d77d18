"""Steering single devices from outside a run: left out of it, or settings that are passed over; kept in the journal."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_words
from zinger.run.board import Mark
from zinger.run.hands import RunError
from zinger.run.openjob import OpenJob, by_hand_words, say_what_is_known, show_notes
from zinger.store import entries
from zinger.wording import did_you_mean

ASIDE = ("absent", "spare")
"""Why a device is left out of runs: it did not come, or it is a box in reserve."""


@dataclass(frozen=True)
class Manner:
    """How one device is carried: whether anything is sent, and whether the proof has a power cut or a restart in it."""

    sends: bool = True
    power_cut: bool = True
    restart: bool = False
    only_saves: bool = False
    """Whether it is taken up at saving: no setting is sent."""


def is_done(job: OpenJob, name: str) -> bool:
    """Whether there is nothing more to do for a device: proved, or as far as its family goes; or it is left out."""
    memory = job.memories[name]
    finished = job.board.lines[name].mood in (Mark.PROVED, Mark.CONFIGURED) and not memory.rotating
    return finished or bool(memory.aside)


def not_done(job: OpenJob) -> list[str]:
    """The devices that a run would begin with, in the order of the plan."""
    return [name for name in job.board.lines if not is_done(job, name)]


def aside(why: str) -> entries.SetAside:
    """The event of leaving a device out; no reason takes it back. Raises RunError for another reason."""
    if why and why not in ASIDE:
        raise RunError(f"a device is left out because it is {' or '.join(ASIDE)}, not {why!r}")
    return entries.SetAside(why)


def passed_over(job: OpenJob, name: str, setting: str, back: bool = False) -> entries.PassedOver:
    """The event of passing a setting over; raises RunError for one that the script does not send by itself."""
    if name not in job.scripts:
        raise RunError(f"no device that can be spoken to is called {name}{did_you_mean(name, job.scripts)}")
    steps = {step.setting: step for step in job.scripts[name].steps if step.setting}
    step = steps.get(setting)
    if step is None:
        raise RunError(f"nothing sends {setting} to {name}{did_you_mean(setting, steps)}; it has {', '.join(steps)}")
    if step.interview:
        raise RunError(f"{setting} is asked for in the questions of {name}: they can't go on without an answer")
    return entries.PassedOver(setting, back)


def keep(job: OpenJob, events: Iterable[tuple[str, entries.Happened]]) -> None:
    """Write these events, each of a device, into the journal of a job that nobody works on, and show them.

    Raises Locked while a run works on the job.
    """
    from zinger.store.journal import Journal

    job.folder.lock()
    journal = Journal(job.folder.journal)
    try:
        for name, event in events:
            kind, data = entries.written(event)
            journal.note(kind, name, **data)
            take_in(job, name, event)
    finally:
        journal.close()
        job.folder.unlock()


def take_in(job: OpenJob, name: str, event: entries.Happened) -> None:
    """What such an event makes of the device's memory, and of its line."""
    if name in job.unspoken:
        job.unspoken[name].take_in(event, name, time.time())
        job.board.by_hand = {**job.board.by_hand, name: by_hand_words(job, name)}
        return
    memory, line = job.memories[name], job.board.lines[name]
    memory.take_in(event, name, time.time())
    if isinstance(event, entries.Swapped):
        line.begin_anew()
        show_notes(line, memory)
    if isinstance(event, entries.SetAside | entries.Swapped | entries.PersonActed):
        say_what_is_known(line, memory)
    elif isinstance(event, entries.Noted):
        show_notes(line, memory)
    elif isinstance(event, entries.Rotating) and not line.active:
        say_what_is_known(line, memory)
    elif isinstance(event, entries.Accepted) and not line.active:
        line.outcome = memory.outcome
        if memory.concluded_at:
            say_what_is_known(line, memory)
        else:
            line.say(f"{line.sentence.partition(' · accepted')[0]} · accepted: prove it again", line.mood)


def noted(text: str) -> entries.Noted:
    """The event of a note; raises RunError for an empty one."""
    try:
        text = parse_words(text)
    except BadValue as error:
        raise RunError(str(error)) from None
    if not text:
        raise RunError("a note needs words")
    return entries.Noted(text)


def set_by_hand(job: OpenJob, name: str, setting: str, back: bool = False) -> entries.SetByHand:
    """The event of a value that a person set by hand; raises RunError where a phrasebook can speak to the device."""
    if name not in job.unspoken:
        if name in job.board.lines:
            raise RunError(f"{name} is spoken to by its phrasebook: run it, or prove it; by hand nothing is proved")
        raise RunError(f"the plan has no device {name}{did_you_mean(name, job.unspoken)}")
    value = job.plan.device(name).values.get(setting)
    if value is None:
        known = job.plan.device(name).values
        raise RunError(f"{setting} is not planned for {name}{did_you_mean(setting, known)}")
    return entries.SetByHand(setting, value.shown, back)


def known(job: OpenJob, names: Sequence[str]) -> Sequence[str]:
    """These names; raises RunError for one that the plan does not have, or that can't be spoken to."""
    for name in names:
        if name not in job.board.lines:
            raise RunError(f"no device that can be spoken to is called {name}{did_you_mean(name, job.board.lines)}")
    return names
