"""The Marrable V6, a voice border gateway: its console draws pages with the cursor (ECMA-48), 80 by 24.

A person picks a page, then a field, and types its value in the bottom row. Nothing is kept before it is written,
and then it starts again.
"""

from __future__ import annotations

import ssl
from ipaddress import IPv4Address, IPv4Interface
from typing import Any

from zinger.practice.core.doors import self_signed, tls_of
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import (
    Check,
    Sheet,
    address6,
    among,
    digest,
    host,
    hosts,
    local_log,
    mask,
    name,
    number,
    url,
    words,
)
from zinger.practice.core.sheet_box import SheetBox
from zinger.practice.core.tty import Discarded, LineLost, Tty
from zinger.practice.core.words import Refused
from zinger.practice.marrable_v6.legs import Legs
from zinger.practice.marrable_v6.pages import Web
from zinger.practice.marrable_v6.tables import shown, understood

_DOOR = among("open", "shut")
PAGES: dict[str, tuple[str, dict[str, tuple[str, Check]]]] = {
    "1": ("WHO AND WHERE", {"a": ("name", name(24)), "b": ("place", words(60)), "c": ("contact", words(60))}),
    "2": ("ADDRESS", {"a": ("address", host), "b": ("mask", mask), "c": ("gateway", host)}),
    "3": (
        "NAMES AND TIME",
        {"a": ("resolvers", hosts(3)), "b": ("suffix", words(60)), "c": ("times", hosts(3)), "d": ("zone", words(40))},
    ),
    "8": (
        "MORE",
        {
            "a": ("domain", words(60)),
            "b": ("address6", address6),
            "c": ("gateway6", words(40)),
            "d": ("summer", among("on", "off")),
            "e": ("managers", words(60)),
            "f": ("idle-con", number(1, 99)),
            "g": ("idle-net", number(1, 99)),
            "h": ("idle-web", number(1, 99)),
            "i": ("local-log", local_log),
            "j": ("updates", url),
            "k": ("proxy", url),
        },
    ),
    "5": (
        "DOORS AND LOGS",
        {
            "a": ("ssh", _DOOR),
            "b": ("https", _DOOR),
            "c": ("http", _DOOR),
            "d": ("telnet", _DOOR),
            "e": ("idle", number(1, 99)),
            "f": ("logs", hosts(3)),
            "g": ("greeting", words(60)),
        },
    ),
}
MENU = (
    "1  who and where",
    "2  address",
    "3  names and time",
    "4  people",
    "5  doors and logs",
    "6  read it all",
    "7  write, and start again",
    "8  more",
    "0  leave",
)


class Gateway(SheetBox):
    """One simulated voice border gateway."""

    BOOT = ((30, "marrable v6"), (80, "voice engine, 4 ports"), (80, "tables read"), (20, "console at rest"))
    labelled = True
    CHATTER = ()

    def stands(self, flash: dict[str, Any]) -> None:
        super().stands(flash)
        self.web = Web(self)
        self.legs = Legs(lambda: self.laptop(), self._tls, self.clock, lambda where: self.plays(where))

    def _die(self) -> None:
        super()._die()
        self.web = Web(self)
        self.legs.shut()

    def _tls(self) -> ssl.SSLContext | None:
        if self.certificate is None:
            self.certificate = self_signed(self.body.key)
        return tls_of(self.certificate)

    async def apply_network(self) -> None:
        await super().apply_network()
        text = self.running.values["tables"]
        if self.up and text and not self.legs.open:
            await self.legs.follow(understood(text))

    def voice_port(self, address: IPv4Address, transport: str) -> int | None:
        leg = self.legs.open.get(address)
        return leg.ports.get(transport) if leg is not None else None

    def pages(self, kind: str) -> Any:
        return self.web.application() if kind == "https" else None

    def take_tables(self, text: str) -> None:
        """They are written, and it starts again with them; what is in force until then stays so."""
        state = self.startup.copy() if self.startup is not None else self.running.copy()
        state.values["tables"] = shown(text)
        state.secrets = {peer: digest(secret) for peer, secret in understood(text).secrets.items()}
        self.startup = state
        self.heard.append("tables taken")
        self.spawn(self._starts_again())

    async def _starts_again(self) -> None:
        await self.clock.sleep(4)
        self.restart()

    def factory_state(self) -> Sheet:
        return Sheet(
            {
                "name": "marrable-v6",
                "place": "",
                "contact": "",
                "address": "0.0.0.0",
                "mask": "255.255.255.0",
                "gateway": "",
                "resolvers": "",
                "suffix": "",
                "times": "",
                "zone": "UTC",
                "ssh": "shut",
                "https": "shut",
                "http": "open",
                "telnet": "open",
                "idle": "20",
                "logs": "",
                "greeting": "",
                "tables": "",
                **dict.fromkeys((field for field, _ in PAGES["8"][1].values()), ""),
            },
            {"operator": Person.with_secret("master", self.label, must_renew=True)},
        )

    @property
    def fixed_address(self) -> IPv4Interface | None:
        values = self.running.values
        return None if values["address"] == "0.0.0.0" else IPv4Interface(f"{values['address']}/{values['mask']}")

    async def on_console(self, tty: Tty) -> None:
        while await tty.key() != "\r":
            pass
        while True:
            await Pages(self, tty).sign_in_and_serve()

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        await Pages(self, tty).sign_in_and_serve()


class Pages:
    """One session of drawn pages."""

    def __init__(self, box: Gateway, tty: Tty) -> None:
        self.box, self.tty = box, tty
        self.message = ""

    def draw(self, title: str, rows: list[str], question: str) -> str:
        """The whole screen; returns the question, which stands in the bottom row."""
        head = f" MARRABLE V6   {title}"
        out = ["\x1b[2J\x1b[1;1H\x1b[7m", f"{head:<60}{self.box.body.serial:>19} ", "\x1b[0m"]
        for line, row in enumerate(rows, 3):
            out.append(f"\x1b[{line};4H{row}")
        out.append(f"\x1b[23;2H\x1b[1m{self.message}\x1b[0m\x1b[24;2H")
        self.tty.show("".join(out))
        self.message = ""
        return question

    async def ask(self, title: str, rows: list[str], question: str, blind: bool = False) -> str:
        """Draw, and ask in the bottom row."""
        return await self.tty.line(self.draw(title, rows, question), blind=blind, at_question=True)

    async def sign_in_and_serve(self) -> None:
        """Ask who is there; then pages until somebody leaves."""
        try:
            greeting = self.box.running.values["greeting"]
            user = await self.ask("sign in", [greeting], "operator: ")
            password = await self.ask("sign in", [greeting, "", f"operator {user}"], "password: ", blind=True)
            if not self.box.knows(user, password):
                await self.box.clock.sleep(1)
                self.draw("sign in", [], "")
                self.message = "not let in"
                return
            await self._menu()
        except Discarded:
            return

    async def _menu(self) -> None:
        while True:
            picked = await self.ask("MAIN", list(MENU), "pick: ")
            self.box.heard.append(f"[console] {picked}")
            if picked == "0":
                return
            if picked in PAGES:
                await self._page(*PAGES[picked])
            elif picked == "4":
                await self._people()
            elif picked == "6":
                await self._read()
            elif picked == "7":
                await self._write()
            elif picked:
                self.message = f"not taken: there is no {picked}"

    async def _page(self, title: str, fields: dict[str, tuple[str, Check]]) -> None:
        while True:
            values = self.box.running.values
            rows = [f"{key}  {field:<12} {values[field] or '-'}" for key, (field, _) in fields.items()]
            picked = await self.ask(title, rows, "pick (0 goes back): ")
            if picked == "0":
                return
            if picked not in fields:
                self.message = f"not taken: there is no {picked}"
                continue
            field, check = fields[picked]
            try:
                typed = await self.ask(title, rows, f"{field}: ")
                values[field] = check(typed) if typed else values[field]
                self.box.heard.append(f"[console] {field} {typed}")
                await self.box.apply_network()
            except Refused as refusal:
                self.message = f"not taken: {refusal}"
            except Discarded:
                self.message = "left as it was"

    async def _people(self) -> None:
        while True:
            people = self.box.running.people
            rows = [f"   {who} ({_level(p)})" for who, p in people.items()]
            picked = await self.ask(
                "PEOPLE", [*rows, "", "a  add   b  new password   c  strike"], "pick (0 goes back): "
            )
            if picked == "0":
                return
            if picked not in ("a", "b", "c"):
                self.message = f"not taken: there is no {picked}"
                continue
            try:
                who = await self.ask("PEOPLE", rows, "whose name: ")
                if picked == "c":
                    people.pop(who, None)
                    continue
                level = people[who].level if who in people else "looker"
                if picked == "a":
                    may = await self.ask("PEOPLE", rows, "may change things, y or n: ")
                    level = "master" if may == "y" else "looker"
                first = await self.ask("PEOPLE", rows, "password for this name: ", blind=True)
                again = await self.ask("PEOPLE", rows, "that password again: ", blind=True)
                if len(first) < 10 or first != again:
                    raise Refused("10 or more, and twice the same")
                people[who] = Person.with_secret(level, first)
            except Refused as refusal:
                self.message = f"not taken: {refusal}"
            except Discarded:
                self.message = "left as it was"

    async def _read(self) -> None:
        values, body = self.box.running.values, self.box.body
        written = "no" if self.box.unsaved() else "yes"
        rows = [f"serial {body.serial}   mac {body.mac}   image {body.image}   written {written}"]
        told = {**values, "address": f"{values['address']} mask {values['mask']}"}
        apart = {"mask", "tables", *(field for field, _ in PAGES["8"][1].values())}
        rows += [f"{key:<10} {value or '-'}" for key, value in told.items() if key not in apart]
        people = self.box.running.people
        named = [f"{who} ({_level(p)})" for who, p in people.items()]
        rows += [f"people     {', '.join(named[i : i + 2])}" for i in range(0, len(named), 2)]
        while await self.ask("READ", rows, "pick (0 goes back): ") != "0":
            self.message = "not taken: only 0"

    async def _write(self) -> None:
        if await self.ask("WRITE", ["all of it is written, and the gateway starts again"], "sure, y or n: ") == "y":
            self.box.keep()
            self.box.restart()
            raise LineLost


def _level(person: Person) -> str:
    """What a name may do; `label` while its password is the one that is printed."""
    return "label" if person.must_renew else person.level
