"""The dialogue of a Quern S2: signing in, and the words that each context knows."""

from __future__ import annotations

import shlex
from collections.abc import Awaitable, Callable
from typing import ClassVar

from zinger.practice.core.tty import Discarded, LineLost, Tty
from zinger.practice.core.words import Refused
from zinger.practice.quern_s2.guarding import Guarding
from zinger.practice.quern_s2.hardware import Hardware
from zinger.practice.quern_s2.managing import Managing
from zinger.practice.quern_s2.signin import SignIn
from zinger.practice.quern_s2.state import tell

Action = Callable[[list[str]], Awaitable[None]]
THINKS = 0.6
"""Seconds that the switch takes to carry out a line, as such boxes do."""


class SignedOut(Exception):
    """The session ends."""


class Shell(Guarding, Managing):
    """One session on a terminal line, from sign-in to sign-out."""

    CONTEXTS: ClassVar[dict[str, tuple[str, ...]]] = {
        "base": (
            "people",
            "mgmt",
            "names",
            "clock",
            "log",
            "snmp",
            "passwords",
            "update",
            "stack",
            "uplinks",
            "doors",
            "vlans",
            "ports",
            "bundles",
            "voice",
            "spanning-tree",
            "bindings",
            "lists",
            "authorities",
        ),
        "base/doors": ("ssh", "telnet", "http", "https", "tftp", "usb", "dhcp-load", "lldp"),
    }

    WORDS: ClassVar[dict[str, str]] = {
        "base": "step rename greet location contact keep restart",
        "base/people": "add renew drop lock",
        "base/mgmt": "vlan address gateway stations address6 gateway6",
        "base/names": "resolver suffix domain host drop-host",
        "base/clock": "source zone summer summer-rule key try-key today",
        "base/log": "receiver local-log",
        "base/snmp": "user try remove community try-community versions",
        "base/passwords": "choose forget check",
        "base/update": "server proxy",
        "base/stack": "member unmember",
        "base/uplinks": "uplink no-uplink",
        "base/doors": "idle idle-console idle-network idle-web idle-at",
        "base/vlans": "make unmake default-vlan igmp-snooping",
        "base/ports": "carries mixes off note option plain",
        "base/bundles": "bind unbind",
        "base/voice": "carry",
        "base/spanning-tree": "run bridge-priority",
        "base/bindings": "allow disallow",
        "base/lists": "rule drop-list",
        "base/authorities": "authority try-authority ask",
    }
    """What each context knows, but for the doors, which are all alike; `local-log` is done by `do_local_log`."""

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
            if self.guarded("console") and not await self.asked("console", "password of this console: "):
                self.tty.show("not known here\n")
                continue
            self.user = await SignIn(self.switch, self.tty, self.where).ask()
            await self.serve()

    async def serve(self) -> None:
        """Carry out lines until signing out; idle sessions are signed out."""
        self.context = "look"
        while True:
            try:
                idle = self.switch.running.idle_of.get(self.where, self.switch.running.idle)
                line = await self.tty.line(self.prompt(), idle=self.switch.clock.real(idle * 60))
                if line.strip():
                    self.switch.heard.append(f"[{self.where}] {self.context}: {line.strip()}")
                    await self.carry_out(line)
            except TimeoutError:
                self.tty.show(f"\nidle for {idle} min; signed out\n")
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
            context: {word: getattr(self, f"do_{word.replace('-', '_')}") for word in words.split()}
            for context, words in self.WORDS.items()
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
        identity.append(("today", self.switch.today()))
        lines = tell(state, identity, "" if startup else self.switch.address_note(), self.switch.PORTS, section[0])
        if not lines:
            raise Refused(f"nothing to tell of {section[0]}")
        await self.tty.page(lines)

    async def do_take(self, rest: list[str]) -> None:
        if rest != ["charge"]:
            raise Refused("take what?")
        if self.switch.running.people[self.user].level != "keeper":
            raise Refused("a watcher may not take charge")
        if self.guarded("privileged"):
            if not await self.asked("privileged", "password to take charge: "):
                raise Refused("that is not the password")
            self.tty.show("in charge\n")
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
