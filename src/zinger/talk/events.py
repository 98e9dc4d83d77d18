"""What happened, for onlookers: the board, the journal, the recording."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple


class Recognised(NamedTuple):
    """The device stands at a known place."""

    place: str
    captured: dict[str, str]


class Sent(NamedTuple):
    """A line was sent (masked), for a purpose."""

    line: str
    place: str
    purpose: str


@dataclass(frozen=True, slots=True)
class Mended:
    """A line came back damaged, and is sent again."""

    line: str
    echoed: str


@dataclass(frozen=True, slots=True)
class Nudged:
    """Enter was pressed where it is harmless, to see what stands there."""


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A user's password was accepted (the vault entry's name, not the password)."""

    user: str
    secret: str


@dataclass(frozen=True, slots=True)
class Renewed:
    """A forced change of password was carried out."""

    user: str
    secret: str


@dataclass(frozen=True, slots=True)
class ToKeep:
    """The device shows something that is kept as evidence: what it is called, and its lines."""

    what: str
    lines: tuple[str, ...]


class Waiting(StrEnum):
    """What a conversation waits for, as far as others act on it."""

    BOOT = "booting"
    OTHER = ""


@dataclass(frozen=True, slots=True)
class Waits:
    """The conversation now waits for something else: `why`, and when it should be over if that is known."""

    why: str
    expected_end: float | None = None
    what: Waiting = Waiting.OTHER


Event = Recognised | Sent | Mended | Nudged | SignedIn | Renewed | ToKeep | Waits
