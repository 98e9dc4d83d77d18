"""Steps: what makes one setting true. *How* it is sent (where, with what patience, to what effect), and *what* is sent.

A phrasebook holds steps as templates (`StepTemplate`), a script holds them filled for one device (`script.Step`); both
share `How`. What is sent is a sequence of lines, or answers to the questions of a script; there is room for more kinds
(forms, edits) beside them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from zinger.phrasebook.map import Act, Deed
from zinger.phrasebook.words import names_used


class Effect(StrEnum):
    """The side effect of sending a step."""

    NONE = "none"
    LINK_MOVES = "link moves"
    RESTARTS = "restarts"
    SIGNS_OUT = "signs out"
    LOCKS_OUT = "locks out"


class Holds(StrEnum):
    """When what is read back is as planned: the same in the same order, the same in any order, or among more.

    `AT_LEAST` is of a number that is measured: so much or more. `NOW` is of a clock: near the laptop's time, as `shows`
    writes it (by strftime).
    """

    EXACTLY = "exactly"
    IN_ANY_ORDER = "in any order"
    AMONG_OTHERS = "among others"
    AT_LEAST = "at least"
    NOW = "now"


@dataclass(frozen=True)
class Confirm:
    """A change that goes back by itself after `within` seconds unless `send` (a template) is sent.

    `fresh`: it must be sent from a new session, which proves that the way in still leads there. `deed` is what is sent,
    once it is filled for a device.
    """

    at: str
    send: str
    within: float
    fresh: bool = False
    deed: Deed | None = None


@dataclass(frozen=True)
class How:
    """How a step is sent.

    It is begun `at` a place; `through` are places where its lines may stand besides. `expect` must be found in what
    the device answers. `patience` in seconds of silence; `progress` finds how far a long answer has come, in its group
    `percent`. Where the way to `at` ends at `unless_at` instead, there is nothing to do.
    """

    at: str
    through: frozenset[str] = frozenset()
    expect: re.Pattern[str] | None = None
    progress: re.Pattern[str] | None = None
    patience: float = 30.0
    effect: Effect = Effect.NONE
    confirm: Confirm | None = None
    unless_at: str = ""


@dataclass(frozen=True)
class PageTurn:
    """One thing that is done on a page; with `each`, once for every entry of a list.

    `to`: the place to which it leads if it does not stay.
    """

    act: Act
    each: bool = False
    to: str = ""


@dataclass(frozen=True)
class PageReply:
    """What is done at a page each time that it stands there."""

    turns: tuple[PageTurn, ...]

    @property
    def sources(self) -> tuple[str, ...]:
        """All its templates."""
        return tuple(source for turn in self.turns for source in turn.act.sources)


ReplyTemplate = str | PageReply
"""What answers a question on a terminal, as a template, or what is done at a page."""


def sources_of(reply: ReplyTemplate) -> tuple[str, ...]:
    """The templates of a reply."""
    return (reply,) if isinstance(reply, str) else reply.sources


@dataclass(frozen=True)
class LineTemplates:
    """Lines to send, one after the other, and replies to the questions that may follow, by place."""

    send: str
    replies: Mapping[str, ReplyTemplate] = field(default_factory=dict)

    @property
    def sources(self) -> tuple[str, ...]:
        """All its templates."""
        return (self.send, *(source for reply in self.replies.values() for source in sources_of(reply)))


@dataclass(frozen=True)
class PageTemplates:
    """What is done on pages, one after the other; with `each`, all of it once for every entry of a list."""

    turns: tuple[PageTurn, ...]
    replies: Mapping[str, ReplyTemplate] = field(default_factory=dict)
    each: bool = False

    @property
    def sources(self) -> tuple[str, ...]:
        """All its templates."""
        own = tuple(source for turn in self.turns for source in turn.act.sources)
        return (*own, *(source for reply in self.replies.values() for source in sources_of(reply)))


@dataclass(frozen=True)
class AnswerTemplates:
    """Answers in a question script, by the place that asks; on pages, what is filled in there."""

    interview: str
    replies: Mapping[str, ReplyTemplate]

    @property
    def sources(self) -> tuple[str, ...]:
        """All its templates."""
        return tuple(source for reply in self.replies.values() for source in sources_of(reply))


@dataclass(frozen=True)
class FileTemplates:
    """Lines of a generated file."""

    file: str
    send: str
    replies: Mapping[str, ReplyTemplate] = field(default_factory=dict)

    @property
    def sources(self) -> tuple[str, ...]:
        """All its templates."""
        return (self.send,)


@dataclass(frozen=True)
class Reads:
    """What a reading must show afterwards: the fact, the planned value in the family's own writing, and how both are
    compared (once for each item of a list)."""

    fact: str
    shows: str = "{{ value }}"
    holds: Holds = Holds.EXACTLY


@dataclass(frozen=True)
class ByHand:
    """What only a person can do at the device, and what shows that it was done."""

    do: str
    see: str = ""


@dataclass(frozen=True)
class StepTemplate:
    """How one setting is made true in a family; `also` is sent when the setting still differs after its questions.

    `after` names settings that must be sent before.
    """

    setting: str
    how: How
    what: LineTemplates | PageTemplates | AnswerTemplates | FileTemplates
    title: str = ""
    undo: str = ""
    reads: Reads | None = None
    after: tuple[str, ...] = ()
    after_device: str = ""
    """A template of the device that must be set up before this is sent, or looked at; nothing for none."""
    also: StepTemplate | None = None
    reads_too: tuple[Reads, ...] = ()
    """Other facts that show a part of it; their templates get the whole value."""
    hands: ByHand | None = None
    """What a person does at the device, in the place of anything sent."""
    tries: StepTemplate | None = None
    """How the device is made to use a password or key of it, so that it is proved; for each entry with one."""
    change: StepTemplate | None = None
    """What is sent instead where the device has it already, but not with this password or key."""

    @property
    def interview(self) -> str:
        """The question script in which it is answered, or nothing."""
        return self.what.interview if isinstance(self.what, AnswerTemplates) else ""

    @property
    def file(self) -> str:
        """The generated file in which it stands, or nothing."""
        return self.what.file if isinstance(self.what, FileTemplates) else ""

    @property
    def tells_time(self) -> bool:
        """Whether what is sent has the time in it, so that it is filled when it is sent."""
        return any("now" in names_used(source) for source in self.what.sources)

    @cached_property
    def looks_around(self) -> bool:
        """Whether its templates use more than its own value, so that devices can't share them filled."""
        sources = [self.undo, self.after_device, *self.what.sources]
        sources += [reads.shows for reads in (self.reads, *self.reads_too) if reads]
        around = {"plan", "device", "factory_account", "now"}
        further = (self.also, self.change, self.tries)
        return any(names_used(s) & around for s in sources) or any(
            step is not None and step.looks_around for step in further
        )


@dataclass(frozen=True)
class FileTemplate:
    """A file that is generated from the plan, for one family.

    Its lines are those of `head`, of every setting that stands in it, in the phrasebook's order, and of `foot`; each
    must be as `line` says, where that is given. `put` brings it to the device under the name `named`; the reading
    `pulled` takes it from there as the fact `fact`, of which lines that `ignores` finds say nothing. `complains` finds,
    in what the device refuses it with, the number of the line (group `line`, from 1).
    """

    name: str
    named: str
    title: str
    head: str
    foot: str
    line: re.Pattern[str] | None
    put: StepTemplate
    pulled: str
    ignores: tuple[re.Pattern[str], ...] = ()
    complains: re.Pattern[str] | None = None

    @property
    def fact(self) -> str:
        """What its lines are called among the facts, and the finding of the whole file."""
        return f"{FILE}{self.name}"

    def says_nothing(self, line: str) -> bool:
        """Whether a line may differ without meaning anything."""
        return not line.strip() or any(pattern.search(line) for pattern in self.ignores)


FILE = "file."
"""How the facts and findings of generated files are called: this, and the file's name."""
