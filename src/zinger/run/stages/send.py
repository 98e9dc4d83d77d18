"""Sending what the device does not have yet."""

from __future__ import annotations

from collections.abc import Sequence

from zinger.phrasebook.steps import ByHand, Effect
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.values.clock import at_once
from zinger.proof.findings import to_send
from zinger.run.board import Mark
from zinger.run.hands import Act, Verb
from zinger.run.pump import TakenOver
from zinger.run.stages.genfiles import blamed, keep_changes, look_after_refusal
from zinger.run.stages.interview import hold
from zinger.run.stages.restarts import Restarts
from zinger.run.stages.stage import Pass
from zinger.script.compile import Step, compile_script
from zinger.store import entries
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.send import joined, send_step, send_together
from zinger.talk.errors import Interrupted, RefusedByDevice, Restarted, Silent, Strayed, Stuck
from zinger.talk.requests import Answer, At, Errand
from zinger.wording import counted

REFUSED_ENOUGH = 2
"""A setting that was refused so often in this run is not sent again: after a restart it would be refused again."""


ASKED_ONCE = "asked at first contact only"
"""Why a setting of a question script can't be sent to a device that was set up before."""


class Send:
    """Send every step whose setting the device does not have, then hold the question scripts for what is still open."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.world.sends and not on.wire.world.only_saves

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        differ = to_send(wire.script, on.facts, on.knows_secrets_of)
        passed = on.memory.passed_over
        todo = [s for s in differ if not s.only_looked_at and on.done.refused[s.setting] < REFUSED_ENOUGH]
        todo = [s for s in todo if s.setting not in passed or s.interview]
        lacking = to_send(wire.script, on.facts)  # of the others only the password or key is another one
        todo = [s.change if s.change is not None and s not in lacking else s for s in todo]
        for step in wire.script.steps:
            if step not in differ:
                wire.line.step(step.setting, Mark.SENT, "already set")
            elif step.setting in passed and not step.interview:
                wire.line.step(step.setting, Mark.DIFFERS, "passed over by you")
            elif step.is_measured:
                wire.line.step(step.setting, Mark.AHEAD, "it is measured at the end")
            elif step.only_looked_at:
                wire.line.step(step.setting, Mark.DIFFERS, "it is only looked at")
        async with wire.stage("send", None, "sending the settings"):
            await send_all(on, [step for step in todo if not step.interview])
            asked = [step for step in todo if step.interview]
            for name in dict.fromkeys(step.interview for step in asked):
                if name not in on.done.held and wire.script.interviews[name].interview.begin is not None:
                    on.done.asked[name] = frozenset(step.setting for step in asked if step.interview == name)
                    await hold(on, name)
            if asked:
                await self._what_was_not_made(on, asked)

    @staticmethod
    async def _what_was_not_made(on: Pass, asked: Sequence[Step]) -> None:
        """A question script can do less than it seems to: read, and send by itself what is still different."""
        wire = on.wire
        await wire.do(arrive(wire.book.map, wire.book.home, wire.keys))
        facts = await wire.read(startup=False)
        still = [step for step in to_send(wire.script, facts, on.knows_secrets_of) if step in asked]
        for step in still:
            if step.also is None and step.shows is not None:
                asked_now = step.interview in on.done.held
                why = "its questions did not set it" if asked_now else f"it is {ASKED_ONCE}"
                wire.line.step(step.setting, Mark.DIFFERS, why)
                wire.note(entries.WasRefused(step.setting, why))
        await send_all(on, [step.also for step in still if step.also is not None])


async def send_all(on: Pass, steps: Sequence[Step]) -> None:
    """Send these; on pages, those of one page are submitted together."""
    for group in on_one_page(steps) if on.wire.book.pages else [[step] for step in steps]:
        if len(group) == 1:
            await send_one(on, group[0])
        else:
            await send_form(on, group)


def on_one_page(steps: Sequence[Step]) -> list[list[Step]]:
    """Steps that are submitted together, each group where its first stands; what moves the link goes last.

    Only what must come after that comes after that.
    """
    groups: list[list[Step]] = []
    for step in steps:
        group = next((g for g in groups if joined([*g, step]) is not None), None)
        if group is None:
            groups.append([step])
        else:
            group.append(step)
    moving = {step.setting for group in groups for step in group if any(s.effect is Effect.LINK_MOVES for s in group)}

    def turn(group: list[Step]) -> int:
        if any(step.setting in moving for step in group):
            return 1
        return 2 if any(moving & set(step.after) for step in group) else 0

    return sorted(groups, key=turn)


async def send_one(on: Pass, step: Step) -> bool:
    """Send one step; returns whether the device took it, which a step that restarts it has by the restart."""
    wire = on.wire
    step = at_this_time(on, step)
    wire.line.say(step.title if step in wire.script.saves else f"sending {step.title}")
    moves = await _before(on, [step])
    if step.hands is not None:
        await _by_hand(on, step, step.hands)
        return True
    try:
        answer = await _sent(on, send_step(wire.book, step, wire.keys), step.at, moves)
        if step.how.confirm is not None:
            await wire.confirm(step)
    except RefusedByDevice as refusal:
        _refused(on, step, blamed(on, step, refusal.words))
        await look_after_refusal(on, [step])
        return False
    except (Interrupted, Silent) as error:
        if not _restarts(on, [step], error):
            raise
        wire.line.step(step.setting, Mark.SENT)
    else:
        if answer.at.name == step.how.unless_at:
            wire.line.step(step.setting, Mark.SENT, "nothing to do")
            return True
        _taken(on, step, answer, moves)
        await _goes_down(on, [step])
    return True


def at_this_time(on: Pass, step: Step) -> Step:
    """A step with the time in it, filled with the time that it is now; others as they are."""
    if not step.tells_time:
        return step
    script = compile_script(on.wire.device, on.wire.book, now=at_once())
    return next(other for other in script.everything if other.setting == step.setting)


async def send_form(on: Pass, steps: Sequence[Step]) -> None:
    """Send what several steps fill in on one page, submitted once."""
    wire, refused = on.wire, dict[str, str]()
    steps = [at_this_time(on, step) for step in steps]
    wire.line.say(f"sending {counted(len(steps), 'setting')} on {wire.book.places[steps[0].at].words}")
    moves = await _before(on, steps)
    answer: Answer | None = None
    try:
        errand = send_together(wire.book, steps, wire.keys, refused)
        answer = await _sent(on, errand, steps[0].at, moves)
    except (Interrupted, Silent) as error:
        if not _restarts(on, steps, error):
            raise
    for step in steps:
        if step.setting in refused:
            _refused(on, step, blamed(on, step, refused[step.setting]))
        elif answer is None:
            wire.line.step(step.setting, Mark.SENT)
        else:
            _taken(on, step, answer, moves)
    if answer is not None:
        await _goes_down(on, [step for step in steps if step.setting not in refused])
        await look_after_refusal(on, [step for step in steps if step.setting in refused])


async def _by_hand(on: Pass, step: Step, hands: ByHand) -> None:
    """Have a person do it, and see what comes of it where it restarts the device."""
    wire, restarts = on.wire, step.effect is Effect.RESTARTS
    act = Act(Verb.SET, wire.name, f"at {wire.name}: {hands.do}", f"to {step.title}", rank=1, see=hands.see)

    async def asked() -> bool:
        with wire.line.at_hands(hands.do):
            await wire.world.hands.ask(act)
        return False

    if restarts:
        await Restarts(wire, on.done).is_seen(asked())
        wire.restarted(Restarted("it restarts"))
    else:
        await asked()
    wire.line.step(step.setting, Mark.SENT)
    wire.note(entries.WasSent(step.setting))
    on.done.sent[step.setting] += 1


async def _goes_down(on: Pass, steps: Sequence[Step]) -> None:
    """One that says that it restarts, and still answers for a moment, is not asked before it went down."""
    wire = on.wire
    if wire.over_network and any(step.effect is Effect.RESTARTS for step in steps):
        wire.line.say("restarting")
        await Restarts(wire, on.done).goes_down(wire.boots_in)
        wire.restarted(Silent("it restarts"))


async def _before(on: Pass, steps: Sequence[Step]) -> bool:
    """What must be known and written before anything is sent; returns whether it moves the link."""
    wire = on.wire
    keep_changes(on, steps)
    moving = next((step for step in steps if step.effect is Effect.LINK_MOVES and wire.over_network), None)
    if moving is not None:
        await _way_back(on, moving)
    if moving is not None or any(step.effect is Effect.RESTARTS for step in steps):
        await wire.write(entries.Leaves())
    for step in steps:
        wire.line.step(step.setting, Mark.NOW)
        for account in accounts_of(wire.device):
            if account.setting.name == step.setting:
                await on.may_sign_in(account.name, account.secret.name)
        await wire.write(entries.WillSend(step.setting, step.shown, step not in wire.script.saves))
    return moving is not None


def _refused(on: Pass, step: Step, words: str) -> None:
    on.done.refused[step.setting] += 1
    on.wire.line.step(step.setting, Mark.DIFFERS, words)
    on.wire.note(entries.WasRefused(step.setting, words))


def _taken(on: Pass, step: Step, answer: Answer, moves: bool) -> None:
    warned = "; ".join(answer.warnings)
    on.wire.line.step(step.setting, Mark.SENT, warned)
    on.wire.note(entries.WasSent(step.setting, warned))
    on.done.sent[step.setting] += 1
    if moves and step.how.confirm is None:
        on.wire.went_away()


def _restarts(on: Pass, steps: Sequence[Step], error: Interrupted | Silent) -> bool:
    """Whether the silence or the loss that came is the restart that they bring; raises Stuck where they stray again."""
    if any(step.effect is Effect.RESTARTS for step in steps) and on.wire.restarted(error):
        return True
    if isinstance(error, Strayed):
        on.done.strayed[steps[0].setting] += 1
        if on.done.strayed[steps[0].setting] > 1:
            raise Stuck(f"{error}, each time that it is sent", on.wire.pump.conversation.tail) from None
    return False


async def _way_back(on: Pass, step: Step) -> None:
    """Before the very link moves over which it is sent, it must be sure how one comes back."""
    if step.how.confirm is None and not on.wire.way_back:
        raise Stuck(
            f"Sending the {step.title} would cut the link over which it is sent, and nothing takes it back if that "
            "goes wrong. Give the device a console, or the step a confirm."
        )
    await on.wire.world.claims.be_near(on.wire.device, on.wire.line)


async def _sent(on: Pass, errand: Errand[Answer], at: str, moves: bool) -> Answer:
    """Send; where it moves the link, the silence or loss that follows is what was wanted."""
    wire = on.wire
    try:
        return await wire.do(errand)
    except (Interrupted, Stuck) as error:
        if not moves or isinstance(error, TakenOver):
            raise
        return Answer((), At(wire.book.places[at]))
