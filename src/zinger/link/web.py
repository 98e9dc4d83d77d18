"""Links to a device's web server (RFC 9110) by httpx: one client for each device, its certificate pinned.

Set-up pages have certificates that nobody vouches for. So the certificate is looked at first, before anything is sent:
the one that is pinned under the device's name, or, at first sight, whatever it shows, which is pinned then. Every
connection afterwards trusts that very certificate and no other; its dates do not count, since such devices have no
clock yet. Answers are bounded in size and time, redirects are the surface's.
"""

from __future__ import annotations

import asyncio
import base64
import re
import socket
import ssl
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from zinger.link.base import KeyChanged, LinkError, OtherKey, Refused, Unreachable, why
from zinger.link.hostkeys import HostKeys
from zinger.plan.values.fingerprint import fingerprint_of
from zinger.talk.pages.http import Encoded, Response

if TYPE_CHECKING:
    import httpx

LARGEST = 8_000_000
"""Bytes of an answer that are taken."""
CONNECT_WITHIN = 5.0
LONGEST = 120.0
"""Seconds for a whole answer, however it trickles."""
_NO_CHECK_TIME = 0x200000
"""X509_V_FLAG_NO_CHECK_TIME of OpenSSL, which the ssl module has no name for."""
_CERTIFICATE = "x509"
_OLD = "DEFAULT@SECLEVEL=0"
Where = Callable[[str, int], Awaitable[tuple[str, int]]]


@dataclass(frozen=True)
class WebEndpoint:
    """Where a device's pages are, and the names under which its certificate is pinned."""

    scheme: str
    address: str
    port: int
    old: bool = False
    known_as: tuple[str, ...] = ()

    @property
    def origin(self) -> str:
        """Scheme, address and port, as addresses begin."""
        usual = {"https": 443, "http": 80}.get(self.scheme)
        return f"{self.scheme}://{bracketed(self.address)}" + ("" if self.port == usual else f":{self.port}")


def bracketed(host: str) -> str:
    """A host as an address writes it (RFC 3986 3.2.2)."""
    return f"[{host}]" if ":" in host else host


class WebLink:
    """One device's web server at one address."""

    def __init__(self, endpoint: WebEndpoint, where: Where, certificate: bytes | None, first_sight: bool) -> None:
        self.endpoint, self.name = endpoint, f"{endpoint.scheme} {endpoint.address}"
        self.certificate, self.first_sight = certificate, first_sight
        self._where = where
        self._client: httpx.AsyncClient | None = None
        self._auth: tuple[tuple[str, str], httpx.Auth] | None = None
        self._challenge = ""

    @property
    def fingerprint(self) -> str:
        """The certificate's; empty without TLS."""
        return fingerprint_of(self.certificate) if self.certificate else ""

    async def ask(self, request: Encoded, patience: float) -> Response:
        """Send one request; raises Refused or Unreachable where it was not sent, LinkError where the answer failed."""
        import httpx

        parts = urlsplit(request.url)
        if parts.hostname != self.endpoint.address.lower() or parts.scheme not in ("http", "https"):
            raise OtherKey(f"{request.url[:200]} is not at {self.name}: nothing is sent there")
        port = parts.port or (443 if parts.scheme == "https" else 80)
        host, real = await self._where(parts.hostname or "", port)
        url = parts._replace(netloc=f"{bracketed(host)}:{real}").geturl()
        head = [("Host", re.sub(r"%[^\]]*\]", "]", parts.netloc)), *request.headers]  # its zone is this machine's own
        try:
            async with asyncio.timeout(min(patience + CONNECT_WITHIN, LONGEST)):
                async with self._its_client().stream(
                    request.method,
                    url,
                    headers=head,
                    content=request.body or None,
                    auth=self._answers_with(request),
                    timeout=httpx.Timeout(patience, connect=CONNECT_WITHIN),
                ) as answer:
                    body = await self._whole(answer)
        except TimeoutError:
            raise LinkError(f"{self.name}: the answer did not end within {patience:.0f} s") from None
        except (httpx.ConnectError, httpx.ConnectTimeout) as error:
            raise self._not_reached(error) from None
        except (httpx.HTTPError, httpx.InvalidURL, ssl.SSLError, OSError, UnicodeError) as error:
            raise LinkError(f"{self.name}: {_words(error)}") from None
        self._challenge = answer.headers.get("www-authenticate", self._challenge)
        headers = tuple((name.lower(), value) for name, value in answer.headers.multi_items())
        return Response(request.url, answer.status_code, headers, body)

    def _not_reached(self, error: Exception) -> LinkError:
        cause: BaseException | None = error
        while cause is not None:
            if isinstance(cause, ssl.SSLCertVerificationError):
                return KeyChanged(f"{self.name} shows another certificate than {self.fingerprint} by now")
            if isinstance(cause, ConnectionRefusedError):
                return Refused(f"{self.name}: connection refused")
            cause = cause.__cause__ or cause.__context__
        return Unreachable(f"{self.name}: {_words(error)}")

    async def _whole(self, answer: httpx.Response) -> bytes:
        """The whole body, bounded."""
        body = bytearray()
        async for piece in answer.aiter_bytes():
            body += piece
            if len(body) > LARGEST:
                raise LinkError(f"{self.name}: the answer is larger than {LARGEST // 1_000_000} MB")
        return bytes(body)

    def _its_client(self) -> httpx.AsyncClient:
        import httpx

        if self._client is None:
            verify = context_for(self.certificate, self.endpoint.old) if self.certificate else False
            self._client = httpx.AsyncClient(verify=verify, follow_redirects=False, trust_env=False)
            self._client.headers.clear()
            self._client.headers["Accept"] = "text/html, application/json, */*;q=0.5"
            self._client.headers["User-Agent"] = "zinger"
        return self._client

    def _answers_with(self, request: Encoded) -> httpx.Auth | None:
        """How its challenge is answered; digest keeps count of its answers."""
        import httpx

        if request.auth is None:
            return None
        if self._auth is None or self._auth[0] != request.auth:
            made = httpx.DigestAuth if self._challenge.lower().startswith("digest") else httpx.BasicAuth
            self._auth = request.auth, made(*request.auth)
        return self._auth[1]

    async def close(self) -> None:
        """End all its connections."""
        if self._client is not None:
            await self._client.aclose()
            self._client = None


def _words(error: BaseException) -> str:
    if isinstance(error, OSError):
        return why(error)
    return str(error) or type(error).__name__


def context_for(certificate: bytes, old: bool) -> ssl.SSLContext:
    """TLS that trusts one certificate, whatever name and dates it has, and no other."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False
    context.load_verify_locations(cadata=certificate)
    context.verify_flags = ssl.VERIFY_X509_PARTIAL_CHAIN | ssl.VerifyFlags(_NO_CHECK_TIME)
    if old:
        _allow_old(context)
    return context


def _allow_old(context: ssl.SSLContext) -> None:
    context.set_ciphers(_OLD)
    context.minimum_version = ssl.TLSVersion.MINIMUM_SUPPORTED


async def certificate_of(host: str, port: int, name: str, old: bool = False) -> bytes:
    """The certificate that a server shows (DER); nothing is sent to it. Raises Refused, Unreachable or LinkError."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    if old:
        _allow_old(context)
    try:
        async with asyncio.timeout(CONNECT_WITHIN):
            _, writer = await asyncio.open_connection(host, port, ssl=context)
    except TimeoutError:
        raise Unreachable(f"{name}: nothing answers within {CONNECT_WITHIN:.0f} s") from None
    except ConnectionRefusedError:
        raise Refused(f"{name}: connection refused") from None
    except (ssl.SSLError, ConnectionResetError) as error:
        hint = "" if old else "; old TLS is taken only where the family says pages: {old_tls: true}"
        reason = getattr(error, "reason", None) or "the far end hung up"
        raise LinkError(f"{name}: no TLS session: {reason}{hint}") from None
    except (OSError, socket.gaierror) as error:
        raise Unreachable(f"{name}: {why(error)}") from None
    try:
        shown = writer.get_extra_info("ssl_object").getpeercert(binary_form=True)
    finally:
        writer.transport.abort()
    if not shown:
        raise LinkError(f"{name} shows no certificate")
    return bytes(shown)


def spelled(certificate: bytes) -> str:
    """A certificate as it is pinned."""
    return f"{_CERTIFICATE} {base64.b64encode(certificate).decode()}"


Vouch = Callable[[bytes], Awaitable[None]]
"""Looks at a certificate that is seen for the first time; raises OtherKey for one that is not the device's."""


async def open_web(
    endpoint: WebEndpoint, where: Where, pins: HostKeys, renewed: bool = False, vouch: Vouch | None = None
) -> WebLink:
    """See that a web server is there, and that its certificate is the pinned one; pin it at first sight.

    `renewed`: another one is taken too, and not pinned: who asks for that must find out first whose it is. What
    `vouch` does not take at first sight is not pinned. Raises OtherKey, Refused, Unreachable or LinkError.
    """
    host, port = await where(endpoint.address, endpoint.port)
    name = f"{endpoint.scheme} {endpoint.address}"
    if endpoint.scheme != "https":
        await _answers(host, port, name)
        return WebLink(endpoint, where, None, False)
    shown = await certificate_of(host, port, name, endpoint.old)
    pinned = pins.pinned(endpoint.known_as)
    if pinned is not None and pinned != spelled(shown):
        if renewed:
            return WebLink(endpoint, where, shown, False)
        known = fingerprint_of(base64.b64decode(pinned.partition(" ")[2]))
        raise OtherKey(
            f"{name} shows another certificate ({fingerprint_of(shown)}) than the one pinned for "
            f"{endpoint.known_as[0]} ({known}). Check which device this is; nothing was sent to it."
        )
    if pinned is None and vouch is not None:
        await vouch(shown)
    pins.pin(endpoint.known_as, spelled(shown))
    return WebLink(endpoint, where, shown, pinned is None)


async def _answers(host: str, port: int, name: str) -> None:
    from zinger.link.tcp import open_tcp

    link = await open_tcp(host, port, name)
    link.close()
