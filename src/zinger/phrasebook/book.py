"""A phrasebook: what Zinger knows of one family: its card, its map, its terminal, the steps and the readings.

These are the checked, compiled forms; `load` makes them from YAML. A phrasebook is immutable and shared
by all conversations with devices of its family.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from zinger.phrasebook.map import Deed, Map, Place
from zinger.phrasebook.pages import Pages
from zinger.phrasebook.steps import ByHand, Effect, FileTemplate, ReplyTemplate, StepTemplate
from zinger.phrasebook.terminal import HALF_TYPED, Terminal
from zinger.plan.families import FamilyRules
from zinger.plan.settings import SETTINGS


@dataclass(frozen=True)
class Summary:
    """Where a question script shows what it understood, before anything is done.

    `take` finds facts there, which must be as planned before `yes` is sent; otherwise `no` is.
    """

    at: str
    take: Mapping[str, Take]
    yes: Deed
    no: Deed
    sections: re.Pattern[str] | None = None


@dataclass(frozen=True)
class Interview:
    """A question script: one question after another, answered by what they ask, in any order.

    `begin` at the place `at` begins it; without one it is met at first contact only. `first` is its first question.
    `otherwise` answers questions that no planned setting answers; an empty answer keeps what stands there. `again`
    begins it anew from any of its questions; `keep` leaves at one what stands there. Afterwards it stands at one of
    `ends`, or `restarts`.
    """

    name: str
    first: str
    at: str
    begin: Deed | None
    otherwise: Mapping[str, ReplyTemplate]
    summary: Summary | None
    ends: tuple[str, ...]
    again: Deed | None
    effect: Effect
    patience: float
    questions: frozenset[str]
    keep: Deed


@dataclass(frozen=True)
class Take:
    """How one fact is taken from the lines of an answer.

    `pattern` finds it, and `value` writes it from the groups. `under` must have matched the head of its section.
    With `columns`, `pattern` finds the heading of a table; each row below becomes a fact until a blank line.
    `split` divides one match into several facts. On a page it is taken from a `source`: the field, the row or the place
    in JSON that is `called` so, of which `pattern` then takes its part; or from several `fields` of one form, which are
    the `columns`, as are places within an entry of JSON.
    """

    fact: str
    pattern: re.Pattern[str]
    value: str = "{{ value }}"
    under: re.Pattern[str] | None = None
    columns: Mapping[str, str] = field(default_factory=dict)
    split: re.Pattern[str] | None = None
    source: str = ""
    called: str = ""


def is_pattern(called: str) -> bool:
    """Whether what a field is called can be a pattern, too; a label may have a bracket in it."""
    try:
        re.compile(called)
    except re.error:
        return False
    return True


@dataclass(frozen=True)
class Reading:
    """What to ask, and how to take facts from the answer, line by line; the answer ends at the place `to`.

    `sections` is the pattern of lines that head a section; `goes_on` of what a line begins with that goes on with the
    line before.
    """

    name: str
    at: str
    ask: Deed
    startup: Deed | None
    take: Mapping[str, Take]
    sections: re.Pattern[str] | None = None
    to: str = ""
    goes_on: re.Pattern[str] | None = None


@dataclass(frozen=True)
class Press:
    """What is pressed or turned at the device before it can be reached; `within` seconds of its power-on, 0 for ever.

    `see` is what shows that it was taken: a light, and how often it blinks.
    """

    do: str
    see: str = ""
    within: float = 0.0


@dataclass(frozen=True)
class Backup:
    """How the device gives its configuration, to be kept; `suffix` is that of the file."""

    reading: Reading
    suffix: str


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
    network: str = ""
    """The wireless network of its own over which it is set up, if it has one."""
    before: str = ""
    """What is chosen at the device before it is switched on, such as a selector's position."""
    light: str = ""
    """What shows that it can be reached."""
    press: Press | None = None
    clean: ByHand | None = None
    """How it is brought back to factory state by hand."""
    hands_out: bool = False
    """Whether it gives the laptop an address itself (DHCP, RFC 2131)."""
    link_local: bool = False
    """Whether it answers at the IPv6 address that it makes itself of its MAC (RFC 4862), on the cable."""
    certificate: str = ""
    """Where the fingerprint of its certificate is printed, if it is."""

    @property
    def has_account(self) -> bool:
        """Whether it lets somebody in out of the box; where it asks for no name, a code alone does."""
        return bool(self.user or self.password or self.on_label)

    @property
    def hidden(self) -> str:
        """The public password where it is hidden in what a device shows; empty for one that may be a word or a name.

        Hiding such a one (many a factory's user has their own name as password) would tear echoes, names and readings.
        """
        could_be_a_word = len(self.password) < 8 or self.password.isalpha() or self.password in self.user
        return "" if could_be_a_word else self.password


@dataclass(frozen=True)
class Ssh:
    """How the family is signed in to over SSH: on which TCP port, and whether it needs old key exchanges."""

    port: int = 22
    old: bool = False


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
    ssh: Ssh = Ssh()
    answers_sip: bool = False
    """Whether its legs answer the OPTIONS of their peers (RFC 3261 11)."""


@dataclass(frozen=True)
class ActiveCall:
    """What shows the calls that stand: a fact, and what it says of a call."""

    fact: str
    shows: str
    """A template of `caller`, `callee` (names of peers), `dialled` and `number` (as it comes out)."""


@dataclass(frozen=True)
class Phrasebook:
    """One family's map, terminal, steps, readings, limits and habits."""

    card: Card
    map: Map
    terminal: Terminal
    """How it is on a terminal; nothing of it where the family has pages only."""
    pages: Pages | None
    home: str
    view: str
    steps: Mapping[str, StepTemplate]
    readings: Mapping[str, Reading]
    saves: tuple[StepTemplate, ...]
    identity: Mapping[str, str]
    prepare: tuple[StepTemplate, ...] = ()
    """What is sent before everything else, unless it is set already."""
    interviews: Mapping[str, Interview] = field(default_factory=dict)
    administrator: str = ""
    """The place where an administrator ends who signs in from the network; the home place when it is empty."""
    restart: StepTemplate | None = None
    """How it is restarted by command."""
    backup: Backup | None = None
    told: frozenset[str] = frozenset()
    """The settings that any part of the dialogue sends, or looks at."""
    files: Mapping[str, FileTemplate] = field(default_factory=dict)
    """The files that are generated from the plan."""
    restore: StepTemplate | None = None
    """How a configuration that was kept is brought back; its lines are `file`."""
    active_call: ActiveCall | None = None
    """How the calls that stand are seen, while the laptop makes one through it."""
    then: Phrasebook | None = None
    """The part that follows over the network, once this one gave the device its address."""

    @property
    def parts(self) -> tuple[Phrasebook, ...]:
        """This, and what follows."""
        return (self,) if self.then is None else (self, *self.then.parts)

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
        """How a device of the family comes out of its carton."""
        return self.card.factory

    @property
    def rules(self) -> FamilyRules:
        """What the family accepts."""
        return self.card.rules

    @property
    def ssh(self) -> Ssh:
        """How it is signed in to over SSH."""
        return self.card.ssh

    @property
    def places(self) -> Mapping[str, Place]:
        """The places of its map."""
        return self.map.places

    def look_of(self, place: str) -> str:
        """How a place is recognised, for people."""
        if self.pages is not None and place in self.pages.signs:
            return self.pages.signs[place].shown
        return self.terminal.signs[place].pattern.pattern.removesuffix(HALF_TYPED)

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
        """The settings in the table's order, each moved behind those that its step wants before it."""
        order: list[str] = []

        def put(name: str, on_the_way: tuple[str, ...]) -> None:
            if name in order or name in on_the_way:
                return
            if name in self.steps:
                for before in self.steps[name].after:
                    put(before, (*on_the_way, name))
            order.append(name)

        for name in SETTINGS:
            put(name, ())
        return tuple(order)

    def every_step(self) -> Iterator[tuple[str, StepTemplate]]:
        """All steps with the path at which the file holds them."""
        for name, step in self.steps.items():
            yield f"settings.{name}", step
            if step.also:
                yield f"settings.{name}.also", step.also
            if step.change:
                yield f"settings.{name}.change", step.change
        for index, step in enumerate(self.prepare):
            yield f"prepare.{index}", step
        for index, step in enumerate(self.saves):
            yield f"save.{index}" if len(self.saves) > 1 else "save", step
        if self.restart:
            yield "restart", self.restart
        if self.restore:
            yield "restore", self.restore
        for name, file in self.files.items():
            yield f"files.{name}.put", file.put
