"""Hardware addresses (EUI-48, IEEE 802): the one place that knows how they are spelled."""

from __future__ import annotations

import re
from ipaddress import IPv6Address

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

IN_TEXT = re.compile(
    r"(?<![0-9A-Fa-f])(?:[0-9A-Fa-f]{2}([-:.]?)(?:[0-9A-Fa-f]{2}\1?){4}[0-9A-Fa-f]{2})(?![0-9A-Fa-f])"
    r"|(?<![0-9A-Fa-f])(?:[0-9A-Fa-f]{4}\.){2}[0-9A-Fa-f]{4}(?![0-9A-Fa-f])"
)
"""A MAC in any usual notation, somewhere in a text."""


def digits_of(text: str) -> str:
    """The twelve hexadecimal digits, in lower case; empty when there are not twelve."""
    digits = re.sub(r"[\s:.\-]", "", text).lower()
    return digits if re.fullmatch(r"[0-9a-f]{12}", digits) else ""


def spelled(digits: str, between: str = "-", group: int = 2) -> str:
    """Digits in groups with something between."""
    return between.join(digits[i : i + group] for i in range(0, 12, group))


def link_local_of(mac: str) -> str:
    """The IPv6 link-local address that a device makes itself from its MAC (RFC 4291, appendix A; RFC 4862 5.3)."""
    digits = digits_of(mac)
    whole = f"{int(digits[:2], 16) ^ 2:02x}{digits[2:6]}fffe{digits[6:]}"
    return str(IPv6Address(int(f"fe80000000000000{whole}", 16)))


def parse_mac(raw: object) -> str:
    """A MAC in any notation; returned as `02-4b-56-10-33-01`."""
    text = parse_text(raw)
    digits = digits_of(text)
    if not digits:
        raise BadValue(f"{text!r} is not a valid MAC address", "write it like 02-4b-56-10-33-01")
    return spelled(digits)


def macs_in(text: str) -> set[str]:
    """The digits of every MAC that stands in a text."""
    return {digits_of(match[0]) for match in IN_TEXT.finditer(text)}
