"""The map of a dialogue: places, the moves between them, and the shortest way from one to another.

The map knows nothing of the surface on which the dialogue stands: how a place is recognised there, and what is typed,
pressed or submitted to make a move, are the surface's (see `terminal`). A move holds its act only as something that
needs names, costs something and can be shown.
"""

from __future__ import annotations

import heapq
import itertools
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Protocol, Self


class Kind(StrEnum):
    """What sort of place: it decides whether Enter is harmless and whether half-typed lines can stand there.

    A pager shows more by a key; a notice wants a key before it goes on; a menu offers numbered choices. A page is all
    of these at once: it asks many questions, and waits for nobody.
    """

    PROMPT = "prompt"
    QUESTION = "question"
    MENU = "menu"
    PAGER = "pager"
    NOTICE = "notice"
    PAGE = "page"


TERMS = "terms"
"""The name that a move needs which accepts terms of use: a person's word."""


class AsksFor(StrEnum):
    """What a place asks for, where it asks for a credential; said in the phrasebook, never guessed."""

    USER = "user"
    PASSWORD = "password"
    NEW_PASSWORD = "new password"
    ELEVATION = "elevation"
    CONSOLE = "console password"
    NETWORK = "network password"

    @property
    def word(self) -> str:
        """The name of it in templates."""
        return self.value.replace(" ", "_")


class Deed(Protocol):
    """What a conversation is asked to do at a place; only the surface knows how."""

    @property
    def shown(self) -> str:
        """The deed as a person may see it, secrets masked."""

    def unless(self, default: str | None) -> Deed:
        """The deed that keeps what stands there already, where that is what this one would put there."""

    def joined(self, other: Deed) -> Deed | None:
        """Both done at once; None where they can't be, as on a terminal."""

    def over(self, other: Deed) -> Deed:
        """This one in the place of another; on a page, what only the other fills is filled too."""


class Undivided:
    """What every deed is that is done by itself: nothing is joined with it, and it keeps nothing."""

    __slots__ = ()

    def unless(self, default: str | None) -> Self:
        """It is done whatever is there."""
        return self

    def joined(self, other: Deed) -> Deed | None:
        """Nothing can be done at once with it."""
        return None

    def over(self, other: Deed) -> Self:
        """It takes the place of the other."""
        return self


class Act(Protocol):
    """What makes a move, on whatever surface."""

    @property
    def sources(self) -> tuple[str, ...]:
        """Its templates."""

    @property
    def uses(self) -> frozenset[str]:
        """The names that it needs, such as `user`, `password`, `new_password` or `device`."""

    @property
    def shown(self) -> str:
        """How it is made, for people."""

    @property
    def patience(self) -> float:
        """Seconds of silence to wait for what follows."""

    @property
    def joins(self) -> bool:
        """Whether it leads to something else that may be silent for long, such as a line of a console server."""

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> Deed:
        """The deed for the surface, with the names filled in; `choices` is what a menu offers now.

        Raises WordsError where a name or a choice is missing.
        """


@dataclass(frozen=True)
class Place:
    """A recognisable spot in a dialogue. `takes` is what a question accepts, as far as it is known."""

    name: str
    kind: Kind
    asks_for: AsksFor | None = None
    takes: re.Pattern[str] | None = None

    @property
    def words(self) -> str:
        """The name for people."""
        return self.name.replace("_", " ")

    @property
    def passes(self) -> bool:
        """Whether it is gone past by a key, whoever comes there."""
        return self.kind in (Kind.PAGER, Kind.NOTICE)


@dataclass(frozen=True)
class Move:
    """How to get from one place to others. Of several ways the one with the smallest sum of `cost` is taken."""

    origin: str
    outcomes: tuple[str, ...]
    act: Act
    cost: int = 1


@dataclass(frozen=True)
class Map:
    """All places and moves of one family."""

    places: Mapping[str, Place]
    moves: tuple[Move, ...]

    def moves_from(self, place: str) -> Sequence[Move]:
        """The moves that begin at a place."""
        return self._by_origin.get(place, ())

    def asking(self, what: AsksFor) -> str | None:
        """The place that asks for this credential; None when none does."""
        return next((name for name, place in self.places.items() if place.asks_for is what), None)

    def next_move(self, start: str, goal: str, known: frozenset[str]) -> Move | None:
        """The first move of the shortest way that uses only the names in `known`; None when no way leads there."""
        key = (start, goal, known)
        if key not in self._ways:
            self._ways[key] = self._search(start, goal, known)
        return self._ways[key]

    def _search(self, start: str, goal: str, known: frozenset[str]) -> Move | None:
        """Dijkstra's way over the moves; of equal ways the one that the book names first."""
        count = itertools.count()
        queue: list[tuple[int, int, str, Move | None]] = [(0, next(count), start, None)]
        seen: set[str] = set()
        while queue:
            cost, _, place, first = heapq.heappop(queue)
            if place == goal:
                return first
            if place in seen:
                continue
            seen.add(place)
            for move in self.moves_from(place):
                if move.act.uses <= known:
                    for outcome in move.outcomes:
                        if outcome not in seen:
                            heapq.heappush(queue, (cost + move.cost, next(count), outcome, first or move))
        return None

    @property
    def terms(self) -> frozenset[str]:
        """The places that show terms of use, which only a person may accept."""
        return frozenset(move.origin for move in self.moves if TERMS in move.act.uses)

    def beyond_terms(self, place: str) -> tuple[str, ...]:
        """Where one comes from terms of use that are accepted."""
        return next(move.outcomes for move in self.moves_from(place) if TERMS in move.act.uses)

    @property
    def every_name(self) -> frozenset[str]:
        """All names that any move needs."""
        return frozenset(name for move in self.moves for name in move.act.uses)

    @cached_property
    def _by_origin(self) -> dict[str, list[Move]]:
        table: dict[str, list[Move]] = {}
        for move in self.moves:
            table.setdefault(move.origin, []).append(move)
        return table

    @cached_property
    def _ways(self) -> dict[tuple[str, str, frozenset[str]], Move | None]:
        return {}
