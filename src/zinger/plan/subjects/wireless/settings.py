"""The settings of wireless networks."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.wireless.models import Bridge, Joined, Radio, Radius, Ssid
from zinger.plan.values.addresses import parse_address, parse_interface
from zinger.plan.values.item import items
from zinger.plan.values.names import parse_country
from zinger.plan.values.text import parse_flag, parse_words, whole

COUNTRY = Setting(
    "wireless.country", "regulatory country", Stop.ROLE, parse_country, ("country",), reference="ISO 3166-1"
)
RADIOS = Setting("wireless.radios", "radios", Stop.ROLE, items(Radio), ("radios",), reference="IEEE 802.11")
SSIDS = Setting(
    "wireless.ssids", "wireless networks", Stop.ROLE, items(Ssid), ("ssids", "ssid"), reference="IEEE 802.11"
)
RADIUS = Setting("wireless.radius", "RADIUS servers", Stop.ROLE, items(Radius), ("radius",), reference="RFC 2865")
GUEST_SIGN_IN = Setting(
    "wireless.guest_sign_in",
    "address guests are sent to for sign-in",
    Stop.ROLE,
    parse_address,
    ("guest sign-in address",),
)
JOIN_ADDRESS = Setting(
    "wireless.join_address",
    "address access points join at",
    Stop.ROLE,
    parse_interface,
    ("join address",),
    reference="RFC 5415",
)
GUEST_TERMS = Setting(
    "wireless.guest_terms", "terms that guests are shown", Stop.ROLE, parse_words, ("guest terms", "terms of use")
)
STATIC_CLIENTS = Setting(
    "wireless.static_clients",
    "wireless clients with addresses of their own",
    Stop.ROLE,
    parse_flag,
    ("static wireless clients",),
)
CLIENT_LEASES = Setting(
    "wireless.dhcp_server",
    "DHCP server of wireless clients",
    Stop.ROLE,
    parse_address,
    ("wireless dhcp server",),
    reference="RFC 2131",
)
MESH = Setting("wireless.mesh", "mesh", Stop.ROLE, parse_flag, ("mesh",), reference="IEEE 802.11")
WPS = Setting("wireless.wps", "Wi-Fi Protected Setup", Stop.ROLE, parse_flag, ("wps",), reference="IEEE 802.11")
BRIDGE = Setting("wireless.bridge", "wireless bridge", Stop.ROLE, Bridge.read, ("bridge",), reference="IEEE 802.11")
JOINED = Setting(
    "wireless.joined",
    "network joined as a bridge",
    Stop.ROLE,
    Joined.read,
    ("joined network", "joins"),
    reference="IEEE 802.11",
)
SIGNAL = Setting(
    "wireless.signal",
    "signal-to-noise, at least",
    Stop.ROLE,
    whole(1, 90, "dB", word="signal-to-noise"),
    ("signal to noise", "snr"),
    reference="ITU-R P.525",
    unit="dB",
)

SETTINGS: tuple[Setting[Any], ...] = (
    COUNTRY,
    RADIOS,
    SSIDS,
    RADIUS,
    GUEST_SIGN_IN,
    GUEST_TERMS,
    STATIC_CLIENTS,
    CLIENT_LEASES,
    JOIN_ADDRESS,
    MESH,
    WPS,
    BRIDGE,
    JOINED,
    SIGNAL,
)
