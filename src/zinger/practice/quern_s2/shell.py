"""The dialogue of a Quern S2: signing in, and the words that each context knows."""

from __future__ import annotations

import asyncio
import re
import shlex
from collections.abc import Awaitable, Callable
from ipaddress import AddressValueError, IPv4Address, IPv4Interface, IPv4Network
from typing import ClassVar
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from zinger.practice.core.people import Person
from zinger.practice.core.tty import Discarded, LineLost, Tty
from zinger.practice.core.words import Refused, address_of, addresses, one
from zinger.practice.quern_s2.hardware import Hardware
from zinger.practice.quern_s2.signin import SignIn, check_secret
from zinger.practice.quern_s2.state import tell
from zinger.practice.quern_s2.switching import Switching

Action = Callable[[list[str]], Awaitable[None]]
THINKS = 0.6
"""Seconds that the switch takes to carry out a line, as such boxes do."""
SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")


class SignedOut(Exception):
    """The session ends."""


class Shell(Switching):
    """One session on a terminal line, from sign-in to sign-out."""

    CONTEXTS: ClassVar[dict[str, tuple[str, ...]]] = {
        "base": (
            "people",
            "mgmt",
            "names",
            "clock",
            "log",
            "snmp",
            "doors",
            "vlans",
            "ports",
            "bundles",
            "voice",
            "spanning-tree",
            "bindings",
        ),
        "base/doors": ("ssh", "telnet", "http", "https", "tftp", "usb", "dhcp-load", "lldp"),
    }

    def __init__(self, switch: Hardware, tty: Tty, where: str) -> None:
        self.switch, self.tty, self.where = switch, tty, where
        self.context = "look"
        self.user = ""

    async def console(self) -> None:
        """Serve a console for ever: each Return wakes it, each sign-out puts it to rest."""
        while await self.tty.key() != "\r":
            pass
        while True:
            self.tty.show("\n")
            self.user = await SignIn(self.switch, self.tty, self.where).ask()
            await self.serve()

    async def serve(self) -> None:
        """Carry out lines until signing out; idle sessions are signed out."""
        self.context = "look"
        while True:
            try:
                line = await asyncio.wait_for(
                    self.tty.line(self.prompt()), self.switch.clock.real(self.switch.running.idle * 60)
                )
                if line.strip():
                    self.switch.heard.append(f"[{self.where}] {self.context}: {line.strip()}")
                    await self.carry_out(line)
            except TimeoutError:
                self.tty.show(f"\nidle for {self.switch.running.idle} min; signed out\n")
                return
            except Refused as refusal:
                self.tty.show(f"refused: {refusal}\n")
            except Discarded:
                self.tty.show("left as it was\n")
            except SignedOut:
                self.tty.show("signed out\n")
                return

    def prompt(self) -> str:
        """The prompt names the switch and the context."""
        return f"{self.switch.running.name} in {self.context}, do: "

    async def carry_out(self, line: str) -> None:
        """Find the word in this context and do it."""
        try:
            word, *rest = shlex.split(line)
        except ValueError:
            raise Refused("a quote is left open") from None
        action = self.words().get(word)
        if action is None:
            self.tty.show(f"no such word: {word}\n")
            return
        await self.switch.clock.sleep(THINKS)
        await action(rest)

    def words(self) -> dict[str, Action]:
        """The words known in the present context."""
        common = {"tell": self.do_tell, "words": self.do_words}
        if self.context == "look":
            return {**common, "take": self.do_take, "leave": self.do_leave}
        inner = {"ascend": self.do_ascend} if "/" in self.context else {}
        if self.context in self.CONTEXTS:
            inner["descend"] = self.do_descend
        own = self.own_words().get(self.context.partition(" ")[0])
        if own is None:
            own = {"open": self.do_open, "shut": self.do_shut}
        return {**common, **inner, **own}

    def own_words(self) -> dict[str, dict[str, Action]]:
        """The words of each context, but for those of the doors, which are all alike."""
        return {
            "base": {
                "step": self.do_step,
                "rename": self.do_rename,
                "greet": self.do_greet,
                "location": self.do_location,
                "contact": self.do_contact,
                "keep": self.do_keep,
                "restart": self.do_restart,
            },
            "base/people": {"add": self.do_add, "drop": self.do_drop},
            "base/mgmt": {
                "vlan": self.do_vlan,
                "address": self.do_address,
                "gateway": self.do_gateway,
                "stations": self.do_stations,
            },
            "base/names": {"resolver": self.do_resolver, "suffix": self.do_suffix},
            "base/clock": {
                "source": self.do_source,
                "zone": self.do_zone,
                "prefer": self.do_prefer,
                "poll": self.do_poll,
            },
            "base/log": {"receiver": self.do_receiver, "severity": self.do_severity, "local-log": self.do_local_log},
            "base/snmp": {"user": self.do_user, "remove": self.do_remove},
            "base/doors": {"idle": self.do_idle},
            "base/vlans": {
                "make": self.do_make,
                "unmake": self.do_unmake,
                "default-vlan": self.do_default_vlan,
                "igmp-snooping": self.do_igmp_snooping,
            },
            "base/ports": {
                "carries": self.do_carries,
                "mixes": self.do_mixes,
                "off": self.do_off,
                "note": self.do_note,
            },
            "base/bundles": {"bind": self.do_bind, "unbind": self.do_unbind},
            "base/voice": {"carry": self.do_carry},
            "base/spanning-tree": {"run": self.do_run, "bridge-priority": self.do_bridge_priority},
            "base/bindings": {"allow": self.do_allow, "disallow": self.do_disallow},
        }

    async def do_words(self, rest: list[str]) -> None:
        await self.tty.page([f"   {word}" for word in sorted(self.words())])

    async def do_tell(self, rest: list[str]) -> None:
        startup = rest[-1:] == ["startup"]
        here = self.context.partition("/")[2].partition("/")[0].partition(" ")[0]
        section = (rest[:-1] if startup else rest) or [here or "all"]
        if startup and self.switch.startup is None:
            raise Refused("there is no startup state; nothing was kept yet")
        state = self.switch.startup if startup and self.switch.startup else self.switch.running
        body = self.switch.body
        identity = [("model", body.model), ("serial", body.serial), ("mac", body.mac), ("image", body.image)]
        lines = tell(state, identity, "" if startup else self.switch.address_note(), self.switch.PORTS, section[0])
        if not lines:
            raise Refused(f"nothing to tell of {section[0]}")
        await self.tty.page(lines)

    async def do_take(self, rest: list[str]) -> None:
        if rest != ["charge"]:
            raise Refused("take what?")
        if self.switch.running.people[self.user].level != "keeper":
            raise Refused("a watcher may not take charge")
        self.context = "base"

    async def do_leave(self, rest: list[str]) -> None:
        raise SignedOut

    async def do_step(self, rest: list[str]) -> None:
        self.context = "look"

    async def do_descend(self, rest: list[str]) -> None:
        known = self.CONTEXTS[self.context]
        wants = 2 if rest[:1] == ["ports"] else 1
        if len(rest) != wants or rest[0] not in known:
            raise Refused("to which ports?" if wants == 2 else f"from here one descends to {', '.join(known)}")
        if wants == 2:
            self.chosen = self.choose(rest[1])
        self.context += f"/{' '.join(rest)}"

    async def do_ascend(self, rest: list[str]) -> None:
        self.context = (
            "base" if self.context.count("/") == 1 or " " in self.context else self.context.rpartition("/")[0]
        )

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
        await self._choose_secret(rest[0])
        self.switch.running.snmp_users[rest[0]] = f"{rest[2]} {rest[4]}"

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
                raise Refused(f"{fixed.ip} is no host of {fixed.network.network_address} len {prefix}")
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
            raise Refused(f"{word} is no source")
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

    async def do_open(self, rest: list[str]) -> None:
        await self._door(True)

    async def do_shut(self, rest: list[str]) -> None:
        await self._door(False)

    async def _door(self, is_open: bool) -> None:
        self.switch.running.doors[self.context.rpartition("/")[2]] = is_open
        await self.switch.apply_network()

    async def do_keep(self, rest: list[str]) -> None:
        if await self._sure("running becomes startup, yes or no? "):
            self.tty.show("writing")
            for _ in range(6):
                await self.switch.clock.sleep(0.5)
                self.tty.show(" .")
            size = self.switch.keep()
            self.tty.show(f"\nkept as startup, {size} bytes\n")
        else:
            self.tty.show("not kept\n")

    async def do_restart(self, rest: list[str]) -> None:
        if self.switch.unsaved():
            self.tty.show("not all that runs is kept; the rest will be lost\n")
        if await self._sure("restart now, yes or no? "):
            self.switch.restart()
            raise LineLost

    async def _sure(self, question: str) -> bool:
        while True:
            reply = await self.tty.line(question, at_question=True)
            if reply in ("yes", "no"):
                return reply == "yes"
            self.tty.show("say yes or no\n")


def _text(rest: list[str]) -> str:
    """One text in quotes; `none` takes it away."""
    text = one(rest, "one text in quotes")
    return "" if text == "none" else text
