"""The steps, question scripts, moves and the save of a draft: what is done where, with templates for what was typed."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.labelled import named_by, rows_of
from zinger.phrasebook.learn.matching import Match, Matched, Slot, slots_of
from zinger.phrasebook.learn.reading import goes_with, or_nothing, shown_on
from zinger.phrasebook.learn.trials import trials_of

if TYPE_CHECKING:
    from zinger.phrasebook.learn.draft import _Maker

_ADDS = re.compile(r"\b(?:add|new|put on|insert|create|append|plus|another)\b|\+", re.IGNORECASE)
_SAVES = re.compile(r"sav|keep|apply|commit|writ|store|restart|reboot|activ|take|finish|set it up", re.IGNORECASE)
SCRIPT = "first"
LONGEST_SCRIPT = 3
"""From so many pages on, one after the other, they are a question script."""


class Sender:
    """Of one draft, what is sent."""

    def __init__(self, maker: _Maker) -> None:
        self.maker = maker
        self.script = self._script()
        self.used: set[int] = {deed.seen.number for deed in maker.way.every}

    # -- question scripts ----------------------------------------------------------------------------
    def _script(self) -> list[Deed]:
        """The longest run of pages of which each was submitted and led to the next."""
        best: list[Deed] = []
        run: list[Deed] = []
        for deed in self.maker.deeds:
            follows = bool(run) and run[-1].after is deed.before
            counts = deed.kind == "submit" and deed not in self.maker.way.every and not deed.refused
            if counts and (follows or not run):
                run.append(deed)
            elif counts:
                run = [deed]
            elif deed.kind != "submit" or deed in self.maker.way.every:
                run = []
            if len({d.place for d in run}) >= LONGEST_SCRIPT and len(run) > len(best):
                best = list(run)
        return best or self._first_contact()

    def _first_contact(self) -> list[Deed]:
        """A page that is there before anybody can sign in, and never again, is a question script of one page."""
        maker = self.maker
        signed = min((deed.seen.number for deed in maker.way.signs_in), default=0)
        said = {m.deed.seen.number for m in maker.settings_deeds if m.matches}
        first = [d for d in maker.deeds if d.kind == "submit" and d.seen.number < signed and d.seen.number in said]
        gone = {d.place for d in first} - {d.leads for d in maker.deeds if d.seen.number > signed} - {maker.home}
        return [deed for deed in first if deed.place in gone and deed.leads != deed.place][:1]

    # -- steps ---------------------------------------------------------------------------------------
    def steps(self) -> tuple[dict[str, dict[str, Any]], dict[str, Any]]:
        """The steps by setting, and the question scripts."""
        steps: dict[str, dict[str, Any]] = {}
        trials = trials_of(self.maker)
        tried = {id(trial.matched) for trial in trials}
        said = [m for m in self.maker.settings_deeds if id(m) not in tried]
        for setting in list(dict.fromkeys(s for m in said for s in m.settings)):
            mine = [m for m in said if setting in m.settings]
            asked = [m for m in mine if m.deed in self.script]
            step = self._asked(setting, asked) if asked else self._step(setting, mine)
            if step is not None:
                steps[setting] = step
                self.used |= {m.deed.seen.number for m in mine}
        for trial in trials:
            if trial.setting in steps and "tries" not in steps[trial.setting]:
                steps[trial.setting]["tries"] = trial.step
        for m in said:
            self._ask_about(m)
        return steps, self._interviews() if self.script else {}

    def _ask_about(self, m: Matched) -> None:
        where = next(iter(m.settings), "")
        for slot, first, second in m.doubts:
            if first.setting in m.settings:
                what = f"{slot.label or slot.key!r}: is it {first.setting} (as drafted) or {second.setting}?"
                self.maker.ask(3, f"settings.{first.setting}", what)
        for slot in m.passwords:
            mine = next((match.part.setting for match in m.matches if match.slot.key == slot.key), "")
            at = f"settings.{mine or where}" if mine or where else "settings"
            taken = f"It is taken for that of {mine}. Is that right?" if mine else "Of what is it?"
            what = f"The password typed at {slot.label or slot.key!r} is not in the vault. {taken}"
            self.maker.ask(2, at, what)
        for slot in m.constants:
            set_to = f"{slot.label or slot.key!r} was set to {slot.shown or slot.value!r}"
            what = f"{set_to}, which is no planned value. Is it always the same?"
            self.maker.ask(5, f"settings.{where}" if where else f"places.{m.deed.place}", what)

    def _step(self, setting: str, mine: Sequence[Matched]) -> dict[str, Any] | None:
        """A step by itself: the last that was sent of it, or once for each entry."""
        last = mine[-1]
        deed = last.deed
        items = any(match.part.of_items and match.part.entry is not None for match in _of(last, setting))
        same = [m for m in mine if m.deed.seen.path.partition("?")[0] == deed.seen.path.partition("?")[0]]
        entries = {match.part.entry for m in same for match in _of(m, setting)}
        each = items and ((len(entries) > 1 and len(same) >= len(entries)) or _adds(deed))
        step: dict[str, Any] = {"at": deed.place or self.maker.home}
        if each:
            step["each"] = True
        if deed.form is not None:
            step["fill"] = self._fills(setting, same if each else [last], each)
            self._press(step, deed)
            if deed.leads and deed.leads != step["at"]:
                step["through"] = [deed.leads]
        else:
            step["at"] = self.maker.home
            call = self._call(setting, last, each)
            step["do"] = [{"call": call, **({"to": deed.leads} if deed.leads != self.maker.home else {})}]
        if self.maker.moved_after(deed) and setting == "management.address":
            step["effect"] = "link moves"
        return step

    def _press(self, step: dict[str, Any], deed: Deed) -> None:
        if deed.form is not None and deed.presses:
            step["press"] = deed.presses

    def _asked(self, setting: str, mine: Sequence[Matched]) -> dict[str, Any]:
        """What is answered in the question script, page by page."""
        replies: dict[str, Any] = {}
        for place in dict.fromkeys(m.deed.place for m in mine):
            here = [m for m in mine if m.deed.place == place]
            leaving = next((d for d in reversed(self.script) if d.place == place), here[-1].deed)
            entries = {match.part.entry for m in here for match in _of(m, setting)}
            each = (len(here) > 1 and len(entries - {None}) > 1) or (entries - {None} and _adds(here[-1].deed))
            fill = self._fills(setting, here if each else [here[-1]], bool(each))
            turn: dict[str, Any] = {"fill": fill}
            self._press(turn, here[-1].deed)
            if each:
                more: dict[str, Any] = {}
                self._press(more, leaving)
                replies[place] = [{"each": True, **turn}, more]
            else:
                replies[place] = turn
        return {"in": SCRIPT, "replies": replies}

    def _interviews(self) -> dict[str, Any]:
        """The question script: what its pages are answered with where nothing is planned, and its sum."""
        maker, script = self.maker, self.script
        told = {m.deed.seen.number: m for m in maker.settings_deeds}
        otherwise: dict[str, Any] = {}
        for place in dict.fromkeys(deed.place for deed in script):
            last = next(d for d in reversed(script) if d.place == place)
            m = told.get(last.seen.number)
            answer: dict[str, Any] = {}
            alone = m is not None and not m.matches and m.constants
            if alone and m is not None:
                answer["fill"] = {slot.key: slot.shown or slot.value for slot in m.constants}
            self._press(answer, last)
            otherwise[place] = answer or {"fill": {}}
        end = script[-1]
        self.used |= {deed.seen.number for deed in script}
        interview: dict[str, Any] = {"first": script[0].place}
        summary = self._summary(end)
        if summary is not None:
            otherwise.pop(end.place, None)
        interview["otherwise"] = otherwise
        if summary is not None:
            interview["summary"] = summary
        if maker.was_away_after(end) or maker.moved_after(end):
            interview["effect"] = "restarts"
        else:
            interview["ends"] = [end.leads or maker.home]
        return {SCRIPT: interview}

    def _summary(self, end: Deed) -> dict[str, Any] | None:
        """The last page, where it only asks whether all is right, and has another button to say no."""
        place = self.maker.named(end.place)
        if place is None or end.form is None or any(True for f in end.form.shown_fields if f.kind != "checkbox"):
            return None
        others = [b.label for b in end.form.buttons if b.label and b.label != end.presses]
        if not others:
            return None
        place.keep = "its summary"
        self.summary_at = end.place
        return {"at": end.place, "take": {}, "yes": {"press": end.presses}, "no": {"press": others[0]}}

    def fill_summary(self, steps: Mapping[str, Mapping[str, Any]], interviews: Mapping[str, Any]) -> None:
        """What the sum shows in the words of what is read afterwards is compared before it is confirmed."""
        summary = interviews.get(SCRIPT, {}).get("summary")
        place = self.maker.named(summary["at"]) if summary else None
        if place is None:
            return
        maker = self.maker
        shown = shown_on(place.last, maker.parts, maker.values(), "", "")
        for setting, found in shown.by_setting.items():
            step = steps.get(setting, {})
            if step.get("read") and "replies" in step and found.shows == step.get("shows", "{{ value }}"):
                summary["take"][step["read"]] = found.take

    # -- what is filled in ---------------------------------------------------------------------------
    def _fills(self, setting: str, mine: Sequence[Matched], each: bool) -> dict[str, str] | str:
        """The fields of one setting, as templates; rows with conditions where a part may be left out."""
        last = mine[-1]
        order = [slot.key for slot in slots_of(last.deed)]
        value = self.maker.values()[setting]
        mine_there = self._ordered(last, setting)
        if not each and isinstance(value, tuple) and (by := named_by(mine_there, value)):
            return rows_of(mine_there, value, by, order)
        fills = {match.slot.key: self._template(match, each) for match in self._ordered(last, setting)}
        if each:
            for m in mine[:-1]:
                fills |= {
                    x.slot.key: self._template(x, each) for x in self._ordered(m, setting) if x.slot.key not in fills
                }
            fills = {key: text for key, text in fills.items() if self._holds_for_all(key, setting, mine)}
            fills |= self._going_with(setting, mine, fills)
        else:
            fills = {**self._constants(last, setting), **fills}
        return dict(sorted(fills.items(), key=lambda f: order.index(f[0]) if f[0] in order else len(order)))

    def _holds_for_all(self, key: str, setting: str, mine: Sequence[Matched]) -> bool:
        """Whether a field is the same part of every entry, as it is written there."""
        parts = {x.part.name for m in mine for x in self._ordered(m, setting) if x.slot.key == key}
        if len(parts) != 1:
            return False
        value = self.maker.values()[setting]
        name = next(iter(parts))
        for m in mine:
            if any(x.slot.key == key for x in self._ordered(m, setting)):
                continue
            entry = next((x.part.entry for x in _of(m, setting) if x.part.entry is not None), None)
            planned = getattr(value[entry], name, None) if isinstance(value, tuple) and entry is not None else None
            if planned not in (None, "", ()):
                return False
        return True

    @staticmethod
    def _ordered(m: Matched, setting: str) -> list[Match]:
        return [match for match in m.matches if match.part.setting == setting]

    def _template(self, match: Match, each: bool) -> str:
        part, template = match.part, match.template
        if part.entry is None:
            return template
        value = self.maker.values()[part.setting]
        entry = value[part.entry] if isinstance(value, tuple) else None
        if each:
            return or_nothing(template, part.name, entry)
        indexed = re.sub(r"\bvalue\b", f"value[{part.entry}]", template)
        if part.entry == 0:
            return indexed
        return re.sub(r"^\{\{ (.+) \}\}$", rf"{{{{ \1 if value | length > {part.entry} else '' }}}}", indexed)

    def _constants(self, m: Matched, setting: str) -> dict[str, str]:
        """What is no planned value goes with the setting whose field stands next in the form."""
        slots = slots_of(m.deed)
        by_key = {match.slot.key: match.part.setting for match in m.matches}
        found: dict[str, str] = {}
        for slot in m.constants:
            at = next((n for n, one in enumerate(slots) if one.key == slot.key), 0)
            after = next((by_key[one.key] for one in slots[at:] if one.key in by_key), "")
            before = next((by_key[one.key] for one in reversed(slots[:at]) if one.key in by_key), "")
            if (after or before) == setting:
                found[slot.key] = slot.shown or slot.value
        return {**self._as_elsewhere(m, by_key), **found} if len(m.settings) == 1 else found

    def _as_elsewhere(self, m: Matched, known: Mapping[str, str]) -> dict[str, str]:
        """A choice that was left as it stood, where the same form was sent with another one for something else."""
        same = [
            o for o in self.maker.settings_deeds if o is not m and o.deed.form is not None and m.deed.form is not None
        ]
        others = [slot for o in same if o.deed.seen.path == m.deed.seen.path for slot in slots_of(o.deed)]
        return {
            slot.key: slot.shown or slot.value
            for slot in slots_of(m.deed)
            if slot.offers
            and slot.key not in known
            and any(other.key == slot.key and other.value != slot.value for other in others)
        }

    def _going_with(self, setting: str, mine: Sequence[Matched], known: dict[str, str]) -> dict[str, str]:
        """Fields whose value goes with a word or a yes of each entry, such as a kind that is picked."""
        value = self.maker.values()[setting]
        if not isinstance(value, tuple) or len(mine) < 2:
            return self._constants(mine[-1], setting)
        entries = [next(match.part.entry for match in _of(m, setting)) or 0 for m in mine]
        items = [value[entry] for entry in entries]
        found: dict[str, str] = {}
        used = re.findall(r"value\.(\w+)", " ".join(known.values()))
        rows = [{slot.key: slot for slot in slots_of(m.deed)} for m in mine]
        for key in rows[0]:
            slots = [row.get(key) for row in rows]
            if key in known or any(slot is None or slot.is_secret for slot in slots):
                continue
            first = slots[0]
            column = [slot.shown or slot.value for slot in slots if slot is not None]
            if first is not None and (words := goes_with(first.label, column, items, used, setting)) is not None:
                found[key] = words[0]
                used.append(words[1])
                what = f"{key!r} as {words[1]}: which words are there for its other values?"
                self.maker.ask(3, f"settings.{setting}", what)
            elif first is not None and len(set(column)) == 1 and first.touched and column[0]:
                found[key] = column[0]
        return found

    # -- calls of an interface -----------------------------------------------------------------------
    def _call(self, setting: str, m: Matched, each: bool) -> dict[str, Any]:
        seen = m.deed.seen
        call: dict[str, Any] = {"method": seen.method, "to": seen.path}
        if seen.json is None:
            call["form"] = {
                slot.key: next((x.template for x in m.matches if x.slot.key == slot.key), slot.value)
                for slot in slots_of(m.deed)
            }
            return call
        by_path = {match.slot.key: match for match in m.matches}
        call["json"] = self._json(seen.json, "", by_path, setting, each)
        if len(m.settings) > 1 and setting == m.settings[0]:
            what = f"{', '.join(m.settings)} were sent in one request. Does the device take each alone?"
            self.maker.ask(5, f"settings.{setting}", what)
        return call

    def _json(self, data: Any, path: str, by_path: dict[str, Match], setting: str, each: bool) -> str:
        if isinstance(data, dict):
            inner = (
                f"{json.dumps(key)}: {self._json(value, f'{path}.{key}' if path else str(key), by_path, setting, each)}"
                for key, value in data.items()
            )
            return "{" + ", ".join(inner) + "}"
        match = by_path.get(path)
        if match is None:
            return json.dumps(data, ensure_ascii=False)
        return self._leaf(match, data, setting, each)

    def _leaf(self, match: Match, data: Any, setting: str, each: bool) -> str:
        """A leaf as JSON; what belongs to another setting is taken from the plan."""
        part = match.part
        template = self._template(match, each)
        if isinstance(data, list):
            source = re.search(r"attribute='(\w+)'", template)
            listed = (
                f"value | map(attribute='{source[1]}') | map('string') | list"
                if source
                else "value | map('string') | list"
            )
            text = f"{{{{ {listed} | json }}}}"
        elif part.secret:
            text = f'"{template}"'
        elif isinstance(data, bool | int | float):
            text = template
        elif re.fullmatch(r"\{\{ [\w.\[\]]+ \}\}", template):
            text = f"{{{{ {template[3:-3]} | string | json }}}}"
        else:
            text = f'"{template}"'
        return text if part.setting == setting else re.sub(r"\bvalue\b", f"plan['{part.setting}']", text)

    # -- the map -------------------------------------------------------------------------------------
    def map(self) -> tuple[dict[str, Any], list[dict[str, Any]]]:
        """Places and moves."""
        maker = self.maker
        moves = [*self._on_the_way(), *self._links(), *self._opened()]
        for deed in maker.way.signs_in:
            if (place := maker.named(self._asking(deed))) is not None:
                place.asks_for = "password"
        for deed in maker.way.renews:
            if (place := maker.named(deed.place)) is not None:
                place.asks_for = "new password"
        if maker.way.challenges and (place := maker.named("challenge")) is not None:
            place.asks_for = "password"
        places = {}
        for place in maker.places:
            entry: dict[str, Any] = {"page": dict(place.sign)}
            if place.keep:
                entry["page"]["keep"] = place.keep
            if place.asks_for:
                entry["asks_for"] = place.asks_for
            places[place.name] = entry
        if maker.way.challenges and "challenge" not in places:
            places["challenge"] = {"page": {"status": 401}, "asks_for": "password"}
            moves.insert(0, {"from": "challenge", "to": maker.home, "authenticate": True})
        return places, self._back_home(moves, places)

    def _asking(self, deed: Deed) -> str:
        """Where a sign-in is asked for; of an interface, the answer that turns away."""
        if deed.form is not None:
            return deed.place
        away = [p.name for p in self.maker.places if p.is_json and p.last.status == 401]
        return away[0] if away else deed.place

    def _on_the_way(self) -> Iterator[dict[str, Any]]:
        """Signing in, renewing the password, agreeing: a move each, wherever it led."""
        maker = self.maker
        kinds = ((maker.way.signs_in, "signs in"), (maker.way.renews, "renews"), (maker.way.agrees, "agrees"))
        for deeds, what in kinds:
            for place in dict.fromkeys(self._asking(d) if what == "signs in" else d.place for d in deeds):
                here = [d for d in deeds if (self._asking(d) if what == "signs in" else d.place) == place]
                leads = list(dict.fromkeys(d.leads for d in here if d.leads and d.leads != place)) or [maker.home]
                move: dict[str, Any] = {"from": place, "to": leads[0] if len(leads) == 1 else leads}
                yield {**move, **self._done_on_the_way(here[-1], what)}
        if maker.way.challenges and maker.named("challenge") is not None:
            yield {"from": "challenge", "to": maker.home, "authenticate": True}

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
            self._press(done, deed)
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
        maker = self.maker
        told: dict[tuple[str, str], list[str]] = {}
        for deed in maker.deeds:
            if deed.kind != "follow" or not deed.leads:
                continue
            path = urlsplit(deed.seen.url).path
            having = [
                place.name
                for place in maker.places
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
        maker = self.maker
        linked = {deed.leads for deed in maker.deeds if deed.kind == "follow"}
        for place in dict.fromkeys(d.leads for d in maker.deeds if d.kind == "open" and d.leads):
            found = maker.named(place)
            if place in linked or place == maker.home or found is None or found.is_json or found.last.status >= 400:
                continue
            needed = any(m.deed.place == place for m in maker.settings_deeds)
            deed = next(d for d in maker.deeds if d.kind == "open" and d.leads == place)
            if needed and place not in {d.place for d in self.script} and deed.place and deed.place != place:
                yield {"from": maker.home, "to": place, "open": urlsplit(deed.seen.url).path or "/"}

    def _back_home(self, moves: list[dict[str, Any]], places: dict[str, Any]) -> list[dict[str, Any]]:
        """From wherever nothing leads on, the start is opened again."""
        maker = self.maker
        start = maker._start()
        leaving = {name for move in moves for name in _listed(move["from"])}
        asked = {deed.place for deed in self.script}
        alone = [name for name in places if name not in leaving and name not in asked and name != maker.home]
        doors = [name for name, entry in places.items() if entry.get("asks_for") == "password"]
        terms = [deed.place for deed in maker.way.agrees]
        if self.script:
            doors.append(self.script[0].place)
        ends = list(dict.fromkeys([maker.home, *doors, *terms]))
        if alone:
            to = [name for name in ends if name not in alone] or [maker.home]
            moves.append({"from": alone, "to": to if len(to) > 1 else to[0], "open": start})
        return moves

    # -- saving --------------------------------------------------------------------------------------
    def save(self) -> dict[str, Any] | None:
        """What was done when all else was: a button or a call with nothing of the plan in it."""
        maker = self.maker
        last = max((m.deed.seen.number for m in maker.settings_deeds if m.matches), default=0)
        for m in reversed(maker.settings_deeds):
            deed = m.deed
            if m.matches or deed.seen.number < last or deed in self.script or deed.seen.number in self.used:
                continue
            words = f"{deed.presses} {deed.seen.path}"
            if m.constants or not _SAVES.search(words):
                continue
            save: dict[str, Any] = {"title": (deed.presses or deed.seen.path).lower(), "at": deed.place or maker.home}
            if deed.form is not None:
                save["press"] = deed.presses
                if deed.leads and deed.leads != deed.place:
                    save["through"] = [deed.leads]
            else:
                save["at"] = maker.home
                call: dict[str, Any] = {"method": deed.seen.method, "to": deed.seen.path}
                if deed.seen.json is not None:
                    call["json"] = json.dumps(deed.seen.json)
                save["do"] = [{"call": call, **({"to": deed.leads} if deed.leads else {})}]
            if maker.was_away_after(deed):
                save["effect"] = "restarts"
            maker.ask(4, "save", f"Is {deed.presses or deed.seen.path!r} what saves, or brings into force?")
            return save
        return None


def _of(m: Matched, setting: str) -> list[Match]:
    return [match for match in m.matches if match.part.setting == setting]


def _adds(deed: Deed) -> bool:
    return bool(_ADDS.search(deed.presses))


def _listed(names: str | list[str]) -> list[str]:
    return [names] if isinstance(names, str) else names


__all__ = ["Sender", "Slot"]
