"""The seam: the driver, the map and errands over a surface that is not a terminal, and errands in any order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import pytest
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from tests.talking import Player
from zinger.phrasebook.load import shipped_families
from zinger.phrasebook.map import Deed, Kind, Map, Move, Place
from zinger.plan.values.secrets import SecretRef
from zinger.talk.driver import Driver, Ended
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do, tell
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Interrupted, Stuck, TalkError
from zinger.talk.events import Event, Renewed
from zinger.talk.requests import Answer, At, Do, Errand, Look
from zinger.talk.surface import Wait

# -- a menu of plain dictionaries ------------------------------------------------------------------------
CARDS: dict[str, dict[str, str]] = {
    "desk": {"stores": "stores", "office": "office"},
    "stores": {"back": "desk", "broken lift": "desk"},
    "office": {"back": "desk", "safe": "safe"},
    "safe": {},
}
"""The whole device: each card has choices, each choice leads to a card."""


@dataclass(frozen=True)
class Choose:
    """Both the act of a move and the deed: a choice on the card."""

    choice: str
    needs: frozenset[str] = frozenset()
    patience: float = 5.0

    @property
    def uses(self) -> frozenset[str]:
        return self.needs

    @property
    def shown(self) -> str:
        return f"choose {self.choice}"

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> Choose:
        return self

    def unless(self, default: str | None) -> Deed:
        return self


@dataclass
class Cards:
    """The surface: its carrier is asked for a choice and shows the next card."""

    places: Mapping[str, Place]
    card: str = "desk"
    wanted: Look | Do | None = None
    asked: bool = False
    deadline: float = 0.0
    stops: list[str] = field(default_factory=list)

    def begin(self, request: Look | Do, now: float) -> None:
        self.wanted, self.asked, self.deadline = request, False, now + 5

    def show(self, card: str) -> None:
        """The carrier brings the next card."""
        self.card, self.asked = card, True

    def turn(self, now: float) -> Choose | Wait | At | Answer | TalkError:
        at = At(self.places[self.card])
        if isinstance(self.wanted, Look):
            return at
        assert isinstance(self.wanted, Do) and isinstance(self.wanted.deed, Choose)
        if self.asked:
            return Answer((), at)
        if now >= self.deadline:
            return Stuck(f"nobody brought a card after {self.wanted.purpose}")
        if self.stops[-1:] != [self.wanted.deed.choice]:
            self.stops.append(self.wanted.deed.choice)
            return self.wanted.deed
        return Wait(self.deadline, "a card")

    def stop(self) -> None:
        self.wanted = None

    def take_events(self) -> list[Event]:
        return []


MAP = Map(
    {name: Place(name, Kind.MENU) for name in CARDS},
    tuple(
        Move(origin, (to,), Choose(choice, frozenset({"key"} if to == "safe" else ())))
        for origin, choices in CARDS.items()
        for choice, to in choices.items()
    ),
)


def carried(driver: Driver[Choose], until: float = 100.0) -> float:
    """Carry choices out until the errand has ended; a broken lift never comes."""
    now = 0.0
    while not isinstance(action := driver.turn(now), Ended):
        if isinstance(action, Wait):
            now = action.until
        elif action.choice != "broken lift":
            assert isinstance(driver.surface, Cards)
            driver.surface.show(CARDS[driver.surface.card][action.choice])
        assert now < until
    return now


def test_errands_go_the_ways_of_the_map_on_another_surface() -> None:
    surface = Cards(MAP.places, "stores")
    driver = Driver(surface)
    running = driver.begin(arrive(MAP, "office", Keyring([])), 0.0)
    carried(driver)
    assert running.result().name == "office" and surface.stops == ["back", "office"]
    locked = driver.begin(arrive(MAP, "safe", Keyring([])), 0.0)
    carried(driver)
    assert isinstance(locked.error, Stuck) and "at office on the way to safe" in str(locked.error)


def test_patience_errors_and_interruptions_reach_the_errand_and_end_it() -> None:
    surface = Cards(MAP.places, "stores")
    driver = Driver(surface)
    waits = driver.begin(do(Choose("broken lift"), frozenset({"desk"}), "lift"), 0.0)
    assert carried(driver) == 5.0
    assert isinstance(waits.error, Stuck) and "after lift" in str(waits.error)

    def careful() -> Errand[str]:
        try:
            yield from do(Choose("broken lift "), frozenset({"desk"}), "lift")
        except Interrupted:
            yield from tell(Renewed("nobody", "nothing"))
        return "went home"

    running = driver.begin(careful(), 0.0)
    assert driver.turn(0.0) == Choose("broken lift ")
    driver.interrupt(Interrupted("a person"), 0.0)
    assert isinstance(driver.turn(0.0), Ended) and running.result() == "went home"
    assert driver.take_events() == [Renewed("nobody", "nothing")]
    with pytest.raises(TypeError, match="not a request"):
        driver.begin(iter(["a key"]), 0.0)  # type: ignore[arg-type]


# -- whole conversations in any order --------------------------------------------------------------------
BOOK = shipped_families()["quern-s2"]
SHOWN = {
    "base": b"\r\nsw in base, do: ",
    "look": b"\r\nsw in look, do: ",
    "mgmt": b"\r\nsw in base/mgmt, do: ",
    "sign_in": b"\r\nwho is there? ",
    "secret": b"installer\r\nsecret of installer: ",
}


class Conversations(RuleBasedStateMachine):
    """Errands, noise, silence, unknown prompts, taking over: in any order the surface stays in its table."""

    @initialize(pieces=st.lists(st.integers(1, 40), min_size=1, max_size=4))
    def begin(self, pieces: list[int]) -> None:
        self.player = Player(BOOK, [], pieces)
        self.running = self.player.talk.begin(self.errand("base"), self.player.now)

    def errand(self, goal: str) -> Errand[At]:
        return arrive(BOOK.map, goal, Keyring([("installer", SecretRef("factory"))]), patience=3.0)

    @rule(name=st.sampled_from(sorted(SHOWN)))
    def the_device_shows_a_place(self, name: str) -> None:
        self.player.show(SHOWN[name])

    @rule(
        data=st.sampled_from(
            [b"\r\n", b"@10:00:00 fan turns\r\n", b"what now? ", b"no such word: x\r\n", b"\x1b[2J", b"\xff"]
        )
    )
    def the_device_shows_something(self, data: bytes) -> None:
        self.player.show(data)

    @rule(seconds=st.sampled_from([0.0, 0.3, 2.0, 200.0]))
    def time_passes(self, seconds: float) -> None:
        self.player.now += seconds
        self.player.poll()

    @rule()
    def a_person_takes_over(self) -> None:
        self.player.talk.interrupt(Interrupted("a person"), self.player.now)
        self.player.poll()
        assert self.running.ended

    @rule(goal=st.sampled_from(["base", "mgmt", "look"]))
    def the_next_errand(self, goal: str) -> None:
        self.running = self.player.talk.begin(self.errand(goal), self.player.now)
        self.player.poll()

    @invariant()
    def an_ended_errand_has_a_result_or_a_known_error(self) -> None:
        running = getattr(self, "running", None)
        if running is not None and running.ended and running.error is None:
            assert running.result().name in ("base", "mgmt", "look")


TestConversations = Conversations.TestCase
