"""Checks of wireless networks: country, channels and power, networks and their keys, bridges.

What each regulatory country allows is in a small table of channels and powers (EIRP in dBm), as published by
ETSI EN 300 328, EN 301 893 and FCC 47 CFR 15.247 and 15.407; countries that are not in it are not judged.
"""

from __future__ import annotations

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
from zinger.plan.subjects.management.settings import MANAGEMENT_VLAN
from zinger.plan.subjects.wireless.models import Bridge, Radio
from zinger.plan.subjects.wireless.settings import BRIDGE, COUNTRY, JOINED, MESH, RADIOS, RADIUS, SSIDS

_EUROPE = frozenset(
    "AT BE BG CH CY CZ DE DK EE ES FI FR GB GR HR HU IE IS IT LI LT LU LV MT NL NO PL PT RO SE SI SK".split()
)
_AMERICA = frozenset(["US", "CA", "MX"])
_Bands = dict[str, tuple[tuple[range, int], ...]]
_ETSI: _Bands = {
    "2.4": ((range(1, 14), 20),),
    "5": ((range(36, 49, 4), 23), (range(52, 65, 4), 20), (range(100, 141, 4), 27)),
    "6": ((range(1, 94, 4), 23),),
}
_FCC: _Bands = {
    "2.4": ((range(1, 12), 30),),
    "5": ((range(36, 49, 4), 30), (range(52, 65, 4), 24), (range(100, 145, 4), 24), (range(149, 166, 4), 30)),
    "6": ((range(1, 234, 4), 30),),
}


def allowed(country: str, band: str) -> tuple[tuple[range, int], ...] | None:
    """Channels and highest EIRP in dBm of a band (GHz) in a country, or None when the table does not know it."""
    table = _ETSI if country in _EUROPE else _FCC if country in _AMERICA else None
    return table.get(band) if table else None


@device_check("country-missing", ERROR, COUNTRY, RADIOS, SSIDS, BRIDGE)
def country_missing(device: Device, look: Look) -> Iterator[Found]:
    """No regulatory country is planned, which decides on channels and power."""
    wireless = device[RADIOS], device[SSIDS], device[BRIDGE]
    if device[COUNTRY] is None and any(wireless):
        yield Found("no regulatory country is planned for a wireless device", "Plan wireless.country", COUNTRY)


def _radios(device: Device) -> Iterator[tuple[str, Radio | Bridge, Key]]:
    """Radios and the bridge's radio, with band and setting."""
    for radio in device[RADIOS] or ():
        yield radio.band, radio, RADIOS
    bridge = device[BRIDGE]
    if bridge is not None:
        yield ("5" if (bridge.channel or 36) > 14 else "2.4"), bridge, BRIDGE


@device_check(
    "channel-not-allowed", ERROR, COUNTRY, RADIOS, BRIDGE, source="ETSI EN 300 328, EN 301 893; FCC 47 CFR 15"
)
def channel_not_allowed(device: Device, look: Look) -> Iterator[Found]:
    """A channel is planned that the country does not allow in that band."""
    country = device[COUNTRY]
    for band, radio, setting in _radios(device):
        known = allowed(country, band) if country else None
        if known is not None and radio.channel is not None and not any(radio.channel in part for part, _ in known):
            yield Found(
                f"channel {radio.channel} at {band} GHz is not allowed in {country}", "Choose another channel", setting
            )


@device_check(
    "power-not-allowed",
    ERROR,
    COUNTRY,
    RADIOS,
    BRIDGE,
    source="ETSI EN 300 328, EN 301 893; FCC 47 CFR 15",
    repairs=True,
)
def power_not_allowed(device: Device, look: Look) -> Iterator[Found]:
    """More power is planned than the country allows on that channel."""
    country = device[COUNTRY]
    for band, radio, setting in _radios(device):
        known = allowed(country, band) if country else None
        if known is None or radio.power is None:
            continue
        most = max((p for part, p in known if radio.channel in part), default=max(p for _, p in known))
        if radio.power > most:
            fix = None
            if setting == RADIOS:
                new = tuple(r.model_copy(update={"power": most}) if r is radio else r for r in device[RADIOS] or ())
                fix = repair(f"make it {most} dBm", where_it_stands(device, RADIOS, RADIOS.text(new)))
            yield Found(
                f"{radio.power} dBm at {band} GHz is more than the {most} dBm of {country}",
                "Turn it down",
                setting,
                repair=fix,
            )


@device_check("radio-auto-and-fixed", ERROR, RADIOS)
def radio_auto_and_fixed(device: Device, look: Look) -> Iterator[Found]:
    """A radio is to choose its channel or power, and has one planned too."""
    for radio in device[RADIOS] or ():
        for word, auto, fixed in (
            ("channel", radio.auto_channel, radio.channel),
            ("power", radio.auto_power, radio.power),
        ):
            if auto and fixed is not None:
                yield Found(
                    f"the {radio.band} GHz radio chooses its {word}, and {word} {fixed} is planned",
                    f"Leave out one of auto-{word} and {word}",
                    RADIOS,
                )


@device_check("ssid-too-long", ERROR, SSIDS, source="IEEE 802.11 9.4.2.2")
def ssid_too_long(device: Device, look: Look) -> Iterator[Found]:
    """The name of a wireless network is longer than 32 bytes in UTF-8."""
    for ssid in device[SSIDS] or ():
        size = len(ssid.name.encode())
        if size > 32 or not size:
            yield Found(f"the SSID {ssid.name!r} has {size} bytes; 1 to 32 are allowed", "Shorten it", SSIDS)


@device_check("ssid-twice", ERROR, SSIDS)
def ssid_twice(device: Device, look: Look) -> Iterator[Found]:
    """One wireless network is planned twice on one band."""
    seen: set[tuple[str, str]] = set()
    for ssid in device[SSIDS] or ():
        if (ssid.name, ssid.band) in seen:
            yield Found(f"the SSID {ssid.name!r} is planned twice", "Remove one", SSIDS)
        seen.add((ssid.name, ssid.band))


@device_check("ssid-open", WARNING, SSIDS)
def ssid_open(device: Device, look: Look) -> Iterator[Found]:
    """A wireless network has neither a key nor 802.1X, and is not the guests'."""
    for ssid in device[SSIDS] or ():
        if ssid.security == "open" and not ssid.guest:
            yield Found(f"the SSID {ssid.name!r} is open to anybody", "Give it a key, or mark it `guest`", SSIDS)


@device_check("ssid-without-key", ERROR, SSIDS, JOINED)
def ssid_without_key(device: Device, look: Look) -> Iterator[Found]:
    """A wireless network with a pre-shared key names no secret."""
    joined = device[JOINED]
    for setting, of in ((SSIDS, device[SSIDS] or ()), (JOINED, (joined,) if joined else ())):
        for ssid in of:
            if ssid.security == "psk" and ssid.secret is None:
                yield Found(f"the SSID {ssid.name!r} has no key", "Name its vault entry: secret NAME", setting)


@device_check("ssid-key-length", ERROR, SSIDS, source="IEEE 802.11 J.4")
def ssid_key_length(device: Device, look: Look) -> Iterator[Found]:
    """A pre-shared key has not 8 to 63 characters (or 64 hexadecimal digits)."""
    for ssid in device[SSIDS] or ():
        traits = look.traits(ssid.secret) if ssid.security == "psk" else None
        if traits and not 8 <= traits.length <= 63 and not (traits.length == 64 and traits.hex_digits):
            yield Found(
                f"the key of {ssid.name!r} has {traits.length} characters; 8 to 63 are allowed",
                f"Set another: zinger secret JOB '{ssid.secret.name if ssid.secret else ''}'",
                SSIDS,
            )


@device_check("ssid-key-weak", WARNING, SSIDS)
def ssid_key_weak(device: Device, look: Look) -> Iterator[Found]:
    """A pre-shared key counts (12345678), repeats, or is easily guessed: it can be tried offline, without end."""
    for ssid in device[SSIDS] or ():
        traits = look.traits(ssid.secret) if ssid.security == "psk" else None
        if traits and (traits.counts or traits.score < 3):
            how = "counts or repeats" if traits.counts else "is easily guessed"
            yield Found(
                f"the key of {ssid.name!r} {how}",
                f"Set another: zinger secret JOB '{ssid.secret.name if ssid.secret else ''}'",
                SSIDS,
            )


@device_check("radius-missing", ERROR, SSIDS, RADIUS, source="RFC 2865")
def radius_missing(device: Device, look: Look) -> Iterator[Found]:
    """A wireless network uses 802.1X, and no RADIUS server is planned."""
    for ssid in device[SSIDS] or ():
        if ssid.security == "802.1x" and not device[RADIUS]:
            yield Found(
                f"the SSID {ssid.name!r} needs a RADIUS server, and none is planned", "Plan wireless.radius", SSIDS
            )


@device_check("guest-on-management", ERROR, SSIDS, MANAGEMENT_VLAN)
def guest_on_management(device: Device, look: Look) -> Iterator[Found]:
    """Guests are on the management VLAN."""
    for ssid in device[SSIDS] or ():
        if ssid.guest and ssid.vlan is not None and ssid.vlan == device[MANAGEMENT_VLAN]:
            yield Found(
                f"the guests of {ssid.name!r} are on the management VLAN {ssid.vlan}",
                "Give guests a VLAN of their own",
                SSIDS,
            )


@plan_check("joined-not-sent", ERROR)
def joined_not_sent(look: Look) -> Iterator[Found]:
    """A device joins a network of another planned device that sends none of that name, or with another key."""
    for device in look.plan.devices:
        joined = device[JOINED]
        if joined is None or joined.via is None:
            continue
        sender = look.by_name.get(joined.via)
        named = [ssid for ssid in (sender[SSIDS] or () if sender else ()) if ssid.name == joined.name]
        if sender is None:
            what, do = f"{joined.via}, which is not in the plan{name_hint(joined.via, look)}", "Correct the name"
        elif not named:
            what, do = f"{joined.via}, which sends no {joined.name!r}", f"Plan it for {joined.via}, or join another"
        elif not any(ssid.security == joined.security and ssid.secret == joined.secret for ssid in named):
            what, do = f"{joined.via}, where it opens otherwise", "Name the same security and vault entry at both"
        else:
            continue
        involved = (device.name,) if sender is None else (device.name, sender.name)
        yield Found(f"it joins {joined.name!r} of {what}", do, JOINED, involved, spot_of(device, JOINED))


def _pairs(look: Look) -> Iterator[tuple[Device, Bridge, Device, Bridge]]:
    for device in look.plan.devices:
        mine = device[BRIDGE]
        far = look.by_name.get(mine.peer) if mine is not None else None
        theirs = far[BRIDGE] if far is not None else None
        if mine is not None and far is not None and theirs is not None and device.name < far.name:
            yield device, mine, far, theirs


@plan_check("bridge-alone", ERROR)
def bridge_alone(look: Look) -> Iterator[Found]:
    """The other end of a bridge is not in the plan, or does not name this one."""
    for device in look.plan.devices:
        bridge = device[BRIDGE]
        if bridge is None:
            continue
        far = look.by_name.get(bridge.peer)
        if far is None:
            yield Found(
                f"its bridge leads to {bridge.peer}, which is not in the plan{name_hint(bridge.peer, look)}",
                "Correct the name, or add the device",
                BRIDGE,
                (device.name,),
                spot_of(device, BRIDGE),
            )
        elif (back := far[BRIDGE]) is None or back.peer != device.name:
            says = f"leads to {back.peer}" if back else "is not planned"
            yield Found(
                f"its bridge leads to {far.name}, whose own {says}",
                "Make both ends name each other",
                BRIDGE,
                (device.name,),
                spot_of(device, BRIDGE),
            )


@plan_check("bridge-roles-equal", ERROR, repairs=True)
def bridge_roles_equal(look: Look) -> Iterator[Found]:
    """Both ends of a bridge have the same role: one must be access point, the other station."""
    for device, mine, far, theirs in _pairs(look):
        if mine.role == theirs.role:
            other = "station" if mine.role == "access-point" else "access-point"
            new = theirs.model_copy(update={"role": other})
            yield Found(
                f"it and {far.name} are both {mine.role}",
                "Make one access-point, the other station",
                BRIDGE,
                (device.name, far.name),
                spot_of(far, BRIDGE),
                repair(f"make {far.name} {other}", in_row(far, BRIDGE, str(new))),
            )


@plan_check("bridge-channels-differ", ERROR, repairs=True)
def bridge_channels_differ(look: Look) -> Iterator[Found]:
    """The ends of a bridge are planned on different channels."""
    for device, mine, far, theirs in _pairs(look):
        if mine.channel and theirs.channel and mine.channel != theirs.channel:
            new = theirs.model_copy(update={"channel": mine.channel})
            yield Found(
                f"it is on channel {mine.channel}, {far.name} on {theirs.channel}",
                "Put both on one channel",
                BRIDGE,
                (device.name, far.name),
                spot_of(far, BRIDGE),
                repair(f"put {far.name} on {mine.channel}", in_row(far, BRIDGE, str(new))),
            )


SHORT, FULL = 500, 20
"""Metres below which a bridge wants less than full power, and what counts as full (dBm)."""


@plan_check("bridge-too-loud", WARNING, repairs=True)
def bridge_too_loud(look: Look) -> Iterator[Found]:
    """The ends of a bridge are close together at full power: the receivers are overdriven."""
    for device, mine, far, theirs in _pairs(look):
        distance = mine.distance or theirs.distance
        loud = [(d, b) for d, b in ((device, mine), (far, theirs)) if b.power is None or b.power >= FULL]
        if distance is not None and distance < SHORT and loud:
            changes = [in_row(d, BRIDGE, str(b.model_copy(update={"power": 12}))) for d, b in loud]
            which = "both ends" if len(loud) == 2 else loud[0][0].name
            power = (
                "full power" if any(b.power is None for _, b in loud) else f"{max(b.power or 0 for _, b in loud)} dBm"
            )
            yield Found(
                f"the ends are {distance} m apart at {power}: turn it down",
                "Twelve dBm is enough for such a link",
                BRIDGE,
                (device.name, far.name),
                spot_of(loud[0][0], BRIDGE),
                repair(f"set 12 dBm on {which}", *changes),
            )


mesh_on = unsafe(
    "mesh-on",
    "Mesh is on before it is needed: it would join whatever neighbour answers.",
    {MESH: "mesh is on"},
    "Leave it off until it is needed",
)
