"""What every simulated device is as a box: power, boot, console port, network doors, flash, and faults.

A family's box says what it shows while it boots, how it talks on a terminal line, and where it answers.
"""

from __future__ import annotations

import asyncio
import json
import random
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface
from typing import Any, ClassVar, Protocol

from zinger.practice.core.air import AirNetwork
from zinger.practice.core.clock import Clock
from zinger.practice.core.doors import DOORS, Door
from zinger.practice.core.people import Person, label_secret
from zinger.practice.core.tty import LineLost, Tty
from zinger.practice.core.wire import Uart


@dataclass(frozen=True)
class Body:
    """What the hardware is and no state can change."""

    key: str
    serial: str
    mac: str
    image: str = "3.2.1"
    model: str = "Quern S2-24"
    family: str = "quern-s2"


class Kept(Protocol):
    """What a family keeps in flash: something that can be written down and copied."""

    people: dict[str, Person]

    def dump(self) -> dict[str, Any]: ...

    def copy(self) -> Any: ...


class Box:
    """One simulated device. `flash` is what outlives the yard's process: startup state and host key."""

    BOOT: ClassVar[tuple[tuple[float, str], ...]] = ()
    CHATTER: ClassVar[tuple[str, ...]] = ()
    STAMP: ClassVar[str] = "@{h:02}:{m:02}:{s:02} {text}"
    behind_menu: ClassVar[bool] = False
    """Whether its console hangs on a console server, which asks for the line first."""
    factory_address: ClassVar[IPv4Interface | None] = None
    """The address at which a wireless network of its own leads to it, if it has one."""
    has_console: ClassVar[bool] = True
    """Whether it has a console port; one without is reached over the segment only, once it is cabled there."""
    labelled: ClassVar[bool] = False
    """Whether the factory prints a secret of its own on each box."""

    def __init__(self, body: Body, clock: Clock, flash: dict[str, Any] | None = None, chance: int = 0) -> None:
        self.body, self.clock, self._chance = body, clock, chance
        self.powered = self.up = False
        self.console: Tty | None = None
        self._served: Tty | None = None
        """The terminal whose session has begun since it came up."""
        self.cut_console: Callable[[], None] = lambda: None
        self._tasks: set[asyncio.Task[None]] = set()
        self.doors = {name: Door(self, name) for name in DOORS}
        self.stands(flash or {})

    def stands(self, flash: dict[str, Any]) -> None:
        """It comes onto the bench, without power or cable: what is in its flash counts, and nothing else."""
        self.random = random.Random(f"{self.body.key}:{self._chance}")
        kept = flash.get("startup")
        self.startup: Any = self.state_from(kept) if kept else None
        self.host_key: str | None = flash.get("host_key")
        self.certificate: str | None = flash.get("certificate")
        self.running: Any = self.factory_state()
        self.cabled = False
        self.lease: str | None = None
        self.offered_lease: str | None = None
        self.heard: list[str] = []
        self.slow = 1.0
        self.chatty = True
        self.uart = Uart(self.clock)

    def deliver_anew(self) -> None:
        """Another box of the same make, out of its carton, in the place of this one."""
        self.power(False)
        self.cut_console()
        self.stands({})

    others: Callable[[], Iterable[Box]] = staticmethod(lambda: ())
    """Every device of the yard: what one sends through the air, others hear."""

    def on_air(self) -> Iterable[AirNetwork]:
        """The wireless networks that it sends now."""
        return ()

    laptop: Callable[[], list[IPv4Interface]] = staticmethod(lambda: [])
    """The addresses that the laptop has now."""
    plays: Callable[[tuple[str, int, str]], int | None] = staticmethod(lambda where: None)
    """Behind which loopback port the laptop plays who stands at an address, port and transport."""

    def voice_port(self, address: IPv4Address, transport: str) -> int | None:
        """The loopback port behind an address at which it takes calls; None where it takes none."""
        return None

    # -- what a family says ------------------------------------------------------------------------
    def factory_state(self) -> Any:
        """The state that it has out of the box."""
        raise NotImplementedError

    def state_at_start(self) -> Any:
        """The state with which it starts: what was saved."""
        return self.startup.copy() if self.startup else self.factory_state()

    def state_from(self, data: dict[str, Any]) -> Any:
        """A state that was kept in flash."""
        raise NotImplementedError

    async def on_console(self, tty: Tty) -> None:
        """Talk on the console for ever; raises LineLost when the line is gone."""
        raise NotImplementedError

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        """Talk in a session over the network, to a user who signed in already (SSH) or must (None)."""
        raise NotImplementedError

    def pages(self, kind: str) -> Any:
        """Its application (ASGI) behind `http` or `https`; None for a box that has no pages."""
        return None

    @property
    def fixed_address(self) -> IPv4Interface | None:
        """The address that its running state gives it; None without one."""
        raise NotImplementedError

    @property
    def open_doors(self) -> Mapping[str, bool]:
        """Which services its running state opens."""
        raise NotImplementedError

    def knows(self, user: str, secret: str) -> bool:
        """Whether somebody may sign in over the network."""
        person = self.running.people.get(user)
        return person is not None and person.knows(secret)

    @property
    def label(self) -> str:
        """The secret that is printed on this box; empty for a family that prints none."""
        return label_secret(self.body.serial) if self.labelled else ""

    # -- flash -------------------------------------------------------------------------------------
    def flash(self) -> dict[str, Any]:
        """What survives everything, as JSON-able data."""
        return {
            "startup": self.startup.dump() if self.startup else None,
            "host_key": self.host_key,
            "certificate": self.certificate,
        }

    def keep(self) -> int:
        """Running becomes startup; returns its size in bytes."""
        self.startup = self.running.copy()
        return len(json.dumps(self.startup.dump()))

    def unsaved(self) -> bool:
        """Whether a power cut would lose something."""
        return self.startup is None or bool(self.startup != self.running)

    # -- power -------------------------------------------------------------------------------------
    def power(self, on: bool) -> None:
        """Switch the power; running state is lost, startup state stays."""
        if on and not self.powered:
            self.powered = True
            self.spawn(self._live())
        elif not on and self.powered:
            self._die()

    def by_hand(self, what: str) -> None:
        """Something is turned at it; most families have nothing to turn."""

    def clean(self) -> None:
        """What was saved is gone; it starts as out of its carton, where it stands."""
        cabled = self.cabled
        self.power(False)
        self.stands({"host_key": self.host_key, "certificate": self.certificate})
        self.cabled = cabled
        self.power(True)

    def press(self) -> None:
        """What opens the way to it is pressed; most families have no such thing."""

    def restart(self) -> None:
        """Restart by command."""
        loop = asyncio.get_running_loop()
        loop.call_soon(self._die)
        loop.call_soon(self.power, True)

    def _die(self) -> None:
        self.powered = self.up = False
        self.lease, self._served = None, None
        for task in self._tasks:
            task.cancel()
        self._tasks.clear()
        for door in self.doors.values():
            door.cut()

    async def _live(self) -> None:
        self.running = self.state_at_start()
        self.show_on_console("\n")
        for seconds, line in self.BOOT:
            await self.clock.sleep(seconds * self.slow)
            self.show_on_console(f"{line.format(body=self.body)}\n")
        self.up = True
        await self.apply_network()
        self.spawn(self._chatter())
        if self.console and self._served is not self.console:  # one can come while the doors open
            self._serve_console(self.console)

    def spawn(self, work: Any) -> None:
        """Let something go on beside, until the power is cut."""
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
        self._served = tty

        async def serve() -> None:
            with suppress(LineLost):
                await self.on_console(tty)

        self.spawn(serve())

    def show_on_console(self, text: str, times: int = 1) -> None:
        """Print on the console, if a terminal is there."""
        if self.console and self.cabled:
            for _ in range(times):
                self.console.show(text)

    async def _chatter(self) -> None:
        """Log lines now and then; however fast the yard goes, people and programs read at their own pace."""
        while self.CHATTER:
            seconds = self.random.uniform(15, 70)
            await self.clock.sleep(max(seconds, seconds / 30 * self.clock.pace))
            if self.chatty:
                self.burst()

    def burst(self) -> None:
        """Print one log line on the console, wherever the cursor stands."""
        now = int(self.clock.now())
        text = self.random.choice(self.CHATTER).format(n=self.random.randint(1, 8), r=self.random.randint(2100, 2900))
        if self.console and self.cabled and self.up:
            self.console.burst(self.STAMP.format(h=now // 3600 % 24, m=now // 60 % 60, s=now % 60, text=text))

    # -- network -----------------------------------------------------------------------------------
    @property
    def address(self) -> IPv4Interface | None:
        """The address that it answers on now."""
        return self.fixed_address if self.up and (self.cabled or self.has_console) else None

    async def apply_network(self) -> None:
        """Let the doors follow the running state."""
        for name, door in self.doors.items():
            await door.set_open(self.up and bool(self.open_doors.get(name)))
