"""Values with parts of wireless networks: radios, networks, RADIUS servers, bridges."""

from __future__ import annotations

from typing import Annotated

from zinger.plan.values.item import Flag, Host, Item, Name, Secret, TcpPort, Text, VlanId, number, word_of


class Radio(Item):
    """A radio: band in GHz, channel (IEEE 802.11), width in MHz, transmit power in dBm; or the device chooses them.

    A band that is `off` sends nothing.
    """

    lead = ("band",)
    example = "5 channel 36 width 40 MHz power 17 dBm"
    units = {"width": "MHz", "power": "dBm"}
    band: Annotated[str, word_of("2.4", "5", "6")]
    channel: Annotated[int, number(1, 233, word="channel")] | None = None
    width: Annotated[int, number(20, 320, "MHz", "channel width")] = 20
    power: Annotated[int, number(0, 36, "dBm", "power in dBm")] | None = None
    auto_channel: Flag = False
    auto_power: Flag = False
    off: Flag = False


class Ssid(Item):
    """A wireless network; its name is at most 32 bytes (IEEE 802.11 9.4.2.2)."""

    lead = ("name", "security")
    example = '"Kettlestone staff" psk secret wifi-staff vlan 20'
    name: Text
    security: Annotated[str, word_of("open", "psk", "802.1x")]
    secret: Secret | None = None
    vlan: VlanId | None = None
    band: Annotated[str, word_of("2.4", "5", "6", "all")] = "all"
    guest: Flag = False


class Joined(Item):
    """Another wireless network that the device joins as a bridge, and the planned device that sends it."""

    lead = ("name", "security")
    example = '"Kettlestone staff" psk secret wifi-staff via kvr-cb-wc1'
    of_the_plan = frozenset({"via"})
    name: Text
    security: Annotated[str, word_of("open", "psk")]
    secret: Secret | None = None
    via: Name | None = None


class Radius(Item):
    """A RADIUS server (RFC 2865)."""

    lead = ("host",)
    example = "10.44.8.26 port 1812 secret radius"
    host: Host
    port: TcpPort = 1812
    secret: Secret | None = None


class Bridge(Item):
    """One end of a wireless bridge: its peer, its role, distance in metres, power in dBm."""

    lead = ("peer", "role")
    example = "kvr-uk-br2 access-point channel 100 power 12 dBm distance 84 m"
    units = {"power": "dBm", "distance": "m"}
    peer: Name
    role: Annotated[str, word_of("access-point", "station")]
    channel: Annotated[int, number(1, 233, word="channel")] | None = None
    power: Annotated[int, number(0, 36, "dBm", "power in dBm")] | None = None
    distance: Annotated[int, number(1, 100000, "m", "distance in metres")] | None = None
