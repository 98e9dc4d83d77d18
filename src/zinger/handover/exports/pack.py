"""What an export is made from, and small things that several of them need."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from zinger.handover.record import DeviceRecord
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.subjects.names.settings import DOMAIN, SEARCH_DOMAIN
from zinger.plan.values.addresses import Interface


@dataclass(frozen=True)
class Pack:
    """A job's devices as they go into the exports; `at`, in seconds since 1970, is when they were so."""

    title: str
    at: float
    records: Sequence[DeviceRecord]
    books: Mapping[str, Phrasebook] = field(default_factory=dict)
    host_keys: str = ""
    """The pinned host keys, as OpenSSH's known_hosts has them."""

    def fixed(self) -> Iterator[tuple[DeviceRecord, Interface]]:
        """The devices with a fixed management address, and it."""
        for record in self.records:
            fixed = record.device.fixed
            if fixed is not None and fixed.interface is not None:
                yield record, fixed.interface


def domain_of(device: Device) -> str:
    """The domain of a device's name; empty where none is planned."""
    found = device[DOMAIN] or device[SEARCH_DOMAIN]
    return str(found).rstrip(".").lower() if found else ""


def full_name(device: Device) -> str:
    """The name with its domain (RFC 1034 3.1), without a dot at the end."""
    domain = domain_of(device)
    return f"{device.name}.{domain}" if domain else device.name


def colons(mac: str) -> str:
    """A MAC as most programs write it: `02:4b:56:10:33:01`."""
    return mac.replace("-", ":").lower()


def one_line(text: str) -> str:
    """A text for a comment: nothing in it can end the line, or steer a terminal."""
    return "".join(char if char.isprintable() else " " for char in text)
