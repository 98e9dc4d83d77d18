"""Where a device with a certain MAC answers now: lease lists of DHCP servers, and this machine's neighbour table.

Lists of dnsmasq, of ISC dhcpd and of Kea (its memfile, CSV) are told apart by what they hold. One may be in the
middle of being written: a last line without its end counts not, and what can't be read is passed over. Times are in
seconds since 1970.
"""

from __future__ import annotations

import asyncio
import csv
import io
import ipaddress
import re
import time
from collections.abc import Awaitable, Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from zinger.link.base import LinkError
from zinger.plan.values.mac import digits_of
from zinger.wording import short

LARGEST = 20_000_000
"""Bytes of a list that are read: of a larger one, the end, where the latest leases are."""
READ_EVERY = 3.0
"""Seconds after which a list is read again."""
NEIGHBOURS = Path("/proc/net/arp")
_ISC = re.compile(r"lease\s+(\S+)\s*\{(.*?)\}", re.DOTALL)


@dataclass(frozen=True)
class Lease:
    """One lease; `ends` is None where it never does, `seen` where nothing tells when the device asked last."""

    mac: str
    address: str
    ends: float | None = None
    name: str = ""
    seen: float | None = None

    def told(self, now: float) -> str:
        """How fresh it is, for people."""
        if self.seen is not None and self.seen <= now:
            return f"seen {short(now - self.seen)} ago"
        return f"its lease lasts {short(self.ends - now)} more" if self.ends is not None else ""


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
            ends, lasts = _number(row.get("expire") or ""), _number(row.get("valid_lifetime") or "")
            seen = ends - lasts if ends is not None and lasts is not None else None
            yield Lease(mac, address, ends, row.get("hostname") or "", seen)


def _isc(text: str) -> Iterator[Lease]:
    """Blocks; of one address the last block counts. Times are in UTC (dhcpd.leases(5))."""
    latest: dict[str, Lease | None] = {}
    for match in _ISC.finditer(text):
        body = match[2]
        state = re.search(r"^\s*binding state (\w+)", body, re.MULTILINE)
        mac = re.search(r"hardware ethernet ([0-9a-fA-F:]+)", body)
        name = re.search(r'client-hostname "([^"]*)"', body)
        seen = _time("cltt", body) or _time("starts", body)
        lease = Lease(digits_of(mac[1]) if mac else "", match[1], _time("ends", body), name[1] if name else "", seen)
        latest.pop(match[1], None)
        latest[match[1]] = lease if state is None or state[1] == "active" else None
    yield from (lease for lease in latest.values() if lease is not None)


def _time(what: str, body: str) -> float | None:
    """A time in the body of a lease; None where it has none, or `never`."""
    found = re.search(rf"\b{what} \d (\d{{4}})/(\d\d)/(\d\d) (\d\d):(\d\d):(\d\d)", body)
    return datetime(*map(int, found.groups()), tzinfo=UTC).timestamp() if found else None  # type: ignore[misc,arg-type]


def neighbours_in(text: str) -> Iterator[Lease]:
    """Linux's neighbour table (proc(5), /proc/net/arp): whole entries only."""
    for line in text.splitlines()[1:]:
        words = line.split()
        if len(words) >= 4 and words[2] != "0x0" and _is_address(words[0]):
            yield Lease(digits_of(words[3]), words[0])


def leases_of(mac: str, texts: Iterable[str], now: float) -> list[Lease]:
    """The leases of a MAC, likeliest first: those that last, the latest first, then what this machine has heard."""
    wanted = digits_of(mac)
    found = [
        lease
        for text in texts
        for lease in leases_in(text)
        if lease.mac == wanted and (lease.ends is None or lease.ends > now)
    ]
    found.reverse()
    found.sort(key=lambda lease: -(lease.ends or float("inf")))
    found += [lease for lease in neighbours_in(_neighbours()) if lease.mac == wanted]
    return list({lease.address: lease for lease in reversed(found)}.values())[::-1] if wanted else []


class LeaseLists:
    """The lease lists of a run: files of this machine, or of a server that is signed in to.

    `fetch` brings the end of a server's file, by its whole source (`ssh://user@host/path`). Each is read again at most
    every few seconds, beside the loop, however many devices look into it.
    """

    def __init__(self, sources: Sequence[str] = (), fetch: Callable[[str], Awaitable[str]] | None = None) -> None:
        self.sources = tuple(sources)
        self._fetch = fetch
        self._read: dict[str, tuple[float, str]] = {}
        self._lock = asyncio.Lock()

    async def of(self, mac: str) -> list[Lease]:
        """The leases of a MAC, likeliest first. Raises LinkError for a list that can't be read."""
        async with self._lock:
            texts = [await self._text(source) for source in self.sources]
        return await asyncio.to_thread(leases_of, mac, texts, time.time())

    async def _text(self, source: str) -> str:
        now = time.monotonic()
        read, text = self._read.get(source, (0.0, ""))
        if source not in self._read or now - read >= READ_EVERY:
            if not is_served(source):
                text = await asyncio.to_thread(_read, Path(source))
            elif self._fetch is None:
                raise LinkError(f"the lease list {source} is on a server, and none is reached from here")
            else:
                text = await self._fetch(source)
            self._read[source] = now, text
        return text


def is_served(source: str) -> bool:
    """Whether a lease list is on a server that is signed in to."""
    return source.startswith("ssh://")


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
