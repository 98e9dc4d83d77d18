"""The first picture, while a job is being opened; it needs nothing but the toolkit, so that it is there at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from textual.app import ComposeResult
from textual.screen import Screen
from textual.widgets import Static

if TYPE_CHECKING:
    from zinger.run.openjob import OpenJob

AFTER_THE_PICTURE = 0.02
"""Seconds until the job is opened: loading would keep the first picture from being drawn."""


class Opening(Screen[None]):
    """The headline of the screens to come, and that a job is being opened, on a thread of its own."""

    def __init__(
        self, opening: Callable[[], OpenJob], opened: Callable[[OpenJob], None], failed: Callable[[Exception], None]
    ) -> None:
        super().__init__()
        self._opening, self._opened, self._failed = opening, opened, failed

    def compose(self) -> ComposeResult:
        yield Static("[bold #12161a on #d8a23a] ZINGER [/]  opening the job ...", id="title-line")

    def on_mount(self) -> None:
        """Open the job once this is drawn."""
        self.set_timer(AFTER_THE_PICTURE, partial(self.app.run_worker, self._open, thread=True, name="open"))

    def _open(self) -> None:
        try:
            import zinger.tui.lineup  # noqa: F401 the screen that comes next, loaded here

            job = self._opening()
        except Exception as error:
            self.app.call_from_thread(self._failed, error)
            return
        self.app.call_from_thread(self._opened, job)
