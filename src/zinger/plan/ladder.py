"""The address ladder: what each address of a site's subnet is used for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

from zinger.plan.model import Device, Site
from zinger.plan.subjects.edge.models import Pool
from zinger.plan.subjects.edge.settings import POOL
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subjects.standing import standing
from zinger.plan.subnets import hosts
from zinger.plan.values.addresses import Network


class Use(StrEnum):
    """What an address of a subnet is used for, for the address ladder."""

    GATEWAY = "gateway"
    DEVICE = "device"
    SERVER = "server"
    POOL = "pool"
    CLASH = "clash"
    RESERVED = "kept free"
    FREE = "free"


@dataclass(frozen=True)
class Ladder:
    """A subnet, and what each of its addresses is used for; `uses` holds only those that are not free."""

    net: Network
    uses: dict[int, Use]

    def count(self, use: Use) -> int:
        """How many addresses are used so."""
        if use is Use.FREE:
            first, last = hosts(self.net)
            return last - first + 1 - len(self.uses)
        return sum(1 for known in self.uses.values() if known is use)

    def use(self, number: int) -> Use:
        """What an address is used for."""
        return self.uses.get(number, Use.FREE)


def ladder(devices: Iterable[Device], site: Site) -> Ladder | None:
    """What stands where in a site's subnet, with these devices of it; None when it has none or more than 65,536."""
    net = site.subnet
    if net is None or net.num_addresses > 65536:
        return None
    first, last = hosts(net)
    uses: dict[int, Use] = {}
    if site.head or site.tail:
        uses |= dict.fromkeys([*range(first, first + site.head), *range(last - site.tail + 1, last + 1)], Use.RESERVED)
    near = list(devices)
    for device in near:
        pool = device[POOL]
        if pool is not None and pool.first in net and pool.last in net:
            uses |= dict.fromkeys(range(int(pool.first), int(pool.last) + 1), Use.POOL)
    for device in near:
        for address in standing(device):
            if address in net:
                uses[int(address)] = Use.SERVER
    for device in near:
        gate = device[GATEWAY]
        if gate is not None and gate in net:
            uses[int(gate)] = Use.GATEWAY
    pools = {n for n, use in _pooled(near, net)}
    for device in near:
        if device.fixed and device.fixed.ip in net:
            number = int(device.fixed.ip)
            own = uses.get(number) in (Use.DEVICE, Use.CLASH) or number in pools
            uses[number] = Use.CLASH if own else Use.GATEWAY if uses.get(number) is Use.GATEWAY else Use.DEVICE
    return Ladder(net, uses)


def _pooled(devices: Iterable[Device], net: Network) -> Iterator[tuple[int, Pool]]:
    for device in devices:
        pool = device[POOL]
        if pool is not None and pool.first in net and pool.last in net:
            yield from ((n, pool) for n in range(int(pool.first), int(pool.last) + 1))
