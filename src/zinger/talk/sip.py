"""SIP (RFC 3261) as far as it takes to ask whether somebody is there: OPTIONS, and what comes back. Sans-IO."""

from __future__ import annotations

import re
from dataclasses import dataclass

from zinger.talk.errors import TalkError

FIRST_WAIT, LONGEST_WAIT = 0.5, 4.0
"""Seconds: T1 and T2, between which a request over UDP is sent again (RFC 3261 17.1.2.2)."""
LONGEST_MESSAGE = 65_535
_STATUS = re.compile(rb"SIP/2\.0 (\d{3}) ([^\r\n]*)\r\n")


class NotSip(TalkError):
    """What came is no SIP message."""


@dataclass(frozen=True)
class Reply:
    """A response: its status, its reason phrase, and whose call it belongs to."""

    status: int
    reason: str
    call_id: str
    server: str = ""

    @property
    def is_final(self) -> bool:
        """Whether no other one follows (RFC 3261 7.2)."""
        return self.status >= 200

    def __str__(self) -> str:
        return f"SIP/2.0 {self.status} {self.reason}{f', {self.server}' if self.server else ''}"


@dataclass(frozen=True)
class Ask:
    """One OPTIONS request (RFC 3261 11): from whom, to whom, and the names by which its answer is known."""

    to: str
    """The address and port that are asked, `10.0.0.1:5060`; an IPv6 address stands in brackets."""
    sender: str
    transport: str
    tag: str
    """Random text, for branch, tag and Call-ID."""

    @property
    def call_id(self) -> str:
        """The call that its answer names."""
        return f"{self.tag}@{self.sender}"

    def encoded(self) -> bytes:
        """The request."""
        way = self.transport.upper()
        scheme = "sips" if self.transport == "tls" else "sip"
        rows = (
            f"OPTIONS {scheme}:{self.to} SIP/2.0",
            f"Via: SIP/2.0/{way} {self.sender};branch=z9hG4bK{self.tag};rport",
            "Max-Forwards: 70",
            f"From: <{scheme}:zinger@{self.sender}>;tag={self.tag}",
            f"To: <{scheme}:{self.to}>",
            f"Call-ID: {self.call_id}",
            "CSeq: 1 OPTIONS",
            f"Contact: <{scheme}:zinger@{self.sender}>",
            "Accept: application/sdp",
            "Content-Length: 0",
        )
        return "\r\n".join((*rows, "", "")).encode()

    def answered(self, data: bytes) -> Reply | None:
        """The reply, if these bytes are one to this request; raises NotSip for what is no SIP message."""
        found = _STATUS.match(data[:LONGEST_MESSAGE])
        if found is None:
            if data[:1].isalpha() and b" SIP/2.0\r\n" in data[:2000]:
                return None  # a request of theirs
            raise NotSip("what answers there does not speak SIP")
        headers = headers_of(data)
        reply = Reply(
            int(found[1]),
            found[2].decode("utf-8", "replace")[:80],
            headers.get("call-id", ""),
            headers.get("server", ""),
        )
        return reply if reply.call_id == self.call_id else None


SHORT_NAMES = {
    "i": "call-id",
    "f": "from",
    "t": "to",
    "v": "via",
    "l": "content-length",
    "m": "contact",
    "c": "content-type",
}
"""Compact names (RFC 3261 7.3.3)."""


def headers_of(data: bytes) -> dict[str, str]:
    """The headers of a message, the first of each name, names in lower case; folded rows are joined."""
    text = data.partition(b"\r\n\r\n")[0].decode("utf-8", "replace")
    rows = re.sub(r"\r\n[ \t]+", " ", text).split("\r\n")[1:]
    found: dict[str, str] = {}
    for row in rows:
        name, colon, value = row.partition(":")
        if colon:
            name = name.strip().lower()
            found.setdefault(SHORT_NAMES.get(name, name), "".join(c for c in value.strip() if c.isprintable())[:200])
    return found
