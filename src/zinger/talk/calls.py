"""Both ends of a test call (RFC 3261 12, 13, 15): one that calls and hangs up, one that is called. Sans-IO.

What is heard goes in as a message, and what is to be sent comes back.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from zinger.talk.sip_message import Header, Message, uri_in


@dataclass
class End:
    """What both ends have: the address at which they are reached, the transport, and a tag of their own."""

    address: str
    """With its port, `10.0.0.1:5060`."""
    transport: str
    tag: str

    @property
    def scheme(self) -> str:
        """How addresses begin (RFC 3261 19.1)."""
        return "sips" if self.transport == "tls" else "sip"

    @property
    def contact(self) -> Header:
        """Where it is reached while the call stands."""
        return ("contact", f"<{self.scheme}:zinger@{self.address}>")

    def media(self) -> bytes:
        """The media that it offers or takes: speech by ITU-T G.711 (RFC 8866, RFC 3551)."""
        host = self.address.rpartition(":")[0].strip("[]")
        kind = "IP6" if ":" in host else "IP4"
        rows = ("v=0", f"o=zinger 1 1 IN {kind} {host}", "s=-", f"c=IN {kind} {host}", "t=0 0")
        return "\r\n".join((*rows, "m=audio 40000 RTP/AVP 8 0", "")).encode()


SDP: Header = ("content-type", "application/sdp")


@dataclass
class Caller(End):
    """The end that calls a number at a gateway."""

    number: str = ""
    gateway: str = ""
    """The gateway's address with its port."""
    stands: bool = False
    over: bool = False
    refused: str = ""
    """Why the call was not taken, in the gateway's words."""
    status: int = 0
    """The last status that was heard."""
    _target: str = field(init=False)
    _to: str = field(init=False)
    _route: tuple[Header, ...] = ()

    @property
    def call(self) -> str:
        """The call's name."""
        return f"{self.tag}@{self.address}"

    def __post_init__(self) -> None:
        self._target = f"{self.scheme}:{self.number}@{self.gateway}"
        self._to = f"<{self._target}>"

    def invite(self) -> Message:
        """What begins the call; sent again as it is where it may be lost."""
        return self._request("INVITE", 1, (self.contact, SDP), self.media())

    def bye(self) -> Message:
        """What ends the call."""
        return self._request("BYE", 2)

    def cancel(self) -> Message:
        """What takes the call back before it stands (RFC 3261 9)."""
        return self._request("CANCEL", 1)

    def heard(self, message: Message) -> list[Message]:
        """What is said to what was heard of this call."""
        if not message.status:
            return self._asked(message)
        self.status = message.status
        if message.method == "BYE":
            self.over = self.over or message.status >= 200
            return []
        if message.method != "INVITE" or message.status < 200:
            return []
        self._to = message.first("to") or self._to
        if message.status < 300:
            self.stands = True
            self._target = uri_in(message.first("contact")) or self._target
            routes = [part.strip() for value in message.all("record-route") for part in value.split(",")]
            self._route = tuple(("route", part) for part in reversed(routes))
            return [self._request("ACK", 1, branch="a")]
        self.refused = message.reason
        return [self._request("ACK", 1)]  # of the same transaction (RFC 3261 17.1.1.3)

    def _asked(self, message: Message) -> list[Message]:
        if message.method == "ACK":
            return []
        self.over = self.over or message.method == "BYE"
        return [message.answer("200 OK", self.tag)]

    def _request(
        self, method: str, sequence: int, more: tuple[Header, ...] = (), body: bytes = b"", branch: str = ""
    ) -> Message:
        way = f"SIP/2.0/{self.transport.upper()} {self.address}"
        mark = branch or {"BYE": "b"}.get(method, "i")
        headers = (
            ("via", f"{way};branch=z9hG4bK{self.tag}{mark};rport"),
            ("max-forwards", "70"),
            *self._route,
            ("from", f"<{self.scheme}:zinger@{self.address}>;tag={self.tag}"),
            ("to", self._to),
            ("call-id", self.call),
            ("cseq", f"{sequence} {method}"),
            *more,
        )
        return Message(f"{method} {self._target} SIP/2.0", headers, body)


@dataclass
class Called(End):
    """The end that takes every call that comes, and says that it is there."""

    numbers: list[str] = field(default_factory=list)
    """The numbers for which calls came, in their order."""
    unheard: dict[str, Message] = field(default_factory=dict)
    """By call: the answer that took it, which is sent again until it is acknowledged (RFC 3261 13.3.1.4)."""
    _taken: dict[str, Message] = field(default_factory=dict)

    def heard(self, message: Message) -> list[Message]:
        """What is said to a request; nothing to a response."""
        if message.status:
            return []
        if message.method == "ACK":
            self.unheard.pop(message.call, None)
            return []
        if message.method == "INVITE":
            if message.call in self._taken:
                return [self._taken[message.call]]
            self.numbers.append(message.number)
            taken = message.answer("200 OK", self.tag, (self.contact, SDP), self.media())
            self._taken[message.call] = self.unheard[message.call] = taken
            return [message.answer("180 Ringing", self.tag, (self.contact,)), taken]
        if message.method in ("BYE", "CANCEL"):
            self.unheard.pop(message.call, None)
        return [message.answer("200 OK", self.tag)]
