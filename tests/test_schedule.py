"""The schedule room: claims are never broken, the order is near the best, and every wait has its reason."""

from __future__ import annotations

import itertools
import random
from collections import defaultdict

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tools.bench.schedules import a_bench

from zinger.schedule.forecast import forecast
from zinger.schedule.order import STEADY, best, savings
from zinger.schedule.work import Bench, Claim, Phase, Work

SECONDS = st.sampled_from([0.0, 1.0, 5.0, 20.0, 60.0])
KEYS = ("hands", "console A", "console B", "network")


@st.composite
def benches(draw: st.DrawFn) -> Bench:
    phases = st.builds(
        Phase, st.just("x"), SECONDS, st.frozensets(st.sampled_from(KEYS), max_size=2),
        st.sampled_from(["", "", "", "laptop 1"]),
    )  # fmt: skip
    ways = draw(st.lists(st.lists(phases, max_size=5).map(tuple), min_size=1, max_size=6))
    works = [
        Work(f"d{i}", way, after=frozenset({f"d{i - 1}"}) if i and draw(st.booleans()) else frozenset())
        for i, way in enumerate(ways)
    ]
    return Bench.of(works, [Claim("network", "network", 2)])


@given(benches(), st.randoms(use_true_random=False))
def test_no_claim_is_ever_held_by_more_than_there_are(bench: Bench, chance: random.Random) -> None:
    order = [work.device for work in bench.works]
    chance.shuffle(order)
    found = forecast(bench, order)
    for key, claim in bench.claims.items():
        changes: defaultdict[float, int] = defaultdict(int)
        for stretch in found.stretches:
            if key in stretch.phase.needs and stretch.phase.seconds:
                changes[stretch.since] += 1
                changes[stretch.until] -= 1
        assert max(itertools.accumulate(changes[at] for at in sorted(changes)), default=0) <= claim.room
    assert set(found.ends) | set(found.stuck) == set(order)
    for work in bench.works:
        mine = [stretch for stretch in found.stretches if stretch.device == work.device]
        assert all(one.until <= other.since for one, other in itertools.pairwise(mine)), "phases keep their order"
    once = [stretch.phase.once for stretch in found.stretches if stretch.phase.once]
    assert len(once) == len(set(once)), "what is done once is done once"


@given(benches())
def test_every_second_is_work_or_a_wait_with_a_reason(bench: Bench) -> None:
    found = forecast(bench, [work.device for work in bench.works])
    for device, end in found.ends.items():
        worked = sum(stretch.until - stretch.since for stretch in found.stretches if stretch.device == device)
        waited = sum(wait.until - wait.since for wait in found.waits if wait.device == device)
        assert worked + waited == pytest.approx(end)
    assert all(wait.key for wait in found.waits)


@given(benches())
def test_nothing_is_done_earlier_than_can_be_and_one_more_never_counts_as_a_loss(bench: Bench) -> None:
    found = best(bench)
    if not found.stuck:
        assert found.end >= bench.at_least - 1e-6
    assert all(saving.seconds > 0 for saving in savings(bench, found))


@pytest.mark.parametrize("seed", range(12))
def test_the_order_is_within_a_twentieth_of_the_best_of_all_orders(seed: int) -> None:
    bench = a_bench(6, consoles=1 + seed % 3, factories=1 + seed % 2, seed=seed)
    names = [work.device for work in bench.works]
    lowest = min(forecast(bench, order).end for order in itertools.permutations(names))
    assert best(bench).end <= 1.05 * lowest


@pytest.mark.parametrize("seed", range(6))
def test_the_order_that_is_followed_is_kept_until_another_is_much_better(seed: int) -> None:
    bench = a_bench(12, consoles=1 + seed % 3, factories=1 + seed % 2, seed=seed)
    found, chance = best(bench), random.Random(seed)
    assert best(bench, followed=found.order).order == found.order
    for _ in range(20):
        order = chance.sample(found.order, len(found.order) - 2)
        kept = best(bench, followed=["gone", *order])
        assert set(kept.order) == set(found.order) and kept.end <= found.end * (1 + STEADY)
        played = forecast(bench, [*order, *(name for name in found.order if name not in order)])
        assert kept.order == (played if played.end <= found.end * (1 + STEADY) else found).order


def test_with_one_pair_of_hands_who_has_the_longest_way_left_comes_first() -> None:
    hands = frozenset({"hands"})
    works = [
        Work(f"boots {seconds}", (Phase("plug", 10, hands), Phase("boot", seconds))) for seconds in (20, 300, 90)
    ]  # fmt: skip
    found = best(Bench.of(works, []))
    assert found.order == ("boots 300", "boots 90", "boots 20")
    assert found.end == 310


def test_nine_boxes_and_one_cable_say_what_a_second_cable_would_save() -> None:
    way = frozenset({"console /dev/ttyUSB0"})
    works = [Work(f"sw{n}", (Phase("plug", 60, way | {"hands"}), Phase("boot", 90, way))) for n in range(9)]
    bench = Bench.of(works, [Claim("console /dev/ttyUSB0", "console cable")])
    found = best(bench)
    assert found.end == 9 * 150
    assert [(s.title, s.seconds) for s in savings(bench, found)] == [("console cable", 9 * 150 - 5 * 150)]
    behind = {wait.device: wait.behind for wait in found.waits}
    assert behind[found.order[1]] == (found.order[0],)


def test_two_that_wait_for_each_other_are_told_and_hold_up_nobody_else() -> None:
    a = Work("a", (Phase("send", 5), Phase("read", 1)), after=frozenset({"b"}), set_up=1)
    b = Work("b", (Phase("send", 5), Phase("read", 1)), after=frozenset({"a"}), set_up=1)
    found = forecast(Bench.of([a, b, Work("c", (Phase("send", 3),))], []), ["a", "b", "c"])
    assert found.stuck == ("a", "b")
    assert found.ends == {"c": 3}
