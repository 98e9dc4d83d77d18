"""Checks of switching: VLANs, ports, link aggregation, uplinks, spanning tree, routing."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator

from zinger.plan.checking import (
    ERROR,
    WARNING,
    Found,
    Key,
    Look,
    device_check,
    in_row,
    name_hint,
    plan_check,
    repair,
    spot_of,
    unsafe,
    where_it_stands,
)
from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import ADDRESS, MANAGEMENT_VLAN
from zinger.plan.subjects.switching.models import Lag, Port, Uplink, Vlan
from zinger.plan.subjects.switching.settings import (
    ACCESS_LISTS,
    BINDINGS,
    DEFAULT_VLAN_CLOSED,
    DHCP_RELAY,
    LAGS,
    MEMBERS,
    PORT_OPTIONS,
    PORTS,
    RING,
    ROUTES,
    STP,
    STP_PRIORITY,
    UPLINKS,
    VLAN_GATEWAYS,
    VLANS,
    VOICE_VLAN,
)
from zinger.plan.subjects.wireless.settings import SSIDS
from zinger.plan.values.ports import fold_ports
from zinger.wording import counted, did_you_mean

_USERS = (VLANS, PORTS, VOICE_VLAN, VLAN_GATEWAYS, SSIDS, MANAGEMENT_VLAN)


def _vlans(device: Device) -> tuple[Vlan, ...]:
    return device[VLANS] or ()


_PHONES = re.compile(r"phone|voice|handset", re.IGNORECASE)


def _ports(device: Device) -> tuple[Port, ...]:
    return device[PORTS] or ()


def _used(device: Device) -> Iterator[tuple[int, str, Key]]:
    """Every VLAN that is used: (id, for what, setting)."""
    for port in _ports(device):
        named = fold_ports(port.ports)
        for vlan in (port.vlan, port.native, *port.tagged, *port.forbidden):
            if vlan is not None:
                yield vlan, f"ports {named}", PORTS
    if (voice := device[VOICE_VLAN]) is not None:
        yield voice.vlan, "voice", VOICE_VLAN
    for gate in device[VLAN_GATEWAYS] or ():
        yield gate.vlan, f"the gateway {gate.address.ip}", VLAN_GATEWAYS
    for ssid in device[SSIDS] or ():
        if ssid.vlan is not None:
            yield ssid.vlan, f"the wireless network {ssid.name}", SSIDS
    if (managed := device[MANAGEMENT_VLAN]) is not None:
        yield managed, "management", MANAGEMENT_VLAN


@device_check("vlan-undefined", ERROR, *_USERS, source="IEEE 802.1Q", repairs=True)
def vlan_undefined(device: Device, look: Look) -> Iterator[Found]:
    """A VLAN is used that is not among the VLANs planned for the device."""
    known = {v.id for v in _vlans(device)}
    if not known:
        return
    missing: dict[int, tuple[str, Key]] = {}
    for vlan, what, setting in _used(device):
        if vlan not in known and vlan != 1:
            missing.setdefault(vlan, (what, setting))
    for vlan, (what, setting) in missing.items():
        every = (*_vlans(device), Vlan(id=vlan, name=""))
        yield Found(
            f"VLAN {vlan} is used by {what} but not defined",
            "Add it to switch.vlans, or correct the number",
            setting,
            repair=repair(f"define VLAN {vlan} for it", in_row(device, VLANS, VLANS.text(every))),
        )


@device_check("vlan-unused", WARNING, *_USERS, UPLINKS)
def vlan_unused(device: Device, look: Look) -> Iterator[Found]:
    """A VLAN is defined for a device on whose ports it never appears."""
    if not _ports(device):
        return
    used = {vlan for vlan, _, _ in _used(device)}
    idle = [v for v in _vlans(device) if v.id not in used]
    for vlan in idle:
        yield Found(
            f"VLAN {vlan.id} {vlan.name}".rstrip() + " is defined but used by no port", "Use it or leave it out", VLANS
        )


@device_check("vlan-twice", ERROR, VLANS, source="IEEE 802.1Q")
def vlan_twice(device: Device, look: Look) -> Iterator[Found]:
    """One VLAN has two names, or one name two VLANs."""
    both: tuple[tuple[str, list[object]], ...] = (
        ("VLAN", [v.id for v in _vlans(device)]),
        ("the VLAN name", [v.name for v in _vlans(device)]),
    )
    for word, keys in both:
        for key in dict.fromkeys(key for key in keys if key and keys.count(key) > 1):
            yield Found(f"{word} {key} stands twice among the VLANs", "Remove one", VLANS)


@device_check("management-on-default-vlan", WARNING, MANAGEMENT_VLAN, source="IEEE 802.1Q")
def management_on_default_vlan(device: Device, look: Look) -> Iterator[Found]:
    """The management VLAN is 1, to which every port belongs as it comes out of the box."""
    if device[MANAGEMENT_VLAN] == 1:
        yield Found("management is on the default VLAN, 1", "Give management a VLAN of its own", MANAGEMENT_VLAN)


@device_check("default-vlan-open", WARNING, DEFAULT_VLAN_CLOSED, PORTS, repairs=True)
def default_vlan_open(device: Device, look: Look) -> Iterator[Found]:
    """Access ports are left in VLAN 1, or the default VLAN is expressly left open."""
    inside = [fold_ports(p.ports) for p in _ports(device) if p.mode == "access" and p.vlan in (None, 1)]
    if inside:
        yield Found(f"access ports {', '.join(inside)} are in the default VLAN", "Give them a VLAN of their own", PORTS)
    if device[DEFAULT_VLAN_CLOSED] is False:
        yield Found(
            "the default VLAN is left open",
            "Plan switch.default_vlan_closed: on",
            DEFAULT_VLAN_CLOSED,
            repair=repair("close it", where_it_stands(device, DEFAULT_VLAN_CLOSED, "on")),
        )


@device_check("port-twice", ERROR, PORTS)
def port_twice(device: Device, look: Look) -> Iterator[Found]:
    """One port is planned twice, in two ways."""
    seen: set[str] = set()
    for port in _ports(device):
        again = tuple(p for p in port.ports if p in seen)
        if again:
            yield Found(f"port {fold_ports(again)} is planned twice", "Take it out of one of the two", PORTS)
        seen.update(port.ports)


@device_check("port-unknown", ERROR, PORTS, PORT_OPTIONS, LAGS, UPLINKS, RING)
def port_unknown(device: Device, look: Look) -> Iterator[Found]:
    """A port is named that this model does not have."""
    rules = look.rules(device)
    if rules is None or not rules.ports:
        return
    known = set(rules.ports)
    for setting in (PORTS, PORT_OPTIONS, LAGS, UPLINKS, RING):
        strange = tuple(dict.fromkeys(name for name in _named(device, setting) if name not in known))
        if strange:
            yield Found(
                f"{rules.title} has no port {fold_ports(strange)}; it has {fold_ports(rules.ports)}",
                "Correct the port",
                setting,
            )


def _named(device: Device, setting: Key) -> Iterator[str]:
    """The ports that a setting of ports, groups or uplinks names."""
    for item in device[setting] or ():
        yield from item.ports


def _with(device: Device, old: Port, new: Port) -> str:
    return PORTS.text(tuple(new if p is old else p for p in _ports(device)))


@device_check("access-with-tags", ERROR, PORTS, source="IEEE 802.1Q")
def access_with_tags(device: Device, look: Look) -> Iterator[Found]:
    """An access port has tagged VLANs."""
    for port in _ports(device):
        if port.mode == "access" and port.tagged:
            tags = ",".join(map(str, port.tagged))
            yield Found(
                f"access port {fold_ports(port.ports)} has the tagged VLAN {tags}",
                "Make it a trunk, or take the tags away",
                PORTS,
            )


@device_check("trunk-without-native", WARNING, PORTS, source="IEEE 802.1Q")
def trunk_without_native(device: Device, look: Look) -> Iterator[Found]:
    """A trunk says no native VLAN, so what comes untagged lands in the default VLAN."""
    for port in _ports(device):
        if port.mode == "trunk" and port.native is None:
            yield Found(
                f"trunk {fold_ports(port.ports)} has no native VLAN", "Name one that carries nothing else", PORTS
            )


@device_check("native-tagged", ERROR, PORTS, source="IEEE 802.1Q", repairs=True)
def native_tagged(device: Device, look: Look) -> Iterator[Found]:
    """A VLAN is both native and tagged on one port, or both a member and forbidden."""
    for port in _ports(device):
        if port.native is not None and port.native in port.tagged:
            new = port.model_copy(update={"tagged": tuple(v for v in port.tagged if v != port.native)})
            fix = (
                repair("leave it untagged", where_it_stands(device, PORTS, _with(device, port, new)))
                if new.tagged
                else None
            )
            yield Found(
                f"VLAN {port.native} is native and tagged on {fold_ports(port.ports)}",
                "Keep one of the two",
                PORTS,
                repair=fix,
            )
        both = {port.vlan, port.native, *port.tagged} & set(port.forbidden)
        for vlan in sorted(v for v in both if v is not None):
            yield Found(
                f"VLAN {vlan} is a member of {fold_ports(port.ports)} and forbidden", "Keep one of the two", PORTS
            )


@device_check("binding-twice", ERROR, BINDINGS)
def binding_twice(device: Device, look: Look) -> Iterator[Found]:
    """One MAC or address is bound to two ports, so one of them can never work."""
    seen: dict[object, str] = {}
    for binding in device[BINDINGS] or ():
        port = fold_ports(binding.port)
        for key in (binding.mac, binding.address):
            if key is not None and seen.setdefault(key, port) != port:
                yield Found(f"{key} is bound to ports {seen[key]} and {port}", "Keep one of them", BINDINGS)


@device_check("ring-open", ERROR, RING, source="IEC 62439-2")
def ring_open(device: Device, look: Look) -> Iterator[Found]:
    """A ring has two ports, each of which leads to another device."""
    ring = device[RING] or ()
    ports = [port for entry in ring for port in entry.ports]
    if ring and (len(ports) != 2 or len(set(ports)) != 2):
        yield Found(f"its ring has {counted(len(set(ports)), 'port')}", "Give it two ports, one to each side", RING)
    elif ring and device.name in (entry.partner for entry in ring):
        yield Found("its ring leads to itself", "Name the devices on both sides", RING)


@device_check("member-twice", ERROR, MEMBERS)
def member_twice(device: Device, look: Look) -> Iterator[Found]:
    """Two members of a stack have one number, so their ports could not be told apart."""
    numbers = [member.number for member in device[MEMBERS] or ()]
    for number in sorted({n for n in numbers if numbers.count(n) > 1}):
        yield Found(f"stack member {number} is planned twice", "Give each member a number of its own", MEMBERS)


def _lags(device: Device) -> tuple[Lag, ...]:
    return device[LAGS] or ()


@device_check("lag-single", WARNING, LAGS, source="IEEE 802.1AX")
def lag_single(device: Device, look: Look) -> Iterator[Found]:
    """A link aggregation group has one member, which aggregates nothing."""
    for lag in _lags(device):
        if len(lag.ports) == 1:
            yield Found(
                f"LACP group {lag.name} has one member, {lag.ports[0]}", "Add a second, or leave the group out", LAGS
            )


@device_check("lag-unequal", ERROR, LAGS, PORTS, source="IEEE 802.1AX 6.7")
def lag_unequal(device: Device, look: Look) -> Iterator[Found]:
    """The members of a link aggregation group are planned in different ways, so they will not bundle."""
    of = {name: port for port in _ports(device) for name in port.ports}
    for lag in _lags(device):
        kinds = {
            str(p.model_copy(update={"ports": ("1",), "description": ""})) if p else "not planned"
            for p in (of.get(name) for name in lag.ports)
        }
        if len(kinds) > 1 and _ports(device):
            yield Found(f"the members of LACP group {lag.name} are not alike", "Plan its ports in one entry", LAGS)


@device_check("lag-speeds-differ", ERROR, LAGS, PORT_OPTIONS, source="IEEE 802.1AX 6.7")
def lag_speeds_differ(device: Device, look: Look) -> Iterator[Found]:
    """The members of a link aggregation group are planned with different speeds, or one with half duplex."""
    speeds = {name: one.speed for one in device[PORT_OPTIONS] or () if one.speed for name in one.ports}
    half = {name for one in device[PORT_OPTIONS] or () if one.duplex == "half" for name in one.ports}
    for lag in _lags(device):
        planned = {speeds.get(name, "auto") for name in lag.ports}
        if len(planned) > 1:
            which = " and ".join(sorted(planned, key=lambda s: (s == "auto", s.zfill(6))))
            yield Found(
                f"the members of LACP group {lag.name} have speeds {which}", "Give them one speed", PORT_OPTIONS
            )
        if slow := half & set(lag.ports):
            yield Found(
                f"port {min(slow)} of LACP group {lag.name} is half duplex", "Make it full duplex", PORT_OPTIONS
            )


@device_check("option-twice", ERROR, PORT_OPTIONS)
def option_twice(device: Device, look: Look) -> Iterator[Found]:
    """One option of a port is planned twice, in two ways."""
    said: dict[tuple[str, str], object] = {}
    for one in device[PORT_OPTIONS] or ():
        for part, value in one:
            if part == "ports" or value in (None, ""):
                continue
            for name in one.ports:
                if said.setdefault((name, part), value) != value:
                    word = part.replace("_", " ")
                    yield Found(
                        f"the {word} of port {name} is planned as {said[name, part]} and as {value}",
                        "Keep one of them",
                        PORT_OPTIONS,
                    )


@device_check("access-list-unknown", ERROR, ACCESS_LISTS, PORT_OPTIONS)
def access_list_unknown(device: Device, look: Look) -> Iterator[Found]:
    """A port has an access list that is not planned."""
    known = dict.fromkeys(rule.list for rule in device[ACCESS_LISTS] or ())
    for one in device[PORT_OPTIONS] or ():
        if one.access_list and one.access_list not in known:
            hint = did_you_mean(one.access_list, known)
            yield Found(
                f"ports {fold_ports(one.ports)} have the access list {one.access_list}, which is not planned{hint}",
                "Plan its rules in switch.access_lists",
                PORT_OPTIONS,
            )


@device_check("edge-port-is-uplink", WARNING, PORT_OPTIONS, UPLINKS, source="IEEE 802.1Q 13.27")
def edge_port_is_uplink(device: Device, look: Look) -> Iterator[Found]:
    """A port that leads to another device is a spanning-tree edge port: a loop there would not be seen at once."""
    leading = {name for link in _uplinks(device) for name in link.ports}
    for one in device[PORT_OPTIONS] or ():
        if one.edge == "on" and (wrong := leading & set(one.ports)):
            yield Found(
                f"port {fold_ports(tuple(sorted(wrong)))} is an edge port and leads to another device",
                "Let only ports of stations be edge ports",
                PORT_OPTIONS,
            )


@device_check("lag-port-twice", ERROR, LAGS, source="IEEE 802.1AX")
def lag_port_twice(device: Device, look: Look) -> Iterator[Found]:
    """One port is in two link aggregation groups."""
    seen: dict[str, str] = {}
    for lag in _lags(device):
        for name in lag.ports:
            if name in seen:
                yield Found(f"port {name} is in LACP groups {seen[name]} and {lag.name}", "Take it out of one", LAGS)
            seen[name] = lag.name


def _uplinks(device: Device) -> tuple[Uplink, ...]:
    return device[UPLINKS] or ()


@plan_check("uplink-unknown", ERROR)
def uplink_unknown(look: Look) -> Iterator[Found]:
    """An uplink leads to a device that is not in the plan."""
    for device in look.plan.devices:
        for link in _uplinks(device):
            if link.to not in look.by_name:
                yield Found(
                    f"its uplink leads to {link.to}, which is not in the plan{name_hint(link.to, look)}",
                    "Correct the name, or add the device",
                    UPLINKS,
                    (device.name,),
                    spot_of(device, UPLINKS),
                )


def _ends(look: Look) -> Iterator[tuple[Device, Uplink, Device, Uplink | None]]:
    """Each uplink to a known device, with that device's own entry back, if it has one."""
    for device in look.plan.devices:
        for link in _uplinks(device):
            far = look.by_name.get(link.to)
            if far is not None:
                yield device, link, far, _back(device, link, far)


def _back(device: Device, link: Uplink, far: Device) -> Uplink | None:
    backs = [b for b in _uplinks(far) if b.to == device.name]
    return next((b for b in backs if link.their is None or set(b.ports) & set(link.their)), backs[0] if backs else None)


@plan_check("uplink-disagrees", ERROR, repairs=True)
def uplink_disagrees(look: Look) -> Iterator[Found]:
    """Both ends of an uplink are planned, but name different ports for it."""
    for device, link, far, back in _ends(look):
        if back is None or (device.name > far.name and link.their is not None and back.their is not None):
            continue
        wrong = link.their is not None and set(link.their) != set(back.ports)
        wrong |= back.their is not None and set(back.their) != set(link.ports)
        wrong |= len(link.ports) != len(back.ports)
        if wrong:
            fix = None
            if (
                len(link.ports) == len(back.ports)
                and len(_uplinks(device)) == 1
                and set(back.their or link.ports) == set(link.ports)
            ):
                new = link.model_copy(update={"their": back.ports})
                fix = repair(f"say {fold_ports(back.ports)} at {device.name}", in_row(device, UPLINKS, str(new)))
            yield Found(
                f"its uplink {fold_ports(link.ports)} to {far.name} {fold_ports(link.their or ())} disagrees with "
                f"{far.name}'s {fold_ports(back.ports)}",
                "Look at the cable and correct one end",
                UPLINKS,
                (device.name, far.name),
                spot_of(device, UPLINKS),
                fix,
            )


@plan_check("uplink-vlans-differ", ERROR, source="IEEE 802.1Q")
def uplink_vlans_differ(look: Look) -> Iterator[Found]:
    """The two ends of an uplink carry different VLANs, or have different native VLANs."""
    seen: set[frozenset[str]] = set()
    for device, link, far, back in _ends(look):
        theirs = back.ports if back else link.their
        pair = frozenset((device.name, far.name, *link.ports))
        if theirs is None or pair in seen or not _ports(device) or not _ports(far):
            continue
        seen |= {pair, frozenset((device.name, far.name, *theirs))}
        near_end, far_end = _planned(device, link.ports[0]), _planned(far, theirs[0])
        if near_end is None or far_end is None:
            continue
        if set(near_end.tagged) != set(far_end.tagged) or (near_end.native or near_end.vlan) != (
            far_end.native or far_end.vlan
        ):
            yield Found(
                f"its end of the uplink carries {_carries(near_end)}, {far.name} {theirs[0]} {_carries(far_end)}",
                "Make both ends alike",
                PORTS,
                (device.name, far.name),
                spot_of(device, PORTS),
            )


def _planned(device: Device, name: str) -> Port | None:
    return next((p for p in _ports(device) if name in p.ports), None)


def _carries(port: Port) -> str:
    tags = ",".join(map(str, port.tagged)) or "no tags"
    return f"{tags} native {port.native or port.vlan or 1}"


@device_check("stp-priority-step", ERROR, STP_PRIORITY, source="IEEE 802.1Q 14.2", repairs=True)
def stp_priority_step(device: Device, look: Look) -> Iterator[Found]:
    """The spanning-tree priority is not a multiple of 4096."""
    priority = device[STP_PRIORITY]
    if priority is not None and priority % 4096:
        near = round(priority / 4096) * 4096
        yield Found(
            f"spanning-tree priority {priority} is not a multiple of 4096",
            f"Write {near}",
            STP_PRIORITY,
            repair=repair(f"make it {near}", where_it_stands(device, STP_PRIORITY, str(near))),
        )


@plan_check("stp-no-root", WARNING, source="IEEE 802.1Q 13")
def stp_no_root(look: Look) -> Iterator[Found]:
    """All switches of a site have the same spanning-tree priority, so chance decides which is root."""
    sites: dict[str, list[Device]] = defaultdict(list)
    for device in look.plan.devices:
        if device[STP_PRIORITY] is not None:
            sites[device.site.name].append(device)
    for site, devices in sites.items():
        priorities = {d[STP_PRIORITY] for d in devices}
        if len(devices) > 1 and len(priorities) == 1:
            yield Found(
                f"all {len(devices)} switches of {site} have spanning-tree priority {priorities.pop()}",
                "Give the one in the middle a lower number",
                STP_PRIORITY,
                tuple(d.name for d in devices),
                spot_of(devices[0], STP_PRIORITY),
            )


@device_check("voice-vlan-is-data", WARNING, VOICE_VLAN, PORTS, source="ANSI/TIA-1057")
def voice_vlan_is_data(device: Device, look: Look) -> Iterator[Found]:
    """The voice VLAN is also the untagged VLAN of access ports: telephones and desks would share it."""
    voice = device[VOICE_VLAN]
    for port in _ports(device):
        if voice is not None and port.mode == "access" and port.vlan == voice.vlan:
            yield Found(
                f"the voice VLAN {voice.vlan} is also the data VLAN of ports {fold_ports(port.ports)}",
                "Give telephones a VLAN of their own",
                VOICE_VLAN,
            )


@device_check("voice-vlan-not-carried", WARNING, VOICE_VLAN, PORTS, source="ANSI/TIA-1057")
def voice_vlan_not_carried(device: Device, look: Look) -> Iterator[Found]:
    """The voice VLAN is not on the ports of the telephones, or on no port that leads away from the switch."""
    voice, ports = device[VOICE_VLAN], _ports(device)
    if voice is None or not ports:
        return
    for port in ports:
        if port.mode == "mixed" and voice.vlan not in port.tagged and _PHONES.search(port.description):
            yield Found(
                f"ports {fold_ports(port.ports)} ({port.description}) do not carry the voice VLAN {voice.vlan}",
                f"Write tagged {voice.vlan}",
                PORTS,
            )
    away = [port for port in ports if port.mode == "trunk"]
    if away and not any(voice.vlan in (*port.tagged, port.native) for port in away):
        yield Found(f"no trunk carries the voice VLAN {voice.vlan}", "Tag it on the uplink", PORTS)


@device_check("route-without-way", ERROR, ROUTES, ADDRESS, VLAN_GATEWAYS, source="RFC 1812 5.2")
def route_without_way(device: Device, look: Look) -> Iterator[Found]:
    """A static route's next hop is in no subnet that the device has an address in."""
    if not device[ROUTES]:
        return
    own = [device.fixed.network] if device.fixed else []
    own += [g.address.network for g in device[VLAN_GATEWAYS] or ()]
    for route in device[ROUTES] or ():
        if own and not any(route.via in net for net in own):
            yield Found(
                f"the next hop {route.via} to {route.to} is in none of its subnets", "Correct the next hop", ROUTES
            )


@device_check("relay-without-gateway", WARNING, DHCP_RELAY, VLAN_GATEWAYS, source="RFC 2131")
def relay_without_gateway(device: Device, look: Look) -> Iterator[Found]:
    """A DHCP relay is planned, but the device has no address in any VLAN from which it could relay."""
    if device[DHCP_RELAY] and not device[VLAN_GATEWAYS]:
        yield Found(
            "a DHCP relay is planned without a VLAN gateway", "Plan switch.gateways, or leave the relay out", DHCP_RELAY
        )


stp_off = unsafe(
    "stp-off",
    "Spanning tree is off: one wrong cable stops the site.",
    {STP: "spanning tree is off"},
    "Turn it on",
    value=False,
    safe="on",
    words="turn it on",
    source="IEEE 802.1Q 13",
)
