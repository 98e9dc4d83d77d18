"""Addresses, gateways, subnets and pools: within a device, across devices, across sites."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from ipaddress import ip_address

from zinger.plan.addresses import hosts
from zinger.plan.checks.registry import MEND, THINK, Found, Look, device_check, in_row, plan_check, repair, spot_of
from zinger.plan.items import Pool
from zinger.plan.model import Device, Layer
from zinger.plan.parsing import Address, Interface, Network
from zinger.plan.problems import Repair

ADDRESS, GATEWAY = "management.address", "management.gateway"


@device_check("gateway-outside", MEND, ADDRESS, GATEWAY, source="RFC 1122 3.3.1.1")
def gateway_outside(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is not in the device's own subnet, so it can never be reached."""
    own, gate = device.fixed, device.value(GATEWAY)
    if own is None or gate is None or gate in own.network:
        return
    other = next(
        (f"; {origin} says {value}" for value, origin in device.values[GATEWAY].overrode if value in own.network), ""
    )
    site = device.site.gateway
    fix = None
    if device.values[GATEWAY].origin.layer is Layer.SHEET and site in own.network and site != own.ip:
        fix = repair(f"use the site's, {site}", in_row(device, GATEWAY, str(site)))
    yield Found(
        f"gateway {gate} is not in {own.network}{other}", f"Give an address of {own.network}", GATEWAY, repair=fix
    )


@device_check("gateway-is-device", MEND, ADDRESS, GATEWAY, source="RFC 1122 3.3.1.1")
def gateway_is_device(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is the device itself."""
    own, gate = device.fixed, device.value(GATEWAY)
    if own is not None and gate == own.ip:
        yield Found(f"gateway {gate} is the device itself", "Give the router's address", GATEWAY)


@device_check("gateway-not-a-host", MEND, ADDRESS, GATEWAY, source="RFC 1122 3.2.1.3")
def gateway_not_a_host(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is the network's or the broadcast address of its subnet."""
    own, gate = device.fixed, device.value(GATEWAY)
    if own is not None and gate is not None and _not_a_host(gate, own.network):
        yield Found(
            f"gateway {gate} is the network or broadcast address of {own.network}", "Give a host's address", GATEWAY
        )


def _not_a_host(address: Address, net: Network) -> bool:
    return net.version == 4 and net.prefixlen < 31 and address in (net.network_address, net.broadcast_address)


@device_check("gateway6-outside", MEND, "management.ipv6", "management.gateway6", source="RFC 4861 6.3.4")
def gateway6_outside(device: Device, look: Look) -> Iterator[Found]:
    """The IPv6 gateway is neither link-local nor in the device's own prefix."""
    own, gate = device.value("management.ipv6"), device.value("management.gateway6")
    net = own.interface.network if own is not None and own.interface else None
    if net is not None and gate is not None and gate not in net and not gate.is_link_local:
        yield Found(
            f"IPv6 gateway {gate} is not in {net}",
            f"Give an address of {net}, or a link-local one",
            "management.gateway6",
        )


@device_check("address-is-network", MEND, ADDRESS, source="RFC 1122 3.2.1.3")
def address_is_network(device: Device, look: Look) -> Iterator[Found]:
    """The planned address is the network's own address, which no host may have."""
    own = device.fixed
    if own is not None and _not_a_host(own.ip, own.network) and own.ip == own.network.network_address:
        yield Found(f"{own.ip} is the network address of {own.network}", "Give a host's address", ADDRESS)


@device_check("address-is-broadcast", MEND, ADDRESS, source="RFC 1122 3.2.1.3")
def address_is_broadcast(device: Device, look: Look) -> Iterator[Found]:
    """The planned address is the broadcast address of its subnet."""
    own = device.fixed
    if own is not None and _not_a_host(own.ip, own.network) and own.ip == own.network.broadcast_address:
        yield Found(f"{own.ip} is the broadcast address of {own.network}", "Give a host's address", ADDRESS)


@device_check("address-special", MEND, ADDRESS, source="RFC 6890")
def address_special(device: Device, look: Look) -> Iterator[Found]:
    """The planned address is a loopback, multicast, link-local or unspecified address."""
    own = device.fixed
    if own is None:
        return
    ip = own.ip
    for word, so in (
        ("loopback", ip.is_loopback),
        ("multicast", ip.is_multicast),
        ("link-local", ip.is_link_local),
        ("unspecified", ip.is_unspecified),
    ):
        if so:
            yield Found(f"{ip} is a {word} address", "Give a host's address of the site's subnet", ADDRESS)


@device_check("address-without-prefix", MEND, ADDRESS, source="RFC 4632")
def address_without_prefix(device: Device, look: Look) -> Iterator[Found]:
    """The address has no prefix length, and its site no subnet that could tell it."""
    own = device.fixed
    if own is not None and own.network.prefixlen == own.network.max_prefixlen and device.site.subnet is None:
        yield Found(
            f"{own.ip} has no prefix length and its site no subnet",
            f"Write {own.ip}/24, or give the site a subnet",
            ADDRESS,
        )


@device_check("address-outside-site", MEND, ADDRESS)
def address_outside_site(device: Device, look: Look) -> Iterator[Found]:
    """The address is not in the subnet of the device's site: a slip of a digit, or the wrong site."""
    own, net = device.fixed, device.site.subnet
    if own is None or net is None or own.ip in net or device.values[ADDRESS].origin.layer is Layer.DERIVED:
        return
    other = next((s.name for s in look.plan.sites if s.subnet and own.ip in s.subnet), "")
    hint = f"; it would be in that of {other}" if other else ""
    yield Found(
        f"{own.ip} is not in {net}, the subnet of {device.site.name}{hint}", "Correct the address or the site", ADDRESS
    )


@device_check("prefix-differs", THINK, ADDRESS, source="RFC 4632")
def prefix_differs(device: Device, look: Look) -> Iterator[Found]:
    """The address has another prefix length than its site's subnet."""
    own, net = device.fixed, device.site.subnet
    if own is None or net is None or own.ip not in net or own.network.prefixlen == net.prefixlen:
        return
    fix = None
    if ADDRESS in device.own and not _not_a_host(own.ip, net):
        fix = repair(f"use /{net.prefixlen}", in_row(device, ADDRESS, f"{own.ip}/{net.prefixlen}"))
    yield Found(
        f"its prefix length is {own.network.prefixlen}, the site's {net.prefixlen}",
        "Make them equal unless this is meant",
        ADDRESS,
        repair=fix,
    )


@device_check("gateway-beside-dhcp", THINK, ADDRESS, GATEWAY, source="RFC 2132 3.5")
def gateway_beside_dhcp(device: Device, look: Look) -> Iterator[Found]:
    """A gateway is planned for a DHCP client, which gets its gateway from the lease."""
    address, gate = device.address, device.values.get(GATEWAY)
    if address and address.method == "dhcp" and gate and gate.origin.layer is Layer.SHEET:
        yield Found(
            "a gateway is planned beside DHCP",
            "Leave it empty unless the lease brings none",
            GATEWAY,
            repair=repair("leave it to the lease", in_row(device, GATEWAY, None)) if not gate.overrode else None,
        )


@device_check(
    "server-out-of-reach", MEND, ADDRESS, GATEWAY, "dns.servers", "ntp.servers", "syslog.servers", "edge.outside"
)
def server_out_of_reach(device: Device, look: Look) -> Iterator[Found]:
    """A DNS, time or syslog server is in another subnet, and the device has no gateway towards it."""
    own = device.fixed
    if own is None or device.value(GATEWAY) is not None or device.value("edge.outside") is not None:
        return
    for setting, word in (
        ("dns.servers", "DNS server"),
        ("ntp.servers", "time server"),
        ("syslog.servers", "syslog receiver"),
    ):
        for server in device.value(setting) or ():
            host = getattr(server, "host", server)
            if not isinstance(host, str) and host not in own.network:
                yield Found(
                    f"{word} {host} is not in {own.network}, and no gateway leads there", "Plan a gateway", setting
                )


@plan_check("address-floats", THINK)
def address_floats(look: Look) -> Iterator[Found]:
    """An address was given out by rule and stands nowhere: it would change when rows are added or removed."""
    by_site: dict[str, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        value = device.values.get(ADDRESS)
        if value and value.origin.layer is Layer.DERIVED and "free address" in value.origin.label:
            by_site[device.site.name].append(device)
    for site, devices in by_site.items():
        changes = tuple(in_row(d, ADDRESS, str(d.fixed)) for d in devices)
        count = "the address of one device" if len(devices) == 1 else f"{len(devices)} addresses"
        yield Found(
            f"{count} of {site} would change with the rows of the sheet",
            "Write them into the sheet before a device is told",
            ADDRESS,
            tuple(d.name for d in devices),
            devices[0].spot,
            repair("write them into the sheet", *changes),
        )


@plan_check("subnets-overlap", MEND, source="RFC 4632")
def subnets_overlap(look: Look) -> Iterator[Found]:
    """Two sites have subnets that overlap."""
    known = sorted(
        (
            (site.subnet.version, int(site.subnet.network_address), int(site.subnet.broadcast_address), site.name, site)
            for site in look.plan.sites
            if site.subnet is not None
        ),
        key=lambda entry: (entry[0], entry[1], -entry[2]),
    )
    widest = None
    for entry in known:
        version, first, last, name, site = entry
        if widest is not None and version == widest[0] and first <= widest[2]:
            yield Found(
                f"{site.subnet} of {name} overlaps {widest[4].subnet} of {widest[3]}",
                "Give each site a subnet of its own",
                spot=site.spot,
            )
        if widest is None or version != widest[0] or last > widest[2]:
            widest = entry


@plan_check("duplicate-address", MEND, source="RFC 5227")
def duplicate_address(look: Look) -> Iterator[Found]:
    """Two devices have one address."""
    owners: dict[int, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        own = device.fixed
        if own is not None:
            owners[int(own.ip)].append(device)
    taken = set(owners)
    for number, devices in owners.items():
        if len(devices) > 1:
            rows = " and ".join(str(d.spot.line) for d in devices)
            yield Found(
                f"address {ip_address(number)} stands in rows {rows}",
                "Give each device its own",
                ADDRESS,
                tuple(dict.fromkeys(d.name for d in devices)),
                spot_of(devices[-1], ADDRESS),
                repair=_another_address(devices, taken),
            )


def _another_address(devices: list[Device], taken: set[int]) -> Repair | None:
    """Give all but the first the next free address of their site, where that can be told."""
    from zinger.plan.addresses import free_addresses, standing

    changes = []
    avoid = taken | {int(a) for d in devices for a in standing(d)}
    for device in devices[1:]:
        own, net = device.fixed, device.site.subnet
        if own is None or net is None or own.ip not in net or device.value("edge.inside") is not None:
            return None
        after = next((a for _, a in free_addresses(device.site, avoid) if int(a) > int(own.ip)), None)
        if after is None:
            return None
        avoid.add(int(after))
        taken.add(int(after))
        changes.append(in_row(device, ADDRESS, f"{after}/{net.prefixlen}"))
    return repair(f"give {devices[-1].name} {changes[-1].text}", *changes) if changes else None


@plan_check("address-in-pool", MEND, source="RFC 2131 4.3.1")
def address_in_pool(look: Look) -> Iterator[Found]:
    """A fixed address lies in a DHCP pool, which will hand it out again."""
    fixed = [(int(own.ip), d) for d in look.plan.devices if (own := d.fixed) is not None]
    for server in look.plan.devices:
        pool = server.value("edge.dhcp")
        if pool is None:
            continue
        inside = sorted((n, d.name) for n, d in fixed if int(pool.first) <= n <= int(pool.last))
        if not inside:
            continue
        highest, lowest = inside[-1][0], inside[0][0]
        fix = None
        if highest < int(pool.last) and highest - int(pool.first) <= int(pool.last) - lowest:
            start = ip_address(highest + 1)
            fix = repair(
                f"start the pool at {start}", in_row(server, "edge.dhcp", str(pool.model_copy(update={"first": start})))
            )
        elif lowest > int(pool.first):
            end = ip_address(lowest - 1)
            fix = repair(
                f"end the pool at {end}", in_row(server, "edge.dhcp", str(pool.model_copy(update={"last": end})))
            )
        names = ", ".join(f"{name} ({ip_address(n)})" for n, name in inside[:3])
        yield Found(
            f"its DHCP pool {pool.first}-{pool.last} contains {names}",
            "Leave fixed addresses out of the pool",
            "edge.dhcp",
            (server.name, *(name for _, name in inside)),
            spot_of(server, "edge.dhcp"),
            fix,
        )


@device_check("pool-outside-lan", MEND, "edge.dhcp", "edge.inside", source="RFC 2131 4.3.1")
def pool_outside_lan(device: Device, look: Look) -> Iterator[Found]:
    """The DHCP pool is not in the inside subnet, as happens when the LAN was moved and the pool was forgotten."""
    pool, inside = device.value("edge.dhcp"), device.value("edge.inside")
    if pool is None or inside is None:
        return
    net = inside.network
    if pool.first in net and pool.last in net:
        return
    base, size = int(net.network_address), net.num_addresses
    moved = [base + int(a) % size for a in (pool.first, pool.last)]
    first, last = hosts(net)
    fix = None
    if first <= moved[0] <= moved[1] <= last and not moved[0] <= int(inside.ip) <= moved[1]:
        new = pool.model_copy(update={"first": ip_address(moved[0]), "last": ip_address(moved[1])})
        taken = {int(own.ip) for d in look.plan.devices if (own := d.fixed) is not None}
        if taken.isdisjoint(range(moved[0], min(moved[1], moved[0] + 65536) + 1)):
            fix = repair(f"move the pool to {new.first}-{new.last}", in_row(device, "edge.dhcp", str(new)))
    yield Found(
        f"its DHCP pool {pool.first}-{pool.last} is not in the inside subnet {net}",
        "Move the pool with the LAN",
        "edge.dhcp",
        repair=fix,
    )


@device_check("pool-backwards", MEND, "edge.dhcp")
def pool_backwards(device: Device, look: Look) -> Iterator[Found]:
    """The DHCP pool ends before it begins."""
    pool = device.value("edge.dhcp")
    if pool is not None and pool.first > pool.last:
        new = pool.model_copy(update={"first": pool.last, "last": pool.first})
        yield Found(
            f"its DHCP pool ends at {pool.last}, before it begins",
            "Write the lower address first",
            "edge.dhcp",
            repair=repair("turn it round", in_row(device, "edge.dhcp", str(new))) if _free_of(look, new) else None,
        )


def _free_of(look: Look, pool: Pool) -> bool:
    first, last = int(pool.first), int(pool.last)
    return not any(first <= int(own.ip) <= last for d in look.plan.devices if (own := d.fixed) is not None)


@device_check("reservation-outside", MEND, "edge.reservations", "edge.inside")
def reservation_outside(device: Device, look: Look) -> Iterator[Found]:
    """A reservation keeps an address that is not in the inside subnet, so it can never be given out."""
    inside = device.value("edge.inside")
    for kept in device.value("edge.reservations") or ():
        if inside is not None and kept.address not in inside.network:
            yield Found(
                f"the reservation {kept.address} for {kept.mac} is not in {inside.network}",
                "Correct the address",
                "edge.reservations",
            )


@device_check("reservation-twice", MEND, "edge.reservations")
def reservation_twice(device: Device, look: Look) -> Iterator[Found]:
    """One address is reserved for two MACs, or one MAC has two reservations."""
    seen: set[object] = set()
    for kept in device.value("edge.reservations") or ():
        for key in (kept.address, kept.mac):
            if key in seen:
                yield Found(f"{key} stands in two reservations", "Keep one of them", "edge.reservations")
            seen.add(key)


@device_check(
    "address-on-two-interfaces",
    MEND,
    ADDRESS,
    "edge.inside",
    "edge.outside",
    "edge.guest",
    "switch.gateways",
    "voice.legs",
)
def address_on_two_interfaces(device: Device, look: Look) -> Iterator[Found]:
    """One device has the same address, or overlapping subnets, on two interfaces."""
    if device.values.keys().isdisjoint(("edge.inside", "edge.outside", "switch.gateways", "voice.legs")):
        return
    known = [(word, interface) for word, interface in _interfaces(device) if interface is not None]
    for at, (word, one) in enumerate(known):
        for other_word, other in known[at + 1 :]:
            if one.ip == other.ip:
                yield Found(
                    f"{one.ip} is on {word} and on {other_word}", "Give each interface its own", _setting(other_word)
                )
            elif one.version == other.version and one.network.overlaps(other.network):
                yield Found(
                    f"{other.network} of {other_word} overlaps {one.network} of {word}",
                    "Give each interface a subnet of its own",
                    _setting(other_word),
                )


def _interfaces(device: Device) -> Iterator[tuple[str, Interface | None]]:
    inside, outside = device.value("edge.inside"), device.value("edge.outside")
    own = device.fixed
    mine = own.interface if own else None
    if mine != inside and not any(leg.address == mine for leg in device.value("voice.legs") or ()):
        yield "management", mine
    yield "the inside", inside
    yield "the outside", outside.address if outside else None
    yield "the guest network", device.value("edge.guest")
    for leg in device.value("voice.legs") or ():
        yield f"the {leg.side} leg", leg.address
    for gate in device.value("switch.gateways") or ():
        if gate.vlan != device.value("management.vlan"):
            yield f"VLAN {gate.vlan}", gate.address


def _setting(word: str) -> str:
    return {
        "the inside": "edge.inside",
        "the outside": "edge.outside",
        "the guest network": "edge.guest",
        "management": ADDRESS,
    }.get(word, "voice.legs" if "leg" in word else "switch.gateways")


@plan_check("factory-address-shared", THINK)
def factory_address_shared(look: Look) -> Iterator[Found]:
    """Two devices of a site answer at the same factory address and have no console: one at a time on the segment."""
    groups: dict[tuple[str, str], list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules and rules.factory and not rules.by_console:
            groups[device.site.name, str(rules.factory.ip)].append(device)
    for (site, address), devices in groups.items():
        if len(devices) > 1:
            yield Found(
                f"{len(devices)} devices of {site} answer at {address} out of the box",
                "Connect one at a time; each needs its new address before the next",
                devices=tuple(d.name for d in devices),
                spot=devices[0].spot,
            )


@plan_check("address-is-factory", MEND)
def address_is_factory(look: Look) -> Iterator[Found]:
    """A planned address is the factory address of a device that will stand on the same bench: both would answer."""
    factories: dict[tuple[str, int], str] = {}
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules and rules.factory:
            factories[device.site.key, int(rules.factory.ip)] = rules.title
    for device in look.plan.devices:
        own = device.fixed
        if own is not None and (title := factories.get((device.site.key, int(own.ip)))):
            yield Found(
                f"{own.ip} is the factory address of {title}, on the same bench",
                "Give it another address",
                ADDRESS,
                (device.name,),
                spot_of(device, ADDRESS),
            )
