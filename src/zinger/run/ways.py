"""The ways to a device over the network: where it may answer now, and with which credentials.

An address change moves the link, a restart can bring the old one back; so each dial tries the planned address first,
then the one that was planned before, and the one at which the device was first reached. The planned address is dialled
only once the host key of the device is known, and must show that very key: who else answers there gets no password. A
sign-in that is refused is not tried again in the same dial.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import replace
from typing import TypeVar

from zinger.link.base import AuthRefused, LinkError, OtherKey
from zinger.link.ssh import Endpoint, SshLink
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.values.addresses import Interface
from zinger.plan.values.console import Console
from zinger.run.world import World
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Stuck

BETWEEN_TRIES = 1.0
"""Seconds between a password that was refused and the next."""
DIAL_AGAIN = 1.0
"""Seconds between two dials of a device that is away."""
T = TypeVar("T")


async def until_it_answers(dial: Callable[[], Awaitable[T]], within: float, wait: float = DIAL_AGAIN) -> T:
    """Dial until somebody answers; raises the last LinkError after `within` seconds, OtherKey at once."""
    loop = asyncio.get_running_loop()
    end = loop.time() + within
    while True:
        try:
            return await dial()
        except OtherKey:
            raise
        except LinkError:
            if loop.time() >= end:
                raise
        await asyncio.sleep(wait)


def at_the_planned(device: Device, book: Phrasebook) -> Endpoint | None:
    """The planned fixed address, on the port and with the key exchange that the console or the family names."""
    if device.fixed is None:
        return None
    console = Console.read(device.console)
    over_ssh = console.kind == "ssh"
    port, old = console.port if over_ssh else book.ssh.port, book.ssh.old or (over_ssh and console.how == "old")
    bare = Endpoint(str(device.fixed.ip), port, old)
    return Endpoint(bare.address, port, old, (device.name, bare.spelled))


class Ways:
    """Dials one device over SSH."""

    def __init__(
        self, world: World, device: Device, book: Phrasebook, keys: Keyring, stands_at: Interface | None = None
    ) -> None:
        self.world, self.device, self.book, self.keys = world, device, book, keys
        self.stands_at = stands_at
        """The address at which it answered under an earlier plan."""

    def endpoints(self) -> list[Endpoint]:
        """Where to dial, best first; the factory address is many a device's, so no key is pinned under it."""
        console = Console.read(self.device.console)
        first = Endpoint(console.host, console.port, self.book.ssh.old or console.how == "old", (self.device.name,))
        planned = at_the_planned(self.device, self.book)
        if planned is None or self.world.dialer.host_keys.pinned(planned.known_as) is None:
            return [first]
        before = (
            replace(planned, address=str(self.stands_at.ip), known_as=(self.device.name,))
            if self.stands_at
            else planned
        )
        ways: dict[tuple[str, int], Endpoint] = {}
        for way in (planned, before, first):
            ways.setdefault((way.address, way.port), way)
        return list(ways.values())

    async def moved(self, signed_in: Callable[[str, str], None], within: float) -> SshLink:
        """The way at the planned address only, once it answers; raises LinkError when it never does within seconds."""
        return await until_it_answers(lambda: self.open(signed_in, self.endpoints()[:1]), within, 0.5)

    async def open(self, signed_in: Callable[[str, str], None], endpoints: Sequence[Endpoint] = ()) -> SshLink:
        """The first way that leads there; raises LinkError, or Stuck when somebody answers and nobody is let in."""
        failures: list[str] = []
        refused = ""
        for endpoint in endpoints or self.endpoints():
            for user, ref in list(self.keys.credentials):
                try:
                    link = await self.world.dialer.ssh(endpoint, user, self.world.secret(self.book, ref))
                except AuthRefused as error:
                    refused = str(error)
                    await asyncio.sleep(BETWEEN_TRIES)  # devices lock out who tries too fast
                    continue
                except OtherKey:
                    raise  # an address where another device answers is a person's to look at
                except LinkError as error:
                    failures.append(str(error))
                    break
                self.keys.accept(user, ref)
                link.address = endpoint.address
                signed_in(user, ref.name)
                return link
        if refused:
            raise Stuck(f"{refused}; none of the {len(self.keys.credentials)} credentials that Zinger knows was let in")
        raise LinkError("; ".join(failures) or "the plan has no address to dial")
