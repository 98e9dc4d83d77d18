"""Reservations for DHCP servers: dnsmasq's lines, and Kea's JSON. A device that asks gets its planned address."""

from __future__ import annotations

import json
from collections import defaultdict
from ipaddress import IPv4Interface, IPv4Network
from typing import Any

from zinger.handover.exports.pack import Pack, colons, one_line
from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import GATEWAY


def _by_subnet(pack: Pack) -> dict[IPv4Network, list[tuple[Device, IPv4Interface]]]:
    """The devices whose MAC is known, by the IPv4 subnet of their address."""
    found: defaultdict[IPv4Network, list[tuple[Device, IPv4Interface]]] = defaultdict(list)
    for record, address in pack.fixed():
        if isinstance(address, IPv4Interface) and record.device.mac:
            found[address.network].append((record.device, address))
    return dict(sorted(found.items()))


def dnsmasq(pack: Pack) -> str:
    """Lines for dnsmasq: static leases only, nobody else gets an address."""
    lines = [f"# {one_line(pack.title)}"]
    for subnet, devices in _by_subnet(pack).items():
        lines.append(f"dhcp-range={subnet.network_address},static,{subnet.netmask}")
        lines += [f"dhcp-host={colons(device.mac)},{address.ip},{device.name}" for device, address in devices]
    return "\n".join(lines) + "\n"


def kea(pack: Pack) -> str:
    """A configuration of Kea's DHCPv4 server; interfaces are for whoever runs it to name."""
    subnets: list[dict[str, Any]] = []
    for number, (subnet, devices) in enumerate(_by_subnet(pack).items(), 1):
        routers = sorted({str(gateway) for device, _ in devices if (gateway := device[GATEWAY]) and gateway in subnet})
        options = [{"name": "routers", "data": ", ".join(routers)}] if routers else []
        held = [{"hw-address": colons(d.mac), "ip-address": str(a.ip), "hostname": d.name} for d, a in devices]
        subnets.append({"id": number, "subnet": str(subnet), "option-data": options, "reservations": held})
    server = {
        "interfaces-config": {"interfaces": []},
        "lease-database": {"type": "memfile", "persist": False},
        "reservations-global": False,
        "reservations-in-subnet": True,
        "subnet4": subnets,
    }
    return json.dumps({"Dhcp4": server}, indent=2) + "\n"
