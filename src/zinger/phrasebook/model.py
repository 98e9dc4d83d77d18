"""A phrasebook: what Zinger knows of one family, as a map of places and moves with phrases on it.

These are the checked, compiled forms; `load` makes them from YAML. A phrasebook is immutable and shared
by all conversations with devices of its family.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from zinger.phrasebook.words import names_used
from zinger.plan import FamilyRules


class Kind(StrEnum):
    """What sort of place: it decides whether Enter is harmless and whether half-typed lines can stand there."""

    PROMPT = "prompt"
    QUESTION = "question"
    PAGER = "pager"


@dataclass(frozen=True)
class Place:
    """A recognisable spot in a dialogue.

    `pattern` is held against the tail: the text after the last line end. A prompt's match may go on with
    a half-typed line, which the group `half_typed` holds. `blind` places do not echo. A pager is moved on
    by the key `press` and left by `leave`, both without Enter.
    """

    name: str
    kind: Kind
    pattern: re.Pattern[str]
    blind: bool = False
    enter_is_harmless: bool = False
    press: str = " "
    leave: str = "q"


@dataclass(frozen=True)
class Move:
    """How to get from one place to others: a line to say, or a key to press without Enter."""

    origin: str
    outcomes: tuple[str, ...]
    say: str | None = None
    press: str | None = None

    @cached_property
    def uses(self) -> frozenset[str]:
        """The names that its words need, such as `user`, `password` or `new_password`."""
        return names_used(self.say) if self.say is not None else frozenset()


@dataclass(frozen=True)
class Phrase:
    """What to say, and where, to make one setting true.

    `replies` answer the questions that may follow, by place. `fact` names what is read back, and `shows`
    is the planned value in the family's own writing, compared with it (once for each item of a list).
    """

    setting: str
    at: str
    say: str
    replies: Mapping[str, str] = field(default_factory=dict)
    expect: re.Pattern[str] | None = None
    undo: str | None = None
    effect: str = "none"
    fact: str | None = None
    shows: str = "{{ value }}"


@dataclass(frozen=True)
class Reading:
    """What to ask, and how to take facts from the answer: each pattern's group `value`, line by line."""

    name: str
    at: str
    ask: str
    startup: str | None
    take: Mapping[str, re.Pattern[str]]


@dataclass(frozen=True)
class Factory:
    """Factory facts, as people look them up; times in seconds.

    `console` is speed and framing, empty for a family without one; `address` empty for one that has none out of
    the box; `reach` says in a sentence how the first contact is made. `password` is empty when there is none or when
    it is printed on the box (`on_label`).
    """

    console: str
    address: str
    user: str
    password: str
    boots_in: float
    reach: str = ""
    only_while: str = ""
    first: str = ""
    on_label: bool = False


@dataclass(frozen=True)
class Card:
    """What people look up about a family before they touch it; every family has one, with or without a phrasebook.

    `panel` is the front in characters, with what is to be used in braces. `lights` and `buttons` are pairs of
    (which and how, what it means).
    """

    family: str
    title: str
    kind: str
    factory: Factory
    rules: FamilyRules
    panel: str = ""
    lights: tuple[tuple[str, str], ...] = ()
    buttons: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Phrasebook:
    """One family's map, phrases, readings, limits and habits."""

    card: Card
    home: str
    view: str
    places: Mapping[str, Place]
    moves: tuple[Move, ...]
    phrases: Mapping[str, Phrase]
    readings: Mapping[str, Reading]
    keep: Phrase
    identity: Mapping[str, str]
    noise: re.Pattern[str]
    refusals: tuple[re.Pattern[str], ...]
    boot: re.Pattern[str]
    enter: str = "\r"
    cancel: str = "\x15"

    @property
    def family(self) -> str:
        """The family's name, as files write it."""
        return self.card.family

    @property
    def title(self) -> str:
        """The family's name for people."""
        return self.card.title

    @property
    def factory(self) -> Factory:
        """How a device of the family comes out of its box."""
        return self.card.factory

    @property
    def rules(self) -> FamilyRules:
        """What the family accepts."""
        return self.card.rules

    def moves_from(self, place: str) -> list[Move]:
        """The moves that begin at a place."""
        return self._by_origin.get(place, [])

    def next_move(self, start: str, goal: str, known: frozenset[str]) -> Move | None:
        """The first move of the shortest way whose words need only `known` names; None when there is no way."""
        key = (start, goal, known)
        if key not in self._ways:
            self._ways[key] = self._search(start, goal, known)
        return self._ways[key]

    def _search(self, start: str, goal: str, known: frozenset[str]) -> Move | None:
        seen, queue = {start}, deque[tuple[str, Move | None]]([(start, None)])
        while queue:
            place, first = queue.popleft()
            if place == goal:
                return first
            for move in self.moves_from(place):
                if move.uses <= known:
                    for outcome in move.outcomes:
                        if outcome not in seen:
                            seen.add(outcome)
                            queue.append((outcome, first or move))
        return None

    @cached_property
    def _by_origin(self) -> dict[str, list[Move]]:
        table: dict[str, list[Move]] = {}
        for move in self.moves:
            table.setdefault(move.origin, []).append(move)
        return table

    @cached_property
    def _ways(self) -> dict[tuple[str, str, frozenset[str]], Move | None]:
        return {}

    def recognise(self, tail: str, first: Iterable[str] = ()) -> tuple[Place, re.Match[str]] | None:
        """The place that stands at the tail: a whole match before a half-typed line, else None.

        The places named by `first` are tried first, since they are the likeliest.
        """
        for name in first:
            place = self.places[name]
            match = place.pattern.search(tail)
            if match is not None and (place.kind is not Kind.PROMPT or not match["half_typed"]):
                return place, match
        half: tuple[Place, re.Match[str]] | None = None
        for place in self._in_order:
            match = place.pattern.search(tail)
            if match is None:
                continue
            if place.kind is not Kind.PROMPT or not match["half_typed"]:
                return place, match
            half = half or (place, match)
        return half

    @cached_property
    def _in_order(self) -> tuple[Place, ...]:
        return tuple(self.places.values())

    def refused(self, line: str) -> bool:
        """Whether a line of an answer is the device's no."""
        return any(pattern.search(line) for pattern in self.refusals)
