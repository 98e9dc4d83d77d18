"""The question script of a draft: pages that were submitted one after the other, and the sum at their end."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from zinger.phrasebook.learn.deeds import Deed
from zinger.phrasebook.learn.filling import Filling, adds, of_setting, press
from zinger.phrasebook.learn.matching import Matched
from zinger.phrasebook.learn.reading import shown_on
from zinger.phrasebook.learn.study import Study

SCRIPT = "first"
LONGEST_SCRIPT = 3
"""From so many pages on, one after the other, they are a question script."""


class Script:
    """Of one recording, its question script; `deeds` is empty where there is none."""

    def __init__(self, study: Study, filling: Filling) -> None:
        self.study, self.filling = study, filling
        self.deeds = self._script()

    def _script(self) -> list[Deed]:
        """The longest run of pages of which each was submitted and led to the next."""
        best: list[Deed] = []
        run: list[Deed] = []
        for deed in self.study.deeds:
            follows = bool(run) and run[-1].after is deed.before
            counts = deed.kind == "submit" and deed not in self.study.way.every and not deed.refused
            if counts and (follows or not run):
                run.append(deed)
            elif counts:
                run = [deed]
            elif deed.kind != "submit" or deed in self.study.way.every:
                run = []
            if len({d.place for d in run}) >= LONGEST_SCRIPT and len(run) > len(best):
                best = list(run)
        return best or self._first_contact()

    def _first_contact(self) -> list[Deed]:
        """A page that is there before anybody can sign in, and never again, is a question script of one page."""
        study = self.study
        signed = min((deed.seen.number for deed in study.way.signs_in), default=0)
        said = {m.deed.seen.number for m in study.said if m.matches}
        first = [d for d in study.deeds if d.kind == "submit" and d.seen.number < signed and d.seen.number in said]
        gone = {d.place for d in first} - {d.leads for d in study.deeds if d.seen.number > signed} - {study.home}
        return [deed for deed in first if deed.place in gone and deed.leads != deed.place][:1]

    def answered(self, setting: str, mine: Sequence[Matched]) -> dict[str, Any]:
        """What is answered in the question script, page by page."""
        replies: dict[str, Any] = {}
        for place in dict.fromkeys(m.deed.place for m in mine):
            here = [m for m in mine if m.deed.place == place]
            leaving = next((d for d in reversed(self.deeds) if d.place == place), here[-1].deed)
            entries = {match.part.entry for m in here for match in of_setting(m, setting)}
            each = (len(here) > 1 and len(entries - {None}) > 1) or (entries - {None} and adds(here[-1].deed))
            fill = self.filling.fills(setting, here if each else [here[-1]], bool(each))
            turn: dict[str, Any] = {"fill": fill}
            press(turn, here[-1].deed)
            if each:
                more: dict[str, Any] = {}
                press(more, leaving)
                replies[place] = [{"each": True, **turn}, more]
            else:
                replies[place] = turn
        return {"in": SCRIPT, "replies": replies}

    def interviews(self) -> dict[str, Any]:
        """The question script, if there is one: what is answered where nothing is planned, and its sum."""
        if not self.deeds:
            return {}
        study, script = self.study, self.deeds
        told = {m.deed.seen.number: m for m in study.said}
        otherwise: dict[str, Any] = {}
        for place in dict.fromkeys(deed.place for deed in script):
            last = next(d for d in reversed(script) if d.place == place)
            m = told.get(last.seen.number)
            answer: dict[str, Any] = {}
            alone = m is not None and not m.matches and m.constants
            if alone and m is not None:
                answer["fill"] = {slot.key: slot.shown or slot.value for slot in m.constants}
            press(answer, last)
            otherwise[place] = answer or {"fill": {}}
        end = script[-1]
        interview: dict[str, Any] = {"first": script[0].place}
        summary = self._summary(end)
        if summary is not None:
            otherwise.pop(end.place, None)
        interview["otherwise"] = otherwise
        if summary is not None:
            interview["summary"] = summary
        if study.was_away_after(end) or study.moved_after(end):
            interview["effect"] = "restarts"
        else:
            interview["ends"] = [end.leads or study.home]
        return {SCRIPT: interview}

    def _summary(self, end: Deed) -> dict[str, Any] | None:
        """The last page, where it only asks whether all is right, and has another button to say no."""
        place = self.study.named(end.place)
        if place is None or end.form is None or any(True for f in end.form.shown_fields if f.kind != "checkbox"):
            return None
        others = [b.label for b in end.form.buttons if b.label and b.label != end.presses]
        if not others:
            return None
        place.keep = "its summary"
        return {"at": end.place, "take": {}, "yes": {"press": end.presses}, "no": {"press": others[0]}}

    def fill_summary(self, steps: Mapping[str, Mapping[str, Any]], interviews: Mapping[str, Any]) -> None:
        """What the sum shows in the words of what is read afterwards is compared before it is confirmed."""
        summary = interviews.get(SCRIPT, {}).get("summary")
        place = self.study.named(summary["at"]) if summary else None
        if place is None:
            return
        study = self.study
        shown = shown_on(place.last, study.parts, study.values(), "", "")
        for setting, found in shown.by_setting.items():
            step = steps.get(setting, {})
            if step.get("read") and "replies" in step and found.shows == step.get("shows", "{{ value }}"):
                summary["take"][step["read"]] = found.take
