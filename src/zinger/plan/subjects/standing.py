"""Which addresses a device has or counts on, over all subjects."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.plan.model import Device
from zinger.plan.subjects.edge.settings import GUEST, LOCAL, RESERVATIONS
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subjects.names.settings import DNS_SERVERS, TIME_SERVERS
from zinger.plan.subjects.services.settings import SYSLOG_SERVERS
from zinger.plan.subjects.switching.settings import DHCP_RELAY, VLAN_GATEWAYS
from zinger.plan.subjects.wireless.settings import RADIUS
from zinger.plan.values.addresses import Address


def standing(device: Device) -> Iterator[Address]:
    """Every address that a device has or counts on: its own, its gateways, its servers, its reservations."""
    if device.fixed:
        yield device.fixed.ip
    if (gateway := device[GATEWAY]) is not None:
        yield gateway
    for interface in (device[LOCAL], device[GUEST]):
        if interface is not None:
            yield interface.ip
    yield from device[DNS_SERVERS] or ()
    yield from device[DHCP_RELAY] or ()
    hosts = [server.host for server in device[TIME_SERVERS] or ()]
    hosts += [server.host for server in device[SYSLOG_SERVERS] or ()]
    hosts += [server.host for server in device[RADIUS] or ()]
    yield from (host for host in hosts if not isinstance(host, str))
    for gate in device[VLAN_GATEWAYS] or ():
        yield gate.address.ip
    for kept in device[RESERVATIONS] or ():
        yield kept.address
