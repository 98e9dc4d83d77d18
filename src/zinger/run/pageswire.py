"""A device on pages: reached at its factory address first, and at the planned one once it moved there."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from ipaddress import IPv4Interface

from zinger.link.base import LinkError, OtherKey
from zinger.link.web import WebEndpoint, WebLink
from zinger.phrasebook.book import Phrasebook, Reading
from zinger.plan.model import Device
from zinger.plan.values.mac import link_local_of
from zinger.run.claims import cards_up
from zinger.run.hands import Act
from zinger.run.onwire import AWAY, Assignment, OnWire
from zinger.run.pagepump import PagePump, spelled
from zinger.run.pagesbyhand import PagesByHand
from zinger.run.ways import until_it_answers
from zinger.run.webtrust import WebTrust
from zinger.run.world import World
from zinger.store.har import SUFFIX, HarRecording
from zinger.store.transcript import Transcript
from zinger.talk.errors import Interrupted, Restarted, Silent
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

    def __init__(self, to_do: Assignment) -> None:
        super().__init__(to_do)
        world, device, book, line = to_do.world, to_do.device, to_do.book, to_do.line
        self.pump = pump_for(world, device, book, line.transcript, self._saw)
        self.by_hand = PagesByHand(world, device, book, to_do.script, self.pump, self.note, self._rejoin)
        self.trust = WebTrust(world, device, book, line, to_do.memory, self.note)
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
    def is_new(self) -> bool:
        return self._answered_at not in [at.address for at in (self._planned(), self._before()) if at is not None]

    @property
    def answers_at(self) -> str:
        return self._answered_at

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
        within = 2 * self.boots_in + AWAY if self.links or self.part else 0.0
        if within:
            self.line.say("it is away; looks where it answers" if self.links else "waits for its pages")
            self.line.wait("the device to answer again", time.time() + within)
        if await self._elsewhere():
            try:
                self._join(await until_it_answers(self._dial_known, within))
                return
            except OtherKey:
                raise
            except LinkError as error:
                if self.links and self._factory is not None and not self._holds_factory():
                    self._join(await self._back_at_factory(self._factory, error))
                    return
                if self.links or self.part or (self._factory is None and not self._waits_for_a_lease):
                    raise
        self._join(await self._first_contact())

    async def _elsewhere(self) -> list[WebEndpoint]:
        """Where it may answer now, but for its factory address: where it was met, and where it has a lease.

        The laptop is near then.
        """
        planned, before = self._planned(), self._before()
        if before is not None:
            await self.world.claims.be_near(self.device, self.line, self.memory.stands_at)
        lone = self._factory is None and not self._waits_for_a_lease
        met = [planned] if planned is not None and (lone or self._was_met(planned)) else []
        found = [*met, *await self._leased()]
        if found:
            await self.world.claims.be_near(self.device, self.line)
        return [*([before] if before is not None else []), *found, *self._link_local()]

    def _link_local(self) -> list[WebEndpoint]:
        """Where it answers at the address that it makes of its MAC: on whichever card its cable is."""
        if not (self.book.factory.link_local and self._waits_for_a_lease):
            return []
        address = link_local_of(self.device.mac)
        return [endpoint_at(self.device, self.book, f"{address}%{card}") for card in cards_up()]

    async def _dial_known(self) -> WebLink:
        """Wherever it may be by now; a lease may come while it is looked for. At the factory address only if it is
        this device's alone, else another answers there."""
        elsewhere = await self._elsewhere()
        near = self._factory is not None and self._holds_factory() and self.world.claims.can_see(self._factory)
        return await self._dial([*elsewhere, *([self._at_factory()] if near else [])])

    @property
    def _waits_for_a_lease(self) -> bool:
        """Whether a lease is a way to it: by its MAC, in a list or among this machine's neighbours."""
        return bool(self.device.mac) and (not self.world.practice or bool(self.world.leases.sources))

    async def _leased(self) -> list[WebEndpoint]:
        """Where it answers by a lease, as lists of DHCP servers and this machine's neighbours tell by its MAC."""
        if not self._waits_for_a_lease:
            return []
        found = await self.world.leases.of(self.device.mac)
        if found and not self.links:
            told = found[0].told(time.time())
            self.line.say(f"its MAC has the address {found[0].address}" + (f", {told}" if told else ""))
        return [endpoint_at(self.device, self.book, lease.address) for lease in found]

    def _holds_factory(self) -> bool:
        return self._factory is not None and self.world.claims.holds_factory(str(self._factory.ip), self.name)

    def _was_met(self, planned: WebEndpoint) -> bool:
        """Whether it has been reached in this job, so that it may have moved."""
        known = self.memory.accepted or self.memory.intended
        return bool(known) or self.world.dialer.certificates.pinned(planned.known_as) is not None

    def _planned(self) -> WebEndpoint | None:
        fixed = self.device.fixed
        return endpoint_at(self.device, self.book, str(fixed.ip)) if fixed else None

    def _before(self) -> WebEndpoint | None:
        """Where it answered under an earlier plan, if it is planned elsewhere now."""
        fixed, stands_at = self.device.fixed, self.memory.stands_at
        if stands_at is None or (fixed is not None and fixed.ip == stands_at.ip):
            return None
        return endpoint_at(self.device, self.book, str(stands_at.ip))

    def _at_factory(self) -> WebEndpoint:
        assert self._factory is not None
        return endpoint_at(self.device, self.book, str(self._factory.ip))

    async def _first_contact(self) -> WebLink:
        """Out of its carton: cabled, switched on, pressed what is to be pressed, the laptop in its subnet.

        One that was met before, and was off, may answer at the planned address instead.
        """
        factory, claims = self.book.factory, self.world.claims
        if self._factory is None:
            if not self._waits_for_a_lease:
                raise LinkError(f"{self.book.title} has no factory address, and no other way to it is known")
            await self.plug(factory.reach or "it is found by its MAC once it has a lease")
            return await self._boots()
        await claims.take_factory(str(self._factory.ip), self.name, self.line)
        if factory.network:
            await claims.join(self.device, factory.network, self._factory, factory.reach, self.line)
            self._was_plugged = True
            await self.press_in_time()
            return await self._boots()
        lone = factory.hands_out and not claims.can_see(self._factory)  # on before it can hand the laptop an address
        if (self.world.practice or lone) and not self._was_plugged:
            await self.plug(factory.reach or "it is reached over the network only")
        await self._have_the_laptop_there(self._factory)
        try:
            return await self._dial_known()
        except OtherKey:
            raise
        except LinkError as error:
            if not self._was_plugged:
                await self.plug(str(error))
        return await self._boots()

    async def _back_at_factory(self, factory: IPv4Interface, error: LinkError) -> WebLink:
        """It does not answer where it moved: with the power it may have lost what was not saved."""
        self.line.say("looks whether it is back at its factory address")
        await self.world.claims.take_factory(str(factory.ip), self.name, self.line)
        if self.book.factory.network:
            how = self.book.factory.reach
            await self.world.claims.join(self.device, self.book.factory.network, factory, how, self.line)
        else:
            await self._have_the_laptop_there(factory)
        try:
            return await until_it_answers(self._dial_known, self.boots_in + AWAY)
        except OtherKey:
            raise
        except LinkError:
            raise error from None

    async def _have_the_laptop_there(self, factory: IPv4Interface) -> None:
        if self.book.factory.hands_out:
            await self.world.claims.be_handed(self.device, factory, self.line)
        else:
            await self.world.claims.be_at(factory, self.book.title, self.line)

    async def _boots(self) -> WebLink:
        """It was switched on: it answers once it has booted."""
        within = 2 * self.boots_in + AWAY
        self.line.say("booting")
        self.line.wait("its pages to answer", time.time() + within)
        return await until_it_answers(self._dial_known, within, 0.5)

    async def _pressed(self, act: Act) -> None:
        """That it was pressed can be seen: it answers."""

        async def answers() -> bool:
            return await self.shows_life(0.0)

        await self.world.hands.ask(act, answers)

    async def shows_life(self, since: float) -> bool:
        """It answers at its factory address, where the laptop can reach that."""
        factory = self._factory
        if factory is None or not self._holds_factory() or not self.world.claims.can_see(factory):
            return False
        at = self._at_factory()
        with suppress(LinkError):
            return await self.world.dialer.probe(at.address, at.port)
        return False

    async def _dial(self, endpoints: list[WebEndpoint]) -> WebLink:
        """The first of these at which it answers."""
        failures: list[str] = []
        now = asyncio.get_running_loop().time()
        for endpoint in endpoints:
            if endpoint.address == self._left and now < self._left_until and len(endpoints) > 1:
                continue
            try:
                return await self.trust.open(endpoint)
            except OtherKey:
                raise
            except LinkError as error:
                failures.append(str(error))
        raise LinkError("; ".join(failures) or self._nowhere())

    def _nowhere(self) -> str:
        if self._left:
            return f"it may still leave {self._left}"
        lists = ", ".join(self.world.leases.sources)
        nor = f", nor in {lists}" if lists else ""
        return f"the MAC {self.device.mac} is not among this machine's neighbours{nor}"

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

    async def fetch(self, reading: Reading) -> bytes:
        """The bytes themselves, before anything is masked: they are sealed, and shown nowhere."""
        with self.pump.keeping_bytes():
            await super().fetch(reading)
            return self.pump.last_bytes

    async def _rejoin(self) -> None:
        """A link to where it answered last, for a person who has the wire. Raises LinkError."""
        if not self.pump.is_joined:
            self._join(await self._dial([endpoint_at(self.device, self.book, self._answered_at)]))

    def went_away(self) -> None:
        """It may answer for a moment more where it was: only if it stays away elsewhere it is looked for there."""
        self._left = self._answered_at
        self._left_until = asyncio.get_running_loop().time() + self.boots_in + AWAY / 2
        self.trust.may_be_renewed = True
        self.pump.leave()

    def is_told_apart(self, known: bool) -> None:
        self.trust.told_apart(known)

    def release(self) -> None:
        if self._factory:
            self.world.claims.leave_factory(str(self._factory.ip), self.name, moved=False)

    def restarted(self, error: Interrupted | Silent) -> bool:
        """It fell silent, or sent on to where it will be."""
        gone = not self.pump.is_joined or isinstance(error, Restarted | Silent)
        if gone:
            self.trust.may_be_renewed = True
            self.pump.leave()
        return gone

    async def is_down(self, since: float) -> bool:
        """Nobody answers where it was spoken to."""
        address = self.pump.link.endpoint if self.pump.link else self._planned() or self._at_factory()
        try:
            return not await self.world.dialer.probe(address.address, address.port)
        except LinkError:
            return True

    async def comes_up(self, since: float, within: float) -> None:
        """Wait until it answers again."""
        self.trust.may_be_renewed = True
        self.pump.leave()
        await self.connect()
