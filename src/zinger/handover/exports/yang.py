"""A device as NETCONF and RESTCONF servers know it: RFC 7951 JSON of the modules of RFC 7317, 8343, 8344, 8349."""

from __future__ import annotations

import json
from collections.abc import Iterator
from ipaddress import IPv4Interface, IPv6Interface
from typing import Any

from zinger.handover.exports.pack import Pack
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.subjects.edge.settings import LOCAL, UPSTREAM
from zinger.plan.subjects.management.settings import GATEWAY, GATEWAY6, IPV6, MANAGEMENT_VLAN
from zinger.plan.subjects.names.settings import CONTACT, DNS_SERVERS, LOCATION, SEARCH_DOMAIN, TIME_SERVERS, TIME_ZONE
from zinger.plan.subjects.switching.settings import ROUTES, VLAN_GATEWAYS
from zinger.plan.values.addresses import Interface

VLAN, ETHERNET = "iana-if-type:l3ipvlan", "iana-if-type:ethernetCsmacd"


def of_device(device: Device) -> str:
    """The planned values of a device that these modules have a place for; passwords are never among them."""
    data: dict[str, Any] = {"ietf-system:system": _system(device)}
    interfaces = list(_interfaces(device))
    if interfaces:
        data["ietf-interfaces:interfaces"] = {"interface": interfaces}
    routes = list(_routes(device))
    if routes:
        data["ietf-routing:routing"] = {"control-plane-protocols": {"control-plane-protocol": [_static(routes)]}}
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def all_of(pack: Pack) -> dict[str, str]:
    """A document for each device, by its name."""
    return {record.device.name: of_device(record.device) for record in pack.records}


def _system(device: Device) -> dict[str, Any]:
    system: dict[str, Any] = {"hostname": device.name}
    for key, text in (("contact", device[CONTACT]), ("location", device[LOCATION] or device.location)):
        if text:
            system[key] = str(text)
    zone = device[TIME_ZONE]
    if zone is not None and "/" in str(zone):
        system["clock"] = {"timezone-name": str(zone)}
    if servers := device[TIME_SERVERS]:
        system["ntp"] = {"enabled": True, "server": [
            {"name": str(s.host), "udp": {"address": str(s.host)}, **({"prefer": True} if s.preferred else {})}
            for s in servers
        ]}  # fmt: skip
    resolver: dict[str, Any] = {}
    if search := device[SEARCH_DOMAIN]:
        resolver["search"] = [str(search)]
    if dns := device[DNS_SERVERS]:
        resolver["server"] = [{"name": f"dns-{n}", "udp-and-tcp": {"address": str(s)}} for n, s in enumerate(dns, 1)]
    if resolver:
        system["dns-resolver"] = resolver
    names = dict.fromkeys(account.name for account in accounts_of(device))
    if names:
        system["authentication"] = {"user": [{"name": name} for name in names]}
    return system


def _interfaces(device: Device) -> Iterator[dict[str, Any]]:
    addresses: dict[str, list[Interface]] = {}
    kinds: dict[str, str] = {}

    def has(name: str, kind: str, address: Interface | None) -> None:
        if address is not None:
            addresses.setdefault(name, []).append(address)
            kinds.setdefault(name, kind)

    vlan = device[MANAGEMENT_VLAN]
    name, kind = (f"vlan{vlan}", VLAN) if vlan is not None else ("management", ETHERNET)
    has(name, kind, device.fixed.interface if device.fixed else None)
    v6 = device[IPV6]
    has(name, kind, v6.interface if v6 is not None else None)
    for gate in device[VLAN_GATEWAYS] or ():
        has(f"vlan{gate.vlan}", VLAN, gate.address)
    has("local", ETHERNET, device[LOCAL])
    upstream = device[UPSTREAM]
    has(upstream.interface or "upstream" if upstream else "upstream", ETHERNET, upstream.address if upstream else None)
    for name, own in addresses.items():
        found: dict[str, Any] = {"name": name, "type": kinds[name], "enabled": True}
        for version, key in ((IPv4Interface, "ietf-ip:ipv4"), (IPv6Interface, "ietf-ip:ipv6")):
            mine = dict.fromkeys((str(a.ip), a.network.prefixlen) for a in own if isinstance(a, version))
            if mine:
                found[key] = {"enabled": True, "address": [{"ip": ip, "prefix-length": length} for ip, length in mine]}
        yield found


def _routes(device: Device) -> Iterator[tuple[str, str]]:
    upstream = device[UPSTREAM]
    gateways = (device[GATEWAY], device[GATEWAY6], upstream.gateway if upstream else None)
    known: set[str] = set()
    routes = [("::/0" if via.version == 6 else "0.0.0.0/0", str(via)) for via in gateways if via is not None]
    routes += [(str(route.to), str(route.via)) for route in device[ROUTES] or ()]
    for to, via in routes:
        if to not in known:
            known.add(to)
            yield to, via


def _static(routes: list[tuple[str, str]]) -> dict[str, Any]:
    """Static routes (RFC 8349 7 and 8); of several to one destination the first counts."""
    found: dict[str, Any] = {}
    for version in ("4", "6"):
        mine = [(to, via) for to, via in routes if (":" in to) == (version == "6")]
        if mine:
            found[f"ietf-ipv{version}-unicast-routing:ipv{version}"] = {
                "route": [{"destination-prefix": to, "next-hop": {"next-hop-address": via}} for to, via in mine]
            }
    return {"type": "ietf-routing:static", "name": "static", "static-routes": found}
