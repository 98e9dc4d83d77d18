"""Test calls through a voice gateway: the laptop stands in for the telephone system and the provider.

For every rewriting rule of a leg a call is made from a peer of the other leg to a number that the rule takes. The call
is proved where it comes out at the other end with the planned number and the gateway itself shows it as active.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable, Iterator
from contextlib import AsyncExitStack
from dataclasses import dataclass
from typing import TYPE_CHECKING

from zinger.link.base import LinkError
from zinger.phrasebook.book import ActiveCall
from zinger.phrasebook.words import render_text
from zinger.plan.model import Device
from zinger.plan.subjects.voice.models import SIDES, rewritten
from zinger.plan.subjects.voice.settings import LEGS, REWRITES
from zinger.proof.findings import Finding, Source, Verdict
from zinger.run.legs import LegToAsk, peers_on

if TYPE_CHECKING:
    from zinger.link.calls import StandIn
    from zinger.run.world import World

SOMEBODY = "5550142"
"""The digits that are dialled after the beginning that a rule wants."""
BUSY = frozenset([408, 480, 500, 502, 503, 504])
"""What a gateway answers that does not know yet that its peer is there (RFC 3261 21)."""
ASK_AGAIN = 2.0
Shown = Callable[[], Awaitable[tuple[str, ...]]]
"""What the gateway shows of its active calls now."""


@dataclass(frozen=True)
class PlannedCall:
    """A call from a peer of one leg to a peer of the other, where it comes out with `number`, which the rules make."""

    place: int
    caller: LegToAsk
    callee: LegToAsk
    dialled: str
    number: str

    @property
    def keepalive(self) -> int:
        """Seconds until the gateway can know that its peers are there."""
        return max(self.caller.peer.keepalive, self.callee.peer.keepalive)

    @property
    def name(self) -> str:
        """What its finding is called."""
        return f"call.{self.callee.side}.{self.place}"

    @property
    def title(self) -> str:
        """What it is for people."""
        return f"call {self.place} to {self.callee.side}"


def calls_to_make(device: Device) -> list[PlannedCall]:
    """The calls between the first peers that can be stood in for, towards each leg, one for every rule."""
    ends = {leg.side: end for leg in device[LEGS] or () if (end := next(peers_on(device, leg), None)) is not None}
    return [
        PlannedCall(place, ends[caller], ends[callee], dialled, number)
        for caller, callee in (SIDES, SIDES[::-1])
        if {caller, callee} <= ends.keys()
        for place, (dialled, number) in enumerate(_numbers(device, callee), 1)
    ]


def _numbers(device: Device, side: str) -> Iterator[tuple[str, str]]:
    """What is dialled, and as what it comes out: one for every rule that a call can come to, or one that none takes."""
    rules = device[REWRITES] or ()
    found = False
    for index, rule in enumerate(rules):
        dialled = rule.beginning + "2" * (len(rule.begins) - len(rule.beginning)) + SOMEBODY
        number, taken = rewritten(dialled, rules, side)
        if taken == index:
            found = True
            yield dialled, number
    if not found:
        yield SOMEBODY, rewritten(SOMEBODY, rules, side)[0]


async def called(world: World, device: Device, call: PlannedCall, active: ActiveCall, shown: Shown) -> Finding:
    """Make one call, the laptop having the addresses of both peers; look at the gateway while it stands."""
    caller, callee = call.caller.peer.name, call.callee.peer.name
    want = render_text(active.shows, caller=caller, callee=callee, dialled=call.dialled, number=call.number)
    planned = f"{call.dialled} of {caller} reaches {callee} as {call.number}, shown as {want!r}"
    read, evidence, holds = "no call", "", False
    try:
        async with (
            _in_place_of(call.caller, world) as here,
            _in_place_of(call.callee, world) as there,
            AsyncExitStack() as while_it_stands,
        ):
            await _stand(while_it_stands, here, call, world.pace)
            rows = await shown()
            came = there.called.numbers[-1] if there.called.numbers else "no number"
            holds = came == call.number and want in rows
            evidence = "; ".join(rows)
            read = f"it reaches {callee} as {came}, shown as {evidence or 'nothing'!r}"
    except LinkError as error:
        evidence = str(error)
    verdict = Verdict.HOLDS if holds else Verdict.DIFFERS
    return Finding(device.name, call.name, call.title, Source.OUTSIDE, planned, read, evidence, verdict)


def _in_place_of(end: LegToAsk, world: World) -> StandIn:
    from zinger.link.calls import StandIn

    return StandIn(world.dialer, str(end.sender.ip), end.peer.port, end.peer.transport)


async def _stand(stack: AsyncExitStack, here: StandIn, call: PlannedCall, pace: float) -> None:
    """Have the call stand; a gateway that does not know yet that its peers are there is called again for a while."""
    from zinger.link.calls import CallRefused

    end = time.monotonic() + (call.keepalive + ASK_AGAIN) / pace
    while True:
        try:
            await stack.enter_async_context(here.call(*call.caller.gateway, call.dialled))
        except CallRefused as error:
            if error.status not in BUSY or time.monotonic() > end:
                raise
            await asyncio.sleep(ASK_AGAIN / pace)
        else:
            return
