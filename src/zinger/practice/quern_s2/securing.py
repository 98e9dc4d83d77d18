"""What a Quern S2 keeps secret: the words of its passwords, its SNMP users and communities, and its time key."""

from __future__ import annotations

import hashlib
from ipaddress import IPv4Network

from zinger.practice.core.tty import Tty
from zinger.practice.core.words import Refused, one
from zinger.practice.quern_s2.hardware import Hardware
from zinger.practice.quern_s2.signin import check_secret
from zinger.practice.quern_s2.state import PASSWORDS


class Securing:
    """The words about secrets that are no person's; part of the shell."""

    tty: Tty
    switch: Hardware

    async def choose_secret(self, name: str) -> str:
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

    # -- passwords -------------------------------------------------------------------------------------
    def guarded(self, which: str) -> bool:
        """Whether a password stands before this."""
        return which in self.switch.running.passwords

    async def asked(self, which: str, question: str) -> bool:
        """Ask for one; whether it was right."""
        typed = await self.tty.line(question, blind=True, at_question=True)
        if digest(which, typed) == self.switch.running.passwords[which]:
            return True
        await self.switch.clock.sleep(1)
        return False

    async def do_choose(self, rest: list[str]) -> None:
        which = self._which(rest)
        self.switch.running.passwords[which] = digest(which, await self.choose_secret(which))

    async def do_forget(self, rest: list[str]) -> None:
        if self.switch.running.passwords.pop(self._which(rest), None) is None:
            raise Refused(f"there is no password of {rest[0]}")

    async def do_check(self, rest: list[str]) -> None:
        which = self._which(rest)
        if not self.guarded(which):
            raise Refused(f"there is no password of {which}")
        right = await self.asked(which, f"password of {which} to check: ")
        self.tty.show("that is the password\n" if right else "that is not the password\n")

    @staticmethod
    def _which(rest: list[str]) -> str:
        if one(rest, f"one of {', '.join(PASSWORDS)}") not in PASSWORDS:
            raise Refused(f"it wants one of {', '.join(PASSWORDS)}")
        return rest[0]

    # -- SNMP ------------------------------------------------------------------------------------------
    async def do_user(self, rest: list[str]) -> None:
        if len(rest) != 5 or rest[1::2] != ["auth", "privacy"]:
            raise Refused("say user NAME auth HASH privacy CIPHER")
        key = await self.choose_secret(rest[0])
        self.switch.running.snmp_users[rest[0]] = f"{rest[2]} {rest[4]}"
        self.switch.running.snmp_keys[rest[0]] = digest(rest[0], key)

    async def do_try(self, rest: list[str]) -> None:
        """Ask itself as that user, with a key that is typed."""
        name = one(rest, "a name")
        if name not in self.switch.running.snmp_users:
            raise Refused(f"no user is called {name}")
        key = await self.tty.line(f"key of {name} to try: ", blind=True, at_question=True)
        right = digest(name, key) == self.switch.running.snmp_keys.get(name)
        self.tty.show(f"{name} is answered\n" if right else f"{name} is not answered\n")

    async def do_remove(self, rest: list[str]) -> None:
        if self.switch.running.snmp_users.pop(one(rest, "a name"), None) is None:
            raise Refused(f"no user is called {rest[0]}")

    async def do_community(self, rest: list[str]) -> None:
        """community read, or write, from any, or from A.B.C.D len N; community none."""
        known = self.switch.running.communities
        if rest == ["none"]:
            known.clear()
            return
        if len(rest) not in (3, 5) or rest[0] not in ("read", "write") or rest[1] != "from":
            raise Refused("say community read, or write, from any, or from A.B.C.D len N")
        try:
            nets = rest[2] if rest[2:] == ["any"] else str(IPv4Network(f"{rest[2]}/{int(rest[4])}"))
        except (ValueError, IndexError):
            raise Refused("say from any, or from A.B.C.D len N") from None
        mark = digest("community", await self.choose_secret("it"))
        known.append([mark, rest[0], nets.replace("/", " len ")])

    async def do_try_community(self, rest: list[str]) -> None:
        """Ask itself by a community that is typed."""
        access = one(rest, "read or write")
        typed = digest("community", await self.tty.line("community to try: ", blind=True, at_question=True))
        right = any(mark == typed and what == access for mark, what, _ in self.switch.running.communities)
        self.tty.show(f"{access} is answered\n" if right else f"{access} is not answered\n")

    # -- time ------------------------------------------------------------------------------------------
    async def do_key(self, rest: list[str]) -> None:
        if rest == ["none"]:
            self.switch.running.time_key = ""
        elif rest:
            raise Refused("say key, or key none")
        else:
            self.switch.running.time_key = digest("time", await self.choose_secret("time"))

    async def do_try_key(self, rest: list[str]) -> None:
        typed = await self.tty.line("time key to try: ", blind=True, at_question=True)
        right = digest("time", typed) == self.switch.running.time_key
        self.tty.show("the sources would take it\n" if right else "the sources would not take it\n")


def digest(name: str, key: str) -> str:
    """Localised to the user, as such keys are."""
    return hashlib.sha256(f"{name}:{key}".encode()).hexdigest()
