"""How a Quern S2 is managed: the words of its names, people, management address, clock, log and SNMP users."""

from __future__ import annotations

import hashlib
import re
from ipaddress import AddressValueError, IPv4Address, IPv4Interface, IPv4Network
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from zinger.practice.core.people import Person
from zinger.practice.core.tty import Tty
from zinger.practice.core.words import Refused, address_of, addresses, one
from zinger.practice.quern_s2.signin import check_secret
from zinger.practice.quern_s2.switching import Switching

SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")


class Managing(Switching):
    """The words of the management contexts; part of the shell."""

    tty: Tty
    user: str

    async def do_rename(self, rest: list[str]) -> None:
        name = one(rest, "a name")
        if not re.fullmatch("[a-z0-9-]{1,24}", name):
            raise Refused("a name is 1 to 24 of a-z, 0-9 and hyphen")
        self.switch.running.name = name

    async def do_greet(self, rest: list[str]) -> None:
        text = one(rest, "one text in quotes")
        self.switch.running.greeting = "" if text == "none" else text

    async def do_location(self, rest: list[str]) -> None:
        self.switch.running.location = _text(rest)

    async def do_contact(self, rest: list[str]) -> None:
        self.switch.running.contact = _text(rest)

    async def do_add(self, rest: list[str]) -> None:
        if len(rest) != 3 or rest[1] != "as" or rest[2] not in ("keeper", "warden", "watcher"):
            raise Refused("say add NAME as keeper, as warden or as watcher")
        name = rest[0]
        if name in self.switch.running.people:
            raise Refused(f"{name} is here already")
        self.switch.running.people[name] = Person.with_secret(rest[2], await self._choose_secret(name))

    async def _choose_secret(self, name: str) -> str:
        """Ask for a secret twice, until it is good and the two are alike."""
        while True:
            first = await self.tty.line(f"secret to give {name}: ", blind=True, at_question=True)
            refusal = check_secret(first, None)
            if refusal:
                self.tty.show(f"refused: {refusal}\n")
                continue
            if await self.tty.line("the same again: ", blind=True, at_question=True) == first:
                return first
            self.tty.show("refused: the two differ\n")

    async def do_user(self, rest: list[str]) -> None:
        if len(rest) != 5 or rest[1::2] != ["auth", "privacy"]:
            raise Refused("say user NAME auth HASH privacy CIPHER")
        key = await self._choose_secret(rest[0])
        self.switch.running.snmp_users[rest[0]] = f"{rest[2]} {rest[4]}"
        self.switch.running.snmp_keys[rest[0]] = _digest(rest[0], key)

    async def do_try(self, rest: list[str]) -> None:
        """Ask itself as that user, with a key that is typed."""
        name = one(rest, "a name")
        if name not in self.switch.running.snmp_users:
            raise Refused(f"no user is called {name}")
        key = await self.tty.line(f"key of {name} to try: ", blind=True, at_question=True)
        right = _digest(name, key) == self.switch.running.snmp_keys.get(name)
        self.tty.show(f"{name} is answered\n" if right else f"{name} is not answered\n")

    async def do_remove(self, rest: list[str]) -> None:
        if self.switch.running.snmp_users.pop(one(rest, "a name"), None) is None:
            raise Refused(f"no user is called {rest[0]}")

    async def do_stations(self, rest: list[str]) -> None:
        if rest == ["any"]:
            self.switch.running.stations = []
            return
        words = [rest[i : i + 3] for i in range(0, len(rest), 3)]
        try:
            nets = [str(IPv4Network(f"{net}/{int(size)}")) for net, length, size in words if length == "len"]
        except ValueError:
            raise Refused("say stations A.B.C.D len N, as many as four, or stations any") from None
        if not 1 <= len(nets) == len(words) <= 4:
            raise Refused("say stations A.B.C.D len N, as many as four, or stations any")
        self.switch.running.stations = [net.replace("/", " len ") for net in nets]

    async def do_drop(self, rest: list[str]) -> None:
        name = one(rest, "a name")
        if name not in self.switch.running.people:
            raise Refused(f"nobody is called {name}")
        if name == self.user:
            raise Refused("you can't drop yourself")
        del self.switch.running.people[name]

    async def do_vlan(self, rest: list[str]) -> None:
        number = one(rest, "a number")
        if not number.isdigit() or not 1 <= int(number) <= 4094:
            raise Refused("a VLAN is 1 to 4094")
        self.switch.running.vlan = int(number)

    async def do_address(self, rest: list[str]) -> None:
        running = self.switch.running
        if rest == ["lease"]:
            running.address = "lease"
        else:
            try:
                word, address, length, prefix = rest
                if (word, length) != ("fixed", "len"):
                    raise ValueError
                fixed = IPv4Interface(f"{address}/{int(prefix)}")
            except (ValueError, AddressValueError):
                raise Refused("say address fixed A.B.C.D len N, or address lease") from None
            if fixed.ip in (fixed.network.network_address, fixed.network.broadcast_address):
                raise Refused(f"{fixed.ip} is not a host of {fixed.network.network_address} len {prefix}")
            if running.gateway and IPv4Address(running.gateway) not in fixed.network:
                running.gateway = ""
                self.tty.show("note: the gateway was outside and is gone\n")
            running.address = str(fixed)
            self.tty.show(f"note: answering on {fixed.ip} from now on\n")
        await self.switch.apply_network()

    async def do_gateway(self, rest: list[str]) -> None:
        word, running = one(rest, "an address"), self.switch.running
        if word != "none":
            gate = address_of(word)
            if running.address == "lease":
                raise Refused("the lease brings its own gateway")
            mine = IPv4Interface(running.address)
            if gate not in mine.network or gate == mine.ip:
                raise Refused(f"{gate} is no other host of {mine.network.network_address} len {mine.network.prefixlen}")
        running.gateway = "" if word == "none" else word

    async def do_resolver(self, rest: list[str]) -> None:
        self.switch.running.resolver = addresses(rest, 3)

    async def do_suffix(self, rest: list[str]) -> None:
        word = one(rest, "a domain")
        self.switch.running.suffix = "" if word == "none" else word

    async def do_source(self, rest: list[str]) -> None:
        self.switch.running.source = addresses(rest, 4)

    async def do_prefer(self, rest: list[str]) -> None:
        word = one(rest, "a source")
        if word != "none" and word not in self.switch.running.source:
            raise Refused(f"{word} is not a source")
        self.switch.running.prefer = "" if word == "none" else word

    async def do_poll(self, rest: list[str]) -> None:
        word = one(rest, "seconds")
        if word != "usual" and not (word.isdigit() and 16 <= int(word) <= 131072):
            raise Refused("a poll is 16 to 131072 s, or usual")
        self.switch.running.poll = 0 if word == "usual" else int(word)

    async def do_zone(self, rest: list[str]) -> None:
        zone = one(rest, "a zone")
        try:
            ZoneInfo(zone)
        except (ZoneInfoNotFoundError, ValueError):
            raise Refused(f"no zone is called {zone}") from None
        self.switch.running.zone = zone

    async def do_receiver(self, rest: list[str]) -> None:
        self.switch.running.receiver = addresses(rest, 4)

    def _severity(self, rest: list[str]) -> str:
        word = one(rest, "a severity")
        if word not in (*SEVERITIES, "all", "none"):
            raise Refused(f"a severity is one of {', '.join(SEVERITIES)}, or all, or none")
        return word

    async def do_severity(self, rest: list[str]) -> None:
        self.switch.running.severity = self._severity(rest)

    async def do_local_log(self, rest: list[str]) -> None:
        if len(rest) != 2 or rest[1] not in ("kept", "lost"):
            raise Refused("say local-log SEVERITY kept, or lost, at a restart")
        self.switch.running.local_log = f"{self._severity(rest[:1])} {rest[1]}"

    async def do_idle(self, rest: list[str]) -> None:
        minutes = one(rest, "minutes")
        if not minutes.isdigit() or not 1 <= int(minutes) <= 120:
            raise Refused("idle is 1 to 120 minutes")
        self.switch.running.idle = int(minutes)


def _digest(name: str, key: str) -> str:
    """Localised to the user, as such keys are."""
    return hashlib.sha256(f"{name}:{key}".encode()).hexdigest()


def _text(rest: list[str]) -> str:
    """One text in quotes; `none` takes it away."""
    text = one(rest, "one text in quotes")
    return "" if text == "none" else text
