"""A SIP message (RFC 3261 7): its first line, its headers and its body, read from bytes and written back. Sans-IO."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from urllib.parse import unquote

from zinger.talk.errors import TalkError

END = b"\r\n\r\n"
LONGEST_MESSAGE = 65_535
SHORT_NAMES = {
    "i": "call-id", "f": "from", "t": "to", "v": "via", "l": "content-length", "m": "contact", "c": "content-type"
}  # fmt: skip
"""Compact names (RFC 3261 7.3.3)."""
_STATUS = re.compile(r"SIP/2\.0 (\d{3}) ?(.*)")
_REQUEST = re.compile(r"([A-Z]{2,16}) (\S+) SIP/2\.0")
_USER = re.compile(r"(?i)(?:sips?|tel):([^@;>?]+)")

Header = tuple[str, str]


class NotSip(TalkError):
    """What came is no SIP message."""


@dataclass(frozen=True)
class Message:
    """A request or a response; the names of its headers are in lower case and not compact."""

    start: str
    headers: tuple[Header, ...]
    body: bytes = b""

    @classmethod
    def read(cls, data: bytes) -> Message:
        """The message of some bytes; raises NotSip for anything else."""
        head, end, body = data.lstrip(b"\r\n")[:LONGEST_MESSAGE].partition(END)
        rows = re.sub(r"\r\n[ \t]+", " ", head.decode("utf-8", "replace")).split("\r\n")
        if not end or not (_STATUS.fullmatch(rows[0]) or _REQUEST.fullmatch(rows[0])):
            raise NotSip("what answers there does not speak SIP")
        pairs = (row.partition(":") for row in rows[1:])
        headers = ((name.strip().lower(), value.strip()) for name, colon, value in pairs if colon)
        message = cls(rows[0], tuple((SHORT_NAMES.get(name, name), value) for name, value in headers), body)
        if not message.call:
            raise NotSip("what came names no call")
        return message

    @property
    def length(self) -> int:
        """How many bytes of body it says that it has (RFC 3261 20.14); 0 where it says nothing that is a number."""
        said = self.first("content-length")
        return int(said) if said.isascii() and said.isdigit() else 0

    @property
    def method(self) -> str:
        """What a request asks for; of a response, what was asked for (in its CSeq)."""
        found = _REQUEST.fullmatch(self.start)
        return found[1] if found else self.first("cseq").rpartition(" ")[2].upper()

    @property
    def status(self) -> int:
        """The status of a response; 0 of a request."""
        found = _STATUS.fullmatch(self.start)
        return int(found[1]) if found else 0

    @property
    def reason(self) -> str:
        """The status of a response with its words, as a person may see it."""
        return shown(self.start.removeprefix("SIP/2.0 "), 80)

    @property
    def number(self) -> str:
        """The number that a request asks for (RFC 3261 19.1.1, RFC 3966)."""
        found = _REQUEST.fullmatch(self.start)
        user = _USER.match(found[2]) if found else None
        return shown(unquote(user[1]), 60) if user else ""

    @property
    def call(self) -> str:
        """The call that it belongs to."""
        return self.first("call-id")

    def all(self, name: str) -> list[str]:
        """The values of all headers of a name, in their order."""
        return [value for known, value in self.headers if known == name]

    def first(self, name: str) -> str:
        """The value of the first header of a name; nothing where there is none."""
        return next(iter(self.all(name)), "")

    def encoded(self) -> bytes:
        """The message as it is sent."""
        rows = [self.start, *(f"{_written(name)}: {value}" for name, value in self.headers)]
        return "\r\n".join((*rows, f"Content-Length: {len(self.body)}", "", "")).encode() + self.body

    def answer(self, status: str, tag: str, more: Iterable[Header] = (), body: bytes = b"") -> Message:
        """The response to a request (RFC 3261 8.2.6.2); `tag` is given to its To where it has none."""
        kept = [(name, value) for name, value in self.headers if name in ("via", "record-route", "from", "call-id")]
        to = self.first("to")
        kept.append(("to", to if "tag=" in to.lower() else f"{to};tag={tag}"))
        kept.append(("cseq", self.first("cseq")))
        return Message(f"SIP/2.0 {status}", (*kept, *more), body)


def shown(text: str, most: int) -> str:
    """What a stranger sent, as a person may see it."""
    return "".join(c for c in text if c.isprintable())[:most]


def uri_in(header: str) -> str:
    """The address in a From, To or Contact header."""
    found = re.search(r"<([^>]+)>", header)
    return found[1] if found else header.partition(";")[0].strip()


def _written(name: str) -> str:
    return {"call-id": "Call-ID", "cseq": "CSeq"}.get(name, "-".join(part.capitalize() for part in name.split("-")))
