"""The draft of a family from what a person did: its sections, as YAML, and what only a person knows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

from zinger.phrasebook.document import Document
from zinger.phrasebook.learn.deeds import Seen
from zinger.phrasebook.learn.emit import yaml_of
from zinger.phrasebook.learn.filling import Filling
from zinger.phrasebook.learn.likeness import strength
from zinger.phrasebook.learn.matching import slots_of
from zinger.phrasebook.learn.places import Place
from zinger.phrasebook.learn.reading import Found, shown_on
from zinger.phrasebook.learn.script import Script
from zinger.phrasebook.learn.sending import Sender
from zinger.phrasebook.learn.study import Question, Study
from zinger.phrasebook.learn.values import Lookup
from zinger.phrasebook.learn.ways import Ways
from zinger.plan.families import ROLE_SECTIONS
from zinger.plan.model import Device
from zinger.plan.settings import SECTION_OF, SETTINGS


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
    return _Maker(name, title, Study(seen, device, secrets, times)).draft()


class _Maker:
    """Makes one draft."""

    def __init__(self, name: str, title: str, study: Study) -> None:
        self.name, self.title, self.study = name, title, study
        self.notes: dict[str, list[str]] = {}
        filling = Filling(study)
        self.script = Script(study, filling)
        self.sender, self.ways = Sender(study, filling, self.script), Ways(study, self.script)

    def draft(self) -> Draft:
        """All of it."""
        study = self.study
        steps, interviews = self.sender.steps(), self.script.interviews()
        readings, identity = self._readings(steps)
        self.script.fill_summary(steps, interviews)
        sections = self._sections(steps, interviews, readings, identity)
        planned = list(study.device.values)
        said = [n for n in planned if _is_said(steps.get(n, {}))]
        shown = [n for n in planned if "read" in steps.get(n, {})]
        self._ask_for_the_rest(planned, steps)
        text = self._without_secrets(self._text(sections))
        asked = sorted(dict.fromkeys(study.questions), key=lambda q: (q.weight, q.where, q.text))
        count = len(planned), len(said), len(shown), study.told.ignored, len(study.places)
        return Draft(text, asked, *count, sections)

    def _readings(self, steps: dict[str, dict[str, Any]]) -> tuple[dict[str, Any], dict[str, str]]:
        last = max((m.deed.seen.number for m in self.study.said if m.matches), default=0)
        best: dict[str, tuple[float, str, Found]] = {}
        identity: dict[str, tuple[str, dict[str, Any]]] = {}
        for place in self.study.places:
            page = self._page_to_read(place, last)
            if page is None or page.status >= 400:
                continue
            found = shown_on(
                page, self.study.parts, self.study.values(), self.study.device.serial, self.study.device.mac
            )
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
        for setting in [name for name in self.study.device.values if name in best]:
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
                self.study.ask(5, f"settings.{setting}", f"{setting}: is it right to read {guess}?")
        return readings, facts

    def _page_to_read(self, place: Place, last: int) -> Document | None:
        """How a place looked when all was set; only where a look led there, since a reading looks."""
        looked = [d for d in self.study.deeds if d.leads == place.name and d.after is not None and not d.refused]
        if not any(d.kind in ("open", "follow") for d in looked):
            return None
        read = [d for d in looked if d.seen.number >= last] or looked
        return read[-1].after

    def _reading(self, readings: dict[str, Any], place: str) -> dict[str, Any]:
        if place not in readings:
            reading: dict[str, Any] = {"at": place}
            found = self.study.named(place)
            if found is not None and found.is_json and place != self.study.home:
                reading = {"at": self.study.home, "ask": {"open": urlsplit(found.last.url).path, "to": place}}
            readings[place] = {**reading, "take": {}}
        there: dict[str, Any] = readings[place]
        return there

    def _sections(
        self, steps: dict[str, Any], interviews: dict[str, Any], readings: dict[str, Any], identity: dict[str, str]
    ) -> dict[str, Any]:
        first = self.study.told.seen[0]
        scheme = urlsplit(first.url).scheme
        user = self.study.way.first_user
        if any(part.name == "name" and part.value == user for part in self.study.parts):
            user = ""  # the planned account: the factory's own has none, or was not seen
        factory: dict[str, Any] = {}
        planned = str(self.study.device.fixed.ip) if self.study.device.fixed else ""
        if first.host and first.host != planned:
            factory["address"] = f"{first.host}/24"
            self.study.ask(3, "factory.address", f"How long is the prefix of {first.host}? 24 is a guess.")
        factory |= {"sign_in": {"user": user, **({"on_label": True} if user else {})}, "boots_in": "120 s"}
        label = " Is the first password on its label, or the same for all?" if user else ""
        self.study.ask(4, "factory", f"How long does it boot?{label}")
        pages: dict[str, Any] = {"start": self.study.start()}
        if scheme == "http":
            pages["scheme"] = scheme
        port = urlsplit(first.url).port
        if port and port != {"https": 443, "http": 80}[scheme]:
            pages["port"] = port
        if self.study.way.tokens:
            pages["tokens"] = [_token(token) for token in self.study.way.tokens]
        sections: dict[str, Any] = {"family": self.name, "title": self.title, "kind": "device", "factory": factory}
        sections["takes"] = sorted({SECTION_OF[name] for name in self.study.device.values} & set(ROLE_SECTIONS))
        sections["not_for_this_kind"] = []
        sections["proved_over"] = [f"services.{scheme}"]
        sections |= {"home": self.study.home, "pages": pages}
        if self.study.refusals:
            sections["refusals"] = self.study.refusals
        sections["identity"] = identity
        if not identity:
            what = "No page was seen with its serial number or MAC, by which the device is known. Which shows them?"
            self.study.ask(1, "identity", what)
        if not self.study.way.signs_in and not self.study.way.challenges:
            self.study.ask(0, "moves", "Nobody was seen signing in. How does it ask who is there?")
        places, moves = self.ways.map()
        sections |= {"places": places, "moves": moves}
        if interviews:
            sections["interviews"] = interviews
        sections["settings"] = {name: steps[name] for name in SETTINGS if name in steps}
        sections["readings"] = readings
        if (save := self.sender.save()) is not None:
            sections["save"] = save
        return sections

    def _ask_for_the_rest(self, planned: Sequence[str], steps: Mapping[str, Any]) -> None:
        for name in planned:
            title = SETTINGS[name].title
            told = name in steps and any(key in steps[name] for key in ("fill", "do", "replies", "each"))
            if not told and "read" not in steps.get(name, {}):
                self.study.ask(
                    6, f"settings.{name}", f"{title} is planned, and was neither set nor seen. Where is it set?"
                )
            elif not told:
                self.study.ask(
                    7, f"settings.{name}", f"{title} was seen and never set: it is only looked at. Is that right?"
                )
            elif "read" not in steps[name]:
                self.study.ask(
                    2, f"settings.{name}", f"{title} was set, and no page was seen that shows it. Which does?"
                )

    def _text(self, sections: dict[str, Any]) -> str:
        head = [
            f"# A draft of {self.title}, from one set-up of {self.study.device.name} by hand. A ? marks a question;",
            "# zinger family check says what is missing, docs/pages.md what can be said.",
        ]
        for question in sorted(self.study.questions, key=lambda q: (q.weight, q.where)):
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
        """Keep every password of the recording out of the draft, whatever it was taken for."""
        typed = {slot.value for deed in self.study.deeds for slot in slots_of(deed) if slot.is_secret}
        hidden = {
            one.value
            for deed in self.study.deeds
            if deed.form is not None
            for one in deed.form.fields
            if one.kind == "hidden" and len(one.value) >= 8 and strength(one.value) >= 4
        }
        for secret in sorted({*typed, *self.study.secrets.values(), *hidden}, key=len, reverse=True):
            if len(secret) >= 4 and secret in text:
                text = text.replace(secret, "(hidden)")
        return text


def _is_said(step: Mapping[str, Any]) -> bool:
    """Whether anything is sent for a setting."""
    return any(key in step for key in ("fill", "do", "replies"))


def _token(token: Any) -> dict[str, str]:
    told = {"header": token.header, "json": token.json, "from_header": token.from_header, "before": token.before}
    return {key: value for key, value in told.items() if value}
