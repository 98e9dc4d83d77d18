"""Whose console is this? What a line shows, held against the plan: serial number, MAC, hostname."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from zinger.plan.model import Device

_MAC = re.compile(
    r"(?<![0-9A-Fa-f])(?:[0-9A-Fa-f]{2}([-:.]?)(?:[0-9A-Fa-f]{2}\1?){4}[0-9A-Fa-f]{2})(?![0-9A-Fa-f])"
    r"|(?<![0-9A-Fa-f])(?:[0-9A-Fa-f]{4}\.){2}[0-9A-Fa-f]{4}(?![0-9A-Fa-f])"
)


def whose(shown: str, devices: Iterable[Device]) -> Iterator[tuple[Device, str]]:
    """The planned devices that a text tells of, with what told it; what can't be another's comes first."""
    planned = list(devices)
    macs = {re.sub(r"[-:.]", "", match[0]).lower() for match in _MAC.finditer(shown)}
    for device in planned:
        if device.serial and _word(device.serial, shown):
            yield device, f"serial {device.serial}"
        elif device.mac and re.sub(r"[-:.]", "", device.mac).lower() in macs:
            yield device, f"MAC {device.mac}"
    for device in planned:
        if _word(device.name, shown):
            yield device, f"hostname {device.name}"


def _word(word: str, text: str) -> bool:
    return re.search(rf"(?<![\w-]){re.escape(word)}(?![\w-])", text, re.IGNORECASE) is not None
