"""The laptop in the place of a telephone system or provider: it takes calls at their address, and makes one from it."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import AsyncIterator, Callable, Coroutine
from contextlib import asynccontextmanager, suppress
from typing import Any, cast

from zinger.link.base import LinkError
from zinger.link.certificate import anybodys_tls, server_tls
from zinger.link.dial import Dialer
from zinger.talk.calls import Called, Caller
from zinger.talk.sip import FIRST_WAIT, LONGEST_WAIT
from zinger.talk.sip_message import END, LONGEST_MESSAGE, Message, NotSip

STANDS_WITHIN = 20.0
"""Seconds for a call to stand."""
ENDS_WITHIN = 4.0

Send = Callable[[bytes], None]


class StandIn:
    """One peer of a gateway, played by the laptop; `async with` opens and shuts it. Raises LinkError."""

    def __init__(self, dialer: Dialer, address: str, port: int, transport: str) -> None:
        self._dialer, self._address, self._port, self._transport = dialer, address, port, transport
        self.called = Called(f"{address}:{port}", transport, secrets.token_hex(6))
        self._callers: dict[str, Caller] = {}
        self._moved = asyncio.Event()
        self._tasks: set[asyncio.Task[None]] = set()
        self._udp: asyncio.DatagramTransport | None = None
        self._server: asyncio.Server | None = None

    async def __aenter__(self) -> StandIn:
        here = self._dialer.stands_at(self._address, self._port)
        try:
            if self._transport == "udp":
                loop = asyncio.get_running_loop()
                made, _ = await loop.create_datagram_endpoint(lambda: _Datagrams(self._hear), local_addr=here)
                self._udp = made
                port = made.get_extra_info("sockname")[1]
            else:
                tls = server_tls(self._address) if self._transport == "tls" else None
                self._server = await asyncio.start_server(self._taken, *here, ssl=tls, limit=LONGEST_MESSAGE)
                port = self._server.sockets[0].getsockname()[1]
        except OSError as error:
            what = f"calls can't be taken at {self._address} port {self._port} over {self._transport}"
            raise LinkError(f"{what}: {error.strerror or error}. Free that port of this laptop") from None
        await self._dialer.stands_there(self._address, self._port, self._transport, port)
        return self

    async def __aexit__(self, *exc: object) -> None:
        if self._udp is not None:
            self._udp.close()
        if self._server is not None:
            self._server.close()
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    @asynccontextmanager
    async def call(self, gateway: str, port: int, number: str) -> AsyncIterator[Caller]:
        """A call to a number at a gateway's leg, while it stands. Raises LinkError with why it does not."""
        where = await self._dialer.voice(gateway, port, self._transport)
        tag = secrets.token_hex(8)
        caller = Caller(self.called.address, self._transport, tag, number=number, gateway=f"{gateway}:{port}")
        self._callers[caller.call] = caller
        try:
            async with self._way(where) as send:
                await self._stand(caller, send)
                try:
                    yield caller
                finally:
                    await self._end(caller, send)
        except OSError as error:
            raise LinkError(f"{gateway} port {port} over {self._transport}: {error.strerror or error}") from None
        finally:
            del self._callers[caller.call]

    @asynccontextmanager
    async def _way(self, where: tuple[str, int]) -> AsyncIterator[Send]:
        if self._udp is not None:
            udp = self._udp
            yield lambda data: udp.sendto(data, where)
            return
        tls = anybodys_tls() if self._transport == "tls" else None
        mine = self._dialer.stands_at(self._address, 0)
        reader, writer = await asyncio.open_connection(*where, ssl=tls, local_addr=mine, limit=LONGEST_MESSAGE)
        self._spawn(self._listen(reader, writer.write))
        try:
            yield writer.write
        finally:
            writer.close()

    async def _stand(self, caller: Caller, send: Send) -> None:
        wait = FIRST_WAIT
        try:
            async with asyncio.timeout(STANDS_WITHIN):
                send(caller.invite().encoded())
                while not (caller.stands or caller.refused):
                    again = self._udp is not None and not caller.status
                    if not await self._something_came(wait if again else STANDS_WITHIN) and again:
                        send(caller.invite().encoded())
                        wait = min(2 * wait, LONGEST_WAIT)
        except TimeoutError:
            if caller.status:
                send(caller.cancel().encoded())
            said = f"after {caller.status}" if caller.status else "without any answer"
            raise LinkError(f"the call does not stand after {STANDS_WITHIN:g} s, {said}") from None
        if caller.refused:
            raise CallRefused(f"the call is refused: {caller.refused}", caller.status)

    async def _end(self, caller: Caller, send: Send) -> None:
        """Hang up; a gateway that does not say that it heard this ends the call by itself."""
        if caller.over:
            return
        with suppress(TimeoutError, OSError):
            async with asyncio.timeout(ENDS_WITHIN):
                while not caller.over:
                    send(caller.bye().encoded())
                    await self._something_came(ENDS_WITHIN if self._udp is None else FIRST_WAIT)

    async def _something_came(self, within: float) -> bool:
        self._moved.clear()
        with suppress(TimeoutError):
            async with asyncio.timeout(within):
                await self._moved.wait()
        return self._moved.is_set()

    # -- what comes --------------------------------------------------------------------------------
    def _hear(self, data: bytes, send: Send) -> None:
        try:
            message = Message.read(data)
        except NotSip:
            return  # anybody can send anything there
        caller = self._callers.get(message.call)
        for answer in (caller or self.called).heard(message):
            send(answer.encoded())
        if message.call in self.called.unheard and self._udp is not None:
            self._spawn(self._until_heard(message.call, send))
        self._moved.set()

    async def _until_heard(self, call: str, send: Send) -> None:
        wait = FIRST_WAIT
        for _ in range(7):
            await asyncio.sleep(wait)
            if (taken := self.called.unheard.get(call)) is None:
                return
            send(taken.encoded())
            wait = min(2 * wait, LONGEST_WAIT)

    async def _taken(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._spawn(self._listen(reader, writer.write, writer.close))

    async def _listen(self, reader: asyncio.StreamReader, send: Send, close: Callable[[], None] = lambda: None) -> None:
        """Messages of a stream, each as long as it says (RFC 3261 18.3)."""
        try:
            while True:
                head = (await reader.readuntil(END)).lstrip(b"\r\n")
                length = Message.read(head).length if head else 0
                self._hear(head + await reader.readexactly(min(length, LONGEST_MESSAGE)), send)
        except (OSError, EOFError, asyncio.LimitOverrunError, NotSip):
            close()

    def _spawn(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)


class CallRefused(LinkError):
    """A gateway does not take a call."""

    def __init__(self, what: str, status: int) -> None:
        super().__init__(what)
        self.status = status


class _Datagrams(asyncio.DatagramProtocol):
    def __init__(self, hear: Callable[[bytes, Send], None]) -> None:
        self._hear = hear
        self._transport: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        there = self._transport
        if there is not None:
            self._hear(data, lambda answer: there.sendto(answer, addr))
