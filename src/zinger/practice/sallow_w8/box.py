"""The Sallow W8, a small wireless controller: set up over its own network, page after page, then in its own place.

Its set-up network stays until the first access point joins; once set up, its pages are at the address it was given.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from ipaddress import IPv4Interface
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.air import AirNetwork
from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.sallow_w8 import pages
from zinger.practice.sallow_w8.steps import STEPS, TAKES, as_delivered, nets_again, nets_of

FIRST_DAY = "203.0.113.129/25"
LEASED = "203.0.113.200/25"
PAGES = ("radios", "nets", "people", "clock", "wire")


class SmallController(PagesBox):
    """One simulated controller."""

    BOOT = ((60, ""), (80, ""), (40, ""))
    factory_address = IPv4Interface("203.0.113.129/25")

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.draft: Sheet = self.running.copy()
        self.step = "terms"
        self.turn = ""
        self.seats: dict[str, str] = {}

    def factory_state(self) -> Sheet:
        return as_delivered()

    async def _live(self) -> None:
        self.step, self.seats = "terms", {}
        await super()._live()
        self.draft = self.running.copy()

    def on_air(self) -> list[AirNetwork]:
        v, secret = self.running.values, self.running.secrets
        tails = {"all": ("24", "5"), "2.4": ("24",), "5": ("5",)}
        return [
            AirNetwork(name, v[f"channel{tail}"], secret.get(f"key:{name}", "") if kind == "key" else "")
            for name, kind, _, band, _ in (nets_of(self.running) if self.up else ())
            for tail in tails.get(band, ("24", "5"))
        ]

    @property
    def fixed_address(self) -> IPv4Interface | None:
        v = self.in_force.values
        if v["done"] != "yes":
            return IPv4Interface(FIRST_DAY)
        return IPv4Interface(v["address"] if v["how4"] == "fixed" else self.lease or LEASED)

    @property
    def open_doors(self) -> dict[str, bool]:
        v = self.in_force.values
        return {"https": True, "http": v["done"] == "yes" and v["plain"] == "yes"}

    def sign_all_out(self) -> None:
        self.seats.clear()

    # -- its pages ---------------------------------------------------------------------------------
    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", self._where_now),
                Route("/door", self._door, methods=["GET", "POST"]),
                Route("/first/{step}", self._first, methods=["GET", "POST"]),
                Route("/again", self._again),
                Route("/now", self._now),
                Route("/clients", self._clients),
                Route("/fits", self._fits, methods=["GET", "POST"]),
                Route("/see/{step}", self._see, methods=["GET", "POST"]),
            ]
        )

    @property
    def _is_done(self) -> bool:
        return bool(self.running.values["done"] == "yes")

    async def _where_now(self, request: Request) -> Response:
        return RedirectResponse("/now" if self._is_done else f"/first/{self.step}", 302)

    async def _again(self, request: Request) -> Response:
        """From the beginning."""
        if not self._is_done:
            self.draft, self.step = self.running.copy(), "tongue"
        return RedirectResponse("/", 302)

    def _new_turn(self) -> str:
        self.turn = secrets.token_urlsafe(9)
        return self.turn

    async def _first(self, request: Request) -> Response:
        step = request.path_params["step"]
        if self._is_done:
            return RedirectResponse("/now", 302)
        if step != self.step and step not in STEPS[: STEPS.index(self.step) if self.step in STEPS else 0]:
            return RedirectResponse(f"/first/{self.step}", 302)
        wrong: dict[str, str] = {}
        said: dict[str, str] = {}
        if request.method == "POST":
            said = {key: str(value) for key, value in (await request.form()).items()}
            if said.get("turn") != self.turn:
                return HTMLResponse(pages.whole("Old page", "<p>This page is old. <a href='/'>Go on</a></p>"), 409)
            if step == "sum":
                return await self._summed_up(said)
            if step == "terms":
                wrong = {} if said.get("yes") else {"yes": "it must be agreed to"}
            else:
                state = self.draft.copy()
                TAKES[step](state, said, wrong)
                self.draft = self.draft if wrong else state
            if not wrong:
                self.heard.append(f"first: {step}")
                stays = step == "nets" and said.get("go") == "Add it"
                self.step = step if stays else self._after(step)
                return RedirectResponse(f"/first/{self.step}", 303)
        return HTMLResponse(self._page(step, {**self.draft.values, **said}, wrong), 422 if wrong else 200)

    @staticmethod
    def _after(step: str) -> str:
        return STEPS[0] if step == "terms" else STEPS[STEPS.index(step) + 1]

    def _page(self, step: str, v: dict[str, str], wrong: dict[str, str]) -> str:
        to, turn = f"/first/{step}", self._new_turn()
        if step == "terms":
            lines = "".join(f"<p>{line}</p>" for line in pages.TERMS)
            agree = '<tr><th>Agreed</th><td><input type="checkbox" name="yes"></td></tr>'
            return pages.whole("Terms", lines + pages.form(to, turn, agree, ["Go on"], wrong))
        if step == "sum":
            body = pages.in_sum(self.draft) + pages.nets_table(self.draft)
            return pages.whole(pages.TITLES[step], body + pages.form(to, turn, "", ["Set it up", "Start over"], wrong))
        before = pages.nets_table(self.draft) if step == "nets" else ""
        buttons = ["Go on", "Add it"] if step == "nets" else ["Go on"]
        links = [("/again", "From the beginning")]
        body = before + pages.form(to, turn, pages.rows_of(step, v, wrong), buttons, wrong)
        return pages.whole(pages.TITLES[step], body, links)

    async def _summed_up(self, said: dict[str, str]) -> Response:
        if said.get("go") != "Set it up":
            return await self._again(None)  # type: ignore[arg-type]
        self.draft.values["done"] = "yes"
        self.running = self.draft.copy()  # the draft goes on as that of the list of networks
        self.keep()
        self.heard.append("set up")
        self.spawn(self._restarts_soon())
        body = "<p>It is being set up, and restarts. Join your own network again.</p>"
        return HTMLResponse(pages.whole("Being set up", body))

    async def _restarts_soon(self) -> None:
        await self.clock.sleep(5)
        self.restart()

    # -- once it is set up -------------------------------------------------------------------------
    def _user(self, request: Request) -> str | None:
        return self.seats.get(request.cookies.get("w8", "")) if self._is_done else None

    async def _door(self, request: Request) -> Response:
        wrong: dict[str, str] = {}
        if request.method == "POST":
            said = await request.form()
            user = str(said.get("who", ""))
            if self._is_done and self.knows(user, str(said.get("pw", ""))):
                self.seats = {(seat := secrets.token_hex(8)): user, **self.seats}
                there = RedirectResponse("/now", 303)
                there.set_cookie("w8", seat, httponly=True, secure=True, samesite="strict")
                self.heard.append(f"{user} is in")
                return there
            await self.clock.sleep(1)
            wrong = {"pw": "that is not right"}
        rows = pages.box("who", "Name", {}, wrong) + pages.box("pw", "Password", {}, wrong, "password")
        return HTMLResponse(pages.whole("Door", pages.form("/door", "", rows, ["Go in"], wrong)))

    def _inside(self, title: str, body: str) -> Response:
        links = [("/now", "Now"), ("/clients", "Clients"), *((f"/see/{p}", pages.TITLES[p]) for p in PAGES)]
        return HTMLResponse(pages.whole(title, body, [*links, ("/fits", "Try a key")]))

    async def _now(self, request: Request) -> Response:
        if self._user(request) is None:
            return RedirectResponse("/door" if self._is_done else "/", 302)
        v, body = self.running.values, self.body
        rows = {
            "Serial": body.serial, "MAC": body.mac, "Software": body.image, "Language": v["tongue"],
            "Country": v["country"], "Pages with encryption": "always",
        }  # fmt: skip
        told = "".join(f"<dt>{label}</dt><dd>{value}</dd>" for label, value in rows.items())
        return self._inside("Now", f"<dl>{told}</dl>{pages.nets_table(self.running)}{self._people()}")

    def _people(self) -> str:
        lines = "".join(f"<tr><td>{who}</td><td>{p.level}</td></tr>" for who, p in self.running.people.items())
        return f"<table><tr><th>Person</th><th>May</th></tr>{lines}</table>"

    async def _clients(self, request: Request) -> Response:
        if self._user(request) is None:
            return RedirectResponse("/door", 302)
        rows = "".join(f"<tr><td>{net[0]}</td><td>0</td></tr>" for net in nets_of(self.running))
        return self._inside("Clients", f"<table><tr><th>Network</th><th>Clients</th></tr>{rows}</table>")

    async def _see(self, request: Request) -> Response:
        step, user = request.path_params["step"], self._user(request)
        if user is None:
            return RedirectResponse("/door", 302)
        if step not in PAGES:
            return HTMLResponse(pages.whole("Nothing", "<p>There is nothing here.</p>"), 404)
        title = f"{pages.TITLES[step]} as set"
        wrong: dict[str, str] = {}
        said: dict[str, str] = {}
        if request.method == "POST":
            said = {key: str(value) for key, value in (await request.form()).items()}
            if self.running.people[user].level == "runs":
                self._put_right(step, said, wrong)
            else:
                wrong = dict.fromkeys(("name", "runs", "ssid", "time1", "channel24"), "only who runs it may do this")
            said = said if wrong else {}
        values = {**self.running.values, **{p.level: who for who, p in self.running.people.items()}, **said}
        before = pages.nets_table(self.draft) if step == "nets" else ""
        buttons = ["Empty the list", "Add it", "Put right", "Take the server"] if step == "nets" else ["Put right"]
        form = pages.form(f"/see/{step}", "", pages.rows_of(step, values, wrong), buttons, wrong)
        return self._inside(title, before + form)

    def _put_right(self, step: str, said: Mapping[str, str], wrong: dict[str, str]) -> None:
        """Take a change to what was set up; the list of networks is drafted first."""
        if step == "nets":
            state = nets_again(self.running, self.draft, said, wrong)
        else:
            state = self.running.copy()
            TAKES[step](state, said, wrong)
        if wrong or state is self.running:
            return
        self.running = state
        self.keep()
        self.heard.append(f"{step} put right")
        if step in ("wire", "people"):
            self.spawn(self.moves_after(4))

    async def _fits(self, request: Request) -> Response:
        """Whether a key is that of a network, or of the RADIUS server."""
        if self._user(request) is None:
            return RedirectResponse("/door", 302)
        told = ""
        if request.method == "POST":
            said = await request.form()
            right = self.running.secrets.get(str(said.get("what", "")).strip()) == digest(str(said.get("key", "")))
            told = "<p>It fits.</p>" if right else "<p>no: it does not fit</p>"
        rows = pages.box("what", "Of what", {}, {}) + pages.box("key", "Key to try", {}, {}, "password")
        return self._inside("Try a key", told + pages.form("/fits", "", rows, ["Try it"], {}))
