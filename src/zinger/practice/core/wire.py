"""A serial wire in front of a console: its speed in both directions, and a UART that overruns.

The host's characters arrive at the line's speed and wait in the UART's FIFO until the device's processor takes them;
what comes while the FIFO is full is lost, as in hardware without flow control.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from zinger.practice.core.clock import Clock

BITS = 10
"""Bits a character takes on the wire: start, eight of data, stop (8N1)."""


class Uart:
    """The line's speed and the faults of its hardware; everything off until it is set."""

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self.baud = 0
        """Bits a second in both directions; 0 is an instant line."""
        self.fifo = 0
        """Characters that the UART holds; 0: without end."""
        self.eats = 0
        """Characters a second that the processor takes out of it."""
        self.drop_every = 0
        """Every n-th printable character is lost."""
        self.wraps = 0
        """Columns after which the device breaks its output."""
        self.trickle = 0
        """The device's output comes in pieces of so many characters with pauses between."""
        self.idle = 0.0
        """Seconds of our clock in which the device waited for a key: it needed no time then, whoever used it did."""
        self._level = self._at = 0.0
        self._count = 0

    def takes(self, size: int) -> list[bool]:
        """Of so many characters that the host sends at once, which reach the processor."""
        if not self.fifo:
            return [True] * size
        spacing = BITS / self.baud if self.baud else 0.0
        kept = []
        for _ in range(size):
            arrives = max(self.clock.now(), self._at + spacing)
            self._level = max(0.0, self._level - (arrives - self._at) * self.eats)
            self._at = arrives
            kept.append(self._level < self.fifo)
            self._level += kept[-1]
        return kept

    def drops(self, char: str) -> bool:
        """Whether the drop fault takes this character."""
        self._count += 1
        return bool(self.drop_every) and char.isprintable() and self._count % self.drop_every == 0

    async def carry(self, queue: asyncio.Queue[bytes], write: Callable[[bytes], None]) -> None:
        """Bring the device's output to the host at the line's speed, for ever."""
        while True:
            data = await queue.get()
            while not queue.empty():
                data += queue.get_nowait()
            step = self.trickle or max(1, self.baud // BITS // 50) if self.baud or self.trickle else len(data)
            for at in range(0, len(data), step):
                piece = data[at : at + step]
                write(piece)
                if self.baud:
                    await self.clock.sleep(len(piece) * BITS / self.baud)
                elif self.trickle:
                    await asyncio.sleep(0.02)
