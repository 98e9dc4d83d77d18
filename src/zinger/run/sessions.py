"""Fresh sessions from the network, in which a sign-in is tried: over SSH, or on a device's pages."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zinger.link.base import AuthRefused
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.values.account import Account
from zinger.run.consolepump import ConsolePump
from zinger.run.memory import passwords_of
from zinger.run.pageswire import endpoint_at, pump_for
from zinger.run.pump import Pump
from zinger.run.ways import at_the_planned
from zinger.run.world import World
from zinger.talk.conversation import Conversation
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Stuck
from zinger.talk.requests import At


@dataclass
class Session:
    """A fresh session as one account; `vouched` is the host key or certificate that the far end showed."""

    pump: Pump[Any]
    keys: Keyring
    vouched: str

    async def signs_in(self, book: Phrasebook, goal: str) -> At:
        """Come to a place as this account; raises AuthRefused when it is not let in, TalkError otherwise."""
        try:
            return await self.pump.do(arrive(book.map, goal, self.keys))
        except Stuck as error:
            if self.keys.credentials and self.keys.user is None:
                raise AuthRefused(str(error)) from None
            raise


async def over_ssh(world: World, device: Device, book: Phrasebook, account: Account) -> Session:
    """Raises AuthRefused, LinkError."""
    endpoint = at_the_planned(device, book)
    assert endpoint is not None, "only a fixed address is looked at from outside"
    link = await world.dialer.ssh(endpoint, account.name, world.secret(book, account.secret))
    pump = ConsolePump(
        Conversation(book.terminal),
        lambda ref: world.secret(book, ref),
        world.masker_for(device, book),
        turns=world.turns,
    )
    pump.join(link)
    return Session(pump, Keyring([], passwords=passwords_of(device)), f"host key {link.host_key.fingerprint}")


async def over_pages(world: World, device: Device, book: Phrasebook, account: Account, address: str) -> Session:
    """Raises LinkError; whether the account is let in shows when it signs in."""
    link = await world.dialer.web(endpoint_at(device, book, address))
    pump = pump_for(world, device, book)
    pump.join(link)
    return Session(pump, Keyring([(account.name, account.secret)]), f"certificate {link.fingerprint[:23]}…")
