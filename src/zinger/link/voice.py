"""Asking over SIP whether somebody is there: UDP with its resends, TCP, or TLS (RFC 3261 17, 18)."""

from __future__ import annotations

import asyncio
import secrets

from zinger.link.base import LinkError
from zinger.link.certificate import anybodys_tls
from zinger.talk.sip import FIRST_WAIT, LONGEST_WAIT, Ask, Reply
from zinger.talk.sip_message import END, LONGEST_MESSAGE, NotSip

PATIENCE = 8.0
"""Seconds for a final answer."""


Place = tuple[str, int]


async def options(where: Place, to: Place, sender: str, transport: str, mine: Place | None = None) -> Reply:
    """The final answer to an OPTIONS that is sent to `where` and names `to`; raises LinkError without one.

    `mine` is the address of this machine from which it goes, where it has several.
    """
    address, port = to
    ask = Ask(f"{address}:{port}", sender, transport, secrets.token_hex(8))
    try:
        async with asyncio.timeout(PATIENCE):
            return await (_over_udp(where, ask, mine) if transport == "udp" else _over_stream(where, ask, mine))
    except TimeoutError:
        raise LinkError(f"{address} port {port}: no answer to SIP OPTIONS over {transport} in {PATIENCE:g} s") from None
    except NotSip as error:
        raise LinkError(f"{address} port {port}: {error}") from None
    except OSError as error:
        raise LinkError(f"{address} port {port} over {transport}: {error.strerror or error}") from None


class _Datagrams(asyncio.DatagramProtocol):
    """What comes back for one request."""

    def __init__(self, ask: Ask, final: asyncio.Future[Reply]) -> None:
        self.ask, self.final = ask, final

    def datagram_received(self, data: bytes, addr: object) -> None:
        try:
            reply = self.ask.answered(data)
        except NotSip:
            return  # anybody can send anything there; the answer may still come
        if reply is not None and reply.is_final and not self.final.done():
            self.final.set_result(reply)

    def error_received(self, exc: Exception) -> None:
        if not self.final.done():
            self.final.set_exception(exc)


async def _over_udp(where: Place, ask: Ask, mine: Place | None) -> Reply:
    loop = asyncio.get_running_loop()
    final: asyncio.Future[Reply] = loop.create_future()
    transport, _ = await loop.create_datagram_endpoint(lambda: _Datagrams(ask, final), mine, where)
    wait = FIRST_WAIT
    try:
        while True:
            transport.sendto(ask.encoded())
            done, _ = await asyncio.wait([final], timeout=wait)
            if done:
                return final.result()
            wait = min(2 * wait, LONGEST_WAIT)
    finally:
        transport.close()
        final.cancel()


async def _over_stream(where: Place, ask: Ask, mine: Place | None) -> Reply:
    tls = anybodys_tls() if ask.transport == "tls" else None
    reader, writer = await asyncio.open_connection(*where, ssl=tls, local_addr=mine, limit=LONGEST_MESSAGE)
    try:
        writer.write(ask.encoded())
        await writer.drain()
        while True:
            try:
                head = await reader.readuntil(END)
            except (asyncio.IncompleteReadError, asyncio.LimitOverrunError):
                raise NotSip("it hung up, or sent something that is no SIP message") from None
            reply = ask.answered(head.lstrip(b"\r\n"))
            if reply is not None and reply.is_final:
                return reply
    finally:
        writer.close()
