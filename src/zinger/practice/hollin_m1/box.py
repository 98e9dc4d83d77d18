"""The Hollin M1, a manager of firewalls: a script of questions, which can be answered again for a change.

It asks for more than it makes: the search suffix and the greeting are asked for and forgotten. Each can be set alone.
"""

from __future__ import annotations

from ipaddress import IPv4Interface

from zinger.practice.core.people import Person
from zinger.practice.core.questions import Asker, BeginAgain
from zinger.practice.core.sheet import (
    SEVERITIES,
    Check,
    Sheet,
    address6,
    among,
    asked,
    digest,
    hosts,
    local_log,
    name,
    number,
    url,
    words,
    written,
)
from zinger.practice.core.sheet_box import SheetBox
from zinger.practice.core.tty import Discarded, Tty
from zinger.practice.core.words import Refused, address_of

MENU = "\n   1  answer the questions\n   2  what is set\n   3  set one thing\n   4  go\n   5  try a password\n"
_IDLE = number(1, 240)
SINGLE: dict[str, Check] = {
    "suffix": words(60),
    "greeting": words(200),
    "place": words(60),
    "contact": words(60),
    "domain": words(60),
    "address6": address6,
    "gateway6": words(40),
    "managed-from": words(120),
    "summer": among("y", "n"),
    "idle": _IDLE,
    "idle-console": _IDLE,
    "idle-network": _IDLE,
    "idle-web": _IDLE,
    "logs": hosts(4),
    "times": hosts(4),
    "local-log": local_log,
    "updates": url,
    "proxy": url,
    "wrong-passwords": written(r"[1-9]\d? then \d{1,4} min", "say N then N min"),
    "snmp-speaks": written(r"none|(v1|v2c|v3)( (v1|v2c|v3))*", "say v2c v3"),
}
OF_HOSTS: dict[str, Check] = {
    "asking": asked("say first, every N s, key N"),
    "logging": written(
        rf"(port \d+)? ?(by (udp|tcp|tls))?( from ({'|'.join(SEVERITIES)}))?( order \d\d?)?",
        "say port N by udp, tcp or tls",
    ),
}
"""What can be said of one time server or log receiver: asking 192.0.2.7."""
SECRET: dict[str, Check] = {
    "time-key": written("y", "say y"),
    "snmp": written(r"\S+ \S+ (none|des|aes)", "say NAME HASH CIPHER"),
}
"""Things that come with a password, which is asked for."""


class Manager(SheetBox):
    """One simulated manager."""

    BOOT = (
        (40, "hollin m1 wakes"),
        (120, "disk 0 sound, disk 1 sound"),
        (380, "database made"),
        (56, "desk services start"),
        (4, "manager up and at rest"),
    )
    labelled = True
    OPEN = "y"
    CHATTER = ("database: {n} notes swept", "no firewall has called yet")
    STAMP = "-- {h:02}:{m:02}:{s:02} {text} --"

    def factory_state(self) -> Sheet:
        return Sheet(
            {
                "name": "hollin-m1",
                "address": "by lease",
                "gateway": "none",
                "resolvers": "none",
                "suffix": "none",
                "times": "none",
                "zone": "UTC",
                "idle": "30",
                "logs": "none",
                "greeting": "none",
                "ssh": "n",
                "https": "y",
                "http": "y",
                "telnet": "n",
            },
            {"keeper": Person.with_secret("keeper", self.label, must_renew=True)},
        )

    @property
    def fixed_address(self) -> IPv4Interface | None:
        address = self.running.values["address"]
        return None if address == "by lease" else IPv4Interface(address)

    async def on_console(self, tty: Tty) -> None:
        while await tty.key() != "\r":
            pass
        while True:
            tty.show(f"\nHollin M1, serial {self.body.serial}, mac {self.body.mac}\n")
            try:
                user = await tty.line("your name: ", at_question=True)
                password = await tty.line("your password: ", blind=True, at_question=True)
            except Discarded:
                continue
            if self.knows(user, password):
                await ManagerDesk(self, tty, "console").serve(user)
            else:
                await self.clock.sleep(1)
                tty.show("that is not known\n")

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        if user is not None:
            await ManagerDesk(self, tty, kind).serve(user)


class ManagerDesk:
    """One session."""

    def __init__(self, box: Manager, tty: Tty, where: str) -> None:
        self.box, self.tty, self.where = box, tty, where
        self.asker = Asker(tty, lambda question, stands: f"{question} {{{stands}}}: ", "not taken")

    async def serve(self, user: str) -> None:
        """The menu, again and again; at the first sign-in the questions come before it."""
        if self.box.running.people[user].must_renew:
            self.tty.show("nothing is set yet; the questions begin\n")
            await self.questions()
        while True:
            person = self.box.running.people.get(user)
            if person is None:
                self.tty.show(f"{user} is not known any more; gone\n")
                return
            keeper = person.level == "keeper"
            way, values = ("console" if self.where == "console" else "network"), self.box.running.values
            idle = self.box.clock.real(int(values.get(f"idle-{way}", values["idle"])) * 60)
            self.tty.show(f"{self.box.running.values['name']}{MENU}")
            try:
                picked = await self.tty.line("number: ", idle=idle)
                self.box.heard.append(f"[{self.where}] {picked}")
                if picked == "2":
                    await self.tell()
                elif picked == "4":
                    return
                elif picked in ("1", "3", "5") and not keeper:
                    self.tty.show("not taken: you only look\n")
                elif picked == "1":
                    await self.questions()
                elif picked == "3":
                    await self.one_thing()
                elif picked == "5":
                    await self.try_password()
                elif picked:
                    self.tty.show("not taken: 1 to 5\n")
            except TimeoutError:
                self.tty.show("\nnobody is here; gone\n")
                return

    async def tell(self) -> None:
        values, body = self.box.running.values, self.box.body
        lines = [f"serial = {body.serial}", f"mac = {body.mac}", f"image = {body.image}"]
        lines += [f"{key} = {value}" for key, value in values.items()]
        lines += [f"person = {who}, {p.level}" for who, p in self.box.running.people.items()]
        await self.tty.page([f"   {line}" for line in lines])

    async def one_thing(self) -> None:
        key = await self.tty.line("which thing: ", at_question=True)
        kind, _, host = key.partition(" ")
        check = OF_HOSTS.get(kind) if host else SINGLE.get(key) or SECRET.get(key)
        if check is None:
            self.tty.show(f"not taken: one of {', '.join([*SINGLE, *SECRET])}, or {', '.join(OF_HOSTS)} HOST\n")
            return
        try:
            value = check(await self.tty.line("to what: ", at_question=True))
        except Refused as refusal:
            self.tty.show(f"not taken: {refusal}\n")
            return
        if key in SECRET:
            secret = await self.asker.secret(f"password of {key}", f"once more, {key}", 8)
            self.box.running.secrets[key] = digest(secret)
        self.box.running.values[key] = value
        self.box.heard.append(f"[{self.where}] {key} to {value}")
        self.box.keep()
        self.tty.show("set\n")

    async def try_password(self) -> None:
        key = await self.tty.line("password of which thing: ", at_question=True)
        typed = digest(await self.tty.line("password to try: ", blind=True, at_question=True))
        self.tty.show("it is right\n" if self.box.running.secrets.get(key) == typed else "it is wrong\n")

    async def questions(self) -> None:
        """All questions; Ctrl-X begins them again."""
        while True:
            try:
                answers = await self._ask_all(self.box.running.copy())
            except BeginAgain:
                self.tty.show(f"from the beginning, serial {self.box.body.serial}, mac {self.box.body.mac}\n")
                continue
            if await self.asker.yes("write this down", False, "y", "n"):
                break
            self.tty.show("nothing was written; from the beginning\n")
        self.tty.show("writing")
        for _ in range(10):
            await self.box.clock.sleep(2)
            self.tty.show(" .")
        stands = self.box.running.values
        self.box.running = answers
        answers.values.update({key: stands[key] for key in ("suffix", "greeting")})  # asked for, and forgotten
        self.box.keep()
        await self.box.apply_network()
        self.tty.show("\nwritten; the desk services start again\n")
        self.box.heard.append(f"[{self.where}] questions answered")

    async def _ask_all(self, sheet: Sheet) -> Sheet:
        ask, values = self.asker, sheet.values
        values["greeting"] = await ask.value("greeting", values["greeting"], words(200))
        await self._people(sheet)
        for door in ("ssh", "https", "http", "telnet"):
            values[door] = "y" if await ask.yes(f"{door} open", values[door] == "y", "y", "n") else "n"
        values["idle"] = await ask.value("minutes until an idle desk closes", values["idle"], number(1, 240))
        values["logs"] = await ask.value("log to, blanks between", values["logs"], hosts(4))
        if await ask.yes("time from the network", values["times"] != "none", "y", "n"):
            values["times"] = await ask.value("time servers, blanks between", values["times"], hosts(4))
        values["zone"] = await ask.value("zone", values["zone"], words(40))
        values["name"] = await ask.value("name of this manager", values["name"], name(31))
        values["resolvers"] = await ask.value("name servers, blanks between", values["resolvers"], hosts(3))
        values["suffix"] = await ask.value("search suffix", values["suffix"], words(60))
        values["address"] = await ask.value("address with its length, or by lease", values["address"], _address)
        if values["address"] != "by lease":
            values["gateway"] = await ask.value("gateway", values["gateway"], lambda text: str(address_of(text)))
        return sheet

    async def _people(self, sheet: Sheet) -> None:
        ask, people = self.asker, sheet.people
        if people["keeper"].must_renew or await ask.yes("a new password for keeper", False, "y", "n"):
            password = await ask.secret("new password for keeper", "once more, for keeper", 10)
            people["keeper"] = Person.with_secret("keeper", password)
        for level, question in (("keeper", "one more keeper"), ("looker", "one who only looks")):
            known = next((who for who, p in people.items() if p.level == level and who != "keeper"), "none")
            who = await ask.value(question, known, words(24))
            if who != "none":
                secret = await ask.secret(f"password of {level} {who}", f"once more, {level} {who}", 10)
                people.pop(known, None)
                people[who] = Person.with_secret(level, secret)


def _address(text: str) -> str:
    """ADDRESS/LENGTH, or `by lease`."""
    address, slash, length = text.partition("/")
    if text == "by lease":
        return text
    if not slash or not length.isdigit() or not 8 <= int(length) <= 30:
        raise Refused("say it as 192.0.2.1/24, or by lease")
    return f"{address_of(address)}/{length}"
