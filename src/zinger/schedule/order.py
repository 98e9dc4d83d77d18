"""In which order the devices of a bench are best begun, and what one more of something would save.

For one pair of hands the best order is known: who has the longest way left after the hands comes first (Jackson's rule
for delivery times). With several claims at once nobody knows it but by trying all; so a few rules are played through,
and the best is improved by moving single devices, within a bound of work that grows with nothing.
"""

from __future__ import annotations

import random
from collections import defaultdict, deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from zinger.schedule.forecast import Forecast, forecast
from zinger.schedule.work import Bench, Work

WORK = 9_000
"""How many phases are played through at most, all tries together; a plan of 400 devices has some 3,000."""
GOOD_ENOUGH = 1.005
"""A bench that is done within this of what no order can beat is not tried in another order."""
LOOKED_AT = 3
"""For so many claims it is tried what one more would save: those that are waited for longest."""
STEADY = 0.02
"""The part of the whole time that another order must save before the one that is followed is given up: who reads a
list while their hands are busy must find it as it was."""
WORTH_SAYING = 0.03
"""The part of the whole time that one more of something must save to be worth a sentence."""


@dataclass(frozen=True)
class Saving:
    """One more of a claim, and the seconds by which the bench would be done earlier."""

    key: str
    title: str
    seconds: float


def best(bench: Bench, work: int = WORK, followed: Sequence[str] = ()) -> Forecast:
    """The best forecast that a bounded search finds; the same bench gives the same one.

    An order that is `followed` is kept, with devices that are new to it behind, where no other is much better.
    """
    phases = sum(len(w.phases) for w in bench.works) or 1
    tries = max(1, work // phases)
    rules, chance = deque(_rules(bench)), random.Random(len(bench.works))
    found = forecast(bench, rules.popleft())
    for _ in range(tries - 1):
        if found.end <= bench.at_least * GOOD_ENOUGH or len(bench.works) < 2:
            break
        found = min(found, forecast(bench, rules.popleft() if rules else _moved(found, chance)), key=Forecast.rank)
    if followed:
        there, known = {w.device for w in bench.works}, set(followed)
        order = [name for name in followed if name in there] + [name for name in found.order if name not in known]
        kept = forecast(bench, order)
        if len(kept.stuck) <= len(found.stuck) and kept.end <= found.end * (1 + STEADY):
            return kept
    return found


def savings(bench: Bench, now: Forecast) -> list[Saving]:
    """What one more of each claim would save, the most first; what saves next to nothing is left out."""
    waited: defaultdict[str, float] = defaultdict(float)
    for wait in now.waits:
        waited[wait.key] += wait.until - wait.since
    wanted = sorted(waited.keys() & bench.claims.keys(), key=lambda key: (-waited[key], key))[:LOOKED_AT]
    found = []
    for key in wanted:
        more = bench.with_one_more(key)
        end = min(forecast(more, now.order).end, best(more, WORK // 8).end)
        if now.end - end > WORTH_SAYING * now.end:
            found.append(Saving(key, bench.claims[key].title, now.end - end))
    return sorted(found, key=lambda saving: -saving.seconds)


def _rules(bench: Bench) -> list[Sequence[str]]:
    """Orders that are good in one kind of bench each."""
    pressed = max(bench.loads, key=lambda key: bench.loads[key], default="")

    def by(measure: Callable[[Work], float]) -> Sequence[str]:
        return [work.device for work in sorted(bench.works, key=lambda w: (-measure(w), w.device))]

    return [
        by(lambda work: _after(work, pressed)),
        by(lambda work: work.seconds),
        by(lambda work: _after(work, pressed) - _holds(work, pressed)),
        [work.device for work in bench.works],
        by(lambda work: -_holds(work, pressed)),
    ]


def _after(work: Work, key: str) -> float:
    """The seconds that are left once it gave back a claim for the first time."""
    needs = [key in phase.needs for phase in work.phases]
    if True not in needs:
        return work.seconds
    first = needs.index(True)
    back = next((at for at in range(first, len(needs)) if not needs[at]), len(needs))
    return sum(phase.seconds for phase in work.phases[back:])


def _holds(work: Work, key: str) -> float:
    return sum(phase.seconds for phase in work.phases if key in phase.needs)


def _moved(found: Forecast, chance: random.Random) -> Sequence[str]:
    """The order with one device moved ahead: often the one that is done last, or one that it waited behind."""
    order = list(found.order)
    last = max(order, key=lambda name: found.ends.get(name, 0.0))
    name = last if chance.random() < 0.4 else chance.choice(order)
    at = order.index(name)
    order.pop(at)
    order.insert(chance.randrange(len(order) + 1), name)
    return order
