"""The draft of a family from what a person did: places, moves, sign-in, settings, readings, save; and what is asked."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

from zinger.errors import ZingerError
from zinger.phrasebook.document import Document
from zinger.phrasebook.learn.deeds import Deed, Seen, deeds_of, of_the_device
from zinger.phrasebook.learn.emit import yaml_of
from zinger.phrasebook.learn.likeness import strength
from zinger.phrasebook.learn.matching import Matched, Slot, entry_of, matched, slots_of
from zinger.phrasebook.learn.places import Place, places_of
from zinger.phrasebook.learn.reading import Found, shown_on
from zinger.phrasebook.learn.refusals import refusals_of, touched_again
from zinger.phrasebook.learn.sending import Sender
from zinger.phrasebook.learn.signin import OnTheWay, on_the_way
from zinger.phrasebook.learn.values import Lookup, Part, parts_of
from zinger.plan.families import ROLE_SECTIONS
from zinger.plan.model import Device
from zinger.plan.settings import SECTION_OF, SETTINGS

_SAVES = re.compile(r"sav|keep|apply|commit|writ|store|restart|reboot|activ|take|finish|set it up", re.IGNORECASE)
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


@dataclass
class Draft:
    """A phrasebook's text, the questions that are left, and what was found of what was planned."""

    text: str
    questions: list[Question]
    planned: int = 0
    said: int = 0
    shown: int = 0
    ignored: int = 0
    pages: int = 0
    sections: dict[str, Any] = field(default_factory=dict)


def draft_of(
    name: str, title: str, seen: Sequence[Seen], device: Device, secrets: Lookup, times: Mapping[int, float]
) -> Draft:
    """Make it; `secrets` are the vault's entries, `times` when each exchange began. Raises NothingLearned."""
    return _Maker(name, title, seen, device, secrets, times).draft()


class _Maker:
    """Makes one draft."""

    def __init__(
        self, name: str, title: str, seen: Sequence[Seen], device: Device, secrets: Lookup, times: Mapping[int, float]
    ) -> None:
        self.name, self.title, self.device, self.secrets, self.times = name, title, device, secrets, times
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
        self.notes: dict[str, list[str]] = {}
        self.varying = [device.name] if device.name else []

    def _marks(self) -> list[str]:
        """The texts that are this device's and no other's."""
        device = self.device
        ip = str(device.fixed.ip) if device.fixed and str(device.fixed.ip) in self.told.hosts else ""
        return [mark for mark in (device.name, ip, device.serial, device.mac) if mark]

    # -- all of it -----------------------------------------------------------------------------------
    def draft(self) -> Draft:
        self.places = self._places()
        self.refusals = refusals_of(self.deeds)
        touched_again(self.deeds)
        self.settings_deeds = self._matched()
        self.home = self._home()
        self.sender = Sender(self)
        steps, interviews = self.sender.steps()
        readings, identity = self._readings(steps)
        self.sender.fill_summary(steps, interviews)
        sections = self._sections(steps, interviews, readings, identity)
        planned = [n for n in self.device.values if SETTINGS[n].name]
        said = [n for n in planned if n in steps and len(steps[n]) > (2 if "read" in steps[n] else 0)]
        shown = [n for n in planned if n in steps and "read" in steps[n]]
        self._ask_for_the_rest(planned, steps)
        text = self._without_secrets(self._text(sections))
        asked = sorted(dict.fromkeys(self.questions), key=lambda q: (q.weight, q.where, q.text))
        return Draft(text, asked, len(planned), len(said), len(shown), self.told.ignored, len(self.places), sections)

    def ask(self, weight: int, where: str, text: str) -> None:
        """One more question; it stands in the draft where it belongs, too."""
        self.questions.append(Question(weight, where, text))

    # -- places --------------------------------------------------------------------------------------
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
            renewing = {deed.place for deed in self.way.renews}
            good = [name for name in signed if name not in renewing] or signed
            return good[-1]
        if after:
            return after[0]
        good = [n for n in opened if (p := self.named(n)) is not None and p.last.status < 400]
        return good[-1] if good else self.places[0].name

    # -- what was said -------------------------------------------------------------------------------
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

    # -- what is shown -------------------------------------------------------------------------------
    def _readings(self, steps: dict[str, dict[str, Any]]) -> tuple[dict[str, Any], dict[str, str]]:
        last = max((m.deed.seen.number for m in self.settings_deeds if m.matches), default=0)
        best: dict[str, tuple[float, str, Found]] = {}
        identity: dict[str, tuple[str, dict[str, Any]]] = {}
        for place in self.places:
            page = self._page_to_read(place, last)
            if page is None or page.status >= 400:
                continue
            found = shown_on(page, self.parts, self.values(), self.device.serial, self.device.mac)
            for setting, how in found.by_setting.items():
                if setting not in best or how.worth > best[setting][0]:
                    best[setting] = how.worth, place.name, how
            for what, take in found.identity.items():
                identity.setdefault(what, (place.name, take))
        readings: dict[str, Any] = {}
        taken = Counter[str]()
        facts: dict[str, str] = {}
        for what, (place_name, take) in identity.items():
            self._reading(readings, place_name)["take"][what] = take
            facts[what] = what
        for setting in [name for name in self.device.values if name in best]:
            _, place_name, how = best[setting]
            fact = setting.partition(".")[2].replace(".", "_") or setting
            fact = {"servers": setting.partition(".")[0]}.get(fact, fact)
            taken[fact] += 1
            fact = fact if taken[fact] == 1 and fact not in facts else setting.replace(".", "_")
            self._reading(readings, place_name)["take"][fact] = how.take
            step = steps.setdefault(setting, {})
            step["read"] = fact
            if how.shows != "{{ value }}":
                step["shows"] = how.shows
            if how.holds and not setting.startswith("accounts."):
                step["holds"] = how.holds
            for guess in how.guesses:
                self.ask(5, f"settings.{setting}", f"{setting}: is it right to read {guess}?")
        return readings, facts

    def _page_to_read(self, place: Place, last: int) -> Document | None:
        """How a place looked when all was set; only where a look led there, since a reading looks."""
        looked = [d for d in self.deeds if d.leads == place.name and d.after is not None and not d.refused]
        if not any(d.kind in ("open", "follow") for d in looked):
            return None
        read = [d for d in looked if d.seen.number >= last] or looked
        return read[-1].after

    def _reading(self, readings: dict[str, Any], place: str) -> dict[str, Any]:
        if place not in readings:
            reading: dict[str, Any] = {"at": place}
            found = self.named(place)
            if found is not None and found.is_json and place != self.home:
                reading = {"at": self.home, "ask": {"open": urlsplit(found.last.url).path, "to": place}}
            readings[place] = {**reading, "take": {}}
        there: dict[str, Any] = readings[place]
        return there

    # -- sections ------------------------------------------------------------------------------------
    def _sections(
        self, steps: dict[str, Any], interviews: dict[str, Any], readings: dict[str, Any], identity: dict[str, str]
    ) -> dict[str, Any]:
        first = self.told.seen[0]
        scheme = urlsplit(first.url).scheme
        user = self.way.first_user
        if any(part.name == "name" and part.value == user for part in self.parts):
            user = ""  # the planned account: the factory's own has none, or was not seen
        factory: dict[str, Any] = {}
        planned = str(self.device.fixed.ip) if self.device.fixed else ""
        if first.host and first.host != planned:
            factory["address"] = f"{first.host}/24"
            self.ask(3, "factory.address", f"How long is the prefix of {first.host}? 24 is a guess.")
        factory |= {"sign_in": {"user": user, **({"on_label": True} if user else {})}, "boots_in": "120 s"}
        label = " Is the first password on its label, or the same for all?" if user else ""
        self.ask(4, "factory", f"How long does it boot?{label}")
        pages: dict[str, Any] = {"start": self._start()}
        if scheme == "http":
            pages["scheme"] = scheme
        port = urlsplit(first.url).port
        if port and port != {"https": 443, "http": 80}[scheme]:
            pages["port"] = port
        if self.way.tokens:
            pages["tokens"] = [_token(token) for token in self.way.tokens]
        sections: dict[str, Any] = {"family": self.name, "title": self.title, "kind": "device", "factory": factory}
        sections["takes"] = sorted({SECTION_OF[name] for name in self.device.values} & set(ROLE_SECTIONS))
        sections["not_for_this_kind"] = []
        sections["proved_over"] = [f"services.{scheme}"]
        sections |= {"home": self.home, "pages": pages}
        if self.refusals:
            sections["refusals"] = self.refusals
        sections["identity"] = identity
        if not identity:
            what = "No page was seen with its serial number or MAC, by which the device is known. Which shows them?"
            self.ask(1, "identity", what)
        if not self.way.signs_in and not self.way.challenges:
            self.ask(0, "moves", "Nobody was seen signing in. How does it ask who is there?")
        places, moves = self.sender.map()
        sections |= {"places": places, "moves": moves}
        if interviews:
            sections["interviews"] = interviews
        sections["settings"] = {name: steps[name] for name in SETTINGS if name in steps}
        sections["readings"] = readings
        if (save := self.sender.save()) is not None:
            sections["save"] = save
        return sections

    def _start(self) -> str:
        """Where a look begins: the address at which home stands."""
        home = self.named(self.home)
        opened = [d for d in self.deeds if d.kind == "open" and d.leads == self.home]
        if home is not None and home.is_json:
            return urlsplit(home.last.url).path or "/"
        return (urlsplit(opened[0].seen.url).path or "/") if opened else "/"

    def _ask_for_the_rest(self, planned: Sequence[str], steps: Mapping[str, Any]) -> None:
        for name in planned:
            title = SETTINGS[name].title
            told = name in steps and any(key in steps[name] for key in ("fill", "do", "replies", "each"))
            if not told and "read" not in steps.get(name, {}):
                self.ask(6, f"settings.{name}", f"{title} is planned, and was neither set nor seen. Where is it set?")
            elif not told:
                self.ask(7, f"settings.{name}", f"{title} was seen and never set: it is only looked at. Is that right?")
            elif "read" not in steps[name]:
                self.ask(2, f"settings.{name}", f"{title} was set, and no page was seen that shows it. Which does?")

    def _text(self, sections: dict[str, Any]) -> str:
        head = [
            f"# A draft of {self.title}, from one set-up of {self.device.name} by hand. A ? marks a question;",
            "# zinger family check says what is missing, docs/pages.md what can be said.",
        ]
        for question in sorted(self.questions, key=lambda q: (q.weight, q.where)):
            at = self._entry_for(question.where, sections)
            self.notes.setdefault(at, [])
            note = f"? {question.text}"
            if note not in self.notes[at]:
                self.notes[at].append(note)
        return "\n".join(head) + "\n" + yaml_of(sections, self.notes)

    @staticmethod
    def _entry_for(where: str, sections: dict[str, Any]) -> str:
        """The nearest entry of the draft: a setting that is not there is asked for at `settings`."""
        at, here = [], sections
        for key in [where.partition(".")[0], *([where.partition(".")[2]] if "." in where else [])]:
            if not isinstance(here, dict) or key not in here:
                break
            at.append(key)
            here = here[key]
        return ".".join(at) or "family"

    def _without_secrets(self, text: str) -> str:
        """No password of the recording stands in a draft, whatever it was taken for."""
        typed = {slot.value for deed in self.deeds for slot in slots_of(deed) if slot.is_secret}
        hidden = {
            one.value
            for deed in self.deeds
            if deed.form is not None
            for one in deed.form.fields
            if one.kind == "hidden" and len(one.value) >= 8 and strength(one.value) >= 4
        }
        for secret in sorted({*typed, *self.secrets.values(), *hidden}, key=len, reverse=True):
            if len(secret) >= 4 and secret in text:
                text = text.replace(secret, "(hidden)")
        return text


def _mentions(one: Seen, marks: Sequence[str]) -> bool:
    """Whether any of these texts was sent, or stands on the page that came."""
    texts = [one.url, str(one.json or ""), *(value for _, value in one.pairs)]
    if one.page is not None:
        texts += [*one.page.lines, *(f.value for form in one.page.forms for f in form.shown_fields)]
        texts += [value for _, value in one.page.pairs]
    return any(mark.casefold() in text.casefold() for text in texts for mark in marks)


def _token(token: Any) -> dict[str, str]:
    told = {"header": token.header, "json": token.json, "from_header": token.from_header, "before": token.before}
    return {key: value for key, value in told.items() if value}


__all__ = ["Draft", "NothingLearned", "OnTheWay", "Part", "Question", "Slot", "draft_of"]
