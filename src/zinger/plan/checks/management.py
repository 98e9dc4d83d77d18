"""Managing and being managed: services, stations, time, names, SNMP, idle timeouts."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_network
from typing import Any

from zinger.plan.checks.registry import MEND, THINK, Found, Look, device_check, repair, where_it_stands
from zinger.plan.model import Device
from zinger.plan.parsing import has_summer_rule
from zinger.plan.problems import Repair
from zinger.plan.settings import SETTINGS

IDLE_LIMIT = 60
"""Minutes; a session left open longer than an hour is somebody else's."""


def _turn_off(device: Device, setting: str) -> Repair:
    return repair("turn it off", where_it_stands(device, setting, "off"))


@device_check("management-in-the-clear", THINK, "services.telnet", "services.http", source="RFC 4251")
def management_in_the_clear(device: Device, look: Look) -> Iterator[Found]:
    """Telnet or HTTP is left on: passwords would cross the network readable by all."""
    for name, port in (("services.telnet", 23), ("services.http", 80)):
        if device.value(name) is True:
            yield Found(
                f"{SETTINGS[name].title} (port {port}) is left on", "Turn it off", name, repair=_turn_off(device, name)
            )


@device_check("no-way-to-prove", MEND, "services.ssh", "services.https", "services.netconf")
def no_way_to_prove(device: Device, look: Look) -> Iterator[Found]:
    """No management service is on over which the baseline could be proved from the network."""
    rules = look.rules(device)
    ways = rules.proved_over if rules else ("services.ssh",)
    if not any(device.value(way) is True for way in ways):
        words = " or ".join(SETTINGS[way].title for way in ways)
        yield Found(
            f"{words} is not on, so the baseline can't be proved",
            f"Plan {ways[0]}: on",
            ways[0],
            repair=repair(f"turn {SETTINGS[ways[0]].title} on", where_it_stands(device, ways[0], "on"))
            if ways[0] in device.values
            else None,
        )


@device_check("file-transfer-open", THINK, "services.tftp", source="RFC 1350 (it has no authentication)")
def file_transfer_open(device: Device, look: Look) -> Iterator[Found]:
    """TFTP is left on: anybody can read or write files without a password."""
    if device.value("services.tftp") is True:
        yield Found(
            "TFTP is left on, which knows no password",
            "Turn it off",
            "services.tftp",
            repair=_turn_off(device, "services.tftp"),
        )


@device_check("starts-from-usb", THINK, "services.usb_start")
def starts_from_usb(device: Device, look: Look) -> Iterator[Found]:
    """The device runs start-up scripts from whatever USB stick is put in."""
    if device.value("services.usb_start") is True:
        yield Found(
            "it runs start-up scripts from any USB stick",
            "Turn it off",
            "services.usb_start",
            repair=_turn_off(device, "services.usb_start"),
        )


@device_check("takes-what-is-offered", THINK, "services.offered", source="RFC 2132")
def takes_what_is_offered(device: Device, look: Look) -> Iterator[Found]:
    """The device loads a configuration or an image from whatever DHCP server answers first."""
    if device.value("services.offered") is True:
        yield Found(
            "it loads what any DHCP server offers",
            "Turn it off once it has its baseline",
            "services.offered",
            repair=_turn_off(device, "services.offered"),
        )


@device_check("management-open", THINK, "management.stations")
def management_open(device: Device, look: Look) -> Iterator[Found]:
    """Anybody may try to manage the device: no station list, or one that contains every address."""
    stations = device.value("management.stations")
    if not stations:
        yield Found("any station may try to manage it", "Plan management.stations", "management.stations")
    elif any(net.prefixlen == 0 for net in stations):
        every = next(net for net in stations if net.prefixlen == 0)
        rest = tuple(net for net in stations if net.prefixlen)
        fix = (
            repair(
                "leave it out",
                where_it_stands(device, "management.stations", SETTINGS["management.stations"].text(rest)),
            )
            if rest
            else None
        )
        yield Found(
            f"{every} lets any station manage it", "Name the stations' subnet", "management.stations", repair=fix
        )


@device_check("stations-shut-you-out", THINK, "management.stations", "management.address")
def stations_shut_you_out(device: Device, look: Look) -> Iterator[Found]:
    """The station list leaves out the device's own subnet: the laptop at its site could not prove it."""
    stations = device.value("management.stations")
    if not stations or device.fixed is None:
        return
    net = device.fixed.network
    if not any(net.version == s.version and net.overlaps(s) for s in stations):
        yield Found(
            f"no station of {net} may manage it, so it can't be proved from there",
            "Add the subnet of the bench until it is proved",
            "management.stations",
        )


@device_check("idle-long", THINK, "idle.timeout", "idle.console", "idle.remote", "idle.web")
def idle_long(device: Device, look: Look) -> Iterator[Found]:
    """A session may stay open for more than an hour without anybody at it."""
    for name in ("idle.timeout", "idle.console", "idle.remote", "idle.web"):
        minutes = device.value(name)
        if minutes and minutes > IDLE_LIMIT:
            yield Found(
                f"{SETTINGS[name].title}: {minutes} min is long",
                "Ten minutes is usual",
                name,
                repair=repair("make it 10 min", where_it_stands(device, name, "10 min")),
            )


@device_check("banner-invites", THINK, "banner")
def banner_invites(device: Device, look: Look) -> Iterator[Found]:
    """The banner bids welcome, which has been read as an invitation."""
    banner = device.value("banner")
    if banner and "welcome" in banner.lower():
        yield Found("the banner bids welcome", "Say whose device it is and who may use it", "banner")


# -- time and names ------------------------------------------------------------------------------------
@device_check("time-missing", THINK, "ntp.servers", source="RFC 5905")
def time_missing(device: Device, look: Look) -> Iterator[Found]:
    """No time server is planned: logs and certificates need the time."""
    if not device.value("ntp.servers"):
        yield Found("no time server is planned", "Plan ntp.servers", "ntp.servers")


@device_check("time-single", THINK, "ntp.servers", source="RFC 8633 3.2")
def time_single(device: Device, look: Look) -> Iterator[Found]:
    """A single time server: when it fails or errs, nothing tells."""
    servers: tuple[Any, ...] = device.value("ntp.servers") or ()
    if len(servers) == 1:
        only = servers[0]
        yield Found(f"{only.host} is the only time server", "Name a second, better four", "ntp.servers")


@device_check("time-server-is-device", MEND, "ntp.servers", "management.address")
def time_server_is_device(device: Device, look: Look) -> Iterator[Found]:
    """The device is its own time server."""
    address, servers = device.fixed, device.value("ntp.servers") or ()
    if address and any(s.host == address.ip for s in servers):
        rest = tuple(s for s in servers if s.host != address.ip)
        in_sheet = "ntp.servers" in device.own and len(rest) > 1
        yield Found(
            f"{address.ip} is the device itself",
            "Name another time server",
            "ntp.servers",
            repair=repair(
                "take it off the list", where_it_stands(device, "ntp.servers", SETTINGS["ntp.servers"].text(rest))
            )
            if in_sheet
            else None,
        )


@device_check("time-preferred-twice", THINK, "ntp.servers", source="RFC 5905")
def time_preferred_twice(device: Device, look: Look) -> Iterator[Found]:
    """More than one time server is preferred, so none is."""
    servers = device.value("ntp.servers") or ()
    if sum(s.preferred for s in servers) > 1:
        first = next(s for s in servers if s.preferred)
        one = tuple(s if s is first else s.model_copy(update={"preferred": False}) for s in servers)
        yield Found(
            "more than one time server is preferred",
            "Prefer one",
            "ntp.servers",
            repair=repair(
                f"prefer {first.host} only", where_it_stands(device, "ntp.servers", SETTINGS["ntp.servers"].text(one))
            ),
        )


@device_check("time-key-missing", MEND, "ntp.servers", "ntp.secret", source="RFC 8573")
def time_key_missing(device: Device, look: Look) -> Iterator[Found]:
    """A time server has a key number, but no secret is planned for it."""
    if any(s.key for s in device.value("ntp.servers") or ()) and device.value("ntp.secret") is None:
        yield Found("a time server has a key, but its secret is not planned", "Plan ntp.secret", "ntp.servers")


@device_check("zone-without-rule", THINK, "clock.zone", "clock.summer", source="RFC 6557")
def zone_without_rule(device: Device, look: Look) -> Iterator[Found]:
    """The time zone has no daylight-saving rule: logs would be an hour off for half of the year, where there is one."""
    zone, summer = device.value("clock.zone"), device.value("clock.summer")
    if zone and summer is not False and not has_summer_rule(zone):
        yield Found(
            f"the time zone {zone} has no daylight-saving rule",
            "Name a place, like Europe/Vienna, or plan clock.summer: off",
            "clock.zone",
        )


@device_check("name-without-dns", MEND, "dns.servers", "ntp.servers", "syslog.servers", "update.server")
def name_without_dns(device: Device, look: Look) -> Iterator[Found]:
    """A server is given by name, but no DNS server is planned that could tell its address."""
    if device.value("dns.servers"):
        return
    for setting in ("ntp.servers", "syslog.servers"):
        for server in device.value(setting) or ():
            if isinstance(server.host, str):
                yield Found(
                    f"{server.host} is a name, and no DNS server is planned",
                    "Plan dns.servers, or give the address",
                    setting,
                )


# -- SNMP ----------------------------------------------------------------------------------------------
@device_check("community-well-known", MEND, "snmp.communities", source="RFC 3584")
def community_well_known(device: Device, look: Look) -> Iterator[Found]:
    """The SNMP community is one of the words that everybody tries first."""
    for community in device.value("snmp.communities") or ():
        traits = look.traits(community.secret)
        if traits and traits.well_known:
            yield Found(
                f"the community in {community.secret.name} is well known",
                f"Set another: zinger secret JOB '{community.secret.name}'",
                "snmp.communities",
            )


@device_check("community-writes", THINK, "snmp.communities", source="RFC 3584")
def community_writes(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP v2c community may write: whoever hears it once can change the device."""
    for community in device.value("snmp.communities") or ():
        if community.access == "write":
            yield Found(
                f"the community in {community.secret.name} may write", "Read only, or SNMP v3", "snmp.communities"
            )


@device_check("community-open", THINK, "snmp.communities")
def community_open(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP community is taken from any station."""
    for community in device.value("snmp.communities") or ():
        if community.stations is None or community.stations == ip_network("0.0.0.0/0"):
            yield Found(
                f"the community in {community.secret.name} is taken from any station",
                "Write `stations` and their subnet behind it",
                "snmp.communities",
            )


@device_check("snmp-weak", THINK, "snmp.users", source="RFC 7860, RFC 3826")
def snmp_weak(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP v3 user has no or outdated authentication or privacy."""
    for user in device.value("snmp.users") or ():
        weak = [
            w
            for w in (
                user.auth if user.auth in ("none", "md5") else "",
                user.privacy if user.privacy in ("none", "des") else "",
            )
            if w
        ]
        if weak:
            better = user.model_copy(
                update={"auth": "sha-256" if user.auth in ("none", "md5") else user.auth, "privacy": "aes"}
            )
            every = tuple(better if u is user else u for u in device.value("snmp.users"))
            yield Found(
                f"SNMP user {user.name} has {' and '.join(weak)}",
                "Use sha-256 and aes",
                "snmp.users",
                repair=repair(
                    "use sha-256 and aes", where_it_stands(device, "snmp.users", SETTINGS["snmp.users"].text(every))
                )
                if len(every) == 1
                else None,
            )
