"""Checks of the management address, its gateway and who may manage."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checking import ERROR, WARNING, Found, Look, device_check, in_row, plan_check, repair, where_it_stands
from zinger.plan.model import Device, Layer
from zinger.plan.subjects.management.settings import ADDRESS, GATEWAY, GATEWAY6, IPV6, STATIONS
from zinger.plan.values.addresses import Address, Network


@device_check("management-open", WARNING, STATIONS, repairs=True)
def management_open(device: Device, look: Look) -> Iterator[Found]:
    """Anybody may try to manage the device: no station list, or one that contains every address."""
    stations = device[STATIONS]
    if not stations:
        yield Found("any station may try to manage it", "Plan management.stations", STATIONS)
    elif any(net.prefixlen == 0 for net in stations):
        every = next(net for net in stations if net.prefixlen == 0)
        rest = tuple(net for net in stations if net.prefixlen)
        fix = repair("leave it out", where_it_stands(device, STATIONS, STATIONS.text(rest))) if rest else None
        yield Found(f"{every} lets any station manage it", "Name the stations' subnet", STATIONS, repair=fix)


@device_check("stations-shut-you-out", WARNING, STATIONS, ADDRESS)
def stations_shut_you_out(device: Device, look: Look) -> Iterator[Found]:
    """The station list leaves out the device's own subnet: the laptop at its site could not prove it."""
    stations = device[STATIONS]
    if not stations or device.fixed is None:
        return
    net = device.fixed.network
    if not any(net.version == s.version and net.overlaps(s) for s in stations):
        yield Found(
            f"no station of {net} may manage it, so it can't be proved from there",
            "Add the subnet of the bench until it is proved",
            STATIONS,
        )


@device_check("gateway-outside", ERROR, ADDRESS, GATEWAY, source="RFC 1122 3.3.1.1", repairs=True)
def gateway_outside(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is not in the device's own subnet, so it can never be reached."""
    own, gate = device.fixed, device[GATEWAY]
    if own is None or gate is None or gate in own.network:
        return
    said = device.values[GATEWAY.name]
    layers = [(value, origin.label) for value, origin in said.overrode]
    without, whose = layers[0] if layers else (device.site.gateway, "the site")  # what counts without the cell
    other = f"; {whose} says {without}" if layers and without in own.network else ""
    fix = None
    if said.origin.layer is Layer.SHEET and without is not None and without in own.network and without != own.ip:
        fix = repair(f"use {without}, as {whose} says", in_row(device, GATEWAY, str(without)))
    yield Found(
        f"gateway {gate} is not in {own.network}{other}", f"Give an address of {own.network}", GATEWAY, repair=fix
    )


@device_check("gateway-is-device", ERROR, ADDRESS, GATEWAY, source="RFC 1122 3.3.1.1")
def gateway_is_device(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is the device itself."""
    own, gate = device.fixed, device[GATEWAY]
    if own is not None and gate == own.ip:
        yield Found(f"gateway {gate} is the device itself", "Give the router's address", GATEWAY)


@device_check("gateway-not-a-host", ERROR, ADDRESS, GATEWAY, source="RFC 1122 3.2.1.3")
def gateway_not_a_host(device: Device, look: Look) -> Iterator[Found]:
    """The gateway is the network's or the broadcast address of its subnet."""
    own, gate = device.fixed, device[GATEWAY]
    if own is not None and gate is not None and _not_a_host(gate, own.network):
        yield Found(
            f"gateway {gate} is the network or broadcast address of {own.network}", "Give a host's address", GATEWAY
        )


def _not_a_host(address: Address, net: Network) -> bool:
    return net.version == 4 and net.prefixlen < 31 and address in (net.network_address, net.broadcast_address)


@device_check("gateway6-outside", ERROR, IPV6, GATEWAY6, source="RFC 4861 6.3.4")
def gateway6_outside(device: Device, look: Look) -> Iterator[Found]:
    """The IPv6 gateway is neither link-local nor in the device's own prefix."""
    own, gate = device[IPV6], device[GATEWAY6]
    net = own.interface.network if own is not None and own.interface else None
    if net is not None and gate is not None and gate not in net and not gate.is_link_local:
        yield Found(f"IPv6 gateway {gate} is not in {net}", f"Give an address of {net}, or a link-local one", GATEWAY6)


@device_check("address-is-network", ERROR, ADDRESS, source="RFC 1122 3.2.1.3")
def address_is_network(device: Device, look: Look) -> Iterator[Found]:
    """The planned address is the network's own address, which no host may have."""
    own = device.fixed
    if own is not None and _not_a_host(own.ip, own.network) and own.ip == own.network.network_address:
        yield Found(f"{own.ip} is the network address of {own.network}", "Give a host's address", ADDRESS)


@device_check("address-is-broadcast", ERROR, ADDRESS, source="RFC 1122 3.2.1.3")
def address_is_broadcast(device: Device, look: Look) -> Iterator[Found]:
    """The planned address is the broadcast address of its subnet."""
    own = device.fixed
    if own is not None and _not_a_host(own.ip, own.network) and own.ip == own.network.broadcast_address:
        yield Found(f"{own.ip} is the broadcast address of {own.network}", "Give a host's address", ADDRESS)


@device_check("address-alone", WARNING, ADDRESS, source="RFC 3021")
def address_alone(device: Device, look: Look) -> Iterator[Found]:
    """The management address is of a /31 or /32: there is no room for a station, and for the laptop, beside it."""
    own = device.fixed
    if own is not None and own.ip.version == 4 and own.prefix == 31:
        yield Found(
            f"the management address {own} is of a /31, a link between two", "Look whether its mask is right", ADDRESS
        )


@device_check("address-special", ERROR, ADDRESS, source="RFC 6890")
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


@device_check("address-without-prefix", ERROR, ADDRESS, source="RFC 4632")
def address_without_prefix(device: Device, look: Look) -> Iterator[Found]:
    """The address has no prefix length, and its site no subnet that could tell it."""
    own = device.fixed
    if own is not None and own.network.prefixlen == own.network.max_prefixlen and device.site.subnet is None:
        yield Found(
            f"{own.ip} has no prefix length and its site no subnet",
            f"Write {own.ip}/24, or give the site a subnet",
            ADDRESS,
        )


@device_check("address-outside-site", ERROR, ADDRESS)
def address_outside_site(device: Device, look: Look) -> Iterator[Found]:
    """The address is not in the subnet of the device's site: a slip of a digit, or the wrong site."""
    own, net = device.fixed, device.site.subnet
    if own is None or net is None or own.ip in net or device.values[ADDRESS.name].origin.layer is Layer.DERIVED:
        return
    other = next((s.name for s in look.plan.sites if s.subnet and own.ip in s.subnet), "")
    hint = f"; it would be in that of {other}" if other else ""
    yield Found(
        f"{own.ip} is not in {net}, the subnet of {device.site.name}{hint}", "Correct the address or the site", ADDRESS
    )


@device_check("prefix-differs", WARNING, ADDRESS, source="RFC 4632", repairs=True)
def prefix_differs(device: Device, look: Look) -> Iterator[Found]:
    """The address has another prefix length than its site's subnet."""
    own, net = device.fixed, device.site.subnet
    if own is None or net is None or own.ip not in net or own.network.prefixlen == net.prefixlen:
        return
    fix = None
    if ADDRESS.name in device.own and not _not_a_host(own.ip, net):
        fix = repair(f"use /{net.prefixlen}", in_row(device, ADDRESS, f"{own.ip}/{net.prefixlen}"))
    yield Found(
        f"its prefix length is {own.network.prefixlen}, the site's {net.prefixlen}",
        "Make them equal unless this is meant",
        ADDRESS,
        repair=fix,
    )


@device_check("gateway-beside-dhcp", WARNING, ADDRESS, GATEWAY, source="RFC 2132 3.5", repairs=True)
def gateway_beside_dhcp(device: Device, look: Look) -> Iterator[Found]:
    """A gateway is planned for a DHCP client, which gets its gateway from the lease."""
    address, gate = device.address, device.values.get(GATEWAY.name)
    if address and address.method == "dhcp" and gate and gate.origin.layer is Layer.SHEET:
        yield Found(
            "a gateway is planned beside DHCP",
            "Leave it empty unless the lease brings none",
            GATEWAY,
            repair=repair("leave it to the lease", in_row(device, GATEWAY, None)) if not gate.overrode else None,
        )


@plan_check("address-floats", WARNING, repairs=True)
def address_floats(look: Look) -> Iterator[Found]:
    """An address was chosen by rule and is not written in the sheet: adding or removing rows would change it."""
    by_site: dict[str, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        value = device.values.get(ADDRESS.name)
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


@plan_check("subnets-overlap", ERROR, source="RFC 4632")
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
