"""A paste at the device's own pace: the next line goes when the last one was echoed and answered."""

from __future__ import annotations

import asyncio

from zinger.run.consolepump import ConsolePump

LOOKS = 0.02
ECHO, SILENCE, LONGEST = 1.0, 1.2, 30.0
"""Seconds: how long an echo may take, the silence that counts as an answer where no known place comes, and the end."""


class Paste:
    """Several lines that a person pasted while they have the wire."""

    def __init__(self, pump: ConsolePump, text: str) -> None:
        self.pump = pump
        self.lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        self.done = 0
        self.stopped = False

    @property
    def going(self) -> bool:
        """Whether there is more to type."""
        return not self.stopped and self.done < len(self.lines) and self.pump.person_has_it

    async def go(self) -> None:
        """Type line after line; a last line without its end is typed and left for the person."""
        while self.going:
            line = self.lines[self.done]
            last = self.done == len(self.lines) - 1
            self.pump.type(line.encode())
            if not last:
                await self._echoed(line)
                if not self.going:
                    return
                self.pump.type(self.pump.conversation.enter.encode())
                await self._answered()
            self.done += 1

    async def _echoed(self, line: str) -> None:
        for _ in range(round((ECHO + len(line) * 0.02) / LOOKS)):
            if self.stopped or self.pump.conversation.tail.endswith(line):
                return
            await asyncio.sleep(LOOKS)

    async def _answered(self) -> None:
        loop = asyncio.get_running_loop()
        conversation = self.pump.conversation
        began = loop.time()
        conversation.look_anew(began)
        while loop.time() < began + LONGEST and self.going:
            await asyncio.sleep(LOOKS)
            now = loop.time()
            if conversation.stands_at_a_place(now) or now > max(began, conversation.heard) + SILENCE:
                return
