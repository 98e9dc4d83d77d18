"""The pages of a Marrable V6, behind its console: its tables in force, and those that are staged."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Sequence
from html import escape
from typing import Any, Protocol

from starlette.applications import Starlette
from starlette.datastructures import UploadFile
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.box import Body
from zinger.practice.core.clock import Clock
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.core.words import Refused
from zinger.practice.marrable_v6.legs import Legs
from zinger.practice.marrable_v6.tables import Tables, shown, understood

LARGEST = 64 * 1024
WAYS = {"/": "Gateway", "/tables": "Tables", "/calls": "Calls", "/staged": "Staged", "/try": "Try a secret"}
LINKS = f"<ul>{''.join(f'<li><a href={to}>{text}</a>' for to, text in WAYS.items())}</ul>"


class Behind(Protocol):
    """The gateway behind its pages."""

    body: Body
    clock: Clock
    running: Sheet
    heard: list[str]
    legs: Legs

    def knows(self, user: str, secret: str) -> bool: ...
    def take_tables(self, text: str) -> None: ...


class Web:
    """The pages of one gateway."""

    def __init__(self, box: Behind) -> None:
        self.box = box
        self.inside: dict[str, str] = {}
        """Cookie -> who."""
        self.staged = ""
        """A text that was understood and is not in force yet."""

    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", self._gateway),
                Route("/door", self._door, methods=["GET", "POST"]),
                Route("/tables", self._tables, methods=["GET", "POST"]),
                Route("/tables/in-force.txt", self._text),
                Route("/calls", self._calls),
                Route("/staged", self._staged, methods=["GET", "POST"]),
                Route("/try", self._try, methods=["GET", "POST"]),
            ]
        )

    def _who(self, request: Request) -> str:
        return self.inside.get(request.cookies.get("mv6", ""), "")

    def _shut(self, request: Request) -> Response | None:
        """What keeps somebody out: not signed in, or told to change something and only looking."""
        who = self._who(request)
        if not who:
            return RedirectResponse("/door", 302)
        if request.method == "POST" and self.box.running.people[who].level != "master":
            return _page("Only looking", "<p class=no>Not done: this name only looks.</p>", 403)
        return None

    async def _door(self, request: Request) -> Response:
        told = ""
        if request.method == "POST":
            form = await request.form()
            name = str(form.get("n", ""))
            if self.box.knows(name, str(form.get("p", ""))):
                cookie = secrets.token_hex(8)
                self.inside[cookie] = name
                there = RedirectResponse("/", 303)
                there.set_cookie("mv6", cookie, httponly=True, secure=True)
                return there
            await self.box.clock.sleep(1)
            told = "<p class=no>Not done: name and password do not fit.</p>"
        body = (
            "<form method=post action=/door><p>Name <input name=n aria-label=Name>"
            "<p>Password <input name=p type=password aria-label=Password><p><button>Come in</button></form>"
        )
        return _page("Door", told + body, links=False)

    async def _gateway(self, request: Request) -> Response:
        if shut := self._shut(request):
            return shut
        body, running = self.box.body, self.box.running
        facts = {
            "Serial": body.serial,
            "MAC": body.mac,
            "Image": body.image,
            "Name": running.values["name"],
            "Tables": "in force" if running.values["tables"] else "none yet",
            "Staged": "waiting to be taken" if self.staged else "nothing",
        }
        rows = "".join(f"<tr><th>{label}<td>{escape(value)}" for label, value in facts.items())
        return _page("Gateway", f"<table>{rows}</table>")

    async def _tables(self, request: Request) -> Response:
        if shut := self._shut(request):
            return shut
        told = ""
        if request.method == "POST":
            form = await request.form()
            sent = form.get("file")
            text = (await sent.read(LARGEST + 1)).decode("utf-8", "replace") if isinstance(sent, UploadFile) else ""
            try:
                if len(text) > LARGEST or not text.strip():
                    raise Refused("line 1: that is no file of tables")
                understood(text)
            except Refused as why:
                told = f"<p class=no>Not done: {escape(str(why))}. What was in force is in force still.</p>"
            else:
                self.staged = text.replace("\r\n", "\n")
                self.box.heard.append(f"tables staged, {len(text.splitlines())} lines")
                return RedirectResponse("/staged", 303)
        text = self.box.running.values["tables"]
        body = (
            "<form method=post action=/tables enctype=multipart/form-data><p>Tables file "
            "<input type=file name=file aria-label='Tables file'> <button>Stage it</button></form>"
            "<p><a href=/tables/in-force.txt>The text in force</a>"
        )
        return _page("Tables", told + body + _told(understood(text) if text else Tables()), 422 if told else 200)

    async def _text(self, request: Request) -> Response:
        if shut := self._shut(request):
            return shut
        attached = {"Content-Disposition": "attachment; filename=in-force.txt"}
        return PlainTextResponse(self.box.running.values["tables"], headers=attached)

    async def _calls(self, request: Request) -> Response:
        """The calls that stand now."""
        if shut := self._shut(request):
            return shut
        rows = [through.shown for through in self.box.legs.calls.standing.values()]
        return _page("Calls", _table("Calls", ("From", "Dialled", "To", "Sent as"), rows))

    async def _staged(self, request: Request) -> Response:
        if shut := self._shut(request):
            return shut
        if request.method == "POST":
            if not self.staged:
                return _page("Staged", "<p class=no>Not done: nothing is staged.</p>", 409)
            self.box.take_tables(self.staged)
            self.staged = ""
            return _page("Taken", "<p>The tables are taken. The gateway starts again with them.</p>", links=False)
        body = "<p>Nothing is staged."
        if self.staged:
            body = (
                f"<p>This waits to be taken:<pre>{escape(shown(self.staged))}</pre>"
                "<form method=post action=/staged><button>Take it</button></form>"
            )
        return _page("Staged", body)

    async def _try(self, request: Request) -> Response:
        """Whether a secret is the one with which it registers at a peer."""
        who = self._who(request)
        if not who:
            return RedirectResponse("/door", 302)
        told = ""
        if request.method == "POST":
            form = await request.form()
            kept = self.box.running.secrets.get(str(form.get("peer", "")).strip())
            right = kept is not None and kept == digest(str(form.get("secret", "")))
            told = "<p>The peer takes it." if right else "<p class=no>Not done: the peer does not take it.</p>"
        body = (
            "<form method=post action=/try><p>Peer <input name=peer aria-label=Peer>"
            "<p>Secret <input type=password name=secret aria-label=Secret><p><button>Try it</button></form>"
        )
        return _page("Try a secret", told + body)


def _page(title: str, body: str, status: int = 200, links: bool = True) -> Response:
    return HTMLResponse(f"<title>MV6 {title}</title><h1>{title}</h1>{LINKS if links else ''}{body}", status)


def _told(tables: Tables) -> str:
    """What is in force, as tables."""
    legs = [(*row, tables.takes.get(row[0], "")) for row in tables.legs]
    peers = [
        (*row, *(said.get(row[0], "") for said in (tables.accounts, tables.domains, tables.sounds)))
        for row in tables.peers
    ]
    limits = [(tables.calls, tables.media)] if tables.calls or tables.media else []
    of_peers = ("Peer", "On leg", "Host", "At port", "By", "Spare", "Asked", "Of kind", "Account", "Domain", "Sound")
    return "".join(
        (
            _table("Kinds", ("Kind", "Codings", "Tones", "Refresh", "Numbers"), tables.kinds),
            _table("Legs", ("Leg", "Address", "Port", "Seen as", "Takes"), legs),
            _table("Peers", of_peers, peers),
            _table("Limits", ("Calls at once", "Media ports"), limits),
            _table("Numbers", ("For", "Begins", "Becomes"), tables.numbers),
        )
    )


def _table(caption: str, heads: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    lines = "".join("<tr>" + "".join(f"<td>{escape(cell)}" for cell in row) for row in rows)
    return f"<table><caption>{caption}</caption><tr>{''.join(f'<th>{head}' for head in heads)}{lines}</table>"
