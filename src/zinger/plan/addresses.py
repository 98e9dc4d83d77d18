"""Address arithmetic: first free addresses, what stands where in a subnet, and the laptop's own address."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import ip_interface

from zinger.plan.items import Pool, Reservation, VlanGateway
from zinger.plan.model import Device, Site
from zinger.plan.parsing import Address, Interface, Network


def hosts(net: Network) -> tuple[int, int]:
    """The first and last host address of a subnet, as numbers (RFC 4632; both of a /31, RFC 3021)."""
    first, last = int(net.network_address), int(net.broadcast_address)
    if net.num_addresses <= 2:
        return first, last
    return first + 1, last - (1 if net.version == 4 else 0)


def free_addresses(site: Site, taken: set[int]) -> Iterator[tuple[int, Address]]:
    """The free addresses of a site in order, each with its place (1 is the first); the head and tail are left out.

    `taken` is looked at as the iteration goes on, so what a caller adds meanwhile is left out too.
    """
    if site.subnet is None:
        return
    first, last = hosts(site.subnet)
    place = 0
    for number in range(first + site.head, last - site.tail + 1):
        if number not in taken:
            place += 1
            yield place, _address(number, site.subnet)


def _address(number: int, net: Network) -> Address:
    return type(net.network_address)(number)


def standing(device: Device) -> Iterator[Address]:
    """Every address that a device has or counts on: its own, its gateways, its servers, its reservations."""
    if device.fixed:
        yield device.fixed.ip
    for name in ("management.gateway", "edge.inside", "edge.guest"):
        value = device.value(name)
        if value is not None:
            yield value.ip if isinstance(value, Interface) else value
    for name in ("dns.servers", "ntp.servers", "syslog.servers", "wireless.radius", "switch.dhcp_relay"):
        for server in device.value(name) or ():
            host = getattr(server, "host", server)
            if not isinstance(host, str):
                yield host
    for item in (*(device.value("switch.gateways") or ()), *(device.value("edge.reservations") or ())):
        if isinstance(item, VlanGateway):
            yield item.address.ip
        elif isinstance(item, Reservation):
            yield item.address


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
        pool = device.value("edge.dhcp")
        if isinstance(pool, Pool) and pool.first in net and pool.last in net:
            uses |= dict.fromkeys(range(int(pool.first), int(pool.last) + 1), Use.POOL)
    for device in near:
        for address in standing(device):
            if address in net:
                uses[int(address)] = Use.SERVER
    for device in near:
        gate = device.value("management.gateway")
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
        pool = device.value("edge.dhcp")
        if isinstance(pool, Pool) and pool.first in net and pool.last in net:
            yield from ((n, pool) for n in range(int(pool.first), int(pool.last) + 1))


def laptop_address(net: Network, avoid: Iterable[Address]) -> Interface | None:
    """An address for the laptop in a subnet: the highest host that is not to be avoided; None when there is no room."""
    first, last = hosts(net)
    taken = {int(a) for a in avoid if a.version == net.version}
    for number in range(last, max(first, last - 4096) - 1, -1):
        if number not in taken:
            return ip_interface(f"{_address(number, net)}/{net.prefixlen}")
    return None
