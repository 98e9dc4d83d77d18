"""What a person did at a browser: each exchange of a recording as one deed, with what stood there and what came."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

from zinger.phrasebook.document import Button, Document, Field, Form, plain

_STATIC = re.compile(r"\.(?:css|js|mjs|map|png|jpe?g|gif|svg|ico|webp|woff2?|ttf|eot|mp4)$", re.IGNORECASE)
_PAGE = ("text/html", "application/xhtml+xml", "text/plain", "")


@dataclass(frozen=True)
class Seen:
    """One exchange; `pairs` are the fields of a form, header names are in lower case."""

    number: int
    method: str
    url: str
    status: int = 0
    pairs: tuple[tuple[str, str], ...] = ()
    json: Any = None
    headers: tuple[tuple[str, str], ...] = ()
    given: tuple[tuple[str, str], ...] = ()
    """The headers of the answer."""
    page: Document | None = None
    to: str = ""
    """Where it sends on to; a whole address."""

    @property
    def host(self) -> str:
        """The host that was asked."""
        return urlsplit(self.url).hostname or ""

    @property
    def path(self) -> str:
        """Path and query that were asked."""
        parts = urlsplit(self.url)
        return (parts.path or "/") + (f"?{parts.query}" if parts.query else "")

    @property
    def says(self) -> bool:
        """Whether it is more than a look at an address; what follows the ? belongs to the address."""
        return self.json is not None or self.method not in ("GET", "HEAD", "OPTIONS")

    @property
    def is_static(self) -> bool:
        """A picture, a style sheet, a script: nothing that a dialogue stands on."""
        kind = self.page.kind if self.page is not None else ""
        wanted = dict(self.headers).get("sec-fetch-dest", "document")
        return not self.says and (
            bool(_STATIC.search(urlsplit(self.url).path))
            or wanted not in ("document", "iframe", "frame", "empty")
            or not (kind in _PAGE or kind.endswith("json") or 300 <= self.status < 400)
        )


@dataclass(frozen=True)
class Filled:
    """A field of a form as it was sent; `touched` where that is not what stood there."""

    field: Field
    value: str
    touched: bool

    @property
    def label(self) -> str:
        """What a person calls it."""
        return self.field.words


@dataclass
class Deed:
    """One thing that was done: a page opened, a link followed, a form submitted, an interface called."""

    kind: str
    seen: Seen
    before: Document | None
    after: Document | None
    form: Form | None = None
    button: Button | None = None
    fills: tuple[Filled, ...] = ()
    link: str = ""
    place: str = ""
    """Where it was done, and where it led: names of places, once those are known."""
    leads: str = ""
    refused: bool = False

    @property
    def presses(self) -> str:
        """What the button says, where a phrasebook must say it: of several."""
        return (self.button.label or self.button.name) if self.button else ""


@dataclass
class Told:
    """The exchanges with one device, and what was left out."""

    seen: list[Seen] = field(default_factory=list)
    ignored: int = 0
    hosts: tuple[str, ...] = ()


def of_the_device(seen: Iterable[Seen], known: Iterable[str]) -> Told:
    """The exchanges with the device: at `known` addresses, else with whom most was sent; without static files."""
    every = list(seen)
    hosts = {one.host for one in every} & set(known)
    said = Counter(one.host for one in every if (one.says and one.page is not None) or (one.says and one.to))
    most = said or Counter(one.host for one in every if one.page is not None)
    hosts |= {most.most_common(1)[0][0]} if most else set()
    sends_on = [(one.host, urlsplit(one.to).hostname or "") for one in every if one.to]
    for _ in range(2):  # where it sends on to, and what sends on to it, is the same device
        hosts |= {there for here, there in sends_on if here in hosts and there}
        hosts |= {here for here, there in sends_on if there in hosts}
    kept = list(without_static(one for one in every if one.host in hosts))
    return Told(kept, len(every) - len(kept), tuple(dict.fromkeys(one.host for one in kept)))


def without_static(seen: Iterable[Seen]) -> Iterator[Seen]:
    """Without files that a page only shows, and what such a request was sent on to (a sign-in page, most often)."""
    sent_on = Counter[str]()
    for one in seen:
        if not one.says and sent_on[one.url]:
            sent_on[one.url] -= 1
        elif not one.is_static:
            yield one
            continue
        if one.to:
            sent_on[one.to] += 1


def deeds_of(seen: Sequence[Seen]) -> list[Deed]:
    """What was done, in order; what an answer sends on to is its page."""
    return list(_Walk(seen).deeds())


class _Walk:
    """Walks through the exchanges, with the page that stands there."""

    def __init__(self, seen: Sequence[Seen]) -> None:
        self.seen = seen
        self.taken: set[int] = set()
        """Those that are the end of a redirect."""
        self.before: Document | None = None
        self.pages: list[Document] = []

    def deeds(self) -> Iterator[Deed]:
        for index, one in enumerate(self.seen):
            if index in self.taken:
                continue
            after = self._answer(index)
            if one.status == 401 and not one.says and after is not None and after.kind not in ("application/json",):
                deed = Deed("open", one, self.before, after)
            elif one.pairs and (found := self._form(one)) is not None:
                deed = Deed("submit", one, found[0], after, found[1], found[2], found[3])
            elif one.says:
                deed = Deed("call", one, self.before, after)
            else:
                deed = Deed("open", one, self.before, after, link=self._link(one))
                deed.kind = "follow" if deed.link else "open"
            yield deed
            if after is not None:
                self.before = after
                self.pages.append(after)

    def _answer(self, index: int) -> Document | None:
        """The page that came in the end."""
        one, hops = self.seen[index], 0
        while 300 <= one.status < 400 and one.to and hops < 10:
            there = next(
                (
                    at
                    for at in range(index + 1, len(self.seen))
                    if at not in self.taken and not self.seen[at].says and _same(self.seen[at].url, one.to)
                ),
                None,
            )
            if there is None:
                return None
            self.taken.add(there)
            one, index, hops = self.seen[there], there, hops + 1
        return one.page if one.status else None

    def _form(self, one: Seen) -> tuple[Document, Form, Button | None, tuple[Filled, ...]] | None:
        """The form that sends this: on the page that stands there, else on the last one that has it."""
        names = {name for name, _ in one.pairs}
        for page in [*([self.before] if self.before else []), *reversed(self.pages)]:
            for form in page.forms:
                fields = {f.name for f in form.fields if f.name}
                pressed = {b.name for b in form.buttons if b.name}
                same_action = urlsplit(form.action).path == urlsplit(one.url).path
                if same_action and names <= fields | pressed and names & fields | pressed & names:
                    return page, form, _pressed(form, one.pairs), tuple(_filled(form, one.pairs))
                if same_action and names == set() == fields:
                    return page, form, _pressed(form, one.pairs), ()
        return None

    def _link(self, one: Seen) -> str:
        if self.before is None:
            return ""
        return next((link.text for link in self.before.links if link.text and _same(link.to, one.url)), "")


def _same(one: str, other: str) -> bool:
    """The same address, whether at the factory's or the planned one."""
    a, b = urlsplit(one), urlsplit(other)
    return (a.path or "/", a.query) == (b.path or "/", b.query)


def _pressed(form: Form, pairs: tuple[tuple[str, str], ...]) -> Button | None:
    sent = dict(pairs)
    by_name = next((b for b in form.buttons if b.name and sent.get(b.name) == b.value), None)
    return by_name or next((b for b in form.buttons if not b.name), None) or next(iter(form.buttons), None)


def _filled(form: Form, pairs: tuple[tuple[str, str], ...]) -> Iterator[Filled]:
    """The fields that a person sees, as they were sent."""
    for one in form.shown_fields:
        if not one.name or one.disabled:
            continue
        sent = [value for name, value in pairs if name == one.name]
        if one.kind == "checkbox":
            on = bool(sent)
            yield Filled(one, "on" if on else "off", on != one.checked)
        elif one.is_choice:
            chosen = [choice.value for choice in one.choices if choice.chosen]
            yield Filled(one, ", ".join(sent), sent != chosen and bool(sent))
        else:
            value = sent[0] if sent else ""
            yield Filled(one, value.replace("\r\n", "\n").strip(), plain(value) != plain(one.value))
