"""Values with parts of switching and routing: VLANs, ports, groups of ports, routes."""

from __future__ import annotations

from typing import Annotated

from zinger.plan.values.item import (
    Flag,
    HostAddress,
    HostAddresses,
    Item,
    Mac,
    Name,
    Ports,
    Subnet,
    Text,
    VlanId,
    VlanIds,
    WithPrefix,
    number,
    word_of,
)


class Vlan(Item):
    """A VLAN (IEEE 802.1Q) with its name."""

    lead = ("id", "name")
    example = "20 staff"
    id: VlanId
    name: Text = ""


class Port(Item):
    """Ports of one kind: access (one VLAN, untagged), trunk (tagged, with a native VLAN), mixed (any of both), off.

    A `forbidden` VLAN (IEEE 802.1Q 8.8.2) is never a member, however it is asked for.
    """

    lead = ("ports", "mode")
    example = '1-16 access vlan 20 description "desks"'
    ports: Ports
    mode: Annotated[str, word_of("access", "trunk", "mixed", "off")]
    vlan: VlanId | None = None
    tagged: VlanIds = ()
    native: VlanId | None = None
    forbidden: VlanIds = ()
    description: Text = ""


SPEEDS = ("auto", "10", "100", "1000", "2500", "5000", "10000", "25000", "40000", "100000")
"""Of a port, in Mbit/s (IEEE 802.3)."""


class PortOptions(Item):
    """Options of ports other than VLANs. A part that is not planned is not sent.

    `speed` in Mbit/s and `duplex` (IEEE 802.3), `power` over Ethernet and who loses it last (IEEE 802.3bt, RFC 3621),
    `dot1x` that a station signs in first (IEEE 802.1X), spanning tree: `edge` port, `guard` (IEEE 802.1Q 13.27) and
    `tree_priority`; `storm`, the share of broadcasts that passes, in %; `access_list` by its purpose; `med` that the
    port announces the voice policy to a telephone (LLDP-MED, ANSI/TIA-1057).
    """

    lead = ("ports",)
    example = "1-16 speed auto power high dot1x on edge on guard bpdu storm 5 %"
    units = {"storm": "%"}
    ports: Ports
    enabled: Annotated[str, word_of("on", "off")] | None = None
    speed: Annotated[str, word_of(*SPEEDS)] | None = None
    duplex: Annotated[str, word_of("auto", "full", "half")] | None = None
    power: Annotated[str, word_of("off", "low", "high", "critical")] | None = None
    dot1x: Annotated[str, word_of("on", "off")] | None = None
    edge: Annotated[str, word_of("on", "off")] | None = None
    guard: Annotated[str, word_of("none", "root", "bpdu")] | None = None
    tree_priority: Annotated[int, number(0, 240, word="port priority")] | None = None
    storm: Annotated[int, number(0, 100, "%", "share in percent")] | None = None
    access_list: Text = ""
    med: Annotated[str, word_of("on", "off")] | None = None


class AccessRule(Item):
    """A rule of an access list, which is named by its purpose; the first rule that matches decides."""

    lead = ("list", "action")
    example = '"cameras to recorder" allow source 10.44.30.0/24 target 10.44.8.40 service tcp/554'
    list: Text
    action: Annotated[str, word_of("allow", "deny")]
    source: Text = "any"
    target: Text = "any"
    service: Text = "any"


class Lag(Item):
    """A link aggregation group (LACP, IEEE 802.1AX), its number, and whether spanning tree runs on it."""

    lead = ("name", "ports")
    example = "up1 23-24 mode active"
    name: Text
    ports: Ports
    mode: Annotated[str, word_of("active", "passive", "static")] = "active"
    id: Annotated[int, number(1, 255, word="group number")] | None = None
    spanning_tree: Annotated[str, word_of("on", "off")] | None = None


class Uplink(Item):
    """Where a port, or a group of them, leads: another device and its port or ports."""

    lead = ("ports", "to", "their")
    example = "23-24 kvr-cb-cs1 their 1/1-1/2"
    ports: Ports
    to: Name
    their: Ports | None = None


class VlanGateway(Item):
    """The device's own address in a VLAN, for which it routes, and where DHCP requests of that VLAN go (RFC 2131)."""

    lead = ("vlan", "address")
    example = "20 10.44.20.1/24 relay 10.44.8.25"
    vlan: VlanId
    address: WithPrefix
    relay: HostAddresses = ()


class Route(Item):
    """A static route: destination subnet and next hop."""

    lead = ("to", "via")
    example = "0.0.0.0/0 10.44.8.1"
    to: Subnet
    via: HostAddress


class VoiceVlan(Item):
    """The voice VLAN with its LLDP-MED network policy (ANSI/TIA-1057): CoS 0-7 (IEEE 802.1p), DSCP 0-63 (RFC 2474)."""

    lead = ("vlan",)
    example = "40 cos 5 dscp 46"
    vlan: VlanId
    cos: Annotated[int, number(0, 7, word="class of service")] = 5
    dscp: Annotated[int, number(0, 63, word="code point")] = 46


class Member(Item):
    """A member of a stack, by which its ports are numbered: which one leads, and which takes over when it fails."""

    lead = ("number", "serial")
    example = "1 QS2-0411 leads"
    number: Annotated[int, number(1, 16, word="member number")]
    serial: Text = ""
    leads: Flag = False
    takes_over: Flag = False


class RingPort(Item):
    """A port of a ring (IEC 62439-2), and the device that it leads to."""

    lead = ("ports", "partner")
    example = "9 kvr-uk-is2"
    ports: Ports
    partner: Name


class Binding(Item):
    """An address bound to a port: what comes in there with another address or MAC is dropped."""

    lead = ("port", "mac", "address")
    example = "7 02-4b-56-10-44-09 10.44.8.60 vlan 30"
    port: Ports
    mac: Mac
    address: HostAddress | None = None
    vlan: VlanId | None = None
