"""A device's network services on real loopback sockets: SSH (asyncssh), Telnet and a plain web page.

Each service has one loopback port for the life of the yard. While it is shut, the port stays bound and
does not listen, so that a connection is truly refused and nobody else can take the number.
"""

from __future__ import annotations

import asyncio
import socket
from typing import TYPE_CHECKING, Any

import asyncssh

from zinger.practice.consoles import serve_telnet
from zinger.practice.s2_shell import Shell
from zinger.practice.s2_signin import SignIn
from zinger.practice.tty import LineLost, Tty

if TYPE_CHECKING:
    from zinger.practice.s2 import Switch

PAGE = b"HTTP/1.0 200 OK\r\nContent-Type: text/plain\r\n\r\nQuern S2: the console knows more.\n"


def bound(port: int = 0) -> socket.socket:
    """A loopback socket that holds its port without listening."""
    sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.bind(("127.0.0.1", port))
    return sock


class Door:
    """One service of one switch."""

    def __init__(self, switch: Switch, kind: str) -> None:
        self.switch, self.kind = switch, kind
        self._held: socket.socket | None = bound()
        self.port: int = self._held.getsockname()[1]
        self._server: Any = None
        self._ttys: set[Tty] = set()
        self._closers: set[Any] = set()

    async def set_open(self, is_open: bool) -> None:
        """Open or shut the door; opening twice changes nothing."""
        if is_open and self._server is None:
            sock, self._held = self._held, None
            self._server = await self._serve(sock or bound(self.port))
        elif not is_open and self._server is not None:
            self._shut()

    def cut(self) -> None:
        """The power is gone: drop every session and shut."""
        for tty in tuple(self._ttys):
            tty.hang_up()
        for closer in tuple(self._closers):
            closer.abort()
        if self._server is not None:
            self._shut()

    def _shut(self) -> None:
        self._server.close()
        self._server = None
        self._held = bound(self.port)

    async def _serve(self, sock: socket.socket) -> Any:
        if self.kind == "ssh":
            if self.switch.host_key is None:
                key = asyncssh.generate_private_key("ssh-ed25519")
                self.switch.host_key = key.export_private_key().decode()
            return await asyncssh.listen(
                sock=sock, server_factory=lambda: _SshDoor(self), server_host_keys=[
                    asyncssh.import_private_key(self.switch.host_key)],
                process_factory=self._ssh_session, encoding=None, line_editor=False, login_timeout=20)
        if self.kind == "telnet":
            return await serve_telnet(sock, self._telnet_session)
        return await asyncio.start_server(self._page, sock=sock)

    async def _ssh_session(self, process: asyncssh.SSHServerProcess[bytes]) -> None:
        def write(data: bytes) -> None:
            if not process.is_closing():
                process.stdout.write(data)

        user = process.get_extra_info("username")
        await self._session(Tty(write), process.stdin, user)
        process.exit(0)

    async def _telnet_session(self, reader: Any, writer: Any) -> None:
        await self._session(Tty(writer.write), reader, None)
        writer.close()

    async def _session(self, tty: Tty, reader: Any, user: str | None) -> None:
        async def listen() -> None:
            try:
                while data := await reader.read(1024):
                    tty.feed(data)
            except (asyncssh.Error, ConnectionError):
                pass
            tty.hang_up()

        self._ttys.add(tty)
        listener = asyncio.create_task(listen())
        try:
            shell = Shell(self.switch, tty, self.kind)
            entry = SignIn(self.switch, tty, self.kind)
            if user is not None and not await entry.renewed(user, self.switch.running.people[user]):
                return
            shell.user = user or await entry.ask()
            await shell.serve()
        except LineLost:
            pass
        finally:
            listener.cancel()
            self._ttys.discard(tty)

    async def _page(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.read(2048)
        writer.write(PAGE)
        writer.close()


class _SshDoor(asyncssh.SSHServer):
    def __init__(self, door: Door) -> None:
        self.door = door

    def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
        self.conn = conn
        self.door._closers.add(conn)

    def connection_lost(self, exc: Exception | None) -> None:
        self.door._closers.discard(self.conn)

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        person = self.door.switch.running.people.get(username)
        known = person is not None and person.knows(password)
        self.door.switch.heard.append(f"[ssh] {username} {'signed in' if known else 'not known'}")
        return known
