"""Checks that span subjects: who is who, what is missing, which address stands where."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from ipaddress import ip_address
from typing import Any

from zinger.plan.checking import (
    ERROR,
    WARNING,
    Found,
    Look,
    device_check,
    duplicates,
    in_row,
    plan_check,
    repair,
    spot_of,
)
from zinger.plan.families import COUNTED, RANGED, ROLE_SECTIONS
from zinger.plan.laptop import kept_from_laptop, laptop_address
from zinger.plan.model import Device, Layer
from zinger.plan.problems import Repair, Spot
from zinger.plan.ranged import in_ranges
from zinger.plan.setting import Setting
from zinger.plan.settings import SECTION_OF, SETTINGS
from zinger.plan.subjects.accounts.settings import SERVERS as SIGN_IN_SERVERS
from zinger.plan.subjects.edge.settings import GUEST, LOCAL, POOL, UPSTREAM
from zinger.plan.subjects.management.settings import ADDRESS, GATEWAY, MANAGEMENT_VLAN
from zinger.plan.subjects.names.settings import DNS_SERVERS, TIME_SERVERS
from zinger.plan.subjects.services.settings import SYSLOG_SERVERS, UPDATE_SERVER
from zinger.plan.subjects.standing import standing
from zinger.plan.subjects.switching.settings import VLAN_GATEWAYS
from zinger.plan.subjects.voice.settings import LEGS
from zinger.plan.subjects.wireless.settings import RADIUS
from zinger.plan.subnets import free_addresses
from zinger.plan.values.addresses import Interface
from zinger.plan.values.bad import BadValue
from zinger.plan.values.console import SERIAL, Console, LineSettings


@plan_check("setting-missing", ERROR)
def setting_missing(look: Look) -> Iterator[Found]:
    """A setting without which nothing can be proved is not planned: hostname, administrator, management address."""
    for setting in SETTINGS.values():
        if setting.required:
            lacking = [d for d in look.plan.devices if setting.name not in d.values and not _lacks(look, d, setting)]
            if lacking:
                yield Found(
                    f"no {setting.title} is planned",
                    f"Give {setting.name} in the sheet or in job.yaml",
                    setting,
                    tuple(d.name for d in lacking),
                    lacking[0].spot,
                )


def _lacks(look: Look, device: Device, setting: Setting[Any]) -> bool:
    """Whether devices of this kind do not have the setting at all."""
    rules = look.rules(device)
    return rules is not None and setting.name in rules.lacks


@plan_check("console-form", ERROR)
def console_form(look: Look) -> Iterator[Found]:
    """A console that can't be opened as it is written, or a command that job.yaml does not have."""
    for device in look.plan.devices:
        try:
            console = Console.read(device.console)
            if console.kind == "command":
                console.words(look.plan.commands)
            elif console.kind in SERIAL and console.how:
                LineSettings.read(console.how)
        except BadValue as error:
            spot = Spot(device.spot.file, device.spot.line, key="console")
            yield Found(error.what, error.repair, devices=(device.name,), spot=spot)


@plan_check("duplicate-serial", ERROR)
def duplicate_serial(look: Look) -> Iterator[Found]:
    """Two devices have one serial number, so the right box could not be told."""
    yield from duplicates(look, "serial", None, lambda d: d.serial.lower())


@plan_check("duplicate-mac", ERROR, source="IEEE 802")
def duplicate_mac(look: Look) -> Iterator[Found]:
    """Two devices have one MAC address."""
    yield from duplicates(look, "mac", None, lambda d: d.mac)


@plan_check("duplicate-label", ERROR)
def duplicate_label(look: Look) -> Iterator[Found]:
    """Two devices have one asset label."""
    yield from duplicates(look, "label", None, lambda d: d.label.lower())


@device_check("mac-of-a-group", ERROR, source="IEEE 802")
def mac_of_a_group(device: Device, look: Look) -> Iterator[Found]:
    """The MAC is a multicast address, which no device has: a digit is wrong."""
    if device.mac and device.mac[1] in "13579bdf":
        yield Found(f"{device.mac} is a group address", "Read the label again")


@device_check("too-many", ERROR, *(SETTINGS[name] for name in COUNTED))
def too_many(device: Device, look: Look) -> Iterator[Found]:
    """More of something is planned than the family takes."""
    rules = look.rules(device)
    for name, most in rules.most if rules else ():
        setting = SETTINGS[name]
        planned = device[setting]
        if isinstance(planned, tuple) and len(planned) > most:
            title = rules.title if rules else ""
            yield Found(
                f"{len(planned)} {setting.title} are planned; {title} takes {most}",
                f"Leave out {len(planned) - most}",
                setting,
            )


@device_check("beyond-family-range", ERROR, *(SETTINGS[name] for name in RANGED))
def beyond_family_range(device: Device, look: Look) -> Iterator[Found]:
    """A number is outside the range that the family takes."""
    rules = look.rules(device)
    for name, low, high in rules.ranges if rules else ():
        setting, part = in_ranges(name)
        planned = device[setting]
        for one in planned if isinstance(planned, tuple) else (planned,):
            number = getattr(one, part, None) if part else one
            if isinstance(number, int) and not low <= number <= high:
                title, what = rules.title if rules else "", part.replace("_", " ") or setting.title
                where = f" of {setting.title}" if part else ""
                yield Found(f"{what} {number}{where}: {title} takes {low} to {high}", "Correct it", setting)


@plan_check("family-not-spoken", WARNING)
def family_not_spoken(look: Look) -> Iterator[Found]:
    """Zinger has no phrasebook for a family yet: its devices are planned and checked, but not configured."""
    waiting = [(d, rules) for d in look.plan.devices if (rules := look.rules(d)) is not None and not rules.speaks]
    if waiting:
        devices = [device for device, _ in waiting]
        titles = list(dict.fromkeys(rules.title for _, rules in waiting))
        has = "has" if len(titles) == 1 else "have"
        yield Found(
            f"{', '.join(titles)} {has} no phrasebook yet: planned and checked, not configured",
            "Configure them by hand, or write phrasebooks/NAME.yaml",
            None,
            tuple(d.name for d in devices),
            devices[0].spot,
        )


@device_check(
    "not-for-family",
    WARNING,
    *(SETTINGS[name] for name, section in SECTION_OF.items() if section in ROLE_SECTIONS),
    repairs=True,
)
def not_for_family(device: Device, look: Look) -> Iterator[Found]:
    """The sheet plans something for a device that its family does not have, such as SSIDs for a switch."""
    rules = look.rules(device)
    if rules is None:
        return
    for name, value in device.values.items():
        if value.origin.layer is Layer.SHEET and not rules.has(SECTION_OF[name]):
            yield Found(
                f"{rules.title} has no {value.setting.title}",
                "Leave the cell empty, or look at the family",
                value.setting,
                repair=repair("empty the cell", in_row(device, value.setting, None)),
            )


@device_check("name-without-dns", ERROR, DNS_SERVERS, TIME_SERVERS, SYSLOG_SERVERS, UPDATE_SERVER)
def name_without_dns(device: Device, look: Look) -> Iterator[Found]:
    """A server is given by name, but no DNS server is planned that could tell its address."""
    if device[DNS_SERVERS]:
        return
    servers: list[tuple[Setting[Any], Any]] = [(TIME_SERVERS, server.host) for server in device[TIME_SERVERS] or ()]
    servers += [(SYSLOG_SERVERS, server.host) for server in device[SYSLOG_SERVERS] or ()]
    for setting, host in servers:
        if isinstance(host, str):
            yield Found(
                f"{host} is a name, and no DNS server is planned", "Plan dns.servers, or give the address", setting
            )


@device_check("server-out-of-reach", ERROR, ADDRESS, GATEWAY, DNS_SERVERS, TIME_SERVERS, SYSLOG_SERVERS, UPSTREAM)
def server_out_of_reach(device: Device, look: Look) -> Iterator[Found]:
    """A DNS, time or syslog server is in another subnet, and the device has no gateway towards it."""
    own = device.fixed
    if own is None or device[GATEWAY] is not None or device[UPSTREAM] is not None:
        return
    servers: list[tuple[Setting[Any], str, Any]] = [(DNS_SERVERS, "DNS server", a) for a in device[DNS_SERVERS] or ()]
    servers += [(TIME_SERVERS, "time server", server.host) for server in device[TIME_SERVERS] or ()]
    servers += [(SYSLOG_SERVERS, "syslog receiver", server.host) for server in device[SYSLOG_SERVERS] or ()]
    for setting, word, host in servers:
        if not isinstance(host, str) and host not in own.network:
            yield Found(f"{word} {host} is not in {own.network}, and no gateway leads there", "Plan a gateway", setting)


@plan_check("duplicate-address", ERROR, source="RFC 5227", repairs=True)
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

    changes = []
    avoid = taken | {int(a) for d in devices for a in standing(d)}
    for device in devices[1:]:
        own, net = device.fixed, device.site.subnet
        if own is None or net is None or own.ip not in net or device[LOCAL] is not None:
            return None
        after = next((a for _, a in free_addresses(device.site, avoid) if int(a) > int(own.ip)), None)
        if after is None:
            return None
        avoid.add(int(after))
        taken.add(int(after))
        changes.append(in_row(device, ADDRESS, f"{after}/{net.prefixlen}"))
    return repair(f"give {devices[-1].name} {changes[-1].text}", *changes) if changes else None


@plan_check("address-in-pool", ERROR, source="RFC 2131 4.3.1", repairs=True)
def address_in_pool(look: Look) -> Iterator[Found]:
    """A fixed address lies in a DHCP pool, which will hand it out again."""
    fixed = [(int(own.ip), d) for d in look.plan.devices if (own := d.fixed) is not None]
    for server in look.plan.devices:
        pool = server[POOL]
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
                f"start the pool at {start}", in_row(server, POOL, str(pool.model_copy(update={"first": start})))
            )
        elif lowest > int(pool.first):
            end = ip_address(lowest - 1)
            fix = repair(f"end the pool at {end}", in_row(server, POOL, str(pool.model_copy(update={"last": end}))))
        names = ", ".join(f"{name} ({ip_address(n)})" for n, name in inside[:3])
        yield Found(
            f"its DHCP pool {pool.first}-{pool.last} contains {names}",
            "Leave fixed addresses out of the pool",
            POOL,
            (server.name, *(name for _, name in inside)),
            spot_of(server, POOL),
            fix,
        )


@device_check("address-on-two-interfaces", ERROR, ADDRESS, LOCAL, UPSTREAM, GUEST, VLAN_GATEWAYS, LEGS)
def address_on_two_interfaces(device: Device, look: Look) -> Iterator[Found]:
    """One device has the same address, or overlapping subnets, on two interfaces."""
    if all(setting.name not in device.values for setting in (LOCAL, UPSTREAM, VLAN_GATEWAYS, LEGS)):
        return
    known = [(setting, word, one) for setting, word, one in _interfaces(device) if one is not None]
    for at, (_, word, one) in enumerate(known):
        for setting, other_word, other in known[at + 1 :]:
            if one.ip == other.ip:
                yield Found(f"{one.ip} is on {word} and on {other_word}", "Give each interface its own", setting)
            elif one.version == other.version and one.network.overlaps(other.network):
                yield Found(
                    f"{other.network} of {other_word} overlaps {one.network} of {word}",
                    "Give each interface a subnet of its own",
                    setting,
                )


def _interfaces(device: Device) -> Iterator[tuple[Setting[Any], str, Interface | None]]:
    """Every interface that is planned to have an address: its setting, its words, the address."""
    local, upstream, legs = device[LOCAL], device[UPSTREAM], device[LEGS] or ()
    mine = device.fixed.interface if device.fixed else None
    if mine != local and not any(leg.address == mine for leg in legs):
        yield ADDRESS, "management", mine
    yield LOCAL, "the local network", local
    yield UPSTREAM, "the upstream", upstream.address if upstream else None
    yield GUEST, "the guest network", device[GUEST]
    for leg in legs:
        yield LEGS, f"the {leg.side} leg", leg.address
    for gate in device[VLAN_GATEWAYS] or ():
        if gate.vlan != device[MANAGEMENT_VLAN]:
            yield VLAN_GATEWAYS, f"VLAN {gate.vlan}", gate.address


@plan_check("factory-address-shared", WARNING)
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


@plan_check("address-is-factory", ERROR)
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


@plan_check("dhcp-servers-overlap", ERROR, source="RFC 2131")
def dhcp_servers_overlap(look: Look) -> Iterator[Found]:
    """Two DHCP servers of one subnet hand out the same addresses."""
    for one, other in _dhcp_neighbours(look):
        first, second = one[POOL], other[POOL]
        if first and second and first.first <= second.last and second.first <= first.last:
            yield Found(
                f"its DHCP pool and that of {other.name} both have {max(first.first, second.first)}",
                "Part the pools, or keep one of them",
                POOL,
                (one.name, other.name),
                spot_of(one, POOL),
            )


@plan_check("dhcp-servers-two", WARNING, source="RFC 2131")
def dhcp_servers_two(look: Look) -> Iterator[Found]:
    """Two devices are DHCP servers on one segment: whichever answers first decides on the gateway and the DNS."""
    for one, other in _dhcp_neighbours(look):
        first, second = one[POOL], other[POOL]
        if first and second and (first.first > second.last or second.first > first.last):
            yield Found(
                f"it and {other.name} are both DHCP servers of one subnet",
                "Keep one of them, unless they are meant to stand in for each other",
                POOL,
                (one.name, other.name),
                spot_of(one, POOL),
            )


def _dhcp_neighbours(look: Look) -> Iterator[tuple[Device, Device]]:
    """Each two DHCP servers of one site whose local subnets overlap."""
    sites: dict[str, list[tuple[Device, Any]]] = defaultdict(list)
    for device in look.plan.devices:
        local = device[LOCAL] or (device.fixed.interface if device.fixed else None)
        if device[POOL] is not None and local is not None:
            sites[device.site.key].append((device, local.network))
    for servers in sites.values():
        for at, (one, net) in enumerate(servers):
            for other, its in servers[at + 1 :]:
                if net.version == its.version and net.overlaps(its):
                    yield one, other


@plan_check("server-not-set-up", WARNING)
def server_not_set_up(look: Look) -> Iterator[Found]:
    """A DNS, time, syslog or RADIUS server of the plan is a device of this job: it answers only once that is done."""
    owners = {own.ip: device for device in look.plan.devices if (own := device.fixed) is not None}
    found: dict[tuple[str, str], list[Device]] = defaultdict(list)
    settings: dict[str, Setting[Any]] = {}
    for device in look.plan.devices:
        for setting, word, host in _servers(device):
            owner = None if isinstance(host, str) else owners.get(host)
            if owner is not None and owner is not device:
                what = f"its {word} {host} is {owner.name}, a device of this job"
                found[what, owner.name].append(device)
                settings[what] = setting
    for (what, name), devices in found.items():
        setting = settings[what]
        do = f"Set up {name} first, or prove the others once more afterwards"
        yield Found(what, do, setting, tuple(d.name for d in devices), spot_of(devices[0], setting))


def _servers(device: Device) -> Iterator[tuple[Setting[Any], str, Any]]:
    """Every server that a device counts on, with its setting and what it is."""
    yield from ((DNS_SERVERS, "DNS server", address) for address in device[DNS_SERVERS] or ())
    yield from ((TIME_SERVERS, "time server", server.host) for server in device[TIME_SERVERS] or ())
    yield from ((SYSLOG_SERVERS, "syslog receiver", server.host) for server in device[SYSLOG_SERVERS] or ())
    yield from ((RADIUS, "RADIUS server", server.host) for server in device[RADIUS] or ())
    yield from ((SIGN_IN_SERVERS, "sign-in server", server.host) for server in device[SIGN_IN_SERVERS] or ())


@plan_check("laptop-without-address", ERROR, source="RFC 4632")
def laptop_without_address(look: Look) -> Iterator[Found]:
    """No address of a family's factory subnet is free for the laptop: each is a planned device's or the gateway's."""
    told: set[str] = set()
    for device in look.plan.devices:
        rules = look.rules(device)
        if rules is None or rules.factory is None or rules.by_console or device.family in told:
            continue
        told.add(device.family)
        if laptop_address(rules.factory.network, kept_from_laptop(look.plan, rules.factory)) is None:
            yield Found(
                f"no address of {rules.factory.network} is left for the laptop, from which {rules.title} is reached",
                "Plan the devices of that subnet elsewhere, or bring them up in another job",
                ADDRESS,
                (device.name,),
                spot_of(device, ADDRESS),
            )


@device_check("public-address", WARNING, ADDRESS, LOCAL, GUEST, POOL, source="RFC 1918, RFC 4193")
def public_address(device: Device, look: Look) -> Iterator[Found]:
    """A management or local address is a public one: it belongs to somebody in the world."""
    own, local, guest, pool = device.fixed, device[LOCAL], device[GUEST], device[POOL]
    told: list[tuple[Setting[Any], str, Any]] = []
    told += [(ADDRESS, "management address", own.ip)] if own is not None and ADDRESS.name in device.values else []
    told += [(LOCAL, "local network", local.ip)] if local is not None and local != (own and own.interface) else []
    told += [(GUEST, "guest network", guest.ip)] if guest is not None else []
    told += [(POOL, "DHCP pool", pool.first)] if pool is not None else []
    for setting, word, address in told:
        if address.is_global and address.version == 4:
            yield Found(
                f"its {word} {address} is a public address",
                "Take one of 10.0.0.0/8, 172.16.0.0/12 or 192.168.0.0/16, unless it is yours",
                setting,
            )
