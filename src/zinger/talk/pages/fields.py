"""The forms of a page: fields with what a person calls each, buttons, and what is written beside a field."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import urljoin

from zinger.phrasebook.document import Button, Choice, Field, Form, Remark, plain
from zinger.talk.pages.text import is_hidden, text_of

CONTROLS = ("input", "select", "textarea")
_PRESSED = ("submit", "image")
_NO_FIELD = (*_PRESSED, "button", "reset")
Labels = Mapping[Any, str]
"""What a person calls each control."""


def joined(base: str, to: str) -> str:
    """A whole address (RFC 3986 5.2); nothing for one that is none, such as `http://[`."""
    try:
        return urljoin(base, to)
    except ValueError:
        return ""


def kind_of(control: Any) -> str:
    """The type of a control."""
    return str(control.tag) if control.tag != "input" else (control.get("type") or "text").strip().lower()


def labels_of(root: Any) -> Labels:
    """By `label`, else by WAI-ARIA's attributes, else the text before it, its placeholder or its title."""
    by_id = {
        element.get("id"): element for element in root.iter() if isinstance(element.tag, str) and element.get("id")
    }
    for_id: dict[str, str] = {}
    for label in root.iter("label"):
        if label.get("for"):
            for_id.setdefault(label.get("for"), plain(text_of(label)))
    return {control: _label(control, by_id, for_id) for control in root.iter(*CONTROLS)}


def _label(control: Any, by_id: Mapping[str, Any], for_id: Mapping[str, str]) -> str:
    if found := for_id.get(control.get("id") or ""):
        return found
    around = next(control.iterancestors("label"), None)
    if around is not None and (text := plain(text_of(around))):
        return text
    if text := plain(control.get("aria-label", "")):
        return text
    named = (by_id[name] for name in control.get("aria-labelledby", "").split() if name in by_id)
    return plain(" ".join(text_of(element) for element in named)) or _text_before(control) or _by_itself(control)


def _by_itself(control: Any) -> str:
    return plain(control.get("placeholder") or control.get("title") or "")


_BEGINS_ANEW = ("p", "tr", "table", "form", "fieldset", "hr", "ul", "ol", "h1", "h2", "h3", "body")
"""Elements beyond which nothing is the label of what stands in or behind them."""


def _text_before(control: Any) -> str:
    """The text just before it, in its own row or paragraph; for a checkbox or radio button the one after it."""
    if kind_of(control) in ("checkbox", "radio") and (after := plain(control.tail or "")):
        return after
    here = control
    for _ in range(5):
        for before in here.itersiblings(preceding=True):
            if text := plain(before.tail or ""):
                return text
            if not isinstance(before.tag, str) or before.tag == "br":
                continue
            if before.tag in _BEGINS_ANEW or _holds_control(before):
                return ""
            if text := plain(text_of(before)):
                return text
        parent = here.getparent()
        if parent is None or (text := plain(parent.text or "")):
            return text if parent is not None else ""
        if parent.tag in _BEGINS_ANEW:
            return ""
        here = parent
    return ""


def _holds_control(element: Any) -> bool:
    return next(element.iter(*CONTROLS, "button"), None) is not None


def shown_in(cell: Any) -> str:
    """What stands in the fields of a cell, as a person reads it."""
    return " ".join(
        filter(None, (_field([control], "").shown for control in cell.iter(*CONTROLS) if _is_seen(control)))
    )


def _is_seen(control: Any) -> bool:
    return kind_of(control) not in (*_NO_FIELD, "hidden", "password")


def forms_of(root: Any, at: str, labels: Labels, charset: str) -> Iterator[Form]:
    """Every form, with the controls that are in it or name it by `form=` (HTML, 4.10.18.3)."""
    elements = list(root.iter("form"))
    by_id = {form.get("id"): form for form in elements if form.get("id")}
    members: dict[Any, list[Any]] = {form: [] for form in elements}
    for control in root.iter(*CONTROLS, "button"):
        named = control.get("form")
        owner = by_id.get(named) if named else next(control.iterancestors("form"), None)
        if owner is not None and next(control.iterancestors("template"), None) is None:
            members[owner].append(control)
    for form in elements:
        yield _form(form, members[form], at, labels, charset)


def _form(form: Any, controls: list[Any], at: str, labels: Labels, charset: str) -> Form:
    groups: dict[object, list[Any]] = {}
    for control in controls:
        kind = kind_of(control)
        if control.tag != "button" and kind not in _NO_FIELD:
            groups.setdefault(("radio", control.get("name")) if kind == "radio" else control, []).append(control)
    accepts = form.get("accept-charset", "").replace(",", " ").split()
    return Form(
        action=joined(at, (form.get("action") or "").strip()),
        method=(form.get("method") or "get").strip().lower(),
        name=form.get("id") or form.get("name") or "",
        enctype=(form.get("enctype") or "application/x-www-form-urlencoded").strip().lower(),
        charset=(accepts[0] if accepts else charset).lower(),
        fields=tuple(_field(group, labels.get(group[0], ""), labels) for group in groups.values()),
        buttons=tuple(_button(control, at) for control in controls if _presses(control)),
    )


def _presses(control: Any) -> bool:
    return (kind_of(control) in _PRESSED) if control.tag == "input" else _is_submit_button(control)


def _is_submit_button(control: Any) -> bool:
    return control.tag == "button" and (control.get("type") or "submit").strip().lower() == "submit"


def _button(control: Any, at: str) -> Button:
    image = kind_of(control) == "image"
    value = control.get("value") or ""
    shown = text_of(control) if control.tag == "button" else (control.get("alt") if image else value)
    action = control.get("formaction")
    return Button(
        plain(shown or control.get("title") or control.get("aria-label") or ("" if image else "Submit")),
        control.get("name") or "",
        value,
        joined(at, action) if action is not None else "",
        (control.get("formmethod") or "").lower(),
        control.get("disabled") is not None,
        image,
    )


def _field(group: list[Any], label: str, labels: Labels | None = None) -> Field:
    first, kind = group[0], kind_of(group[0])
    longest = first.get("maxlength") or ""
    choices: tuple[Choice, ...] = ()
    if kind == "radio":
        choices = tuple(_radio(control, (labels or {}).get(control, "")) for control in group)
        label = _group_label(group, label)
    elif kind == "select":
        choices = _options(first)
    return Field(
        name=first.get("name") or "",
        label=label,
        kind=kind,
        value=_value(first, kind),
        id=first.get("id") or "",
        checked=first.get("checked") is not None,
        choices=choices,
        multiple=first.get("multiple") is not None,
        disabled=_is_disabled(first),
        fixed=first.get("readonly") is not None,
        required=first.get("required") is not None,
        longest=int(longest) if longest.isdigit() else None,
    )


def _is_disabled(control: Any) -> bool:
    around = control.iterancestors("fieldset")
    return control.get("disabled") is not None or any(f.get("disabled") is not None for f in around)


def _value(control: Any, kind: str) -> str:
    if kind == "textarea":
        text = control.text or ""
        return str(text.removeprefix("\n"))
    if kind == "checkbox":
        return str(control.get("value", "on"))
    return str(control.get("value") or "")


def _radio(control: Any, label: str) -> Choice:
    value = control.get("value", "on")
    chosen = control.get("checked") is not None
    return Choice(label or value, value, chosen, control.get("disabled") is not None)


def _group_label(group: list[Any], label: str) -> str:
    """A group of radio buttons is called as its fieldset, its table row, or what stands before the first."""
    legend = next((f.find("legend") for f in group[0].iterancestors("fieldset") if f.find("legend") is not None), None)
    if legend is not None and all(next(c.iterancestors("fieldset"), None) is legend.getparent() for c in group):
        return plain(text_of(legend))
    row = next(group[0].iterancestors("tr"), None)
    if row is not None:
        cell = next((c for c in row if c.tag in ("td", "th")), None)
        if cell is not None and not any(True for _ in cell.iter(*CONTROLS)):
            return plain(text_of(cell))
    around = next(group[0].iterancestors("label"), group[0])
    before = around.getprevious()
    if before is not None:
        return plain(before.tail or "") or plain(text_of(before))
    parent = around.getparent()
    return (plain(parent.text or "") if parent is not None else "") or label


def _options(select: Any) -> tuple[Choice, ...]:
    """The offers of a select; where none is chosen a browser shows the first that can be (HTML, 4.10.7)."""
    offers = [
        Choice(
            plain("".join(option.itertext())) or option.get("label", ""),
            option.get("value", "".join(option.itertext()).strip()),
            option.get("selected") is not None,
            option.get("disabled") is not None,
        )
        for option in select.iter("option")
    ]
    if select.get("multiple") is not None:
        return tuple(offers)
    last = max((i for i, offer in enumerate(offers) if offer.chosen), default=None)
    if last is None:
        last = next((i for i, offer in enumerate(offers) if not offer.disabled), None)
    return tuple(Choice(offer.label, offer.value, index == last, offer.disabled) for index, offer in enumerate(offers))


def remarks_of(root: Any, labels: Labels) -> Iterator[Remark]:
    """Texts that stand beside one field only: described by it, or in the smallest part of the page that has fields."""
    inside: dict[Any, set[str]] = {}
    described: dict[str, str] = {}
    for control in labels:
        name = control.get("name") or ""
        if not name or kind_of(control) in (*_NO_FIELD, "hidden"):
            continue
        for element_id in control.get("aria-describedby", "").split():
            described[element_id] = name
        for parent in control.iterancestors():
            names = inside.setdefault(parent, set())
            if len(names) < 2:
                names.add(name)
    for element in root.iter():
        if not isinstance(element.tag, str) or element.tag in ("html", "body", "form", "script", "style", "option"):
            continue
        own = plain(element.text or "")
        if not own or element.tag in ("label", "th", "legend", "title") or is_hidden(element):
            continue
        if (name := described.get(element.get("id") or "")) is not None:
            yield Remark(plain(text_of(element)), name)
            continue
        names = next((inside[e] for e in (element, *element.iterancestors()) if e in inside), set())
        if len(names) == 1:
            yield Remark(plain(text_of(element)), next(iter(names)))
