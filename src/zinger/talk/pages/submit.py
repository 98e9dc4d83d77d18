"""Filling a form as a browser would, and what is sent of it."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.errors import ZingerError
from zinger.phrasebook.document import Button, Document, Field, Form, same_label
from zinger.phrasebook.pages import Press, Submit
from zinger.phrasebook.words import Words, has_secret, masked
from zinger.plan.values.text import NO, YES
from zinger.talk.pages.http import FormBody, Request

_ON, _OFF = (*YES, "on", "checked"), (*NO, "off", "")


class CannotFill(ZingerError):
    """What is planned can't be put into the form; `field` is the name of the field, if it is about one."""

    def __init__(self, why: str, field: str = "") -> None:
        super().__init__(why)
        self.field = field


def filled(page: Document, deed: Submit) -> Request:
    """The request that submits the page's form with these fields filled. Raises CannotFill."""
    form = page.form_with([name for name, _ in deed.fills], deed.button)
    if form is None:
        raise CannotFill(_lacks(page, deed))
    fills = []
    for name, words in deed.fills:
        field = form.find(name)
        assert field is not None, "form_with found it"
        fills.append((field, words))
    return pressed(Press(form, form.button(deed.button), tuple(fills), deed.file_named))


def pressed(deed: Press) -> Request:
    """The request that a button of a form makes. Raises CannotFill."""
    form, button = deed.form, deed.button
    planned = {id(field): words for field, words in deed.fills}
    pairs = [pair for field in form.fields for pair in _sent(field, planned.get(id(field)), form)]
    if button is not None and not button.disabled:
        pairs += _of(button)
    method = (button.method if button else "") or form.method
    action = (button.action if button else "") or form.action
    sent = tuple(pairs)
    if method == "dialog":
        raise CannotFill("the form sends nothing; scripts in a browser do its work")
    if method != "post":
        return Request("GET", action, query=sent, charset=form.charset)
    named = deed.file_named or "settings.txt"
    files = tuple((field.name, named) for field in form.fields if field.kind == "file")
    multipart = form.enctype == "multipart/form-data"
    if not multipart and any(field.kind == "file" for field, _ in deed.fills):
        raise CannotFill("the form takes the name of a file only, not the file: it is not multipart/form-data")
    return Request("POST", action, body=FormBody(sent, form.charset, multipart, files))


def _lacks(page: Document, deed: Submit) -> str:
    for name, _ in deed.fills:
        if page.field(name) is None:
            there = ", ".join(f.words for form in page.forms for f in form.shown_fields)
            return f"the page {page.words} has no field {name!r}; it has {there or 'none'}"
    if deed.button and not any(form.button(deed.button) for form in page.forms):
        there = ", ".join(b.label or b.name for form in page.forms for b in form.buttons)
        return f"the page {page.words} has no button {deed.button!r}; it has {there or 'none'}"
    return f"the page {page.words} has no form with all of {', '.join(name for name, _ in deed.fills) or 'these'}"


def _of(button: Button) -> Iterator[tuple[str, Words]]:
    if button.image:
        dot = f"{button.name}." if button.name else ""
        yield f"{dot}x", ("1",)
        yield f"{dot}y", ("1",)
    elif button.name:
        yield button.name, (button.value,)


def _sent(field: Field, planned: Words | None, form: Form) -> Iterator[tuple[str, Words]]:
    """What a form sends of one field."""
    if planned is not None:
        _may_be_filled(field, planned)
    if not field.name or field.disabled:
        return
    if field.name == "_charset_" and field.kind == "hidden":
        yield field.name, (form.charset,)
    elif field.kind == "checkbox":
        if field.checked if planned is None else _is_on(field, planned):
            yield field.name, (field.value,)
    elif field.is_choice:
        yield from ((field.name, (value,)) for value in _chosen(field, planned))
    elif field.kind == "file":
        yield field.name, planned or ()
    elif planned is not None:
        yield field.name, planned
    elif field.required and not field.value and field.kind != "hidden":
        raise CannotFill(f"{field.words} must be filled, and nothing is given for it", field.name)
    else:
        yield field.name, (field.value,)


def _may_be_filled(field: Field, planned: Words) -> None:
    if (field.disabled or field.fixed) and masked(planned) not in (field.shown, field.value):
        raise CannotFill(f"{field.words} can't be changed here", field.name)
    text = masked(planned)
    typed = field.kind not in ("checkbox", "radio", "select", "file")
    if typed and field.longest is not None and not has_secret(planned) and len(text) > field.longest:
        raise CannotFill(f"{field.words} takes {field.longest} characters, not {len(text)}", field.name)


def _is_on(field: Field, planned: Words) -> bool:
    text = masked(planned).strip().casefold()
    if text in _ON or text == field.value.casefold() != "":
        return True
    if text in _OFF:
        return False
    raise CannotFill(f"{field.words} is on or off, not {text}", field.name)


def _chosen(field: Field, planned: Words | None) -> Iterator[str]:
    """The values of what is chosen, by label or by value."""
    if planned is None:
        yield from (choice.value for choice in field.choices if choice.chosen and not choice.disabled)
        return
    wanted = masked(planned)
    for text in wanted.split(", ") if field.multiple else [wanted]:
        if text == "" and field.multiple:
            continue
        by_label = (c for c in field.choices if same_label(c.label, text))
        choice = next((c for c in field.choices if c.value == text), None) or next(by_label, None)
        if choice is None or choice.disabled:
            offered = ", ".join(c.label or c.value for c in field.choices if not c.disabled)
            raise CannotFill(f"{field.words} does not offer {text!r}; it offers {offered[:300]}", field.name)
        yield choice.value
