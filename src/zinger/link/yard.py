"""The practice yard from Zinger's side: its control socket, and the dialer that goes through it."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

from zinger.link.base import Link, LinkError, Unreachable
from zinger.link.dial import Dialer
from zinger.link.hostkeys import HostKeys
from zinger.link.tcp import open_telnet

LONGEST_LINE = 4_000_000
"""Bytes of an answer: that of a yard with hundreds of devices is one line."""
ANSWERS_WITHIN = 20.0
"""Seconds; the longest thing that a yard is asked for is a restart of its doors."""


class YardError(LinkError):
    """The yard said no, or is not there."""


class Yard:
    """A client of the yard's control socket (JSON lines on loopback)."""

    def __init__(self, port: int, token: str = "") -> None:
        self.port, self._token = port, token
        self._lock = asyncio.Lock()
        self._streams: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None

    @classmethod
    def from_file(cls, ready: Path) -> Yard:
        """The yard that wrote this file; raises YardError when there is none."""
        try:
            found = json.loads(ready.read_text())
            return cls(int(found["port"]), str(found.get("token", "")))
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            raise YardError("no practice yard is running for this job") from None

    async def ask(self, do: str, **what: Any) -> dict[str, Any]:
        """Ask the yard to do something; raises YardError with its reason when it can't.

        Who gives up in mid-question leaves an answer under way, which the next one would take for its own: nothing
        is asked on that connection any more.
        """
        async with self._lock:
            line = b""
            try:
                line = await self._line_for({"do": do, "token": self._token, **what})
            except (OSError, ValueError) as error:  # a line without end is a ValueError
                raise YardError("the practice yard is not there any more") from error
            finally:
                if not line:
                    self.close()
        if not line:
            raise YardError("the practice yard is not there any more")
        return self._answer(line)

    async def _line_for(self, question: dict[str, Any]) -> bytes:
        if self._streams is None:
            self._streams = await asyncio.open_connection("127.0.0.1", self.port, limit=LONGEST_LINE)
        reader, writer = self._streams
        writer.write(json.dumps(question).encode() + b"\n")
        async with asyncio.timeout(ANSWERS_WITHIN):
            return await reader.readline()

    def _answer(self, line: bytes) -> dict[str, Any]:
        """What a yard says; a stranger at its port, which a stale file can name, says something else."""
        try:
            reply: dict[str, Any] = json.loads(line)
            if not reply.pop("ok"):
                raise YardError(str(reply["why"]))
        except (ValueError, KeyError, TypeError, AttributeError):
            self.close()
            raise YardError(f"what answers at port {self.port} is not the practice yard") from None
        return reply

    def close(self) -> None:
        """Hang up; the yard itself lives on."""
        if self._streams:
            self._streams[1].close()
            self._streams = None


class YardDialer(Dialer):
    """Every way leads through the yard; nothing but loopback is ever dialled."""

    def __init__(self, yard: Yard, host_keys: HostKeys | None = None, certificates: HostKeys | None = None) -> None:
        self.yard = yard
        self.host_keys = host_keys or HostKeys()
        self.certificates = certificates or HostKeys()

    async def where(self, address: str, port: int) -> tuple[str, int]:
        try:
            reply = await self.yard.ask("dial", address=address, port=port)
        except YardError as error:
            raise Unreachable(f"{address} port {port}: {error}") from None
        return str(reply["host"]), int(reply["port"])

    async def voice(self, address: str, port: int, transport: str) -> tuple[str, int]:
        try:
            reply = await self.yard.ask("voice", address=address, transport=transport)
        except YardError as error:
            raise Unreachable(f"{address} port {port}: {error}") from None
        return str(reply["host"]), int(reply["port"])

    def stands_at(self, address: str, port: int) -> tuple[str, int]:
        return "127.0.0.1", 0

    async def stands_there(self, address: str, port: int, transport: str, real: int) -> None:
        await self.yard.ask("stand_in", address=address, port=port, transport=transport, real=real)

    async def console(self, device: str, console: str, settings: str = "") -> Link:
        reply = await self.yard.ask("console", device=device)
        return await open_telnet(str(reply["host"]), int(reply["port"]), f"yard console of {device}")
