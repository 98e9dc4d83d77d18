"""The Sallow W5, a wireless controller: its questions at first contact, a summary, then it restarts."""

from __future__ import annotations

import re
from ipaddress import IPv4Address, IPv4Interface

from zinger.practice.core.air import AirNetwork
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
    host,
    hosts,
    interface,
    local_log,
    name,
    number,
    url,
    words,
    written,
)
from zinger.practice.core.sheet_box import SheetBox
from zinger.practice.core.tty import Discarded, LineLost, Tty
from zinger.practice.core.words import Refused

CHANNELS = {"2.4": (1, 13), "5": (36, 165)}


def _country(text: str) -> str:
    if not re.fullmatch("[A-Z]{2}", text):
        raise Refused("two capital letters")
    return text


def _where(text: str) -> str:
    """An address with its length, and the gateway behind it if there is one."""
    address, _, gateway = text.partition(" via ")
    try:
        mine = IPv4Interface(address)
        if "/" not in address or mine.ip in (mine.network.network_address, mine.network.broadcast_address):
            raise ValueError
        if gateway and IPv4Address(gateway) not in mine.network:
            raise Refused("the gateway is outside")
    except ValueError:
        raise Refused("as in 192.0.2.9/24 via 192.0.2.1") from None
    return f"{mine} via {gateway}" if gateway else str(mine)


def _or_auto(check: Check) -> Check:
    return lambda text: text if text == "auto" else check(text)


AMENDABLE: dict[str, Check] = {
    "idle": number(1, 160),
    "greeting": words(200),
    "place": words(60),
    "contact": words(60),
    "mesh": among("yes", "no"),
    "domain-name": words(60),
    "address6": address6,
    "gateway6": words(40),
    "managers": words(120),
    "summer": among("yes", "no"),
    "idle-console": number(1, 160),
    "idle-network": number(1, 160),
    "idle-web": number(1, 160),
    "lldp": among("yes", "no"),
    "local-log": local_log,
    "updates": url,
    "proxy": url,
    "join-at": interface,
    "client-addresses": among("any", "leased"),
    "client-leases": host,
    "guest-terms": words(200),
    "wrong-passwords": written(r"[1-9]\d? then \d{1,4} min", "as in 5 then 10 min"),
    "asked-first": among("accounts", "authorities", "authorities then accounts", "accounts then authorities"),
    "snmp-speaks": written(r"none|(v1|v2c|v3)( (v1|v2c|v3))*", "as in v2c v3"),
}
OF_HOSTS: dict[str, Check] = {
    "ask": asked("as in first every 256 s key 3"),
    "log-to": written(
        rf"by (udp|tcp|tls)( port \d+)?( from ({'|'.join(SEVERITIES)}))?( order \d\d?)?",
        "as in by tls port 6514 from notice",
    ),
}
"""What can be amended of one time server or log receiver: amend ask 192.0.2.7 first."""
SECRET: dict[str, Check] = {
    "time-key": among("yes"),
    "community-read": written(r"from \S+", "as in from 192.0.2.0/24, or from any"),
    "community-write": written(r"from \S+", "as in from 192.0.2.0/24, or from any"),
    "snmp": written(r"\S+ (none|des|aes)", "as in sha-256 aes"),
    "radius": written(r"port \d+", "as in port 1812"),
    "authority": written(r"by (radius|tacacs)( port \d{1,5})?", "as in by radius port 1812"),
}
"""What comes with a password, which is asked for; snmp NAME and radius HOST are many."""


class Controller(SheetBox):
    """One simulated wireless controller."""

    BOOT = (
        (20, "Sallow W5   serial {body.serial}   mac {body.mac}"),
        (100, "image {body.image} unfolds"),
        (120, "radio tables for 41 countries"),
        (56, "access-point service waits"),
        (4, "console at rest, ready for the first day"),
    )
    OPEN = "yes"
    CHATTER = ("no access point has called yet", "access point {n} asked and was turned away")
    STAMP = "#{h:02}{m:02}{s:02} {text}"

    def factory_state(self) -> Sheet:
        return Sheet({})

    @property
    def fixed_address(self) -> IPv4Interface | None:
        values = self.running.values
        return IPv4Interface(values["address"].partition(" ")[0]) if values else IPv4Interface("203.0.113.1/24")

    async def on_console(self, tty: Tty) -> None:
        while await tty.key() != "\r":
            pass
        if not self.running.values:
            await SetUp(self, tty, "First set-up").hold()
        while True:
            if greeting := self.running.values.get("greeting", "none"):
                tty.show(f"\n{greeting if greeting != 'none' else ''}\n")
            try:
                user = await tty.line("account? ", at_question=True)
                word = await tty.line("its password? ", blind=True, at_question=True)
            except Discarded:
                continue
            if self.knows(user, word):
                await self._serve(tty, "console", user)
            else:
                await self.clock.sleep(1)
                tty.show("turned away\n")

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        if user is not None:
            await self._serve(tty, kind, user)

    async def _serve(self, tty: Tty, where: str, user: str) -> None:
        while True:
            way, values = ("console" if where == "console" else "network"), self.running.values
            idle = self.clock.real(int(values.get(f"idle-{way}", values["idle"])) * 60)
            try:
                line = (await tty.line(f"{self.running.values['name']} listens: ", idle=idle)).strip()
                self.heard.append(f"[{where}] {line}")
                if line == "depart":
                    return
                if line:
                    await self._carry_out(tty, line, user)
            except TimeoutError:
                tty.show("\nidle too long; sent away\n")
                return
            except Refused as refusal:
                tty.show(f"cannot: {refusal}\n")
            except Discarded:
                tty.show("dropped\n")

    async def _carry_out(self, tty: Tty, line: str, user: str) -> None:
        verb, _, rest = line.partition(" ")
        await self.clock.sleep(0.4)
        if verb == "report":
            await tty.page(self.report())
        elif verb == "amend" and self.running.people[user].level == "master":
            await self._amend(tty, rest)
        elif verb == "lift" and self.running.people[user].level == "master":
            self._lift(rest)
            tty.show("lifted and stored\n")
        elif verb == "try" and self.running.people[user].level == "master":
            typed = digest(await tty.line("password to try? ", blind=True, at_question=True))
            tty.show("it fits\n" if self.running.secrets.get(rest) == typed else "it does not fit\n")
        elif verb == "try-key":
            await self._try_key(tty, rest)
        elif line == "ask-all" and self.running.people[user].level == "master":
            await SetUp(self, tty, "All is asked again; empty keeps it").hold()
        else:
            raise Refused(f"{verb} means nothing here")

    async def _amend(self, tty: Tty, rest: str) -> None:
        """amend KEY VALUE, amend KIND HOST VALUE, or amend KEY that comes with a password."""
        key, _, value = rest.partition(" ")
        host, _, behind = value.partition(" ")
        if key in AMENDABLE:
            self.running.values[key] = AMENDABLE[key](value)
        elif key in OF_HOSTS and host:
            self.running.values[f"{key} {host}"] = OF_HOSTS[key](behind)
        elif key in SECRET:
            name = f"{key} {host}" if key in ("snmp", "radius", "authority") else key
            said = SECRET[key](value if name == key else behind)
            asker = Asker(tty, lambda question, stands: question, "cannot")
            self.running.secrets[name] = digest(await asker.secret("its password", "its password, again", 8))
            self.running.values[name] = said
        else:
            known = ", ".join([*AMENDABLE, *OF_HOSTS, *SECRET])
            raise Refused(f"only {known} can be amended; all else is asked at first set-up")
        self.keep()
        tty.show("amended and stored\n")

    def _lift(self, kind: str) -> None:
        """Take all of a kind away."""
        if kind not in OF_HOSTS and kind not in SECRET:
            raise Refused(f"{kind} cannot be lifted")
        for key in [key for key in self.running.values if key.partition(" ")[0] == kind]:
            del self.running.values[key]
            self.running.secrets.pop(key, None)
        self.keep()

    async def _try_key(self, tty: Tty, network: str) -> None:
        """Sign a station of its own in to a network, with a key that is typed."""
        rows = [row.split("|") for row in self.running.values["networks"].split("\n") if row]
        wanted = next((row for row in rows if row[0] == network), None)
        if wanted is None:
            raise Refused(f"there is no network {network}")
        key = await tty.line("key to try? ", blind=True, at_question=True)
        await self.clock.sleep(2)
        tty.show("the key fits\n" if key == wanted[4] else "the key does not fit\n")

    def on_air(self) -> list[AirNetwork]:
        rows = [row.split("|") for row in self.running.values.get("networks", "").split("\n") if row and self.up]
        return [AirNetwork(name, "any", digest(key) if key else "") for name, _, _, _, key, _ in rows]

    def report(self) -> list[str]:
        """All that is set, and the wireless networks as a table."""
        values, networks = self.running.values, self.running.values["networks"].split("\n")
        lines = [f"serial          {self.body.serial}", f"mac             {self.body.mac}"]
        lines.append(f"image           {self.body.image}")
        told = dict(values)
        lines += [f"{key:<16}{'' if len(key) < 16 else ' '}{value}" for key, value in told.items() if key != "networks"]
        lines += [f"person          {who} ({p.level})" for who, p in self.running.people.items()]
        lines += ["", f"{'NETWORK':<26}{'LOCK':<8}{'VLAN':<6}{'BAND':<6}FOR"]
        rows = (row.split("|") for row in networks if row)
        return lines + [f"{n:<26}{lock:<8}{vlan:<6}{band:<6}{whom}" for n, lock, vlan, whom, _, band in rows]


class SetUp:
    """The questions of the first contact, which can all be asked again: what stands is shown, and kept by Return."""

    def __init__(self, box: Controller, tty: Tty, title: str) -> None:
        self.box, self.tty, self.title = box, tty, title
        self.stood = box.running
        self.keeps = ", empty keeps it" if self.stood.values else ""
        self.count = 0
        self.asker = Asker(tty, self._question, "cannot")

    def _question(self, question: str, stands: str) -> str:
        self.count += 1
        return f"{self.count} · {question}, now {stands}: "

    def _stands(self, key: str, delivered: str) -> str:
        return str(self.stood.values.get(key, delivered))

    async def hold(self) -> None:
        """Ask until the summary is taken; then store and restart."""
        while True:
            body, stood = self.box.body, self.stood.values
            self.tty.show("\n" if stood else f"\nSallow W5   serial {body.serial}   mac {body.mac}\n")
            self.tty.show(f"{self.title}. Ctrl-X begins again.\n")
            self.count = 0
            try:
                sheet = await self._ask_all()
                self._summary(sheet)
                if await self.asker.yes("take all this and restart", False, "yes", "no"):
                    break
            except BeginAgain:
                continue
        self.box.running = sheet
        self.box.keep()
        self.box.heard.append(f"[console] {self.title.lower()}: taken")
        self.tty.show("stored; restarting\n")
        self.box.restart()
        raise LineLost

    def _summary(self, sheet: Sheet) -> None:
        self.tty.show("\nThis is what was understood:\n")
        for key, value in sheet.values.items():
            if key != "networks":
                self.tty.show(f"   {key} : {value}\n")
        for row in sheet.values["networks"].split("\n"):
            self.tty.show(f"   network : {' '.join(row.split('|')[:4])}\n" if row else "")

    async def _ask_all(self) -> Sheet:
        ask, stands = self.asker, self._stands
        values = dict(self.stood.values)
        values["country"] = await ask.value("country of its radios, two letters", stands("country", "none"), _country)
        for band in CHANNELS:
            values[f"radio-{band}"] = await self._radio(band)
        values["mesh"] = await self._yes("mesh", "mesh", "yes")
        values["networks"] = await self._networks()
        values["guests"] = await ask.value("address where guests sign in", stands("guests", "192.0.2.1"), host)
        people = await self._people()
        times = stands("times", "none")
        timed = await ask.yes("time from the network", times != "none", "yes", "no")
        values["times"] = await ask.value("time servers", times, hosts(3)) if timed else "none"
        values["zone"] = await ask.value("zone", stands("zone", "UTC"), words(40))
        for door, is_open in (("https", "yes"), ("ssh", "no"), ("telnet", "no"), ("http", "yes")):
            values[door] = await self._yes(f"{door} open", door, is_open)
        values["logs"] = await ask.value("log receivers", stands("logs", "none"), hosts(3))
        values["resolvers"] = await ask.value("resolvers", stands("resolvers", "none"), hosts(3))
        values["suffix"] = await ask.value("domain", stands("suffix", "none"), words(60))
        values["name"] = await ask.value("what it is called", stands("name", "sallow-w5"), name(31))
        vlan = "VLAN of its own address, 0 for untagged"
        values["vlan"] = await ask.value(vlan, stands("vlan", "0"), number(0, 4094))
        values["address"] = await ask.value("its own address as A/N via GATEWAY", stands("address", "none"), _where)
        values["service"] = await self._yes("service port by lease", "service", "yes")
        return Sheet({"idle": "5", "greeting": "none"} | values, people, dict(self.stood.secrets))

    async def _yes(self, question: str, key: str, delivered: str) -> str:
        return "yes" if await self.asker.yes(question, self._stands(key, delivered) == "yes", "yes", "no") else "no"

    async def _people(self) -> dict[str, Person]:
        before = {person.level: who for who, person in self.stood.people.items()}
        master = await self.asker.value("account that may change things", before.get("master", "master"), words(24))
        people = {master: await self._person("master", master)}
        if await self.asker.yes("an account that only looks, too", "looker" in before, "yes", "no"):
            looker = await self.asker.value("account that only looks", before.get("looker", "looker"), words(24))
            people[looker] = await self._person("looker", looker)
        return people

    async def _person(self, level: str, who: str) -> Person:
        question, stood = f"password of the {level}", self.stood.people.get(who)
        keeps = self.keeps if stood else ""
        word = await self.asker.secret(question, f"{question}, again", 8, keeps)
        return stood if stood and not word else Person.with_secret(level, word)

    async def _networks(self) -> str:
        before = [row.split("|") for row in self._stands("networks", "").split("\n") if row]
        rows: list[str] = []
        while True:
            stood = before[len(rows)] if len(rows) < len(before) else ["none", "open", "0", "staff", "", "all"]
            rows.append(await self._network(*stood))
            if not await self.asker.yes("one more wireless network", len(rows) < len(before), "yes", "no"):
                return "\n".join(rows)

    async def _network(self, stood: str, locked: str, in_vlan: str, whose: str, old_key: str, on: str) -> str:
        network = await self.asker.value("wireless network", stood, words(32))
        lock = await self.asker.value("its lock: open, key or 802.1x", locked, among("open", "key", "802.1x"))
        keeps = self.keeps if old_key else ""
        key = (await self.asker.secret("its key", "its key, again", 8, keeps) or old_key) if lock == "key" else ""
        vlan = await self.asker.value("its VLAN", in_vlan, number(0, 4094))
        band = await self.asker.value("its band: all, 2.4 or 5", on, among("all", "2.4", "5"))
        guests = await self.asker.yes("for guests", whose == "guests", "yes", "no")
        return f"{network}|{lock}|{vlan}|{'guests' if guests else 'staff'}|{key}|{band}"

    async def _radio(self, band: str) -> str:
        stood = self._stands(f"radio-{band}", "")
        if not await self.asker.yes(f"radio {band} on", stood != "off", "yes", "no"):
            return "off"
        _, at, _, wide, _, strong = stood.split() if stood not in ("", "off") else (*"-", "", *"-", "20", *"-", "20")
        low, high = CHANNELS[band]
        channel = await self.asker.value(f"channel of radio {band}", at or str(low), _or_auto(number(low, high)))
        width = await self.asker.value(f"width of radio {band} in MHz", wide, among("20", "40", "80"))
        power = await self.asker.value(f"power of radio {band} in dBm", strong, _or_auto(number(1, 23)))
        return f"channel {channel} width {width} power {power}"
