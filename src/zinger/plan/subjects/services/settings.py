"""The settings of management services."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.services.models import Community, ConsoleTimeout, LocalLog, SnmpUser, SyslogServer
from zinger.plan.values.durations import parse_minutes
from zinger.plan.values.item import items
from zinger.plan.values.names import parse_url
from zinger.plan.values.text import parse_banner, parse_flag, parse_words, some_of

BANNER = Setting("banner", "banner", Stop.SERVICES, parse_banner, ("banner",))
IDLE = Setting("idle.timeout", "idle timeout", Stop.SERVICES, parse_minutes, ("idle timeout",), unit="min")
IDLE_CONSOLE = Setting(
    "idle.console", "idle timeout of the console", Stop.SERVICES, parse_minutes, ("console timeout",), unit="min"
)
IDLE_CONSOLES = Setting(
    "idle.consoles",
    "idle timeout of each console port",
    Stop.SERVICES,
    items(ConsoleTimeout),
    ("console port timeouts",),
)
IDLE_NETWORK = Setting(
    "idle.network",
    "idle timeout of network sessions",
    Stop.SERVICES,
    parse_minutes,
    ("remote timeout", "network timeout"),
    unit="min",
)
IDLE_WEB = Setting("idle.web", "idle timeout of web pages", Stop.SERVICES, parse_minutes, ("web timeout",), unit="min")
SSH = Setting("services.ssh", "SSH", Stop.SERVICES, parse_flag, ("ssh",), reference="RFC 4251")
TELNET = Setting("services.telnet", "Telnet", Stop.SERVICES, parse_flag, ("telnet",), reference="RFC 854")
HTTP = Setting("services.http", "HTTP", Stop.SERVICES, parse_flag, ("http",), reference="RFC 9110")
HTTPS = Setting("services.https", "HTTPS", Stop.SERVICES, parse_flag, ("https",), reference="RFC 9110")
NETCONF = Setting("services.netconf", "NETCONF", Stop.SERVICES, parse_flag, ("netconf",), reference="RFC 6241")
TFTP = Setting("services.tftp", "TFTP", Stop.SERVICES, parse_flag, ("tftp",), reference="RFC 1350")
USB_START = Setting("services.usb_start", "start-up scripts from USB", Stop.SERVICES, parse_flag, ("usb start",))
DHCP_OFFERED = Setting(
    "services.offered",
    "what a DHCP server offers to load",
    Stop.SERVICES,
    parse_flag,
    ("dhcp provisioning",),
    reference="RFC 2132",
)
LLDP = Setting("services.lldp", "LLDP", Stop.SERVICES, parse_flag, ("lldp",), reference="IEEE 802.1AB")
SNMP_COMMUNITIES = Setting(
    "snmp.communities", "SNMP communities", Stop.SERVICES, items(Community), reference="RFC 3584"
)
SNMP_USERS = Setting("snmp.users", "SNMP users", Stop.SERVICES, items(SnmpUser), ("snmp users",), reference="RFC 3414")
SNMP_VERSIONS = Setting(
    "snmp.versions",
    "SNMP versions",
    Stop.SERVICES,
    some_of("v1", "v2c", "v3"),
    ("snmp versions",),
    reference="RFC 3410",
)
SYSLOG_SERVERS = Setting(
    "syslog.servers",
    "syslog receivers",
    Stop.SERVICES,
    items(SyslogServer),
    ("syslog", "syslog servers"),
    reference="RFC 5424",
)
LOCAL_LOG = Setting("logs.local", "local log", Stop.SERVICES, LocalLog.read, ("local log",), reference="RFC 5424 6.2.1")
UPDATE_SERVER = Setting(
    "update.server", "update server", Stop.SERVICES, parse_url, ("update server",), reference="RFC 3986"
)
WANTED_IMAGE = Setting(
    "update.image", "wanted image", Stop.SERVICES, parse_words, ("image", "firmware", "wanted image")
)
PROXY = Setting("update.proxy", "proxy", Stop.SERVICES, parse_url, ("proxy",), reference="RFC 9110")

SETTINGS: tuple[Setting[Any], ...] = (
    BANNER,
    IDLE,
    IDLE_CONSOLE,
    IDLE_CONSOLES,
    IDLE_NETWORK,
    IDLE_WEB,
    SSH,
    TELNET,
    HTTP,
    HTTPS,
    NETCONF,
    TFTP,
    USB_START,
    DHCP_OFFERED,
    LLDP,
    SNMP_VERSIONS,
    SNMP_COMMUNITIES,
    SNMP_USERS,
    SYSLOG_SERVERS,
    LOCAL_LOG,
    UPDATE_SERVER,
    WANTED_IMAGE,
    PROXY,
)
