"""What a Quern S2 does as a switch: the words of its VLANs, ports, bundles, voice, spanning tree and bindings."""

from __future__ import annotations

import re

from zinger.practice.core.words import Refused, address_of, either, one
from zinger.practice.quern_s2.hardware import Hardware
from zinger.practice.quern_s2.state import DEFAULT, Port, State


class Switching:
    """The words of the switching contexts; part of the shell."""

    switch: Hardware
    chosen: tuple[str, ...] = ()
    """The ports that `descend ports` chose."""

    @property
    def running(self) -> State:
        state: State = self.switch.running
        return state

    def choose(self, text: str) -> tuple[str, ...]:
        """Ports from ranges such as 1-4,7; refuses what the box does not have."""
        names: list[str] = []
        for part in text.split(","):
            match = re.fullmatch(r"((?:\d+/)?)(\d+)(?:-(?:\1)?(\d+))?", part)
            if match is None:
                raise Refused(f"{part} is not a port")
            for number in range(int(match[2]), int(match[3] or match[2]) + 1):
                if f"{match[1]}{number}" not in self.switch.PORTS:
                    raise Refused(f"there is no port {match[1]}{number}")
                names.append(f"{match[1]}{number}")
        return tuple(names)

    def _vlan(self, word: str) -> int:
        if not word.isdigit() or int(word) not in self.running.vlans:
            raise Refused(f"there is no VLAN {word}")
        return int(word)

    def _vlans(self, word: str) -> list[int]:
        return [self._vlan(part) for part in word.split(",")]

    # -- vlans -------------------------------------------------------------------------------------
    async def do_make(self, rest: list[str]) -> None:
        if len(rest) not in (1, 3) or (len(rest) == 3 and rest[1] != "called") or not rest[0].isdigit():
            raise Refused("say make NUMBER, or make NUMBER called NAME")
        if not 1 < int(rest[0]) < 4095:
            raise Refused("a VLAN to make is 2 to 4094")
        self.running.vlans[int(rest[0])] = rest[2] if len(rest) == 3 else f"vlan{rest[0]}"

    async def do_unmake(self, rest: list[str]) -> None:
        number = self._vlan(one(rest, "a number"))
        if number == DEFAULT or number == self.running.vlan:
            raise Refused(f"VLAN {number} is needed")
        del self.running.vlans[number]

    async def do_default_vlan(self, rest: list[str]) -> None:
        self.running.default_closed = either(rest, "closed", "open")

    async def do_igmp_snooping(self, rest: list[str]) -> None:
        self.running.igmp_snooping = either(rest, "on", "off")

    # -- ports -------------------------------------------------------------------------------------
    def _change(self, **changes: object) -> None:
        for name in self.chosen:
            port = self.running.ports.setdefault(name, Port())
            for key, value in changes.items():
                setattr(port, key, value)

    async def do_carries(self, rest: list[str]) -> None:
        """carries untagged 44; carries tagged 20,30; carries tagged 20,30 and untagged 44."""
        parts = self._parts("carries", [word for word in rest if word != "and"], ("untagged", "tagged"))
        if not parts:
            raise Refused("say carries untagged VLAN, or carries tagged VLANS, or both with and between them")
        self._change(
            kind="trunk" if "tagged" in parts else "single",
            untagged=next(iter(parts.get("untagged", [])), 0),
            tagged=[v for v in parts.get("tagged", []) if v not in parts.get("untagged", [])],
            forbidden=[],
        )

    async def do_mixes(self, rest: list[str]) -> None:
        """mixes, with any of: untagged 10, tagged 20,30, forbidden 40."""
        parts = self._parts("mixes", rest, ("untagged", "tagged", "forbidden"))
        self._change(
            kind="mixed",
            untagged=next(iter(parts.get("untagged", [])), 0),
            tagged=parts.get("tagged", []),
            forbidden=parts.get("forbidden", []),
        )

    def _parts(self, word: str, rest: list[str], known: tuple[str, ...]) -> dict[str, list[int]]:
        names = rest[::2]
        if len(rest) % 2 or set(names) - set(known) or len(set(names)) < len(names):
            raise Refused(f"say {word} with {', '.join(f'{name} VLANS' for name in known)}")
        parts = {name: self._vlans(vlans) for name, vlans in zip(names, rest[1::2], strict=True)}
        if len(parts.get("untagged", [])) > 1:
            raise Refused("one VLAN is untagged at most")
        return parts

    async def do_off(self, rest: list[str]) -> None:
        self._change(kind="off", untagged=0, tagged=[], forbidden=[])

    async def do_note(self, rest: list[str]) -> None:
        text = one(rest, "one text in quotes")
        if len(text) > 32:
            raise Refused("a note has 32 characters at most")
        self._change(note="" if text == "none" else text)

    # -- bundles, voice, spanning tree, bindings ---------------------------------------------------------------
    async def do_bind(self, rest: list[str]) -> None:
        how = " ".join(rest[2:])
        if not re.fullmatch(r"(talking|listening|fixed)( number ([1-9]|1[0-2]))?( tree (on|off))?", how):
            raise Refused("say bind NAME PORTS talking, or listening, or fixed, number 1 to 12 and tree on behind")
        taken = {
            port
            for name, what in self.running.bundles.items()
            if name != rest[0]
            for port in self.choose(what.split()[0])
        }
        if both := taken & set(self.choose(rest[1])):
            raise Refused(f"port {sorted(both)[0]} is in another bundle")
        self.running.bundles[rest[0]] = f"{rest[1]} {how}"

    async def do_unbind(self, rest: list[str]) -> None:
        if self.running.bundles.pop(one(rest, "a name"), None) is None:
            raise Refused(f"no bundle is called {rest[0]}")

    async def do_carry(self, rest: list[str]) -> None:
        if rest == ["none"]:
            self.running.voice = ""
            return
        if len(rest) != 5 or rest[1::2] != ["cos", "dscp"]:
            raise Refused("say carry VLAN cos N dscp N, or carry none")
        if not (rest[2].isdigit() and int(rest[2]) < 8 and rest[4].isdigit() and int(rest[4]) < 64):
            raise Refused("cos is 0 to 7, dscp 0 to 63")
        self.running.voice = f"{self._vlan(rest[0])} {' '.join(rest[1:])}"

    async def do_run(self, rest: list[str]) -> None:
        self.running.spanning_tree = either(rest, "on", "off")

    async def do_bridge_priority(self, rest: list[str]) -> None:
        word = one(rest, "a number")
        if not word.isdigit() or int(word) % 4096 or int(word) > 61440:
            raise Refused("a bridge priority is 0 to 61440 in steps of 4096")
        self.running.bridge_priority = int(word)

    async def do_allow(self, rest: list[str]) -> None:
        if len(rest) < 2 or not re.fullmatch(r"(?:[0-9a-f]{2}-){5}[0-9a-f]{2}", rest[1]):
            raise Refused("say allow PORT MAC, with an address and vlan N behind if wanted")
        (port,) = self.choose(rest[0])[:1]
        words = rest[2:]
        if words and words[0] != "vlan":
            address_of(words[0])
        if "vlan" in words:
            self._vlan(words[-1])
        self.running.allowed[port] = " ".join(rest[1:])

    async def do_disallow(self, rest: list[str]) -> None:
        if self.running.allowed.pop(one(rest, "a port"), None) is None:
            raise Refused(f"nothing is bound to {rest[0]}")

    # -- stack, uplinks --------------------------------------------------------------------------------
    async def do_member(self, rest: list[str]) -> None:
        """member N, with any of: serial X, leads, takes-over."""
        match = re.fullmatch(r"(\d{1,2})((?: serial \S+)?(?: leads| takes-over)?)", " ".join(rest))
        if match is None or not 1 <= int(match[1]) <= 8:
            raise Refused("say member 1 to 8, with serial X and leads or takes-over behind if wanted")
        self.running.members[match[1]] = match[2].strip()

    async def do_unmember(self, rest: list[str]) -> None:
        if self.running.members.pop(one(rest, "a number"), None) is None:
            raise Refused(f"there is no member {rest[0]}")

    async def do_uplink(self, rest: list[str]) -> None:
        match = re.fullmatch(r"(\S+) (to \S+(?: at \S+)?)", " ".join(rest))
        if match is None:
            raise Refused("say uplink PORTS to NAME, with at PORTS behind if wanted")
        self.choose(match[1])
        self.running.uplinks[match[1]] = match[2]

    async def do_no_uplink(self, rest: list[str]) -> None:
        if self.running.uplinks.pop(one(rest, "ports"), None) is None:
            raise Refused(f"{rest[0]} leads nowhere")
