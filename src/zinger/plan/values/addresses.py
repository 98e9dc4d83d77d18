"""IP addresses, subnets, and how a device gets its management address."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
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

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

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
            raise BadValue("a DHCP client has no planned address")
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


def parse_address(raw: object) -> Address:
    """An IPv4 or IPv6 host address, without a prefix."""
    text = parse_text(raw)
    try:
        return ip_address(text)
    except ValueError:
        raise BadValue(f"{text!r} is not a valid IP address", "write it like 10.44.8.10") from None


def parse_address6(raw: object) -> Address:
    """An IPv6 host address (RFC 4291)."""
    address = parse_address(raw)
    if address.version != 6:
        raise BadValue(f"{address} is not a valid IPv6 address", "write it like 2001:db8:44::1")
    return address


_PLAIN = re.compile(r"([\d.]+)(?:/(\d{1,2}))?", re.ASCII)


def _interface(text: str, example: str) -> Interface:
    # 10.44.8.11 255.255.255.0, 10.44.8.11 / 24, 10.44.8.11/255.255.255.0
    joined = re.sub(r"\s*/\s*|\s+(?:mask\s+)?", "/", text.strip(), count=1)
    try:
        return ip_interface(joined)
    except ValueError:
        raise BadValue(f"{text!r} is not a valid address", f"write it like {example}") from None


def parse_interface(raw: object) -> Interface:
    """An address with its prefix length (RFC 4632) or dotted mask, which is needed here."""
    text = parse_text(raw)
    found = _interface(text, "10.44.8.1/24")
    if "/" not in text and " " not in text:
        raise BadValue(f"{text!r} has no prefix length", f"write it like {text}/24")
    return found


def parse_mask(raw: object) -> int:
    """The prefix length that a column of its own says: a dotted mask (RFC 950), `/24`, `24` or `24 bits`."""
    text = parse_text(raw)
    bits = re.fullmatch(r"/?\s*(\d{1,3})(?:\s*bits?)?", text, re.ASCII | re.IGNORECASE)
    if bits:
        if not 1 <= int(bits[1]) <= 128:
            raise BadValue(f"{text!r} is not a prefix length", "write it like 24")
        return int(bits[1])
    try:
        mask = IPv4Address(text)
    except ValueError:
        raise BadValue(f"{text!r} is not a mask", "write it like 255.255.255.0, or 24") from None
    ones = f"{int(mask):032b}"
    if "01" not in ones and "1" in ones:
        return ones.count("1")
    if "10" not in ones:
        turned = IPv4Address(int(mask) ^ 0xFFFFFFFF)
        raise BadValue(f"{text!r} is a host mask (wildcard), not a netmask", f"write {turned} if that is meant")
    raise BadValue(f"{text!r} is not a mask: its ones are not all at the front", "write it like 255.255.255.0")


def with_mask(address: object, mask: object) -> str:
    """An address with the mask that stands in another cell of its row; raises BadValue where the two do not agree."""
    text, length = parse_text(address), parse_mask(mask)
    if text.lower() in ("dhcp", "by dhcp"):
        return text
    found = _interface(text, "10.44.8.11/24")
    if length > found.max_prefixlen:
        raise BadValue(f"/{length} is longer than an address of {found.max_prefixlen} bits", "write it like 24")
    if ("/" in text or " " in text) and found.network.prefixlen != length:
        raise BadValue(
            f"the address says /{found.network.prefixlen}, its mask /{length}", "make both say the same, or empty one"
        )
    return f"{found.ip}/{length}"


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
        raise BadValue(f"{text!r} is not a valid subnet", "write it like 10.44.8.0/24") from None
    raise BadValue(f"{text!r} is not a valid subnet: its host bits are set", f"write {inside.network}")


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
            raise BadValue(f"{text!r} is not a valid address", "write it like 10.44.8.11/24, or dhcp") from None
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
        raise BadValue(f"{text!r} is not a valid IPv6 address", "write it like 2001:db8:44::11/64, auto or off")
    return ManagementAddress.of(found)
