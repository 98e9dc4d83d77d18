"""The laptop's own address: it must be in a device's subnet before anything there can be reached.

A claim on the world that devices of one subnet share: it is asked for once. What this machine already has
is seen by psutil; the address is worked out to clash with no planned device and no gateway.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterable

import psutil

from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subnets import laptop_address
from zinger.plan.values.addresses import Network
from zinger.run.hands import Act, Hands, Verb


def own_addresses() -> list[str]:
    """The IP addresses that this machine has now."""
    return [
        a.address.partition("%")[0]
        for nics in psutil.net_if_addrs().values()
        for a in nics
        if a.family.name in ("AF_INET", "AF_INET6")
    ]


class Laptop:
    """Sees to it, by hands, that the laptop is in a subnet."""

    def __init__(self, hands: Hands, devices: Iterable[Device], practice: bool) -> None:
        self.hands, self.practice = hands, practice
        self.devices = list(devices)
        self._near: set[str] = set()

    async def be_near(self, device: Device, waits: Callable[[str], None]) -> None:
        """Return once the laptop can reach the device's subnet."""
        address = device.address
        if address is None or address.interface is None:
            return
        net = address.interface.network
        if str(net) in self._near or (not self.practice and self._is_there(net)):
            return
        taken = [d.address.ip for d in self.devices if d.address and d.address.interface]
        taken += [value for d in self.devices if (value := d[GATEWAY])]
        free = laptop_address(net, taken)
        if free is None:
            return
        mine = str(free)
        waits("your hands")
        act = Act(
            Verb.LAPTOP,
            mine,
            f"give this laptop the address {mine}",
            f"to sign in from the network of {device.site.name}",
            rank=2,
        )
        await self.hands.ask(act)
        self._near.add(str(net))

    @staticmethod
    def _is_there(net: Network) -> bool:
        return any(ipaddress.ip_address(own) in net for own in own_addresses())
