"""What a dialogue stands on, as the driver sees it: something that fulfils one request at a time.

A surface takes in what arrives and the time, and says at each turn what to do: an action for its carrier (bytes to
write, a page to fetch), a wait, or the reply to the request. Sockets, sleeping and clocks are its carrier's.
"""

from __future__ import annotations

from typing import NamedTuple, Protocol, TypeVar

from zinger.talk.errors import TalkError
from zinger.talk.events import Event
from zinger.talk.requests import Answer, At, Do, Look

A = TypeVar("A", covariant=True)


class Wait(NamedTuple):
    """Nothing to do until something arrives, or until this time (seconds on the carrier's clock)."""

    until: float
    why: str


NEVER = Wait(float("inf"), "nothing to do")


class Surface(Protocol[A]):
    """One kind of dialogue; `A` is what its carrier can be asked to do."""

    def begin(self, request: Look | Do, now: float) -> None:
        """Fulfil this request from now on."""

    def turn(self, now: float) -> A | Wait | At | Answer | TalkError:
        """What to do now, or how the request ended."""

    def stop(self) -> None:
        """The request is given up."""

    def take_events(self) -> list[Event]:
        """What happened since the last call."""
