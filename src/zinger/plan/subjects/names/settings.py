"""The settings of names and time."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.names.models import HostName, NtpServer, SummerTime
from zinger.plan.values.addresses import parse_address
from zinger.plan.values.clock import parse_clock_set
from zinger.plan.values.item import items
from zinger.plan.values.names import parse_domain, parse_hostname, parse_zone
from zinger.plan.values.secrets import parse_secret
from zinger.plan.values.text import each, parse_flag, parse_words

HOSTNAME = Setting(
    "hostname",
    "hostname",
    Stop.NAME,
    parse_hostname,
    ("hostname", "name", "device", "host name", "device name"),
    True,
    "RFC 1123",
)
DOMAIN = Setting("domain", "domain name", Stop.NAME, parse_domain, ("domain name",), reference="RFC 1123")
LOCATION = Setting(
    "system.location",
    "system location",
    Stop.NAME,
    parse_words,
    ("system location", "snmp location"),
    reference="RFC 3418",
)
CONTACT = Setting(
    "system.contact", "contact", Stop.NAME, parse_words, ("contact", "system contact"), reference="RFC 3418"
)
DNS_SERVERS = Setting(
    "dns.servers",
    "DNS servers",
    Stop.DNS,
    each(parse_address),
    ("dns", "dns servers", "name servers", "resolver"),
    reference="RFC 1035",
)
SEARCH_DOMAIN = Setting(
    "dns.search",
    "search domain",
    Stop.DNS,
    parse_domain,
    ("domain", "search domain", "dns domain"),
    reference="RFC 1123",
)
HOST_NAMES = Setting(
    "dns.hosts", "host names", Stop.DNS, items(HostName), ("host names", "hosts file"), reference="RFC 1123 6.1.3.8"
)
TIME_SERVERS = Setting(
    "ntp.servers",
    "time servers",
    Stop.TIME,
    items(NtpServer),
    ("ntp", "time servers", "ntp servers"),
    reference="RFC 5905",
)
TIME_KEY = Setting("ntp.secret", "time key", Stop.TIME, parse_secret, reference="RFC 8573")
TIME_ZONE = Setting("clock.zone", "time zone", Stop.TIME, parse_zone, ("time zone", "timezone"), reference="RFC 6557")
DAYLIGHT_SAVING = Setting(
    "clock.summer", "daylight saving", Stop.TIME, parse_flag, ("daylight saving", "summer time"), reference="RFC 6557"
)
SUMMER_RULE = Setting(
    "clock.rule",
    "daylight-saving rule",
    Stop.TIME,
    SummerTime.read,
    ("dst rule", "summer time rule"),
    reference="IEEE 1003.1 8.3",
)
CLOCK_BY_HAND = Setting("clock.set", "clock set by hand", Stop.TIME, parse_clock_set, ("set clock", "clock set from"))

SETTINGS: tuple[Setting[Any], ...] = (
    HOSTNAME,
    DOMAIN,
    LOCATION,
    CONTACT,
    DNS_SERVERS,
    SEARCH_DOMAIN,
    HOST_NAMES,
    TIME_SERVERS,
    TIME_KEY,
    TIME_ZONE,
    DAYLIGHT_SAVING,
    SUMMER_RULE,
    CLOCK_BY_HAND,
)
