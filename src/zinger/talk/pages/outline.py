"""A page in rows of text, as a person reads it: for the wire, and for recordings that are played back."""

from __future__ import annotations

from zinger.phrasebook.document import Document
from zinger.plan.values.secrets import MASK


def outline(page: Document) -> list[str]:
    """Title, fields with what stands there, buttons, remarks, then the text."""
    rows = [f"{page.status}  {page.words}"]
    labels = {field.label for form in page.forms for field in form.fields}
    for form in page.forms:
        for field in form.shown_fields:
            shown = MASK if field.kind == "password" and field.value else field.shown.replace("\n", " / ")
            rows.append(f"   [{shown or ' '}]  {field.words}")
        rows += [f"   ({button.label or button.name})" for button in form.buttons]
    rows += [f"   ! {remark.text}" for remark in page.remarks if remark.text not in labels]
    return [*rows, *(f"   {line}" for line in page.lines if line.rstrip(" :*") not in labels)]
