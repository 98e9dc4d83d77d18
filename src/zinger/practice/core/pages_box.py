"""What the families have in common that have pages and no console."""

from __future__ import annotations

import time
from html import escape
from ipaddress import IPv4Interface
from typing import Any

from zinger.practice.core.doors import DOORS
from zinger.practice.core.sheet_box import SheetBox
from zinger.practice.core.tty import LineLost, Tty
from zinger.practice.core.web import faulty


class PagesBox(SheetBox):
    """A device that is reached over the network only. Its address is kept under `address`."""

    OPEN = "yes"
    PRESSED_WITHIN = 0.0
    """Seconds after power-on in which it must be pressed, out of its carton, before it answers; 0 for never."""
    has_console = False

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.in_force: Any = self.running
        self._pressed, self._switched_on = False, 0.0
        """The state that the network sees: what is set counts there a moment later."""
        self._asked_now, self._answered = 0, 0.0
        self.asked = 0
        """Requests so far, since it came onto the bench."""
        self.page_faults: dict[int, str] = {}
        """What goes wrong at which request; see `web.faulty`."""

    async def on_console(self, tty: Tty) -> None:
        raise LineLost

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        raise LineLost

    def power(self, on: bool) -> None:
        if on and not self.powered:
            self._pressed, self._switched_on = False, self.clock.now()
        super().power(on)

    def press(self) -> None:
        self._pressed |= self.clock.now() - self._switched_on <= self.PRESSED_WITHIN

    @property
    def address(self) -> IPv4Interface | None:
        shut = self.PRESSED_WITHIN and self.startup is None and not self._pressed
        return None if shut else super().address

    @property
    def fixed_address(self) -> IPv4Interface | None:
        return IPv4Interface(self.in_force.values["address"])

    @property
    def open_doors(self) -> dict[str, bool]:
        return {door: self.in_force.values.get(door) == self.OPEN for door in DOORS}

    async def apply_network(self) -> None:
        self.in_force = self.running
        await super().apply_network()

    def pages(self, kind: str) -> Any:
        """Its application; the time in which it is up and nobody asks for anything is time that it waits."""
        application = self.application()

        async def counted(scope: Any, receive: Any, send: Any) -> None:
            if self._asked_now == 0 and self._answered and not self.works:
                self.uart.idle += time.monotonic() - self._answered
            self._asked_now += 1
            self.asked += 1
            try:
                await faulty(self, self.page_faults.pop(self.asked, ""), application)(scope, receive, send)
            finally:
                self._asked_now -= 1
                self._answered = time.monotonic()

        return counted

    @property
    def works(self) -> bool:
        """Whether it is at work by itself, and not waiting for anybody."""
        return False

    def hang_up(self) -> None:
        """Cut every connection."""
        for door in self.doors.values():
            door.hang_up()

    def renew_certificate(self) -> None:
        """It makes itself another certificate, for no reason."""
        self.certificate = None
        self.spawn(self._shows_it())

    async def _shows_it(self) -> None:
        for door in self.doors.values():
            door.cut()
        await self.apply_network()

    def sign_all_out(self) -> None:
        """Every session ends, as when a device is short of memory."""

    def _die(self) -> None:
        super()._die()
        self._asked_now, self._answered = 0, 0.0

    def application(self) -> Any:
        """Its pages (ASGI)."""
        raise NotImplementedError

    async def moves_after(self, seconds: float) -> None:
        """The running state takes effect on the network a moment after the answer went out: the old address is gone."""
        await self.clock.sleep(seconds)
        for door in self.doors.values():
            door.cut()
        await self.apply_network()


def text(value: object) -> str:
    """A value as a page shows it."""
    return escape(str(value), quote=True)
