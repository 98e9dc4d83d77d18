"""A dialogue on pages: how its places are recognised in what comes over HTTP, and what is done there."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from zinger.phrasebook.document import Button, Document, Field, Form, at_path, written
from zinger.phrasebook.map import Deed, Place, Undivided
from zinger.phrasebook.words import Words, WordsError, masked, names_used, render, render_lines

PATIENCE = 30.0
"""Seconds to wait for an answer, and for a device to answer again."""


# -- deeds: what a conversation is asked to do at a place ------------------------------------------------
@dataclass(frozen=True, slots=True)
class Submit(Undivided):
    """Fill these fields of a form, by label, name or id, and press the button; the form's first one for nothing."""

    fills: tuple[tuple[str, Words], ...]
    button: str = ""
    file_named: str = ""
    """What a file is called that is filled into a field for files."""

    @property
    def shown(self) -> str:
        told = ", ".join(f"{name}: {self._of(masked(words))}" for name, words in self.fills)
        return " ".join(filter(None, [told, f"[{self.button}]" if self.button else ""])) or "submit"

    def _of(self, text: str) -> str:
        return f"the file {self.file_named}" if self.file_named and "\n" in text else text

    def joined(self, other: Deed) -> Submit | None:
        """Both in one; None where they fill the same field otherwise, or press different buttons."""
        if not isinstance(other, Submit) or self.file_named != other.file_named:
            return None
        mine = dict(self.fills)
        if any(mine.get(name, words) != words for name, words in other.fills):
            return None
        if self.button and other.button and self.button != other.button:
            return None
        added = tuple(fill for fill in other.fills if fill[0] not in mine)
        return Submit((*self.fills, *added), self.button or other.button, self.file_named)

    def over(self, other: Deed) -> Submit:
        """This, and what only the other fills."""
        if not isinstance(other, Submit):
            return self
        base = other.without(name for name, _ in self.fills)
        return Submit((*base.fills, *self.fills), self.button or other.button, self.file_named or other.file_named)

    def without(self, fields: Iterable[str]) -> Submit:
        """The same, with these fields left as they stand."""
        left = set(fields)
        return replace(self, fills=tuple(pair for pair in self.fills if pair[0] not in left))


@dataclass(frozen=True, slots=True)
class Follow(Undivided):
    """Follow the link with this text."""

    text: str

    @property
    def shown(self) -> str:
        return f"follow {self.text}"


@dataclass(frozen=True, slots=True)
class Open(Undivided):
    """Go to an address of the device; to the present page anew for nothing."""

    path: str = ""

    @property
    def shown(self) -> str:
        return f"open {self.path or 'the page again'}"


@dataclass(frozen=True, slots=True)
class Call(Undivided):
    """Send a request to an interface: a JSON text, the fields of a form, a plain text, or nothing."""

    method: str
    path: str
    json: Words | None = None
    form: tuple[tuple[str, Words], ...] | None = None
    headers: tuple[tuple[str, Words], ...] = ()
    text: Words | None = None
    """A plain text, such as a file."""

    @property
    def shown(self) -> str:
        body = masked(self.json) if self.json is not None else ""
        body = f"{masked(self.text).count(chr(10))} lines" if self.text is not None else body
        body = body or ", ".join(f"{name}: {masked(words)}" for name, words in self.form or ())
        return f"{self.method} {self.path} {body}".strip()


@dataclass(frozen=True, slots=True)
class Authenticate(Undivided):
    """Answer the challenge of a 401 from now on: basic (RFC 7617) or digest (RFC 7616), as it asks."""

    user: Words
    password: Words

    @property
    def shown(self) -> str:
        return f"sign in as {masked(self.user)}"


@dataclass(frozen=True, slots=True)
class Press(Undivided):
    """Press this very button of a form of the page that stands there, with these fields filled: what a person does."""

    form: Form
    button: Button | None
    fills: tuple[tuple[Field, Words], ...] = ()
    file_named: str = ""

    @property
    def shown(self) -> str:
        told = ", ".join(f"{field.words}: {masked(words)}" for field, words in self.fills)
        return " ".join(filter(None, [told, f"[{self.button.label or self.button.name}]" if self.button else "submit"]))


PageDeed = Submit | Press | Follow | Open | Call | Authenticate


# -- acts: the same as templates -------------------------------------------------------------------------
def _used(source: str, names: Mapping[str, object]) -> dict[str, object]:
    """The names that a template uses."""
    wanted = names_used(source)
    return {name: value for name, value in names.items() if name in wanted}


def _filled(source: str, names: Mapping[str, object]) -> Words:
    return render(source, **_used(source, names))


@dataclass(frozen=True)
class PageAct:
    """What makes a move on pages, or one thing of a step, as templates: `sources`, and how a deed is made of them."""

    sources: tuple[str, ...]
    shown: str
    make: Callable[[Mapping[str, object]], PageDeed]
    patience: float = PATIENCE
    joins: bool = False
    submits: bool = False
    """Whether it submits a form: by which `button`, with which `fields`, or `rows` of both that a template makes."""
    button: str = ""
    fields: tuple[str, ...] = ()
    rows: str = ""

    @cached_property
    def uses(self) -> frozenset[str]:
        return frozenset(name for source in self.sources for name in names_used(source))

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> PageDeed:
        return self.make(names)


FILLS = " = "
"""What stands between a field and what is filled in, where a template makes rows of both."""


def fill_act(source: str, button: str = "") -> PageAct:
    """Fill a form by a template that makes rows like `Field = value`: loops and choices say which there are."""

    def make(names: Mapping[str, object]) -> Submit:
        rows = render_lines(source, **_used(source, names))
        return Submit(tuple(_field_and_value(row.words) for row in rows), button)

    return PageAct((source,), f"fill [{button}]" if button else "fill", make, submits=True, button=button, rows=source)


def _field_and_value(words: Words) -> tuple[str, Words]:
    """A row, taken apart; raises WordsError for one that names no field."""
    head = words[0] if words and isinstance(words[0], str) else ""
    name, between, value = (head if len(words) > 1 else f"{head} ").partition(FILLS)
    if not between:
        raise WordsError(f"{masked(words)!r} fills no field; write it like `Field{FILLS}value`")
    value = value if len(words) > 1 else value.rstrip()
    return name.strip(), (*((value,) if value else ()), *words[1:])


def submit_act(fills: Mapping[str, str], button: str = "") -> PageAct:
    """Fill a form; a field whose name comes out as nothing is left as it stands."""

    def make(names: Mapping[str, object]) -> Submit:
        named = ((masked(_filled(name, names)), source) for name, source in fills.items())
        return Submit(tuple((name, _filled(source, names)) for name, source in named if name), button)

    shown = ", ".join(f"{name}: {source}" for name, source in fills.items())
    said = f"{shown} [{button}]" if button else shown or "submit"
    return PageAct((*fills, *fills.values()), said, make, submits=True, button=button, fields=tuple(fills))


def follow_act(text: str) -> PageAct:
    """Follow a link."""
    return PageAct((text,), f"follow {text}", lambda names: Follow(masked(_filled(text, names))))


def open_act(path: str) -> PageAct:
    """Go to an address."""
    return PageAct((path,), f"open {path}", lambda names: Open(masked(_filled(path, names))))


def authenticate_act() -> PageAct:
    """Answer a challenge with the credential of the moment."""
    user, password = "{{ user }}", "{{ password }}"
    return PageAct(
        (user, password), "sign in", lambda names: Authenticate(_filled(user, names), _filled(password, names))
    )


def call_act(
    method: str,
    path: str,
    json: str | None,
    form: Mapping[str, str] | None,
    headers: Mapping[str, str],
    text: str | None = None,
) -> PageAct:
    """Send a request; a JSON text may go over several rows."""

    def make(names: Mapping[str, object]) -> Call:
        return Call(
            method,
            masked(_filled(path, names)),
            _rows(json, names) if json is not None else None,
            tuple((name, _filled(source, names)) for name, source in form.items()) if form is not None else None,
            tuple((name, _filled(source, names)) for name, source in headers.items()),
            _filled(text, names) if text is not None else None,
        )

    sources = (path, json or "", text or "", *(form or {}).values(), *headers.values())
    return PageAct(sources, f"{method} {path}", make)


def _rows(source: str, names: Mapping[str, object]) -> Words:
    """A template of several rows as one text."""
    rows = render_lines(source, **_used(source, names))
    return tuple(part for row in rows for part in row.words)


# -- signs: how a place is recognised --------------------------------------------------------------------
@dataclass(frozen=True)
class PageSign:
    """How a place looks; everything that is said must be so.

    `at` is held against path and query, `title`, `heading` and `text` (a line of the page) are patterns, `has` are
    fields and `button` a button of one form, `link` the text of a link, `json` patterns by path of JSON. `waits`:
    seconds after which a page that only tells to wait is asked for again; 0 for every other. `keep`: what its text is
    called, where it is kept as evidence: a preview of what the device will do, a summary.
    """

    at: re.Pattern[str] | None = None
    status: frozenset[int] = frozenset()
    title: re.Pattern[str] | None = None
    heading: re.Pattern[str] | None = None
    text: re.Pattern[str] | None = None
    has: tuple[str, ...] = ()
    button: str = ""
    link: str = ""
    json: Mapping[str, re.Pattern[str]] = field(default_factory=dict)
    waits: float = 0.0
    keep: str = ""

    @property
    def weight(self) -> int:
        """How much it says: of two places that match, the one that says more is meant."""
        told = (self.at, self.status, self.title, self.heading, self.text, self.button, self.link)
        return sum(map(bool, told)) + len(self.has) + len(self.json)

    @property
    def shown(self) -> str:
        """What it says, for people."""
        patterns = (("at", self.at), ("title", self.title), ("heading", self.heading), ("text", self.text))
        told = [f"{word} {pattern.pattern}" for word, pattern in patterns if pattern is not None]
        told += [f"status {status}" for status in sorted(self.status)]
        told += [f"[{name}]" for name in self.has] + ([f"({self.button})"] if self.button else [])
        return ", ".join([*told, *self.json]) or f"link {self.link}"

    def match(self, page: Document) -> dict[str, str] | None:
        """What it captures of the page, by named group; None where the place does not stand there."""
        if self.status and page.status not in self.status:
            return None
        if (self.has or self.button) and page.form_with(self.has, self.button) is None:
            return None
        if self.link and page.link(self.link) is None:
            return None
        captured: dict[str, str] = {}
        for pattern, texts in self._patterns(page):
            found = next((match for text in texts if (match := pattern.search(text))), None)
            if found is None:
                return None
            captured |= {name: value for name, value in found.groupdict().items() if value}
        return captured

    def _patterns(self, page: Document) -> Iterator[tuple[re.Pattern[str], Iterable[str]]]:
        told = (
            (self.at, (page.path,)),
            (self.title, (page.title,)),
            (self.heading, page.headings),
            (self.text, page.lines),
        )
        yield from ((pattern, texts) for pattern, texts in told if pattern is not None)
        for path, pattern in self.json.items():
            yield pattern, [written(value) for value in at_path(page.data, path)] if page.data is not None else ()


@dataclass(frozen=True)
class Token:
    """Something that an answer gives and every later request must show: taken from JSON, a header or a cookie."""

    header: str
    """The header in which it is shown."""
    json: str = ""
    from_header: str = ""
    cookie: str = ""
    before: str = ""
    """What stands before it in the header, such as `Bearer ` (RFC 6750)."""


@dataclass(frozen=True)
class Pages:
    """How one family's pages are reached and read.

    `start` is the address at which a look begins. `old_tls`: protocols and ciphers that are not safe any more are
    taken, since the family has no others.
    """

    places: Mapping[str, Place]
    signs: Mapping[str, PageSign]
    start: str = "/"
    scheme: str = "https"
    port: int = 443
    old_tls: bool = False
    refusals: tuple[re.Pattern[str], ...] = ()
    warnings: tuple[re.Pattern[str], ...] = ()
    headers: tuple[tuple[str, str], ...] = ()
    tokens: tuple[Token, ...] = ()
    identity_lines: Mapping[str, re.Pattern[str]] = field(default_factory=dict)

    def recognise(self, page: Document, first: Iterable[str] = ()) -> tuple[Place, dict[str, str]] | None:
        """The place that a page is, and what it captures: of several the one that says most, the expected one first."""
        expected = list(first)
        best: tuple[tuple[int, bool], str, dict[str, str]] | None = None
        for name, sign in self.signs.items():
            captured = sign.match(page)
            if captured is None:
                continue
            worth = (sign.weight, name in expected)
            if best is None or worth > best[0]:
                best = worth, name, captured
        return (self.places[best[1]], best[2]) if best else None

    def refusal(self, page: Document) -> tuple[str, str] | None:
        """The device's no, and the name of the field beside which it stands or that it names; nothing for none."""
        for remark in page.remarks:
            if said := self._says_no(remark.text):
                return said, remark.field
        for line in (*page.alerts, *page.lines):
            if said := self._says_no(line):
                return said, self._named_in(line, page)
        return None

    def _says_no(self, text: str) -> str:
        for pattern in self.refusals:
            if match := pattern.search(text):
                return match.groupdict().get("why") or text
        return ""

    @staticmethod
    def _named_in(line: str, page: Document) -> str:
        """The one field whose label stands in a line; nothing where none does, or several do."""
        named = {
            f.name
            for form in page.forms
            for f in form.shown_fields
            if len(f.label) > 2 and re.search(rf"(?<!\w){re.escape(f.label)}(?!\w)", line, re.IGNORECASE)
        }
        return next(iter(named)) if len(named) == 1 else ""
