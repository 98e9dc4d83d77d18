"""What a Quern S2 does to keep others out: options of its ports, access lists, sign-in servers, locked accounts."""

from __future__ import annotations

import re

from zinger.practice.core.words import Refused, address_of
from zinger.practice.quern_s2.securing import Securing, digest
from zinger.practice.quern_s2.switching import Switching

OPTIONS = {
    "forwards": "on|off",
    "speed": "auto|10|100|1000|2500|5000|10000|25000|40000|100000",
    "duplex": "auto|full|half",
    "power": "off|low|high|critical",
    "admits": "anybody|signed-in",
    "edge": "on|off",
    "guard": "none|root|bpdu",
    "tree-priority": r"\d{1,3}",
    "storm": r"\d{1,3} %",
    "passes": ".+",
    "announces": "voice|nothing",
}
"""What can be said of a port besides what it carries."""


class Guarding(Securing, Switching):
    """The words about who may do what; part of the shell."""

    async def do_option(self, rest: list[str]) -> None:
        word, what = rest[0] if rest else "", " ".join(rest[1:])
        if word not in OPTIONS:
            raise Refused(f"an option is one of {', '.join(OPTIONS)}")
        if not re.fullmatch(OPTIONS[word], what):
            raise Refused(f"{what or 'nothing'} is no {word}")
        if word == "tree-priority" and (int(what) % 16 or int(what) > 240):
            raise Refused("a tree priority is 0 to 240 in steps of 16")
        if word == "storm" and int(what.split()[0]) > 100:
            raise Refused("more than 100 % can't be")
        if word == "passes" and what not in self.running.lists:
            raise Refused(f"there is no list {what}")
        for name in self.chosen:
            self.running.options.setdefault(name, {})[word] = what

    async def do_plain(self, rest: list[str]) -> None:
        """Take all options of the chosen ports away."""
        for name in self.chosen:
            self.running.options.pop(name, None)

    async def do_rule(self, rest: list[str]) -> None:
        """rule LIST allow, or deny, from X to Y for Z."""
        if len(rest) != 8 or rest[1] not in ("allow", "deny") or rest[2::2] != ["from", "to", "for"]:
            raise Refused("say rule LIST allow, or deny, from X to Y for SERVICE")
        self.running.lists.setdefault(rest[0], []).append(" ".join(rest[1:]))

    async def do_drop_list(self, rest: list[str]) -> None:
        if self.running.lists.pop(" ".join(rest), None) is None:
            raise Refused(f"there is no list {' '.join(rest)}")

    async def do_lock(self, rest: list[str]) -> None:
        words = " ".join(rest)
        if words != "never" and not re.fullmatch(r"after [1-9]\d? for [1-9]\d{0,3} min", words):
            raise Refused("say lock after N for N min, or lock never")
        self.running.lock = words

    async def do_versions(self, rest: list[str]) -> None:
        if rest != ["none"] and (not rest or set(rest) - {"v1", "v2c", "v3"}):
            raise Refused("versions are v1, v2c and v3, or none")
        self.running.versions = [] if rest == ["none"] else sorted(set(rest))

    async def do_authority(self, rest: list[str]) -> None:
        """authority radius, or tacacs, HOST, with port N behind if wanted; authority none."""
        known = self.running.authorities
        if rest == ["none"]:
            known.clear()
            return
        words = " ".join(rest)
        if not re.fullmatch(r"(radius|tacacs) \S+( port \d{1,5})?", words):
            raise Refused("say authority radius, or tacacs, HOST, with port N behind if wanted")
        host = str(address_of(rest[1]))
        if host not in known and len(known) == 4:
            raise Refused("it has 4 authorities at most")
        known[host] = [words, digest(host, await self.choose_secret(host))]

    async def do_try_authority(self, rest: list[str]) -> None:
        host = " ".join(rest)
        if host not in self.running.authorities:
            raise Refused(f"there is no authority {host}")
        typed = digest(host, await self.tty.line(f"key of {host} to try: ", blind=True, at_question=True))
        right = typed == self.running.authorities[host][1]
        self.tty.show(f"{host} is answered\n" if right else f"{host} is not answered\n")

    async def do_ask(self, rest: list[str]) -> None:
        words = " ".join(rest)
        if words not in ("local", "servers", "servers then local", "local then servers"):
            raise Refused("say ask servers then local, or one of the two alone, or the other way round")
        self.running.asks = words
