"""How long a stage took, less what it waited for people and for other devices: only that tells about the family.

The watch of the stage under way belongs to the device's task (a context variable), so that whatever blocks, however far
below, stops it without being told whose it is.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field


@dataclass
class Stopwatch:
    """One stage's; times in seconds since 1970."""

    stage: str
    began: float = field(default_factory=time.time)
    waited: float = 0.0
    blocked_since: float | None = None

    def taken(self, now: float) -> float:
        """The seconds that it has worked so far."""
        blocked = now - self.blocked_since if self.blocked_since is not None else 0.0
        return max(0.0, now - self.began - self.waited - blocked)


_WATCH: ContextVar[Stopwatch | None] = ContextVar("stopwatch", default=None)


@contextmanager
def timed(stage: str) -> Iterator[Stopwatch]:
    """A stage of the task that is running: its watch."""
    watch = Stopwatch(stage)
    before = _WATCH.set(watch)
    try:
        yield watch
    finally:
        _WATCH.reset(before)


@contextmanager
def blocked() -> Iterator[None]:
    """While this lasts, the task waits for somebody else: no stage takes that long by itself."""
    watch = _WATCH.get()
    if watch is None or watch.blocked_since is not None:
        yield
        return
    watch.blocked_since = time.time()
    try:
        yield
    finally:
        watch.waited += time.time() - watch.blocked_since
        watch.blocked_since = None
