"""Calling a person who is not at the screen: the window's title, and if it is wished the bell and the desktop.

The title is set by OSC 2 and desktop notifications by OSC 9 (xterm control sequences), which terminals that do not know
them ignore. What is told is a count and a hostname, never what a device showed.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from textual.app import App

from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.run.board import Board

LOOKS_EVERY = 1.0


class Calling:
    """Watches the boards of all open jobs for devices that need a person."""

    def __init__(self, app: App[None], boards: Callable[[], Sequence[Board]]) -> None:
        self._app, self._boards = app, boards
        self.rings = False
        """Whether the bell rings, and the desktop is told."""
        self._waiting: frozenset[str] = frozenset()
        self._title = ""
        app.set_interval(LOOKS_EVERY, self.look)

    def turn(self) -> str:
        """Ring from now on, or no more; returns what to say."""
        self.rings = not self.rings
        return "the bell rings, and the desktop is told, when a device needs you" if self.rings else "it rings no more"

    def look(self) -> None:
        """See who needs somebody now."""
        boards = self._boards()
        if not boards:
            return
        from zinger.run.board import Mark  # a job is open: it is loaded already

        waiting = frozenset(
            name for board in boards for name, line in board.lines.items() if line.mood is Mark.NEEDS_YOU
        )
        fresh, self._waiting = waiting - self._waiting, waiting
        title = f"Zinger: {counted(len(waiting), 'device')} need you" if len(waiting) > 1 else "Zinger"
        title = f"Zinger: {next(iter(waiting))} needs you" if len(waiting) == 1 else title
        if title != self._title:
            self._title = title
            self._write(2, title)
        if fresh and self.rings:
            self._app.bell()
            self._write(9, f"{', '.join(sorted(fresh)[:3])} needs you")

    def _write(self, number: int, text: str) -> None:
        driver = self._app._driver  # the toolkit has no call for these sequences
        if driver is not None:
            driver.write(f"\x1b]{number};{''.join(c for c in text if c.isprintable())}\x07")
