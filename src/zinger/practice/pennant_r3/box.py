"""The Pennant R3, a dual-band router: what is taken counts at once and is kept; its local side moves under the laptop.

Its first password is on the label and must be changed. Its pages know one session by a token in every form.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from functools import partial
from ipaddress import IPv4Interface
from typing import Any

from starlette.applications import Starlette
from starlette.datastructures import UploadFile
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.air import AirNetwork
from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.core.words import Refused
from zinger.practice.pennant_r3 import joining, pages
from zinger.practice.pennant_r3.rooms import (
    LISTS,
    ROOMS,
    as_delivered,
    brought_back,
    rows_of,
    take_list,
    take_room,
    wrong_password,
)

Said = Mapping[str, str]


class HomeRouter(PagesBox):
    """One simulated router."""

    BOOT = ((30, ""), (60, ""), (20, ""))
    factory_address = IPv4Interface("192.0.2.129/25")
    labelled = True

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.tokens: dict[str, tuple[str, str]] = {}
        """Cookie -> who, and the token of their forms."""
        self.around = joining.LookAround(self.clock)

    def factory_state(self) -> Sheet:
        return as_delivered(self.label)

    @property
    def fixed_address(self) -> IPv4Interface | None:
        return IPv4Interface(self.in_force.values["local"])

    @property
    def open_doors(self) -> dict[str, bool]:
        return {"https": True, "http": self.in_force.values["plain"] == "on"}

    def _die(self) -> None:
        super()._die()
        self.tokens.clear()

    def sign_all_out(self) -> None:
        self.tokens.clear()

    def on_air(self) -> list[AirNetwork]:
        v, secret = self.running.values, self.running.secrets
        nets = [row for row in rows_of("networks", self.running) if self.up]
        return [
            AirNetwork(name, v[f"channel{band}"], secret.get(name, "") if kind == "by key" else "")
            for name, kind, bands, _ in nets
            for band in (("2.4", "5") if bands == "both" else (bands,))
        ]

    def _heard(self) -> list[AirNetwork]:
        """What the last look around found."""
        return [n for box in self.others() if box is not self for n in box.on_air()] if self.around.looked else []

    # -- its pages ---------------------------------------------------------------------------------
    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", lambda request: RedirectResponse("/room/unit", 302)),
                Route("/enter", self._enter, methods=["GET", "POST"]),
                Route("/first", self._first, methods=["GET", "POST"]),
                Route("/room/{room}", self._room, methods=["GET", "POST"]),
                Route("/list/{name}", self._list, methods=["GET", "POST"]),
                Route("/try", self._try, methods=["GET", "POST"]),
                Route("/join", self._join, methods=["GET", "POST"]),
                Route("/join/look", self._look, methods=["GET", "POST"]),
                Route("/settings.txt", self._settings),
                Route("/back", self._back, methods=["GET", "POST"]),
            ]
        )

    def _session(self, request: Request) -> tuple[str, str] | None:
        return self.tokens.get(request.cookies.get("r3", ""))

    def _shut(self, request: Request) -> Response | None:
        session = self._session(request)
        if session is None:
            return RedirectResponse("/enter", 302)
        if self.running.people[session[0]].must_renew:
            return RedirectResponse("/first", 302)
        return None

    async def _said(self, request: Request) -> dict[str, str] | Response:
        """What a form says; a form without the session's token is not from here."""
        said = {key: str(value) for key, value in (await request.form()).items()}
        session = self._session(request)
        if session is None or said.pop("token", "") != session[1]:
            return HTMLResponse(pages.whole("Not from here", "<p>Open the page again.</p>"), 403)
        return said

    async def _enter(self, request: Request) -> Response:
        said = {key: str(value) for key, value in (await request.form()).items()} if request.method == "POST" else {}
        wrong = {}
        if said:
            user = said.get("account", "")
            if self.knows(user, said.get("password", "")):
                self.tokens = {(cookie := secrets.token_hex(8)): (user, secrets.token_hex(8)), **self.tokens}
                there = RedirectResponse("/room/unit", 303)
                there.set_cookie("r3", cookie, httponly=True, secure=True, samesite="lax")
                self.heard.append(f"{user} entered")
                return there
            await self.clock.sleep(1)
            wrong = {"password": "this password does not open the account"}
        fields = [("account", "Account", "text", said.get("account", "")), ("password", "Password", "password", "")]
        return HTMLResponse(pages.whole("Enter", pages.form("/enter", "", fields, wrong, "Enter"), inside=False))

    async def _first(self, request: Request) -> Response:
        session = self._session(request)
        if session is None:
            return RedirectResponse("/enter", 302)
        wrong: dict[str, str] = {}
        if request.method == "POST":
            said = await self._said(request)
            if isinstance(said, Response):
                return said
            if why := wrong_password(said.get("new", ""), said.get("again", "")):
                wrong = {"new": why}
            elif self.knows(session[0], said["new"]):
                wrong = {"new": "that is the one of the label"}
            else:
                self.running.people[session[0]] = Person.with_secret("owner", said["new"])
                self.keep()
                self.tokens.clear()
                self.heard.append("first password changed")
                return RedirectResponse("/enter", 303)
        fields = [("new", "New password", "password", ""), ("again", "New password again", "password", "")]
        body = "<p>The password of the label opens nothing but this page.</p>"
        return HTMLResponse(
            pages.whole(
                "First password", body + pages.form("/first", session[1], fields, wrong, "Change"), inside=False
            )
        )

    async def _ordered(self, request: Request) -> dict[str, str] | Response:
        """What a form that changes something says; an account that only looks may send none."""
        said, session = await self._said(request), self._session(request)
        if isinstance(said, dict) and session is not None and self.running.people[session[0]].level == "guest":
            return HTMLResponse(pages.whole("Closed", "<p>Refused: this account only looks.</p>"), 403)
        return said

    async def _changed(
        self, request: Request, change: Callable[[Sheet, Said], None], told: str
    ) -> tuple[Said, Said] | Response:
        """Change what it holds by what a form says; else what was said, and what is wrong beside which field."""
        if request.method != "POST":
            return {}, {}
        said, state = await self._ordered(request), self.running.copy()
        if isinstance(said, Response):
            return said
        try:
            change(state, said)
        except Refused as refusal:
            return said, {str(refusal.args[1]): str(refusal.args[0])}
        self.running = state
        self.keep()
        self.heard.append(told)
        return RedirectResponse(request.url.path, 303)

    async def _room(self, request: Request) -> Response:
        """A page with one form of settings."""
        room = request.path_params["room"]
        if shut := self._shut(request):
            return shut
        if room not in ROOMS:
            return HTMLResponse(pages.whole("Nothing", "<p>There is no such page.</p>"), 404)
        wrong: dict[str, str] = {}
        said: dict[str, str] = {}
        if request.method == "POST":
            answer = await self._ordered(request)
            if isinstance(answer, Response):
                return answer
            said, state = answer, self.running.copy()
            take_room(room, state, said, wrong)
            if not wrong:
                return self._taken(room, state)
        session = self._session(request)
        token = session[1] if session else ""
        body = pages.room(
            room, {**self.running.values, **said} if wrong else self.running.values, wrong, token, self.body
        )
        return HTMLResponse(pages.whole(ROOMS[room].title, body), 422 if wrong else 200)

    def _taken(self, room: str, state: Sheet) -> Response:
        moves = state.values["local"] != self.running.values["local"]
        self.running = state
        self.keep()
        self.heard.append(f"{room} taken")
        if moves or room == "local":
            self.spawn(self.moves_after(2.0))
        if moves:
            there = IPv4Interface(state.values["local"]).ip
            return HTMLResponse(pages.whole("Moving", f"<p>The local side moves to {there}.</p>", inside=False))
        return RedirectResponse(f"/room/{room}", 303)

    async def _list(self, request: Request) -> Response:
        """A page with a list, and a form that adds to it."""
        name = request.path_params["name"]
        if shut := self._shut(request):
            return shut
        if name not in LISTS:
            return HTMLResponse(pages.whole("Nothing", "<p>There is no such page.</p>"), 404)
        answer = await self._changed(request, partial(take_list, name), f"{name} has one more")
        if isinstance(answer, Response):
            return answer
        said, wrong = answer
        session = self._session(request)
        body = pages.listing(name, self.running, said, wrong, session[1] if session else "")
        return HTMLResponse(pages.whole(LISTS[name].title, body), 422 if wrong else 200)

    async def _try(self, request: Request) -> Response:
        """Whether a key is that of a network, or the password that of the provider."""
        if shut := self._shut(request):
            return shut
        told = ""
        if request.method == "POST":
            said = await self._said(request)
            if isinstance(said, Response):
                return said
            right = self.running.secrets.get(said.get("what", "").strip()) == digest(said.get("key", ""))
            told = "<p>The key is right.</p>" if right else "<p>Refused: the key is another</p>"
        session = self._session(request)
        fields = [("what", "Key of", "text", ""), ("key", "Key", "password", "")]
        return HTMLResponse(
            pages.whole("Try a key", told + pages.form("/try", session[1] if session else "", fields, {}, "Try"))
        )

    async def _look(self, request: Request) -> Response:
        """Look around for networks; while it does, its page says so and asks for itself again."""
        if shut := self._shut(request):
            return shut
        if request.method == "POST":
            said = await self._ordered(request)
            if isinstance(said, Response):
                return said
            self.around.begin()
            self.heard.append("looks around")
        if not self.around.looks:
            return RedirectResponse("/join", 303)
        again = {"Refresh": "2; url=/join/look"}
        return HTMLResponse(pages.whole("Looking", "<p>It looks around.</p>", inside=False), headers=again)

    async def _join(self, request: Request) -> Response:
        """The network that it joins as a bridge."""
        if shut := self._shut(request):
            return shut
        if request.method == "POST":
            await self.clock.sleep(3)  # it tries the key
        answer = await self._changed(request, partial(joining.join, heard=self._heard()), "joined a network")
        if isinstance(answer, Response):
            return answer
        said, wrong = answer
        session = self._session(request)
        body = joining.page(self.running, self._heard(), said, wrong, session[1] if session else "")
        return HTMLResponse(pages.whole("Join", body), 422 if wrong else 200)

    async def _settings(self, request: Request) -> Response:
        """All settings as a text to keep; secrets are not in it."""
        if shut := self._shut(request):
            return shut
        lines = [f"{key} = {value}" for key, value in self.running.values.items()]
        told = {"Content-Disposition": f"attachment; filename={self.running.values['name']}.txt"}
        return PlainTextResponse("\n".join(lines) + "\n", headers=told)

    async def _back(self, request: Request) -> Response:
        """Settings that were kept are brought back, all of them or none; then it starts again."""
        if shut := self._shut(request):
            return shut
        told, session = "", self._session(request)
        token = session[1] if session else ""
        if request.method == "POST":
            form = await request.form()
            sent = form.get("kept")
            if form.get("token") != token or (session and self.running.people[session[0]].level == "guest"):
                return HTMLResponse(pages.whole("Closed", "<p>Refused: this account only looks.</p>"), 403)
            text = (await sent.read(65536)).decode("utf-8", "replace") if isinstance(sent, UploadFile) else ""
            try:
                self.startup = brought_back(self.running.copy(), text)
            except Refused as refusal:
                told = f"<p class=no role=alert>Refused: {refusal}</p>"
            else:
                self.heard.append("settings brought back")
                self.spawn(self._starts_again())
                return HTMLResponse(pages.whole("Moving", "<p>It starts again with them.</p>", inside=False))
        body = (
            f"{told}<form method=post action=/back enctype=multipart/form-data>"
            f"<input type=hidden name=token value={token}>"
            "<p><label>Kept settings <input type=file name=kept></label></p><p><button>Bring back</button></p></form>"
        )
        return HTMLResponse(pages.whole("Bring back", body), 422 if told else 200)

    async def _starts_again(self) -> None:
        await self.clock.sleep(2)
        self.restart()
