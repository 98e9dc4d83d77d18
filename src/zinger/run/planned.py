"""What a plan has for the fields of a page that stands there now, for whoever looks at both."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from zinger.phrasebook.document import Button, Document, Field, Form
from zinger.phrasebook.map import Deed
from zinger.phrasebook.pages import Submit
from zinger.phrasebook.words import Words, masked
from zinger.script.compile import Lines, Script


@dataclass(frozen=True)
class FieldRow:
    """One field, what stands in it, and what is planned for it; None where nothing is."""

    field: Field
    planned: str | None

    @property
    def is_as_planned(self) -> bool:
        """Whether what stands there is what is planned; of a password nobody can see that."""
        return self.planned is not None and self.planned in (self.field.shown, self.field.value, _on_or_off(self.field))


def _on_or_off(field: Field) -> str:
    return {"on": "yes", "off": "no"}.get(field.shown, "") if field.kind == "checkbox" else ""


def rows_of(form: Form, page: Document, script: Script, place: str) -> list[FieldRow]:
    """The fields of a form with what the plan has for each at this place."""
    planned = planned_at(page, script, place)
    told = {name: masked(words) for name, words in planned.items()}
    return [FieldRow(field, told.get(field.name or field.id)) for field in form.shown_fields]


def planned_at(page: Document, script: Script, place: str) -> dict[str, Words]:
    """What the plan has for the fields of a page at this place, by the name (or id) of each."""
    planned: dict[str, Words] = {}
    for deed in _deeds(script, place):
        for name, words in deed.fills if isinstance(deed, Submit) else ():
            if (field := page.field(name)) is not None:
                planned.setdefault(field.name or field.id, words)
    return planned


def pressed(form: Form, script: Script, place: str) -> Button | None:
    """The button that the plan presses here, if it presses one of this form."""
    named = (deed.button for deed in _deeds(script, place) if isinstance(deed, Submit))
    return next((button for name in named if (button := form.button(name)) is not None), None)


def _deeds(script: Script, place: str) -> Iterator[Deed]:
    """What is done at a place, by steps and in question scripts."""
    for step in script.everything:
        if isinstance(step.what, Lines) and step.at == place:
            yield from (line.deed for line in step.what.lines)
    for held in script.interviews.values():
        yield from held.answers.get(place, ())
