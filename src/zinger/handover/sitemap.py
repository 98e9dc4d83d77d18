"""What a site drawing shows, before anything is placed: devices in their layers, and what joins them.

The layers are those in which engineers draw: outside at the top, then gateway, distribution, access, wireless. To which
one a device belongs is seen from what is planned for it, not from the names of roles: each job has its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import IntEnum

from zinger.handover.record import DeviceRecord
from zinger.plan.model import Device
from zinger.plan.subjects.edge.settings import UPSTREAM
from zinger.plan.subjects.management.settings import MANAGEMENT_VLAN
from zinger.plan.subjects.switching.settings import LAGS, PORTS, RING, UPLINKS, VLAN_GATEWAYS, VLANS
from zinger.plan.subjects.voice.settings import PEERS
from zinger.plan.subjects.wireless.settings import BRIDGE, JOINED, RADIOS, SSIDS
from zinger.plan.values.ports import fold_ports


class Tier(IntEnum):
    """A layer of the drawing, from the top."""

    OUTSIDE = 0
    GATEWAY = 1
    DISTRIBUTION = 2
    ACCESS = 3
    WIRELESS = 4


@dataclass(frozen=True)
class Node:
    """A device, or something outside that a device leads to; `record` is None for what is not in the plan here."""

    key: str
    tier: Tier
    record: DeviceRecord | None = None
    words: tuple[str, ...] = ()
    vlans: tuple[int, ...] = ()


@dataclass(frozen=True)
class Joint:
    """What joins two nodes: cables with the ports at both ends, `strands` of them, or a wireless link."""

    upper: str
    lower: str
    upper_port: str = ""
    lower_port: str = ""
    strands: int = 1
    wireless: bool = False
    words: str = ""


@dataclass
class SiteMap:
    """All nodes and joints of a site, and its VLANs with their names for the legend."""

    nodes: dict[str, Node] = field(default_factory=dict)
    joints: list[Joint] = field(default_factory=list)
    vlans: dict[int, str] = field(default_factory=dict)

    def joined(self, key: str) -> bool:
        """Whether anything is known to lead to a node."""
        return any(key in (joint.upper, joint.lower) for joint in self.joints)


def site_map(found: Sequence[DeviceRecord], everyone: Iterable[DeviceRecord] = ()) -> SiteMap:
    """The map of a site's devices; `everyone` are the devices of all sites, to which some may lead."""
    here = {record.device.name: record for record in found}
    others = {record.device.name: record for record in everyone}
    led_to = {link.to for record in found for link in record.device[UPLINKS] or ()}
    shown = SiteMap()
    for record in found:
        device = record.device
        tier = tier_of(device, device.name in led_to)
        shown.nodes[device.name] = Node(device.name, tier, record, vlans=tuple(vlans_of(device)))
        _name_vlans(shown.vlans, device)
    for record in found:
        _cables(shown, record.device, here, others)
        _air(shown, record)
        _outside(shown, record.device)
    return shown


def tier_of(device: Device, is_led_to: bool) -> Tier:
    """The layer of a device; `is_led_to` by the uplink of another one."""
    if UPSTREAM.name in device.values or PEERS.name in device.values:
        return Tier.GATEWAY
    switches = any(name in device.values for name in (VLANS.name, PORTS.name, UPLINKS.name, LAGS.name))
    if device[VLAN_GATEWAYS] or (is_led_to and switches):
        return Tier.DISTRIBUTION
    wireless = (BRIDGE.name, JOINED.name, SSIDS.name, RADIOS.name)
    if any(name in device.values for name in wireless):
        return Tier.WIRELESS
    return Tier.DISTRIBUTION if is_led_to else Tier.ACCESS


def vlans_of(device: Device) -> list[int]:
    """The VLANs that a device has anything to do with, in their order."""
    found = {vlan.id for vlan in device[VLANS] or ()} | {ssid.vlan for ssid in device[SSIDS] or ()}
    found |= {device[MANAGEMENT_VLAN]}
    return sorted(vlan for vlan in found if vlan is not None)


def _name_vlans(names: dict[int, str], device: Device) -> None:
    for vlan in device[VLANS] or ():
        names[vlan.id] = names.get(vlan.id) or vlan.name
    for ssid in device[SSIDS] or ():
        if ssid.vlan is not None:
            names[ssid.vlan] = names.get(ssid.vlan) or ssid.name
    managed = device[MANAGEMENT_VLAN]
    if managed is not None:
        names[managed] = names.get(managed) or "management"


def _cables(
    shown: SiteMap, device: Device, here: Mapping[str, DeviceRecord], others: Mapping[str, DeviceRecord]
) -> None:
    """Uplinks with their ports at both ends, and the cables of a ring; each once, whichever end names it."""
    for link in device[UPLINKS] or ():
        _far(shown, link.to, here, others)
        their = fold_ports(link.their) if link.their else _back(here.get(link.to), device.name)
        joint = Joint(link.to, device.name, their, fold_ports(link.ports), max(len(link.ports), 1))
        if not any({j.upper, j.lower} == {joint.upper, joint.lower} and not j.wireless for j in shown.joints):
            shown.joints.append(joint)
    for ring in device[RING] or ():
        _far(shown, ring.partner, here, others)
        known = {(j.upper, j.lower) for j in shown.joints if j.words == "ring"}
        if (ring.partner, device.name) not in known and (device.name, ring.partner) not in known:
            far = here.get(ring.partner)
            back = [r for r in (far.device[RING] if far else None) or () if r.partner == device.name]
            their = fold_ports(back[0].ports) if back else ""
            shown.joints.append(Joint(ring.partner, device.name, their, fold_ports(ring.ports), words="ring"))


def _back(far: DeviceRecord | None, name: str) -> str:
    """The ports that the far end itself plans for a link to this device."""
    links = [link for link in (far.device[UPLINKS] if far else None) or () if link.to == name]
    return fold_ports(links[0].ports) if links else ""


def _far(shown: SiteMap, name: str, here: Mapping[str, DeviceRecord], others: Mapping[str, DeviceRecord]) -> None:
    """A device that is not of this site, or not in the plan, is drawn as something outside."""
    if name not in here and name not in shown.nodes:
        where = others[name].device.site.name if name in others else "not in this plan"
        shown.nodes[name] = Node(name, Tier.OUTSIDE, None, (name, where))


def _air(shown: SiteMap, record: DeviceRecord) -> None:
    """Wireless links, with channel and the signal that was measured."""
    device, bridge, joined = record.device, record.device[BRIDGE], record.device[JOINED]
    if bridge is not None:
        known = any({j.upper, j.lower} == {device.name, bridge.peer} and j.wireless for j in shown.joints)
        if not known:
            _far(shown, bridge.peer, {name: record for name in shown.nodes}, {})
            leads = bridge.role == "access-point"
            upper, lower = (device.name, bridge.peer) if leads else (bridge.peer, device.name)
            words = [f"channel {bridge.channel}" if bridge.channel else ""]
            words.append(f"{bridge.distance} m" if bridge.distance else "")
            measured = [f.read for (s, _), f in record.memory.findings.items() if s == "wireless.signal" and f.read]
            words.append(f"signal {measured[-1]} dB" if measured else "")
            shown.joints.append(Joint(upper, lower, wireless=True, words=" · ".join(filter(None, words))))
    if joined is not None and joined.via:
        _far(shown, joined.via, {name: record for name in shown.nodes}, {})
        shown.joints.append(Joint(joined.via, device.name, wireless=True, words=f"joins “{joined.name}”"))


def _outside(shown: SiteMap, device: Device) -> None:
    """What a gateway leads to: its provider, and the peers of a voice gateway."""
    upstream = device[UPSTREAM]
    if upstream is not None:
        words = [upstream.method] if upstream.address is None else [f"gateway {upstream.gateway or 'not planned'}"]
        key = f"provider {upstream.gateway or device.name}"
        shown.nodes.setdefault(key, Node(key, Tier.OUTSIDE, None, ("provider", *words)))
        own = str(upstream.address) if upstream.address else "by lease"
        shown.joints.append(Joint(key, device.name, "", upstream.interface or "upstream", words=own))
    for peer in device[PEERS] or ():
        key = f"{device.name} {peer.name}"
        shown.nodes[key] = Node(key, Tier.OUTSIDE, None, (peer.name, str(peer.host)))
        shown.joints.append(Joint(key, device.name, "", peer.side, words=peer.transport))
