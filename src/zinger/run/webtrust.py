"""Whether what answers at an address is the device: its certificate, pinned, printed, or new since it was away."""

from __future__ import annotations

import base64
from collections.abc import Callable

from zinger.link.base import OtherKey
from zinger.link.web import WebEndpoint, WebLink
from zinger.link.web import spelled as pinned_as
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.values.fingerprint import fingerprint_of, is_of
from zinger.run.board import DeviceLine
from zinger.run.hands import Act, Verb
from zinger.run.memory import Memory
from zinger.run.world import World
from zinger.store import entries
from zinger.talk.errors import Stuck


class WebTrust:
    """One device's certificate."""

    def __init__(
        self,
        world: World,
        device: Device,
        book: Phrasebook,
        line: DeviceLine,
        memory: Memory,
        note: Callable[[entries.Happened], None],
    ) -> None:
        self.world, self.device, self.book, self.line, self.memory = world, device, book, line, memory
        self._note = note
        self.may_be_renewed = memory.leaves
        """Whether it went away, in this run or in one that ended then: devices make themselves a new certificate with
        a new name or address."""
        self._doubted: WebLink | None = None
        """The link with a certificate of which it is not known yet whose it is."""

    async def open(self, endpoint: WebEndpoint) -> WebLink:
        """A link to an address; raises OtherKey where another device answers, LinkError where none does."""
        dialer = self.world.dialer
        try:
            return await dialer.web(endpoint, vouch=self._vouch)
        except OtherKey:
            if not self.may_be_renewed or dialer.certificates.pinned(endpoint.known_as) is None:
                raise
        self._doubted = await dialer.web(endpoint, renewed=True)
        self.line.say("it shows another certificate since it went away; its serial number is compared")
        return self._doubted

    async def _vouch(self, certificate: bytes) -> None:
        """At first sight: the certificate is the one of its label, where that is known. Raises OtherKey."""
        name, shown, printed = self.device.name, fingerprint_of(certificate), self.device.fingerprint
        if printed and not is_of(printed, certificate):
            same = fingerprint_of(certificate, len(printed.replace(":", "")))
            raise OtherKey(
                f"Wrong certificate: {name} shows {same}, its label has {printed}. Nothing was sent. Check which "
                "device answers there, and the fingerprint in the sheet."
            )
        if not printed and self.book.factory.certificate:
            do = f"compare with {name}, {self.book.factory.certificate}: {_in_groups(shown)}. If it differs, unplug it"
            with self.line.at_hands("compare its certificate"):
                await self.world.hands.ask(Act(Verb.COMPARE, name, do, "nobody else vouches for it", rank=1))

    def told_apart(self, known: bool) -> None:
        """A certificate that it showed after it went away is its own, if it is the device; then that one is pinned."""
        if known and self.memory.leaves:
            self._note(entries.Leaves(still=False))
        link, self._doubted = self._doubted, None
        if link is None or link.certificate is None:
            return
        if not known:
            raise Stuck(
                f"It shows another certificate ({link.fingerprint}) since it went away, and neither serial number nor "
                "MAC tells that it is the same device. Compare the fingerprint, and take it out of the job's "
                "certificates if it is right."
            )
        pins, names = self.world.dialer.certificates, link.endpoint.known_as
        before = (pins.pinned(names) or "").partition(" ")[2]
        self._note(entries.NewCertificate(fingerprint_of(base64.b64decode(before)), link.fingerprint))
        pins.pin(names, pinned_as(link.certificate))
        self.may_be_renewed = False


def _in_groups(fingerprint: str) -> str:
    """A fingerprint as eyes compare it: eight pairs, a blank, eight pairs."""
    pairs = fingerprint.split(":")
    return " ".join(":".join(pairs[at : at + 8]) for at in range(0, len(pairs), 8))
