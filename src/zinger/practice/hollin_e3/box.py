"""The Hollin E3, an edge firewall: terms, a first password and a key, then pages that change a draft; the draft is put
into force as a whole, which takes some minutes and ends in a restart.

The key for stored secrets is asked for once and shown never again. The local side moves under whoever is there.
"""

from __future__ import annotations

import secrets as lots
from ipaddress import IPv4Interface
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.pages_box import PagesBox, text
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.hollin_e3 import pages
from zinger.practice.hollin_e3.draft import TAKES, as_delivered, wrong_secret

FORCE_STEPS = ((40, "reading the draft"), (90, "writing the rules"), (60, "writing the tables"), (20, "restarting"))
ADDS = {"rules": "Add the rule", "forwards": "Add the forward", "keeps": "Keep the address", "people": "Add the person"}


class EdgeFirewall(PagesBox):
    """One simulated firewall."""

    factory_address = IPv4Interface("192.0.2.1/24")
    BOOT = ((40, ""), (80, ""), (30, ""))

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.seats: dict[str, str] = {}
        self.passes: set[str] = set()
        self.draft: Sheet = self.running.copy()
        self.at_work = ""

    def factory_state(self) -> Sheet:
        return as_delivered()

    async def _live(self) -> None:
        self.seats.clear()
        self.at_work = ""
        await super()._live()
        self.draft = self.running.copy()

    @property
    def works(self) -> bool:
        return bool(self.at_work)

    @property
    def fixed_address(self) -> IPv4Interface | None:
        return IPv4Interface(self.in_force.values["address"])

    @property
    def open_doors(self) -> dict[str, bool]:
        v = self.in_force.values
        return {"https": v["door:https:local"] == "yes", "ssh": v["door:ssh:local"] == "yes"}

    def sign_all_out(self) -> None:
        self.seats.clear()

    # -- its pages ---------------------------------------------------------------------------------
    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", lambda request: RedirectResponse("/overview", 302)),
                Route("/enter", self._enter, methods=["GET", "POST"]),
                Route("/first/{step}", self._first, methods=["GET", "POST"]),
                Route("/force", self._force, methods=["GET", "POST"]),
                Route("/key", self._key, methods=["GET", "POST"]),
                Route("/overview", self._overview),
                Route("/{path}", self._page, methods=["GET", "POST"]),
            ]
        )

    def _pass(self) -> str:
        self.passes.add(token := lots.token_hex(8))
        return token

    def _user(self, request: Request) -> str | None:
        return self.seats.get(request.cookies.get("seat", ""))

    async def _enter(self, request: Request) -> Response:
        wrong: dict[str, str] = {}
        if request.method == "POST":
            said = await request.form()
            user = str(said.get("who", ""))
            if self.knows(user, str(said.get("pw", ""))):
                self.seats[seat := lots.token_hex(8)] = user
                there = RedirectResponse(self._next() or "/overview", 303)
                there.set_cookie("seat", seat, httponly=True, secure=True)
                self.heard.append(f"{user} entered")
                return there
            await self.clock.sleep(1)
            wrong = {"pw": "it does not open"}
        body = pages.box("who", "Name", "", {}) + pages.box("pw", "Password", "", wrong, "password")
        return HTMLResponse(pages.whole("Enter", pages.form("enter", "", body, "Enter"), tabs=False))

    def _next(self) -> str:
        """Where the first person must go on."""
        seen = self.running.values["seen"]
        for step in ("terms", "password", "key"):
            if step not in seen:
                return f"/first/{step}"
        return ""

    def _done(self, step: str) -> Response:
        self.running.values["seen"] += f" {step}"
        self.keep()
        self.draft.values["seen"] = self.running.values["seen"]
        self.heard.append(f"first: {step}")
        return RedirectResponse(self._next() or "/overview", 303)

    async def _first(self, request: Request) -> Response:
        user, step = self._user(request), request.path_params["step"]
        if user is None:
            return RedirectResponse("/enter", 302)
        if self._next() != f"/first/{step}":
            return RedirectResponse(self._next() or "/overview", 302)
        said = {key: str(value) for key, value in (await request.form()).items()} if request.method == "POST" else {}
        wrong: dict[str, str] = {}
        if said and said.get("pass") not in self.passes:
            return self._stale()
        if step == "terms":
            if said and said.get("agreed"):
                return self._done(step)
            wrong = {"agreed": "without it nothing goes on"} if said else {}
            lines = "".join(f"<p>{line}</p>" for line in pages.TERMS)
            no = f"<b>can't be: {wrong['agreed']}</b>" if wrong else ""
            body = f"{lines}<div><label><input type=checkbox name=agreed value=y> We agree</label>{no}</div>"
            return self._of_first("Terms of use", step, body, "Go on")
        shortest, label = (10, "New password") if step == "password" else (12, "Key for stored secrets")
        if said:
            if why := wrong_secret(said.get("one", ""), said.get("two", ""), shortest):
                wrong = {"one": why}
            elif step == "password":
                self.running.people[user] = Person.with_secret("all", said["one"])
                self.draft.people[user] = self.running.people[user]
                return self._done(step)
            else:
                self.running.secrets["key"] = self.draft.secrets["key"] = digest(said["one"])
                return self._done(step)
        body = pages.box("one", label, "", wrong, "password") + pages.box("two", "Once more", "", {}, "password")
        note = "" if step == "password" else "<p>It is shown never again. Who loses it loses what it keeps.</p>"
        return self._of_first("First password" if step == "password" else "Key", step, note + body, "Go on")

    def _of_first(self, title: str, step: str, body: str, button: str) -> Response:
        return HTMLResponse(pages.whole(title, pages.form(f"first/{step}", self._pass(), body, button), tabs=False))

    def _stale(self) -> Response:
        return HTMLResponse(pages.whole("Too late", "<p>This page was sent before.</p>", tabs=False), 409)

    def _inside(self, request: Request) -> Response | None:
        if self._user(request) is None:
            return RedirectResponse("/enter", 302)
        return RedirectResponse(self._next(), 302) if self._next() else None

    async def _overview(self, request: Request) -> Response:
        if away := self._inside(request):
            return away
        v, body = self.running.values, self.body
        drafted = "yes" if self.draft.dump() != self.running.dump() else "no"
        rows = {
            "Name": v["name"], "Serial number": body.serial, "MAC, local side": body.mac, "Software": body.image,
            "Key for stored secrets": "given" if "key" in self.running.secrets else "none",
            "Local side": v["address"], "Upstream": v["how"], "Draft differs": drafted,
        }  # fmt: skip
        lines = "".join(f"<div><span>{label}</span><strong>{value}</strong></div>" for label, value in rows.items())
        return HTMLResponse(pages.whole("Overview", lines))

    async def _page(self, request: Request) -> Response:
        if away := self._inside(request):
            return away
        path = request.path_params["path"]
        if path not in TAKES:
            return HTMLResponse(pages.whole("Not here", "<p>There is no such page.</p>"), 404)
        said: dict[str, str] = {}
        wrong: dict[str, str] = {}
        looks = self.running.people[self._user(request) or ""].level != "all"
        if request.method == "POST":
            said = {key: str(value) for key, value in (await request.form()).items()}
            if said.get("pass") not in self.passes:
                return self._stale()
            self.passes.discard(said["pass"])
            if looks:
                return HTMLResponse(pages.whole("Not yours", "<p>can't be: you only look</p>"), 403)
            state = self.draft.copy()
            TAKES[path](state, said, wrong)
            if not wrong:
                self.draft = state
                self.heard.append(f"draft: {path}")
                return RedirectResponse(f"/{path}", 303)
        values = {**self.draft.values, **(said if wrong else {})}
        has_list = path in ADDS
        body = pages.body_of(path, values, self.draft, wrong)
        made = pages.form(path, self._pass(), body, ADDS.get(path, "Into the draft")) if not looks else body
        before = pages.list_of(path, self.draft) if has_list else ""
        return HTMLResponse(pages.whole(pages.TABS[path], before + made), 422 if wrong else 200)

    async def _key(self, request: Request) -> Response:
        """Whether a key is the one that was given."""
        if away := self._inside(request):
            return away
        told = ""
        if request.method == "POST":
            said = await request.form()
            right = digest(str(said.get("key", ""))) == self.running.secrets.get("key")
            told = "<p>That is the key.</p>" if right else "<p>can't be: that is not the key</p>"
        body = told + pages.form("key", self._pass(), pages.box("key", "Key", "", {}, "password"), "Try it")
        return HTMLResponse(pages.whole("Try the key", body))

    # -- into force --------------------------------------------------------------------------------
    async def _force(self, request: Request) -> Response:
        if away := self._inside(request):
            return away
        if self.at_work:
            again = "<meta http-equiv=refresh content=3>"
            return HTMLResponse(pages.whole("At work", f"{again}<p>at work: {self.at_work}</p>", tabs=False))
        if request.method == "POST":
            said = await request.form()
            if str(said.get("pass", "")) not in self.passes:
                return self._stale()
            self.at_work = FORCE_STEPS[0][1]
            self.spawn(self._forced(self.draft.copy()))
            return RedirectResponse("/force", 303)
        differs = self.draft.dump() != self.running.dump()
        note = (
            f"<p>The draft differs from what is in force.</p>{self._changes()}" if differs else "<p>Nothing waits.</p>"
        )
        return HTMLResponse(
            pages.whole("Into force", note + pages.form("force", self._pass(), "", "Put it into force"))
        )

    def _changes(self) -> str:
        """What will be another when the draft is in force."""
        old, new = self.running.values, self.draft.values
        rows = [
            f"{key}: {old.get(key)} becomes {new[key]}" for key in new if key != "seen" and new[key] != old.get(key)
        ]
        return "<ul>" + "".join(f"<li>{text(row)}</li>" for row in rows) + "</ul>"

    async def _forced(self, state: Sheet) -> None:
        for seconds, words in FORCE_STEPS:
            self.at_work = words
            await self.clock.sleep(seconds)
        if state.values["address"] != self.running.values["address"]:
            self.certificate = None  # it makes itself a new one for a new address
        self.running = state
        self.keep()
        self.heard.append("into force")
        self.restart()
