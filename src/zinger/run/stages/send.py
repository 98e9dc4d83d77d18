"""Sending what the device does not have yet."""

from __future__ import annotations

from collections.abc import Sequence

from zinger.phrasebook.steps import Effect
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.proof.findings import to_send
from zinger.run.board import Mark
from zinger.run.pump import TakenOver
from zinger.run.stages.interview import hold
from zinger.run.stages.stage import Pass
from zinger.script.compile import Step
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.send import send_step
from zinger.talk.errors import Interrupted, RefusedByDevice, Silent, Strayed, Stuck
from zinger.talk.requests import Answer, At


class Send:
    """Send every step whose setting the device does not have, then hold the question scripts for what is still open."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.world.sends

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        differ = to_send(wire.script, on.facts)
        todo = [step for step in differ if not step.only_looked_at]
        for step in wire.script.steps:
            if step not in differ:
                wire.line.step(step.setting, Mark.SENT, "already set")
            elif step.only_looked_at:
                wire.line.step(step.setting, Mark.DIFFERS, "it is only looked at")
        async with wire.stage("send", None, "sending the settings"):
            for step in todo:
                if not step.interview:
                    await send_one(on, step)
            asked = [step for step in todo if step.interview]
            for name in dict.fromkeys(step.interview for step in asked):
                if name not in on.done.held and wire.script.interviews[name].interview.begin is not None:
                    await hold(on, name)
            if asked:
                await self._what_was_not_made(on, asked)

    @staticmethod
    async def _what_was_not_made(on: Pass, asked: Sequence[Step]) -> None:
        """A question script can do less than it seems to: read, and send by itself what is still different."""
        wire, why = on.wire, "its questions did not set it"
        await wire.do(arrive(wire.book.map, wire.book.home, wire.keys))
        still = to_send(wire.script, await wire.read(startup=False))
        for step in asked:
            if step in still and step.also is not None:
                await send_one(on, step.also)
            elif step in still and step.shows is not None:
                wire.line.step(step.setting, Mark.DIFFERS, why)
                wire.note(entries.WasRefused(step.setting, why))


async def send_one(on: Pass, step: Step) -> bool:
    """Send one step; returns whether the device took it, which a step that restarts it has by the restart."""
    wire = on.wire
    wire.line.step(step.setting, Mark.NOW)
    wire.line.say(step.title if step in wire.script.saves else f"sending {step.title}")
    for account in accounts_of(wire.device):
        if account.setting.name == step.setting:
            await on.may_sign_in(account.name, account.secret.name)
    moves = step.effect is Effect.LINK_MOVES and wire.over_network
    if moves:
        await _way_back(on, step)
    await wire.write(entries.WillSend(step.setting, step.shown, step not in wire.script.saves))
    try:
        answer = await _sent(on, step, moves)
        if step.how.confirm is not None:
            await wire.confirm(step)
    except RefusedByDevice as refusal:
        wire.line.step(step.setting, Mark.DIFFERS, refusal.words)
        wire.note(entries.WasRefused(step.setting, refusal.words))
        return False
    except (Interrupted, Silent) as error:
        if step.effect is not Effect.RESTARTS or not wire.restarted(error):
            if isinstance(error, Strayed):
                on.done.strayed[step.setting] += 1
                if on.done.strayed[step.setting] > 1:
                    raise Stuck(f"{error}, each time that it is sent", wire.pump.conversation.tail) from None
            raise
        wire.line.step(step.setting, Mark.SENT)
    else:
        warned = "; ".join(answer.warnings)
        wire.line.step(step.setting, Mark.SENT, warned)
        wire.note(entries.WasSent(step.setting, warned))
        on.done.sent[step.setting] += 1
    return True


async def _way_back(on: Pass, step: Step) -> None:
    """Before the very link moves over which it is sent, it must be sure how one comes back."""
    if step.how.confirm is None:
        raise Stuck(
            f"Sending the {step.title} would cut the link over which it is sent, and nothing takes it back if that "
            "goes wrong. Give the device a console, or the step a confirm."
        )
    await on.wire.world.claims.be_near(on.wire.device, on.wire.line.wait)


async def _sent(on: Pass, step: Step, moves: bool) -> Answer:
    """Send a step; where it moves the link, the silence or loss that follows is what was wanted."""
    wire = on.wire
    try:
        return await wire.do(send_step(wire.book, step, wire.keys))
    except (Interrupted, Stuck) as error:
        if not moves or isinstance(error, TakenOver):
            raise
        return Answer((), At(wire.book.places[step.at]))
