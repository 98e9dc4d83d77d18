"""Requests and responses as values: what the surface asks its carrier for, and what that brings.

Secrets stay references until `encoded` is called, by the carrier, at the moment of sending.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from urllib.parse import quote, quote_plus, urlsplit, urlunsplit

from zinger.phrasebook.words import Words, masked
from zinger.plan.values.secrets import SecretRef

Pairs = tuple[tuple[str, Words], ...]
Resolve = Callable[[SecretRef], str]


@dataclass(frozen=True, slots=True)
class FormBody:
    """Names and values as a form is submitted; of `files`, the names of fields for files, what the file is called."""

    pairs: Pairs
    charset: str = "utf-8"
    multipart: bool = False
    files: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class TextBody:
    """A plain text, such as a file."""

    words: Words


@dataclass(frozen=True, slots=True)
class JsonBody:
    """A JSON text; each secret in it stands within quotes."""

    words: Words


@dataclass(frozen=True, slots=True)
class Request:
    """One request; `url` is whole, `query` is put behind it. `auth`: how a challenge is answered."""

    method: str
    url: str
    body: FormBody | JsonBody | TextBody | None = None
    query: Pairs | None = None
    headers: Pairs = ()
    auth: tuple[Words, Words] | None = None
    charset: str = "utf-8"
    patience: float = 30.0

    @property
    def reads_only(self) -> bool:
        """Whether it may be sent again without a second thought (RFC 9110 9.2.1)."""
        return self.method in ("GET", "HEAD", "OPTIONS") and not self.query

    @property
    def shown(self) -> str:
        """As a person may see it."""
        return f"{self.method} {urlsplit(self.url).path or '/'}"

    @property
    def told(self) -> str:
        """What is sent with it, as a person may see it."""
        if isinstance(self.body, JsonBody | TextBody):
            return masked(self.body.words)
        pairs = self.body.pairs if self.body else self.query or ()
        return "\n".join(f"{name} = {masked(words)}" for name, words in pairs)


@dataclass(frozen=True, slots=True)
class Response:
    """What came back; header names in lower case, one that comes twice stands there twice."""

    url: str
    status: int
    headers: tuple[tuple[str, str], ...]
    body: bytes

    def header(self, name: str) -> str:
        """The first header of this name; nothing without one."""
        return next((value for key, value in self.headers if key == name), "")


@dataclass(frozen=True, slots=True)
class Failed:
    """Nothing came back. `sent`: whether the device may have got the request."""

    why: str
    sent: bool = True
    fatal: bool = False
    """Whether trying again helps nothing."""
    gone: bool = False
    """Whether who was spoken to is not there any more: another certificate is shown, as after a restart."""


@dataclass(frozen=True, slots=True)
class Encoded:
    """A request as bytes; holds secrets."""

    method: str
    url: str
    headers: tuple[tuple[str, str], ...]
    body: bytes
    auth: tuple[str, str] | None


def encoded(request: Request, resolve: Resolve) -> Encoded:
    """Fill in the secrets and encode as a browser does (HTML, 4.10.21)."""

    def text(words: Words) -> str:
        return "".join(resolve(part) if isinstance(part, SecretRef) else part for part in words)

    parts = urlsplit(request.url)
    query = parts.query
    if request.query is not None:
        query = _urlencoded(((name, text(words)) for name, words in request.query), request.charset)
    url = urlunsplit((parts.scheme, parts.netloc, quote(parts.path or "/", safe="/%:@!$&'()*+,;=~-._"), query, ""))
    headers = [(name, text(words)) for name, words in request.headers]
    body, kind = b"", ""
    if isinstance(request.body, JsonBody):
        body, kind = _json(request.body.words, resolve).encode(), "application/json"
    elif isinstance(request.body, TextBody):
        body, kind = text(request.body.words).encode(), "text/plain; charset=utf-8"
    elif isinstance(request.body, FormBody):
        pairs = [(name, text(words)) for name, words in request.body.pairs]
        if request.body.multipart:
            body, kind = _multipart(pairs, request.body)
        else:
            body = _urlencoded(pairs, request.body.charset).encode("ascii")
            kind = "application/x-www-form-urlencoded"
    if kind:
        headers.append(("Content-Type", kind))
    auth = (text(request.auth[0]), text(request.auth[1])) if request.auth else None
    return Encoded(request.method, url, tuple(headers), body, auth)


def _json(words: Words, resolve: Resolve) -> str:
    return "".join(json.dumps(resolve(part))[1:-1] if isinstance(part, SecretRef) else part for part in words)


def _bytes(text: str, charset: str) -> bytes:
    """In the form's encoding; what that lacks goes as a character reference, as browsers send it."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\n", "\r\n")
    try:
        return text.encode(charset, "xmlcharrefreplace")
    except LookupError:
        return text.encode("utf-8")


def _urlencoded(pairs: Iterable[tuple[str, str]], charset: str) -> str:
    return "&".join(
        f"{quote_plus(_bytes(name, charset), safe='*-._')}={quote_plus(_bytes(value, charset), safe='*-._')}"
        for name, value in pairs
    )


def _multipart(pairs: Iterable[tuple[str, str]], form: FormBody) -> tuple[bytes, str]:
    """RFC 7578; a file goes as it is, a field for a file that has none goes empty."""
    boundary = f"----zinger{secrets.token_hex(12)}"
    parts, files = [], dict(form.files)
    for name, value in pairs:
        head = f'Content-Disposition: form-data; name="{_quoted(name)}"'
        data = _bytes(value, form.charset)
        if name in files:
            kind = "text/plain; charset=utf-8" if value else "application/octet-stream"
            head += f'; filename="{_quoted(files[name]) if value else ""}"\r\nContent-Type: {kind}'
            data = value.encode()
        parts.append(f"--{boundary}\r\n{head}\r\n\r\n".encode() + data + b"\r\n")
    return b"".join([*parts, f"--{boundary}--\r\n".encode()]), f"multipart/form-data; boundary={boundary}"


def _quoted(name: str) -> str:
    return name.replace("\r", "%0D").replace("\n", "%0A").replace('"', "%22")
