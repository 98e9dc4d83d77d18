"""One device on its wire: its link, its dialogue, and what everybody who works on it needs.

The stages send and read through this; a person takes the wire, holds it, hands it back. How the device is reached, and
what stands at the other end of the link, is each kind of wire's own (`ConsoleWire`, `PagesWire`).
"""

from __future__ import annotations

import asyncio
import time
from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from zinger.phrasebook.book import Phrasebook, Reading
from zinger.plan.model import Device
from zinger.plan.setting import Stop
from zinger.plan.subjects.accounts.credentials import factory_renewal
from zinger.proof.facts import Fact, Facts, facts_in
from zinger.proof.findings import Finding
from zinger.run.board import DeviceLine, Mark
from zinger.run.hands import Act, Verb
from zinger.run.memory import Memory, credentials, factory_secret, passwords_of
from zinger.run.pump import Pump
from zinger.run.stopwatch import timed
from zinger.run.world import World
from zinger.script.compile import Script, Step
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.confirm import confirm
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import take_reading
from zinger.talk.errors import Interrupted, Silent, Stuck
from zinger.talk.events import Event, Recognised, Renewed, SignedIn, ToKeep, Waiting, Waits
from zinger.talk.requests import At, Errand

T = TypeVar("T")
AWAY = 20.0
"""Seconds that a lost device is dialled again for, above twice its boot."""


@dataclass(frozen=True)
class Assignment:
    """What one wire carries: a part of a device's dialogue, and in which world."""

    world: World
    device: Device
    book: Phrasebook
    script: Script
    line: DeviceLine
    memory: Memory
    part: int = 0
    """From 0: what follows goes on where the first has put the device."""


class OnWire(ABC):
    """Sends, reads and notes for one device."""

    pump: Pump[Any]
    reached_by = "its console"
    """How it is reached, for people."""

    def __init__(self, to_do: Assignment) -> None:
        self.world, self.device, self.book, self.script = to_do.world, to_do.device, to_do.book, to_do.script
        self.name, self.line, self.memory, self.part = to_do.device.name, to_do.line, to_do.memory, to_do.part
        world, device, book, memory = self.world, self.device, self.book, self.memory
        self.boots_in = memory.boots_in or book.factory.boots_in / world.pace
        """Seconds that this very device took to boot before, or its family takes."""
        self.keys = Keyring(
            credentials(device, book, memory),
            {book.factory.user: factory_renewal(device, book.factory.user)},
            device.name,
            passwords=passwords_of(device),
        )
        self._go = asyncio.Event()
        self._go.set()
        self._boot_began: float | None = None
        self._was_plugged = False
        self.links = 0
        """How many links there were in this run."""

    # -- what each kind of wire does in its own way ------------------------------------------------
    @property
    @abstractmethod
    def over_network(self) -> bool:
        """Whether a change of its address cuts the link."""

    @abstractmethod
    async def connect(self) -> None:
        """Open the way to it, if it is not open; what hands must do first is asked of them. Raises LinkError."""

    @abstractmethod
    def restarted(self, error: Interrupted | Silent) -> bool:
        """Whether what it was told to do ended so because it restarts: it shows that, or fell silent over it."""

    @abstractmethod
    async def is_down(self, since: float) -> bool:
        """Whether it is seen to have gone down since a time of the loop's clock."""

    @abstractmethod
    async def comes_up(self, since: float, within: float) -> None:
        """Wait until a device that went down after `since`, by the loop's clock, shows a sign of life."""

    @property
    def restarts(self) -> bool:
        """Whether it shows that it boots, and neither stood at a known place nor said that it is up yet."""
        return bool(self.pump.conversation.boots)

    @property
    def way_back(self) -> str:
        """How one comes back where a change of its address goes wrong; nothing where no way is sure."""
        return ""

    @property
    def is_new(self) -> bool:
        """Whether it may be one to be set up, as the way to it tells: not one that serves at its planned address."""
        return True

    @property
    def answers_at(self) -> str:
        """The address at which it was reached last over the network; empty for none."""
        return ""

    def went_away(self) -> None:
        """A step was sent that moves the link, or ends it: where it was counts no more."""
        return

    def is_told_apart(self, known: bool) -> None:
        """Its serial number or MAC was compared with the plan's (`known`), or could not be. Raises Stuck."""
        return

    def release(self) -> None:
        """The device's task ends: what it claimed is free for others."""
        return

    def lend(self) -> None:
        """It waits for another device now: what both may need is free meanwhile."""
        return

    # -- sending and reading -----------------------------------------------------------------------
    async def do(self, errand: Errand[T]) -> T:
        """Carry out an errand, once nobody holds the device."""
        await self._go.wait()
        if self.line.part != self.part:
            self.line.part = self.part
            self.line.version += 1
        return await self.pump.do(errand)

    async def arrive_first(self, stop: frozenset[str], patience: float) -> At:
        """Come to the home place, or to one of `stop`; terms of use on the way are a person's to accept."""
        terms = self.book.map.terms
        while True:
            at = await self.do(arrive(self.book.map, self.book.home, self.keys, patience, stop | terms))
            if at.name not in terms or at.page is None:
                return at
            with self.line.at_hands("read its terms"):
                await self.world.terms.accept(self.book.family, self.book.title, at.page, self.note)
            self.keys.terms_accepted = True
            beyond = self.book.map.beyond_terms(at.name)
            try:
                await self.do(arrive(self.book.map, beyond[0], self.keys, patience, stop | frozenset(beyond)))
            finally:
                self.keys.terms_accepted = False

    async def read(self, startup: bool) -> Facts:
        """All facts of the running or the startup state."""
        facts: dict[str, tuple[Fact, ...]] = {}
        for reading in self.book.readings.values():
            if startup and not reading.startup:
                continue
            answer = await self.do(take_reading(self.book, reading, self.keys, startup))
            facts.update(facts_in(reading, answer.rows, answer.torn, answer.page))
        return facts

    async def fetch(self, reading: Reading) -> bytes:
        """What the device gives, as it gives it."""
        answer = await self.do(take_reading(self.book, reading, self.keys))
        return "".join(f"{row}\n" for row in answer.rows).encode()

    async def confirm(self, step: Step) -> None:
        """Say that a change stays which would go back by itself."""
        await self.do(confirm(self.book, step, self.keys))

    async def know_the_label(self) -> None:
        """Have the password that is printed on this very device, before it is needed; hands read it once."""
        label = factory_secret(self.device, self.book)
        if not self.book.factory.on_label or label in self.world.vault:
            return
        do = f"type in the password on the label of {self.name}"
        why = "its first sign-in is printed there"
        with self.line.at_hands("the password on its label"):
            await self.world.hands.ask(Act(Verb.READ_LABEL, self.name, do, why, rank=1, entry=label.name))
        if label not in self.world.vault:
            raise Stuck(f"the password on its label is not known; enter it: zinger secret JOB {label.name}")
        self.pump.masker.know(self.spellings([self.world.vault.get(label)]))

    def take_up_keys(self) -> None:
        """All passwords by which it may let Zinger in, from the beginning: a person may have typed in another one."""
        self.keys.credentials = credentials(self.device, self.book, self.memory)
        self.keys.forget_refusals()
        self.keys.let_in = None  # who lets it in now is not seen yet
        known = (ref for _, ref in self.keys.credentials if ref in self.world.vault)
        self.pump.masker.know(self.spellings([self.world.vault.get(ref) for ref in known]))

    def spellings(self, secrets: Iterable[str]) -> Iterable[str]:
        """How secrets may come back on this surface."""
        return secrets

    @asynccontextmanager
    async def stage(self, stage: str, stop: Stop | None, sentence: str) -> AsyncIterator[None]:
        """A stage of the work: shown on the board while it lasts, in the journal when it is done."""
        if stop:
            self.line.stop(stop, Mark.NOW)
        self.line.say(sentence)
        with timed(stage) as watch:
            self.line.watch = watch
            yield
        if stop:
            self.line.stop(stop, Mark.SENT)
        self.note(entries.StageDone(stage, watch.began, round(watch.waited, 2)))

    def find(self, findings: Iterable[Finding]) -> None:
        """Findings go to the board and the journal."""
        for finding in findings:
            self.line.find(finding)
            self.note(entries.Found.of(finding))

    def note(self, event: entries.Happened) -> None:
        """An entry in the journal, without waiting for it, and in the memory of the device."""
        self.memory.take_in(event, self.name, time.time())
        kind, data = entries.written(event)
        self.world.journal.note(kind, self.name, **data)

    async def write(self, event: entries.Happened) -> None:
        """An entry in the journal, on disk when this returns: an intent before its act."""
        self.memory.take_in(event, self.name, time.time())
        kind, data = entries.written(event)
        await self.world.journal.write(kind, self.name, **data)

    def fresh_file(self, way: str, suffix: str) -> Path:
        """A name for one more recording of this device."""
        stem = f"{self.name}-{time.strftime('%Y%m%d-%H%M%S')}-{way}"
        file, count = self.world.records / f"{stem}{suffix}", 1
        while file.exists():
            count += 1
            file = self.world.records / f"{stem}-{count}{suffix}"
        return file

    # -- hands -------------------------------------------------------------------------------------
    async def plug(self, why: str, moves: bool = False, cable_in: str = "") -> None:
        """Ask for the cable and power; one that `moves` can't be plugged in ahead, and may be in another device."""
        where = f" ({self.device.location})" if self.device.location else ""
        before = "" if self.memory.accepted else self.book.factory.before  # one that was set up starts as it is
        first = f"{before}; then " if before else ""
        timed = self.book.factory.press is not None and self.book.factory.press.within
        on = "switch it on (off and on again, if it is on)" if timed or before else "switch it on"
        out = f"take the {self.cable} out of {cable_in} and " if cable_in else ""
        do = f"{first}{out}plug {'it' if out else f'the {self.cable}'} into {self.name}{where}, {on}"
        act = Act(Verb.PLUG, self.name, do, why, rank=1, see=self.book.factory.light, only_now=moves,
                  taken_from=cable_in)  # fmt: skip
        since = asyncio.get_running_loop().time()

        async def shown() -> bool:
            return await self.shows_life(since)

        with self.line.at_hands(f"{self.cable} and power"):
            await self.world.hands.ask(act, shown)
        self._was_plugged = True  # only now: one that could not be plugged is asked for again
        if not await shown():
            self.pump.expect_boot(certain=False)
        await self.press_in_time()

    async def shows_life(self, since: float) -> bool:
        """Whether something shows by itself that it was plugged in and switched on `since`."""
        return False

    def shows_restart(self, since: float) -> bool:
        """Whether it shows by itself that its power was cut `since`, beyond doubt."""
        return False

    async def press_in_time(self) -> None:
        """Have pressed at the device what opens the way to it; when its time is over, it is switched on once more."""
        press = self.book.factory.press
        while press is not None:
            within = press.within / self.world.pace
            until = time.time() + within if within else None
            why = f"{self.book.title} opens its pages only then" if self.book.pages else "it is reached only then"
            act = Act(Verb.PRESS, self.name, f"at {self.name}: {press.do}", why, rank=0, see=press.see, until=until)
            try:
                async with asyncio.timeout(within or None):
                    with self.line.at_hands(press.do, until):
                        await self._pressed(act)
                return
            except TimeoutError:
                do = f"switch {self.name} off and on again: the time for “{press.do}” is over"
                with self.line.at_hands("off and on again"):
                    await self.world.hands.ask(Act(Verb.POWER_CUT, self.name, do, why, rank=1))

    async def _pressed(self, act: Act) -> None:
        """Ask for it; where that it was done can be seen, nobody need say so."""
        await self.world.hands.ask(act)

    cable = "console cable"

    # -- a person ----------------------------------------------------------------------------------
    def take(self) -> None:
        """A person takes the wire, whether something is under way or not."""
        self.pump.masker.know(self.spellings(self.world.secrets))
        self.pump.take()
        self.line.person_has_it = True
        self.line.version += 1

    def hand_back(self) -> None:
        """The person is done."""
        self.line.person_has_it = False
        self.line.version += 1
        self.pump.hand_back()

    def hold(self) -> None:
        """Pause before the next thing that is sent."""
        self._go.clear()
        self.line.hold()

    def go_on(self) -> None:
        """Go on after a hold."""
        self._go.set()
        self.line.release()

    @property
    def held(self) -> bool:
        """Whether a person holds it."""
        return not self._go.is_set()

    # -- what the conversation tells ---------------------------------------------------------------
    def _saw(self, event: Event) -> None:
        if isinstance(event, Recognised):
            self.line.at(event.place)
            if self._boot_began is not None:
                seconds = asyncio.get_running_loop().time() - self._boot_began
                self._boot_began = None
                self.note(entries.Booted(round(seconds, 2)))
        elif isinstance(event, Waits):
            self._waits(event)
        elif isinstance(event, Renewed):
            self.note(entries.Renewed(event.user, event.secret))
        elif isinstance(event, SignedIn):
            self.note(entries.SignedIn(event.user, event.secret))
        elif isinstance(event, ToKeep) and self.line.kept.get(event.what) != event.lines:
            self.line.keep(event.what, event.lines)
            self.note(entries.Kept(event.what, event.lines))

    def _waits(self, event: Waits) -> None:
        now = asyncio.get_running_loop().time()
        end = None if event.expected_end is None else time.time() + event.expected_end - now
        self.line.wait(event.why, end, event.what)
        if event.what is Waiting.BOOT:
            self._boot_began = now if event.expected_end is None else event.expected_end - self.boots_in
            self.line.at("booting")
            if self.line.mood is Mark.NOW:
                self.line.say("booting")
