"""How families write values, as filters of templates: masks, MACs, durations, ranges, yes and no.

The same filters serve what is said and what is read back, so that both can be brought to one writing. Each takes
a value of the plan or a text that a device showed; what it can't understand is a ValueError in words.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from ipaddress import AddressValueError, IPv4Address, IPv4Network

from zinger.plan.values.ports import fold_ports, parse_ports

_SECONDS = {
    "s": 1,
    "sec": 1,
    "second": 1,
    "m": 60,
    "min": 60,
    "minute": 60,
    "h": 3600,
    "hour": 3600,
    "d": 86400,
    "day": 86400,
}
_PIECE = re.compile(r"(\d+)\s*([a-z]*)", re.IGNORECASE)
_YES = frozenset({"yes", "y", "on", "true", "enabled", "open", "up", "1"})
_NO = frozenset({"no", "n", "off", "false", "disabled", "shut", "closed", "down", "0", "none"})


def mask(value: object) -> str:
    """A prefix length as a dotted mask (RFC 950): 24 is 255.255.255.0."""
    return str(IPv4Network(f"0.0.0.0/{_length(value)}").netmask)


def wildcard(value: object) -> str:
    """A prefix length as the bits that may differ: 24 is 0.0.0.255."""
    return str(IPv4Network(f"0.0.0.0/{_length(value)}").hostmask)


def prefix(value: object) -> int:
    """The prefix length of a dotted mask, or of a length."""
    return _length(value)


def _length(value: object) -> int:
    text = str(value).strip().removeprefix("/")
    if text.isdigit() and int(text) <= 32:
        return int(text)
    try:
        bits = int(IPv4Address(text))
    except AddressValueError:
        raise ValueError(f"{text!r} is no mask and no prefix length") from None
    ones = bits.bit_count()
    if bits != ((1 << ones) - 1) << (32 - ones):
        raise ValueError(f"{text!r} is no mask: its ones are not in one piece")
    return ones


def mac(value: object, between: str = "-", group: int = 2, upper: bool = False) -> str:
    """A MAC (EUI-48) in the family's writing: digits in groups with something between."""
    digits = re.sub(r"[^0-9a-fA-F]", "", str(value))
    if len(digits) != 12:
        raise ValueError(f"{value!r} is no MAC")
    digits = digits.upper() if upper else digits.lower()
    return between.join(digits[i : i + group] for i in range(0, 12, group))


def seconds(value: object, unit: str = "s") -> int:
    """A duration in seconds: `90`, `10 min`, `1h30m`, `00:10:00`; a bare number is in `unit`."""
    text = str(value).strip().lower()
    if re.fullmatch(r"\d+(:\d{1,2}){1,2}", text):
        parts = [int(part) for part in text.split(":")]
        hours, minutes, rest = ([0] * (3 - len(parts)) + parts) if len(parts) < 3 else parts
        return hours * 3600 + minutes * 60 + rest
    total, at = 0, 0
    for piece in _PIECE.finditer(text):
        word = (piece[2] or unit).removesuffix("s") or "s"
        if text[at : piece.start()].strip(" ,") or word not in _SECONDS:
            break
        total, at = total + int(piece[1]) * _SECONDS[word], piece.end()
    if not text or text[at:].strip():
        raise ValueError(f"{value!r} is no duration")
    return total


def minutes(value: object, unit: str = "min") -> int:
    """A duration in whole minutes; a bare number is in `unit`."""
    return seconds(value, unit) // 60


def folded(value: Iterable[str] | str) -> str:
    """Ports as ranges: 1-4,7."""
    return fold_ports(unfolded(value))


def unfolded(value: Iterable[str] | str) -> tuple[str, ...]:
    """Ranges of ports, or of numbers, one by one."""
    return parse_ports(value) if isinstance(value, str) else tuple(map(str, value))


def pieces(value: Iterable[str] | str, longest: int) -> list[str]:
    """Ports as ranges, in as few texts as there must be when none may be longer than so many characters."""
    texts: list[str] = [""]
    for part in folded(value).split(","):
        joined = f"{texts[-1]},{part}" if texts[-1] else part
        if len(joined) > longest and texts[-1]:
            texts.append(part)
        else:
            texts[-1] = joined
    return texts


def flag(value: object, yes: str = "on", no: str = "off") -> str:
    """A yes or no, given as such or in a device's words, in the family's words."""
    if isinstance(value, bool):
        return yes if value else no
    text = str(value).strip().lower()
    if text in _YES or text == yes.lower():
        return yes
    if text in _NO or text == no.lower():
        return no
    raise ValueError(f"{value!r} is no yes and no no")


def listed(value: object) -> list[str]:
    """The words of a text: with commas, semicolons or blanks between them."""
    return [word for word in re.split(r"[\s,;]+", str(value)) if word]


FILTERS: Mapping[str, Callable[..., object]] = {
    f.__name__: f for f in (mask, wildcard, prefix, mac, seconds, minutes, folded, unfolded, pieces, flag, listed)
}
