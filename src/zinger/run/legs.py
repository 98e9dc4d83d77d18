"""Whether the legs of a voice gateway take calls: OPTIONS (RFC 3261 11) from the address of a peer of each."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface
from itertools import islice
from typing import TYPE_CHECKING

from zinger.link.base import LinkError
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.subjects.voice.models import Leg, Peer
from zinger.plan.subjects.voice.settings import LEGS, PEERS
from zinger.proof.findings import Finding, Source, Verdict

if TYPE_CHECKING:
    from zinger.run.world import World

PORTS = {"udp": 5060, "tcp": 5060, "tls": 5061}
"""The ports at which a gateway listens (RFC 3261 19.1.2)."""


@dataclass(frozen=True)
class LegToAsk:
    """A leg, and the peer in whose place the laptop speaks to it, with that peer's address."""

    leg: Leg
    peer: Peer
    sender: IPv4Interface

    @property
    def side(self) -> str:
        """Which side of the gateway it is."""
        return self.leg.side

    @property
    def gateway(self) -> tuple[str, int]:
        """The address and port at which the gateway listens."""
        return str(self.leg.address.ip), PORTS[self.peer.transport]

    @property
    def name(self) -> str:
        """What its finding is called."""
        return f"sip.{self.side}"


def legs_to_ask(device: Device, book: Phrasebook) -> list[LegToAsk]:
    """The legs with a peer in their own subnet; who stands behind a router can't be stood in for on the segment."""
    return list(_legs(device)) if book.card.answers_sip else []


def _legs(device: Device) -> Iterator[LegToAsk]:
    for leg in device[LEGS] or ():
        yield from islice(peers_on(device, leg), 1)


def peers_on(device: Device, leg: Leg) -> Iterator[LegToAsk]:
    """The peers of a leg that the laptop can stand in for."""
    for peer in device[PEERS] or ():
        host = _address(peer.host)
        if peer.side == leg.side and host is not None and host in leg.address.network:
            sender = IPv4Interface((int(host), leg.address.network.prefixlen))
            yield LegToAsk(leg, peer, sender)


def _address(host: object) -> IPv4Address | None:
    try:
        return IPv4Address(str(host))
    except ValueError:
        return None  # a name, which a bench without DNS does not know


async def asked(world: World, device: Device, leg: LegToAsk) -> Finding:
    """Ask one leg, the laptop having its peer's address."""
    from zinger.link.voice import options

    transport = leg.peer.transport
    planned = f"the {leg.side} leg answers OPTIONS of {leg.peer.name} over {transport}"
    read, evidence, holds = "no answer", "", False
    try:
        where = await world.dialer.voice(*leg.gateway, transport)
        mine = world.dialer.stands_at(str(leg.sender.ip), 0)
        reply = await options(where, leg.gateway, str(leg.sender.ip), transport, mine)
        read, evidence, holds = reply.reason, str(reply), 200 <= reply.status < 300
    except LinkError as error:
        evidence = str(error)
    verdict = Verdict.HOLDS if holds else Verdict.DIFFERS
    title = f"SIP on the {leg.side} leg"
    return Finding(device.name, leg.name, title, Source.OUTSIDE, planned, read, evidence, verdict)
