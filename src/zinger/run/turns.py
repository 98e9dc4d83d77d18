"""Fair turns: however many devices talk at once, the loop is never kept from the keyboard for long.

While conversations take little of the loop's time, their work is done at once. When they take more than
half of it, work waits in a queue of which each pass of the loop does a few milliseconds.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable
from time import perf_counter

WINDOW, BUDGET = 0.010, 0.005
"""Seconds: of every window, this much may be spent at once; and as much of the queue is done in one pass."""


class Turns:
    """Shared by all pumps of a run. Work is done in the order in which it came."""

    def __init__(self) -> None:
        self._waiting: deque[Callable[[], None]] = deque()
        self._window = self._spent = 0.0

    def soon(self, work: Callable[[], None]) -> None:
        """Do this now if there is time, else when its turn comes."""
        now = perf_counter()
        if now - self._window > WINDOW:
            self._window, self._spent = now, 0.0
        if self._waiting or self._spent >= BUDGET:
            if not self._waiting:
                asyncio.get_running_loop().call_soon(self._some)
            self._waiting.append(work)
            return
        work()
        self._spent += perf_counter() - now

    def _some(self) -> None:
        """One pass: a few milliseconds of work, then the loop has the word again."""
        end = perf_counter() + BUDGET
        try:
            while self._waiting:
                self._waiting[0]()
                self._waiting.popleft()
                if perf_counter() >= end:
                    break
        except BaseException:
            self._waiting.popleft()
            raise
        finally:
            if self._waiting:
                asyncio.get_running_loop().call_soon(self._some)
