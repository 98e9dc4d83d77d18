"""The settings that a plan can hold, in the order in which they are said.

One table says everything about a setting: its dotted name, its words for people, the stop on the line
where it is said, how it is written in a file, and the standard that it follows. A setting that is not
in the table does not exist for any room.
"""

from __future__ import annotations

import re
import zoneinfo
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv6Address,
    IPv6Interface,
    ip_address,
    ip_interface,
)

from zinger.plan.secrets import SecretRef

Address = IPv4Address | IPv6Address
Interface = IPv4Interface | IPv6Interface


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


@dataclass(frozen=True)
class ManagementAddress:
    """How the device gets its management address: `fixed` with an interface, or by `dhcp`."""

    method: str
    interface: Interface | None = None

    @property
    def ip(self) -> Address:
        """The fixed address; raises ValueError for a DHCP client, which has none in the plan."""
        return self._fixed().ip

    @property
    def prefix(self) -> int:
        """Length of the network prefix in bits; raises ValueError for a DHCP client."""
        return self._fixed().network.prefixlen

    def _fixed(self) -> Interface:
        if self.interface is None:
            raise ValueError("a DHCP client has no planned address")
        return self.interface

    def __str__(self) -> str:
        return str(self.interface) if self.interface else "by DHCP"


@dataclass(frozen=True)
class Account:
    """A local account: its name, and where its secret is kept."""

    name: str
    secret: SecretRef

    def __str__(self) -> str:
        return self.name


_LABEL = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_ACCOUNT = re.compile(r"[A-Za-z_][A-Za-z0-9_.-]{0,31}")
_WORDS = {"yes": True, "on": True, "true": True, "open": True,
          "no": False, "off": False, "false": False, "shut": False, "closed": False}


def _text(raw: object) -> str:
    text = str(raw).strip()
    if any(ord(c) < 32 or 127 <= ord(c) < 160 for c in text):
        raise ValueError("it contains a line break or control character; write it on one line")
    return text


def parse_hostname(raw: object) -> str:
    """A single label by RFC 1123 2.1: letters, digits and inner hyphens, 63 at most."""
    text = _text(raw)
    if len(text) > 63:
        raise ValueError(f"{text!r} is {len(text)} characters long; RFC 1123 allows 63")
    if not _LABEL.fullmatch(text):
        raise ValueError(f"{text!r} is no hostname by RFC 1123; use letters, digits and inner hyphens")
    return text


def parse_domain(raw: object) -> str:
    """A domain name by RFC 1123 2.1: labels joined by dots, 253 characters at most."""
    text = _text(raw).rstrip(".")
    if not text or len(text) > 253 or not all(_LABEL.fullmatch(label) for label in text.split(".")):
        raise ValueError(f"{text!r} is no domain name; write it like station.example")
    return text


def parse_address(raw: object) -> Address:
    """An IPv4 or IPv6 host address, without a prefix."""
    text = _text(raw)
    try:
        return ip_address(text)
    except ValueError:
        raise ValueError(f"{text!r} is no IP address; write it like 10.44.8.10") from None


def parse_host(raw: object) -> Address | str:
    """A server by address or by name."""
    text = _text(raw)
    if re.fullmatch(r"[\d.]+", text) or ":" in text:
        return parse_address(text)
    return parse_domain(text)


def parse_management(raw: object) -> ManagementAddress:
    """`dhcp`, or an address with its prefix length or dotted mask."""
    text = _text(raw)
    if text.lower() == "dhcp":
        return ManagementAddress("dhcp")
    try:
        return ManagementAddress("fixed", ip_interface(text.replace(" ", "")))
    except ValueError:
        raise ValueError(f"{text!r} is no address; write it like 10.44.8.11/24, or dhcp") from None


def parse_vlan(raw: object) -> int:
    """A VLAN id from 1 to 4094 (IEEE 802.1Q 9.6)."""
    number = _integer(raw)
    if not 1 <= number <= 4094:
        raise ValueError(f"{number} is no VLAN; they go from 1 to 4094")
    return number


def parse_minutes(raw: object) -> int:
    """Whole minutes from 1 to 1440; `10` and `10 min` are the same."""
    number = _integer(re.sub(r"\s*min(utes?)?$", "", _text(raw)))
    if not 1 <= number <= 1440:
        raise ValueError(f"{number} minutes is not between 1 and 1440")
    return number


def parse_flag(raw: object) -> bool:
    """yes/no, on/off, true/false, open/shut."""
    if isinstance(raw, bool):
        return raw
    word = _text(raw).lower()
    if word not in _WORDS:
        raise ValueError(f"{word!r} is neither on nor off; write on or off")
    return _WORDS[word]


def parse_zone(raw: object) -> str:
    """A name of the IANA time zone database (RFC 6557), which brings its daylight-saving rule along."""
    text = _text(raw)
    if text not in zoneinfo.available_timezones():
        from zinger.plan.problems import did_you_mean

        hint = did_you_mean(text, zoneinfo.available_timezones())
        raise ValueError(f"{text!r} is no IANA time zone{hint}; write it like Europe/Vienna")
    return text


def parse_account_name(raw: object) -> str:
    """A local account name: a letter first, then letters, digits, dot, underscore, hyphen; 32 at most."""
    text = _text(raw)
    if not _ACCOUNT.fullmatch(text):
        raise ValueError(f"{text!r} is no account name; begin with a letter, 32 characters at most, no blanks")
    return text


def parse_banner(raw: object) -> str:
    """One line of text for the sign-in screen, 120 characters at most, without quotes."""
    text = _text(raw)
    if len(text) > 120 or '"' in text:
        raise ValueError("a banner has at most 120 characters and no double quotes; shorten it")
    return text


def _integer(raw: object) -> int:
    text = _text(raw)
    if not re.fullmatch(r"\d{1,9}", text):
        raise ValueError(f"{text!r} is no whole number; write digits only")
    return int(text)


def _each(parse: Callable[[object], object]) -> Callable[[object], object]:
    def parse_all(raw: object) -> tuple[object, ...]:
        items = raw if isinstance(raw, list) else re.split(r"[\s,;]+", _text(raw))
        values = tuple(parse(item) for item in items if str(item).strip())
        if len(set(values)) != len(values):
            raise ValueError("the same entry stands twice; remove one")
        return values

    return parse_all


@dataclass(frozen=True)
class Setting:
    """One thing that can be planned, said and read back.

    `parse` takes what a file held and returns the typed value, or raises ValueError with what is wrong
    and what to write instead. `columns` are headings of a build sheet that mean this setting.
    """

    name: str
    title: str
    stop: Stop
    parse: Callable[[object], object]
    columns: tuple[str, ...] = ()
    required: bool = False
    reference: str = ""

    def show(self, value: object) -> str:
        """The value in words for screens and papers; secrets never appear."""
        if isinstance(value, bool):
            return "on" if value else "off"
        if isinstance(value, tuple):
            return "  ".join(str(v) for v in value)
        return f"{value} min" if self.name == "idle.timeout" else str(value)


SETTINGS: dict[str, Setting] = {
    s.name: s
    for s in (
        Setting("accounts.administrator", "administrator", Stop.KEYS, parse_account_name, required=True),
        Setting("accounts.viewer", "view-only account", Stop.KEYS, parse_account_name),
        Setting("hostname", "hostname", Stop.NAME, parse_hostname, ("hostname", "name", "device"), True, "RFC 1123"),
        Setting("management.vlan", "management VLAN", Stop.ADDR, parse_vlan, ("vlan", "management vlan"),
                reference="IEEE 802.1Q"),
        Setting("management.address", "management address", Stop.ADDR, parse_management,
                ("address", "ip", "ip address", "management address"), True, "RFC 4632"),
        Setting("management.gateway", "gateway", Stop.GATE, parse_address, ("gateway", "default gateway"),
                reference="RFC 1122 3.3.1"),
        Setting("dns.servers", "DNS servers", Stop.DNS, _each(parse_address), ("dns", "dns servers"),
                reference="RFC 1035"),
        Setting("dns.search", "search domain", Stop.DNS, parse_domain, ("domain", "search domain"),
                reference="RFC 1123"),
        Setting("ntp.servers", "time servers", Stop.CLOCK, _each(parse_host), ("ntp", "time servers"),
                reference="RFC 5905"),
        Setting("clock.zone", "time zone", Stop.CLOCK, parse_zone, ("time zone", "timezone"), reference="RFC 6557"),
        Setting("idle.timeout", "idle timeout", Stop.SERV, parse_minutes, ("idle timeout",)),
        Setting("banner", "banner", Stop.SERV, parse_banner, ("banner",)),
        Setting("services.ssh", "SSH", Stop.SERV, parse_flag, ("ssh",), reference="RFC 4251"),
        Setting("services.telnet", "Telnet", Stop.SERV, parse_flag, ("telnet",), reference="RFC 854"),
        Setting("services.http", "HTTP", Stop.SERV, parse_flag, ("http",), reference="RFC 9110"),
        Setting("syslog.servers", "syslog receivers", Stop.SERV, _each(parse_host), ("syslog",),
                reference="RFC 5424"),
    )
}

ACCOUNTS = tuple(name for name in SETTINGS if name.startswith("accounts."))
