"""What is filled in at a page, or sent to an interface, as templates: one setting's part of one deed."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any

from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.labelled import named_by, rows_of
from zinger.phrasebook.learn.matching import Match, Matched, slots_of
from zinger.phrasebook.learn.reading import goes_with, or_nothing
from zinger.phrasebook.learn.study import Study


class Filling:
    """Makes the templates."""

    def __init__(self, study: Study) -> None:
        self.study = study

    def fills(self, setting: str, mine: Sequence[Matched], each: bool) -> dict[str, str] | str:
        """The fields of one setting, as templates; rows with conditions where a part may be left out."""
        last = mine[-1]
        order = [slot.key for slot in slots_of(last.deed)]
        value = self.study.values()[setting]
        mine_there = of_setting(last, setting)
        if not each and isinstance(value, tuple) and (by := named_by(mine_there, value)):
            return rows_of(mine_there, value, by, order)
        fills = {match.slot.key: self._template(match, each) for match in of_setting(last, setting)}
        if each:
            for m in mine[:-1]:
                fills |= {
                    x.slot.key: self._template(x, each) for x in of_setting(m, setting) if x.slot.key not in fills
                }
            fills = {key: text for key, text in fills.items() if self._holds_for_all(key, setting, mine)}
            fills |= self._going_with(setting, mine, fills)
        else:
            fills = {**self._constants(last, setting), **fills}
        return dict(sorted(fills.items(), key=lambda f: order.index(f[0]) if f[0] in order else len(order)))

    def _holds_for_all(self, key: str, setting: str, mine: Sequence[Matched]) -> bool:
        """Whether a field is the same part of every entry, as it is written there."""
        parts = {x.part.name for m in mine for x in of_setting(m, setting) if x.slot.key == key}
        if len(parts) != 1:
            return False
        value = self.study.values()[setting]
        name = next(iter(parts))
        for m in mine:
            if any(x.slot.key == key for x in of_setting(m, setting)):
                continue
            entry = next((x.part.entry for x in of_setting(m, setting) if x.part.entry is not None), None)
            planned = getattr(value[entry], name, None) if isinstance(value, tuple) and entry is not None else None
            if planned not in (None, "", ()):
                return False
        return True

    def _template(self, match: Match, each: bool) -> str:
        part, template = match.part, match.template
        if part.entry is None:
            return template
        value = self.study.values()[part.setting]
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
        same = [o for o in self.study.said if o is not m and o.deed.form is not None and m.deed.form is not None]
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
        value = self.study.values()[setting]
        if not isinstance(value, tuple) or len(mine) < 2:
            return self._constants(mine[-1], setting)
        entries = [next(match.part.entry for match in of_setting(m, setting)) or 0 for m in mine]
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
                self.study.ask(3, f"settings.{setting}", what)
            elif first is not None and len(set(column)) == 1 and first.touched and column[0]:
                found[key] = column[0]
        return found

    def call(self, setting: str, m: Matched, each: bool) -> dict[str, Any]:
        """The request that was sent to an interface."""
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
            self.study.ask(5, f"settings.{setting}", what)
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


def of_setting(m: Matched, setting: str) -> list[Match]:
    """The matches of one setting."""
    return [match for match in m.matches if match.part.setting == setting]


_ADDS = re.compile(r"\b(?:add|new|put on|insert|create|append|plus|another)\b|\+", re.IGNORECASE)


def adds(deed: Deed) -> bool:
    """Whether what was pressed adds an entry to a list."""
    return bool(_ADDS.search(deed.presses))


def press(done: dict[str, Any], deed: Deed) -> None:
    """The button of a form goes with what is filled in."""
    if deed.form is not None and deed.presses:
        done["press"] = deed.presses
