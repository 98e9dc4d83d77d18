"""What a person does on a device's pages while they have the wire: fields filled, buttons pressed, links followed.

It goes through the same surface as everything else, so what holds for Zinger's own requests holds for a person's:
nothing is sent to another address, and the certificate is the pinned one. A password that is typed is kept as a
reference like every other; it is written nowhere, and offered to the vault when the wire is handed back.
"""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, field

from zinger.errors import ZingerError
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.document import Button, Document, Field, Form, Link
from zinger.phrasebook.map import AsksFor
from zinger.phrasebook.pages import Open, PageDeed, Press
from zinger.phrasebook.words import Words, has_secret, masked
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import needed_secrets
from zinger.plan.values.secrets import SecretRef
from zinger.run.memory import factory_secret
from zinger.run.pagepump import Came, PagePump
from zinger.run.planned import planned_at
from zinger.run.world import World
from zinger.script.compile import Script
from zinger.store import entries

_SIGNS_IN = (AsksFor.USER, AsksFor.PASSWORD, AsksFor.ELEVATION, AsksFor.CONSOLE, AsksFor.NETWORK)


class CannotDo(ZingerError):
    """What a person wants to do can't be done on this page; the message says why."""


@dataclass
class Chosen:
    """A password that a person typed into a page: `planned` is the vault entry that the plan has for that field."""

    typed: SecretRef
    label: str
    planned: SecretRef | None


@dataclass
class PagesByHand:
    """A person's turn at one device's pages."""

    world: World
    device: Device
    book: Phrasebook
    script: Script
    pump: PagePump
    note: Callable[[entries.Happened], None]
    reach: Callable[[], Awaitable[None]]
    """Has a link to where it answered last, if there is none. Raises ZingerError."""
    _page: Document | None = None
    _fills: dict[int, tuple[Field, Words]] = field(default_factory=dict)
    _chosen: list[Chosen] = field(default_factory=list)

    @property
    def page(self) -> Document | None:
        """The page that stands there now; what was filled into another one counts no more."""
        now = self.pump.conversation.pages.page
        if now is not self._page:
            self._page, self._fills = now, {}
        return now

    def given(self, what: Field) -> Words | None:
        """What the person put into a field; None for one that they left as it stands."""
        return self._fills[id(what)][1] if self.page is not None and id(what) in self._fills else None

    @property
    def filled(self) -> list[tuple[int, Words]]:
        """What the person put in, by field."""
        return [(key, words) for key, (_, words) in self._fills.items()] if self.page is not None else []

    # -- filling -----------------------------------------------------------------------------------
    def fill(self, what: Field, text: str) -> None:
        """Put a text into a field. Raises CannotDo."""
        self.may_be_filled(what)
        if what.kind == "password":
            self._put(what, (self.pump.type_secret(text),) if text else ("",))
        elif what.is_choice and not any(text in (c.label, c.value) for c in what.choices):
            offered = ", ".join(choice.label or choice.value for choice in what.choices)
            raise CannotDo(f"{what.words} does not offer {text!r}; it offers {offered}")
        else:
            self._put(what, (text,))

    def turn(self, what: Field, by: int) -> None:
        """The next offer of a choice, or a checkbox the other way. Raises CannotDo."""
        self.may_be_filled(what)
        now = masked(given) if (given := self.given(what)) is not None else what.shown
        if what.kind == "checkbox":
            self._put(what, ("off" if now == "on" else "on",))
            return
        offers = [choice.label or choice.value for choice in what.choices if not choice.disabled]
        if offers:
            index = offers.index(now) if now in offers else -1 if by > 0 else 0
            self._put(what, (offers[(index + by) % len(offers)],))

    def fill_planned(self, what: Field) -> None:
        """Put in what the plan has for a field. Raises CannotDo."""
        self.may_be_filled(what)
        planned = self._planned(what)
        if planned is None:
            raise CannotDo(f"nothing is planned for {what.words}")
        self._put(what, planned)

    def fill_entry(self, what: Field, entry: SecretRef) -> None:
        """Put an entry of the vault into a field. Raises CannotDo."""
        self.may_be_filled(what)
        self._put(what, (entry,))
        self.note(entries.PersonActed(f"had {entry.name} filled in"))

    def leave(self, what: Field) -> None:
        """Leave a field as it stands."""
        self._fills.pop(id(what), None)

    def _put(self, what: Field, words: Words) -> None:
        self._fills[id(what)] = what, words

    @staticmethod
    def may_be_filled(what: Field) -> None:
        """Raises CannotDo for a field that a person can't fill here."""
        if what.disabled or what.fixed:
            raise CannotDo(f"{what.words} can't be changed here")
        if what.kind == "file":
            raise CannotDo("a file can't be sent by hand here; use a browser")

    def _planned(self, what: Field) -> Words | None:
        page = self.page
        place = self.book.pages.recognise(page) if page is not None and self.book.pages else None
        return planned_at(page, self.script, place[0].name).get(what.name or what.id) if page and place else None

    # -- doing -------------------------------------------------------------------------------------
    async def press(self, form: Form, button: Button | None) -> str:
        """Submit a form as it is filled now; returns what went wrong, in words, nothing where nothing did."""
        fills = tuple(self._fills[id(f)] for f in form.fields if id(f) in self._fills)
        typed = self._typed(fills)
        came = await self._do(Press(form, button, fills))
        if not came.refused:  # one that got no answer may have been taken
            self._chosen += typed
        return came.words

    async def follow(self, link: Link) -> str:
        """Follow this very link; returns what went wrong."""
        return (await self._do(Open(link.to))).words

    async def open(self, path: str) -> str:
        """Go to an address of the device, the start page for nothing; returns what went wrong."""
        assert self.book.pages is not None
        return (await self._do(Open(path or self.book.pages.start))).words

    async def _do(self, deed: PageDeed) -> Came:
        """Do it; if nothing comes of it, as of what cuts the connection, look at the start page."""
        self.note(entries.PersonActed(f"on its pages: {deed.shown}"[:300]))
        came = await self._tried(deed)
        if self.page is None and not isinstance(deed, Open):
            assert self.book.pages is not None
            await self._tried(Open(self.book.pages.start))
        return came

    async def _tried(self, deed: PageDeed) -> Came:
        try:
            await self.reach()
        except ZingerError as error:
            return Came(str(error))
        return await self.pump.do_by_hand(deed)

    # -- passwords ---------------------------------------------------------------------------------
    def entries(self) -> list[SecretRef]:
        """What this device has in the vault."""
        every = (*needed_secrets(self.device), factory_secret(self.device, self.book))
        return [ref for ref in dict.fromkeys(every) if ref in self.world.vault]

    def _typed(self, fills: Sequence[tuple[Field, Words]]) -> list[Chosen]:
        """The passwords that are chosen by this; at a sign-in none is."""
        page = self.page
        place = self.book.pages.recognise(page) if page is not None and self.book.pages else None
        if place is not None and place[0].asks_for in _SIGNS_IN:
            return []
        found: dict[str, Chosen] = {}
        for what, words in fills:
            if has_secret(words) and isinstance(words[0], SecretRef) and self.pump.was_typed(words[0]):
                planned = self._planned(what) or ()
                entry = next((part for part in planned if isinstance(part, SecretRef)), None)
                found.setdefault(self.pump.typed_text(words[0]), Chosen(words[0], what.words, entry))
        return list(found.values())

    def take_chosen(self) -> list[Chosen]:
        """The passwords that were typed since the last time, where a page asked for new ones."""
        chosen, self._chosen = self._chosen, []
        return chosen

    def entries_for(self, chosen: Chosen) -> list[SecretRef]:
        """Which entries of the vault it may be from now on, the planned one of its field first."""
        known = [*needed_secrets(self.device), factory_secret(self.device, self.book)]
        return list(dict.fromkeys([*([chosen.planned] if chosen.planned else []), *known]))

    def file(self, chosen: Chosen, entry: SecretRef) -> None:
        """Put a password that was chosen by hand into the vault."""
        self.world.vault.put({entry: self.pump.typed_text(chosen.typed)})
        self.note(entries.PersonActed(f"changed {entry.name} by hand; it is in the vault"))

    def leave_out(self, chosen: Chosen) -> None:
        """The person does not keep it: the vault may not be true any more, and the journal says so."""
        self.note(entries.PersonActed(f"may have changed a password by hand ({chosen.label}); it is not in the vault"))
