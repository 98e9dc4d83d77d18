"""How families write values, as filters of templates: masks, MACs, durations, ranges, yes and no.

The same filters serve what is said and what is read back, so that both can be brought to one writing. Each takes
a value of the plan or a text that a device showed; what it can't understand is a ValueError in words.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Callable, Iterable, Mapping
from ipaddress import AddressValueError, IPv4Address, IPv4Network

from zinger.plan.values.bad import BadValue
from zinger.plan.values.clock import NOT_YET, LaptopTime
from zinger.plan.values.durations import seconds_of
from zinger.plan.values.mac import digits_of, spelled
from zinger.plan.values.ports import fold_ports, parse_ports
from zinger.plan.values.text import NO, YES


def mask(value: object) -> str:
    """A prefix length as a dotted mask (RFC 950): 24 is 255.255.255.0."""
    return str(IPv4Network(f"0.0.0.0/{_length(value)}").netmask)


def wildcard(value: object) -> str:
    """A prefix length as the bits that may differ: 24 is 0.0.0.255."""
    return str(IPv4Network(f"0.0.0.0/{_length(value)}").hostmask)


def hexmask(value: object) -> str:
    """A prefix length as a mask in hexadecimal: 24 is ffffff00."""
    return f"{int(IPv4Network(f'0.0.0.0/{_length(value)}').netmask):08x}"


def prefix(value: object) -> int:
    """The prefix length of a dotted mask, or of a length."""
    return _length(value)


def _length(value: object) -> int:
    text = str(value).strip().removeprefix("/")
    if text.isdigit() and int(text) <= 32:
        return int(text)
    if re.fullmatch(r"(?:0x)?[0-9a-fA-F]{8}", text):
        text = str(IPv4Address(int(text.removeprefix("0x"), 16)))
    try:
        bits = int(IPv4Address(text))
    except AddressValueError:
        raise BadValue(f"{text!r} is not a mask or a prefix length") from None
    ones = bits.bit_count()
    if bits != ((1 << ones) - 1) << (32 - ones):
        raise BadValue(f"{text!r} is not a mask: its ones are not in one piece")
    return ones


def mac(value: object, between: str = "-", group: int = 2, upper: bool = False) -> str:
    """A MAC (EUI-48) in the family's writing: digits in groups with something between."""
    digits = digits_of(str(value))
    if not digits:
        raise BadValue(f"{value!r} is not a valid MAC address")
    return spelled(digits.upper() if upper else digits, between, group)


def seconds(value: object, unit: str = "s") -> int:
    """A duration in seconds: `90`, `10 min`, `1h30m`, `00:10:00`; a bare number is in `unit`."""
    return seconds_of(value, unit)


def minutes(value: object, unit: str = "min") -> int:
    """A duration in whole minutes; a bare number is in `unit`."""
    return seconds_of(value, unit) // 60


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
    if text in YES or text == yes.lower():
        return yes
    if text in NO or text == no.lower():
        return no
    raise BadValue(f"{value!r} is neither yes nor no")


def listed(value: object) -> list[str]:
    """The words of a text: with commas, semicolons or blanks between them."""
    return [word for word in re.split(r"[\s,;]+", str(value)) if word]


def shell(value: object) -> str:
    """A text as one word of a POSIX shell (POSIX.1-2017, Shell Command Language 2.2), whatever it holds."""
    return shlex.quote(str(value))


def same(values: Iterable[object]) -> object:
    """The one value that all entries share, for a family that takes one for all of them; none for no entries."""
    found = list(dict.fromkeys(values))
    if len(found) > 1:
        raise BadValue(f"it takes one for all, and they are {', '.join(map(str, found))}")
    return found[0] if found else None


def in_words(value: object, words: Mapping[object, object]) -> object:
    """The family's word for a value; a value that it has no word for is refused, never written as another."""
    if value not in words:
        raise BadValue(f"it has no word for {value!s}; it knows {', '.join(map(str, words))}")
    return words[value]


def timed(value: object, form: str = "%Y-%m-%d %H:%M:%S") -> str:
    """The laptop's time in the family's writing, as strftime has it (C17 7.27.3.5)."""
    if not isinstance(value, LaptopTime):
        raise BadValue(f"{value!r} is not a time")
    wall = value.wall()
    return wall.strftime(form) if wall else NOT_YET


_ALL = (
    mask,
    wildcard,
    hexmask,
    prefix,
    mac,
    seconds,
    minutes,
    folded,
    unfolded,
    pieces,
    flag,
    listed,
    shell,
    same,
    in_words,
    timed,
)
FILTERS: Mapping[str, Callable[..., object]] = {f.__name__: f for f in _ALL}
