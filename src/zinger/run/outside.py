"""Proof from outside: from the network, as whoever comes later will meet the device.

Signs in over SSH with the new credentials at the planned address, sees that the factory login is refused
and that what was shut is shut. Each is a finding with its own evidence.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from dataclasses import replace
from functools import partial
from ipaddress import IPv4Interface
from typing import TYPE_CHECKING, Any

from zinger.link.base import AuthRefused, LinkError
from zinger.link.dial import Dialer
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.owners import same_identity
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.services.settings import SSH
from zinger.plan.values.account import Account
from zinger.proof.facts import facts_in
from zinger.proof.findings import Finding, Source, Verdict
from zinger.proof.outcome import SIGN_IN
from zinger.run.memory import FACTORY_LOGIN, accounts_told, factory_secret
from zinger.run.pageswire import endpoint_at
from zinger.run.pump import Pump
from zinger.run.sessions import Session, over_pages, over_ssh
from zinger.run.ways import at_the_planned
from zinger.store.entries import Met
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import take_reading
from zinger.talk.errors import TalkError

if TYPE_CHECKING:
    from zinger.run.world import World

REFUSED = "the factory login {name} is refused"
DOORS = (
    ("services.telnet", 23, "Telnet"),
    ("services.http", 80, "HTTP"),
    ("services.https", 443, "HTTPS"),
    ("services.ssh", 22, "SSH"),
)


class Outside:
    """Looks at one device from the network."""

    def __init__(
        self,
        dialer: Dialer,
        device: Device,
        book: Phrasebook,
        world: World,
        box: Callable[[], Met],
        answers_at: Callable[[], str],
    ) -> None:
        self.dialer, self.device, self.book, self.world = dialer, device, book, world
        self.answers_at = answers_at
        self.box = box
        """Which device was met on the way in; the one that answers from the network must be the same."""

    @property
    def address(self) -> str | None:
        """Where to look: the planned fixed address, else where its pages answer; None where that is not known."""
        address = self.device.address
        return str(address.ip) if address and address.interface else (self._over_pages and self.answers_at()) or None

    def owed(self) -> list[str]:
        """The names of the findings that this look must bring."""
        if self.address is None:
            return []
        return [f"{SIGN_IN}{name}" for name, *_ in self._sign_ins()] + [name for name, *_ in self._doors()]

    def sees_anything(self) -> bool:
        """Whether there is anything to look at: a device that only its console tells of has nothing on the network."""
        return bool(self.owed()) or (self.book.pages is not None and bool(self.book.factory.address))

    @property
    def _over_ssh(self) -> bool:
        return self.device[SSH] is not False and "services.ssh" in self.book.rules.proved_over

    @property
    def _over_pages(self) -> bool:
        pages = self.book.pages
        return pages is not None and f"services.{pages.scheme}" in self.book.rules.proved_over

    def accounts_tried(self) -> frozenset[str]:
        """The planned accounts that this look signs in with."""
        tried = () if self.address is None else self._sign_ins()
        return frozenset(account.name for _, account, goal in tried if goal)

    def _sign_ins(self) -> Iterator[tuple[str, Account, str]]:
        if not self._over_ssh and not self._over_pages:
            return
        home = self.book.administrator or self.book.home
        for account in accounts_told(self.device, self.book):
            goal = home if account.administers else self.book.view or self.book.home
            yield account.name, Account(account.name, account.secret), goal
        if self.book.factory.user:
            yield FACTORY_LOGIN, Account(self.book.factory.user, factory_secret(self.device, self.book)), ""

    def _port(self, name: str, port: int) -> int:
        """The port of a service; SSH's is where the device is signed in to, that of its pages where they are."""
        if self.book.pages is not None and name == f"services.{self.book.pages.scheme}":
            return self.book.pages.port
        endpoint = at_the_planned(self.device, self.book)
        return endpoint.port if name == "services.ssh" and endpoint else port

    def _doors(self) -> list[tuple[str, int, str, bool]]:
        """Services whose port must answer, or refuse; SSH, where it is signed in over, is proved by that."""
        planned = (
            (name, self._port(name, port), title, self.device[SETTINGS[name]])
            for name, port, title in DOORS
            if name in self.book.told
        )
        return [
            (name, port, title, is_open)
            for name, port, title, is_open in planned
            if is_open is not None and not (name == "services.ssh" and is_open and self._over_ssh)
        ]

    async def look_in(self, is_away: Callable[[], Awaitable[None]]) -> AsyncIterator[Finding]:
        """One finding after the other. `is_away` is awaited before a device that did not answer is tried once more."""
        if self.address is None:
            return
        for name, account, goal in self._sign_ins():
            setting = f"{SIGN_IN}{name}"
            planned = self._planned(account, goal) if goal else REFUSED.format(name=account.name)
            title = f"sign-in of {account.name}" if goal else "factory login"
            look = partial(self._signs_in if goal else self._is_refused, setting, title, planned, account)
            yield await self._twice(partial(look, goal) if goal else look, is_away, (setting, title, planned))
        for setting, port, title, is_open in self._doors():
            planned = f"{title} is {'open' if is_open else 'closed'}: port {port} {'answers' if is_open else 'refuses'}"
            look = partial(self._answers, setting, title, planned, port, is_open)
            yield await self._twice(look, is_away, (setting, title, planned))
        async for finding in self._old_address():
            yield finding

    async def _old_address(self) -> AsyncIterator[Finding]:
        """The factory address must be silent once it moved; another device may answer there, with its own certificate.

        Looked at where the laptop can see it, and nowhere else: silence from afar would prove nothing.
        """
        factory = self.book.factory.address
        if self.book.pages is None or not factory or self.address is None:
            return
        old = IPv4Interface(factory)
        if str(old.ip) == self.address or not self.world.claims.can_see(old):
            return
        seen, answers = "", ""
        planned = f"nothing answers as {self.device.name} at its factory address {old.ip}"
        try:
            link = await self.dialer.web(endpoint_at(self.device, self.book, str(old.ip)))
            await link.close()
            if not link.certificate:
                return  # somebody answers, and without a certificate nobody can tell who
            answers = f"{link.name} answers with certificate {link.fingerprint[:23]}…"
        except LinkError as error:
            seen = str(error)
        read = "it answers there too" if answers else "silent"
        yield self._finding("factory address", "old address", planned, read, answers or seen, not answers)

    async def sign_in_again(
        self, names: frozenset[str], source: Source, is_away: Callable[[], Awaitable[None]]
    ) -> AsyncIterator[Finding]:
        """Sign in once more as these accounts, as a finding of another source: what nothing shows, using it proves."""
        for name, account, goal in self._sign_ins():
            if name in names and goal:
                planned, title = self._planned(account, goal), f"sign-in of {account.name}"
                setting = f"{SIGN_IN}{name}"
                look = partial(self._signs_in, setting, title, planned, account, goal)
                yield replace(await self._twice(look, is_away, (setting, title, planned)), source=source)

    async def _twice(
        self, look: Callable[[], Awaitable[Finding]], is_away: Callable[[], Awaitable[None]], what: tuple[str, str, str]
    ) -> Finding:
        """Look, and once more where nobody answered."""
        try:
            return await look()
        except LinkError:
            await is_away()
        try:
            return await look()
        except LinkError as error:
            return self._finding(*what, str(error), self.world.masker().text(str(error)), False)

    def _planned(self, account: Account, goal: str) -> str:
        way = "on its pages" if self._over_pages else "over SSH"
        return f"{account.name} signs in {way} at {self.address}, to {goal}"

    async def _signs_in(self, setting: str, title: str, planned: str, account: Account, goal: str) -> Finding:
        try:
            session = await self._session(account)
            try:
                at = await session.signs_in(self.book, goal)
                seen, wrong = f"{session.pump.conversation.tail.strip()}   ({session.vouched})", ""
                if goal == self.book.home:
                    wrong = self._another(await self._identity(session.pump, session.keys))
                return self._finding(setting, title, planned, wrong or f"at {at.name}", seen, not wrong)
            finally:
                session.pump.leave()
        except AuthRefused as error:
            return self._finding(setting, title, planned, str(error), self.world.masker().text(str(error)), False)
        except TalkError as error:  # it may be a moment's trouble: it is looked at once more, as where nobody answers
            raise LinkError(str(error)) from None

    async def _session(self, account: Account) -> Session:
        """A fresh session; raises AuthRefused, LinkError."""
        if self._over_pages and self.address is not None:
            return await over_pages(self.world, self.device, self.book, account, self.address)
        return await over_ssh(self.world, self.device, self.book, account)

    async def _identity(self, pump: Pump[Any], keys: Keyring) -> dict[str, str]:
        """The serial number and MAC that it shows in this session, where the family has readings for them."""
        shown: dict[str, str] = {}
        for what, fact in self.book.identity.items():
            reading = next((r for r in self.book.readings.values() if fact in r.take), None)
            if reading is not None:
                answer = await pump.do(take_reading(self.book, reading, keys))
                facts = facts_in(reading, answer.rows, answer.torn, answer.page)
                shown |= {what: facts[fact][0].value} if facts.get(fact) else {}
        return shown

    def _another(self, shown: dict[str, str]) -> str:
        """A sentence where it is another device than the one that was met on the way in, or that is planned."""
        met = self.box()
        expected = {"serial": met.serial or self.device.serial, "mac": met.mac or self.device.mac}
        for what, seen in shown.items():
            if (known := expected.get(what)) and not same_identity(seen, known):
                return f"another device answers: {what} {seen}, expected {known}"
        return ""

    async def _is_refused(self, setting: str, title: str, planned: str, account: Account) -> Finding:
        try:
            session = await self._session(account)
            try:
                if self._over_pages:
                    await session.signs_in(self.book, self.book.view or self.book.home)
            finally:
                session.pump.leave()
        except AuthRefused as refusal:
            return self._finding(setting, title, planned, "refused", str(refusal), True)
        except TalkError as error:
            raise LinkError(str(error)) from None
        return self._finding(setting, title, planned, "accepted", f"{account.name} signed in", False)

    async def _answers(self, setting: str, title: str, planned: str, port: int, wanted: bool) -> Finding:
        is_open = await self.dialer.probe(self.address or "", port)
        read = "accepts connections" if is_open else "refused"
        evidence = f"{self.address} port {port}: connection {read}"
        return self._finding(setting, title, planned, read, evidence, is_open is wanted)

    def _finding(self, setting: str, title: str, planned: str, read: str, evidence: str, holds: bool) -> Finding:
        return Finding(
            self.device.name,
            setting,
            title,
            Source.OUTSIDE,
            planned,
            read,
            evidence,
            Verdict.HOLDS if holds else Verdict.DIFFERS,
        )
