"""The Tarn B2, one end of a wireless bridge: an interface of JSON, which its page made by scripts uses too.

What is put is kept at once and counts after a restart. The end that follows must hear the leading end before it takes
it; both tell how well they hear each other.
"""

from __future__ import annotations

import json
import math
import secrets
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route

from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.sheet import Sheet
from zinger.practice.core.words import Refused
from zinger.practice.tarn_b2.parts import PARTS, as_delivered

TERMS = ("This unit transmits. Whoever sets it up answers for the rules of the country in which it stands.",)
METRES_APART = 84.0
"""How far two of them stand from each other in the yard."""
SCAN_TAKES = 6.0
APP = "<!doctype html><title>Tarn B2</title><div id=mast></div><script src=/mast.js></script>"


class BridgeEnd(PagesBox):
    """One simulated end."""

    BOOT = ((20, ""), (25, ""), (10, ""))

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.draft: Sheet = self.running.copy()
        self.passes: dict[str, str] = {}
        self.scanned_until = -1.0

    def factory_state(self) -> Sheet:
        return as_delivered()

    async def _live(self) -> None:
        self.passes.clear()
        await super()._live()
        self.draft = self.running.copy()

    def sign_all_out(self) -> None:
        self.passes.clear()

    # -- the air -----------------------------------------------------------------------------------
    @property
    def leads(self) -> bool:
        """Whether it leads, and sends."""
        return bool(self.up and self.running.values["end"] == "lead")

    def hears(self, other: BridgeEnd) -> int:
        """Signal-to-noise in dB of what the other sends."""
        channel, power = int(other.running.values["channel"]), int(other.running.values["power"])
        gigahertz = (5000 + 5 * channel) / 1000
        loss = 92.45 + 20 * math.log10(gigahertz) + 20 * math.log10(METRES_APART / 1000)
        return round(power + 2 * 19 - loss + 95)

    def _leads_heard(self) -> list[BridgeEnd]:
        return [o for o in self.others() if isinstance(o, BridgeEnd) and o is not self and o.leads]

    def _far_end(self) -> BridgeEnd | None:
        """Who is at the other end now, if the bridge stands."""
        mine = self.running.values
        for other in (o for o in self.others() if isinstance(o, BridgeEnd) and o is not self and o.up):
            theirs = other.running.values
            lead, follow = (mine, theirs) if mine["end"] == "lead" else (theirs, mine)
            named = follow["far"] == lead["name"] and {lead["end"], follow["end"]} == {"lead", "follow"}
            if named and lead["channel"] == follow["channel"]:
                return other
        return None

    # -- its interface -----------------------------------------------------------------------------
    def application(self) -> Any:
        return Starlette(
            routes=[
                Route("/", self._app),
                Route("/api/enter", self._enter, methods=["POST"]),
                Route("/api/unit", self._unit),
                Route("/api/terms", self._terms, methods=["GET", "POST"]),
                Route("/api/heard", self._heard, methods=["GET", "POST"]),
                Route("/api/link", self._link),
                Route("/api/restart", self._restart, methods=["POST"]),
                Route("/api/{part}", self._part, methods=["GET", "PUT"]),
            ]
        )

    async def _app(self, request: Request) -> Response:
        return HTMLResponse(APP)

    def _who(self, request: Request) -> str | None:
        return self.passes.get(request.headers.get("x-mast-pass", ""))

    def _no(self, request: Request) -> Response | None:
        """Why somebody can't go on, if so."""
        if self._who(request) is None:
            return JSONResponse({"no": "who is there?"}, 401)
        if self.running.values["agreed"] != "yes":
            return JSONResponse({"no": "the terms come first", "terms": list(TERMS)}, 403)
        return None

    async def _enter(self, request: Request) -> Response:
        said = await _said(request)
        user = str(said.get("who", ""))
        if not self.knows(user, str(said.get("password", ""))):
            await self.clock.sleep(1)
            return JSONResponse({"no": "who is there?"}, 401)
        self.passes = {(made := secrets.token_hex(12)): user, **self.passes}
        self.heard.append(f"{user} entered")
        return JSONResponse({"pass": made})

    async def _terms(self, request: Request) -> Response:
        if self._who(request) is None:
            return JSONResponse({"no": "who is there?"}, 401)
        if request.method == "POST" and (await _said(request)).get("agreed") is True:
            self.running.values["agreed"] = self.draft.values["agreed"] = "yes"
            self.keep()
            self.heard.append("terms agreed to")
        return JSONResponse({"terms": list(TERMS), "agreed": self.running.values["agreed"] == "yes"})

    async def _unit(self, request: Request) -> Response:
        if no := self._no(request):
            return no
        waits = self.draft.dump() != self.running.dump()
        unit = {"serial": self.body.serial, "mac": self.body.mac, "software": self.body.image}
        return JSONResponse({"unit": unit, "name": self.running.values["name"], "waits_for_a_restart": waits})

    async def _part(self, request: Request) -> Response:
        """One part of what is kept; what is put counts after a restart."""
        if no := self._no(request):
            return no
        part = request.path_params["part"]
        if part not in PARTS:
            return JSONResponse({"no": "there is nothing there"}, 404)
        shown, taken = PARTS[part]
        if request.method == "PUT":
            state = self.draft.copy()
            try:
                taken(state, await _said(request))
                self._may_follow(state)
            except Refused as refusal:
                return JSONResponse({"no": str(refusal)}, 422)
            self.draft = state
            self.startup = state.copy()
            self.heard.append(f"{part} was put")
        return JSONResponse({part: shown(self.draft), "waits_for_a_restart": self.draft.dump() != self.running.dump()})

    def _may_follow(self, state: Sheet) -> None:
        """Who follows must have heard the one that leads."""
        far = state.values["far"]
        if state.values["end"] == "follow" and self.draft.values["far"] != far:
            names = [other.running.values["name"] for other in self._leads_heard()]
            if self.scanned_until < 0 or far not in names:
                raise Refused(f"{far} was not heard; listen first")

    async def _heard(self, request: Request) -> Response:
        """What was heard, or listen anew."""
        if no := self._no(request):
            return no
        now = self.clock.now()
        if request.method == "POST":
            self.scanned_until = now + SCAN_TAKES
        if self.scanned_until < 0 or now < self.scanned_until:
            return JSONResponse({"listening": self.scanned_until >= 0, "leads": []})
        leads = [
            {"name": o.running.values["name"], "channel": int(o.running.values["channel"]), "db": self.hears(o)}
            for o in self._leads_heard()
        ]
        return JSONResponse({"listening": False, "leads": leads})

    async def _link(self, request: Request) -> Response:
        if no := self._no(request):
            return no
        far = self._far_end()
        told = {"state": "up", "far": far.running.values["name"], "db": self.hears(far)} if far else {"state": "down"}
        return JSONResponse({"link": told})

    async def _restart(self, request: Request) -> Response:
        if no := self._no(request):
            return no
        self.heard.append("told to restart")
        self.spawn(self._restarts_soon())
        return JSONResponse({"restarts": True})

    async def _restarts_soon(self) -> None:
        await self.clock.sleep(1)
        self.restart()


async def _said(request: Request) -> dict[str, Any]:
    try:
        said = json.loads(await request.body() or b"{}")
    except ValueError:
        return {}
    return said if isinstance(said, dict) else {}
