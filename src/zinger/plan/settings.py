"""The settings that a plan can hold, in the order in which they are said.

One table says everything about a setting: its dotted name, its words for people, the stop on the line
where it is said, how it is read from a file, the headings that mean it, its unit and the standard that it
follows. A setting that is not in the table does not exist for any room.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from zinger.plan import items as i
from zinger.plan import parsing as p
from zinger.plan.parsing import Account, ManagementAddress
from zinger.plan.secrets import SecretRef

__all__ = ["ACCOUNTS", "EACH_DEVICE", "SECTIONS", "SETTINGS", "Account", "ManagementAddress", "Setting", "Stop"]

EACH_DEVICE = "each device"
"""As the name of a secret: an entry of the device's own, made when a run begins."""


class Stop(StrEnum):
    """The stops of a device's line, in the order of work."""

    REACH = "reach"
    IN = "in"
    KEYS = "keys"
    NAME = "name"
    ADDR = "addr"
    GATE = "gate"
    DNS = "dns"
    CLOCK = "clock"
    SERV = "serv"
    ROLE = "role"
    KEEP = "keep"
    PROOF = "proof"


def _account(raw: object) -> Account:
    """`{name: kettle-admin, secret: each device}`: a secret of its own per device, or a shared entry's name."""
    if isinstance(raw, Account):
        return raw
    if isinstance(raw, str):
        name, _, entry = raw.partition(" secret ")
        raw = {"name": name, "secret": entry or EACH_DEVICE}
    if not isinstance(raw, Mapping) or "name" not in raw:
        raise ValueError("it has no name; write {name: kettle-admin, secret: each device}")
    extra = set(raw) - {"name", "secret"}
    if "password" in extra:
        raise ValueError("a password does not belong in this file; remove it and use `zinger secret`")
    if extra:
        raise ValueError(f"{', '.join(map(str, extra))} means nothing here; keep name and secret")
    return Account(p.parse_account_name(raw["name"]), p.parse_secret(str(raw.get("secret") or EACH_DEVICE)))


@dataclass(frozen=True)
class Setting:
    """One thing that can be planned, said and read back.

    `parse` takes what a file held and returns the typed value, or raises ValueError with what is wrong
    and what to write instead; it takes back what `text` wrote. `columns` are headings of a build sheet that
    mean this setting.
    """

    name: str
    title: str
    stop: Stop
    parse: Callable[[object], object]
    columns: tuple[str, ...] = ()
    required: bool = False
    reference: str = ""
    unit: str = ""

    def show(self, value: object) -> str:
        """The value in words for screens and papers; secrets never appear."""
        if isinstance(value, bool):
            return "on" if value else "off"
        if isinstance(value, tuple):
            return ("  " if not any(isinstance(v, i.Item) for v in value) else " · ").join(str(v) for v in value)
        if isinstance(value, SecretRef):
            return str(value)
        return f"{value} {self.unit}" if self.unit else str(value)

    def text(self, value: object) -> str:
        """The value as it is written into a cell; `parse` reads it back."""
        if isinstance(value, tuple):
            return "; ".join(str(v) for v in value)
        if isinstance(value, Account):
            return f"{value.name} secret {value.secret.name}"
        if isinstance(value, SecretRef):
            return value.name
        if isinstance(value, ManagementAddress):
            return str(value) if value.address else value.method
        return self.show(value)


def _items(cls: type[i.Item]) -> Callable[[object], object]:
    return i.items(cls)


_S = Setting
_TABLE: dict[str, tuple[Setting, ...]] = {
    "system": (
        _S(
            "hostname",
            "hostname",
            Stop.NAME,
            p.parse_hostname,
            ("hostname", "name", "device", "host name", "device name"),
            True,
            "RFC 1123",
        ),
        _S("domain", "domain name", Stop.NAME, p.parse_domain, ("domain name",), reference="RFC 1123"),
        _S(
            "system.location",
            "system location",
            Stop.NAME,
            p.parse_words,
            ("system location", "snmp location"),
            reference="RFC 3418",
        ),
        _S("system.contact", "contact", Stop.NAME, p.parse_words, ("contact", "system contact"), reference="RFC 3418"),
        _S("banner", "banner", Stop.SERV, p.parse_banner, ("banner",)),
    ),
    "management": (
        _S(
            "management.interface",
            "management interface",
            Stop.ADDR,
            p.parse_words,
            ("management interface", "mgmt interface", "management port"),
            reference="RFC 8343",
        ),
        _S(
            "management.vlan",
            "management VLAN",
            Stop.ADDR,
            p.parse_vlan,
            ("vlan", "management vlan", "mgmt vlan"),
            reference="IEEE 802.1Q",
        ),
        _S(
            "management.address",
            "management address",
            Stop.ADDR,
            p.parse_management,
            ("address", "ip", "ip address", "management address", "mgmt ip", "management ip", "ipv4 address"),
            True,
            "RFC 4632",
        ),
        _S(
            "management.ipv6",
            "IPv6 address",
            Stop.ADDR,
            p.parse_management6,
            ("ipv6", "ipv6 address"),
            reference="RFC 4291, RFC 4862",
        ),
        _S(
            "management.gateway",
            "gateway",
            Stop.GATE,
            p.parse_address,
            ("gateway", "default gateway", "default gw", "gw"),
            reference="RFC 1122 3.3.1",
        ),
        _S("management.gateway6", "IPv6 gateway", Stop.GATE, p.parse_address6, ("ipv6 gateway",), reference="RFC 4861"),
        _S(
            "management.stations",
            "managed from",
            Stop.SERV,
            p.each(p.parse_network),
            ("managed from", "management stations", "allowed stations"),
        ),
    ),
    "names and time": (
        _S(
            "dns.servers",
            "DNS servers",
            Stop.DNS,
            p.each(p.parse_address),
            ("dns", "dns servers", "name servers", "resolver"),
            reference="RFC 1035",
        ),
        _S(
            "dns.search",
            "search domain",
            Stop.DNS,
            p.parse_domain,
            ("domain", "search domain", "dns domain"),
            reference="RFC 1123",
        ),
        _S(
            "ntp.servers",
            "time servers",
            Stop.CLOCK,
            _items(i.NtpServer),
            ("ntp", "time servers", "ntp servers"),
            reference="RFC 5905",
        ),
        _S("ntp.secret", "secret of the time key", Stop.CLOCK, p.parse_secret, reference="RFC 8573"),
        _S("clock.zone", "time zone", Stop.CLOCK, p.parse_zone, ("time zone", "timezone"), reference="RFC 6557"),
        _S(
            "clock.summer",
            "daylight saving",
            Stop.CLOCK,
            p.parse_flag,
            ("daylight saving", "summer time"),
            reference="RFC 6557",
        ),
    ),
    "accounts and secrets": (
        _S("accounts.administrator", "administrator", Stop.KEYS, _account, required=True),
        _S("accounts.operator", "operator", Stop.KEYS, _account),
        _S("accounts.viewer", "view-only account", Stop.KEYS, _account),
        _S("secrets.console", "secret of the console", Stop.KEYS, p.parse_secret),
        _S("secrets.remote", "secret of remote lines", Stop.KEYS, p.parse_secret),
        _S("secrets.elevation", "secret of elevation", Stop.KEYS, p.parse_secret),
    ),
    "services": (
        _S("idle.timeout", "idle timeout", Stop.SERV, p.parse_minutes, ("idle timeout",), unit="min"),
        _S("idle.console", "idle timeout of the console", Stop.SERV, p.parse_minutes, ("console timeout",), unit="min"),
        _S("idle.remote", "idle timeout of remote lines", Stop.SERV, p.parse_minutes, ("remote timeout",), unit="min"),
        _S("idle.web", "idle timeout of web pages", Stop.SERV, p.parse_minutes, ("web timeout",), unit="min"),
        _S("services.ssh", "SSH", Stop.SERV, p.parse_flag, ("ssh",), reference="RFC 4251"),
        _S("services.telnet", "Telnet", Stop.SERV, p.parse_flag, ("telnet",), reference="RFC 854"),
        _S("services.http", "HTTP", Stop.SERV, p.parse_flag, ("http",), reference="RFC 9110"),
        _S("services.https", "HTTPS", Stop.SERV, p.parse_flag, ("https",), reference="RFC 9110"),
        _S("services.netconf", "NETCONF", Stop.SERV, p.parse_flag, ("netconf",), reference="RFC 6241"),
        _S("services.tftp", "TFTP", Stop.SERV, p.parse_flag, ("tftp",), reference="RFC 1350"),
        _S("services.usb_start", "start-up scripts from USB", Stop.SERV, p.parse_flag, ("usb start",)),
        _S(
            "services.offered",
            "what a DHCP server offers to load",
            Stop.SERV,
            p.parse_flag,
            ("dhcp provisioning",),
            reference="RFC 2132",
        ),
        _S("services.lldp", "LLDP", Stop.SERV, p.parse_flag, ("lldp",), reference="IEEE 802.1AB"),
        _S("snmp.communities", "SNMP communities", Stop.SERV, _items(i.Community), reference="RFC 3584"),
        _S("snmp.users", "SNMP users", Stop.SERV, _items(i.SnmpUser), ("snmp users",), reference="RFC 3414"),
        _S(
            "syslog.servers",
            "syslog receivers",
            Stop.SERV,
            _items(i.SyslogServer),
            ("syslog", "syslog servers"),
            reference="RFC 5424",
        ),
        _S(
            "logs.memory",
            "log in memory from",
            Stop.SERV,
            p.one_of(*i.SEVERITIES),
            ("memory log",),
            reference="RFC 5424 6.2.1",
        ),
        _S(
            "logs.flash",
            "log in flash from",
            Stop.SERV,
            p.one_of(*i.SEVERITIES),
            ("flash log",),
            reference="RFC 5424 6.2.1",
        ),
        _S("update.server", "update server", Stop.SERV, p.parse_url, ("update server",), reference="RFC 3986"),
        _S("update.image", "wanted image", Stop.SERV, p.parse_words, ("image", "firmware", "wanted image")),
        _S("update.proxy", "proxy", Stop.SERV, p.parse_url, ("proxy",), reference="RFC 9110"),
    ),
    "switching": (
        _S("switch.vlans", "VLANs", Stop.ROLE, _items(i.Vlan), ("vlans",), reference="IEEE 802.1Q"),
        _S(
            "switch.default_vlan_closed",
            "default VLAN closed",
            Stop.ROLE,
            p.parse_flag,
            ("default vlan closed",),
            reference="IEEE 802.1Q",
        ),
        _S("switch.ports", "ports", Stop.ROLE, _items(i.Port), ("ports",), reference="IEEE 802.1Q"),
        _S(
            "switch.lags",
            "link aggregation",
            Stop.ROLE,
            _items(i.Lag),
            ("lacp", "link aggregation"),
            reference="IEEE 802.1AX",
        ),
        _S("switch.members", "stack members", Stop.ROLE, _items(i.Member), ("stack", "stack members")),
        _S("switch.bindings", "addresses bound to ports", Stop.ROLE, _items(i.Binding), ("bindings",)),
        _S("switch.uplinks", "uplinks", Stop.ROLE, _items(i.Uplink), ("uplink", "uplinks")),
        _S("switch.stp", "spanning tree", Stop.ROLE, p.parse_flag, ("spanning tree",), reference="IEEE 802.1Q"),
        _S(
            "switch.stp_priority",
            "spanning-tree priority",
            Stop.ROLE,
            p.whole(0, 61440, word="bridge priority"),
            ("stp priority", "spanning tree priority"),
            reference="IEEE 802.1Q 14.2",
        ),
        _S("switch.igmp_snooping", "IGMP snooping", Stop.ROLE, p.parse_flag, ("igmp snooping",), reference="RFC 4541"),
        _S("switch.voice", "voice VLAN", Stop.ROLE, i.VoiceVlan.read, ("voice vlan",), reference="ANSI/TIA-1057"),
        _S(
            "switch.gateways",
            "VLAN gateways",
            Stop.ROLE,
            _items(i.VlanGateway),
            ("vlan gateways",),
            reference="RFC 1812",
        ),
        _S(
            "switch.dhcp_relay",
            "DHCP relay to",
            Stop.ROLE,
            p.each(p.parse_address),
            ("dhcp relay",),
            reference="RFC 2131",
        ),
        _S("switch.routes", "static routes", Stop.ROLE, _items(i.Route), ("routes",), reference="RFC 1812"),
    ),
    "wireless": (
        _S("wireless.country", "regulatory country", Stop.ROLE, p.parse_country, ("country",), reference="ISO 3166-1"),
        _S("wireless.radios", "radios", Stop.ROLE, _items(i.Radio), ("radios",), reference="IEEE 802.11"),
        _S(
            "wireless.ssids", "wireless networks", Stop.ROLE, _items(i.Ssid), ("ssids", "ssid"), reference="IEEE 802.11"
        ),
        _S("wireless.radius", "RADIUS servers", Stop.ROLE, _items(i.Radius), ("radius",), reference="RFC 2865"),
        _S("wireless.virtual", "virtual address", Stop.ROLE, p.parse_address, ("virtual address",)),
        _S(
            "wireless.ap_manager",
            "access-point manager",
            Stop.ROLE,
            p.parse_interface,
            ("ap manager",),
            reference="RFC 5415",
        ),
        _S("wireless.mesh", "mesh", Stop.ROLE, p.parse_flag, ("mesh",), reference="IEEE 802.11"),
        _S("wireless.bridge", "wireless bridge", Stop.ROLE, i.Bridge.read, ("bridge",), reference="IEEE 802.11"),
    ),
    "edge": (
        _S("edge.mode", "mode", Stop.ROLE, p.one_of("routed", "transparent"), ("firewall mode",)),
        _S("edge.outside", "outside", Stop.ROLE, i.Outside.read, ("outside", "wan"), reference="RFC 2131, RFC 2516"),
        _S("edge.inside", "inside", Stop.ROLE, p.parse_interface, ("inside", "lan"), reference="RFC 4632"),
        _S("edge.guest", "guest network", Stop.ROLE, p.parse_interface, ("guest network",), reference="RFC 4632"),
        _S("edge.dhcp", "DHCP pool", Stop.ROLE, i.Pool.read, ("dhcp pool", "pool"), reference="RFC 2131"),
        _S(
            "edge.reservations",
            "reservations",
            Stop.ROLE,
            _items(i.Reservation),
            ("reservations",),
            reference="RFC 2131",
        ),
        _S("edge.rules", "rules", Stop.ROLE, _items(i.Rule), ("rules",)),
        _S(
            "edge.forwards",
            "port forwards",
            Stop.ROLE,
            _items(i.Forward),
            ("forwards", "port forwards"),
            reference="RFC 3022",
        ),
        _S("edge.priorities", "bandwidth priorities", Stop.ROLE, _items(i.Priority), ("bandwidth",)),
        _S("edge.schedules", "time schedules", Stop.ROLE, _items(i.Schedule), ("schedules",)),
        _S("edge.filters", "filters", Stop.ROLE, _items(i.Filter), ("filters",)),
        _S("edge.managed", "management by interface", Stop.ROLE, _items(i.Managed), ("management by interface",)),
        _S("edge.recovery", "password recovery", Stop.ROLE, p.parse_flag, ("password recovery",)),
    ),
    "voice": (
        _S("voice.legs", "legs", Stop.ROLE, _items(i.Leg), ("legs",), reference="RFC 5853"),
        _S("voice.peers", "peers", Stop.ROLE, _items(i.Peer), ("peers",), reference="RFC 3261"),
        _S(
            "voice.sessions",
            "sessions allowed",
            Stop.ROLE,
            p.whole(1, 100000, word="number of sessions"),
            ("sessions",),
        ),
        _S("voice.media", "media ports", Stop.ROLE, i.Media.read, ("media ports",), reference="RFC 3550"),
        _S(
            "voice.rewrites",
            "number rewriting",
            Stop.ROLE,
            _items(i.Rewrite),
            ("number rewriting",),
            reference="ITU-T E.164",
        ),
    ),
}

_SAID = [s for section in _TABLE.values() for s in section]
SETTINGS: dict[str, Setting] = {s.name: s for s in sorted(_SAID, key=lambda s: list(Stop).index(s.stop))}
"""Every setting by its name, in the order in which they are said: by stop, then by the table."""

SECTIONS: dict[str, tuple[str, ...]] = {title: tuple(s.name for s in section) for title, section in _TABLE.items()}
"""The settings as people think of them, for screens."""

ACCOUNTS = tuple(name for name in SETTINGS if name.startswith("accounts."))
