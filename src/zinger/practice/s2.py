"""The Quern S2 as a box: power, boot, console line, network doors, flash."""

from __future__ import annotations

import asyncio
import json
import random
from collections.abc import Callable
from contextlib import suppress
from ipaddress import IPv4Interface
from typing import Any

from zinger.practice.clock import Clock
from zinger.practice.doors import Door
from zinger.practice.s2_shell import Shell
from zinger.practice.s2_state import FALLBACK, Body, State
from zinger.practice.tty import LineLost, Tty

BOOT: tuple[tuple[float, str], ...] = (
    (2, "quern loader 1.4"), (6, "memory 256 MiB sound"), (10, "  image bank A 3.2.1 sound"),
    (4, "  image bank B empty"), (22, "unpacking 3.2.1"), (16, "ports 1-24 counted"), (12, "fans turn, 31 C"),
    (8, "startup state read"), (8, "ports forward"), (2, "ready; Return wakes this console"),
)
CHATTER = ("port {n}: carrier up, 1000 full", "port {n}: carrier lost", "fan turns at {r} rpm",
           "clock: no source answers yet", "lease: asking on port {n}")


class Switch:
    """One simulated switch. `flash` is what outlives the yard's process: startup state and host key."""

    def __init__(self, body: Body, clock: Clock, flash: dict[str, Any] | None = None, chance: int = 0) -> None:
        self.body, self.clock = body, clock
        self.random = random.Random(f"{body.key}:{chance}")
        self.startup: State | None = State.load(flash["startup"]) if flash and flash.get("startup") else None
        self.host_key: str | None = flash.get("host_key") if flash else None
        self.running = State()
        self.powered = self.up = False
        self.cabled = False
        self.lease: str | None = None
        self.offered_lease: str | None = None
        self.heard: list[str] = []
        self.slow = 1.0
        self.drop_every = 0
        self.chatty = True
        self.console: Tty | None = None
        self.cut_console: Callable[[], None] = lambda: None
        self._tasks: set[asyncio.Task[None]] = set()
        self.doors = {name: Door(self, name) for name in ("ssh", "telnet", "http")}

    def flash(self) -> dict[str, Any]:
        """What survives everything, as JSON-able data."""
        return {"startup": self.startup.dump() if self.startup else None, "host_key": self.host_key}

    # -- power -------------------------------------------------------------------------------------
    def power(self, on: bool) -> None:
        """Switch the power; running state is lost, startup state stays."""
        if on and not self.powered:
            self.powered = True
            self._spawn(self._live())
        elif not on and self.powered:
            self._die()

    def restart(self) -> None:
        """Restart by command."""
        loop = asyncio.get_running_loop()
        loop.call_soon(self._die)
        loop.call_soon(self.power, True)

    def _die(self) -> None:
        self.powered = self.up = False
        self.lease = None
        for task in self._tasks:
            task.cancel()
        self._tasks.clear()
        for door in self.doors.values():
            door.cut()

    async def _live(self) -> None:
        self.running = self.startup.copy() if self.startup else State()
        self._on_console("\n")
        for seconds, line in BOOT:
            await self.clock.sleep(seconds * self.slow)
            self._on_console(f"{line}\n")
        self.up = True
        await self.apply_network()
        self._spawn(self._chatter())
        if self.console:
            self._serve_console(self.console)

    def _spawn(self, work: Any) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    # -- console -----------------------------------------------------------------------------------
    def attach(self, tty: Tty, cut: Callable[[], None] = lambda: None) -> None:
        """A terminal is joined to the console port; `cut` is how a fault takes it away."""
        self.console, self.cut_console = tty, cut
        if self.up:
            self._serve_console(tty)

    def detach(self) -> None:
        """The terminal is gone; the session on the console stays as it is, as on a real serial line."""
        self.console, self.cut_console = None, lambda: None

    def _serve_console(self, tty: Tty) -> None:
        async def serve() -> None:
            with suppress(LineLost):
                await Shell(self, tty, "console").console()

        self._spawn(serve())

    def _on_console(self, text: str) -> None:
        if self.console and self.cabled:
            self.console.show(text)

    async def _chatter(self) -> None:
        """Log lines now and then; however fast the yard goes, people and programs read at their own pace."""
        while True:
            seconds = self.random.uniform(15, 70)
            await self.clock.sleep(max(seconds, seconds / 30 * self.clock.pace))
            if self.chatty:
                self.burst()

    def burst(self) -> None:
        """Print one log line on the console, wherever the cursor stands."""
        now = int(self.clock.now())
        text = self.random.choice(CHATTER).format(n=self.random.randint(1, 24), r=self.random.randint(2100, 2900))
        if self.console and self.cabled and self.up:
            self.console.burst(f"@{now // 3600 % 24:02}:{now // 60 % 60:02}:{now % 60:02} {text}")

    # -- flash -------------------------------------------------------------------------------------
    def keep(self) -> int:
        """Running becomes startup; returns its size in bytes."""
        self.startup = self.running.copy()
        return len(json.dumps(self.startup.dump()))

    def unsaved(self) -> bool:
        """Whether a power cut would lose something."""
        return self.startup is None or self.startup != self.running

    # -- network -----------------------------------------------------------------------------------
    @property
    def address(self) -> IPv4Interface | None:
        """The address that it answers on now."""
        if not self.up:
            return None
        if self.running.address != "lease":
            return IPv4Interface(self.running.address)
        return IPv4Interface(self.lease or FALLBACK)

    def address_note(self) -> str:
        """How an address by lease came about."""
        if self.running.address != "lease":
            return ""
        return f"now {self.lease}" if self.lease else f"no lease, answering on {FALLBACK}"

    async def apply_network(self) -> None:
        """Let the doors follow the running state."""
        self.lease = self.offered_lease if self.running.address == "lease" else None
        for name, door in self.doors.items():
            await door.set_open(self.up and self.running.doors[name])
