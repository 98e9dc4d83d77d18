"""A device's terminal line: echo, line editing, blind entry, paging, and log lines that burst in."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import Callable

from zinger.practice.core.wire import Uart

DISCARD = "\x18"
REDRAW = "\x12"
ROWS = 22
_MOVES_OR_ONE = re.compile(r"\x1b\[[0-?]*[ -/]*[@-~]|.", re.DOTALL)
_PLACED = re.compile(r"\x1b\[\d*(?:;(\d*))?H")


class Discarded(Exception):
    """The person pressed the discard key at a question."""


class LineLost(Exception):
    """The line went dead: power, cable or the far end closed it."""


class Tty:
    """One terminal line of a device. Bytes go in by `feed`; what the device shows goes out by `write`."""

    def __init__(self, write: Callable[[bytes], None], uart: Uart | None = None) -> None:
        self._write = write
        self._uart = uart
        self._keys: asyncio.Queue[str | None] = asyncio.Queue()
        self._after_return = False
        self._column = 0

    def feed(self, data: bytes) -> None:
        """Characters arrive; what a UART in front of the line loses never comes here."""
        kept = self._uart.takes(len(data)) if self._uart else [True] * len(data)
        for byte, arrives in zip(data, kept, strict=True):
            char = chr(byte)
            if char in "\n\0" and self._after_return:
                continue
            self._after_return = char == "\r"
            if arrives and not (self._uart and self._uart.drops(char)):
                self._keys.put_nowait("\r" if char == "\n" else char)

    def hang_up(self) -> None:
        """Wake whoever reads with LineLost."""
        self._keys.put_nowait(None)

    def show(self, text: str) -> None:
        """Print text; line ends become CR LF. With a width set, full rows are broken."""
        text = self._wrapped(text, self._uart.wraps if self._uart else 0)
        self._write(text.replace("\n", "\r\n").encode())

    def _wrapped(self, text: str, columns: int) -> str:
        """The text with its full rows broken; what moves or colours the cursor (ECMA-48 5.4) takes no column."""
        out = []
        for char in _MOVES_OR_ONE.findall(text):
            if len(char) > 1:
                place = _PLACED.fullmatch(char)
                self._column = int(place[1] or 1) - 1 if place else self._column
                out.append(char)
                continue
            self._column = 0 if char in "\r\n" else self._column - 1 if char == "\b" else self._column + 1
            if columns and self._column > columns:
                out.append("\n")
                self._column = 1
            out.append(char)
        return "".join(out)

    def burst(self, text: str) -> None:
        """A log line barges in, wherever the cursor stands; what it pushed away is not redrawn."""
        self.show(f"\n{text}\n")

    async def key(self, idle: float | None = None) -> str:
        """The next key, without echo; raises LineLost, and TimeoutError where nothing is pressed for `idle` seconds."""
        began = time.monotonic()
        async with asyncio.timeout(idle):
            char = await self._keys.get()
        if self._uart:
            self._uart.idle += time.monotonic() - began
        if char is None:
            raise LineLost
        return char

    async def line(
        self, prompt: str, *, blind: bool = False, at_question: bool = False, idle: float | None = None
    ) -> str:
        """Ask for one line. The discard key redraws a prompt, and gives up at a question; `idle` as for a key."""
        self.show(prompt)
        typed = ""
        while True:
            char = await self.key(idle)
            if char == "\r":
                self.show("\n")
                return typed
            if char == DISCARD:
                self.show("\n")
                if at_question:
                    raise Discarded
                typed = ""
                self.show(prompt)
            elif char == REDRAW:
                self.show(f"\n{prompt}{'' if blind else typed}")
            elif char in "\b\x7f":
                if typed:
                    typed = typed[:-1]
                    if not blind:
                        self.show("\b \b")
            elif char.isprintable():
                typed += char
                if not blind:
                    self.show(char)

    async def page(self, lines: list[str]) -> None:
        """Show lines a screenful at a time; space goes on, Return shows one more, q leaves."""
        shown = 0
        room = ROWS
        while shown < len(lines):
            part = lines[shown : shown + room]
            self.show("".join(f"{line}\n" for line in part))
            shown += len(part)
            left = len(lines) - shown
            if left == 0:
                return
            note = f".. {left} lines below .."
            self.show(note)
            room = 0
            while not room:
                char = await self.key()
                room = {" ": ROWS, "\r": 1}.get(char, 0)
                if char in ("q", DISCARD):
                    self.show("\r" + " " * len(note) + "\r")
                    return
            self.show("\r" + " " * len(note) + "\r")
