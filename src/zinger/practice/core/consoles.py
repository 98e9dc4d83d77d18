"""Telnet (RFC 854, 857, 858) for console lines and for the Telnet door, by telnetlib3."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable, Coroutine
from typing import Any

import telnetlib3
from telnetlib3.telopt import ECHO, SGA, WILL


class _Plain(telnetlib3.TelnetServer):
    """A server that asks the client nothing: it echoes, suppresses go-ahead, and begins at once."""

    def begin_negotiation(self) -> None:
        if self.writer is not None:
            self.writer.iac(WILL, ECHO)
            self.writer.iac(WILL, SGA)
        super(telnetlib3.TelnetServer, self).begin_negotiation()

    def begin_advanced_negotiation(self) -> None:
        """Nothing more is asked."""

    def check_negotiation(self, final: bool = False) -> bool:
        return True


async def serve_telnet(sock: socket.socket, session: Callable[[Any, Any], Coroutine[Any, Any, None]]) -> asyncio.Server:
    """Listen on a bound socket; each connection becomes a session of bytes in and bytes out."""
    loop = asyncio.get_running_loop()
    return await loop.create_server(
        lambda: _Plain(shell=session, encoding=False, connect_maxwait=0.05, timeout=0), sock=sock
    )
