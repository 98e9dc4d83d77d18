"""The settings of switching and routing."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.switching.models import (
    AccessRule,
    Binding,
    Lag,
    Member,
    Port,
    PortOptions,
    RingPort,
    Route,
    Uplink,
    Vlan,
    VlanGateway,
    VoiceVlan,
)
from zinger.plan.values.addresses import parse_address
from zinger.plan.values.item import items
from zinger.plan.values.text import each, parse_flag, whole

VLANS = Setting("switch.vlans", "VLANs", Stop.ROLE, items(Vlan), ("vlans",), reference="IEEE 802.1Q")
DEFAULT_VLAN_CLOSED = Setting(
    "switch.default_vlan_closed",
    "default VLAN closed",
    Stop.ROLE,
    parse_flag,
    ("default vlan closed",),
    reference="IEEE 802.1Q",
)
PORTS = Setting("switch.ports", "ports", Stop.ROLE, items(Port), ("ports",), reference="IEEE 802.1Q")
PORT_OPTIONS = Setting(
    "switch.port_options",
    "port options",
    Stop.ROLE,
    items(PortOptions),
    ("port options",),
    reference="IEEE 802.3, 802.1X, 802.1Q",
)
ACCESS_LISTS = Setting("switch.access_lists", "access lists", Stop.ROLE, items(AccessRule), ("access lists", "acl"))
ROUTING = Setting("switch.routing", "routing between VLANs", Stop.ROLE, parse_flag, ("routing",), reference="RFC 1812")
LAGS = Setting(
    "switch.lags", "link aggregation", Stop.ROLE, items(Lag), ("lacp", "link aggregation"), reference="IEEE 802.1AX"
)
MEMBERS = Setting("switch.members", "stack members", Stop.ROLE, items(Member), ("stack", "stack members"))
BINDINGS = Setting("switch.bindings", "addresses bound to ports", Stop.ROLE, items(Binding), ("bindings",))
RING = Setting("switch.ring", "ring", Stop.ROLE, items(RingPort), ("ring",), reference="IEC 62439-2")
UPLINKS = Setting("switch.uplinks", "uplinks", Stop.ROLE, items(Uplink), ("uplink", "uplinks"))
STP = Setting("switch.stp", "spanning tree", Stop.ROLE, parse_flag, ("spanning tree",), reference="IEEE 802.1Q")
STP_PRIORITY = Setting(
    "switch.stp_priority",
    "spanning-tree priority",
    Stop.ROLE,
    whole(0, 61440, word="bridge priority"),
    ("stp priority", "spanning tree priority"),
    reference="IEEE 802.1Q 14.2",
)
IGMP_SNOOPING = Setting(
    "switch.igmp_snooping", "IGMP snooping", Stop.ROLE, parse_flag, ("igmp snooping",), reference="RFC 4541"
)
VOICE_VLAN = Setting(
    "switch.voice", "voice VLAN", Stop.ROLE, VoiceVlan.read, ("voice vlan",), reference="ANSI/TIA-1057"
)
VLAN_GATEWAYS = Setting(
    "switch.gateways", "VLAN gateways", Stop.ROLE, items(VlanGateway), ("vlan gateways",), reference="RFC 1812"
)
DHCP_RELAY = Setting(
    "switch.dhcp_relay", "DHCP relay to", Stop.ROLE, each(parse_address), ("dhcp relay",), reference="RFC 2131"
)
ROUTES = Setting("switch.routes", "static routes", Stop.ROLE, items(Route), ("routes",), reference="RFC 1812")

SETTINGS: tuple[Setting[Any], ...] = (
    VLANS,
    DEFAULT_VLAN_CLOSED,
    PORTS,
    ACCESS_LISTS,
    PORT_OPTIONS,
    LAGS,
    MEMBERS,
    BINDINGS,
    UPLINKS,
    RING,
    STP,
    STP_PRIORITY,
    IGMP_SNOOPING,
    VOICE_VLAN,
    ROUTING,
    VLAN_GATEWAYS,
    DHCP_RELAY,
    ROUTES,
)
