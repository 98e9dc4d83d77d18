"""Console lines over the network: raw TCP, and Telnet (RFC 854) by telnetlib3."""

from __future__ import annotations

import asyncio
from typing import Any

from zinger.link.base import Link, LinkError, Refused, Unreachable, why

CONNECT_PATIENCE = 10.0


class TcpLink(Link, asyncio.Protocol):
    """Raw bytes over a TCP connection (or any asyncio transport)."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.transport: asyncio.Transport | None = None
        self._closing = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        self.heard(data)

    def connection_lost(self, exc: Exception | None) -> None:
        if not self._closing:
            self.ended(str(exc) if exc else "the far end closed it")

    def write(self, data: bytes) -> None:
        if self.transport and not self.transport.is_closing():
            self.transport.write(data)

    def close(self) -> None:
        self._closing = True
        if self.transport:
            self.transport.close()


class TelnetLink(Link):
    """A Telnet session: options are negotiated below, only the device's own bytes come up."""

    def __init__(self, name: str, reader: Any, writer: Any) -> None:
        super().__init__(name)
        self._reader, self._writer = reader, writer
        self._task = asyncio.get_running_loop().create_task(self._listen())

    async def _listen(self) -> None:
        why = "the far end closed it"
        try:
            while data := await self._reader.read(65536):
                self.heard(data)
        except (OSError, EOFError) as error:
            why = str(error) or why
        self.ended(why)

    def write(self, data: bytes) -> None:
        if not self._writer.is_closing():
            self._writer.write(data)

    def send_break(self) -> None:
        """IAC BRK (RFC 854)."""
        self._writer.send_iac(b"\xff\xf3")

    def close(self) -> None:
        self._task.cancel()
        self._writer.close()


async def open_tcp(host: str, port: int, name: str) -> TcpLink:
    """Connect raw TCP; raises Refused, Unreachable."""
    loop = asyncio.get_running_loop()
    link = TcpLink(name)
    await translated(loop.create_connection(lambda: link, host, port), name)
    return link


async def open_telnet(host: str, port: int, name: str) -> TelnetLink:
    """Connect Telnet; raises Refused, Unreachable."""
    import telnetlib3  # here, since it takes long to load and many a start needs none of it

    class QuietClient(telnetlib3.TelnetClient):
        """A client that asks for nothing by itself and agrees to the far end's echo."""

        def begin_negotiation(self) -> None:
            super(telnetlib3.TelnetClient, self).begin_negotiation()

    reader, writer = await translated(
        telnetlib3.open_connection(
            host, port, encoding=False, client_factory=QuietClient, connect_minwait=0, connect_maxwait=0.1
        ),
        name,
    )
    return TelnetLink(name, reader, writer)


async def translated(connecting: Any, name: str) -> Any:
    """Await a connection attempt and translate what can go wrong into link errors."""
    try:
        async with asyncio.timeout(CONNECT_PATIENCE):
            return await connecting
    except ConnectionRefusedError:
        raise Refused(f"{name}: nobody listens there") from None
    except TimeoutError:
        raise Unreachable(f"{name}: no answer within {CONNECT_PATIENCE:.0f} s") from None
    except OSError as error:
        raise Unreachable(f"{name}: {why(error)}") from None
    except asyncio.CancelledError:
        raise
    except Exception as error:
        raise LinkError(f"{name}: {type(error).__name__}") from error
