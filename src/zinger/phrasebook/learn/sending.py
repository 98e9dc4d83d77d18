"""The steps of a draft, and what saves: what is done where, with templates for what was typed."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from typing import Any

from zinger.phrasebook.learn.filling import Filling, adds, of_setting, press
from zinger.phrasebook.learn.matching import Matched
from zinger.phrasebook.learn.script import Script
from zinger.phrasebook.learn.study import Study
from zinger.phrasebook.learn.trials import trials_of

_SAVES = re.compile(r"sav|keep|apply|commit|writ|store|restart|reboot|activ|take|finish|set it up", re.IGNORECASE)


class Sender:
    """Of one recording, what is sent."""

    def __init__(self, study: Study, filling: Filling, script: Script) -> None:
        self.study, self.filling, self.script = study, filling, script
        self.used = {deed.seen.number for deed in (*study.way.every, *script.deeds)}

    def steps(self) -> dict[str, dict[str, Any]]:
        """The steps by setting."""
        steps: dict[str, dict[str, Any]] = {}
        trials = trials_of(self.study)
        tried = {id(trial.matched) for trial in trials}
        said = [m for m in self.study.said if id(m) not in tried]
        for setting in list(dict.fromkeys(s for m in said for s in m.settings)):
            mine = [m for m in said if setting in m.settings]
            asked = [m for m in mine if m.deed in self.script.deeds]
            step = self.script.answered(setting, asked) if asked else self._step(setting, mine)
            if step is not None:
                steps[setting] = step
                self.used |= {m.deed.seen.number for m in mine}
        for trial in trials:
            if trial.setting in steps and "tries" not in steps[trial.setting]:
                steps[trial.setting]["tries"] = trial.step
        for m in said:
            self._ask_about(m)
        return steps

    def _ask_about(self, m: Matched) -> None:
        where = next(iter(m.settings), "")
        for slot, first, second in m.doubts:
            if first.setting in m.settings:
                what = f"{slot.label or slot.key!r}: is it {first.setting} (as drafted) or {second.setting}?"
                self.study.ask(3, f"settings.{first.setting}", what)
        for slot in m.passwords:
            mine = next((match.part.setting for match in m.matches if match.slot.key == slot.key), "")
            at = f"settings.{mine or where}" if mine or where else "settings"
            taken = f"It is taken for that of {mine}. Is that right?" if mine else "Of what is it?"
            what = f"The password typed at {slot.label or slot.key!r} is not in the vault. {taken}"
            self.study.ask(2, at, what)
        for slot in m.constants:
            set_to = f"{slot.label or slot.key!r} was set to {slot.shown or slot.value!r}"
            what = f"{set_to}, which is no planned value. Is it always the same?"
            self.study.ask(5, f"settings.{where}" if where else f"places.{m.deed.place}", what)

    def _step(self, setting: str, mine: Sequence[Matched]) -> dict[str, Any] | None:
        """A step by itself: the last that was sent of it, or once for each entry."""
        last = mine[-1]
        deed = last.deed
        items = any(match.part.of_items and match.part.entry is not None for match in of_setting(last, setting))
        same = [m for m in mine if m.deed.seen.path.partition("?")[0] == deed.seen.path.partition("?")[0]]
        entries = {match.part.entry for m in same for match in of_setting(m, setting)}
        each = items and ((len(entries) > 1 and len(same) >= len(entries)) or adds(deed))
        step: dict[str, Any] = {"at": deed.place or self.study.home}
        if each:
            step["each"] = True
        if deed.form is not None:
            step["fill"] = self.filling.fills(setting, same if each else [last], each)
            press(step, deed)
            if deed.leads and deed.leads != step["at"]:
                step["through"] = [deed.leads]
        else:
            step["at"] = self.study.home
            call = self.filling.call(setting, last, each)
            step["do"] = [{"call": call, **({"to": deed.leads} if deed.leads != self.study.home else {})}]
        if self.study.moved_after(deed) and setting == "management.address":
            step["effect"] = "link moves"
        return step

    def save(self) -> dict[str, Any] | None:
        """What was done when all else was: a button or a call with nothing of the plan in it."""
        study = self.study
        last = max((m.deed.seen.number for m in study.said if m.matches), default=0)
        for m in reversed(study.said):
            deed = m.deed
            if m.matches or deed.seen.number < last or deed in self.script.deeds or deed.seen.number in self.used:
                continue
            words = f"{deed.presses} {deed.seen.path}"
            if m.constants or not _SAVES.search(words):
                continue
            save: dict[str, Any] = {"title": (deed.presses or deed.seen.path).lower(), "at": deed.place or study.home}
            if deed.form is not None:
                save["press"] = deed.presses
                if deed.leads and deed.leads != deed.place:
                    save["through"] = [deed.leads]
            else:
                save["at"] = study.home
                call: dict[str, Any] = {"method": deed.seen.method, "to": deed.seen.path}
                if deed.seen.json is not None:
                    call["json"] = json.dumps(deed.seen.json)
                save["do"] = [{"call": call, **({"to": deed.leads} if deed.leads else {})}]
            if study.was_away_after(deed):
                save["effect"] = "restarts"
            study.ask(4, "save", f"Is {deed.presses or deed.seen.path!r} what saves, or brings into force?")
            return save
        return None
