"""Checks of management services: what is left open, SNMP, idle timeouts."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_network

from zinger.plan.checking import ERROR, WARNING, Found, Look, device_check, repair, unsafe, where_it_stands
from zinger.plan.model import Device
from zinger.plan.subjects.services.settings import (
    BANNER,
    DHCP_OFFERED,
    HTTP,
    HTTPS,
    IDLE,
    IDLE_CONSOLE,
    IDLE_NETWORK,
    IDLE_WEB,
    NETCONF,
    SNMP_COMMUNITIES,
    SNMP_USERS,
    SSH,
    TELNET,
    TFTP,
    USB_START,
)

IDLE_LIMIT = 60
"""Minutes; a session left open longer than an hour is somebody else's."""
_WAYS = {way.name: way for way in (SSH, HTTPS, NETCONF)}


@device_check("no-way-to-prove", ERROR, SSH, HTTPS, NETCONF, repairs=True)
def no_way_to_prove(device: Device, look: Look) -> Iterator[Found]:
    """No management service is on over which the baseline could be proved from the network."""
    rules = look.rules(device)  # of an unknown family nobody knows over what; it is set by hand, and never proved
    ways = [_WAYS[name] for name in rules.proved_over if name in _WAYS] if rules else []
    if ways and not any(device[way] is True for way in ways):
        words, first = " or ".join(way.title for way in ways), ways[0]
        fix = repair(f"turn {first.title} on", where_it_stands(device, first, "on"))
        yield Found(
            f"{words} is not on, so the baseline can't be proved",
            f"Plan {first.name}: on",
            first,
            repair=fix if first.name in device.values else None,
        )


@device_check("idle-long", WARNING, IDLE, IDLE_CONSOLE, IDLE_NETWORK, IDLE_WEB, repairs=True)
def idle_long(device: Device, look: Look) -> Iterator[Found]:
    """A session may stay open for more than an hour without anybody at it."""
    for setting in (IDLE, IDLE_CONSOLE, IDLE_NETWORK, IDLE_WEB):
        minutes = device[setting]
        if minutes and minutes > IDLE_LIMIT:
            yield Found(
                f"{setting.title}: {minutes} min is long",
                "Ten minutes is usual",
                setting,
                repair=repair("make it 10 min", where_it_stands(device, setting, "10 min")),
            )


@device_check("banner-invites", WARNING, BANNER)
def banner_invites(device: Device, look: Look) -> Iterator[Found]:
    """The banner bids welcome, which has been read as an invitation."""
    banner = device[BANNER]
    if banner and "welcome" in banner.lower():
        yield Found("the banner bids welcome", "Say whose device it is and who may use it", BANNER)


@device_check("community-well-known", ERROR, SNMP_COMMUNITIES, source="RFC 3584")
def community_well_known(device: Device, look: Look) -> Iterator[Found]:
    """The SNMP community is one of the words that everybody tries first."""
    for community in device[SNMP_COMMUNITIES] or ():
        traits = look.traits(community.secret)
        if traits and traits.well_known:
            yield Found(
                f"the community in {community.secret.name} is well known",
                f"Set another: zinger secret JOB '{community.secret.name}'",
                SNMP_COMMUNITIES,
            )


@device_check("community-writes", WARNING, SNMP_COMMUNITIES, source="RFC 3584")
def community_writes(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP v2c community may write: whoever hears it once can change the device."""
    for community in device[SNMP_COMMUNITIES] or ():
        if community.access == "write":
            yield Found(
                f"the community in {community.secret.name} may write", "Read only, or SNMP v3", SNMP_COMMUNITIES
            )


@device_check("community-open", WARNING, SNMP_COMMUNITIES)
def community_open(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP community is taken from any station."""
    for community in device[SNMP_COMMUNITIES] or ():
        if community.stations is None or community.stations == ip_network("0.0.0.0/0"):
            yield Found(
                f"the community in {community.secret.name} is taken from any station",
                "Write `stations` and their subnet behind it",
                SNMP_COMMUNITIES,
            )


@device_check("snmp-weak", WARNING, SNMP_USERS, source="RFC 7860, RFC 3826", repairs=True)
def snmp_weak(device: Device, look: Look) -> Iterator[Found]:
    """An SNMP v3 user has no or outdated authentication or privacy."""
    for user in device[SNMP_USERS] or ():
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
            every = tuple(better if u is user else u for u in device[SNMP_USERS] or ())
            yield Found(
                f"SNMP user {user.name} has {' and '.join(weak)}",
                "Use sha-256 and aes",
                SNMP_USERS,
                repair=repair("use sha-256 and aes", where_it_stands(device, SNMP_USERS, SNMP_USERS.text(every)))
                if len(every) == 1
                else None,
            )


management_in_the_clear = unsafe(
    "management-in-the-clear",
    "Telnet or HTTP is left on: passwords would cross the network readable by all.",
    {TELNET: "Telnet (port 23) is left on", HTTP: "HTTP (port 80) is left on"},
    "Turn it off",
    source="RFC 4251",
)
file_transfer_open = unsafe(
    "file-transfer-open",
    "TFTP is left on: anybody can read or write files without a password.",
    {TFTP: "TFTP is left on, which has no authentication"},
    "Turn it off",
    source="RFC 1350",
)
starts_from_usb = unsafe(
    "starts-from-usb",
    "The device runs start-up scripts from whatever USB stick is put in.",
    {USB_START: "it runs start-up scripts from any USB stick"},
    "Turn it off",
)
takes_what_is_offered = unsafe(
    "takes-what-is-offered",
    "The device loads a configuration or an image from whatever DHCP server answers first.",
    {DHCP_OFFERED: "it loads what any DHCP server offers"},
    "Turn it off once it has its baseline",
    source="RFC 2132",
)
