"""A device's pages on a loopback socket: its application (ASGI) under uvicorn's protocol, without uvicorn's process.

uvicorn's own server was not taken whole: it wants the process's signals, and waits for open connections where a device
whose power is cut says no goodbye.
"""

from __future__ import annotations

import asyncio
import codecs
import re
import socket
import ssl
from collections.abc import AsyncIterator, Callable
from typing import Any, Protocol

import uvicorn
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, StreamingResponse
from uvicorn.protocols.http.h11_impl import H11Protocol
from uvicorn.server import ServerState


class WebServer:
    """The open door; `close` cuts every connection."""

    def __init__(self, server: asyncio.Server, state: ServerState) -> None:
        self._server, self._state = server, state

    def close(self) -> None:
        """Stop listening, and hang up on everybody."""
        self._server.close()
        self.hang_up()

    def hang_up(self) -> None:
        """Cut every connection."""
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


class Faulty(Protocol):
    """What a device behind pages must be able to do for its faults."""

    def sign_all_out(self) -> None: ...
    def hang_up(self) -> None: ...
    def power(self, on: bool) -> None: ...
    def renew_certificate(self) -> None: ...


FAULTS = (
    "500", "500 after", "lost", "lost after", "half", "signed out", "power", "circle", "endless", "other", "large",
    "field missing", "field new", "other order", "other language", "other shape", "certificate",
)  # fmt: skip
"""What can be ordered of one request: `after` is after it was carried out."""
LARGE = 50_000_000


def faulty(box: Faulty, kind: str, application: Any) -> Any:
    """The application, with something going wrong at this request."""
    if not kind:
        return application

    async def app(scope: Any, receive: Any, send: Any) -> None:
        if kind == "signed out":
            box.sign_all_out()
            await application(scope, receive, send)
        elif kind == "power":
            box.power(False)
            box.power(True)
        elif kind == "lost":
            box.hang_up()
        elif kind in ("500 after", "lost after"):
            await application(scope, receive, _swallow)
            if kind == "lost after":
                box.hang_up()
                return
            await PlainTextResponse("out of memory", 500)(scope, receive, send)
        elif kind == "half":
            await application(scope, receive, _Half(send, box))
        elif kind == "certificate":
            await application(scope, receive, send)
            box.renew_certificate()
        elif kind in CHANGES:
            await application(scope, receive, _Changed(send, CHANGES[kind]))
        else:
            await _OTHERS[kind]()(scope, receive, send)

    return app


async def _swallow(message: Any) -> None:
    """What would have been answered goes nowhere."""


class _Half:
    """Sends half of a body, then hangs up."""

    def __init__(self, send: Any, box: Faulty) -> None:
        self._send, self._box = send, box

    async def __call__(self, message: Any) -> None:
        if message["type"] == "http.response.body" and message.get("body"):
            await self._send({**message, "body": message["body"][: len(message["body"]) // 2], "more_body": True})
            await asyncio.sleep(0.05)  # let it go out
            self._box.hang_up()
            return
        await self._send(message)


def _without_a_field(page: str) -> str:
    return re.sub(r"<(?:input|INPUT)(?![^>]*(?:hidden|submit))[^>]*>", "", page, count=1)


def _with_a_field(page: str) -> str:
    return re.sub(r"</(form|FORM)>", r"<p>New here <input name=newhere></p></\1>", page)


def _in_other_order(page: str) -> str:
    """Its forms the other way round."""
    forms = iter(re.findall(r"(?is)<form.*?</form>", page)[::-1])
    return re.sub(r"(?is)<form.*?</form>", lambda form: next(forms), page)


def _in_other_words(page: str) -> str:
    """All that can be read, as if in another language."""
    return re.sub(r">([^<]*[A-Za-z][^<]*)<", lambda text: f">{codecs.encode(text[1], 'rot13')}<", page)


def _in_other_shape(page: str) -> str:
    """JSON, one level deeper."""
    return f'{{"answer": [{page}]}}' if page.startswith("{") else page


CHANGES: dict[str, Callable[[str], str]] = {
    "field missing": _without_a_field,
    "field new": _with_a_field,
    "other order": _in_other_order,
    "other language": _in_other_words,
    "other shape": _in_other_shape,
}
"""How a page comes out when its maker changed it."""


class _Changed:
    """Sends what the application answers, changed."""

    def __init__(self, send: Any, change: Callable[[str], str]) -> None:
        self._send, self._change = send, change
        self._head: Any = None
        self._body = b""

    async def __call__(self, message: Any) -> None:
        if message["type"] == "http.response.start":
            self._head = message
            return
        self._body += message.get("body", b"")
        if message.get("more_body"):
            return
        body = self._change(self._body.decode("latin-1")).encode("latin-1", "replace")
        headers = [(name, value) for name, value in self._head["headers"] if name.lower() != b"content-length"]
        length = (b"content-length", str(len(body)).encode())
        await self._send({**self._head, "headers": [*headers, length]})
        await self._send({"type": "http.response.body", "body": body})


async def _much() -> AsyncIterator[bytes]:
    for _ in range(LARGE // 100_000):
        yield b"<p>much</p>" * 9_090


async def _without_end() -> AsyncIterator[bytes]:
    while True:
        yield b"x" * 100_000
        await asyncio.sleep(0.001)


_OTHERS: dict[str, Callable[[], Any]] = {
    "500": lambda: PlainTextResponse("out of memory", 500),
    "circle": lambda: RedirectResponse("/circle", 302),
    "endless": lambda: StreamingResponse(_without_end(), media_type="text/html"),
    "large": lambda: StreamingResponse(_much(), media_type="text/html"),
    "other": lambda: HTMLResponse("<title>Notice</title><p>The licence of the notice board ends soon."),
}
