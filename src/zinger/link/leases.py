"""Where a device with a certain MAC answers now: lease lists of DHCP servers, and this machine's neighbour table.

Lists of dnsmasq, of ISC dhcpd and of Kea (its memfile, CSV) are told apart by what they hold. One may be in the
middle of being written: a last line without its end counts not, and what can't be read is passed over. Times are in
seconds since 1970.
"""

from __future__ import annotations

import csv
import io
import ipaddress
import re
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from zinger.link.base import LinkError
from zinger.plan.values.mac import digits_of

LARGEST = 20_000_000
"""Bytes of a list that are read: of a larger one, the end, where the latest leases are."""
NEIGHBOURS = Path("/proc/net/arp")
_ISC = re.compile(r"lease\s+(\S+)\s*\{(.*?)\}", re.DOTALL)


@dataclass(frozen=True)
class Lease:
    """One lease; `ends` is None where it never does, or where nothing is said."""

    mac: str
    address: str
    ends: float | None = None
    name: str = ""


def leases_in(text: str) -> Iterator[Lease]:
    """The leases of a list, oldest first."""
    if text and not text.endswith("\n"):
        text = text[: text.rfind("\n") + 1]  # somebody is writing it
    if text.startswith("address,hwaddr"):
        found = _kea(text)
    elif _ISC.search(text):
        found = _isc(text)
    else:
        found = _dnsmasq(text)
    try:
        yield from (lease for lease in found if lease.mac and _is_address(lease.address))
    except (ValueError, csv.Error):  # a date that is none, a cell without end: nothing more can be read of it
        return


def _is_address(text: str) -> bool:
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def _number(text: str) -> float | None:
    return float(text) if re.fullmatch(r"\d{1,15}", text) and int(text) else None


def _dnsmasq(text: str) -> Iterator[Lease]:
    """Rows of: when it ends (0 for never), MAC, address, name, client id."""
    for line in text.splitlines():
        words = line.split()
        if len(words) >= 4 and words[0].isdigit():
            yield Lease(digits_of(words[1]), words[2], _number(words[0]), words[3].strip("*"))


def _kea(text: str) -> Iterator[Lease]:
    """Columns by their names; state 0 is a lease that is in use."""
    for row in csv.DictReader(io.StringIO(text.replace("\0", ""))):
        if (row.get("state") or "0") == "0":
            mac, address = digits_of(row.get("hwaddr") or ""), row.get("address") or ""
            yield Lease(mac, address, _number(row.get("expire") or ""), row.get("hostname") or "")


def _isc(text: str) -> Iterator[Lease]:
    """Blocks; of one address the last block counts. Times are in UTC (dhcpd.leases(5))."""
    latest: dict[str, Lease | None] = {}
    for match in _ISC.finditer(text):
        body = match[2]
        state = re.search(r"^\s*binding state (\w+)", body, re.MULTILINE)
        mac = re.search(r"hardware ethernet ([0-9a-fA-F:]+)", body)
        ends = re.search(r"\bends \d (\d{4})/(\d\d)/(\d\d) (\d\d):(\d\d):(\d\d)", body)
        name = re.search(r'client-hostname "([^"]*)"', body)
        when = datetime(*map(int, ends.groups()), tzinfo=UTC).timestamp() if ends else None  # type: ignore[misc,arg-type]
        lease = Lease(digits_of(mac[1]) if mac else "", match[1], when, name[1] if name else "")
        latest.pop(match[1], None)
        latest[match[1]] = lease if state is None or state[1] == "active" else None
    yield from (lease for lease in latest.values() if lease is not None)


def neighbours_in(text: str) -> Iterator[Lease]:
    """Linux's neighbour table (proc(5), /proc/net/arp): whole entries only."""
    for line in text.splitlines()[1:]:
        words = line.split()
        if len(words) >= 4 and words[2] != "0x0" and _is_address(words[0]):
            yield Lease(digits_of(words[3]), words[0])


def addresses_of(mac: str, lists: Iterable[Path], now: float | None = None) -> list[str]:
    """Where a MAC may answer, likeliest first: leases that last, the latest first, then what this machine has heard.

    Raises LinkError for a list that can't be read.
    """
    wanted, now = digits_of(mac), time.time() if now is None else now
    found = [
        lease
        for file in lists
        for lease in leases_in(_read(file))
        if lease.mac == wanted and (lease.ends is None or lease.ends > now)
    ]
    found.reverse()
    found.sort(key=lambda lease: -(lease.ends or float("inf")))
    heard = [lease for lease in neighbours_in(_neighbours()) if lease.mac == wanted]
    return list(dict.fromkeys(lease.address for lease in (*found, *heard))) if wanted else []


def _read(file: Path) -> str:
    try:
        with file.open("rb") as leases:
            size = file.stat().st_size
            leases.seek(max(0, size - LARGEST))
            return leases.read(LARGEST).decode("utf-8", "replace")
    except OSError as error:
        raise LinkError(f"the lease list {file} can't be read: {error.strerror}") from None


def _neighbours() -> str:
    try:
        return NEIGHBOURS.read_text("utf-8", "replace")
    except OSError:
        return ""
