"""The Pennant P1, a small-office switch: pages behind a sign-in, one form a page, and nothing kept until it is told to.

Without a lease it answers at its fallback address. Its first password is on the label and must be changed. One person
is signed in at a time; every form is good for one submission.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass, field
from ipaddress import IPv4Interface
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet
from zinger.practice.pennant_p1 import pages
from zinger.practice.pennant_p1.state import FALLBACK, TAKES, Taker, as_delivered, vlans_of, wrong_password

BUTTONS = {"vlans": "Add", "people": "Put on the list"}


@dataclass
class Session:
    """Who is signed in, since when nothing was asked, and the forms that are still good."""

    user: str
    cookie: str = field(default_factory=lambda: secrets.token_hex(8))
    asked_at: float = 0.0
    once: set[str] = field(default_factory=set)

    def form(self) -> str:
        self.once.add(token := secrets.token_hex(6))
        return token


class OfficeSwitch(PagesBox):
    """One simulated switch."""

    BOOT = ((15, ""), (40, ""), (15, ""))
    labelled = True

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.session: Session | None = None

    def factory_state(self) -> Sheet:
        return as_delivered(self.label)

    @property
    def fixed_address(self) -> IPv4Interface | None:
        v = self.in_force.values
        if v["mode"] == "fixed":
            return IPv4Interface(f"{v['address']}/{v['length']}")
        return IPv4Interface(self.lease or FALLBACK)

    async def apply_network(self) -> None:
        if self.running.values["mode"] == "lease":
            self.lease = self.offered_lease
        await super().apply_network()

    @property
    def open_doors(self) -> dict[str, bool]:
        return {"https": True, "http": self.in_force.values["plain"] == "yes", "ssh": False, "telnet": False}

    def _die(self) -> None:
        super()._die()
        self.session = None

    def sign_all_out(self) -> None:
        self.session = None

    # -- its pages ---------------------------------------------------------------------------------
    def application(self) -> Any:
        routes = [
            Route("/", lambda request: RedirectResponse("/state", 302)),
            Route("/door", self._door, methods=["GET", "POST"]),
            Route("/first", self._first, methods=["GET", "POST"]),
            Route("/leave", self._leave),
            Route("/keep", self._keep, methods=["GET", "POST"]),
            Route("/{path}", self._page, methods=["GET", "POST"]),
        ]
        return Starlette(routes=routes)

    def _answer(self, title: str, body: str, status: int = 200, inside: bool = True) -> Response:
        page = pages.whole(title, body, inside and self.unsaved(), inside)
        return Response(page.encode("iso-8859-1", "replace"), status, {"Content-Type": "text/html; charset=ISO-8859-1"})

    def _seen(self, request: Request) -> Session | None:
        """The session that a request belongs to, if it is still good."""
        session, idle = self.session, int(self.running.values["idle"]) * 60
        if session is None or request.cookies.get("seat") != session.cookie:
            return None
        if self.clock.now() - session.asked_at > idle:
            self.session = None
            return None
        session.asked_at = self.clock.now()
        return session

    async def _said(self, request: Request) -> dict[str, str]:
        """What a form says; its bytes are ISO 8859-1."""
        return {key: str(value) for key, value in (await request.form()).items()}

    async def _door(self, request: Request) -> Response:
        wrong = ""
        if request.method == "POST":
            said = await self._said(request)
            user = said.get("who", "")
            if self.knows(user, said.get("pw", "")):
                self.session = Session(user, asked_at=self.clock.now())
                self.heard.append(f"{user} came in")
                there = RedirectResponse("/state", 303)
                there.set_cookie("seat", self.session.cookie, httponly=True)
                return there
            await self.clock.sleep(1)
            wrong = "<P><FONT COLOR=red>Wrong: account and password do not go together.</FONT>"
        body = (
            f"{wrong}<FORM METHOD=post ACTION=/door><TABLE><TR><TD>Account:<TD><INPUT NAME=who>"
            "<TR><TD>Password:<TD><INPUT TYPE=password NAME=pw></TABLE><INPUT TYPE=submit VALUE='Come in'></FORM>"
        )
        return self._answer("Door", body, inside=False)

    async def _leave(self, request: Request) -> Response:
        self.session = None
        return RedirectResponse("/door", 302)

    async def _first(self, request: Request) -> Response:
        """The first password must go before anything else."""
        session = self._seen(request)
        if session is None:
            return RedirectResponse("/door", 302)
        wrong = {}
        if request.method == "POST":
            said = await self._said(request)
            if said.get("once") not in session.once:
                return self._stale()
            session.once.clear()
            old = said.get("old", "")
            if not self.knows(session.user, old):
                wrong["old"] = "That is not the present one."
            elif why := wrong_password(said.get("new", ""), said.get("new2", ""), old):
                wrong["new"] = why
            else:
                self.running.people[session.user] = Person.with_secret("changes", said["new"])
                self.keep()
                self.session = None
                self.heard.append(f"{session.user} has a new password")
                return RedirectResponse("/door", 303)
        rows = [
            ("Present password", pages.box("old", "", 20, "password"), "old"),
            ("New password", pages.box("new", "", 20, "password"), "new"),
            ("New password again", pages.box("new2", "", 20, "password"), "new2"),
        ]
        rule = "<P>8 to 20 characters, with a letter and a digit."
        body = f"<P>The password on the label is known to all.{rule}"
        return self._answer(
            "First password", body + pages.form("first", session.form(), rows, wrong, "Change it"), inside=False
        )

    def _stale(self) -> Response:
        return self._answer("Out of date", "<P>This form was used before. Open its page again.", 409)

    async def _keep(self, request: Request) -> Response:
        session = self._inside(request)
        if isinstance(session, Response):
            return session
        told = ""
        if request.method == "POST":
            said = await self._said(request)
            if said.get("once") not in session.once or self.running.people[session.user].level != "changes":
                return self._stale()
            await self.clock.sleep(2)
            told = f"<P>Kept: {self.keep()} bytes."
            self.heard.append("kept")
        return self._answer("Keep", told + pages.form("keep", session.form(), [], {}, "Keep all of it"))

    def _inside(self, request: Request) -> Session | Response:
        session = self._seen(request)
        if session is None:
            return RedirectResponse("/door", 302)
        if self.running.people[session.user].must_renew:
            return RedirectResponse("/first", 302)
        return session

    async def _page(self, request: Request) -> Response:
        path = request.path_params["path"]
        session = self._inside(request)
        if isinstance(session, Response):
            return session
        if path == "state":
            return self._state()
        if path not in TAKES:
            return self._answer("Nothing here", "<P>There is no such page.", 404)
        said: dict[str, str] = {}
        wrong: dict[str, str] = {}
        if request.method == "POST":
            said = await self._said(request)
            if said.get("once") not in session.once:
                return self._stale()
            session.once.discard(said["once"])
            if self.running.people[session.user].level != "changes":
                return self._answer("Not for you", "<P>Wrong: this account only looks.", 403)
            taker = Taker(self.running.copy(), said)
            TAKES[path](taker)
            wrong = taker.wrong
            if not wrong:
                return self._taken(path, taker.state, session)
        return self._shown(path, session, said, wrong)

    def _taken(self, path: str, state: Sheet, session: Session) -> Response:
        moves = self._where(state) != self._where(self.running)
        self.running = state
        self.heard.append(f"{path} set")
        if path != "address":
            return self._shown(path, session, {}, {}, "<P>Done.")
        self.spawn(self.moves_after(3.0 if moves else 0.5))
        if not moves:
            return self._shown(path, session, {}, {}, "<P>Done.")
        there = state.values["address"] if state.values["mode"] == "fixed" else "the address of its lease"
        return self._answer(
            "Moving", f"<P>In a moment it answers at {there}. Come in again there, and keep it.", inside=False
        )

    @staticmethod
    def _where(state: Sheet) -> tuple[str, ...]:
        return tuple(state.values[key] for key in ("mode", "address", "length"))

    def _shown(
        self, path: str, session: Session, said: dict[str, str], wrong: dict[str, str], told: str = ""
    ) -> Response:
        state, title = self.running, pages.PLACES[path]
        looks = self.running.people[session.user].level != "changes"
        before = pages.vlan_list(state) if path == "vlans" else ""
        before = pages.people_list(state.people) if path == "people" else before
        if path == "ports":
            return self._answer(title, told + pages.ports_form(session.form(), state, wrong))
        values = {**state.values, **({key: value for key, value in said.items() if key != "once"} if wrong else {})}
        body = pages.form(path, session.form(), pages.rows_of(path, values, state), wrong, BUTTONS.get(path, "Set"))
        return self._answer(title, told + before + (body if not looks else body.replace("TYPE=submit", "TYPE=button")))

    def _state(self) -> Response:
        v, body = self.running.values, self.body
        address = self.address
        rows = {
            "Name": v["name"],
            "Serial": body.serial,
            "MAC": body.mac,
            "Firmware": body.image,
            "Answers at": f"{address.ip} / {address.network.prefixlen}" if address else "nowhere",
            "Way out": v["gateway"] or "none",
            "VLANs": str(len(vlans_of(self.running))),
            "Pages with encryption": "always",
        }
        lines = "".join(f"<TR><TD>{label}<TD>{value}" for label, value in rows.items())
        return self._answer("State", f"<TABLE>{lines}</TABLE>")
