"""Proving: reading back, looking in from the network, restarting, cutting the power. Nothing is changed here."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Sequence

from zinger.phrasebook.map import AsksFor
from zinger.plan.setting import Stop
from zinger.plan.subjects.accounts.credentials import PlannedAccount
from zinger.proof.facts import Facts
from zinger.proof.findings import Finding, Source, Verdict, judge, unsaved_by
from zinger.proof.outcome import SIGN_IN
from zinger.run.board import Mark
from zinger.run.hands import Act, Verb
from zinger.run.legs import asked
from zinger.run.onwire import OnWire
from zinger.run.pump import TakenOver
from zinger.run.stages.restarts import BOOT_SIGN, Restarts
from zinger.run.stages.stage import Pass
from zinger.script.compile import Step, Trial
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.send import send_step
from zinger.talk.errors import Interrupted, RefusedByDevice, Silent, Stuck

SETTLES = 60.0
"""Seconds of the device's time that what is measured, such as a signal, may take to be as it should."""


class ReadBack:
    """Read running and, where it can be read, startup."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        wire.line.stop(Stop.PROOF, Mark.NOW)
        await wire.connect()  # where it moved, it is met again before another one is let at its factory address
        wire.world.claims.is_set_up(wire.name)
        for other in sorted(wire.script.waits_for("looking")):
            wire.line.say(f"waits until {other} is set up")
            wire.lend()
            await wire.world.claims.after(wire.name, other, wire.line)
            await wire.connect()
        shown = wire.book.startup_facts
        async with wire.stage("read back", None, f"reading back running{' and startup' if shown else ''}"):
            running, found = await _read(on, Source.RUNNING)
            for finding in unsaved_by(wire.script, running):
                wire.note(entries.ShownUnsaved(finding.evidence or finding.title))
            if shown:
                found += (await _read(on, Source.STARTUP, shown))[1]
            self._once_more(on, found)

    @staticmethod
    def _once_more(on: Pass, found: Sequence[Finding]) -> None:
        """What was sent and taken once and is not there is sent once more: a restart or a key can have come between."""
        lost = [finding for finding in found if not finding.holds and on.done.sent[finding.setting] == 1]
        if lost and on.wire.world.sends:
            for finding in lost:
                on.done.sent[finding.setting] += 1  # what is there, and was not saved, is not sent again
            raise Interrupted(f"{lost[0].title} was sent and is not there")


async def _read(on: Pass, source: Source, among: frozenset[str] | None = None) -> tuple[Facts, list[Finding]]:
    """Read and judge; what is not as planned is read once more, since somebody's key can cut an answer short."""
    wire, again = on.wire, False
    measured = {step.setting for step in wire.script.steps if step.is_measured}
    end = time.monotonic() + SETTLES / wire.world.pace
    while True:
        shown = await wire.read(startup=source is Source.STARTUP)
        if source is not Source.STARTUP:
            on.check_device(shown)
        found = judge(wire.script, shown, source, among)
        lacking = {finding.setting for finding in found if not finding.holds}
        if lacking and lacking <= measured and time.monotonic() < end:
            wire.line.wait("what is measured to settle")
            await asyncio.sleep(max(0.2, SETTLES / 10 / wire.world.pace))
        elif again or not lacking:
            wire.find(found)
            return shown, found
        else:
            again = True


class FromNetwork:
    """Sign in from the network, and see which services answer there."""

    def wanted(self, on: Pass) -> bool:
        return on.owed.outside.sees_anything()

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("from the network", None, "signing in from the network"):
            await wire.world.claims.be_near(wire.device, wire.line)
            wire.line.wait("its turn on the network")
            async with wire.world.claims.from_outside():
                wire.line.wait("answers from the network")
                async for finding in on.owed.outside.look_in(Restarts(wire, on.done).may_be_on):
                    wire.find([finding])


class AskLegs:
    """Ask the legs of a voice gateway over SIP, from the address of a peer of each."""

    def wanted(self, on: Pass) -> bool:
        return bool(on.owed.legs())

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("legs", None, "asking its legs over SIP"):
            for leg in on.owed.legs():
                await wire.world.claims.be_as(leg.sender, leg.peer.name, wire.line)
                wire.line.wait(f"the {leg.side} leg to answer")
                wire.find([await asked(wire.world, wire.device, leg)])


class OnConsole:
    """Sign out and in again on the console with each password that nothing else tries."""

    def wanted(self, on: Pass) -> bool:
        return bool(on.owed.on_console(on.wire))

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        ways = wire.book.map
        door = ways.asking(AsksFor.USER) or ways.asking(AsksFor.PASSWORD)
        assert door is not None
        async with wire.stage("on the console", None, "signing in again on its console"):
            for account in on.owed.on_console(wire):
                keys = Keyring([(account.name, account.secret)], device=wire.name, passwords=wire.keys.passwords)
                if await self._comes_to(door, wire, keys):
                    wire.find([await self._signs_in(wire, account, keys)])
            await self._comes_to(door, wire, wire.keys)

    @staticmethod
    async def _comes_to(door: str, wire: OnWire, keys: Keyring) -> bool:
        """Sign out; where that leads nowhere, such as on a line that lets an account in again unasked, all is owed."""
        try:
            await wire.do(arrive(wire.book.map, door, keys))
        except Stuck:
            return False
        return True

    @staticmethod
    async def _signs_in(wire: OnWire, account: PlannedAccount, keys: Keyring) -> Finding:
        """Two tries, as everywhere: what is typed blind can be lost on the way, and devices lock out who tries on."""
        goal = wire.book.home if account.administers else wire.book.view or wire.book.home
        planned, holds = f"{account.name} signs in on the console, to {goal}", True
        try:
            at = await wire.do(arrive(wire.book.map, goal, keys))
            read, evidence = f"at {at.name}", wire.pump.conversation.tail.strip()
            if keys.let_in is None:  # a refusal can lead back into the session from which it was tried
                read, holds = "not let in", False
        except Stuck as error:
            read, evidence, holds = str(error), error.shown.strip() or str(error), False
        verdict = Verdict.HOLDS if holds else Verdict.DIFFERS
        title = f"sign-in of {account.name}"
        return Finding(wire.name, SIGN_IN + account.name, title, Source.CONSOLE, planned, read, evidence, verdict)


class UsePasswords:
    """Make the device use the passwords and keys that are no account's, where its family has a way."""

    def wanted(self, on: Pass) -> bool:
        return bool(on.owed.trials(on.wire))

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("passwords", None, "having its passwords tried"):
            for trial in on.owed.trials(on.wire):
                wire.find([await self._tried(wire, trial)])

    @staticmethod
    async def _tried(wire: OnWire, trial: Trial) -> Finding:
        step, verdict = trial.step, Verdict.HOLDS
        try:
            answer = await wire.do(send_step(wire.book, step, wire.keys))
            expect = step.how.expect
            evidence = next((line for line in answer.lines if expect and expect.search(line)), "")
            read = "taken"
        except RefusedByDevice as refusal:
            read, evidence, verdict = "not taken", refusal.words, Verdict.DIFFERS
        return Finding(wire.name, trial.name, step.title, Source.CONSOLE, "taken", read, evidence, verdict)


class Restart:
    """Restart by command, as can be done from afar; then everything is read again."""

    def wanted(self, on: Pass) -> bool:
        return on.owed.restarts

    async def carry(self, on: Pass) -> None:
        wire, restart = on.wire, on.wire.script.restart
        assert restart is not None
        async with wire.stage("restart", None, "restarting by command"):
            await wire.write(entries.WillSend("restart", restart.shown, changes=False))
            restarts = Restarts(wire, on.done)
            await restarts.is_seen(self._told(wire, restart))
            await restarts.is_up()
        await _read_again(on, Source.AFTER_RESTART)

    @staticmethod
    async def _told(wire: OnWire, restart: Step) -> bool:
        """Tell it; that it falls silent over it is a sign already, a session that ends is none yet."""
        try:
            await wire.do(send_step(wire.book, restart, wire.keys))
        except TakenOver:
            raise
        except (Interrupted, Silent) as error:
            return isinstance(error, Silent)
        return False


class PowerCut:
    """Have the power cut; then everything is read again."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.world.power_cut

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("power cut and boot", None, "looking for its restart"):
            do = f"cut the power of {wire.name}, give it back after 5 s"
            act = Act(Verb.POWER_CUT, wire.name, do, "does what was saved hold?", rank=3)
            await wire.connect()  # it can have been lost while nobody used it, and then nothing would be seen
            wire.pump.conversation.forget()
            restarts = Restarts(wire, on.done)
            await restarts.is_seen(self._asked(wire, act))
            wire.line.say("booting after the power cut")
            await restarts.is_up()
        await _read_again(on, Source.AFTER_POWER_CUT)

    @staticmethod
    async def _asked(wire: OnWire, act: Act) -> bool:
        since = asyncio.get_running_loop().time()

        async def shown() -> bool:
            return wire.shows_restart(since)

        with wire.line.at_hands("cut its power"):
            await wire.world.hands.ask(act, shown)
        return False


async def _read_again(on: Pass, source: Source) -> None:
    wire = on.wire
    async with wire.stage("read again", None, f"reading again {source.value.replace(' a ', ' the ')}"):
        for part in on.parts:
            wire = part.wire
            await wire.connect()
            await wire.do(arrive(wire.book.map, wire.book.home, wire.keys, BOOT_SIGN))
            await _read(part, source)
    if unshown := on.owed.unshown_accounts():
        async with wire.world.claims.from_outside():
            async for finding in on.owed.outside.sign_in_again(unshown, source, Restarts(wire, on.done).may_be_on):
                wire.find([finding])
