"""The buffer of families that draw with the cursor: an emulated screen (ECMA-48) instead of lines.

The tail is the cursor's row up to the cursor, so that a question in a drawn form is a question like any other.
"""

from __future__ import annotations

import codecs

import pyte

from zinger.talk.terminal.buffer import LineBuffer
from zinger.talk.terminal.emulation import Emulation


class Screen(LineBuffer):
    """What a terminal of this size would show."""

    def __init__(self, columns: int, rows: int) -> None:
        super().__init__()
        self._emulated = pyte.Screen(columns, rows)
        self._stream = Emulation(self._emulated)
        self._letters = codecs.getincrementaldecoder("utf-8")("replace").decode
        self._fresh = False

    def feed(self, data: bytes) -> str:
        """Draw the bytes; returns the raw text of lines completed by them, for a glance at boot lines."""
        self._stream.feed(self._letters(data))
        self._fresh = True
        return super().feed(data)

    @property
    def text(self) -> str:  # type: ignore[override]
        """The whole screen."""
        return "\n".join(row.rstrip() for row in self._emulated.display)

    @property
    def tail(self) -> str:
        """The cursor's row up to the cursor; nothing, while nothing was drawn since the last `cut`."""
        if not self._fresh:
            return ""
        cursor = self._emulated.cursor
        return str(self._emulated.display[cursor.y][: cursor.x])

    def cut(self) -> str:
        """What is drawn from now on is new, even if it is the same as before."""
        tail, self._fresh = self.tail, False
        super().cut()
        return tail

    def take(self) -> list[str]:
        """The rows of the screen as they stand."""
        super().take()
        return self.text.split("\n")

    def _last(self, most: int, exact: bool) -> list[str]:
        """Nothing: what scrolled away is no part of a drawn screen."""
        return []
