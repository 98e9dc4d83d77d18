"""The map of a draft: its places, and the moves between them that a person made."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.filling import press
from zinger.phrasebook.learn.matching import slots_of
from zinger.phrasebook.learn.script import Script
from zinger.phrasebook.learn.study import Study


class Ways:
    """Of one recording, places and moves."""

    def __init__(self, study: Study, script: Script) -> None:
        self.study, self.script = study, script

    def map(self) -> tuple[dict[str, Any], list[dict[str, Any]]]:
        """Places and moves."""
        study = self.study
        moves = [*self._on_the_way(), *self._links(), *self._opened()]
        for deed in study.way.signs_in:
            if (place := study.named(self._asking(deed))) is not None:
                place.asks_for = "password"
        for deed in study.way.renews:
            if (place := study.named(deed.place)) is not None:
                place.asks_for = "new password"
        if study.way.challenges and (place := study.named("challenge")) is not None:
            place.asks_for = "password"
        places = {}
        for place in study.places:
            entry: dict[str, Any] = {"page": dict(place.sign)}
            if place.keep:
                entry["page"]["keep"] = place.keep
            if place.asks_for:
                entry["asks_for"] = place.asks_for
            places[place.name] = entry
        if study.way.challenges and "challenge" not in places:
            places["challenge"] = {"page": {"status": 401}, "asks_for": "password"}
            moves.insert(0, {"from": "challenge", "to": study.home, "authenticate": True})
        return places, self._back_home(moves, places)

    def _asking(self, deed: Deed) -> str:
        """Where a sign-in is asked for; of an interface, the answer that turns away."""
        if deed.form is not None:
            return deed.place
        away = [p.name for p in self.study.places if p.is_json and p.last.status == 401]
        return away[0] if away else deed.place

    def _on_the_way(self) -> Iterator[dict[str, Any]]:
        """Signing in, renewing the password, agreeing: a move each, wherever it led."""
        study = self.study
        kinds = ((study.way.signs_in, "signs in"), (study.way.renews, "renews"), (study.way.agrees, "agrees"))
        for deeds, what in kinds:
            for place in dict.fromkeys(self._asking(d) if what == "signs in" else d.place for d in deeds):
                here = [d for d in deeds if (self._asking(d) if what == "signs in" else d.place) == place]
                leads = list(dict.fromkeys(d.leads for d in here if d.leads and d.leads != place)) or [study.home]
                move: dict[str, Any] = {"from": place, "to": leads[0] if len(leads) == 1 else leads}
                yield {**move, **self._done_on_the_way(here[-1], what)}
        if study.way.challenges and study.named("challenge") is not None:
            yield {"from": "challenge", "to": study.home, "authenticate": True}

    def _done_on_the_way(self, deed: Deed, what: str) -> dict[str, Any]:
        slots = [slot for slot in slots_of(deed) if slot.value]
        new = next((s.value for n, s in enumerate(slots) if s.is_secret and any(
            o.is_secret and o.value == s.value for o in slots[n + 1 :])), "")  # fmt: skip
        told: dict[str, str] = {}
        for slot in slots:
            if slot.is_secret:
                told[slot.key] = "{{ new_password }}" if what == "renews" and slot.value == new else "{{ password }}"
            elif slot.is_tick and slot.touched:
                told[slot.key] = "yes"
            elif what == "signs in" and slot.touched and not slot.offers:
                told[slot.key] = "{{ user }}"
        agreed = {"accepts_terms": True} if what == "agrees" else {}
        if deed.form is not None:
            done: dict[str, Any] = {"fill": told}
            press(done, deed)
            return {**done, **agreed}
        body = deed.seen.json
        quoted = {key: "{{ user | json }}" if text == "{{ user }}" else f'"{text}"' for key, text in told.items()}

        def filled(data: Any, path: str = "") -> str:
            if isinstance(data, dict):
                inner = (f"{json.dumps(k)}: {filled(v, f'{path}.{k}' if path else str(k))}" for k, v in data.items())
                return "{" + ", ".join(inner) + "}"
            return json.dumps(data) if path not in quoted or isinstance(data, bool) else quoted[path]

        call: dict[str, Any] = {"method": deed.seen.method, "to": deed.seen.path}
        if body is not None:
            call["json"] = filled(body)
        else:
            call["form"] = told
        return {"call": call, **agreed}

    def _links(self) -> Iterator[dict[str, Any]]:
        """Links that were followed, from every place that has them."""
        study = self.study
        told: dict[tuple[str, str], list[str]] = {}
        for deed in study.deeds:
            if deed.kind != "follow" or not deed.leads:
                continue
            path = urlsplit(deed.seen.url).path
            having = [
                place.name
                for place in study.places
                if place.last.link(deed.link) is not None
                and any(urlsplit(link.to).path == path for link in place.last.links if link.text == deed.link)
            ]
            told.setdefault((deed.link, deed.leads), having)
        for (text, to), having in told.items():
            origins = having if len(having) > 1 else [name for name in having if name != to]
            if not origins:
                continue
            yield {"from": origins if len(origins) > 1 else origins[0], "to": to, "follow": text}

    def _opened(self) -> Iterator[dict[str, Any]]:
        """Pages that were opened by their address and to which no link led."""
        study = self.study
        linked = {deed.leads for deed in study.deeds if deed.kind == "follow"}
        for place in dict.fromkeys(d.leads for d in study.deeds if d.kind == "open" and d.leads):
            found = study.named(place)
            if place in linked or place == study.home or found is None or found.is_json or found.last.status >= 400:
                continue
            needed = any(m.deed.place == place for m in study.said)
            deed = next(d for d in study.deeds if d.kind == "open" and d.leads == place)
            if needed and place not in {d.place for d in self.script.deeds} and deed.place and deed.place != place:
                yield {"from": study.home, "to": place, "open": urlsplit(deed.seen.url).path or "/"}

    def _back_home(self, moves: list[dict[str, Any]], places: dict[str, Any]) -> list[dict[str, Any]]:
        """From wherever no way leads home, the start is opened again."""
        study = self.study
        start = study.start()
        asked = {deed.place for deed in self.script.deeds}
        lead_home = _leading_to(study.home, moves)
        alone = [name for name in places if name not in lead_home and name not in asked]
        doors = [name for name, entry in places.items() if entry.get("asks_for") == "password"]
        terms = [deed.place for deed in study.way.agrees]
        if self.script.deeds:
            doors.append(self.script.deeds[0].place)
        ends = list(dict.fromkeys([study.home, *doors, *terms]))
        if alone:
            to = [name for name in ends if name not in alone] or [study.home]
            moves.append({"from": alone, "to": to if len(to) > 1 else to[0], "open": start})
        return moves


def _leading_to(goal: str, moves: list[dict[str, Any]]) -> set[str]:
    """The places from which some way leads to the goal, itself among them."""
    found, grown = {goal}, True
    while grown:
        before = len(found)
        for move in moves:
            if found.intersection(_listed(move["to"])):
                found.update(_listed(move["from"]))
        grown = len(found) > before
    return found


def _listed(names: str | list[str]) -> list[str]:
    return [names] if isinstance(names, str) else names
