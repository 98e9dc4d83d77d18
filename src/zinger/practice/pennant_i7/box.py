"""The Pennant I7, an industrial switch: a selector under its lid is read when it is switched on.

At BENCH it starts at its factory address with what was saved put aside, and hands the laptop an address. Its pages
collect a work order; the order is looked at, previewed in its own language, and written. It counts at PLANT.
"""

from __future__ import annotations

import re
import secrets
from ipaddress import IPv4Interface
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.core.words import Refused
from zinger.practice.pennant_i7 import pages
from zinger.practice.pennant_i7.order import TAKES, as_delivered, changes, preview

BENCH = "203.0.113.77/24"
POSITIONS = ("PLANT", "BENCH", "CLEAN")


class FieldSwitch(PagesBox):
    """One simulated switch."""

    BOOT = ((10, ""), (20, ""), (15, ""))
    factory_address = IPv4Interface(BENCH)

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.selector = self.read_at_start = "PLANT"
        self.draft: Sheet = self.running.copy()
        self.seats: dict[str, str] = {}
        self.stamps: set[str] = set()

    def factory_state(self) -> Sheet:
        return as_delivered()

    def by_hand(self, what: str) -> None:
        """The selector is turned; it is read at the next start."""
        turned = re.findall(rf"\b({'|'.join(POSITIONS)})\b", what)
        self.selector = turned[0] if turned else self.selector

    def state_at_start(self) -> Sheet:
        """What the selector chooses: at BENCH what was saved is put aside, at CLEAN it is gone."""
        self.read_at_start = self.selector
        if self.selector == "CLEAN":
            self.startup = None
        return super().state_at_start() if self.selector == "PLANT" else self.factory_state()

    async def _live(self) -> None:
        self.seats.clear()
        self.stamps.clear()
        await super()._live()
        self.draft = self.running.copy()

    @property
    def fixed_address(self) -> IPv4Interface | None:
        if self.read_at_start == "BENCH":
            return IPv4Interface(BENCH)
        address = self.in_force.values["address"]
        return IPv4Interface(address) if address else None

    @property
    def open_doors(self) -> dict[str, bool]:
        return {"https": True, "http": self.in_force.values["plain"] == "yes"}

    def unsaved(self) -> bool:
        return bool(self.draft.dump() != (self.startup or self.running).dump())

    def sign_all_out(self) -> None:
        self.seats.clear()

    # -- its pages ---------------------------------------------------------------------------------
    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", lambda request: RedirectResponse("/unit", 302)),
                Route("/gate", self._gate, methods=["GET", "POST"]),
                Route("/order", self._order),
                Route("/preview", self._preview, methods=["GET", "POST"]),
                Route("/opens", self._opens, methods=["GET", "POST"]),
                Route("/{path}", self._page, methods=["GET", "POST"]),
            ]
        )

    def _who(self, request: Request) -> str | None:
        return self.seats.get(request.cookies.get("hat", ""))

    def _stamp(self) -> str:
        self.stamps.add(stamp := secrets.token_hex(6))
        return stamp

    async def _gate(self, request: Request) -> Response:
        told = ""
        if request.method == "POST":
            said = await request.form()
            user = str(said.get("who", ""))
            if self.knows(user, str(said.get("word", ""))):
                self.seats = {(hat := secrets.token_hex(8)): user, **self.seats}
                there = RedirectResponse("/unit", 303)
                there.set_cookie("hat", hat, httponly=True, secure=True)
                self.heard.append(f"{user} at the gate")
                return there
            await self.clock.sleep(1)
            told = "not taken: nobody is known by that"
        body = pages.form(
            "/gate", "", [("Person", "who", "text", ""), ("Password", "word", "password", "")], "Enter", {}
        )
        return HTMLResponse(pages.whole("Gate", pages.told(told) + body, inside=False))

    def _shut(self, request: Request, changing: bool = False) -> Response | None:
        user = self._who(request)
        if user is None:
            return RedirectResponse("/gate", 302)
        if changing and self.draft.people.get(user) is not None and self.draft.people[user].level == "reader":
            return HTMLResponse(pages.whole("Closed", pages.told("not taken: this person only reads")), 403)
        return None

    async def _page(self, request: Request) -> Response:
        path = request.path_params["path"]
        if shut := self._shut(request, request.method == "POST"):
            return shut
        if path not in TAKES:
            return HTMLResponse(pages.whole("Nothing", pages.told("There is nothing here.")), 404)
        wrong: dict[str, str] = {}
        said: dict[str, str] = {}
        if request.method == "POST":
            said = {key: str(value) for key, value in (await request.form()).items()}
            if said.get("stamp") not in self.stamps:
                return HTMLResponse(pages.whole("Old page", pages.told("This page was used. Open it again.")), 409)
            self.stamps.discard(said["stamp"])
            state = self.draft.copy()
            try:
                TAKES[path](state, said)
            except Refused as refusal:
                wrong = {refusal.args[1] if len(refusal.args) > 1 else "": str(refusal.args[0])}
            else:
                self.draft = state
                self.heard.append(f"{path} onto the order")
                return RedirectResponse(f"/{path}", 303)
        body = pages.page(path, self.draft, said if wrong else {}, wrong, self._stamp(), self.body)
        return HTMLResponse(pages.whole(pages.TITLES[path], body), 422 if wrong else 200)

    async def _order(self, request: Request) -> Response:
        """The summary of what is on the order, against what is saved."""
        if shut := self._shut(request):
            return shut
        rows = changes(self.startup or as_delivered(), self.draft)
        return HTMLResponse(pages.whole("Work order", pages.order(rows)))

    async def _preview(self, request: Request) -> Response:
        """What it will do, in its own language; written when that is confirmed."""
        if shut := self._shut(request, request.method == "POST"):
            return shut
        if "field" in self.draft.people:
            return HTMLResponse(pages.whole("Preview", pages.told("not taken: put a person of your own first")), 409)
        if request.method == "POST":
            if str((await request.form()).get("stamp", "")) not in self.stamps:
                return HTMLResponse(pages.whole("Old page", pages.told("This page was used. Open it again.")), 409)
            await self.clock.sleep(2)
            self.startup = self.draft.copy()
            self.heard.append("order written")
            done = "It is written. Turn the selector to PLANT, and switch it off and on."
            return HTMLResponse(pages.whole("Written", pages.told(done)))
        lines = preview(self.startup or as_delivered(), self.draft)
        return HTMLResponse(pages.whole("Preview", pages.preview(lines, self._stamp())))

    async def _opens(self, request: Request) -> Response:
        """Whether a word opens the command line."""
        if shut := self._shut(request):
            return shut
        told = ""
        if request.method == "POST":
            word = str((await request.form()).get("word", ""))
            right = self.draft.secrets.get("line") == digest(word)
            told = "The command line opens." if right else "not taken: the command line stays shut"
        body = pages.form("/opens", "", [("Password to try", "word", "password", "")], "Try it", {})
        return HTMLResponse(pages.whole("Try the command line", pages.told(told) + body))
