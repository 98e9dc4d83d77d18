"""Holding a question script on a device."""

from __future__ import annotations

from zinger.phrasebook.steps import Effect
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.values.clock import at_once
from zinger.run.board import Mark
from zinger.run.memory import QUESTIONS_OF
from zinger.run.stages.stage import Pass
from zinger.script.compile import compile_script
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.interview import begin_interview, hold_interview, leave_interview
from zinger.talk.errors import Interrupted, RefusedByDevice, Silent, Stuck

LOOKS = 30.0
"""Seconds to see where a question script stands."""
AFTER_QUESTIONS = 60.0
"""Seconds to wait for the home place when a question script has restarted the device."""


async def hold(on: Pass, name: str) -> None:
    """Hold a question script with this device's answers; one for which nothing is planned is left.

    Of one that was begun again only the settings that differ are said, and what else stands there is kept.
    """
    wire, held, wanted = on.wire, on.wire.script.interviews[name], on.done.asked.get(name)
    if not held.settings and held.interview.summary is not None:
        wire.line.say("leaving questions for which nothing is planned")
        await wire.do(leave_interview(held, LOOKS))
        return
    await wire.do(begin_interview(wire.book, held.interview, wire.keys))
    on.check_device({})
    if any(step.tells_time for step in wire.script.steps if step.interview == name):
        held = compile_script(wire.device, wire.book, now=at_once()).interviews[name]
    said = [step for step in wire.script.steps if step.interview == name and (wanted is None or step.setting in wanted)]
    for step in said:
        wire.line.step(step.setting, Mark.NOW)
    wire.line.say("answering its questions")
    for account in accounts_of(wire.device):
        await on.may_sign_in(account.name, account.secret.name)
    if held.interview.effect is Effect.RESTARTS:
        await wire.write(entries.Leaves())
    await wire.write(entries.WillSend(f"{QUESTIONS_OF}{name}", f"{len(held.answers)} answers"))
    for step in said:
        wire.note(entries.WillSend(step.setting, step.shown))
    try:
        await wire.do(hold_interview(wire.book, wire.script, held, wire.keys, wanted))
    except RefusedByDevice as refusal:
        raise Stuck(f"{refusal.setting} was refused in its questions: {refusal.words}") from None
    except (Interrupted, Silent) as error:
        if held.interview.effect is not Effect.RESTARTS or not wire.restarted(error):
            raise
        wire.line.say("restarting after its questions")
        goal, questions = wire.book.home, held.interview.questions
        at = await wire.do(arrive(wire.book.map, goal, wire.keys, AFTER_QUESTIONS, questions))
        if at.name in questions:
            raise Interrupted("it restarted in the middle of its questions") from None
    on.done.held.add(name)
    for step in said:
        wire.line.step(step.setting, Mark.SENT)
        wire.note(entries.WasSent(step.setting))
