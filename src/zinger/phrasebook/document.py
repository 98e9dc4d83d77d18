"""What a device's answer over HTTP holds, as a person at a browser would see it: title, forms, links, tables, text.

Plain data, made by `talk.pages.parse`. A field is found by its label, its name or its id, so that a phrasebook can be
written from what the page shows.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

_TRIM = " \t\r\n\xa0:*"


def plain(text: str) -> str:
    """A label without what pages put around one: blanks, a colon, the star of a required field."""
    return re.sub(r"\s+", " ", text).strip(_TRIM)


def same_label(one: str, other: str) -> bool:
    """Whether two labels read the same; case does not count."""
    return plain(one).casefold() == plain(other).casefold()


@dataclass(frozen=True, slots=True)
class Choice:
    """One offer of a select, or one button of a radio group."""

    label: str
    value: str
    chosen: bool = False
    disabled: bool = False


@dataclass(frozen=True, slots=True)
class Field:
    """One field of a form; the radio buttons of one name are one field. `kind` is its type in HTML, or `select`.

    `value` is what stands there; of a checkbox, what is sent while it is checked.
    """

    name: str
    label: str = ""
    kind: str = "text"
    value: str = ""
    id: str = ""
    checked: bool = False
    choices: tuple[Choice, ...] = ()
    multiple: bool = False
    disabled: bool = False
    fixed: bool = False
    """Whether it can be read only."""
    required: bool = False
    longest: int | None = None

    @property
    def words(self) -> str:
        """What a person calls it."""
        return self.label or self.name or self.id

    @property
    def is_choice(self) -> bool:
        """Whether one of several offers is picked."""
        return self.kind in ("radio", "select")

    @property
    def shown(self) -> str:
        """What stands there, as a person sees it: the chosen label, on or off, else the text."""
        if self.is_choice:
            return ", ".join(choice.label for choice in self.choices if choice.chosen)
        if self.kind == "checkbox":
            return "on" if self.checked else "off"
        return self.value


@dataclass(frozen=True, slots=True)
class Button:
    """What submits a form. `action` and `method` are its own, where it has some."""

    label: str
    name: str = ""
    value: str = ""
    action: str = ""
    method: str = ""
    disabled: bool = False
    image: bool = False


@dataclass(frozen=True, slots=True)
class Form:
    """A form; `action` is a whole address."""

    action: str
    method: str = "get"
    name: str = ""
    enctype: str = "application/x-www-form-urlencoded"
    charset: str = "utf-8"
    fields: tuple[Field, ...] = ()
    buttons: tuple[Button, ...] = ()

    def find(self, what: str) -> Field | None:
        """The field with this label, name or id, or the only one whose label begins so; None where there is none."""
        by_label = (f for f in self.fields if f.kind != "hidden" and f.label and same_label(f.label, what))
        by_name = (f for f in self.fields if what in (f.name, f.id))
        if exact := next(by_label, None) or next(by_name, None):
            return exact
        begin = [f for f in self.shown_fields if plain(f.label).casefold().startswith(f"{plain(what).casefold()} ")]
        return begin[0] if len(begin) == 1 and plain(what) else None

    def button(self, what: str) -> Button | None:
        """The button with this label, name or value; the first one for nothing."""
        if not what:
            return next(iter(self.buttons), None)
        by_label = (b for b in self.buttons if same_label(b.label, what))
        return next(by_label, None) or next((b for b in self.buttons if what in (b.name, b.value)), None)

    @property
    def shown_fields(self) -> Iterator[Field]:
        """The fields that a person sees."""
        return (f for f in self.fields if f.kind != "hidden")


@dataclass(frozen=True, slots=True)
class Link:
    """A link; `to` is a whole address."""

    text: str
    to: str


@dataclass(frozen=True, slots=True)
class Remark:
    """A line of text next to one field."""

    text: str
    field: str
    """The name of the field."""


@dataclass(frozen=True, slots=True)
class Table:
    """A table's rows of cells, the heading among them; `caption` is what stands over it."""

    rows: tuple[tuple[str, ...], ...]
    caption: str = ""


@dataclass(frozen=True, slots=True)
class Document:
    """One answer. `lines` is the text that a person would read, a row, paragraph or line of it each.

    `elsewhere` is an address to which the answer sends on and that is not this device's present one. `again` is where
    the page goes by itself, after so many seconds. `data` is the JSON of an answer that is no page.
    """

    url: str
    status: int = 200
    kind: str = "text/html"
    title: str = ""
    headings: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    pairs: tuple[tuple[str, str], ...] = ()
    """Labels and what stands beside them: two cells of a row, a term and its description."""
    forms: tuple[Form, ...] = ()
    links: tuple[Link, ...] = ()
    tables: tuple[Table, ...] = ()
    remarks: tuple[Remark, ...] = ()
    alerts: tuple[str, ...] = ()
    """Texts that the page itself marks as an alert (WAI-ARIA 1.2, role alert)."""
    frames: tuple[str, ...] = ()
    elsewhere: str = ""
    attached: bool = False
    """Whether it is a download (RFC 6266, attachment): a browser stays on the page where it was asked for."""
    again: tuple[float, str] | None = None
    data: Any = None
    scripted: bool = False
    """Whether scripts are all that it has: a browser would make the page, nothing of it can be read here."""

    @property
    def path(self) -> str:
        """Path and query of its address."""
        return re.sub(r"^[a-z]+://[^/]*", "", self.url) or "/"

    @property
    def words(self) -> str:
        """What to call it."""
        return f"{self.title or next(iter(self.headings), '') or 'untitled page'} ({self.path})"

    def form_with(self, fields: Sequence[str], button: str = "") -> Form | None:
        """The form that has all these fields, and the button if one is named; None where no form has."""
        return next(
            (
                form
                for form in self.forms
                if all(form.find(name) for name in fields) and (not button or form.button(button) is not None)
            ),
            None,
        )

    def field(self, what: str) -> Field | None:
        """The first field with this label, name or id, in any form."""
        return next((found for form in self.forms if (found := form.find(what)) is not None), None)

    def link(self, text: str) -> Link | None:
        """The first link with this text, else with this address."""
        by_text = (link for link in self.links if same_label(link.text, text))
        return next(by_text, None) or next((link for link in self.links if link.to.endswith(text)), None)


def at_path(data: Any, path: str) -> Iterator[Any]:
    """What stands at a path of JSON such as `ports[].vlan`, `clock.zone` or `[0].name`; `[]` is each entry."""
    parts = re.findall(r"[^.\[\]]+|\[\d*\]", path)
    return _walk(data, parts)


def _walk(data: Any, parts: list[str]) -> Iterator[Any]:
    if not parts:
        yield data
        return
    part, rest = parts[0], parts[1:]
    if part == "[]":
        for entry in data if isinstance(data, list) else ():
            yield from _walk(entry, rest)
    elif part.startswith("["):
        index = int(part[1:-1])
        if isinstance(data, list) and index < len(data):
            yield from _walk(data[index], rest)
    elif isinstance(data, dict) and part in data:
        yield from _walk(data[part], rest)


def written(value: Any) -> str:
    """A value of JSON as text: yes and no are `true` and `false`, null is nothing."""
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value is None else str(value)
