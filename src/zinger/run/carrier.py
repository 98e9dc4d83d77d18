"""Carries one device from factory state to a proved baseline, through its stages.

Every stage looks before it acts, so the whole can be begun again after any interruption (a cut, a crash, a
restart, a person's typing) and sends only what differs. What it can't decide it hands to a person.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from zinger.errors import ZingerError
from zinger.run.board import Mark
from zinger.run.hands import CannotBeDone
from zinger.run.memory import Memory
from zinger.run.onwire import OnWire
from zinger.run.pump import TakenOver
from zinger.run.stages import AT_LAST, EACH_PART, STOPS_AFTER
from zinger.run.stages.stage import Done, Pass, Stage
from zinger.run.verdict import Owed
from zinger.store import entries
from zinger.store.entries import JournalError
from zinger.talk.errors import Interrupted, Silent, Stuck, Unanswered

INTERRUPTIONS = 12
"""How often a device may be interrupted in one run before a person is asked."""
SILENCES = 3
"""How often it may fall silent, whatever is pressed: its power can be gone, but it can also hang."""


class Carrier:
    """One device's way through the stages."""

    def __init__(self, wires: Sequence[OnWire], memory: Memory) -> None:
        self.wires, self.memory = wires, memory
        self.line = wires[0].line
        self.script = self.line.script
        self.owed = Owed(wires)
        self._done = Done()

    @property
    def wire(self) -> OnWire:
        """The wire over which the part of its dialogue goes that is under way."""
        return self.wires[self.line.part]

    async def carry(self) -> None:
        """Go through all stages; returns when the device is proved, differs, or needs a person."""
        self.line.began, self.line.ended = time.time(), None
        left, silences = INTERRUPTIONS, SILENCES
        self._done.impossible.clear()
        for wire in self.wires:
            wire.take_up_keys()
        try:
            while True:
                try:
                    await self._through()
                    return
                except TakenOver:
                    await self._while_a_person_has_it()
                except Interrupted as error:
                    left -= 1
                    if left == 0:
                        raise Stuck(f"it was interrupted {INTERRUPTIONS} times, last because {error}") from None
                    self.line.say(f"{error}; looks again")
                except (Silent, Unanswered) as error:
                    silences -= 1
                    if silences == 0:
                        raise
                    self.line.say(f"{error}; looks again")
        except JournalError:
            raise  # nothing more may be sent that is not written down first
        except ZingerError as error:
            self._needs_you(error)
        finally:
            self.line.ended = time.time()
            for wire in self.wires:
                wire.release()
            self.wire.world.claims.is_set_up(self.wire.name)

    async def _through(self) -> None:
        passes = tuple(Pass(wire, self.memory, self.owed, self._done) for wire in self.wires)
        for on in passes:
            on.parts = passes
        last = STOPS_AFTER.get(self.wire.world.stop_after)
        for on, stages in (*((on, EACH_PART) for on in passes), (passes[0], AT_LAST)):
            for stage in stages:
                if stage.wanted(on) and type(stage) not in self._done.impossible:
                    await self._carry_out(stage, on, only_proves=stages is AT_LAST)
                if last is not None and isinstance(stage, last) and on is passes[-1 if stages is EACH_PART else 0]:
                    self.line.say(f"stopped after {self.wire.world.stop_after}, as wanted", Mark.AHEAD)
                    return

    async def _carry_out(self, stage: Stage, on: Pass, *, only_proves: bool) -> None:
        """Where hands can't do what would only prove something, that is owed; the person's reason is kept as a note."""
        try:
            await stage.carry(on)
        except CannotBeDone as error:
            if not only_proves:
                raise
            self._done.impossible.add(type(stage))
            what = error.act.do.partition(": ")[0]
            self.wire.note(
                entries.Noted(f"not proved, since hands could not: {what}" + (f" ({error.why})" if error.why else ""))
            )

    def _needs_you(self, error: ZingerError) -> None:
        mask = self.wire.world.masker().text
        self.line.shown = mask(getattr(error, "shown", "") or self.wire.pump.conversation.tail)
        why = mask(str(error))
        for stop, mark in self.line.stops.items():
            if mark in (Mark.NOW, Mark.AHEAD):
                self.line.stop(stop, Mark.NEEDS_YOU)
                break
        self.line.say(f"needs you · {why}", Mark.NEEDS_YOU)
        self.line.wait("you")
        self.wire.note(entries.NeedsYou(why, self.line.shown))

    async def _while_a_person_has_it(self) -> None:
        self.line.person_has_it = True
        self.line.say("you have the wire", Mark.NEEDS_YOU)
        self.wire.note(entries.PersonActed("took the wire"))
        await self.wire.pump.handed_back()
        self.wire.take_up_keys()
        self.line.person_has_it = False
        self.line.say("handed back; looks where it is")
        self.wire.note(entries.PersonActed("handed the wire back"))

    def state_in_words(self) -> str:
        """What a person must know when Zinger leaves this device now."""
        line = self.line
        saves = {step.setting for step in self.script.saves}
        sent = any(row.mark in (Mark.SENT, Mark.PROVED, Mark.DIFFERS) for row in line.steps if row.setting not in saves)
        if line.mood in (Mark.PROVED, Mark.CONFIGURED):
            return line.mood.value
        if saves and self.memory.unsaved:
            return "changed, not saved: a power cut takes it back"
        if sent:
            return "saved to startup, proof not finished" if saves else "changed, proof not finished"
        if line.began is None or not line.place:
            return "not touched yet"
        where = "booting" if line.place == "booting" else f"stands at {line.place.replace('_', ' ')}"
        return f"{where}, nothing changed yet"
