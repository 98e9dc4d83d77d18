"""Hands: the acts that only a person can do, kept in one list in the order in which they are best done.

A device's task asks for an act and waits. In practice the yard's hands do it after a moment; live, a person
does it and says so. Whoever waits for the same act waits together.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from enum import StrEnum

from zinger.errors import ZingerError


class RunError(ZingerError):
    """A run that can't begin; the message says why and what to do."""


class Verb(StrEnum):
    """What is to be done by hand."""

    PLUG = "plug"
    READ_LABEL = "read label"
    POWER_CUT = "power cut"
    LAPTOP = "laptop"


@dataclass(frozen=True)
class Act:
    """One act: what to do, for which device (or subnet), and why it is needed now."""

    verb: Verb
    subject: str
    do: str
    why: str
    rank: int = 5


class HandsNeeded(RunError):
    """An act is needed and nobody is there to do it."""

    def __init__(self, act: Act) -> None:
        super().__init__(f"needs a person's hands: {act.do}")
        self.act = act


@dataclass
class Asked:
    """An act on the list, and who waits for it."""

    act: Act
    since: float
    done: asyncio.Future[None]
    begun: bool = False
    waiting: int = 0


@dataclass
class Hands:
    """The list. `helper` does acts by itself (the yard); without one a person must, by `finish`."""

    helper: Callable[[Act], Awaitable[None]] | None = None
    nobody: bool = False
    asked: dict[tuple[Verb, str], Asked] = field(default_factory=dict)
    log: list[tuple[Act, float, float]] = field(default_factory=list)
    """(act, began, ended) of what was done, in seconds since 1970."""
    _helping: set[asyncio.Task[None]] = field(default_factory=set)

    async def ask(self, act: Act) -> None:
        """Put an act on the list and wait until it is done; raises HandsNeeded when nobody can do it."""
        if self.nobody and self.helper is None:
            raise HandsNeeded(act)
        key = (act.verb, act.subject)
        item = self.asked.get(key)
        if item is None:
            item = Asked(act, time.time(), asyncio.get_running_loop().create_future())
            self.asked[key] = item
            if self.helper:
                task = asyncio.create_task(self._help(item))
                self._helping.add(task)
                task.add_done_callback(self._helping.discard)
        item.waiting += 1
        try:
            await asyncio.shield(item.done)
        finally:
            item.waiting -= 1
            if item.waiting == 0 and not item.done.done():
                self.asked.pop(key, None)

    async def _help(self, item: Asked) -> None:
        assert self.helper is not None
        item.begun = True
        try:
            await self.helper(item.act)
        except Exception as error:
            self.asked.pop((item.act.verb, item.act.subject), None)
            if not item.done.done():
                item.done.set_exception(error)
        else:
            self.finish(item.act)

    def finish(self, act: Act) -> None:
        """The act is done."""
        item = self.asked.pop((act.verb, act.subject), None)
        if item and not item.done.done():
            self.log.append((act, item.since, time.time()))
            item.done.set_result(None)

    def in_order(self) -> list[Asked]:
        """What is to be done, best first: what lets a box boot while you go on comes before the rest."""
        return sorted(self.asked.values(), key=lambda a: (a.act.rank, a.since))
