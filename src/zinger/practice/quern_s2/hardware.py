"""The Quern S2's hardware: what it shows while it boots, its ports, and where it answers."""

from __future__ import annotations

import time
from datetime import datetime, timedelta
from ipaddress import IPv4Interface
from typing import Any, ClassVar

from zinger.practice.core.box import Box
from zinger.practice.quern_s2.state import FALLBACK, State


class Hardware(Box):
    """A switch without its dialogue, which `box.Switch` adds."""

    BOOT: ClassVar[tuple[tuple[float, str], ...]] = (
        (2, "quern loader 1.4"),
        (6, "memory 256 MiB sound"),
        (10, "  image bank A {body.image} sound"),
        (4, "  image bank B empty"),
        (22, "unpacking {body.image}"),
        (16, "ports 1-24 counted"),
        (12, "fans turn, 31 C"),
        (8, "startup state read"),
        (8, "ports forward"),
        (2, "loaded; this console is at rest"),
    )
    CHATTER: ClassVar[tuple[str, ...]] = (
        "port {n}: carrier up, 1000 full",
        "port {n}: carrier lost",
        "fan turns at {r} rpm",
        "clock: no source answers yet",
        "lease: asking on port {n}",
    )
    PORTS: ClassVar[tuple[str, ...]] = tuple(str(n) for n in range(1, 25))
    FALLBACK: ClassVar[str] = FALLBACK

    set_at: tuple[datetime, float] | None = None
    """The time to which somebody set its clock, and when that was; a battery keeps it going."""

    def today(self) -> str:
        """What its clock shows; it goes as fast as any, however sped-up the rest is."""
        to, when = self.set_at or (datetime(2019, 1, 1), time.monotonic())
        return f"{to + timedelta(seconds=int(time.monotonic() - when)):%Y-%m-%d %H:%M:%S}"

    def factory_state(self) -> State:
        return State()

    def state_from(self, data: dict[str, Any]) -> State:
        return State.load(data)

    @property
    def fixed_address(self) -> IPv4Interface | None:
        fixed: str = self.running.address
        return IPv4Interface(fixed if fixed != "lease" else self.lease or self.FALLBACK)

    @property
    def open_doors(self) -> dict[str, bool]:
        return dict(self.running.doors)

    def address_note(self) -> str:
        """How an address by lease came about."""
        if self.running.address != "lease":
            return ""
        return f"now {self.lease}" if self.lease else f"no lease, answering on {self.FALLBACK}"

    async def apply_network(self) -> None:
        self.lease = self.offered_lease if self.running.address == "lease" else None
        await super().apply_network()
