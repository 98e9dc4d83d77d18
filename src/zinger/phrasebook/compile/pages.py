"""The section `pages`, the places on pages, and what is done there."""

from __future__ import annotations

from collections.abc import Mapping

from zinger.phrasebook.compile.section import IDENTITIES, Path, Section
from zinger.phrasebook.map import Place
from zinger.phrasebook.pages import (
    PageAct,
    Pages,
    PageSign,
    Token,
    authenticate_act,
    call_act,
    fill_act,
    follow_act,
    open_act,
    submit_act,
)
from zinger.phrasebook.shapes import BookShape, OnPage, PageShape, PagesShape, TokenShape

PORTS = {"https": 443, "http": 80}
_GIVES = ("json", "from_header", "cookie")


class PagesSection(Section):
    """What of a book stands on pages."""

    def pages(self, shape: BookShape, places: Mapping[str, Place]) -> Pages | None:
        """How the family's pages are reached; None for one that has none."""
        on_pages = {name: p.page for name, p in shape.places.items() if p.page is not None}
        if shape.pages is None and not on_pages:
            return None
        told = shape.pages or PagesShape()
        self.one_of(["pages", "scheme"], "scheme", told.scheme, PORTS)
        for what in shape.identity_lines:
            self.one_of(["identity_lines", what], "mark of a device", what, IDENTITIES)
        return Pages(
            {name: place for name, place in places.items() if name in on_pages},
            {name: self._sign(["places", name, "page"], p) for name, p in on_pages.items()},
            told.start,
            told.scheme,
            told.port or PORTS.get(told.scheme, 443),
            told.old_tls,
            tuple(self.patterns("refusals", shape.refusals)),
            tuple(self.patterns("warnings", shape.warnings)),
            tuple(told.headers.items()),
            tuple(self._token(["pages", "tokens", n], token) for n, token in enumerate(told.tokens)),
            {what: self.regex(["identity_lines", what], line) for what, line in shape.identity_lines.items()},
        )

    def _sign(self, path: Path, p: PageShape) -> PageSign:
        statuses = [p.status] if isinstance(p.status, int) else p.status
        sign = PageSign(
            self.maybe_regex([*path, "at"], p.at),
            frozenset(statuses),
            self.maybe_regex([*path, "title"], p.title),
            self.maybe_regex([*path, "heading"], p.heading),
            self.maybe_regex([*path, "text"], p.text),
            tuple(p.has),
            p.button,
            p.link,
            {where: self.regex([*path, "json", where], pattern) for where, pattern in p.json_paths.items()},
            self.duration([*path, "waits"], p.waits) if p.waits else 0.0,
            p.keep,
        )
        if sign.weight == 0:
            self.bad(path, "every page would be this place; say what its address, title, fields or text are")
        return sign

    def _token(self, path: Path, t: TokenShape) -> Token:
        if sum(map(bool, (t.json_path, t.from_header, t.cookie))) != 1:
            self.bad(path, f"a token comes from exactly one of {', '.join(_GIVES)}")
        return Token(t.header, t.json_path, t.from_header, t.cookie, t.before)

    def is_told(self, p: OnPage) -> bool:
        """Whether anything is done on a page."""
        return p.authenticate or any(what is not None for what in (p.fill, p.press, p.follow, p.go, p.call))

    def act(self, path: Path, p: OnPage, known: frozenset[str]) -> PageAct:
        """One thing that is done on a page."""
        ways = {
            "fill and press": p.fill is not None or p.press is not None,
            "follow": p.follow is not None,
            "open": p.go is not None,
            "call": p.call is not None,
            "authenticate": p.authenticate,
        }
        if sum(ways.values()) != 1:
            self.bad(path, f"on a page exactly one thing is done: {', '.join(ways)}")
        act = self._act(p)
        for source in act.sources:
            self.template(path, source, known)
        return act

    @staticmethod
    def _act(p: OnPage) -> PageAct:
        if p.authenticate:
            return authenticate_act()
        if p.follow is not None:
            return follow_act(p.follow)
        if p.go is not None:
            return open_act(p.go)
        if p.call is not None:
            call = p.call
            bare = call.json_text is None and call.form is None and call.text is None
            method = (call.method or ("GET" if bare else "POST")).upper()
            return call_act(method, call.to, call.json_text, call.form, call.headers, call.text)
        if isinstance(p.fill, str):
            return fill_act(p.fill, p.press or "")
        return submit_act(p.fill or {}, p.press or "")
