"""A device's network services on real loopback sockets: SSH (asyncssh), Telnet, and a web page with and without TLS.

Each service has one loopback port for the life of the yard. While it is shut, the port stays bound and
does not listen, so that a connection is truly refused and nobody else can take the number.
"""

from __future__ import annotations

import asyncio
import socket
import ssl
import tempfile
from datetime import UTC, datetime, timedelta
from typing import Any, Protocol

import asyncssh
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from zinger.practice.core.consoles import serve_telnet
from zinger.practice.core.tty import LineLost, Tty
from zinger.practice.core.web import serve_pages

DOORS = {"ssh": 22, "telnet": 23, "http": 80, "https": 443}
"""The services that a device may offer, and their ports."""
PAGE = "HTTP/1.0 200 OK\r\nContent-Type: text/plain\r\n\r\n{model}: the console knows more.\n"


def bound(port: int = 0) -> socket.socket:
    """A loopback socket that holds its port without listening."""
    sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.bind(("127.0.0.1", port))
    return sock


class Named(Protocol):
    """What the hardware is called."""

    @property
    def key(self) -> str: ...
    @property
    def model(self) -> str: ...


class Owner(Protocol):
    """The device behind a door, as far as its doors need to know it."""

    host_key: str | None
    certificate: str | None
    heard: list[str]

    @property
    def body(self) -> Named: ...
    def knows(self, user: str, secret: str) -> bool: ...
    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None: ...
    def pages(self, kind: str) -> Any: ...


class Door:
    """One service of one device."""

    def __init__(self, box: Owner, kind: str) -> None:
        self.box, self.kind = box, kind
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

    def hang_up(self) -> None:
        """Cut every connection to its pages, and go on listening."""
        if self._server is not None and hasattr(self._server, "hang_up"):
            self._server.hang_up()

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
            if self.box.host_key is None:
                key = asyncssh.generate_private_key("ssh-ed25519")
                self.box.host_key = key.export_private_key().decode()
            return await asyncssh.listen(
                sock=sock,
                server_factory=lambda: _SshDoor(self),
                server_host_keys=[asyncssh.import_private_key(self.box.host_key)],
                process_factory=self._ssh_session,
                encoding=None,
                line_editor=False,
                login_timeout=20,
            )
        if self.kind == "telnet":
            return await serve_telnet(sock, self._telnet_session)
        tls = None
        if self.kind == "https":
            if self.box.certificate is None:
                self.box.certificate = await asyncio.to_thread(self_signed, self.box.body.key)
            tls = tls_of(self.box.certificate)
        if (pages := self.box.pages(self.kind)) is not None:
            return await serve_pages(pages, sock, tls)
        return await asyncio.start_server(self._page, sock=sock, ssl=tls)

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
            await self.box.on_network(tty, self.kind, user)
        except LineLost:
            pass
        finally:
            listener.cancel()
            self._ttys.discard(tty)

    async def _page(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.read(2048)
        writer.write(PAGE.format(model=self.box.body.model).encode())
        writer.close()


def self_signed(name: str) -> str:
    """A key and a certificate that nobody vouches for, made on the spot, as such boxes do; PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    whose = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(whose)
        .issuer_name(whose)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3650))
        .sign(key, hashes.SHA256())
    )
    plain = serialization.NoEncryption()
    private = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain)
    return (private + certificate.public_bytes(serialization.Encoding.PEM)).decode()


def fingerprint_in(pem: str) -> str:
    """The SHA-256 fingerprint of a certificate, in pairs of hexadecimal digits."""
    return (
        x509.load_pem_x509_certificate(pem[pem.index(BEGIN) :].encode()).fingerprint(hashes.SHA256()).hex(":").upper()
    )


BEGIN = "-----BEGIN CERTIFICATE"


def tls_of(certificate: str) -> ssl.SSLContext:
    """TLS with a key and certificate in PEM."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with tempfile.NamedTemporaryFile(suffix=".pem") as file:
        file.write(certificate.encode())
        file.flush()
        context.load_cert_chain(file.name)
    return context


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
        known = self.door.box.knows(username, password)
        self.door.box.heard.append(f"[ssh] {username} {'signed in' if known else 'not known'}")
        return known
