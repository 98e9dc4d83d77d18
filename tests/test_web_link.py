"""The link to a web server: whose certificate is trusted, what of an answer is taken, how a challenge is answered."""

from __future__ import annotations

import asyncio
import hashlib
import socket
import ssl
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psutil
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import NameOID

from zinger.link.base import KeyChanged, LinkError, OtherKey, Unreachable
from zinger.link.hostkeys import HostKeys
from zinger.link.web import WebEndpoint, open_web
from zinger.plan.values.fingerprint import fingerprint_of
from zinger.plan.values.mac import link_local_of
from zinger.talk.pages.http import Encoded

Answer = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


def certificate(folder: Path) -> tuple[Path, bytes]:
    """A certificate that nobody vouches for, out of date by years, as boxes without a clock have."""
    key = rsa.generate_private_key(65537, 2048)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "box")])
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(datetime.now(UTC) - timedelta(days=9000))
        .not_valid_after(datetime.now(UTC) - timedelta(days=8000))
        .sign(key, hashes.SHA256())
    )
    file = folder / f"{made.serial_number}.pem"
    pem = serialization.Encoding.PEM
    plain = serialization.NoEncryption()
    private = key.private_bytes(pem, serialization.PrivateFormat.PKCS8, plain)
    file.write_bytes(private + made.public_bytes(pem))
    return file, made.public_bytes(serialization.Encoding.DER)


@asynccontextmanager
async def served(answer: Answer, pem: Path | None = None, old: bool = False) -> AsyncIterator[WebEndpoint]:
    context = None
    if pem is not None:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        if old:
            context.set_ciphers("DEFAULT@SECLEVEL=0")
            context.minimum_version, context.maximum_version = ssl.TLSVersion.TLSv1, ssl.TLSVersion.TLSv1
        context.load_cert_chain(pem)
    server = await asyncio.start_server(answer, "127.0.0.1", 0, ssl=context)
    yield WebEndpoint("https" if pem else "http", "192.0.2.71", server.sockets[0].getsockname()[1], known_as=("box",))
    server.close()


async def on_loopback(address: str, port: int) -> tuple[str, int]:
    return "127.0.0.1", port


def says(*pieces: bytes, heard: list[bytes] | None = None) -> Answer:
    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            asked = await reader.readuntil(b"\r\n\r\n")
            if heard is not None:
                heard.append(asked)
            for piece in pieces:
                writer.write(piece)
                await writer.drain()
        except (ConnectionError, asyncio.IncompleteReadError):
            pass
        writer.close()

    return answer


OK = b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nhi"


def get(endpoint: WebEndpoint, auth: tuple[str, str] | None = None) -> Encoded:
    return Encoded("GET", f"{endpoint.origin}/", (), b"", auth)


async def test_the_certificate_seen_first_is_pinned_and_another_one_gets_nothing(tmp_path: Path) -> None:
    (pem, der), (other, _), heard = certificate(tmp_path), certificate(tmp_path), list[bytes]()
    pins = HostKeys(tmp_path / "certificates")
    async with served(says(OK), pem) as endpoint:
        link = await open_web(endpoint, on_loopback, pins)
        assert link.first_sight and link.fingerprint == fingerprint_of(der)
        assert (await link.ask(get(endpoint), 5)).body == b"hi"
        await link.close()
        again = await open_web(endpoint, on_loopback, HostKeys(tmp_path / "certificates"))
        assert not again.first_sight
    async with served(says(OK, heard=heard), other) as endpoint:
        with pytest.raises(OtherKey, match="another certificate"):
            await open_web(endpoint, on_loopback, pins)
        changed = WebEndpoint("https", endpoint.address, endpoint.port)
        link = type(link)(changed, on_loopback, der, False)  # it changes between two requests
        with pytest.raises(KeyChanged, match="another certificate"):
            await link.ask(get(endpoint), 5)
        await link.close()
    assert heard == []


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
async def test_old_tls_is_taken_only_if_asked(tmp_path: Path) -> None:
    pem, _ = certificate(tmp_path)
    async with served(says(OK), pem, old=True) as endpoint:
        with pytest.raises(LinkError, match="old_tls: true"):
            await open_web(endpoint, on_loopback, HostKeys())
        old = WebEndpoint("https", endpoint.address, endpoint.port, True, ("box",))
        link = await open_web(old, on_loopback, HostKeys())
        assert (await link.ask(get(endpoint), 5)).status == 200
        await link.close()


@pytest.mark.parametrize(
    ("pieces", "why"),
    [
        ((b"HTTP/1.1 200 OK\r\n\r\n", *[b"x" * 1_000_000] * 9), "larger than 8 MB"),
        ((b"HTTP/1.1 200 OK\r\nContent-Length: 99\r\n\r\nhalf",), "incomplete|closed"),
        ((b"this is no HTTP\r\n\r\n",), "illegal|protocol"),
        ((), "disconnected"),
    ],
)
async def test_answers_are_bounded_and_broken_ones_are_told(pieces: tuple[bytes, ...], why: str) -> None:
    async with served(says(*pieces)) as endpoint:
        link = await open_web(endpoint, on_loopback, HostKeys())
        with pytest.raises(LinkError, match=why) as failure:
            await link.ask(get(endpoint), 5)
        assert not isinstance(failure.value, Unreachable)  # it may have been taken
        await link.close()


async def test_an_answer_that_trickles_without_end_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("zinger.link.web.LONGEST", 0.5)

    async def trickle(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(b"HTTP/1.1 200 OK\r\n\r\n")
        with suppress(ConnectionError, asyncio.CancelledError):
            while not writer.is_closing():
                writer.write(b".")
                await asyncio.sleep(0.05)

    async with served(trickle) as endpoint:
        link = await open_web(endpoint, on_loopback, HostKeys())
        with pytest.raises(LinkError, match="did not end within"):
            await link.ask(get(endpoint), 5)
        await link.close()


async def test_a_challenge_is_answered_as_it_asks() -> None:
    """Digest (RFC 7616): the password itself is never sent."""
    heard: list[bytes] = []

    async def digest(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while True:
            try:
                asked = await reader.readuntil(b"\r\n\r\n")
            except asyncio.IncompleteReadError:
                return
            heard.append(asked)
            if b"uthorization:" in asked:
                writer.write(OK)
            else:
                told = b'WWW-Authenticate: Digest realm="box", nonce="n1", qop="auth", algorithm=MD5\r\n'
                writer.write(b"HTTP/1.1 401 No\r\nContent-Length: 0\r\n" + told + b"\r\n")

    async with served(digest) as endpoint:
        link = await open_web(endpoint, on_loopback, HostKeys())
        assert (await link.ask(get(endpoint), 5)).status == 401
        assert (await link.ask(get(endpoint, ("ada", "a-secret")), 5)).status == 200
        await link.close()
    ha1 = hashlib.md5(b"ada:box:a-secret").hexdigest().encode()
    assert b'username="ada"' in heard[-1] and b"a-secret" not in b"".join(heard) and ha1 not in heard[-1]


def own_link_local() -> str:
    """A link-local address of this machine, with its zone; empty where it has none."""
    return next(
        (
            f"{a.address.partition('%')[0]}%{card}"
            for card, addresses in psutil.net_if_addrs().items()
            for a in addresses
            if a.family is socket.AF_INET6 and a.address.startswith("fe80:")
        ),
        "",
    )


async def itself(address: str, port: int) -> tuple[str, int]:
    return address, port


@pytest.mark.skipif(not own_link_local(), reason="this machine has no IPv6 link-local address")
async def test_a_device_is_spoken_to_at_its_link_local_address(tmp_path: Path) -> None:
    """The zone is this machine's own: the device is not told."""
    (pem, der), heard = certificate(tmp_path), list[bytes]()
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(pem)
    server = await asyncio.start_server(says(OK, heard=heard), own_link_local(), 0, ssl=context)
    port = server.sockets[0].getsockname()[1]
    endpoint = WebEndpoint("https", own_link_local(), port, known_as=("box",))
    link = await open_web(endpoint, itself, HostKeys(tmp_path / "certificates"))
    assert (await link.ask(get(endpoint), 5)).body == b"hi" and link.fingerprint == fingerprint_of(der)
    assert f"host: [{own_link_local().partition('%')[0]}]:{port}".encode() in heard[-1].lower()
    await link.close()
    server.close()


def test_a_device_makes_its_link_local_address_of_its_mac() -> None:
    assert link_local_of("02-4b-56-71-44-02") == "fe80::4b:56ff:fe71:4402"  # RFC 4291, appendix A
