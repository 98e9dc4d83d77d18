"""What one device has at a time: a console cable, a factory address on the segment. The most important one is next.

Of those that wait, the one whose device the forecast begins first gets it. First come, first served was rejected: with
one console cable and nine boxes, the box that boots longest should not be last.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from zinger.run.stopwatch import blocked

Say = Callable[[str], None]
"""Tells what is waited for."""
Importance = Callable[[str], float]
"""How early a device should come; less is earlier."""


@dataclass
class Spot:
    """One such thing: who has it, who was left there without a need for it, and who waits."""

    title: str
    held_by: str = ""
    left_there: str = ""
    let_go: Callable[[], None] | None = None
    """Ends what the one that was left there still has open."""
    waiting: dict[str, asyncio.Future[None]] = field(default_factory=dict)


class Spots:
    """All of a run's, by a key of the caller's."""

    def __init__(self) -> None:
        self.importance: Importance = lambda device: 0
        self._spots: dict[str, Spot] = {}

    async def take(
        self, key: str, title: str, device: str, waits: Say, let_go: Callable[[], None] | None = None
    ) -> None:
        """Return once it is this device's alone; `let_go` is called when another device gets it afterwards."""
        spot = self._spots.setdefault(key, Spot(title))
        if spot.held_by and spot.held_by != device:
            waits(f"{spot.title}, where {spot.held_by} answers now")
            turn = spot.waiting[device] = asyncio.get_running_loop().create_future()
            try:
                with blocked():
                    await turn
            except asyncio.CancelledError:
                if spot.held_by == device:
                    self._free(spot)
                raise
            finally:
                spot.waiting.pop(device, None)
        spot.held_by = device
        if spot.left_there != device and spot.let_go is not None:
            spot.let_go()
        spot.let_go = let_go

    def leave(self, key: str, device: str, gone: bool) -> None:
        """The device needs it no more; unless it is `gone`, it is still there until somebody takes it away."""
        spot = self._spots.get(key)
        if spot is not None and spot.held_by == device:
            spot.left_there = "" if gone else device
            self._free(spot)

    def _free(self, spot: Spot) -> None:
        """Hand it to the most important of those that wait; it is theirs at once, before they run again."""
        waiting = [name for name, turn in spot.waiting.items() if not turn.done()]
        spot.held_by = min(waiting, key=self.importance, default="")
        if spot.held_by:
            spot.waiting[spot.held_by].set_result(None)

    def left_at(self, key: str) -> str:
        """Who was left there without a need for it; empty for nobody."""
        return self._spots[key].left_there if key in self._spots else ""

    def is_clear(self, key: str) -> None:
        """Nobody is there but the one that has it."""
        self._spots[key].left_there = ""

    def has(self, key: str, device: str) -> bool:
        """Whether it is this device's now."""
        return key in self._spots and self._spots[key].held_by == device

    def held(self) -> Iterable[tuple[str, str]]:
        """(key, device) of what is held now."""
        return [(key, spot.held_by) for key, spot in self._spots.items() if spot.held_by]

    def waits(self, device: str) -> bool:
        """Whether a device waits for one now."""
        return any(device in spot.waiting for spot in self._spots.values())
