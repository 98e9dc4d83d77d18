"""A device on pages: reached at its factory address first, and at the planned one once it moved there."""

from __future__ import annotations

import asyncio
import base64
import time
from collections.abc import Callable, Iterable
from ipaddress import IPv4Interface

from zinger.link.base import LinkError, OtherKey
from zinger.link.leases import addresses_of
from zinger.link.web import WebEndpoint, WebLink, fingerprint_of
from zinger.link.web import spelled as pinned_as
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.run.board import DeviceLine
from zinger.run.memory import Memory
from zinger.run.onwire import AWAY, OnWire
from zinger.run.pagepump import PagePump, spelled
from zinger.run.pagesbyhand import PagesByHand
from zinger.run.ways import until_it_answers
from zinger.run.world import World
from zinger.script.compile import Script
from zinger.store import entries
from zinger.store.har import SUFFIX, HarRecording
from zinger.store.transcript import Transcript
from zinger.talk.errors import Interrupted, Silent, Stuck
from zinger.talk.events import Event
from zinger.talk.pages.webtalk import WebTalk


def endpoint_at(device: Device, book: Phrasebook, address: str) -> WebEndpoint:
    """A device's pages at an address; the certificate is pinned under the device's name, wherever it answers."""
    assert book.pages is not None
    return WebEndpoint(book.pages.scheme, address, book.pages.port, book.pages.old_tls, (device.name,))


def pump_for(
    world: World,
    device: Device,
    book: Phrasebook,
    transcript: Transcript | None = None,
    onlooker: Callable[[Event], None] | None = None,
) -> PagePump:
    """What speaks with a device's pages, and hides its secrets however a page may spell them."""
    assert book.pages is not None
    masker = world.masker_for(device, book)
    masker.know(spelled(world.secrets_of(device, book)))
    talk = WebTalk(book.pages, pace=world.pace)
    return PagePump(talk, lambda ref: world.secret(book, ref), masker, transcript, onlooker, world.turns)


class PagesWire(OnWire):
    """Sends, reads and notes for one device on pages."""

    pump: PagePump
    reached_by = "its pages"
    cable = "network cable"

    def __init__(
        self, world: World, device: Device, book: Phrasebook, script: Script, line: DeviceLine, memory: Memory
    ) -> None:
        super().__init__(world, device, book, script, line, memory)
        self.pump = pump_for(world, device, book, line.transcript, self._saw)
        self.by_hand = PagesByHand(world, device, book, script, self.pump, self.note, self._rejoin)
        self._may_be_renewed = False
        """Whether it went away in this run: devices make themselves a new certificate with a new name or address."""
        self._doubted: WebLink | None = None
        """The link with a certificate of which it is not known yet whose it is."""
        self._answered_at = ""
        """The address at which it was reached last."""
        self._left, self._left_until = "", 0.0
        """The address that it was told to leave, and until when it is not looked for there."""
        self._factory = IPv4Interface(book.factory.address) if book.factory.address else None

    @property
    def over_network(self) -> bool:
        """Always: there is no other way to it."""
        return True

    @property
    def way_back(self) -> str:
        """What goes wrong at a first set-up is undone by the button that brings back its factory state."""
        return "its factory state"

    def spellings(self, secrets: Iterable[str]) -> Iterable[str]:
        return spelled(secrets)

    # -- the link ----------------------------------------------------------------------------------
    async def connect(self) -> None:
        """Reach it at the planned address where it was met before, else at its factory address. Raises LinkError."""
        if self.pump.is_joined:
            return
        within = 2 * self.boots_in + AWAY if self.links else 0.0
        if within:
            self.line.say("it is away; looks where it answers")
            self.line.wait("the device to answer again", time.time() + within)
        known = [self._at_factory()] if self._factory else []
        planned = self._planned()
        leased = self._leased()
        first = [planned] if planned is not None and (not known or self._was_met(planned)) else []
        if first or leased:
            await self.world.claims.be_near(self.device, self.line.wait)
            try:
                own = known if self._holds_factory() else []  # else another answers there
                self._join(await until_it_answers(lambda: self._dial([*first, *leased, *own]), within))
                return
            except OtherKey:
                raise
            except LinkError:
                if self.links or not known:
                    raise
            known = [*first, *leased, *known]
        self._join(await self._first_contact(known))

    def _leased(self) -> list[WebEndpoint]:
        """Where it answers by a lease, as lists of DHCP servers and this machine's neighbours tell by its MAC."""
        live = not self.world.practice or bool(self.world.leases)
        found = addresses_of(self.device.mac, self.world.leases) if live and self.device.mac else []
        if found and not self.links:
            self.line.say(f"its MAC has the address {found[0]}")
        return [endpoint_at(self.device, self.book, address) for address in found]

    def _holds_factory(self) -> bool:
        return self._factory is not None and self.world.claims.holds_factory(str(self._factory.ip), self.name)

    def _was_met(self, planned: WebEndpoint) -> bool:
        """Whether it has been reached in this job, so that it may have moved."""
        known = self.memory.accepted or self.memory.intended
        return bool(known) or self.world.dialer.certificates.pinned(planned.known_as) is not None

    def _planned(self) -> WebEndpoint | None:
        fixed = self.device.fixed
        return endpoint_at(self.device, self.book, str(fixed.ip)) if fixed else None

    def _at_factory(self) -> WebEndpoint:
        assert self._factory is not None
        return endpoint_at(self.device, self.book, str(self._factory.ip))

    async def _first_contact(self, known: list[WebEndpoint]) -> WebLink:
        """At the factory address: one device at a time, cabled, and with the laptop in its subnet.

        One that was met before, and was off, may answer at the planned address instead.
        """
        if self._factory is None:
            raise LinkError(f"{self.book.title} has no factory address, and no other way to it is known")
        claims = self.world.claims
        await claims.take_factory(str(self._factory.ip), self.name, self.line.wait)
        factory = self.book.factory
        if factory.network:
            self._was_plugged = True
            await claims.join(self.device, factory.network, self._factory, factory.reach, self.line.wait)
            return await self._boots(known)
        if self.world.practice and not self._was_plugged:
            await self.plug(factory.reach or "it is reached over the network only")
        await claims.be_at(self._factory, self.book.title, self.line.wait)
        try:
            return await self._dial(known)
        except OtherKey:
            raise
        except LinkError as error:
            if not self._was_plugged:
                await self.plug(str(error))
        return await self._boots(known)

    async def _boots(self, known: list[WebEndpoint]) -> WebLink:
        """It was switched on: it answers at one of these once it has booted."""
        within = 2 * self.boots_in + AWAY
        self.line.say("booting")
        self.line.wait("its pages to answer", time.time() + within)
        return await until_it_answers(lambda: self._dial(known), within, 0.5)

    async def _dial(self, endpoints: list[WebEndpoint]) -> WebLink:
        """The first of these at which it answers."""
        failures: list[str] = []
        now = asyncio.get_running_loop().time()
        for endpoint in endpoints:
            if endpoint.address == self._left and now < self._left_until and len(endpoints) > 1:
                continue
            try:
                return await self.world.dialer.web(endpoint)
            except OtherKey:
                if not self._may_be_renewed:
                    raise
                self._doubted = await self.world.dialer.web(endpoint, renewed=True)
                self.line.say("it shows another certificate since it went away; its serial number is compared")
                return self._doubted
            except LinkError as error:
                failures.append(str(error))
        raise LinkError("; ".join(failures) or f"it may still leave {self._left}")

    def _join(self, link: WebLink) -> None:
        self.line.link = link.name
        if link.certificate:
            first = " pinned now" if link.first_sight else ""
            self.line.link += f", certificate {link.fingerprint[:23]}…{first}"
        self.links += 1
        self._answered_at = link.endpoint.address
        tokens = frozenset(token.header for token in self.book.pages.tokens) if self.book.pages else frozenset[str]()
        file = self.fresh_file("pages", SUFFIX)
        self.pump.join(link, HarRecording(file, f"{self.name}, pages", tokens, self.line.say))
        if self._factory and link.endpoint.address != str(self._factory.ip):
            self.world.claims.leave_factory(str(self._factory.ip), self.name, moved=True)

    async def _rejoin(self) -> None:
        """A link to where it answered last, for a person who has the wire. Raises LinkError."""
        if not self.pump.is_joined:
            self._join(await self._dial([endpoint_at(self.device, self.book, self._answered_at)]))

    def went_away(self) -> None:
        """It may answer for a moment more where it was: only if it stays away elsewhere it is looked for there."""
        self._left = self._answered_at
        self._left_until = asyncio.get_running_loop().time() + self.boots_in + AWAY / 2
        self._may_be_renewed = True
        self.pump.leave()

    def is_told_apart(self, known: bool) -> None:
        """A certificate that it showed after it went away is its own, if it is the device; then that one is pinned."""
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
        self.note(entries.NewCertificate(fingerprint_of(base64.b64decode(before)), link.fingerprint))
        pins.pin(names, pinned_as(link.certificate))
        self._may_be_renewed = False

    def release(self) -> None:
        if self._factory:
            self.world.claims.leave_factory(str(self._factory.ip), self.name, moved=False)

    def restarted(self, error: Interrupted | Silent) -> bool:
        """It fell silent, or sent on to where it will be."""
        gone = not self.pump.is_joined or isinstance(error, Silent)
        if gone:
            self._may_be_renewed = True
            self.pump.leave()
        return gone

    async def is_down(self, since: float) -> bool:
        """Nobody answers where it was spoken to."""
        address = self.pump.link.endpoint if self.pump.link else self._planned() or self._at_factory()
        try:
            return not await self.world.dialer.probe(address.address, address.port)
        except LinkError:
            return True

    async def comes_up(self, within: float) -> None:
        """Wait until it answers again."""
        self._may_be_renewed = True
        self.pump.leave()
        await self.connect()
