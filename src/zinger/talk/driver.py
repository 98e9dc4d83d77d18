"""Runs errands over a surface: takes an errand's requests to the surface, and the surface's replies to the errand.

Sans-IO like everything here: `turn(now)` says what the carrier is to do next, until the errand has ended. The driver
knows neither the map nor what the dialogue stands on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Generic, TypeVar

from zinger.talk.errors import TalkError
from zinger.talk.events import Event
from zinger.talk.requests import Answer, At, Do, Errand, Look, Reply, Request, Tell
from zinger.talk.surface import NEVER, Surface, Wait

A = TypeVar("A")
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Ended:
    """The errand that was under way has ended; its `Running` has the result."""


class Running(Generic[T]):
    """An errand under way, and in the end what it returned or failed with."""

    def __init__(self, errand: Errand[T]) -> None:
        self.errand = errand
        self.ended = False
        self.error: TalkError | None = None
        self._result: list[T] = []

    def step(self, give: Callable[[], Request]) -> Request | None:
        """Let the errand go on until its next request; None when it has ended."""
        try:
            return give()
        except StopIteration as stop:
            self._result.append(stop.value)
        except TalkError as error:
            self.error = error
        self.ended = True
        return None

    def result(self) -> T:
        """What it returned; raises what it failed with."""
        if self.error is not None:
            raise self.error
        return self._result[0]


class Driver(Generic[A]):
    """One errand at a time over one surface."""

    def __init__(self, surface: Surface[A]) -> None:
        self.surface = surface
        self._running: Running[object] | None = None
        self._told: list[Event] = []

    def begin(self, errand: Errand[T], now: float) -> Running[T]:
        """Start an errand; whatever was under way is forgotten."""
        running = Running(errand)
        self._running = running  # type: ignore[assignment]  # the driver never looks at the result
        self.surface.stop()
        self._go_on(running.errand.__next__, now)
        return running

    def turn(self, now: float) -> A | Wait | Ended:
        """What to do now: an action of the surface, a wait, or nothing more since the errand has ended."""
        while self._running is not None:
            if self._running.ended:
                self._running = None
                return Ended()
            result = self.surface.turn(now)
            if isinstance(result, Wait):
                return result
            if isinstance(result, (At, Answer)):
                self._reply(result, now)
            elif isinstance(result, TalkError):
                self._throw(result, now)
            else:
                return result
        return NEVER

    def interrupt(self, error: TalkError, now: float) -> None:
        """End the errand from outside: the link is lost, a person takes the wire."""
        self.surface.stop()
        if self._running is not None and not self._running.ended:
            self._throw(error, now)

    def take_events(self) -> list[Event]:
        """What happened since the last call, for onlookers."""
        events = self.surface.take_events()
        if self._told:
            events, self._told = [*events, *self._told], []
        return events

    def _reply(self, reply: Reply, now: float) -> None:
        assert self._running is not None
        self._go_on(partial(self._running.errand.send, reply), now)

    def _throw(self, error: TalkError, now: float) -> None:
        assert self._running is not None
        self._go_on(partial(self._running.errand.throw, error), now)

    def _go_on(self, give: Callable[[], Request], now: float) -> None:
        """Give the errand a reply or an error, and take its next request to the surface."""
        running = self._running
        assert running is not None
        wanted = running.step(give)
        while isinstance(wanted, Tell):
            self._told += [*self.surface.take_events(), wanted.event]
            wanted = running.step(lambda: running.errand.send(None))
        if isinstance(wanted, (Look, Do)):
            self.surface.begin(wanted, now)
        elif wanted is not None:
            raise TypeError(f"an errand yielded {wanted!r}, which is not a request")
