"""The Tallow line keeper, a console server: it asks which line, then joins the terminal with that console."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from zinger.practice.core.tty import LineLost, Tty

if TYPE_CHECKING:
    from zinger.practice.core.box import Box

LEAVE = b"\x1d"
"""Ctrl-] brings back the menu."""


class LineKeeper:
    """One terminal at the keeper. Bytes come in by `feed`; `join` brings a console, `part` takes it away."""

    def __init__(
        self,
        lines: list[Box],
        show: Callable[[bytes], None],
        join: Callable[[Box], Tty | None],
        part: Callable[[], None],
    ) -> None:
        self.lines, self._show = lines, show
        self._join, self._part = join, part
        self._menu = Tty(show)
        self._joined: Tty | None = None

    def feed(self, data: bytes) -> None:
        """What the terminal sends: to the menu, or to the console that it is joined with."""
        if self._joined is None:
            self._menu.feed(data)
        elif LEAVE in data:
            self._joined = None
            self._part()
            self._menu.feed(b"\r")
        else:
            self._joined.feed(data)

    def hang_up(self) -> None:
        """The terminal is gone."""
        self._menu.hang_up()

    async def serve(self) -> None:
        """Offer the lines again and again."""
        try:
            while True:
                self._menu.show("\nTALLOW LINE KEEPER\n")
                for index, box in enumerate(self.lines, 1):
                    self._menu.show(f"   {index:>2}  {box.body.key:<24} {'idle' if box.console is None else 'taken'}\n")
                picked = await self._menu.line("join which line: ")
                if not picked.isdigit() or not 1 <= int(picked) <= len(self.lines):
                    self._menu.show("there is no such line\n" if picked else "")
                    continue
                tty = self._join(self.lines[int(picked) - 1])
                if tty is None:
                    self._menu.show("that line is taken\n")
                    continue
                self._menu.show(f"line {picked} is yours; ctrl-] gives it back\n")
                self._joined = tty
                await self._menu.key()
        except LineLost:
            return
