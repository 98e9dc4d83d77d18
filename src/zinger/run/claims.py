"""Claims: what there is only one of, or a few, and who waits for it. All of a run's are here.

A device that needs something of which there is not enough waits for its claim, never for another device. The laptop's
addresses are shared by all devices of a subnet; sign-ins from the network cost this machine work, so only a few run at
a time; hands are one person's (see `hands`), and ask for themselves.
"""

from __future__ import annotations

import asyncio
import ipaddress
from collections.abc import Callable, Iterable

import psutil

from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subnets import laptop_address
from zinger.plan.values.addresses import Network
from zinger.run.hands import Act, Hands, Verb

FROM_OUTSIDE = 2
"""Sign-ins from the network at a time: key exchanges cost work."""


class Claims:
    """What devices of one run share."""

    def __init__(self, hands: Hands, devices: Iterable[Device], practice: bool) -> None:
        self.hands = hands
        self.from_outside = asyncio.Semaphore(FROM_OUTSIDE)
        """To be held while somebody signs in from the network."""
        self._practice = practice
        self._devices = list(devices)
        self._near: set[Network] = set()

    async def be_near(self, device: Device, waits: Callable[[str], None]) -> None:
        """Return once the laptop can reach the device's subnet; a person gives it an address if it has none there.

        That it is routed there only a person knows (`--hands-done`): dialling to find out was rejected, since on any
        other network the planned address is somebody else's, and the passwords would go to whoever answers.
        """
        address = device.fixed
        if address is None or address.interface is None:
            return
        net = address.interface.network
        if net in self._near or (not self._practice and _has_an_address_in(net)):
            return
        taken = [d.fixed.ip for d in self._devices if d.fixed]
        taken += [gateway for d in self._devices if (gateway := d[GATEWAY])]
        free = laptop_address(net, taken)
        if free is None:
            return
        waits("your hands")
        do, why = f"give this laptop the address {free}", f"to sign in from the network of {device.site.name}"
        await self.hands.ask(Act(Verb.LAPTOP, str(free), do, why, rank=2))
        self._near.add(net)


def _has_an_address_in(net: Network) -> bool:
    """Whether this machine has an address in a subnet now."""
    own = [
        a.address.partition("%")[0]
        for nics in psutil.net_if_addrs().values()
        for a in nics
        if a.family.name in ("AF_INET", "AF_INET6")
    ]
    return any(ipaddress.ip_address(address) in net for address in own)
