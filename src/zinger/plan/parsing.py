"""Single values from text: each parser returns a typed value, or raises ValueError("what is wrong; what to write").

They take what people write in spreadsheets: a dotted mask or a prefix length, a hardware address in any
notation, yes and no in words, ranges of ports.
"""

from __future__ import annotations

import re
import zoneinfo
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv4Network,
    IPv6Address,
    IPv6Interface,
    IPv6Network,
    ip_address,
    ip_interface,
    ip_network,
)

from zinger.plan.problems import did_you_mean
from zinger.plan.secrets import SecretRef

Address = IPv4Address | IPv6Address
Interface = IPv4Interface | IPv6Interface
Network = IPv4Network | IPv6Network


@dataclass(frozen=True)
class ManagementAddress:
    """How the device gets its management address: `fixed`, `dhcp`, or for IPv6 also `auto` and `off`.

    A fixed one has an address and the length of its prefix in bits; what else they tell is worked out when asked.
    """

    method: str
    address: Address | None = None
    length: int = 0

    @classmethod
    def of(cls, interface: Interface) -> ManagementAddress:
        """A fixed address with its prefix."""
        return cls("fixed", interface.ip, interface.network.prefixlen)

    @classmethod
    def within(cls, address: Address, subnet: Network) -> ManagementAddress:
        """A fixed address of a subnet; all of one subnet share its object, and what was once worked out of it."""
        made = cls("fixed", address, subnet.prefixlen)
        made.__dict__["network"] = subnet
        return made

    @property
    def ip(self) -> Address:
        """The fixed address; raises ValueError for a DHCP client, which has none in the plan."""
        if self.address is None:
            raise ValueError("a DHCP client has no planned address")
        return self.address

    @cached_property
    def interface(self) -> Interface | None:
        """The fixed address with its prefix; None for a DHCP client."""
        if self.address is None:
            return None
        kind = IPv4Interface if self.address.version == 4 else IPv6Interface
        return kind((int(self.address), self.length))

    @cached_property
    def network(self) -> Network:
        """The subnet of the fixed address; raises ValueError for a DHCP client."""
        kind = IPv4Network if self.ip.version == 4 else IPv6Network
        return kind((int(self.ip), self.length), strict=False)

    @property
    def prefix(self) -> int:
        """Length of the network prefix in bits; raises ValueError for a DHCP client."""
        return self.length if self.ip else 0

    def __str__(self) -> str:
        if self.address is None:
            return "by DHCP" if self.method == "dhcp" else self.method
        return str(self.address) if self.length == self.address.max_prefixlen else f"{self.address}/{self.length}"


@dataclass(frozen=True, slots=True)
class Account:
    """A local account: its name, and where its secret is kept."""

    name: str
    secret: SecretRef

    def __str__(self) -> str:
        return self.name


_LABEL = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_ACCOUNT = re.compile(r"[A-Za-z_][A-Za-z0-9_.-]{0,31}")
_YES = frozenset(["yes", "y", "on", "true", "open", "enabled", "enable", "x", "✓", "1"])
_NO = frozenset(["no", "n", "off", "false", "shut", "closed", "disabled", "disable", "0"])


def parse_text(raw: object) -> str:
    """Text on one line, without control characters, blanks at the ends removed."""
    text = str(raw).strip()
    if not text.isprintable() and any(ord(c) < 32 or 127 <= ord(c) < 160 for c in text):
        raise ValueError("it contains a line break or control character; write it on one line")
    return text


def parse_words(raw: object) -> str:
    """Text for people, 255 characters at most (RFC 3418 bounds sysLocation and sysContact so), no double quotes."""
    text = parse_text(raw)
    if len(text) > 255 or '"' in text:
        raise ValueError("it has more than 255 characters or a double quote; shorten it")
    return text


def parse_hostname(raw: object) -> str:
    """A single label by RFC 1123 2.1: letters, digits and inner hyphens, 63 at most."""
    text = parse_text(raw)
    if len(text) > 63:
        raise ValueError(f"{text!r} is {len(text)} characters long; RFC 1123 allows 63")
    if not _LABEL.fullmatch(text):
        raise ValueError(f"{text!r} is no hostname by RFC 1123; use letters, digits and inner hyphens")
    return text


def parse_domain(raw: object) -> str:
    """A domain name by RFC 1123 2.1: labels joined by dots, 253 characters at most."""
    text = parse_text(raw).rstrip(".")
    if not text or len(text) > 253 or not all(_LABEL.fullmatch(label) for label in text.split(".")):
        raise ValueError(f"{text!r} is no domain name; write it like station.example")
    return text


def parse_address(raw: object) -> Address:
    """An IPv4 or IPv6 host address, without a prefix."""
    text = parse_text(raw)
    try:
        return ip_address(text)
    except ValueError:
        raise ValueError(f"{text!r} is no IP address; write it like 10.44.8.10") from None


def parse_address6(raw: object) -> Address:
    """An IPv6 host address (RFC 4291)."""
    address = parse_address(raw)
    if address.version != 6:
        raise ValueError(f"{address} is no IPv6 address; write it like 2001:db8:44::1")
    return address


def parse_host(raw: object) -> Address | str:
    """A server by address or by name."""
    text = parse_text(raw)
    if re.fullmatch(r"[\d.]+", text) or ":" in text:
        return parse_address(text)
    return parse_domain(text)


_PLAIN = re.compile(r"([\d.]+)(?:/(\d{1,2}))?", re.ASCII)


def _interface(text: str, example: str) -> Interface:
    # 10.44.8.11 255.255.255.0, 10.44.8.11 / 24, 10.44.8.11/255.255.255.0
    joined = re.sub(r"\s*/\s*|\s+(?:mask\s+)?", "/", text.strip(), count=1)
    try:
        return ip_interface(joined)
    except ValueError:
        raise ValueError(f"{text!r} is no address; write it like {example}") from None


def parse_interface(raw: object) -> Interface:
    """An address with its prefix length (RFC 4632) or dotted mask, which is needed here."""
    text = parse_text(raw)
    found = _interface(text, "10.44.8.1/24")
    if "/" not in text and " " not in text:
        raise ValueError(f"{text!r} has no prefix length; write it like {text}/24")
    return found


def parse_network(raw: object) -> Network:
    """A subnet: its network address and prefix length or dotted mask."""
    text = parse_text(raw)
    try:
        return ip_network(re.sub(r"\s*/\s*|\s+", "/", text, count=1))
    except ValueError:
        pass
    try:
        inside = ip_interface(text)
    except ValueError:
        raise ValueError(f"{text!r} is no subnet; write it like 10.44.8.0/24") from None
    raise ValueError(f"{text!r} is no subnet: its host bits are set; write {inside.network}")


def parse_management(raw: object) -> ManagementAddress:
    """`dhcp`, or an address with its prefix length or dotted mask; a bare address gets its site's length."""
    text = parse_text(raw)
    if text.lower() in ("dhcp", "by dhcp"):
        return ManagementAddress("dhcp")
    plain = _PLAIN.fullmatch(text)
    if plain and int(plain[2] or 32) <= 32:  # the usual way of writing it; asking what kind it is takes far longer
        try:
            return ManagementAddress("fixed", IPv4Address(plain[1]), int(plain[2] or 32))
        except ValueError:
            raise ValueError(f"{text!r} is no address; write it like 10.44.8.11/24, or dhcp") from None
    return ManagementAddress.of(_interface(text, "10.44.8.11/24, or dhcp"))


def parse_management6(raw: object) -> ManagementAddress:
    """`auto` (RFC 4862), `off`, or an IPv6 address with its prefix length (RFC 4291)."""
    if isinstance(raw, bool):
        return ManagementAddress("auto" if raw else "off")
    text = parse_text(raw)
    if text.lower() in ("auto", "slaac", "off", "no"):
        return ManagementAddress("auto" if text.lower() in ("auto", "slaac") else "off")
    found = _interface(text, "2001:db8:44::11/64, auto or off")
    if found.version != 6:
        raise ValueError(f"{text!r} is no IPv6 address; write it like 2001:db8:44::11/64, auto or off")
    return ManagementAddress.of(found)


def whole(low: int, high: int, unit: str = "", word: str = "number") -> Callable[[object], int]:
    """A parser for whole numbers from `low` to `high`, with or without their unit."""

    def parse(raw: object) -> int:
        text = parse_text(raw)
        bare = re.sub(rf"\s*{unit}$", "", text, flags=re.IGNORECASE) if unit else text
        if not re.fullmatch(r"-?\d{1,9}(\.0)?", bare):
            raise ValueError(f"{text!r} is no whole number; write digits only")
        number = int(bare.removesuffix(".0"))
        if not low <= number <= high:
            raise ValueError(f"{number} is no {word}; they go from {low} to {high}")
        return number

    return parse


parse_vlan = whole(1, 4094, word="VLAN")
"""A VLAN id from 1 to 4094 (IEEE 802.1Q 9.6)."""


def parse_minutes(raw: object) -> int:
    """Whole minutes from 1 to 1440; `10`, `10 min` and `1 h` are the same kind."""
    number = parse_lease(raw)
    if not 1 <= number <= 1440:
        raise ValueError(f"{number} minutes is not between 1 and 1440; write it like 10 min")
    return number


_UNITS = {
    "": 1,
    "min": 1,
    "minute": 1,
    "minutes": 1,
    "h": 60,
    "hour": 60,
    "hours": 60,
    "d": 1440,
    "day": 1440,
    "days": 1440,
}


def parse_lease(raw: object) -> int:
    """A duration in minutes: `480`, `480 min`, `8 h`, `1 d`; at most a year."""
    text = parse_text(raw).lower()
    match = re.fullmatch(r"(\d{1,6})\s*([a-z]*)", text)
    if not match or match[2] not in _UNITS:
        raise ValueError(f"{text!r} is no whole number of minutes; write it like 10 min or 8 h")
    minutes = int(match[1]) * _UNITS[match[2]]
    if not 1 <= minutes <= 525600:
        raise ValueError(f"{text!r} is not between 1 minute and a year; write it like 8 h")
    return minutes


def parse_flag(raw: object) -> bool:
    """Yes and no in words: yes/no, on/off, true/false, open/shut, enabled/disabled, x."""
    if isinstance(raw, bool):
        return raw
    word = parse_text(raw).lower()
    if word in _YES:
        return True
    if word in _NO:
        return False
    raise ValueError(f"{word!r} is neither on nor off; write on or off")


@lru_cache(maxsize=1)
def _zones() -> frozenset[str]:
    return frozenset(zoneinfo.available_timezones())


_POSIX_ZONE = re.compile(r"[A-Za-z]{3,}[+-]?\d{1,2}(?::\d\d)?(?:[A-Za-z]{3,}[^,\s]*(?:,M\d+\.\d\.\d(?:/[\d:]+)?){2})?")


def parse_zone(raw: object) -> str:
    """A name of the IANA time zone database (RFC 6557), which brings its daylight-saving rule along, or a rule as
    POSIX (IEEE 1003.1, TZ) writes it."""
    text = parse_text(raw)
    if text not in _zones() and not _POSIX_ZONE.fullmatch(text):
        hint = did_you_mean(text, _zones())
        raise ValueError(f"{text!r} is no IANA time zone{hint}; write it like Europe/Vienna")
    return text


def has_summer_rule(zone: str) -> bool:
    """Whether a zone changes its offset during a year by a rule of its own."""
    if zone not in _zones():
        return ",M" in zone
    import datetime

    at = zoneinfo.ZoneInfo(zone)
    return len({datetime.datetime(2026, month, 1, tzinfo=at).utcoffset() for month in (1, 4, 7, 10)}) > 1


def parse_account_name(raw: object) -> str:
    """A local account name: a letter first, then letters, digits, dot, underscore, hyphen; 32 at most."""
    text = parse_text(raw)
    if not _ACCOUNT.fullmatch(text):
        raise ValueError(f"{text!r} is no account name; begin with a letter, 32 characters at most, no blanks")
    return text


def parse_banner(raw: object) -> str:
    """One line of text for the sign-in screen, 120 characters at most, without quotes."""
    text = parse_text(raw)
    if len(text) > 120 or '"' in text:
        raise ValueError("a banner has at most 120 characters and no double quotes; shorten it")
    return text


def parse_secret(raw: object) -> SecretRef:
    """The name of a vault entry; `each device` stands for an entry of the device's own."""
    if isinstance(raw, SecretRef):
        return raw
    text = parse_text(raw)
    if not text or ";" in text or '"' in text:
        raise ValueError("a secret is named here, never written; write the name of a vault entry, like guest-wifi")
    return SecretRef(text)


_MAC = re.compile(r"[0-9a-f]{12}")


def parse_mac(raw: object) -> str:
    """A hardware address (EUI-48, IEEE 802) in any notation; returned as `02-4b-56-10-33-01`."""
    text = parse_text(raw)
    digits = re.sub(r"[\s:.\-]", "", text).lower()
    if not _MAC.fullmatch(digits):
        raise ValueError(f"{text!r} is no MAC address; write it like 02-4b-56-10-33-01")
    return "-".join(digits[i : i + 2] for i in range(0, 12, 2))


def parse_country(raw: object) -> str:
    """A country by its ISO 3166-1 two-letter code or its English name; returned as the code in capitals."""
    import pycountry

    text = parse_text(raw)
    found = pycountry.countries.get(alpha_2=text.upper()) or pycountry.countries.get(name=text)
    if found is None:
        raise ValueError(f"{text!r} is no country of ISO 3166; write its two-letter code, like AT")
    return str(found.alpha_2)


def parse_url(raw: object) -> str:
    """An http or https address (RFC 3986)."""
    text = parse_text(raw)
    if not re.fullmatch(r"https?://[A-Za-z0-9.\-\[\]:]+(/[^\s\"]*)?", text):
        raise ValueError(f"{text!r} is no web address; write it like https://updates.station.example/")
    return text


_PORT = r"((?:[A-Za-z]*\d*/)*[A-Za-z]*)(\d{1,4})"
_PORT_RANGE = re.compile(rf"{_PORT}(?:\s*(?:-|–|to|\.\.)\s*{_PORT})?")


def parse_ports(raw: object) -> tuple[str, ...]:
    """Port names from ranges: `1-4,7` or `1/1-1/4`; a range runs within one slot."""
    if isinstance(raw, list | tuple):
        return tuple(port for item in raw for port in parse_ports(item))
    ports: list[str] = []
    for part in re.split(r"\s*[,+]\s*", parse_text(raw)):
        match = _PORT_RANGE.fullmatch(part)
        if not match or (match[3] and match[3] != match[1]):
            raise ValueError(f"{part!r} is no port or range of ports; write them like 1-4,7 or 1/1-1/4")
        first, last = int(match[2]), int(match[4] or match[2])
        if last < first or last - first > 4096:
            raise ValueError(f"{part!r} runs backwards or too far; write the lower port first")
        ports += [f"{match[1]}{n}" for n in range(first, last + 1)]
    return tuple(ports)


def fold_ports(ports: tuple[str, ...]) -> str:
    """The shortest text for these ports, in their order: `1-4,7`."""
    runs: list[list[tuple[str, int]]] = []
    for port in ports:
        stem = port.rstrip("0123456789")
        number = int(port[len(stem) :])
        if runs and runs[-1][-1] == (stem, number - 1):
            runs[-1].append((stem, number))
        else:
            runs.append([(stem, number)])
    return ",".join(
        f"{a[0]}{a[1]}" if a == b else f"{a[0]}{a[1]}-{b[0]}{b[1]}" for a, b in ((run[0], run[-1]) for run in runs)
    )


def one_of(*words: str) -> Callable[[object], str]:
    """A parser for one word of a list."""

    def parse(raw: object) -> str:
        text = parse_text(raw).lower()
        if text not in words:
            raise ValueError(f"{text!r} is none of {', '.join(words)}{did_you_mean(text, words)}; write one of them")
        return text

    return parse


def each(parse: Callable[[object], object]) -> Callable[[object], tuple[object, ...]]:
    """A parser for lists: of YAML, or in one cell with commas, semicolons or blanks between the entries."""

    def parse_all(raw: object) -> tuple[object, ...]:
        items = raw if isinstance(raw, list | tuple) else re.split(r"[\s,;]+", parse_text(raw))
        values = tuple(parse(item) for item in items if str(item).strip())
        if len(set(values)) != len(values):
            raise ValueError("the same entry stands twice; remove one")
        return values

    return parse_all
