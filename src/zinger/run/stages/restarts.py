"""A restart or power cut that must be seen: without that, one that never came would prove what was saved."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable
from contextlib import suppress

from zinger.run.onwire import OnWire
from zinger.run.stages.stage import Done
from zinger.talk.errors import Interrupted, Stuck

BOOT_SIGN = 60.0
"""Seconds to wait for a first sign of life after a power cut."""
GOES_DOWN = 60.0
"""Seconds within which a device that was told to restart must be seen to go down."""
MOMENT = 3.0
"""Seconds after which a device that does not answer from the network is tried once more."""
LOOKS_EVERY, SHORTEST = 0.2, 0.02
"""Seconds between two looks whether it went down; in practice it is down for a shorter time."""


class Restarts:
    """Sees one device go down, and come up again, from when this is made."""

    def __init__(self, wire: OnWire, done: Done) -> None:
        self.wire, self.done = wire, done
        self._since = asyncio.get_running_loop().time()

    async def is_seen(self, act: Awaitable[bool]) -> None:
        """Do what takes the device down, and see that it goes down; raises Stuck where that is not seen.

        `act` returns whether it was seen already.
        """
        links = self.wire.links
        watch = asyncio.create_task(self._watch())
        try:
            if not await act:
                async with asyncio.timeout(GOES_DOWN):
                    await watch
        except TimeoutError:
            if self.wire.links > links and not self.done.missed_a_restart:
                self.done.missed_a_restart = True
                raise Interrupted("the link was lost while it was to restart") from None
            raise Stuck(
                f"No restart was seen within {GOES_DOWN:.0f} s, so nothing is known of what survives one."
            ) from None
        finally:
            watch.cancel()

    async def _watch(self) -> None:
        while True:
            if await self.wire.is_down(self._since):
                return
            await asyncio.sleep(max(SHORTEST, LOOKS_EVERY / self.wire.world.pace))

    async def goes_down(self, within: float) -> None:
        """Wait until it is seen to be down, at most so many seconds: it can have been too quick."""
        with suppress(TimeoutError):
            async with asyncio.timeout(within):
                await self._watch()

    async def is_up(self) -> None:
        """Wait until a device that boots now shows a sign of life."""
        await self.wire.comes_up(self._since, BOOT_SIGN)

    async def may_be_on(self) -> None:
        """Give a device that does not answer from the network time to show why; raises Interrupted where it boots."""
        await asyncio.sleep(MOMENT)
        if self.wire.restarts or self.wire.pump.conversation.boot_shown > self._since:
            raise Interrupted("it restarted while it was signed in to from the network")
