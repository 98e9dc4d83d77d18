"""The yard's time: real durations of hardware, sped up by the pace."""

from __future__ import annotations

import asyncio


class Clock:
    """Simulated seconds; at pace 20 a boot of 90 s takes 4.5 s of ours."""

    def __init__(self, pace: float) -> None:
        if not 0.1 <= pace <= 1000:
            raise ValueError(f"a pace of {pace} is out of range; give 0.1 to 1000")
        self.pace = pace

    def now(self) -> float:
        """Simulated seconds since the yard's process began counting."""
        return asyncio.get_running_loop().time() * self.pace

    async def sleep(self, seconds: float) -> None:
        """Sleep for simulated seconds."""
        await asyncio.sleep(seconds / self.pace)

    def real(self, seconds: float) -> float:
        """How long simulated seconds take on our clock."""
        return seconds / self.pace
