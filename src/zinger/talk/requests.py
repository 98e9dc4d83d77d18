"""What an errand asks of the conversation, and what it gets: requests and replies, all frozen and complete.

An errand is a generator of requests. `Errand[T]` says what it returns; what each request is answered with is said by
the helpers in `errands/ask.py`, so that no errand looks at the type of a reply itself.
"""

from __future__ import annotations

import re
from collections.abc import Generator
from dataclasses import dataclass, field
from typing import TypeVar

from zinger.phrasebook.document import Document
from zinger.phrasebook.map import Deed, Place
from zinger.talk.events import Event

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Look:
    """Find out where the device is, within `patience` seconds. Answered with `At`."""

    patience: float


@dataclass(frozen=True, slots=True)
class Do:
    """Do something where the device is, and wait for the place that follows. Answered with `Answer`.

    A place of `expect` counts at once, others must hold still. `patience` in seconds of silence; `progress` finds how
    far a long answer has come.
    """

    deed: Deed
    expect: frozenset[str]
    purpose: str
    patience: float = 30.0
    progress: re.Pattern[str] | None = None


@dataclass(frozen=True, slots=True)
class Tell:
    """Tell onlookers what happened. Answered with nothing."""

    event: Event


Request = Look | Do | Tell


@dataclass(frozen=True, slots=True)
class At:
    """Where the device is: the place and what it showed of itself there (hostname, user, ...).

    `choices` is what a menu offers: from the text of a choice to what is sent for it. `page` is the page itself.
    """

    place: Place
    captured: dict[str, str] = field(default_factory=dict)
    choices: dict[str, str] = field(default_factory=dict)
    page: Document | None = None

    @property
    def name(self) -> str:
        """The place's name."""
        return self.place.name


@dataclass(frozen=True, slots=True)
class Answer:
    """What the device showed between a deed and the next place, less echo and noise; `refusal` is a line of it, if any.

    `rows` keep the blanks at the end of one that fills the terminal's width, since it may go on in the next.
    `warnings` are lines that are worth telling and no refusal; `disturbed`: log lines burst into it, behind the rows
    with the indices `torn`, which may go on in the next one.
    """

    rows: tuple[str, ...]
    at: At
    refusal: str | None = None
    clipped: bool = False
    warnings: tuple[str, ...] = ()
    disturbed: bool = False
    torn: frozenset[int] = frozenset()
    beside: str = ""
    """The field of a page beside which the refusal stands."""

    @property
    def lines(self) -> tuple[str, ...]:
        """The rows, less blanks at their ends."""
        return tuple(row.rstrip() for row in self.rows)

    @property
    def page(self) -> Document | None:
        """What came on a page; `rows` are its text."""
        return self.at.page


Reply = At | Answer | None
Errand = Generator[Request, Reply, T]
"""A straight-line piece of work over the map, which returns a T."""
