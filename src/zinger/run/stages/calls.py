"""Test calls through a voice gateway, once it is set up."""

from __future__ import annotations

from zinger.proof.facts import facts_in
from zinger.run.calls import called
from zinger.run.stages.stage import Pass
from zinger.talk.errands.read import take_reading


class CallThrough:
    """Call through the gateway in both directions, as one peer to the other, and see what it shows meanwhile."""

    def wanted(self, on: Pass) -> bool:
        return bool(on.owed.calls())

    async def carry(self, on: Pass) -> None:
        wire = next(part.wire for part in on.parts if part.wire.book.active_call)
        active = wire.book.active_call
        assert active is not None
        reading = next(reading for reading in wire.book.readings.values() if active.fact in reading.take)

        async def shown() -> tuple[str, ...]:
            answer = await wire.do(take_reading(wire.book, reading, wire.keys))
            facts = facts_in(reading, answer.rows, answer.torn, answer.page)
            return tuple(fact.value for fact in facts.get(active.fact, ()))

        async with wire.stage("calls", None, "calling through it"):
            await wire.connect()
            for call in on.owed.calls():
                for end in (call.caller, call.callee):
                    await wire.world.claims.be_as(end.sender, end.peer.name, wire.line)
                wire.line.wait(f"{call.dialled} to come out at {call.callee.peer.name}")
                wire.find([await called(wire.world, wire.device, call, active, shown)])
