"""What goes between a conversation, the errands that it runs, and the pump that carries it.

Three small vocabularies of frozen dataclasses: requests that an errand makes of the conversation, actions
that the conversation asks of the pump, and events that tell an onlooker what happened. The error tree
stands first: `Stuck` needs a person, `Interrupted` wants another look, `RefusedByDevice` is the device's no.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from zinger.errors import ZingerError
from zinger.phrasebook import Place, Words


class TalkError(ZingerError):
    """A conversation that cannot go on as it is; the message is a sentence for a person."""


class Stuck(TalkError):
    """Nothing known stands there, or nothing known helps: a person is needed. `shown` is what was last seen."""

    def __init__(self, why: str, shown: str = "") -> None:
        super().__init__(why)
        self.shown = shown


class RefusedByDevice(TalkError):
    """The device refused a phrase; `words` are its own."""

    def __init__(self, setting: str, words: str) -> None:
        super().__init__(f"{setting} was refused: {words}")
        self.setting, self.words = setting, words


class Interrupted(TalkError):
    """Something came between: a restart, a sign-out, a lost link, a person. Look again and go on."""


# -- requests of an errand ----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Look:
    """Find out where the device is, within `patience` seconds."""

    patience: float


@dataclass(frozen=True, slots=True)
class Line:
    """Say one line and wait for the place that follows; `expect` counts at once, others must hold still.

    `patience` in seconds of silence; `progress` finds in the tail how far a long answer has come.
    """

    words: Words
    blind: bool
    expect: frozenset[str]
    purpose: str
    patience: float = 30.0
    progress: re.Pattern[str] | None = None


@dataclass(frozen=True, slots=True)
class Key:
    """Press one key, without Enter, and wait for the place that follows."""

    press: str
    expect: frozenset[str]
    purpose: str
    patience: float = 10.0


Request = Look | Line | Key


@dataclass(frozen=True, slots=True)
class At:
    """Where the device is: the place and what it showed of itself there (hostname, user, ...).

    `choices` is what a menu offers: from the text of a choice to what is typed for it.
    """

    place: Place
    captured: dict[str, str] = field(default_factory=dict)
    choices: dict[str, str] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """The place's name."""
        return self.place.name


@dataclass(frozen=True, slots=True)
class Answer:
    """What stood between Enter and the next place, less echo and noise; `refusal` is a line of it, if any.

    `warnings` are lines that are worth telling and no refusal; `disturbed`: log lines burst into it.
    """

    lines: tuple[str, ...]
    at: At
    refusal: str | None = None
    clipped: bool = False
    warnings: tuple[str, ...] = ()
    disturbed: bool = False


# -- actions for the pump -----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Say:
    """Write these words to the link, secrets resolved at that moment."""

    words: Words


@dataclass(frozen=True, slots=True)
class Wait:
    """Nothing to do until bytes come, or until this time (seconds on the pump's clock)."""

    until: float
    why: str


@dataclass(frozen=True, slots=True)
class Done:
    """The errand is finished with this result."""

    result: object


@dataclass(frozen=True, slots=True)
class Failed:
    """The errand ended in an error."""

    error: TalkError


Action = Say | Wait | Done | Failed


# -- events for onlookers -----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Recognised:
    """The device stands at a known place."""

    place: str
    captured: dict[str, str]


@dataclass(frozen=True, slots=True)
class Typed:
    """A line was said (masked), for a purpose."""

    line: str
    place: str
    purpose: str


@dataclass(frozen=True, slots=True)
class Mended:
    """A line came back damaged, was cancelled and is said again."""

    line: str
    echoed: str


@dataclass(frozen=True, slots=True)
class Nudged:
    """Enter was pressed where it is harmless, to see what stands there."""


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A user's secret was accepted (the vault entry's name, not the secret)."""

    user: str
    secret: str


@dataclass(frozen=True, slots=True)
class Renewed:
    """A forced change of password was carried out."""

    user: str
    secret: str


@dataclass(frozen=True, slots=True)
class Told:
    """The conversation now waits for something else: `why`, and when it should be over if that is known."""

    why: str
    expected_end: float | None = None


Event = Recognised | Typed | Mended | Nudged | SignedIn | Renewed | Told
