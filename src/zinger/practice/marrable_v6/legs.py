"""The legs of a Marrable V6 on the network: over UDP, TCP and TLS, for peers only (RFC 3261)."""

from __future__ import annotations

import asyncio
import re
import ssl
from collections.abc import Awaitable, Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from ipaddress import IPv4Address, IPv4Interface
from typing import cast

from zinger.practice.core.doors import bound
from zinger.practice.marrable_v6.tables import Tables

Laptop = Callable[[], list[IPv4Interface]]


@dataclass
class Leg:
    """One leg that listens: its address, who may ask, and the loopback port of each transport."""

    address: IPv4Interface
    peers: dict[str, set[str]]
    """Addresses by transport."""
    ports: dict[str, int]


class Legs:
    """Listens where the tables in force have legs."""

    def __init__(self, laptop: Laptop, tls: Callable[[], ssl.SSLContext | None]) -> None:
        self.laptop, self._tls = laptop, tls
        self.open: dict[IPv4Address, Leg] = {}
        self._closers: list[Callable[[], None]] = []

    async def follow(self, tables: Tables) -> None:
        """Open what the tables say."""
        self.shut()
        loop = asyncio.get_running_loop()
        for side, address, _, _ in tables.legs:
            peers: dict[str, set[str]] = {}
            for _, on_leg, host, _, way, spare, _, _ in tables.peers:
                if on_leg == side:
                    peers.setdefault(way, set()).update({host, spare} - {""})
            leg = Leg(IPv4Interface(address), peers, {})
            if "udp" in peers:
                hears = partial(_Udp, self, leg)
                transport, _ = await loop.create_datagram_endpoint(hears, local_addr=("127.0.0.1", 0))
                leg.ports["udp"] = transport.get_extra_info("sockname")[1]
                self._closers.append(transport.close)
            for way in ("tcp", "tls"):
                if way in peers:
                    tls = self._tls() if way == "tls" else None
                    server = await asyncio.start_server(self._stream(leg, way), sock=bound(), ssl=tls)
                    leg.ports[way] = server.sockets[0].getsockname()[1]
                    self._closers.append(server.close)
            self.open[leg.address.ip] = leg

    def shut(self) -> None:
        """The power is gone, or other tables come."""
        for close in self._closers:
            with suppress(OSError):
                close()
        self._closers.clear()
        self.open.clear()

    def is_peer(self, leg: Leg, way: str) -> bool:
        """Whether who asks is a peer: the laptop, with the address of one."""
        return any(str(mine.ip) in leg.peers.get(way, ()) for mine in self.laptop())

    def _stream(self, leg: Leg, way: str) -> Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]:
        async def served(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            with suppress(OSError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
                while self.is_peer(leg, way):
                    writer.write(answer(await reader.readuntil(b"\r\n\r\n")))
                    await writer.drain()
            writer.close()

        return served


class _Udp(asyncio.DatagramProtocol):
    def __init__(self, legs: Legs, leg: Leg) -> None:
        self.legs, self.leg = legs, leg
        self.transport: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        if self.legs.is_peer(self.leg, "udp") and self.transport is not None:  # of others it hears nothing
            self.transport.sendto(answer(data), addr)


def answer(request: bytes) -> bytes:
    """What it answers to a request: it takes OPTIONS, and nothing else from somebody who has no call."""
    method, _, _ = request.partition(b" ")
    rows = request.split(b"\r\n")
    kept = [row for row in rows if re.match(rb"(?i)(via|v|from|f|to|t|call-id|i|cseq)\s*:", row)]
    status = b"200 OK" if method == b"OPTIONS" else b"481 Call Does Not Exist"
    kept = [row + b";tag=mv6" if re.match(rb"(?i)(to|t)\s*:", row) and b"tag=" not in row else row for row in kept]
    allow = b"Allow: INVITE, ACK, CANCEL, OPTIONS, BYE"
    return b"\r\n".join([b"SIP/2.0 " + status, *kept, allow, b"Server: Marrable V6", b"Content-Length: 0", b"", b""])
