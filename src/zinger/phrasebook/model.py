"""A phrasebook: what Zinger knows of one family, as a map of places and moves with phrases on it.

These are the checked, compiled forms; `load` makes them from YAML. A phrasebook is immutable and shared
by all conversations with devices of its family.
"""

from __future__ import annotations

import heapq
import itertools
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from zinger.phrasebook.words import names_used
from zinger.plan.families import FamilyRules
from zinger.plan.settings import SETTINGS


class Kind(StrEnum):
    """What sort of place: it decides whether Enter is harmless and whether half-typed lines can stand there.

    A pager shows more by a key; a notice wants a key before it goes on; a menu offers numbered choices.
    """

    PROMPT = "prompt"
    QUESTION = "question"
    MENU = "menu"
    PAGER = "pager"
    NOTICE = "notice"


class Effect(StrEnum):
    """What saying a phrase does beside making its setting true."""

    NONE = "none"
    LINK_MOVES = "link moves"
    RESTARTS = "restarts"
    SIGNS_OUT = "signs out"
    LOCKS_OUT = "locks out"


class Holds(StrEnum):
    """When what is read back is as planned: the same in the same order, the same in any order, or among more."""

    EXACTLY = "exactly"
    IN_ANY_ORDER = "in any order"
    AMONG_OTHERS = "among others"


@dataclass(frozen=True)
class Place:
    """A recognisable spot in a dialogue.

    `pattern` is held against the tail: the text after the last line end, or on an emulated screen the cursor's row
    up to the cursor. `screen` must be found on the emulated screen besides. A prompt's match may go on with a
    half-typed line, which the group `half_typed` holds. `blind` places do not echo. A pager is moved on by the key
    `press` and left by `leave`, a notice is passed by `press`, all without Enter. `choices` finds what a menu offers:
    its groups `key` (what to type) and `text`. `takes` is what a question accepts, as far as it is known.
    """

    name: str
    kind: Kind
    pattern: re.Pattern[str]
    blind: bool = False
    enter_is_harmless: bool = False
    press: str = " "
    leave: str = "q"
    screen: re.Pattern[str] | None = None
    choices: re.Pattern[str] | None = None
    takes: re.Pattern[str] | None = None

    @property
    def passes(self) -> bool:
        """Whether it is gone past by a key, whoever comes there."""
        return self.kind in (Kind.PAGER, Kind.NOTICE)


@dataclass(frozen=True)
class Move:
    """How to get from one place to others: a line to say, a key to press without Enter, or a choice of a menu.

    `choose` is the text of the choice. Of several ways the one with the smallest sum of `cost` is taken.
    """

    origin: str
    outcomes: tuple[str, ...]
    say: str | None = None
    press: str | None = None
    choose: str | None = None
    cost: int = 1

    @cached_property
    def uses(self) -> frozenset[str]:
        """The names that its words need, such as `user`, `password`, `new_password` or `device`."""
        source = self.say if self.say is not None else self.choose
        return names_used(source) if source is not None else frozenset()

    @property
    def shown(self) -> str:
        """How it is made, for people."""
        if self.press is not None:
            return f"the key {self.press!r}"
        return self.say if self.say is not None else f"choose {self.choose}"


@dataclass(frozen=True)
class Confirm:
    """A change that goes back by itself after `within` seconds unless these words are said.

    `fresh`: they must be said from a new session, which proves that the way in still leads there.
    """

    at: str
    say: str
    within: float
    fresh: bool = False


@dataclass(frozen=True)
class Phrase:
    """What to say, and where, to make one setting true.

    `say` may fill to several lines, said in order; `through` are places where its lines may stand besides `at`.
    `replies` answer the questions that may follow, by place. `fact` names what is read back, and `shows` is the
    planned value in the family's own writing, compared with it as `holds` says (once for each item of a list).
    With `interview`, it is said as answers in that question script, and `also` is what is said if that was not
    enough. `after` names settings that must be said before. `patience` in seconds of silence; `progress` finds how
    far a long answer has come, in its group `percent`.
    """

    setting: str
    at: str
    say: str
    title: str = ""
    replies: Mapping[str, str] = field(default_factory=dict)
    through: tuple[str, ...] = ()
    expect: re.Pattern[str] | None = None
    progress: re.Pattern[str] | None = None
    patience: float = 30.0
    undo: str | None = None
    effect: Effect = Effect.NONE
    confirm: Confirm | None = None
    fact: str | None = None
    shows: str = "{{ value }}"
    holds: Holds = Holds.EXACTLY
    after: tuple[str, ...] = ()
    interview: str = ""
    also: Phrase | None = None

    @cached_property
    def looks_around(self) -> bool:
        """Whether its words use more than its own value, so that devices can't share them filled."""
        sources = [self.say, self.shows, self.undo or "", *self.replies.values()]
        around = {"plan", "device", "factory_account"}
        return any(names_used(s) & around for s in sources) or bool(self.also and self.also.looks_around)


@dataclass(frozen=True)
class Summary:
    """Where a question script shows what it understood, before anything is done.

    `take` finds facts there, which must be as planned before `yes` is said; otherwise `no` is.
    """

    at: str
    take: Mapping[str, Take]
    yes: str
    no: str


@dataclass(frozen=True)
class Interview:
    """A question script: one question after another, answered by what they ask, in any order.

    It begins by saying `say` at `at`; both are empty when it is met at first contact. `first` is its first question.
    `otherwise` answers questions that no planned setting answers; an empty answer keeps what stands there. `again`
    is the key that begins it anew from any of its questions. Afterwards it stands at one of `ends`, or `restarts`.
    """

    name: str
    first: str
    at: str
    say: str
    otherwise: Mapping[str, str]
    summary: Summary | None
    ends: tuple[str, ...]
    again: str
    effect: Effect
    patience: float
    questions: frozenset[str]


@dataclass(frozen=True)
class Take:
    """How one fact is taken from the lines of an answer.

    `pattern` finds it, and `value` writes it from the groups. `under` must have matched the head of its section.
    With `columns`, `pattern` finds the heading of a table; each row below becomes a fact until a blank line.
    `split` divides one match into several facts.
    """

    fact: str
    pattern: re.Pattern[str]
    value: str = "{{ value }}"
    under: re.Pattern[str] | None = None
    columns: Mapping[str, str] = field(default_factory=dict)
    split: re.Pattern[str] | None = None


@dataclass(frozen=True)
class Reading:
    """What to ask, and how to take facts from the answer, line by line; the answer ends at the place `to`.

    `sections` is the pattern of lines that head a section.
    """

    name: str
    at: str
    ask: str
    startup: str | None
    take: Mapping[str, Take]
    sections: re.Pattern[str] | None = None
    to: str = ""


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
    keep: tuple[Phrase, ...]
    identity: Mapping[str, str]
    noise: re.Pattern[str]
    refusals: tuple[re.Pattern[str], ...]
    boot: re.Pattern[str]
    enter: str = "\r"
    cancel: str = "\x15"
    rub: str = ""
    """The key that takes one typed character away; empty when none is known to."""
    redraw: str = ""
    """The key that shows the prompt again with what was typed so far; empty when none is known to."""
    wraps: int = 0
    """Columns after which the family's line editor goes on in the next row; 0 when it leaves that to the terminal."""
    longest_line: int = 250
    """Characters; a line that would be longer can't be said."""
    prepare: tuple[Phrase, ...] = ()
    """What is said before everything else, if it is not so already."""
    interviews: Mapping[str, Interview] = field(default_factory=dict)
    warnings: tuple[re.Pattern[str], ...] = ()
    marks: Mapping[str, re.Pattern[str]] = field(default_factory=dict)
    """Patterns of lines that tell which box this is, wherever they are shown: `serial`, `mac`, `hostname`."""
    administrator: str = ""
    """The place where an administrator ends who signs in from the network; the home place when it is empty."""
    restart: Phrase | None = None
    """How it is restarted by command."""
    screen: tuple[int, int] | None = None
    """Columns and rows of the screen on which it draws with the cursor; None for one that writes lines."""

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
                if move.uses <= known:
                    for outcome in move.outcomes:
                        if outcome not in seen:
                            heapq.heappush(queue, (cost + move.cost, next(count), outcome, first or move))
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

    def recognise(self, tail: str, first: Iterable[str] = (), screen: str = "") -> tuple[Place, re.Match[str]] | None:
        """The place that stands at the tail: a whole match before a half-typed line, else None.

        The places named by `first` are tried first, since they are the likeliest. `screen` is the text of the
        emulated screen, for families that draw on one.
        """
        for name in first:
            place = self.places[name]
            match = self._match(place, tail, screen)
            if match is not None and (place.kind is not Kind.PROMPT or not match["half_typed"]):
                return place, match
        half: tuple[Place, re.Match[str]] | None = None
        for place in self._in_order:
            match = self._match(place, tail, screen)
            if match is None:
                continue
            if place.kind is not Kind.PROMPT or not match["half_typed"]:
                return place, match
            half = half or (place, match)
        return half

    @staticmethod
    def _match(place: Place, tail: str, screen: str) -> re.Match[str] | None:
        if place.screen is not None and place.screen.search(screen) is None:
            return None
        return place.pattern.search(tail)

    @cached_property
    def _in_order(self) -> tuple[Place, ...]:
        return tuple(self.places.values())

    @cached_property
    def pagers(self) -> frozenset[str]:
        """The places at which more is shown by a key."""
        return frozenset(name for name, place in self.places.items() if place.kind is Kind.PAGER)

    @cached_property
    def startup_facts(self) -> frozenset[str]:
        """The facts that can be read of the startup state."""
        return frozenset(fact for reading in self.readings.values() if reading.startup for fact in reading.take)

    @cached_property
    def interview_of(self) -> Mapping[str, Interview]:
        """Which question script a place belongs to."""
        return {place: interview for interview in self.interviews.values() for place in interview.questions}

    @cached_property
    def order(self) -> tuple[str, ...]:
        """The settings in the table's order, each moved behind those that its phrase wants before it."""
        order: list[str] = []

        def put(name: str, on_the_way: tuple[str, ...]) -> None:
            if name in order or name in on_the_way:
                return
            if name in self.phrases:
                for before in self.phrases[name].after:
                    put(before, (*on_the_way, name))
            order.append(name)

        for name in SETTINGS:
            put(name, ())
        return tuple(order)

    def every_phrase(self) -> Iterator[tuple[str, Phrase]]:
        """All phrases with the path at which the book holds them."""
        for name, phrase in self.phrases.items():
            yield f"settings.{name}", phrase
            if phrase.also:
                yield f"settings.{name}.also", phrase.also
        for index, phrase in enumerate(self.prepare):
            yield f"prepare.{index}", phrase
        for index, phrase in enumerate(self.keep):
            yield f"keep.{index}" if len(self.keep) > 1 else "keep", phrase
        if self.restart:
            yield "restart", self.restart

    def refused(self, line: str) -> bool:
        """Whether a line of an answer is the device's no."""
        return any(pattern.search(line) for pattern in self.refusals)

    def warned(self, line: str) -> bool:
        """Whether a line of an answer is worth telling, although it is no refusal."""
        return any(pattern.search(line) for pattern in self.warnings)
