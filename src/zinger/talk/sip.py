"""SIP (RFC 3261) as far as it takes to ask whether somebody is there: OPTIONS, and what comes back. Sans-IO."""

from __future__ import annotations

from dataclasses import dataclass

from zinger.talk.sip_message import Message, shown

FIRST_WAIT, LONGEST_WAIT = 0.5, 4.0
"""Seconds: T1 and T2, between which a request over UDP is sent again (RFC 3261 17.1.2.2)."""


@dataclass(frozen=True)
class Reply:
    """A response: its status with its words, and which program answers, where it says so."""

    status: int
    reason: str
    server: str = ""

    @property
    def is_final(self) -> bool:
        """Whether no other one follows (RFC 3261 7.2)."""
        return self.status >= 200

    def __str__(self) -> str:
        return f"SIP/2.0 {self.reason}{f', {self.server}' if self.server else ''}"


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
        scheme = "sips" if self.transport == "tls" else "sip"
        headers = (
            ("via", f"SIP/2.0/{self.transport.upper()} {self.sender};branch=z9hG4bK{self.tag};rport"),
            ("max-forwards", "70"),
            ("from", f"<{scheme}:zinger@{self.sender}>;tag={self.tag}"),
            ("to", f"<{scheme}:{self.to}>"),
            ("call-id", self.call_id),
            ("cseq", "1 OPTIONS"),
            ("contact", f"<{scheme}:zinger@{self.sender}>"),
            ("accept", "application/sdp"),
        )
        return Message(f"OPTIONS {scheme}:{self.to} SIP/2.0", headers).encoded()

    def answered(self, data: bytes) -> Reply | None:
        """The reply, if these bytes are one to this request; raises NotSip for what is no SIP message."""
        message = Message.read(data)
        if not message.status or message.call != self.call_id:
            return None  # a request of theirs, or somebody else's answer
        return Reply(message.status, message.reason, shown(message.first("server"), 200))
