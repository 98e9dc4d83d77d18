"""The ways to a device over the network: where it may answer now, and with which credentials.

An address change moves the link, a restart can bring the old one back; so each dial tries the planned address first,
then the one at which the device was first reached. A sign-in that is refused is not tried again in the same dial.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from zinger.link.base import AuthRefused, LinkError
from zinger.link.ssh import SshLink
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.values.console import Console
from zinger.run.world import World
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Stuck

BETWEEN_TRIES = 1.0
"""Seconds between a password that was refused and the next."""


class Ways:
    """Dials one device over SSH."""

    def __init__(self, world: World, device: Device, book: Phrasebook, keys: Keyring) -> None:
        self.world, self.device, self.book, self.keys = world, device, book, keys

    def addresses(self) -> list[tuple[str, int]]:
        """Where to dial, best first: (address, port)."""
        console = Console.read(self.device.console)
        planned = [(str(self.device.fixed.ip), console.port)] if self.device.fixed else []
        return list(dict.fromkeys([*planned, (console.host, console.port)]))

    async def at_the_planned(self, signed_in: Callable[[str, str], None], within: float) -> SshLink:
        """The way at the planned address only, once it answers; raises LinkError when it never does within seconds."""
        loop = asyncio.get_running_loop()
        end = loop.time() + within
        while True:
            try:
                return await self.open(signed_in, self.addresses()[:1])
            except LinkError:
                if loop.time() >= end:
                    raise
                await asyncio.sleep(0.5)

    async def open(self, signed_in: Callable[[str, str], None], addresses: Sequence[tuple[str, int]] = ()) -> SshLink:
        """The first way that leads there; raises LinkError, or Stuck when somebody answers and nobody is let in."""
        old = Console.read(self.device.console).how == "old"
        failures: list[str] = []
        refused = ""
        for address, port in addresses or self.addresses():
            for user, ref in list(self.keys.credentials):
                try:
                    link = await self.world.dialer.ssh(address, user, self.world.secret(self.book, ref), port, old)
                except AuthRefused as error:
                    refused = str(error)
                    await asyncio.sleep(BETWEEN_TRIES)  # devices lock out who tries too fast
                    continue
                except LinkError as error:
                    failures.append(str(error))
                    break
                self.keys.accept(user, ref)
                signed_in(user, ref.name)
                return link
        if refused:
            raise Stuck(f"{refused}; none of the {len(self.keys.credentials)} credentials that Zinger knows was let in")
        raise LinkError("; ".join(failures) or "the plan has no address to dial")
