"""The legs of a Marrable V6 on the network: over UDP, TCP and TLS, for peers only (RFC 3261)."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Awaitable, Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from ipaddress import IPv4Address, IPv4Interface
from typing import cast

from zinger.practice.core.clock import Clock
from zinger.practice.core.doors import bound
from zinger.practice.marrable_v6.calls import Calls, WayTo, messages
from zinger.practice.marrable_v6.tables import Tables

Laptop = Callable[[], list[IPv4Interface]]


@dataclass
class Leg:
    """One leg that listens: its address, who may ask, and the loopback port of each transport."""

    side: str
    address: IPv4Interface
    peers: dict[str, set[str]]
    """Addresses by transport."""
    ports: dict[str, int]


class Legs:
    """Listens where the tables in force have legs."""

    def __init__(self, laptop: Laptop, tls: Callable[[], ssl.SSLContext | None], clock: Clock, way_to: WayTo) -> None:
        self.laptop, self._tls, self._clock, self._way_to = laptop, tls, clock, way_to
        self.calls = Calls(Tables(), clock, way_to)
        self.open: dict[IPv4Address, Leg] = {}
        self._closers: list[Callable[[], None]] = []

    async def follow(self, tables: Tables) -> None:
        """Open what the tables say."""
        self.shut()
        self.calls = Calls(tables, self._clock, self._way_to)
        loop = asyncio.get_running_loop()
        for side, address, _, _ in tables.legs:
            peers: dict[str, set[str]] = {}
            for _, on_leg, host, _, way, spare, _, _ in tables.peers:
                if on_leg == side:
                    peers.setdefault(way, set()).update({host, spare} - {""})
            leg = Leg(side, IPv4Interface(address), peers, {})
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
        self.calls.shut()
        self._closers.clear()
        self.open.clear()

    def is_peer(self, leg: Leg, way: str) -> bool:
        """Whether who asks is a peer: the laptop, with the address of one."""
        return any(str(mine.ip) in leg.peers.get(way, ()) for mine in self.laptop())

    def _stream(self, leg: Leg, way: str) -> Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]:
        async def served(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            async def heard(message: str) -> None:
                if not self.is_peer(leg, way):  # to others it does not speak
                    writer.close()
                    return
                self.calls.asked(message, leg.side, lambda text: writer.write(text.encode()))

            await messages(reader, heard)
            writer.close()

        return served


class _Udp(asyncio.DatagramProtocol):
    def __init__(self, legs: Legs, leg: Leg) -> None:
        self.legs, self.leg = legs, leg
        self.transport: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        there = self.transport
        if self.legs.is_peer(self.leg, "udp") and there is not None:  # of others it hears nothing
            told = data.decode("utf-8", "replace")
            self.legs.calls.asked(told, self.leg.side, lambda text: there.sendto(text.encode(), addr))
