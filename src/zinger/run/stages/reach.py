"""Reaching the device and signing in."""

from __future__ import annotations

from zinger.plan.setting import Stop
from zinger.plan.subjects.accounts.credentials import factory_renewal
from zinger.run.hands import Act, Verb
from zinger.run.stages.interview import hold
from zinger.run.stages.stage import Pass
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import look
from zinger.talk.errors import Interrupted, NotLetIn, Unanswered

FIRST_LOOK = 12.0
"""Seconds to wait for a first sign of life before asking whether it is plugged in."""
SECOND_LOOK = 60.0


class Reach:
    """Open the way to its console, and see that something answers there."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        if wire.world.sends:
            for first in sorted(wire.script.waits_for("sending")):
                wire.line.say(f"waits until {first} is set up")
                await wire.world.claims.after(wire.name, first, wire.line)
        async with wire.stage("reach", Stop.REACH, f"reaching {wire.reached_by}"):
            await wire.connect()
            try:
                await wire.do(look(FIRST_LOOK))
            except Unanswered:
                await wire.plug("nothing answers on its console")
                await wire.do(look(SECOND_LOOK))


class SignIn:
    """Sign in, read what is there, and see that it is the right device."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        async with wire.stage("sign in", Stop.SIGN_IN, "signing in"):
            await wire.know_the_label()
            first = wire.book.factory.user
            await on.may_sign_in(first, factory_renewal(wire.device, first).name)
            questions = frozenset(wire.book.interview_of)
            try:
                at = await wire.arrive_first(questions, SECOND_LOOK)
            except NotLetIn as error:
                await self._brought_back(on, error)
                raise Interrupted("it was brought back to factory state") from None
            if at.name in questions:
                await hold(on, wire.book.interview_of[at.name].name)
                await wire.do(arrive(wire.book.map, wire.book.home, wire.keys))
            on.facts = await wire.read(startup=False)
            on.check_device(on.facts)

    @staticmethod
    async def _brought_back(on: Pass, error: NotLetIn) -> None:
        """One that somebody else configured is brought back to factory state by hand, once; raises what kept it out.

        Never one that let Zinger in before: there a wrong password is a person's to look at.
        """
        wire, clean = on.wire, on.wire.book.factory.clean
        if clean is None or on.memory.accepted or on.done.brought_back or not (wire.world.sends and wire.is_new):
            raise error
        on.done.brought_back = True
        why = "somebody else configured it: it takes no password that Zinger knows. What it has is lost"
        act = Act(Verb.CLEAN, wire.name, f"at {wire.name}: {clean.do}", why, rank=1, see=clean.see)
        with wire.line.at_hands(clean.do):
            await wire.world.hands.ask(act)
        await wire.press_in_time()
        wire.keys.forget_refusals()
        wire.pump.leave()
