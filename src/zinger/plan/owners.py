"""Whose console is this? What a line shows, held against the plan: serial number, MAC, hostname."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from zinger.plan.model import Device
from zinger.plan.values.mac import digits_of, macs_in


def owners_of(shown: str, devices: Iterable[Device]) -> Iterator[tuple[Device, str]]:
    """The planned devices that a text tells of, with what told it; what can't be another's comes first."""
    planned = list(devices)
    macs = macs_in(shown)
    for device in planned:
        if device.serial and _word(device.serial, shown):
            yield device, f"serial {device.serial}"
        elif macs and device.mac and digits_of(device.mac) in macs:
            yield device, f"MAC {device.mac}"
    for device in planned:
        if _word(device.name, shown):
            yield device, f"hostname {device.name}"


def same_identity(one: str, other: str) -> bool:
    """Whether two spellings of a serial number or MAC are the same."""
    return plain(one) == plain(other)


def plain(identity: str) -> str:
    """A serial number or MAC without what spellings differ in."""
    return "".join(c for c in identity.lower() if c.isalnum())


def _word(word: str, text: str) -> bool:
    if word.lower() not in text.lower():
        return False  # as with nearly all of hundreds of devices; a pattern for each would take long to make
    return as_word(word).search(text) is not None


def as_word(name: str) -> re.Pattern[str]:
    """The pattern of a name that stands by itself in a text, and is no part of a longer one."""
    return re.compile(rf"(?<![\w-]){re.escape(name)}(?![\w-])", re.IGNORECASE)
