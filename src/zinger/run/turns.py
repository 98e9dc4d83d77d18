"""Fair turns: however many devices talk at once, the loop is never kept from the keyboard for long.

While conversations take little of the loop's time, their work is done at once. When they take more than
half of it, work waits in a queue of which each pass of the loop does a few milliseconds, and a key that is pressed
stops the queue for the moment in which it is answered.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable
from time import perf_counter

WINDOW, BUDGET = 0.010, 0.005
"""Seconds: of every window, this much may be spent at once; and as much of the queue is done in one pass."""
CROWD = 0.5
"""Seconds since work last had to wait, up to which there is a crowd."""
TYPES = 2.0
"""Seconds since the last key, up to which somebody is typing."""
ANSWER = 0.08
"""Seconds for which a crowd is quiet so that a key can be answered; as long as it goes on at least, before the next."""


class Turns:
    """Shared by all pumps on a loop. Work is done in the order in which it came."""

    def __init__(self) -> None:
        self._waiting: deque[Callable[[], None]] = deque()
        self._window = self._spent = 0.0
        self._end = 0.0
        """When the present pass is over."""
        self._quiet_until = 0.0
        self._waited = self._typed = float("-inf")
        """When work last had to wait, and when a key last came."""

    def soon(self, work: Callable[[], None]) -> None:
        """Do this now if there is time, else when its turn comes."""
        now = perf_counter()
        if now - self._window > WINDOW:
            self._window, self._spent = now, 0.0
        if self._waiting or self._spent >= BUDGET or now < self._quiet_until:
            if not self._waiting:
                asyncio.get_running_loop().call_soon(self._some)
            self._waiting.append(work)
            self._waited = now
            return
        work()
        self._spent += perf_counter() - now

    def woke_somebody(self) -> None:
        """The work that is being done now let a device's task go on, which takes longer than the work.

        While somebody types that is enough for one pass: else a crowd whose errands end in one pass would go on in the
        next, all before the keyboard.
        """
        if perf_counter() - self._typed < TYPES:
            self._spent, self._end = BUDGET, 0.0

    def key_comes(self) -> None:
        """A key was pressed: where there is a crowd, it is quiet until the key is answered.

        Where there is none, nothing waits: the key may be one for a device, whose echo is awaited.
        """
        now = self._typed = perf_counter()
        if now - self._waited < CROWD and now - self._quiet_until > ANSWER:
            self._quiet_until = now + ANSWER

    def _some(self) -> None:
        """One pass: a few milliseconds of work, then the loop has the word again."""
        now = perf_counter()
        if now < self._quiet_until:
            asyncio.get_running_loop().call_later(self._quiet_until - now, self._some)
            return
        self._end = now + BUDGET
        try:
            while self._waiting:
                self._waiting[0]()
                self._waiting.popleft()
                if perf_counter() >= self._end:
                    break
        except BaseException:
            self._waiting.popleft()
            raise
        finally:
            if self._waiting:
                asyncio.get_running_loop().call_soon(self._some)
