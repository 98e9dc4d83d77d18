"""The settings of management: where a device is managed, and from where."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.values.addresses import (
    parse_address,
    parse_address6,
    parse_management,
    parse_management6,
    parse_network,
)
from zinger.plan.values.text import each, parse_vlan, parse_words

INTERFACE = Setting(
    "management.interface",
    "management interface",
    Stop.ADDRESS,
    parse_words,
    ("management interface", "mgmt interface", "management port"),
    reference="RFC 8343",
)
MANAGEMENT_VLAN = Setting(
    "management.vlan",
    "management VLAN",
    Stop.ADDRESS,
    parse_vlan,
    ("vlan", "management vlan", "mgmt vlan"),
    reference="IEEE 802.1Q",
)
ADDRESS = Setting(
    "management.address",
    "management address",
    Stop.ADDRESS,
    parse_management,
    ("address", "ip", "ip address", "management address", "mgmt ip", "management ip", "ipv4 address"),
    True,
    "RFC 4632",
)
OUT_OF_BAND = Setting(
    "management.out_of_band",
    "out-of-band address",
    Stop.ADDRESS,
    parse_management,
    ("out-of-band address", "oob address", "oob"),
    reference="RFC 4632, RFC 2131",
)
IPV6 = Setting(
    "management.ipv6",
    "IPv6 address",
    Stop.ADDRESS,
    parse_management6,
    ("ipv6", "ipv6 address"),
    reference="RFC 4291, RFC 4862",
)
GATEWAY = Setting(
    "management.gateway",
    "gateway",
    Stop.GATEWAY,
    parse_address,
    ("gateway", "default gateway", "default gw", "gw"),
    reference="RFC 1122 3.3.1",
)
GATEWAY6 = Setting(
    "management.gateway6", "IPv6 gateway", Stop.GATEWAY, parse_address6, ("ipv6 gateway",), reference="RFC 4861"
)
STATIONS = Setting(
    "management.stations",
    "managed from",
    Stop.SERVICES,
    each(parse_network),
    ("managed from", "management stations", "allowed stations"),
)

SETTINGS: tuple[Setting[Any], ...] = (
    INTERFACE,
    MANAGEMENT_VLAN,
    ADDRESS,
    OUT_OF_BAND,
    IPV6,
    GATEWAY,
    GATEWAY6,
    STATIONS,
)
