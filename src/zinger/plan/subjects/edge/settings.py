"""The settings of routers and firewalls."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.edge.models import (
    Filter,
    Forward,
    Managed,
    Pool,
    Priority,
    Reservation,
    Rule,
    Schedule,
    Upstream,
)
from zinger.plan.values.addresses import parse_interface
from zinger.plan.values.item import items
from zinger.plan.values.text import one_of, some_of

FORWARDING = Setting(
    "edge.forwarding", "forwarding", Stop.ROLE, one_of("route", "bridge"), ("forwarding", "firewall mode")
)
UPSTREAM = Setting(
    "edge.upstream",
    "upstream",
    Stop.ROLE,
    Upstream.read,
    ("upstream", "outside", "wan"),
    reference="RFC 2131, RFC 2516",
)
LOCAL = Setting(
    "edge.local",
    "local network",
    Stop.ROLE,
    parse_interface,
    ("local", "local network", "inside", "lan"),
    reference="RFC 4632",
)
GUEST = Setting("edge.guest", "guest network", Stop.ROLE, parse_interface, ("guest network",), reference="RFC 4632")
POOL = Setting("edge.dhcp", "DHCP pool", Stop.ROLE, Pool.read, ("dhcp pool", "pool"), reference="RFC 2131")
RESERVATIONS = Setting(
    "edge.reservations", "reservations", Stop.ROLE, items(Reservation), ("reservations",), reference="RFC 2131"
)
RULES = Setting("edge.rules", "rules", Stop.ROLE, items(Rule), ("rules",))
FORWARDS = Setting(
    "edge.forwards", "port forwards", Stop.ROLE, items(Forward), ("forwards", "port forwards"), reference="RFC 3022"
)
PRIORITIES = Setting("edge.priorities", "bandwidth priorities", Stop.ROLE, items(Priority), ("bandwidth",))
SCHEDULES = Setting("edge.schedules", "time schedules", Stop.ROLE, items(Schedule), ("schedules",))
FILTERS = Setting("edge.filters", "filters", Stop.ROLE, items(Filter), ("filters",))
MANAGED = Setting("edge.managed", "management by interface", Stop.ROLE, items(Managed), ("management by interface",))
USB_SHARING = Setting(
    "edge.usb_sharing", "shared by USB", Stop.ROLE, some_of("storage", "media", "printers"), ("usb sharing",)
)
RESET_AT_DEVICE = Setting(
    "edge.reset_at_device", "reset at the device", Stop.ROLE, one_of("allowed", "forbidden"), ("reset at the device",)
)

SETTINGS: tuple[Setting[Any], ...] = (
    FORWARDING,
    UPSTREAM,
    LOCAL,
    GUEST,
    POOL,
    RESERVATIONS,
    RULES,
    FORWARDS,
    PRIORITIES,
    SCHEDULES,
    FILTERS,
    MANAGED,
    USB_SHARING,
    RESET_AT_DEVICE,
)
