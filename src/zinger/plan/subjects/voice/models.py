"""Values with parts of voice gateways: legs, peers, media ports, number rewriting."""

from __future__ import annotations

import re
from typing import Annotated, Any

from pydantic import model_validator

from zinger.plan.values.bad import BadValue
from zinger.plan.values.item import (
    Host,
    HostAddress,
    Item,
    Secret,
    TcpPort,
    Text,
    WithPrefix,
    Word,
    number,
    typed,
    word_of,
)
from zinger.plan.values.names import parse_domain
from zinger.plan.values.text import one_of, parse_text, some_of

SIDES = ("local", "upstream")
"""Towards the telephone system, and towards the provider."""


class Leg(Item):
    """A side of a border gateway: local towards the telephone system, upstream towards the provider."""

    lead = ("side", "address")
    example = "upstream 192.0.2.60/29 interface 2"
    side: Annotated[str, word_of(*SIDES)]
    address: WithPrefix
    interface: Text = ""
    seen_as: HostAddress | None = None
    """The address at which others see it, where its own is translated on the way (NAT, RFC 3022)."""
    transports: Annotated[tuple[str, ...], typed(some_of("udp", "tcp", "tls"))] = ()
    """Over which it listens (RFC 3261 18); nothing: those of its peers."""


CODECS = ("g711a", "g711u", "g722", "g729", "opus")
"""Voice codings: ITU-T G.711 (A-law, u-law), G.722, G.729, and Opus (RFC 6716)."""


def _codecs(raw: object) -> str:
    """Codings in their order of preference, with a stroke between."""
    chosen = [coding for coding in re.split(r"[\s,/+]+", parse_text(raw).lower()) if coding]
    known = one_of(*CODECS)
    if not chosen or len(set(chosen)) != len(chosen):
        raise BadValue(f"{raw!r} is not a list of different codings", "write it like g711a/g729")
    return "/".join(known(coding) for coding in chosen)


class Profile(Item):
    """How a kind of telephone system or provider wants to be spoken to; `refresh` in seconds (RFC 4028, 0 is off).

    `tones` is how pressed keys travel: as events (RFC 4733), in INFO (RFC 6086) or as sound. `numbers` is how numbers
    are written towards it: with + and country code (ITU-T E.164), or as they are dialled.
    """

    lead = ("name",)
    example = "national codecs g711a/g729 tones info refresh 900 s numbers dialled"
    units = {"refresh": "s"}
    name: Word
    codecs: Annotated[str, typed(_codecs)] = "g711a/g711u"
    tones: Annotated[str, word_of("events", "info", "sound")] = "events"
    refresh: Annotated[int, number(0, 86400, "s", "number of seconds")] = 1800
    numbers: Annotated[str, word_of("e164", "dialled")] = "e164"


GENERIC = Profile(name="generic")
"""The profile of a peer that names none: what most telephone systems and providers take."""


class Peer(Item):
    """A SIP peer (RFC 3261) with a backup; `keepalive` in seconds (OPTIONS, 0 is off); `profile` by its name."""

    lead = ("name", "side", "host")
    example = "exchange local 10.44.8.30 transport tcp port 5060 backup 10.44.8.31 keepalive 30 s profile generic"
    units = {"keepalive": "s"}
    name: Word
    side: Annotated[str, word_of(*SIDES)]
    host: Host
    transport: Annotated[str, word_of("udp", "tcp", "tls")] = "udp"
    port: TcpPort = 5060
    backup: Host | None = None
    keepalive: Annotated[int, number(0, 3600, "s", "number of seconds")] = 30
    profile: Word = "generic"
    domain: Annotated[str, typed(parse_domain)] | None = None
    """The domain of its addresses (RFC 3261 19.1), where that is not its host."""
    media: Annotated[str, word_of("open", "srtp")] | None = None
    """Whether speech is encrypted (RFC 3711)."""
    user: Text = ""
    """The account with which the gateway registers there (RFC 3261 10); nothing where it does not."""
    secret: Secret | None = None


class Media(Item):
    """The UDP ports for media, from `first` to `last` (two a stream, RTP and RTCP, RFC 3550)."""

    lead = ()
    example = "first 40000 last 40399"
    first: TcpPort
    last: TcpPort

    @model_validator(mode="before")
    @classmethod
    def _range(cls, raw: Any) -> Any:
        """`40000-40399` is a range too."""
        short = re.fullmatch(r"\s*(\d+)\s*(?:-|–|to)\s*(\d+)\s*", raw) if isinstance(raw, str) else None
        return {"first": short[1], "last": short[2]} if short else raw

    @property
    def count(self) -> int:
        """How many ports there are."""
        return self.last - self.first + 1


def _digits(raw: object, also: str) -> str:
    written = parse_text(raw).lower().rstrip(".…")
    if not re.fullmatch(rf"\+?[0-9]{{0,24}}{also}", written):
        how = "digits, or + and digits" + (", then x for each digit that must follow" if also else "")
        raise BadValue(f"{written!r} is not the beginning of a dialled number", f"write {how}")
    return written


class Rewrite(Item):
    """A number rewriting rule: of numbers that begin with `begins`, that beginning becomes `becomes`.

    Each x at its end stands for a digit that must follow and is kept. The first rule that takes a number is used.
    """

    lead = ("begins",)
    example = "0043… becomes +43… side upstream"
    begins: Annotated[str, typed(lambda raw: _digits(raw, "x{0,24}"))]
    becomes: Annotated[str, typed(lambda raw: _digits(raw, ""))] = ""
    side: Annotated[str, word_of(*SIDES, "both")] = "both"

    @property
    def beginning(self) -> str:
        """What is replaced: the part before the first x."""
        return self.begins.rstrip("x")

    def takes(self, number: str) -> bool:
        """Whether a number begins as the rule wants."""
        return len(number) >= len(self.begins) and number.startswith(self.beginning)

    def covers(self, later: Rewrite) -> bool:
        """Whether every number that a later rule takes is taken by this one already."""
        return (
            self.side in ("both", later.side)
            and len(self.begins) <= len(later.begins)
            and all(
                want in ("x", other) and not (want == "x" and other == "+")
                for want, other in zip(self.begins, later.begins, strict=False)
            )
        )


def rewritten(dialled: str, rules: tuple[Rewrite, ...], side: str = "both") -> tuple[str, int | None]:
    """The number after the first rule that takes it, and that rule's place in the order (from 0), or None."""
    for index, rule in enumerate(rules):
        if rule.takes(dialled) and (side == "both" or rule.side in ("both", side)):
            return rule.becomes + dialled[len(rule.beginning) :], index
    return dialled, None
