"""Carries one device from factory state to a proved baseline: reach, sign in, say, keep, prove.

Every stage looks before it acts, so the whole can be begun again after any interruption (a cut, a crash, a
restart, a person's typing) and says only what is not so. What it can't decide it hands to a person.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from zinger.keep import Journal, Masker, Recording, Vault, VaultError
from zinger.link import Dialer, LinkError
from zinger.phrasebook import Phrasebook
from zinger.plan import Device, SecretRef, Stop, needed_secrets
from zinger.proof import Facts, Finding, Source, Verdict, gather, judge, proved, to_say
from zinger.run.board import Line, Mark
from zinger.run.hands import Act, Hands, HandsNeeded, Verb
from zinger.run.laptop import Laptop
from zinger.run.memory import Memory, credentials, factory_secret, finding_data
from zinger.run.outside import Outside
from zinger.run.pump import Pump, TakenOver
from zinger.script import Script, ScriptPhrase
from zinger.talk import (
    Conversation,
    Interrupted,
    Keyring,
    Manner,
    Recognised,
    RefusedByDevice,
    Renewed,
    SignedIn,
    Stuck,
    TalkError,
    Told,
    arrive,
    look,
    say_phrase,
    take_reading,
)

INTERRUPTIONS = 12
"""How often a device may be interrupted in one run before a person is asked."""
AT_ONCE_FROM_OUTSIDE = 2
FIRST_LOOK = 12.0
"""Seconds to wait for a first sign of life before asking whether it is plugged in."""


@dataclass
class World:
    """What all devices of a run share."""

    vault: Vault
    journal: Journal
    unspeakable: tuple[str, ...]
    dialer: Dialer
    hands: Hands
    laptop: Laptop
    records: Path
    pace: float = 1.0
    practice: bool = True
    power_cut: bool = True
    speak: bool = True
    from_outside: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(AT_ONCE_FROM_OUTSIDE))
    """A claim: key exchanges cost this machine work, so only a few sign in from the network at a time."""

    def masker(self) -> Masker:
        """A masker that knows every secret of the job."""
        return Masker(self.unspeakable)

    def masker_for(self, device: Device, book: Phrasebook) -> Masker:
        """A masker for one device's stream: what can be said to it; a person's typing makes it know all."""
        own = (self.secret(book, ref) for ref in (*needed_secrets(device), factory_secret(book)))
        return Masker(own)

    def secret(self, book: Phrasebook, ref: SecretRef) -> str:
        """Resolve a reference at the moment of saying."""
        return book.factory.password if ref == factory_secret(book) else self.vault.get(ref)


class Carrier:
    """One device's way through the stages."""

    def __init__(self, world: World, device: Device, book: Phrasebook, script: Script, line: Line,
                 memory: Memory) -> None:
        self.world, self.device, self.book, self.script = world, device, book, script
        self.line, self.memory = line, memory
        boots_in = memory.boots_in or book.factory.boots_in / world.pace
        conversation = Conversation(book, Manner(boots_in=boots_in))
        self.pump = Pump(conversation, lambda ref: world.secret(book, ref),
                         world.masker_for(device, book), line.transcript, self._saw)
        self.keys = Keyring(credentials(device, book, memory),
                            {book.factory.user: device.factory_account_secret})
        self.outside = Outside(world.dialer, device, book, world)
        self._go = asyncio.Event()
        self._go.set()
        self._again = asyncio.Event()
        self._boot_began: float | None = None
        self._unplugged = False

    # -- the whole way -----------------------------------------------------------------------------
    async def carry(self) -> None:
        """Go through all stages; returns when the device is proved, differs, or needs a person."""
        self.line.began, self.line.ended = time.time(), None
        self._again.clear()
        left = INTERRUPTIONS
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
        except (TalkError, LinkError, VaultError, HandsNeeded) as error:
            await self._needs_you(error)
        finally:
            self.line.ended = time.time()

    async def _through(self) -> None:
        await self._reach()
        facts = await self._sign_in()
        if self.world.speak:
            said = await self._say(facts)
            await self._keep(said)
        await self._prove()

    async def _needs_you(self, error: Exception) -> None:
        shown = getattr(error, "shown", "") or self.pump.conversation.ear.tail
        self.line.shown = self.world.masker().text(shown)
        why = self.world.masker().text(str(error))
        for stop, mark in self.line.stops.items():
            if mark in (Mark.NOW, Mark.AHEAD):
                self.line.stop(stop, Mark.NEEDS_YOU)
                break
        self.line.say(f"needs you · {why}", Mark.NEEDS_YOU)
        self.line.wait("you")
        self.world.journal.note("needs you", self.device.name, why=why, shown=self.line.shown)

    async def _while_a_person_has_it(self) -> None:
        self.line.person_has_it = True
        self.line.say("you have the wire", Mark.NEEDS_YOU)
        self.world.journal.note("person", self.device.name, what="took the wire")
        await self.pump.handed_back()
        self.line.person_has_it = False
        self.line.say("handed back; looks where it is")
        self.world.journal.note("person", self.device.name, what="handed the wire back")

    def take(self) -> None:
        """A person takes the wire, whether something is under way or not."""
        self.pump.masker.know(self.world.unspeakable)
        self.pump.take()
        self.line.person_has_it = True
        self.line.version += 1

    def hand_back(self) -> None:
        """The person is done."""
        self.line.person_has_it = False
        self.line.version += 1
        self.pump.hand_back()

    def hold(self) -> None:
        """Pause before the next thing that is said."""
        self._go.clear()
        self.line.say("held by you", Mark.NEEDS_YOU)

    def go_on(self) -> None:
        """Go on after a hold."""
        self._go.set()
        self.line.say("goes on")

    @property
    def held(self) -> bool:
        """Whether a person holds it."""
        return not self._go.is_set()

    def state_in_words(self) -> str:
        """What a person must know when Zinger leaves this device now."""
        unkept = any(p.mark is Mark.SAID for p in self.line.phrases if p.setting != "keep")
        kept = next(p.mark for p in self.line.phrases if p.setting == "keep") in (Mark.SAID, Mark.PROVED)
        if self.line.mood is Mark.PROVED:
            return "proved"
        if not self.line.active and self.line.began is None:
            return "not touched"
        if unkept and not kept:
            return "changed, not saved: a power cut takes it back"
        if kept:
            return "saved to startup, proof not finished"
        return f"stands at {self.line.place.replace('_', ' ')}, nothing changed yet" if self.line.place else "booting"

    async def _do(self, errand: Any) -> Any:
        await self._go.wait()
        return await self.pump.do(errand)

    # -- stages ------------------------------------------------------------------------------------
    @asynccontextmanager
    async def _stage(self, stage: str, stop: Stop | None, sentence: str) -> AsyncIterator[None]:
        began = time.time()
        if stop:
            self.line.stop(stop, Mark.NOW)
        self.line.say(sentence)
        yield
        if stop:
            self.line.stop(stop, Mark.SAID)
        self.world.journal.note("stage", self.device.name, stage=stage, began=began)

    async def _reach(self) -> None:
        async with self._stage("reach", Stop.REACH, "reaching its console"):
            if self.pump.link is None:
                await self._open_console()
            for patience in (FIRST_LOOK, 60.0):
                try:
                    await self._do(look(patience))
                    return
                except Stuck:
                    if patience != FIRST_LOOK or self.pump.conversation.ear.tail.strip():
                        raise
                await self._plug("nothing answers on its console")

    async def _open_console(self) -> None:
        try:
            link = await self.world.dialer.console(self.device.name, self.device.console)
        except LinkError as error:
            if not self.world.practice or self._unplugged:
                raise
            self._unplugged = True
            await self._plug(str(error))
            link = await self.world.dialer.console(self.device.name, self.device.console)
        self._unplugged = False
        self.line.link = link.name
        self.pump.join(link, self._recording("console"))

    async def _plug(self, why: str) -> None:
        name = self.device.name
        where = f" ({self.device.location})" if self.device.location else ""
        self.line.say("hands: console cable and power", Mark.NOW)
        self.line.wait("your hands")
        await self.world.hands.ask(Act(Verb.PLUG, name, f"plug the console cable into {name}{where}, switch it on",
                                       why, rank=1))

    async def _sign_in(self) -> Facts:
        async with self._stage("sign in", Stop.IN, "signing in"):
            user, secret = self.book.factory.user, self.device.factory_account_secret
            if (user, secret.name) not in (*self.memory.accepted, *self.memory.intended):
                self.memory.intended.insert(0, (user, secret.name))
                await self.world.journal.write("may sign in", self.device.name, user=user, secret=secret.name)
            await self._do(arrive(self.book, self.book.home, self.keys))
            facts = await self._read(startup=False)
            self._check_box(facts)
        return facts

    def _check_box(self, facts: Facts) -> None:
        """Is this the box that the plan means? Compared before the first phrase is said."""
        for what, planned in (("serial", self.device.serial), ("mac", self.device.mac)):
            fact = facts.get(self.book.identity.get(what, ""))
            if planned and fact and _plain(fact[0].value) != _plain(planned):
                raise Stuck(f"this is another box: its {what} is {fact[0].value}, the plan says {planned}; "
                            "is the cable in the right one?", fact[0].line)

    async def _read(self, startup: bool) -> Facts:
        facts: dict[str, Any] = {}
        for reading in self.book.readings.values():
            if startup and not reading.startup:
                continue
            lines = await self._do(take_reading(self.book, reading, self.keys, startup))
            facts.update(gather(reading, lines))
        return facts

    async def _say(self, facts: Facts) -> bool:
        todo = to_say(self.script, facts)
        for phrase in self.script.phrases:
            if phrase not in todo:
                self.line.phrase(phrase.setting, Mark.SAID, "was so already")
        async with self._stage("say", None, "saying the settings"):
            for phrase in todo:
                await self._say_one(phrase)
        return bool(todo)

    async def _say_one(self, phrase: ScriptPhrase) -> None:
        name = self.device.name
        self.line.phrase(phrase.setting, Mark.NOW)
        self.line.say(f"saying {phrase.title}" if phrase.setting != "keep" else "saving to startup")
        for setting, account in self.device.accounts:
            if setting == phrase.setting == "accounts.administrator":
                await self.world.journal.write("may sign in", name, user=account.name, secret=account.secret.name)
        await self.world.journal.write("say", name, setting=phrase.setting, words=phrase.shown)
        try:
            await self._do(say_phrase(self.book, phrase, self.keys))
        except RefusedByDevice as refusal:
            self.line.phrase(phrase.setting, Mark.DIFFERS, refusal.words)
            self.world.journal.note("refused", name, setting=phrase.setting, words=refusal.words)
        else:
            self.line.phrase(phrase.setting, Mark.SAID)
            self.world.journal.note("said", name, setting=phrase.setting)

    async def _keep(self, said: bool) -> None:
        if not said and not to_say(self.script, await self._read(startup=True)):
            self.line.phrase("keep", Mark.SAID, "was so already")
            return
        async with self._stage("keep", Stop.KEEP, "saving to startup"):
            await self._say_one(self.script.keep)

    # -- proof -------------------------------------------------------------------------------------
    async def _prove(self) -> None:
        self.line.stop(Stop.PROOF, Mark.NOW)
        async with self._stage("read back", None, "reading back running and startup"):
            self._find(judge(self.script, await self._read(startup=False), Source.RUNNING))
            self._find(judge(self.script, await self._read(startup=True), Source.STARTUP))
        async with self._stage("from the network", None, "signing in from the network"):
            await self.world.laptop.be_near(self.device, self.line.wait)
            self.line.wait("its turn on the network")
            async with self.world.from_outside:
                self.line.wait("sign-in over SSH")
                async for finding in self.outside.look_in():
                    self._find([finding])
        if self.world.power_cut:
            await self._through_a_power_cut()
        self._conclude()

    async def _through_a_power_cut(self) -> None:
        name = self.device.name
        async with self._stage("power cut and boot", None, "hands: cut its power"):
            self.line.wait("your hands")
            await self.world.hands.ask(Act(Verb.POWER_CUT, name, f"cut the power of {name}, give it back after 5 s",
                                           "does what was saved hold?", rank=3))
            self.pump.conversation.forget()
            self.line.say("booting after the power cut")
            await self._do(look(60.0))
        async with self._stage("read again", None, "reading again after the power cut"):
            await self._do(arrive(self.book, self.book.home, self.keys))
            self._find(judge(self.script, await self._read(startup=False), Source.AFTER_POWER_CUT))

    def _find(self, findings: Iterable[Finding]) -> None:
        for finding in findings:
            self.line.find(finding)
            self.world.journal.note("finding", self.device.name, **finding_data(finding))

    def owed(self) -> list[tuple[str, Source]]:
        """Every (setting, source) without which the device is not proved."""
        sources = [Source.RUNNING, Source.STARTUP]
        if self.world.power_cut:
            sources.append(Source.AFTER_POWER_CUT)
        owed = [(p.setting, s) for p in self.script.phrases if p.fact for s in sources]
        return owed + [(setting, Source.OUTSIDE) for setting in self.outside.owed()]

    def _conclude(self) -> None:
        name, differing = self.device.name, self.line.differing
        if proved(self.line.findings.values(), self.owed()) and not any(u.blocks for u in self.script.unsaid):
            self.line.stop(Stop.PROOF, Mark.PROVED)
            self.line.phrase("keep", Mark.PROVED)
            for stop, mark in self.line.stops.items():
                if mark is Mark.SAID:
                    self.line.stop(stop, Mark.PROVED)
            held = " · holds after a power cut" if self.world.power_cut else ""
            self.line.say(f"proved {time.strftime('%H:%M')}{held}", Mark.PROVED)
            self.world.journal.note("proved", name)
            return
        self.line.stop(Stop.PROOF, Mark.DIFFERS)
        first = differing[0] if differing else None
        if first is None:
            sentence = "not all that is owed was found"
        elif first.verdict is Verdict.ABSENT:
            sentence = f"{first.title} is not shown {first.source.value}, planned {first.planned}"
        else:
            sentence = f"{first.title} reads back {first.read}, planned {first.planned}"
        self.line.say(sentence, Mark.DIFFERS)
        self.world.journal.note("differs", name, why=sentence)

    # -- what the conversation tells ---------------------------------------------------------------
    def _saw(self, event: Any) -> None:
        journal, name = self.world.journal, self.device.name
        if isinstance(event, Recognised):
            self.line.at(event.place)
            if self._boot_began is not None:
                seconds = asyncio.get_running_loop().time() - self._boot_began
                self._boot_began = None
                journal.note("booted", name, seconds=round(seconds, 2))
        elif isinstance(event, Told):
            self._told(event)
        elif isinstance(event, (SignedIn, Renewed)):
            kind = "renewed" if isinstance(event, Renewed) else "signed in"
            journal.note(kind, name, user=event.user, secret=event.secret)

    def _told(self, event: Told) -> None:
        loop = asyncio.get_running_loop()
        end = None if event.expected_end is None else time.time() + event.expected_end - loop.time()
        self.line.wait(event.why, end)
        if event.why == "booting":
            self._boot_began = loop.time()
            self.line.at("booting")
            if self.line.mood is Mark.NOW:
                self.line.say("booting")

    def _recording(self, way: str) -> Recording:
        stamp = time.strftime("%Y%m%d-%H%M%S")
        file = self.world.records / f"{self.device.name}-{stamp}-{way}.cast"
        count = 1
        while file.exists():
            count += 1
            file = self.world.records / f"{self.device.name}-{stamp}-{way}-{count}.cast"
        return Recording(file, f"{self.device.name}, {way}")


def _plain(identity: str) -> str:
    return "".join(c for c in identity.lower() if c.isalnum())
