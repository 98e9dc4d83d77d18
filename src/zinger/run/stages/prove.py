"""Proving: reading back, looking in from the network, restarting, cutting the power. Nothing is changed here."""

from __future__ import annotations

from zinger.plan.setting import Stop
from zinger.proof.findings import Source, judge
from zinger.run.board import Mark
from zinger.run.hands import Act, Verb
from zinger.run.stages.stage import Pass
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import look
from zinger.talk.errands.send import send_step
from zinger.talk.errors import Interrupted

BOOT_SIGN = 60.0
"""Seconds to wait for a first sign of life after a power cut."""


class ReadBack:
    """Read running and, where it can be read, startup."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        wire.line.stop(Stop.PROOF, Mark.NOW)
        async with wire.stage("read back", None, "reading back running and startup"):
            wire.find(judge(wire.script, await wire.read(startup=False), Source.RUNNING))
            if shown := wire.book.startup_facts:
                wire.find(judge(wire.script, await wire.read(startup=True), Source.STARTUP, shown))


class FromNetwork:
    """Sign in from the network, and see which services answer there."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("from the network", None, "signing in from the network"):
            await wire.world.claims.be_near(wire.device, wire.line.wait)
            wire.line.wait("its turn on the network")
            async with wire.world.claims.from_outside:
                wire.line.wait("answers from the network")
                async for finding in on.owed.outside.look_in():
                    wire.find([finding])


class Restart:
    """Restart by command, as can be done from afar; then everything is read again."""

    def wanted(self, on: Pass) -> bool:
        return on.owed.restarts

    async def carry(self, on: Pass) -> None:
        wire, restart = on.wire, on.wire.script.restart
        assert restart is not None
        async with wire.stage("restart", None, "restarting by command"):
            await wire.write(entries.WillSend("restart", restart.shown))
            try:
                await wire.do(send_step(wire.book, restart, wire.keys))
            except Interrupted:
                if not wire.restarts:
                    raise
        await _read_again(on, Source.AFTER_RESTART)


class PowerCut:
    """Have the power cut; then everything is read again."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.world.power_cut

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("power cut and boot", None, "hands: cut its power"):
            wire.line.wait("your hands")
            do = f"cut the power of {wire.name}, give it back after 5 s"
            await wire.world.hands.ask(Act(Verb.POWER_CUT, wire.name, do, "does what was saved hold?", rank=3))
            wire.pump.conversation.forget()
            wire.line.say("booting after the power cut")
            await wire.do(look(BOOT_SIGN))
        await _read_again(on, Source.AFTER_POWER_CUT)


async def _read_again(on: Pass, source: Source) -> None:
    wire = on.wire
    async with wire.stage("read again", None, f"reading again {source.value.replace(' a ', ' the ')}"):
        await wire.do(arrive(wire.book.map, wire.book.home, wire.keys, BOOT_SIGN))
        wire.find(judge(wire.script, await wire.read(startup=False), source))
