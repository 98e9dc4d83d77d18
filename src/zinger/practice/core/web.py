"""A device's pages on a loopback socket: its application (ASGI) under uvicorn's protocol, without uvicorn's process.

uvicorn's own server was not taken whole: it wants the process's signals, and waits for open connections where a device
whose power is cut says no goodbye.
"""

from __future__ import annotations

import asyncio
import socket
import ssl
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol
from uvicorn.server import ServerState


class WebServer:
    """The open door; `close` cuts every connection."""

    def __init__(self, server: asyncio.Server, state: ServerState) -> None:
        self._server, self._state = server, state

    def close(self) -> None:
        """Stop listening, and hang up on everybody."""
        self._server.close()
        for connection in list(self._state.connections):
            connection.transport.abort()


async def serve_pages(app: Any, sock: socket.socket, tls: ssl.SSLContext | None) -> WebServer:
    """Serve an application on a bound socket."""
    config = uvicorn.Config(
        app, http="h11", ws="none", lifespan="off", log_config=None, access_log=False, server_header=False
    )
    config.load()
    state = ServerState()

    def protocol() -> H11Protocol:
        return H11Protocol(config, state, {})

    server = await asyncio.get_running_loop().create_server(protocol, sock=sock, ssl=tls)
    return WebServer(server, state)
