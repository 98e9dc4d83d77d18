"""The Quern T1, a packet broker: one page has everything, and it is in force, and kept, as soon as it is sent.

It asks for name and password as browsers do (basic sign-in). When its address changes it sends on to the new one, where
nobody follows who has no address there.
"""

from __future__ import annotations

import base64
import binascii
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response
from starlette.routing import Route

from zinger.practice.core.pages_box import PagesBox, text
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Check, Sheet, host, hosts, name, number, words
from zinger.practice.core.words import Refused, address_of, host_in_net

ZONES = ("UTC", "Europe/Vienna", "Europe/Zurich", "Africa/Nairobi", "Asia/Tokyo", "Pacific/Auckland")
MOVES_AFTER = 2.0


def several(check: Check) -> Check:
    """Some addresses with commas between, or nothing."""
    return lambda said: check(said.replace(",", " ") or "none").replace(" ", ", ")


def _address(said: str) -> str:
    return str(host_in_net(said))


FIELDS: dict[str, tuple[str, str, Check]] = {
    "name": ("Broker", "Name", name(20)),
    "place": ("Broker", "Place", words(40)),
    "greeting": ("Broker", "Greeting", words(120)),
    "address": ("Port M", "Address and length", _address),
    "gateway": ("Port M", "Way out", lambda said: host(said) if said else ""),
    "resolvers": ("Port M", "Name servers", several(hosts(2))),
    "search": ("Port M", "Search domain", words(60)),
    "times": ("Clock", "Time servers", several(hosts(3))),
    "zone": ("Clock", "Zone", words(40)),
    "idle": ("Visitors", "Minutes until an idle visitor must sign in again", number(1, 60)),
    "logs": ("Visitors", "Log receiver", lambda said: host(said) if said else ""),
}
"""What is asked for, by key: the part of the page, the label, and what is taken."""


class Broker(PagesBox):
    """One simulated broker."""

    BOOT = ((20, ""), (35, ""), (5, ""))
    PRESSED_WITHIN = 240.0

    def factory_state(self) -> Sheet:
        return Sheet(
            {
                "name": "t1",
                "place": "",
                "greeting": "",
                "address": "192.0.2.71/24",
                "gateway": "",
                "resolvers": "none",
                "search": "",
                "times": "none",
                "zone": "UTC",
                "idle": "20",
                "logs": "",
                "https": "yes",
                "http": "yes",
                "telnet": "no",
                "ssh": "no",
            },
            {"tap": Person.with_secret("keeper", "tap-and-see")},
        )

    def application(self) -> Any:
        return Starlette(routes=[Route("/", self._page, methods=["GET", "POST"])])

    async def _page(self, request: Request) -> Response:
        who = self._who(request)
        if who is None:
            told = {"WWW-Authenticate": 'Basic realm="Quern T1"'}
            return PlainTextResponse("A name and a password, please.\n", 401, told)
        keeper = self.running.people[who].level == "keeper"
        if request.method == "GET":
            return HTMLResponse(self._written(dict(self.running.values), {}, keeper))
        if not keeper:
            return HTMLResponse(self._written(dict(self.running.values), {"name": "visitors only look"}, keeper), 403)
        return await self._put_in_place({key: str(value) for key, value in (await request.form()).items()})

    def _who(self, request: Request) -> str | None:
        scheme, _, given = request.headers.get("authorization", "").partition(" ")
        try:
            user, _, password = base64.b64decode(given).decode().partition(":")
        except (binascii.Error, UnicodeDecodeError):
            return None
        return user if scheme.lower() == "basic" and self.knows(user, password) else None

    async def _put_in_place(self, said: dict[str, str]) -> Response:
        """Everything at once, or nothing."""
        state, wrong = self.running.copy(), {}
        for key, (_, _, check) in FIELDS.items():
            try:
                state.values[key] = check(said.get(key, "").strip())
            except Refused as refusal:
                wrong[key] = str(refusal)
        gateway = "" if wrong.keys() & {"gateway", "address"} else state.values["gateway"]
        if gateway and address_of(gateway) not in host_in_net(state.values["address"]).network:
            wrong["gateway"] = "it is not in the network of port M"
        if state.values["zone"] not in ZONES:
            wrong["zone"] = "no such zone"
        for door in ("http", "telnet"):
            state.values[door] = "yes" if door in said else "no"
        self._people(state, said, wrong)
        if wrong:
            return HTMLResponse(self._written({**state.values, **said}, wrong, True), 422)
        moves = state.values["address"] != self.running.values["address"]
        self.running = state
        self.keep()
        self.heard.append("put in place: " + ", ".join(f"{k} {said.get(k, '')}" for k in FIELDS))
        self.spawn(self.moves_after(MOVES_AFTER if moves else 0.2))
        to = f"https://{host_in_net(state.values['address']).ip}/" if moves else "/"
        return RedirectResponse(to, 303)

    @staticmethod
    def _people(state: Sheet, said: dict[str, str], wrong: dict[str, str]) -> None:
        for level in ("keeper", "looker"):
            who, password, again = (said.get(f"{level}{part}", "") for part in ("", "-pw", "-pw2"))
            known = next((n for n, p in state.people.items() if p.level == level), "")
            if not password and who == known:
                continue
            if password != again:
                wrong[f"{level}-pw2"] = "it is not the same"
            elif who and (len(password) < 8 or not any(c.isalpha() for c in password)):
                wrong[f"{level}-pw"] = "8 characters or more, a letter among them"
            elif not who and level == "keeper":
                wrong[level] = "somebody must keep it"
            else:
                state.people.pop(known, None)
                if who:
                    state.people[who] = Person.with_secret(level, password)

    def _written(self, values: dict[str, str], wrong: dict[str, str], keeper: bool) -> str:
        """The page, with what is wrong beside its field."""

        def no(key: str) -> str:
            return f" <em>not so: {text(wrong[key])}</em>" if key in wrong else ""

        def box(key: str) -> str:
            value = "" if values[key] == "none" else values[key]
            if key == "zone":
                options = "".join(f"<option{' selected' if z == value else ''}>{z}</option>" for z in ZONES)
                return f"<select name=zone id=zone>{options}</select>"
            if key == "greeting":
                return f"<textarea name=greeting id=greeting rows=2>\n{text(value)}</textarea>"
            return f'<input name={key} id={key} value="{text(value)}">'

        parts: dict[str, list[str]] = {}
        for key, (part, label, _) in FIELDS.items():
            parts.setdefault(part, []).append(f"<p><label for={key}>{label}</label> {box(key)}{no(key)}</p>")
        for door, label in (("http", "Pages without encryption"), ("telnet", "Telnet")):
            ticked = " checked" if values.get(door) in ("yes", "on") else ""
            parts["Visitors"].append(f"<p><label><input type=checkbox name={door}{ticked}> {label}</label></p>")
        people = {person.level: who for who, person in self.running.people.items()}
        for level, label in (("keeper", "Keeper"), ("looker", "Looks only")):
            rows = [f'<p>{label} <input name={level} value="{text(people.get(level, ""))}">{no(level)}</p>']
            for part, more in (("-pw", "new password"), ("-pw2", "the same again")):
                key = level + part
                rows.append(f"<p>{label}, {more} <input type=password name={key} value=''>{no(key)}</p>")
            parts.setdefault("People", []).extend(rows)
        body = "".join(f"<fieldset><legend>{part}</legend>{''.join(rows)}</fieldset>" for part, rows in parts.items())
        button = "<p><button>Put in place</button></p>" if keeper else ""
        return (
            "<!doctype html><html><head><title>Quern T1</title></head><body><h1>Packet broker</h1>"
            f"<dl><dt>Serial number<dd>{self.body.serial}<dt>MAC of port M<dd>{self.body.mac}"
            f"<dt>Running<dd>{self.body.image}<dt>Pages with encryption<dd>always</dl>"
            f"<form method=post action='/'>{body}{button}</form></body></html>"
        )
