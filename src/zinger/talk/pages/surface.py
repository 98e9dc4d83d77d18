"""The pages surface: fulfils one request of an errand at a time with requests over HTTP. Sans-IO.

Where the device is, is what its last page was. A look asks for the start page when that is not known any more; what
only reads is asked for again when nothing comes, what changes something never is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from enum import Enum, auto
from http.cookies import CookieError, SimpleCookie
from urllib.parse import urlsplit

from zinger.phrasebook.document import Document, at_path, written
from zinger.phrasebook.pages import Authenticate, Call, Follow, Open, Pages, Press, Submit, Token
from zinger.phrasebook.words import Words
from zinger.talk.errors import Interrupted, Silent, Stuck, TalkError
from zinger.talk.events import Event, Recognised, Sent, ToKeep, Waits
from zinger.talk.pages.fields import joined
from zinger.talk.pages.http import Failed, FormBody, JsonBody, Request, Response, TextBody
from zinger.talk.pages.parse import parse
from zinger.talk.pages.submit import CannotFill, filled, pressed
from zinger.talk.requests import Answer, At, Do, Look
from zinger.talk.surface import NEVER, Wait

AGAIN = 1.0
"""Seconds between two requests for what did not come."""
MOST_REDIRECTS = 10
MOST_KEPT = 400
"""Lines of a page that are kept as evidence."""
FOLLOWS = 20.0
"""A page that goes on by itself within so many seconds is followed."""
_KEEPS_ITS_METHOD = (307, 308)


class Phase(Enum):
    """What the surface is about."""

    IDLE = auto()
    TO_ASK = auto()
    """A request is ready to be sent."""
    ASKED = auto()
    """A request was sent; its answer has not come."""
    PAUSE = auto()
    """The next request is sent at a time."""
    DONE = auto()
    """The reply is ready."""


@dataclass
class Turn:
    """One request of an errand under way, and what is asked for it now."""

    wanted: Look | Do
    end: float
    request: Request
    changed: bool = False
    """Whether something that changes the device was answered: if it is gone afterwards, that is what came of it."""
    sent_on: Counter[tuple[str, str]] = field(default_factory=Counter)
    """How often it was sent on, by method and address."""
    frames: tuple[str, ...] = ()
    around: Document | None = None
    """The page whose frames are being fetched."""


class PagesSurface:
    """Where one device's pages are, and what is done there."""

    def __init__(
        self, pages: Pages, origin: str, trace: Callable[[str], None] | None = None, pace: float = 1.0
    ) -> None:
        self.pages, self.pace = pages, pace
        self.origin = origin
        """Scheme, address and port at which the device is spoken to now."""
        self.page: Document | None = None
        self.identity: dict[str, str] = {}
        """What it showed of itself anywhere: serial number, MAC, hostname."""
        self.lost_an_answer = False
        """Whether the last thing that was sent may have been taken, and nothing came back."""
        self._at: At | None = None
        self._phase = Phase.IDLE
        self._turn: Turn | None = None
        self._due = 0.0
        self._reply: At | Answer | TalkError | None = None
        self._events: list[Event] = []
        self._auth: tuple[Words, Words] | None = None
        self._tokens: dict[str, str] = {}
        self._trace = trace or (lambda line: None)

    # -- the driver's side -------------------------------------------------------------------------
    def begin(self, request: Look | Do, now: float) -> None:
        """Fulfil this request from now on."""
        self.lost_an_answer = False
        if isinstance(request, Look):
            if self._at is not None:
                self._done(self._at)
                return
            first = self._get(self.pages.start)
        else:
            try:
                first = self._request_for(request)
            except CannotFill as error:
                self._cannot(error)
                return
            except TalkError as error:
                self._done(error)
                return
            self._keep_evidence(first)
            self._events.append(Sent(request.deed.shown, self._at.name if self._at else "", request.purpose))
        self._turn = Turn(request, now + request.patience, first)
        self._ask(first)

    def turn(self, now: float) -> Request | Wait | At | Answer | TalkError:
        """What to do now, or how the request ended."""
        if self._phase is Phase.PAUSE and now >= self._due:
            self._phase = Phase.TO_ASK
        if self._phase is Phase.TO_ASK:
            assert self._turn is not None
            self._phase = Phase.ASKED
            return self._turn.request
        if self._phase is Phase.DONE:
            reply, self._reply = self._reply, None
            self._phase, self._turn = Phase.IDLE, None
            assert reply is not None
            return reply
        if self._phase is Phase.PAUSE:
            return Wait(self._due, "the page again")
        return NEVER

    def stop(self) -> None:
        """The request is given up; an answer that is still on its way counts no more."""
        self._phase, self._turn, self._reply = Phase.IDLE, None, None

    def take_events(self) -> list[Event]:
        """What happened since the last call."""
        events, self._events = self._events, []
        return events

    def forget(self) -> None:
        """Where it was counts no more: the next look asks for the start page."""
        self._at = self.page = None

    def signed_out(self) -> None:
        """A new session: nothing that stood for the old one is shown any more."""
        self.forget()
        self._auth = None
        self._tokens.clear()

    # -- the carrier's side ------------------------------------------------------------------------
    def receive(self, response: Response, now: float, page: Document | None = None) -> None:
        """An answer came; `page` is what it holds, where its carrier has parsed it already."""
        if self._phase is not Phase.ASKED or self._turn is None:
            return
        self._trace(f"{response.status} {response.url}")
        turn = self._turn
        turn.changed |= not turn.request.reads_only
        if 300 <= response.status < 400 and any(name == "location" for name, _ in response.headers):
            self._keep_tokens(response, None)
            self._sent_on(turn, response, now)
            return
        page = page or parsed(response)
        self._keep_tokens(response, page)
        if turn.around is not None:
            page = _together(turn.around, page)
        if turn.frames:
            self._ask_frame(turn, page, turn.frames)
        else:
            self._came(turn, page, now)

    def failed(self, failure: Failed, now: float) -> None:
        """Nothing came back."""
        if self._phase is not Phase.ASKED or self._turn is None:
            return
        self._trace(f"failed: {failure.why}")
        turn = self._turn
        if failure.fatal:
            self._done(Stuck(failure.why))
        elif failure.gone or (failure.sent and not turn.request.reads_only):
            self.lost_an_answer = True
            self.forget()
            self._done(Interrupted(f"no answer came to what was sent: {failure.why}"))
        elif now + AGAIN < turn.end and not turn.changed:
            self._pause(AGAIN, now, f"an answer ({failure.why})")
        else:
            self.lost_an_answer = True
            self.forget()
            self._done(Interrupted(f"nothing answers: {failure.why}"))

    # -- what is asked -----------------------------------------------------------------------------
    def _ask(self, request: Request) -> None:
        assert self._turn is not None
        if not self._is_here(request.url):
            self._done(Stuck(f"{request.url[:200] or 'the address'} is not this device; nothing is sent there"))
            return
        headers, patience = (*request.headers, *self._shown_always()), self._turn.wanted.patience
        self._turn.request = replace(request, headers=headers, auth=self._auth, patience=patience)
        self._phase = Phase.TO_ASK
        self._trace(request.shown)

    def _ask_frame(self, turn: Turn, around: Document, frames: Sequence[str]) -> None:
        """Ask for the first of these frames of a page."""
        turn.around, turn.frames = around, tuple(frames[1:])
        self._ask(self._get(frames[0]))

    def _pause(self, seconds: float, now: float, why: str) -> None:
        self._due, self._phase = now + seconds, Phase.PAUSE
        assert self._turn is not None
        self._events.append(Waits(why, self._turn.end))

    def _get(self, path: str) -> Request:
        return Request("GET", joined(self.origin + "/", path))

    def _request_for(self, request: Do) -> Request:
        """Raises CannotFill, or Stuck for what can't be done on the page that stands there."""
        deed, page = request.deed, self.page
        if isinstance(deed, Open):
            return self._get(deed.path or (page.path if page else self.pages.start))
        if isinstance(deed, Call):
            return self._call(deed)
        if isinstance(deed, Authenticate):
            self._auth = (deed.user, deed.password)
            return self._get(page.path if page else self.pages.start)
        if page is None:
            raise Interrupted("it is not known which page it shows")
        if isinstance(deed, Follow):
            link = page.link(deed.text)
            if link is None:
                raise Stuck(f"the page {page.words} has no link {deed.text!r}", _shown(page))
            self._stays_here(link.to, page)
            return _from_page(self._get(link.to), page)
        if isinstance(deed, (Submit, Press)):
            made = filled(page, deed) if isinstance(deed, Submit) else pressed(deed)
            self._stays_here(made.url, page)
            return _from_page(made, page)
        raise Stuck(f"{deed.shown!r} can't be done on pages; it is for a terminal")

    def _keep_evidence(self, request: Request) -> None:
        """A preview or summary counts as it stands when it is confirmed."""
        what = self.pages.signs[self._at.name].keep if self._at is not None else ""
        if what and self.page is not None and not request.reads_only:
            ways = {link.text for link in self.page.links}
            lines = [line for line in self.page.lines if line not in ways]
            self._events.append(ToKeep(what, tuple(lines[:MOST_KEPT])))

    def _call(self, deed: Call) -> Request:
        body: JsonBody | TextBody | FormBody | None = None
        if deed.json is not None:
            body = JsonBody(deed.json)
        elif deed.text is not None:
            body = TextBody(deed.text)
        elif deed.form is not None:
            body = FormBody(deed.form)
        return replace(self._get(deed.path), method=deed.method, body=body, headers=deed.headers)

    def _stays_here(self, url: str, page: Document) -> None:
        """A page can name any address; only its own device is spoken to. Raises Stuck."""
        if not self._is_here(url):
            raise Stuck(f"the page {page.words} leads to {url[:200]}, which is not this device", _shown(page))

    def _is_here(self, url: str) -> bool:
        """Whether an address is on the device that is spoken to; a page, a frame or a phrasebook can name any."""
        try:
            there = urlsplit(url)
            return there.scheme in ("http", "https") and there.hostname == urlsplit(self.origin).hostname
        except ValueError:
            return False

    def _shown_always(self) -> tuple[tuple[str, Words], ...]:
        own = tuple((name, (value,)) for name, value in self.pages.headers)
        return own + tuple((header, (value,)) for header, value in self._tokens.items())

    def _cannot(self, error: CannotFill) -> None:
        """What can't be filled in is a refusal, said before it is sent."""
        at = self._at
        if at is None or at.page is None or not error.field:
            self._done(Stuck(str(error), _shown(self.page) if self.page else ""))
        else:
            self._done(Answer(at.page.lines, at, refusal=str(error), beside=error.field))

    # -- what came ---------------------------------------------------------------------------------
    def _sent_on(self, turn: Turn, response: Response, now: float) -> None:
        """A redirect (RFC 9110 15.4): followed on this device, understood where it leads elsewhere."""
        to = joined(response.url, response.header("location"))
        if not self._is_here(to):
            page = Document(response.url, response.status, title="sent on", lines=(f"sent on to {to}",), elsewhere=to)
            self._came(turn, page, now)
            return
        turn.sent_on[turn.request.method, to] += 1
        if turn.sent_on.total() > MOST_REDIRECTS or turn.sent_on[turn.request.method, to] > 2:
            self._done(Stuck(f"it sends on in a circle, last to {to[:200]}"))
            return
        if response.status in _KEEPS_ITS_METHOD and not turn.request.reads_only:
            self._ask(replace(turn.request, url=to, query=None))
        else:
            self._ask(self._get(to))

    def _came(self, turn: Turn, page: Document, now: float) -> None:
        """A whole page: a place, one that goes on by itself, or something unknown."""
        if page.attached and self._at is not None and isinstance(turn.wanted, Do) and page.status < 400:
            self._done(Answer(page.lines, replace(self._at, page=page)))  # a download: it still shows the page it did
            return
        expect = turn.wanted.expect if isinstance(turn.wanted, Do) else frozenset()
        known = self.pages.recognise(page, expect)
        if known is not None:
            place, captured = known
            sign = self.pages.signs[place.name]
            if sign.waits and place.name not in expect:
                self._wait_for(turn, page, sign.waits / self.pace, place.words, now)
            else:
                self._stands_at(turn, At(place, captured, page=page), now)
        elif (own := [f for f in page.frames if self._is_here(f)]) and turn.around is None and not page.forms:
            self._ask_frame(turn, page, own)
        elif page.again and page.again[0] <= FOLLOWS and self._is_here(page.again[1]):
            self._wait_for(turn, page, max(page.again[0] / self.pace, 0.05), page.words, now)
        elif page.status >= 500 and turn.request.reads_only and now + AGAIN < turn.end:
            self._pause(AGAIN, now, f"an answer (it says {page.status})")
        else:
            self._unknown(turn, page)

    def _wait_for(self, turn: Turn, page: Document, seconds: float, words: str, now: float) -> None:
        if now + seconds > turn.end:
            self.forget()
            self._done(Silent(f"it still shows {words}", _shown(page)))
            return
        self._ask(self._get(page.again[1] if page.again else page.path))
        self._pause(seconds, now, words)

    def _stands_at(self, turn: Turn, at: At, now: float) -> None:
        page = at.page
        assert page is not None
        self.page, self._at = page, at
        self._learn(page, at)
        self._events.append(Recognised(at.name, at.captured))
        if isinstance(turn.wanted, Look):
            self._done(at)
            return
        said, beside = self.pages.refusal(page) or ("", "")
        if not said and page.status >= 400 and isinstance(turn.wanted.deed, Call):
            said = "; ".join(page.lines[:3]) or f"it answered {page.status}"
        warned = tuple(line for line in page.lines if any(pattern.search(line) for pattern in self.pages.warnings))
        self._done(Answer(page.lines, at, refusal=said or None, warnings=warned, beside=beside))

    def _unknown(self, turn: Turn, page: Document) -> None:
        self._at, self.page = None, page
        changes = not turn.request.reads_only
        if page.elsewhere:
            self.lost_an_answer = True
            self._done(Interrupted(f"it sends on to {page.elsewhere[:200]}, which is not where it was spoken to"))
        elif page.status >= 500 and changes:
            self._done(Interrupted(f"it answered {page.status} to {turn.request.shown}"))
        elif page.scripted:
            why = "This page is made by scripts in a browser. Use the interface behind it: call"
            self._done(Stuck(f"{why} ({page.words})", _shown(page)))
        else:
            self._done(Stuck(f"Unknown page: no place of this phrasebook is like {page.words}", _shown(page)))

    def _learn(self, page: Document, at: At) -> None:
        """What tells which device this is."""
        for what, pattern in self.pages.identity_lines.items():
            for line in page.lines:
                if match := pattern.search(line):
                    self.identity[what] = match.groupdict().get("value") or match[0]
        if "hostname" in at.captured:
            self.identity["hostname"] = at.captured["hostname"]

    def _keep_tokens(self, response: Response, page: Document | None) -> None:
        for token in self.pages.tokens:
            if value := _token(token, response, page):
                self._tokens[token.header] = token.before + value

    def _done(self, reply: At | Answer | TalkError) -> None:
        self._reply, self._phase = reply, Phase.DONE


def parsed(response: Response) -> Document:
    """The document that a response holds."""
    return parse(response.url, response.status, dict(response.headers), response.body)


def _from_page(request: Request, page: Document) -> Request:
    """As a browser asks from a page: it says which (RFC 9110 10.1.3), and some servers go back there."""
    return replace(request, headers=(*request.headers, ("Referer", (page.url,))))


def _token(token: Token, response: Response, page: Document | None) -> str:
    """What a response gives that must be shown later; nothing when it gives none."""
    if token.from_header:
        return response.header(token.from_header.lower())
    if token.cookie:
        for name, value in response.headers:
            if name == "set-cookie":
                try:
                    jar = SimpleCookie(value)
                except CookieError:
                    continue
                if token.cookie in jar:
                    return jar[token.cookie].value
        return ""
    return next((written(value) for value in at_path(page.data, token.json)), "") if page is not None else ""


def _together(outer: Document, frame: Document) -> Document:
    """A page with one of its frames in it."""
    return replace(
        outer,
        title=outer.title or frame.title,
        headings=(*outer.headings, *frame.headings),
        lines=(*outer.lines, *frame.lines),
        pairs=(*outer.pairs, *frame.pairs),
        forms=(*outer.forms, *frame.forms),
        links=(*outer.links, *frame.links),
        tables=(*outer.tables, *frame.tables),
        remarks=(*outer.remarks, *frame.remarks),
        alerts=(*outer.alerts, *frame.alerts),
    )


def _shown(page: Document) -> str:
    return "\n".join((f"{page.status} {page.words}", *page.lines[:20]))
