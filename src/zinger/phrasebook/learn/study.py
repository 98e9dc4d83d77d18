"""What is known of one recording: what was done, by which device's plan it is held, and what is still asked."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import urlsplit

from zinger.errors import ZingerError
from zinger.phrasebook.document import Document
from zinger.phrasebook.learn.deeds import Deed, Seen, deeds_of, of_the_device
from zinger.phrasebook.learn.matching import Matched, entry_of, matched
from zinger.phrasebook.learn.places import Place, places_of
from zinger.phrasebook.learn.refusals import refusals_of, touched_again
from zinger.phrasebook.learn.signin import on_the_way
from zinger.phrasebook.learn.values import Lookup, parts_of
from zinger.plan.model import Device

_RESTARTS = re.compile(r"re-?start|re-?boot|starts? again|being set up", re.IGNORECASE)
LONG = 4.0
"""Seconds without anything after a deed, which tell that the device was away."""


class NothingLearned(ZingerError):
    """A recording from which no draft can be made; the message says why and what to do."""


@dataclass(frozen=True)
class Question:
    """Something that only a person knows; `weight` orders them: what keeps a device from being proved comes first."""

    weight: int
    where: str
    text: str


class Study:
    """One recording, held against one planned device. Raises NothingLearned."""

    def __init__(self, seen: Sequence[Seen], device: Device, secrets: Lookup, times: Mapping[int, float]) -> None:
        self.device, self.secrets, self.times = device, secrets, times
        known = [str(device.fixed.ip)] if device.fixed else []
        self.told = of_the_device(seen, known)
        if not any(one.page is not None for one in self.told.seen):
            raise NothingLearned(
                f"nothing of {device.name} is in the recording: no page and no JSON of its address. Was it saved with "
                "its contents, and of this device?"
            )
        self.deeds = deeds_of(self.told.seen)
        if not any(_mentions(one, self._marks()) for one in self.told.seen):
            raise NothingLearned(
                f"nothing in the recording is of {device.name}: neither its name nor its address, serial number or MAC "
                "was sent or shown. Is it the set-up of another device?"
            )
        self.parts = parts_of(device, secrets)
        self.way = on_the_way(self.deeds, self.told.seen)
        self.questions: list[Question] = []
        self.varying = [device.name] if device.name else []
        self.places = self._places()
        self.refusals = refusals_of(self.deeds)
        touched_again(self.deeds)
        self.said = self._matched()
        """What of the plan was sent, deed by deed."""
        self.home = self._home()

    def _marks(self) -> list[str]:
        """The texts that are this device's and no other's."""
        device = self.device
        ip = str(device.fixed.ip) if device.fixed and str(device.fixed.ip) in self.told.hosts else ""
        return [mark for mark in (device.name, ip, device.serial, device.mac) if mark]

    def ask(self, weight: int, where: str, text: str) -> None:
        """One more question; it stands in the draft where it belongs, too."""
        self.questions.append(Question(weight, where, text))

    def _places(self) -> list[Place]:
        pages = [page for deed in self.deeds for page in (deed.before, deed.after) if page is not None]
        pages += [one.page for one in self.told.seen if one.page is not None and one.status == 401]
        unique = list({id(page): page for page in pages if not page.attached}.values())
        places = places_of(unique, self.varying)
        self.place_of = {id(page): place for place in places for page in place.pages}
        for deed in self.deeds:
            deed.place = self.where(deed.before)
            deed.leads = self.where(deed.after)
        return places

    def where(self, page: Document | None) -> str:
        """The place that a page is."""
        found = self.place_of.get(id(page)) if page is not None else None
        return found.name if found else ""

    def named(self, name: str) -> Place | None:
        """The place of this name."""
        return next((place for place in self.places if place.name == name), None)

    def _home(self) -> str:
        """Where a person stood after signing in; of JSON, what was asked for most."""
        signed = [deed.leads for deed in self.way.signs_in if deed.leads and deed.leads != deed.place]
        opened = [deed.leads for deed in self.deeds if deed.kind in ("open", "follow") and deed.leads]
        after = [
            later.leads
            for deed in self.way.signs_in[-1:]
            for later in self.deeds[self.deeds.index(deed) + 1 :]
            if later.kind in ("open", "follow") and later.leads
        ]
        is_json = any((p := self.named(name)) is not None and p.is_json for name in signed)
        if signed and not is_json:
            passed = {deed.place for deed in (*self.way.renews, *self.way.agrees)}
            led = [deed.leads for deed in self.way.every if deed.leads and deed.leads != deed.place]
            good = [name for name in signed if name not in passed] or [name for name in led if name not in passed]
            return (good or signed)[-1]
        if after:
            return after[0]
        good = [n for n in opened if (p := self.named(n)) is not None and p.last.status < 400]
        return good[-1] if good else self.places[0].name

    def _matched(self) -> list[Matched]:
        mine = [deed for deed in self.deeds if deed.kind in ("submit", "call") and deed not in self.way.every]
        return [matched(deed, self.parts, entry_of(deed, self.parts)) for deed in mine if not deed.refused]

    def values(self) -> dict[str, object]:
        """The planned values by setting."""
        return {name: value.value for name, value in self.device.values.items()}

    def begins_at(self, deed: Deed) -> float:
        """When a deed began."""
        return self.times.get(deed.seen.number, 0.0)

    def was_away_after(self, deed: Deed) -> bool:
        """Whether the device was away afterwards: another address, an answer that says so, or a long silence."""
        later = [d for d in self.deeds if d.seen.number > deed.seen.number]
        says = " ".join((deed.presses, deed.seen.path, *(deed.after.lines[:20] if deed.after is not None else ())))
        if _RESTARTS.search(says):
            return True
        return bool(later) and self.begins_at(later[0]) - self.begins_at(deed) > LONG and later[0].kind == "open"

    def moved_after(self, deed: Deed) -> bool:
        """Whether what came after was at another address."""
        later = [d for d in self.deeds if d.seen.number > deed.seen.number]
        return bool(later) and later[0].seen.host != deed.seen.host

    def start(self) -> str:
        """Where a look begins: the address at which home stands."""
        home = self.named(self.home)
        opened = [d for d in self.deeds if d.kind == "open" and d.leads == self.home]
        if home is not None and home.is_json:
            return urlsplit(home.last.url).path or "/"
        return (urlsplit(opened[0].seen.url).path or "/") if opened else "/"


def _mentions(one: Seen, marks: Sequence[str]) -> bool:
    """Whether any of these texts was sent, or stands on the page that came."""
    texts = [one.url, str(one.json or ""), *(value for _, value in one.pairs)]
    if one.page is not None:
        texts += [*one.page.lines, *(f.value for form in one.page.forms for f in form.shown_fields)]
        texts += [value for _, value in one.page.pairs]
    return any(mark.casefold() in text.casefold() for text in texts for mark in marks)
