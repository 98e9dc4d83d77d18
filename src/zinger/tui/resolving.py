"""Resolving the plan away from the screen's loop: after each change, and for what is only being tried."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from zinger.desk.editing import Desk
from zinger.plan.model import Plan
from zinger.plan.problems import Change
from zinger.tui.parts import ZingerScreen

Take = Callable[[Plan], None]


class Resolving:
    """One resolution at a time on another thread; what is asked meanwhile is done once, after it."""

    def __init__(self, screen: ZingerScreen, desk: Desk, resolved: Take, tried: Take) -> None:
        self._screen, self._desk = screen, desk
        self._take_resolved, self._take_tried = resolved, tried
        self.busy = False
        self._wanted = False

    def again(self) -> None:
        """Resolve the plan as it is edited now, and hand it over."""
        self._wanted = True
        if not self.busy:
            self.busy = True
            self._screen.run_worker(self._resolve(), group="resolve")

    def attempt(self, changes: Sequence[Change]) -> None:
        """Resolve the plan as it would be with these changes, and hand it over; only while not busy."""
        self.busy = True
        self._screen.run_worker(self._attempt(changes), group="resolve")

    async def _resolve(self) -> None:
        try:
            while self._wanted:
                self._wanted = False
                plan = await asyncio.to_thread(self._desk.resolved)
        finally:
            self.busy = False
        self._take_resolved(plan)

    async def _attempt(self, changes: Sequence[Change]) -> None:
        try:
            plan = await asyncio.to_thread(self._desk.tried, changes)
        finally:
            self.busy = False
        self._take_tried(plan)
        if self._wanted:
            self.again()
