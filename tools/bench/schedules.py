"""Schedules: how long 400 devices take to be planned, how near the order is to what no order can beat.

Aimed at: 400 devices under 100 ms; within 5 % of the best of all orders where all can be tried.
"""

from __future__ import annotations

import itertools
import random
import time

from zinger.schedule.forecast import forecast
from zinger.schedule.order import best, savings
from zinger.schedule.work import Bench, Claim, Phase, Work


def a_bench(devices: int, consoles: int, factories: int, seed: int = 1) -> Bench:
    """Boxes as they come: some over a console cable that others need too, some at a factory address."""
    chance = random.Random(seed)
    works = []
    for number in range(devices):
        pages = chance.random() < 0.3
        way = f"factory {chance.randrange(factories)}" if pages else f"console {chance.randrange(consoles)}"
        reach, hands, boots = frozenset({way}), frozenset({"hands"}), chance.uniform(40, 400)
        kept = frozenset() if pages else reach
        phases = (
            Phase("plug", 60, hands | reach), Phase("boot", boots, reach), Phase("send", chance.uniform(20, 90), reach),
            Phase("laptop", 30, hands | kept, once="laptop"), Phase("from the network", 15, kept | {"network"}),
            Phase("power cut", 15, hands | kept), Phase("boot", boots, kept), Phase("read again", 15, kept),
        )  # fmt: skip
        works.append(Work(f"d{number}", phases))
    return Bench.of(works, [Claim("network", "network", 2)])


def schedules() -> None:
    """Print both."""
    print("\nschedules: planning, and how near the order is to a bound that no order can beat")
    for devices, consoles, factories in ((16, 4, 2), (100, 20, 5), (400, 400, 20), (400, 40, 20)):
        bench = a_bench(devices, consoles, factories)
        began = time.perf_counter()
        found = best(bench)
        planned = time.perf_counter() - began
        began = time.perf_counter()
        savings(bench, found)
        saved = time.perf_counter() - began
        near = found.end / bench.at_least
        print(f"  {devices:>4} devices, {consoles:>3} cables: {planned * 1000:>6.0f} ms", end="")
        print(f" (savings {saved * 1000:.0f} ms), {near:.3f} of the bound")
    ratios = []
    for seed in range(10):
        bench = a_bench(6, 1 + seed % 3, 1 + seed % 2, seed)
        names = [work.device for work in bench.works]
        lowest = min(forecast(bench, order).end for order in itertools.permutations(names))
        ratios.append(best(bench).end / lowest)
    print(f"  six devices, against the best of all 720 orders: {max(ratios):.3f} at worst (aim 1.05)")
