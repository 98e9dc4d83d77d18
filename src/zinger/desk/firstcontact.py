"""Reaching a device out of its box: the laptop's own address, worked out against this machine, and how to set it.

The commands are shown, never run: they change the machine on which a person works.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from ipaddress import ip_address

import psutil

from zinger.phrasebook.book import Card
from zinger.plan.laptop import kept_from_laptop, laptop_address
from zinger.plan.model import Plan
from zinger.plan.values.addresses import Address, Interface


@dataclass(frozen=True)
class Port:
    """A network port of this machine: its name, whether a cable is in it, and its addresses."""

    name: str
    up: bool
    addresses: tuple[Address, ...]


@dataclass(frozen=True)
class LaptopPlan:
    """What to do with the laptop: its address (None when there is no room), the port, and what speaks against it.

    `commands` are (system, set it, put it back).
    """

    address: Interface | None
    port: str
    already: str = ""
    commands: tuple[tuple[str, str, str], ...] = ()


def own_ports() -> list[Port]:
    """The network ports of this machine, cabled ones first, without the loopback."""
    stats = psutil.net_if_stats()
    found = []
    for name, entries in psutil.net_if_addrs().items():
        addresses = tuple(
            ip_address(e.address.partition("%")[0]) for e in entries if e.family.name in ("AF_INET", "AF_INET6")
        )
        if not any(a.is_loopback for a in addresses):
            found.append(Port(name, name in stats and stats[name].isup, addresses))
    return sorted(
        found, key=lambda port: (not port.up, port.name.startswith(("docker", "veth", "br", "vir", "tun")), port.name)
    )


def laptop_plan(card: Card, plan: Plan, ports: Iterable[Port]) -> LaptopPlan | None:
    """The laptop's address for a family's factory subnet; None for a family that has no factory address.

    It avoids the device, the usual places of a gateway, every planned address and what this machine has.
    """
    factory = card.rules.factory
    if factory is None:
        return None
    known = list(ports)
    mine = [a for port in known for a in port.addresses]
    net = factory.network
    already = next((f"{port.name} has {a} already" for port in known for a in port.addresses if a in net), "")
    address = laptop_address(net, [*mine, *kept_from_laptop(plan, factory)])
    port = known[0].name if known else "eth0"
    return LaptopPlan(address, port, already, commands(address, port) if address else ())


def commands(address: Interface, port: str) -> tuple[tuple[str, str, str], ...]:
    """How to add the address beside what the port has, and to take it away again."""
    ip, mask, whole = address.ip, address.netmask, str(address)
    six = "6" if address.version == 6 else ""
    return (
        ("Linux", f"sudo ip address add {whole} dev {port}", f"sudo ip address del {whole} dev {port}"),
        ("macOS", f"sudo ifconfig en0 inet{six} alias {ip} {mask}", f"sudo ifconfig en0 inet{six} -alias {ip}"),
        (
            "Windows",
            f'netsh interface ipv{address.version} add address "Ethernet" {ip} {mask}',
            f'netsh interface ipv{address.version} delete address "Ethernet" {ip}',
        ),
    )
