"""Proves one device: reads back running and startup, looks in from the network, cuts the power, reads again."""

from __future__ import annotations

import time

from zinger.plan.setting import Stop
from zinger.plan.settings import SETTINGS
from zinger.proof import Source, Verdict, judge, proved
from zinger.run.board import Mark
from zinger.run.hands import Act, Verb
from zinger.run.onwire import OnWire
from zinger.run.outside import Outside
from zinger.talk import Interrupted, arrive, look, say_phrase

BOOT_SIGN = 60.0
"""Seconds to wait for a first sign of life after a power cut."""


class Prover:
    """Nothing is changed here; what was said must be seen."""

    def __init__(self, wire: OnWire) -> None:
        self.wire = wire
        self.outside = Outside(wire.world.dialer, wire.device, wire.book, wire.world)

    async def prove(self) -> None:
        """Gather every finding that is owed, and say what came of it."""
        wire = self.wire
        wire.line.stop(Stop.PROOF, Mark.NOW)
        async with wire.stage("read back", None, "reading back running and startup"):
            wire.find(judge(wire.script, await wire.read(startup=False), Source.RUNNING))
            if shown := wire.book.startup_facts:
                wire.find(judge(wire.script, await wire.read(startup=True), Source.STARTUP, shown))
        async with wire.stage("from the network", None, "signing in from the network"):
            await wire.world.laptop.be_near(wire.device, wire.line.wait)
            wire.line.wait("its turn on the network")
            async with wire.world.from_outside:
                wire.line.wait("answers from the network")
                async for finding in self.outside.look_in():
                    wire.find([finding])
        if self._restarts:
            await self._through_a_restart()
        if wire.world.power_cut:
            await self._through_a_power_cut()
        self._conclude()

    @property
    def _restarts(self) -> bool:
        return self.wire.world.restart and self.wire.script.restart is not None

    async def _through_a_restart(self) -> None:
        """Restart by command, as can be done from afar; then everything is read again."""
        wire, restart = self.wire, self.wire.script.restart
        assert restart is not None
        async with wire.stage("restart", None, "restarting by command"):
            await wire.write("say", setting="restart", words=restart.shown)
            try:
                await wire.do(say_phrase(wire.book, restart, wire.keys))
            except Interrupted:
                if not wire.restarts:
                    raise
        await self._read_again(Source.AFTER_RESTART)

    async def _through_a_power_cut(self) -> None:
        wire = self.wire
        async with wire.stage("power cut and boot", None, "hands: cut its power"):
            wire.line.wait("your hands")
            await wire.world.hands.ask(
                Act(
                    Verb.POWER_CUT,
                    wire.name,
                    f"cut the power of {wire.name}, give it back after 5 s",
                    "does what was saved hold?",
                    rank=3,
                )
            )
            wire.pump.conversation.forget()
            wire.line.say("booting after the power cut")
            await wire.do(look(BOOT_SIGN))
        await self._read_again(Source.AFTER_POWER_CUT)

    async def _read_again(self, source: Source) -> None:
        wire = self.wire
        async with wire.stage("read again", None, f"reading again {source.value.replace(' a ', ' the ')}"):
            await wire.do(arrive(wire.book, wire.book.home, wire.keys, BOOT_SIGN))
            wire.find(judge(wire.script, await wire.read(startup=False), source))

    def owed(self) -> list[tuple[str, Source]]:
        """Every (setting, source) without which the device is not proved."""
        sources = [
            Source.RUNNING,
            *([Source.AFTER_POWER_CUT] if self.wire.world.power_cut else []),
            *([Source.AFTER_RESTART] if self._restarts else []),
        ]
        phrases = [p for p in self.wire.script.phrases if p.fact]
        owed = [(p.setting, s) for p in phrases for s in sources]
        owed += [(p.setting, Source.STARTUP) for p in phrases if p.fact in self.wire.book.startup_facts]
        return owed + [(setting, Source.OUTSIDE) for setting in self.outside.owed()]

    def is_proved(self) -> bool:
        """Whether everything owed was found and holds; counted from the findings and nothing else."""
        blocked = any(u.blocks for u in self.wire.script.unsaid)
        return not blocked and proved(self.wire.line.findings.values(), self.owed())

    def _conclude(self) -> None:
        line = self.wire.line
        if not self.is_proved():
            sentence = self._what_differs()
            line.stop(Stop.PROOF, Mark.DIFFERS)
            line.say(sentence, Mark.DIFFERS)
            self.wire.note("differs", why=sentence)
            return
        line.stop(Stop.PROOF, Mark.PROVED)
        for phrase in self.wire.script.keep:
            line.phrase(phrase.setting, Mark.PROVED)
        for stop, mark in line.stops.items():
            if mark is Mark.SAID:
                line.stop(stop, Mark.PROVED)
        held = " · holds after a power cut" if self.wire.world.power_cut else ""
        line.say(f"proved {time.strftime('%H:%M')}{held}", Mark.PROVED)
        self.wire.note("proved")

    def _what_differs(self) -> str:
        differing = self.wire.line.differing
        blocked = [u for u in self.wire.script.unsaid if u.blocks]
        if not differing and blocked:
            return f"{SETTINGS[blocked[0].setting].title} can't be said: {blocked[0].why}"
        if not differing:
            return "not all that is owed was found"
        first = differing[0]
        if first.verdict is Verdict.ABSENT:
            return f"{first.title}: nothing shown {_where(first.source)}, planned {first.planned}"
        return f"{first.title} reads back {first.read}, planned {first.planned}"


def _where(source: Source) -> str:
    return f"in {source.value}" if source in (Source.RUNNING, Source.STARTUP) else source.value
