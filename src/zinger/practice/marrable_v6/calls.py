"""The calls that go through a Marrable V6: it is a partner in each of the two dialogues of a call (RFC 3261).

Who calls on one leg is put through to the first peer of the other one, after the number rules of that leg.
"""

from __future__ import annotations

import asyncio
import re
import secrets
import ssl
from collections.abc import Awaitable, Callable, Coroutine
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from zinger.practice.core.clock import Clock
from zinger.practice.marrable_v6.tables import Row, Tables

Tell = Callable[[str], None]
WayTo = Callable[[tuple[str, int, str]], int | None]
ANSWERS_WITHIN = 12.0
_KEPT = re.compile(r"(?i)^(via|v|from|f|to|t|call-id|i|cseq)\s*:")


@dataclass
class Through:
    """A call that stands, as the page shows it, and how its ends are told that it is over."""

    shown: Row
    ended: asyncio.Event


class Calls:
    """All calls of one gateway."""

    def __init__(self, tables: Tables, clock: Clock, way_to: WayTo) -> None:
        self.tables, self._clock, self._way_to = tables, clock, way_to
        self.standing: dict[str, Through] = {}
        self._known: set[str] = set()
        self._tasks: set[asyncio.Task[None]] = set()

    def shut(self) -> None:
        """The power is gone."""
        for task in self._tasks:
            task.cancel()
        self.standing.clear()

    def asked(self, request: str, leg: str, tell: Tell) -> None:
        """What a peer sends on a leg."""
        method, call = request.partition(" ")[0], field(request, "call-id", "i")
        if method == "INVITE" and call not in self._known:
            self._known.add(call)
            self._begin(self._put_through(request, call, leg, tell))
        elif method == "BYE" and call in self.standing:
            tell(answer(request, "200 OK"))
            self.standing.pop(call).ended.set()
        elif method == "OPTIONS":
            tell(answer(request, "200 OK", "Allow: INVITE, ACK, CANCEL, OPTIONS, BYE"))
        elif method not in ("ACK", "INVITE") and not method.startswith("SIP/"):
            tell(answer(request, "481 Call Does Not Exist"))

    def _begin(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    def number_for(self, leg: str, dialled: str) -> str:
        """What becomes of a number towards a leg: the first rule that takes it counts."""
        for side, begins, becomes in self.tables.numbers:
            stem = begins.rstrip("x")
            if side in (leg, "both") and dialled.startswith(stem) and len(dialled) >= len(begins):
                return becomes + dialled.removeprefix(stem)
        return dialled

    async def _put_through(self, request: str, call: str, leg: str, tell: Tell) -> None:
        tell(answer(request, "100 Trying"))
        mine = next((row for row in self.tables.peers if row[1] == leg), None)
        there = next((row for row in self.tables.peers if row[1] != leg), None)
        if there is None or mine is None or len(self.standing) >= int(self.tables.calls or 1):
            tell(answer(request, "486 Busy Here"))
            return
        name, _, host, port, way, *_ = there
        dialled = re.match(r"INVITE sips?:([^@;>]+)", request)
        number = self.number_for(leg_of(there), dialled[1]) if dialled else ""
        real = self._way_to((host, int(port), way))
        if not number or real is None:
            tell(answer(request, "404 Not Found" if not number else "503 Peer Not There"))
            return
        await self._clock.sleep(0.4)
        far = Far(f"sip:{number}@{host}:{port}", f"{self._address(leg_of(there))}", way)
        try:
            await far.open(real)
            await self._carried(request, call, (mine[0], dialled[1] if dialled else "", name, number), far, tell)
        except (OSError, TimeoutError):
            tell(answer(request, "504 Peer Silent"))
        finally:
            far.close()

    async def _carried(self, request: str, call: str, shown: Row, far: Far, tell: Tell) -> None:
        body = request.partition("\r\n\r\n")[2]
        far.say("INVITE", 1, body)
        while True:
            async with asyncio.timeout(ANSWERS_WITHIN):
                heard = await far.heard()
            status = int(heard[8:11]) if heard.startswith("SIP/2.0 ") else 0
            if status >= 200:
                break
            if status >= 180:
                tell(answer(request, "180 Ringing"))
        far.take(heard)
        far.say("ACK", 1)
        if status >= 300:
            tell(answer(request, f"{status} Refused Over There"))
            return
        through = self.standing[call] = Through(shown, asyncio.Event())
        contact = f"Contact: <sip:mv6@{field(request, 'to', 't').partition('@')[2].partition('>')[0]}>"
        tell(answer(request, "200 OK", contact, body=heard.partition("\r\n\r\n")[2]))
        await through.ended.wait()
        far.say("BYE", 2)
        with suppress(TimeoutError):
            async with asyncio.timeout(2):
                await far.heard()

    def _address(self, leg: str) -> str:
        return next(address.partition("/")[0] for side, address, *_ in self.tables.legs if side == leg)


class Far:
    """The dialogue with the peer that is called."""

    def __init__(self, target: str, mine: str, way: str) -> None:
        self.target, self.to, self.mine, self.way = target, f"<{target}>", mine, way
        self.tag = secrets.token_hex(5)
        self._came: asyncio.Queue[str] = asyncio.Queue()
        self._write: Callable[[bytes], None] = lambda data: None
        self.close: Callable[[], None] = lambda: None
        self._listens: asyncio.Task[None] | None = None

    async def open(self, port: int) -> None:
        """Reach the peer."""
        if self.way == "udp":
            loop = asyncio.get_running_loop()
            udp, _ = await loop.create_datagram_endpoint(lambda: _Queued(self._came), remote_addr=("127.0.0.1", port))
            self._write, self.close = udp.sendto, udp.close
            return
        tls = None
        if self.way == "tls":
            tls = ssl.create_default_context()
            tls.check_hostname, tls.verify_mode = False, ssl.CERT_NONE
        reader, writer = await asyncio.open_connection("127.0.0.1", port, ssl=tls)

        async def heard(message: str) -> None:
            self._came.put_nowait(message)

        self._listens = asyncio.create_task(messages(reader, heard))
        self._write, self.close = writer.write, writer.close

    async def heard(self) -> str:
        """The next message of the peer."""
        return await self._came.get()

    def take(self, message: str) -> None:
        """What the peer's answer says of the dialogue."""
        self.to = field(message, "to", "t") or self.to
        if found := re.search(r"<([^>]+)>", field(message, "contact", "m")):
            self.target = found[1]

    def say(self, method: str, count: int, body: str = "") -> None:
        rows = (
            f"{method} {self.target} SIP/2.0",
            f"Via: SIP/2.0/{self.way.upper()} {self.mine}:5060;branch=z9hG4bK{self.tag}{method}",
            "Max-Forwards: 69",
            f"From: <sip:mv6@{self.mine}>;tag={self.tag}",
            f"To: {self.to}",
            f"Call-ID: {self.tag}@{self.mine}",
            f"CSeq: {count} {method}",
            f"Contact: <sip:mv6@{self.mine}>",
            *(["Content-Type: application/sdp"] if body else []),
            f"Content-Length: {len(body.encode())}",
        )
        self._write("\r\n".join((*rows, "", body)).encode())


class _Queued(asyncio.DatagramProtocol):
    def __init__(self, came: asyncio.Queue[str]) -> None:
        self._came = came

    def datagram_received(self, data: bytes, addr: object) -> None:
        self._came.put_nowait(data.decode("utf-8", "replace"))


async def messages(reader: asyncio.StreamReader, heard: Callable[[str], Awaitable[None]]) -> None:
    """Every message of a stream, until it ends."""
    with suppress(OSError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
        while True:
            head = (await reader.readuntil(b"\r\n\r\n")).decode("utf-8", "replace")
            size = field(head, "content-length", "l")
            body = await reader.readexactly(int(size) if size.isdigit() and len(size) < 6 else 0)
            await heard(head + body.decode("utf-8", "replace"))


def field(message: str, *names: str) -> str:
    """A header of a message, by its long or its short name."""
    found = re.search(rf"(?im)^(?:{'|'.join(names)})\s*:[ \t]*(.*?)\r?$", message.partition("\r\n\r\n")[0])
    return found[1] if found else ""


def answer(request: str, status: str, *more: str, body: str = "") -> str:
    """What is answered to a request."""
    kept = [row for row in request.partition("\r\n\r\n")[0].split("\r\n")[1:] if _KEPT.match(row)]
    kept = [f"{row};tag=mv6" if re.match(r"(?i)(to|t)\s*:", row) and "tag=" not in row else row for row in kept]
    kind = ["Content-Type: application/sdp"] if body else []
    rows = [f"SIP/2.0 {status}", *kept, *more, *kind, "Server: Marrable V6", f"Content-Length: {len(body.encode())}"]
    return "\r\n".join([*rows, "", body])


def leg_of(peer: Row) -> str:
    return peer[1]
