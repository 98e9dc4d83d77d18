"""The Hollin G4, a firewall: nothing that is said counts until the draft is weighed and enacted.

An enacted draft that touches the way in goes back by itself unless somebody says that it stands.
"""

from __future__ import annotations

import asyncio
import re
import shlex
from ipaddress import IPv4Interface

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.core.sheet_box import SheetBox
from zinger.practice.core.tty import Discarded, Tty
from zinger.practice.core.words import Refused, address_of
from zinger.practice.hollin_g4.keys import BASES, KEYS, NAMED, SECRET

FIRST = "keeper"
STANDS_FOR = 300.0
"""Seconds that a change of the way in stands unless it is confirmed."""
THINKS, COMMITS, WRONG_TRIES = 0.5, 60.0, 5


class Firewall(SheetBox):
    """One simulated firewall."""

    BOOT = (
        (50, "hollin g4 wakes"),
        (110, "rule engine 8.1 loads"),
        (160, "state table made, 200000 entries"),
        (60, "interfaces 1-8 counted"),
        (36, "what was in force is in force again"),
        (4, "desk open and at rest"),
    )
    labelled = True
    CHATTER = ("state table at {n} percent", "interface {n} has carrier", "a probe was turned away")
    STAMP = "-- {h:02}:{m:02}:{s:02} {text} --"
    behind_menu = True
    back_at: asyncio.Task[None] | None = None
    """The task that takes an enacted draft back, while it may."""

    def factory_state(self) -> Sheet:
        return Sheet(
            {"name": "hollin-g4", "base": "none", "https": "open"},
            {FIRST: Person.with_secret("full", self.label, must_renew=True)},
        )

    @property
    def fixed_address(self) -> IPv4Interface | None:
        address = self.running.values.get("address", "by lease")
        return None if address == "by lease" else IPv4Interface(address)

    async def on_console(self, tty: Tty) -> None:
        while await tty.key() != "\r":
            pass
        while True:
            tty.show(f"\nHollin G4, serial {self.body.serial}\n")
            await Desk(self, tty, "console").sign_in_and_serve()

    async def on_network(self, tty: Tty, kind: str, user: str | None) -> None:
        desk = Desk(self, tty, kind)
        if user is None:
            await desk.sign_in_and_serve()
        elif await desk.renewed(user):
            await desk.serve(user)

    async def put_in_force(self, draft: Sheet) -> bool:
        """Make a draft count; returns whether it goes back by itself unless it is confirmed."""
        before = self.running
        moved = any(before.values.get(key) != draft.values.get(key) for key in ("address", "gateway"))
        self.running = draft
        await self.apply_network()
        if moved:
            self.stand_down()
            self.back_at = asyncio.get_running_loop().create_task(self._back(before))
            self._tasks.add(self.back_at)
        else:
            self.keep()
        return moved

    async def _back(self, before: Sheet) -> None:
        await self.clock.sleep(STANDS_FOR)
        self.running, self.back_at = before, None
        await self.apply_network()
        if self.console:
            self.console.burst("-- nobody said stand: what was in force before is in force again --")

    def stand_down(self) -> bool:
        """Nothing goes back by itself any more; returns whether something would have."""
        waiting, self.back_at = self.back_at, None
        if waiting is not None:
            waiting.cancel()
        return waiting is not None


class Desk:
    """One session at the desk."""

    def __init__(self, box: Firewall, tty: Tty, where: str) -> None:
        self.box, self.tty, self.where = box, tty, where
        self.user = ""
        self.draft: Sheet | None = None
        self.changes = 0

    async def sign_in_and_serve(self) -> None:
        """Ask who is there until somebody known is, then serve."""
        try:
            user = await self.tty.line("keeper name = ", at_question=True)
            password = await self.tty.line("keeper password = ", blind=True, at_question=True)
        except Discarded:
            return
        if not self.box.knows(user, password):
            await self.box.clock.sleep(1)
            self.tty.show("no keeper has that name and password\n")
        elif await self.renewed(user):
            self.box.heard.append(f"[{self.where}] {user} signed in")
            await self.serve(user)

    async def renewed(self, user: str) -> bool:
        """Make the person replace the password that is printed on the label."""
        person = self.box.running.people[user]
        if not person.must_renew:
            return True
        self.tty.show("that password is printed on the box; choose your own\n")
        try:
            password = await self._new_password(f"new password for {user} (10 or more) = ")
        except Discarded:
            return False
        self.box.running.people[user] = Person.with_secret(person.level, password)
        self.box.keep()
        return True

    async def _new_password(self, question: str) -> str:
        while True:
            password = await self.tty.line(question, blind=True, at_question=True)
            if len(password) < 10 or not (re.search("[A-Za-z]", password) and re.search("[0-9]", password)):
                self.tty.show("will not do: 10 or more, with letters and digits\n")
            elif await self.tty.line("that password again = ", blind=True, at_question=True) == password:
                return password
            else:
                self.tty.show("will not do: the two are not alike\n")

    def prompt(self) -> str:
        where = "in force" if self.draft is None else f"draft, {self.changes} changes"
        return f"{{g4 {self.box.running.values['name']} | {where}}} "

    async def serve(self, user: str) -> None:
        """Carry out lines until farewell."""
        self.user = user
        while True:
            idle = int(self._idle()) * 60
            try:
                line = (await self.tty.line(self.prompt(), idle=self.box.clock.real(idle))).strip()
                if line == "farewell":
                    self.tty.show("farewell\n")
                    return
                if line:
                    self.box.heard.append(f"[{self.where}] {line}")
                    await self.box.clock.sleep(THINKS)
                    await self.carry_out(line)
            except TimeoutError:
                self.tty.show("\nthe desk was left alone and closes\n")
                return
            except Refused as refusal:
                self.tty.show(f"will not do: {refusal}\n")
            except Discarded:
                self.tty.show("left as it was\n")

    def _idle(self) -> str:
        """Minutes until this session closes."""
        values: dict[str, str] = self.box.running.values
        way = "console" if self.where == "console" else "network"
        return values.get(f"idle-{way}", values.get("idle", "30"))

    async def carry_out(self, line: str) -> None:
        """One line at the desk."""
        first, _, rest = line.partition(" ")
        action = {
            "recite": self.recite,
            "draft": self.begin,
            "shelve": self.shelve,
            "let": self.let,
            "lay": self.lay,
            "strike": self.strike,
            "weigh": self.weigh,
            "enact": self.enact,
            "stand": self.stand,
            "try": self.try_secret,
        }.get(first)
        if action is None:
            self.tty.show(f"the desk does not know {first}\n")
            return
        if first in ("let", "lay", "strike", "weigh", "enact", "shelve") and self.draft is None:
            raise Refused("there is no draft; say draft")
        await action(rest)

    async def recite(self, rest: str) -> None:
        sheet = self.draft if rest == "draft" and self.draft else self.box.running
        body = self.box.body
        lines = [f"  serial is {body.serial}", f"  mac is {body.mac}", f"  image is {body.image}"]
        lines += [f"  {key} is {value}" for key, value in sheet.values.items()]
        lines += [f"  keeper {who} is {person.level}" for who, person in sheet.people.items()]
        await self.tty.page(lines)

    async def begin(self, rest: str) -> None:
        if self.box.running.people[self.user].level != "full":
            raise Refused("one who only looks may not draft")
        self.draft, self.changes = self.box.running.copy(), 0

    async def shelve(self, rest: str) -> None:
        self.draft = None
        self.tty.show("the draft is thrown away\n")

    async def lay(self, rest: str) -> None:
        assert self.draft is not None
        base = rest.removeprefix("base ")
        if base not in BASES:
            raise Refused(f"there is no base {base}; there are {', '.join(BASES)}")
        self.draft.values = {**BASES[base], "base": base}
        self.changes += 1

    async def let(self, rest: str) -> None:
        """let KEY be VALUE, or let KIND "NAME" be VALUE, or let keeper NAME be full."""
        assert self.draft is not None
        key, be, value = rest.partition(" be ")
        if not be:
            raise Refused("say let THIS be THAT")
        kind, _, own = key.partition(" ")
        if kind == "keeper" and own:
            await self._keeper(own, value)
        elif kind in SECRET:
            self.draft.values[key] = SECRET[kind](value)
            self.draft.secrets[key] = digest(await self._new_password(f"password for {kind} = "))
        elif kind in NAMED and own:
            self.draft.values[f'{kind} "{shlex.split(own)[0]}"'] = NAMED[kind](value)
        elif key in KEYS:
            self.draft.values[key] = KEYS[key](value)
        else:
            raise Refused(f"nothing is called {key}")
        self.changes += 1

    async def _keeper(self, who: str, level: str) -> None:
        assert self.draft is not None
        if level not in ("full", "tending", "seeing"):
            raise Refused("a keeper is full, tending or seeing")
        self.draft.people[who] = Person.with_secret(level, await self._new_password(f"password for {who} = "))

    async def strike(self, rest: str) -> None:
        assert self.draft is not None
        kind, _, who = rest.partition(" ")
        if kind == "every":
            self._strike_every(who)
            return
        found = self.draft.people if kind == "keeper" else self.draft.values
        if (who if kind == "keeper" else rest) not in found or who == self.user:
            raise Refused(f"there is no {rest} to strike")
        del found[who if kind == "keeper" else rest]
        self.changes += 1

    def _strike_every(self, kind: str) -> None:
        assert self.draft is not None
        if kind not in NAMED and kind not in SECRET:
            raise Refused(f"there are not many of {kind}")
        for key in [key for key in self.draft.values if key.partition(" ")[0] == kind]:
            del self.draft.values[key]
            self.draft.secrets.pop(key, None)
        self.changes += 1

    async def try_secret(self, rest: str) -> None:
        """try time-key, try dial-password, try snmp-user "NAME", try community read: asks for it, and tells."""
        typed = digest(await self.tty.line(f"{rest} to try = ", blind=True, at_question=True))
        sheet, kind = self.box.running, rest.partition(" ")[0]
        if kind == "community":
            access = rest.partition(" ")[2]
            keys = [k for k, v in sheet.values.items() if k.startswith("community ") and v.startswith(f"{access} ")]
        else:
            keys = [rest]
        right = any(sheet.secrets.get(key) == typed for key in keys)
        self.tty.show("that is right\n" if right else "that is wrong\n")

    def _faults(self) -> list[str]:
        assert self.draft is not None
        values, faults = self.draft.values, []
        if values.get("base", "none") == "none":
            faults.append("no base is laid; lay base plain first")
        if (
            "gateway" in values
            and values.get("address", "by lease") != "by lease"
            and address_of(values["gateway"]) not in IPv4Interface(values["address"]).network
        ):
            faults.append("the gateway is not beside the address")
        return faults

    async def weigh(self, rest: str) -> None:
        await self.box.clock.sleep(4)
        if faults := self._faults():
            raise Refused(f"{len(faults)} faults; the first: {faults[0]}")
        self.tty.show(f"weighed: {self.changes} changes, sound\n")

    async def enact(self, rest: str) -> None:
        assert self.draft is not None
        if faults := self._faults():
            raise Refused(f"{len(faults)} faults; the first: {faults[0]}")
        if await self.tty.line(f"enact {self.changes} changes, y or n = ", at_question=True) != "y":
            self.tty.show("nothing was enacted\n")
            return
        for done in range(0, 101, 4):
            self.tty.show(f"\renacting, {done:>3} of 100")
            await self.box.clock.sleep(COMMITS / 25)
        draft, self.draft = self.draft, None
        goes_back = await self.box.put_in_force(draft)
        self.tty.show(f"\nenacted, {self.changes} changes are in force\n")
        if goes_back:
            self.tty.show(f"the way in changed: back in {STANDS_FOR:.0f} s unless you say stand\n")

    async def stand(self, rest: str) -> None:
        if not self.box.stand_down():
            self.tty.show("nothing was waiting; all stands\n")
            return
        self.box.keep()
        self.tty.show("it stands\n")
