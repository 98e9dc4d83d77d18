"""The laptop's own address in a factory subnet, from which a device is reached."""

from __future__ import annotations

from collections.abc import Iterable
from ipaddress import ip_interface

from zinger.plan.model import Plan
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subnets import address_at, hosts
from zinger.plan.values.addresses import Address, Interface, Network


def laptop_address(net: Network, avoid: Iterable[Address]) -> Interface | None:
    """An address for the laptop in a subnet: the highest host that is not to be avoided; None when there is no room."""
    first, last = hosts(net)
    taken = {int(a) for a in avoid if a.version == net.version}
    for number in range(last, max(first, last - 4096) - 1, -1):
        if number not in taken:
            return ip_interface(f"{address_at(number, net)}/{net.prefixlen}")
    return None


def kept_from_laptop(plan: Plan, factory: Interface) -> list[Address]:
    """What the laptop may not have in a factory subnet: the device's, a gateway's usual places, what is planned."""
    net = factory.network
    gateways = [address_at(number, net) for number in hosts(net)]
    planned = [device.fixed.ip for device in plan.devices if device.fixed]
    planned += [gate for device in plan.devices if (gate := device[GATEWAY]) is not None]
    return [factory.ip, *gateways, *planned]
