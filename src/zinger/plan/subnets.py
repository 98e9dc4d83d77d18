"""Arithmetic of subnets: hosts, and first free addresses."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_network

from zinger.plan.model import Site
from zinger.plan.values.addresses import Address, Network

LINK_LOCAL = ip_network("169.254.0.0/16")


def hosts(net: Network) -> tuple[int, int]:
    """The first and last host address of a subnet, as numbers (RFC 4632; both of a /31, RFC 3021)."""
    first, last = int(net.network_address), int(net.broadcast_address)
    if net == LINK_LOCAL:
        return first + 256, last - 256  # the first and last 256 are reserved (RFC 3927 2.1)
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
            yield place, address_at(number, site.subnet)


def address_at(number: int, net: Network) -> Address:
    """An address of a subnet by its number."""
    return type(net.network_address)(number)
