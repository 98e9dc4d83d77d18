"""Hands: the acts that only a person can do, kept in one list in the order in which they are best done.

A device's task asks for an act and waits. In practice the yard's hands do it after a moment; live, a person does it and
says so: on the screen, from another terminal (`zinger hands`, over the journal), or ahead (`--hands-done`). Whoever
waits for the same act waits together.
"""

from __future__ import annotations

import asyncio
import itertools
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from enum import StrEnum

from zinger.errors import ZingerError
from zinger.run.spots import Importance
from zinger.run.stopwatch import blocked
from zinger.store import entries


class RunError(ZingerError):
    """A run that can't begin; the message says why and what to do."""


class Verb(StrEnum):
    """What is to be done by hand."""

    PLUG = "plug"
    READ_LABEL = "read label"
    POWER_CUT = "power cut"
    LAPTOP = "laptop"
    LAPTOP_BACK = "laptop back"
    JOIN = "join"
    UNPLUG = "unplug"
    TERMS = "terms"
    DHCP = "laptop by DHCP"
    PRESS = "press"
    SET = "set"
    CLEAN = "factory state"
    COMPARE = "compare"


AHEAD = frozenset({Verb.PLUG, Verb.LAPTOP, Verb.DHCP})
"""What can be done before the run begins. A power cut can't, and a label's password goes into the vault."""


@dataclass(frozen=True)
class Act:
    """One act: what to do, for which device (or subnet), and why it is needed now.

    `see` is what shows that it was done right; `until`, in seconds since 1970, when it is too late for it.
    """

    verb: Verb
    subject: str
    do: str
    why: str
    rank: int = 5
    see: str = ""
    until: float | None = None
    only_now: bool = False
    """Whether it can't have been done ahead, though others of its kind can."""
    entry: str = ""
    """The vault entry that is typed into the act itself, such as what a label says."""

    taken_from: str = ""
    """The device out of which the cable is taken for it."""

    @property
    def ahead(self) -> bool:
        """Whether it can be done before a run begins."""
        return self.verb in AHEAD and not self.only_now


Seen = Callable[[], Awaitable[bool]]
"""Whether something shows by itself that an act was done."""


class HandsNeeded(RunError):
    """An act is needed and nobody is there to do it."""

    def __init__(self, act: Act) -> None:
        ahead = "run it again with --hands-done" if act.ahead else "run it with --wait-for-hands"
        typed = f": zinger secret JOB {act.entry}" if act.entry else ""
        super().__init__(f"needs a person's hands: {act.do}{typed}. Do it and {ahead}")
        self.act = act


class CannotBeDone(RunError):
    """A person said that an act can't be done."""

    def __init__(self, act: Act, why: str) -> None:
        super().__init__(" · ".join(filter(None, ["can't be done", why, act.do])))
        self.act, self.why = act, why


URGENT = 0
"""The rank of acts for which the time runs."""
ONE_KEY = 9
"""Numbers up to this one are a key each; the last is kept for what is urgent."""
LOOKS_EVERY = 1.0
"""Seconds between two looks whether an act was done, where that can be seen."""
RESTS = 5.0
"""Seconds in which a number is given to no other act, since somebody may be about to press it."""


@dataclass
class Asked:
    """An act on the list, and who waits for it."""

    act: Act
    since: float
    done: asyncio.Future[None]
    number: int
    """What it is called by, from 1, until it is done."""
    begun: bool = False
    waiting: int = 0
    later: int = 0
    """How often a person put it off."""
    shows: bool = False
    """Whether it may show by itself that it was done."""


def _untold(event: entries.Happened, subject: str) -> None:
    """Where no journal is kept."""


@dataclass
class Hands:
    """The list. `helper` does acts by itself (the yard); without one a person must, by `finish`."""

    helper: Callable[[Act], Awaitable[None]] | None = None
    within: float | None = None
    """Seconds that an act may take; None where somebody is at the screen, 0 where nobody can do it."""
    by_person: bool = False
    """Whether the helper waits with each act until a person says that they do it: practice for the hands."""
    ahead: frozenset[Verb] = frozenset()
    """What was done before the run began."""
    tell: Callable[[entries.Happened, str], None] = _untold
    """Told of every act that is asked for and done, with its subject."""
    asked: dict[tuple[Verb, str], Asked] = field(default_factory=dict)
    log: list[tuple[Act, float, float]] = field(default_factory=list)
    """(act, began, ended) of what was done, in seconds since 1970."""
    importance: Importance = lambda device: 0
    """How early the forecast begins a device; less is earlier."""
    _rests: dict[int, float] = field(default_factory=dict)
    """Numbers that were taken off the list, and when, in seconds since 1970."""
    _helping: set[asyncio.Task[None]] = field(default_factory=set)

    async def ask(self, act: Act, seen: Seen | None = None) -> None:
        """Put an act on the list and wait until it is done; raises HandsNeeded when nobody did it in time.

        Where it can be `seen` that it was done, nobody need say so.
        """
        if act.verb in self.ahead and act.ahead:
            return
        if self.within == 0 and self.helper is None:
            raise HandsNeeded(act)
        key = (act.verb, act.subject)
        item = self.asked.get(key)
        if item is None:
            item = self._put(act)
            if self.helper and not self.by_person:
                self._have_helped(item)
        item.waiting += 1
        item.shows |= seen is not None
        watch = asyncio.create_task(self._watch(act, seen)) if seen is not None else None
        try:
            with blocked():
                async with asyncio.timeout(None if self.helper else self.within):
                    await asyncio.shield(item.done)
        except TimeoutError:
            raise HandsNeeded(act) from None
        finally:
            if watch is not None:
                watch.cancel()
            item.waiting -= 1
            if item.waiting == 0 and not item.done.done():
                self._take_off(act)
                self.tell(entries.HandsWithdrawn(act.verb.value), act.subject)

    async def _watch(self, act: Act, seen: Seen) -> None:
        while not await seen():  # noqa: ASYNC110 neither cards nor devices tell that something was done
            await asyncio.sleep(LOOKS_EVERY)
        self.finish(act)

    def mention(self, act: Act) -> None:
        """Put an act on the list for which nobody waits."""
        if (act.verb, act.subject) not in self.asked:
            self._put(act)

    def _put(self, act: Act) -> Asked:
        number = self._free_number(act)
        item = Asked(act, time.time(), asyncio.get_running_loop().create_future(), number)
        self.asked[act.verb, act.subject] = item
        asked = entries.HandsAsked(act.verb.value, act.do, act.why, act.see, act.until, number, act.entry)
        self.tell(asked, act.subject)
        return item

    def _free_number(self, act: Act) -> int:
        now = time.time()
        used = {item.number for item in self.asked.values()}
        used |= {number for number, since in self._rests.items() if now - since < RESTS}
        used |= set() if act.rank == URGENT else {ONE_KEY}
        return next(number for number in itertools.count(1) if number not in used)

    def _take_off(self, act: Act) -> Asked | None:
        item = self.asked.pop((act.verb, act.subject), None)
        if item is not None:
            self._rests[item.number] = time.time()
        return item

    def numbered(self, number: int) -> Asked | None:
        """The act on the list that is called by this number."""
        return next((item for item in self.asked.values() if item.number == number), None)

    def put_off(self, act: Act) -> None:
        """A person does it later: the rest of the list comes first."""
        item = self.asked.get((act.verb, act.subject))
        if item is not None:
            item.later += 1

    def cannot(self, act: Act, why: str) -> None:
        """A person can't do it: whoever waits for it needs them otherwise."""
        item = self.asked.get((act.verb, act.subject))
        if item is not None and not item.begun and not item.done.done():
            self._take_off(act)
            self.tell(entries.HandsWithdrawn(act.verb.value), act.subject)
            item.done.set_exception(CannotBeDone(act, why))
            if not item.waiting:
                item.done.exception()  # nobody else looks at it

    def _have_helped(self, item: Asked) -> None:
        item.begun = True
        task = asyncio.create_task(self._help(item))
        self._helping.add(task)
        task.add_done_callback(self._helping.discard)

    def leave_to(self, person: bool) -> None:
        """A person does the acts from now on, or the helper does, those that wait among them."""
        self.by_person = person
        for item in list(self.asked.values()):
            if not person and self.helper and not item.begun:
                self._have_helped(item)

    def person_did(self, act: Act) -> None:
        """A person says that they did an act; in practice that makes the yard do it."""
        item = self.asked.get((act.verb, act.subject))
        if item is None or self.helper is None:
            self.finish(act)
        elif not item.begun:
            self._have_helped(item)

    async def _help(self, item: Asked) -> None:
        assert self.helper is not None
        try:
            await self.helper(item.act)
        except Exception as error:
            self._take_off(item.act)
            if not item.done.done():
                item.done.set_exception(error)
        else:
            self.finish(item.act)

    def finish(self, act: Act) -> None:
        """The act is done."""
        item = self._take_off(act)
        if item and not item.done.done():
            self.log.append((act, item.since, time.time()))
            self.tell(entries.HandsDone(act.verb.value, act.do, item.since, time.time()), act.subject)
            item.done.set_result(None)

    def answered(self, verb: str, subject: str, cannot: str | None = None) -> None:
        """Somebody said from elsewhere that an act is done, or that it `cannot` be, and why."""
        for item in list(self.asked.values()):
            if (item.act.verb.value, item.act.subject) == (verb, subject):
                if cannot is None:
                    self.person_did(item.act)
                else:
                    self.cannot(item.act, cannot)

    def in_order(self) -> list[Asked]:
        """What is to be done, best first: what lets a box boot while you go on, and of those who have longest to go."""
        return sorted(self.asked.values(), key=lambda a: (a.later, a.act.rank, self.importance(a.act.subject), a.since))
