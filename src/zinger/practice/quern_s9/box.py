"""The Quern S9: the S2's words on a chassis with two line cards, and with routing and an out-of-band port."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from ipaddress import IPv4Network
from typing import Any

from zinger.practice.core.words import Refused, address_of, addresses, either, host_in_net
from zinger.practice.quern_s2.box import Switch
from zinger.practice.quern_s2.shell import Action, Shell
from zinger.practice.quern_s2.state import State, factory_doors


@dataclass
class ChassisState(State):
    """What the S9 holds besides."""

    name: str = "quern-s9"
    doors: dict[str, bool] = field(default_factory=lambda: {**factory_doors(), "netconf": False})
    reached: str = "vlan"
    routes: dict[str, str] = field(default_factory=dict)
    gateways: dict[str, str] = field(default_factory=dict)
    relay: list[str] = field(default_factory=list)
    relay_of: dict[str, str] = field(default_factory=dict)
    routing: bool = False
    oob: str = "by lease"

    def sections(self, address: str, ports: Iterable[str]) -> dict[str, list[tuple[str, str]]]:
        told = super().sections(address, ports)
        told["mgmt"][:0] = [("reached-by", self.reached), ("oob-address", self.oob)]
        told["routes"] = [
            *(("route", f"{to} by {by}") for to, by in self.routes.items()),
            *(("gateway-of", f"{vlan} {what}") for vlan, what in self.gateways.items()),
            ("relay", " ".join(self.relay) or "(none)"),
            *(("relay-of", f"{vlan} {' '.join(to.split())}") for vlan, to in self.relay_of.items()),
            ("between-vlans", "on" if self.routing else "off"),
        ]
        return told


class ChassisShell(Shell):
    """The S2's dialogue with two contexts more."""

    CONTEXTS = {
        **Shell.CONTEXTS,
        "base": (*Shell.CONTEXTS["base"], "routes"),
        "base/doors": (*Shell.CONTEXTS["base/doors"], "netconf"),
    }

    def own_words(self) -> dict[str, dict[str, Action]]:
        words = super().own_words()
        words["base/mgmt"] |= {"reached-by": self.do_reached_by, "oob-address": self.do_oob_address}
        words["base/routes"] = {
            "route": self.do_route,
            "drop-route": self.do_drop_route,
            "gateway-of": self.do_gateway_of,
            "drop-gateway": self.do_drop_gateway,
            "relay": self.do_relay,
            "relay-of": self.do_relay_of,
            "between-vlans": self.do_between_vlans,
        }
        return words

    @property
    def chassis(self) -> ChassisState:
        state: ChassisState = self.switch.running
        return state

    async def do_reached_by(self, rest: list[str]) -> None:
        if rest not in (["oob"], ["vlan"]):
            raise Refused("it is reached by oob or vlan")
        self.chassis.reached = rest[0]

    async def do_route(self, rest: list[str]) -> None:
        if len(rest) != 5 or rest[1::2] != ["len", "by"]:
            raise Refused("say route A.B.C.D len N by A.B.C.D")
        self.chassis.routes[self._net(rest)] = str(address_of(rest[4]))

    async def do_drop_route(self, rest: list[str]) -> None:
        if self.chassis.routes.pop(self._net(rest), None) is None:
            raise Refused("there is no such route")

    def _net(self, rest: list[str]) -> str:
        try:
            net = IPv4Network(f"{rest[0]}/{int(rest[2])}")
        except (ValueError, IndexError):
            raise Refused("say A.B.C.D len N") from None
        return f"{net.network_address} len {net.prefixlen}"

    async def do_gateway_of(self, rest: list[str]) -> None:
        if len(rest) != 4 or rest[2] != "len":
            raise Refused("say gateway-of VLAN A.B.C.D len N")
        mine = host_in_net(f"{rest[1]}/{rest[3]}")
        self.chassis.gateways[str(self._vlan(rest[0]))] = f"{mine.ip} len {mine.network.prefixlen}"

    async def do_drop_gateway(self, rest: list[str]) -> None:
        if not rest or self.chassis.gateways.pop(rest[0], None) is None:
            raise Refused("there is no gateway of it")

    async def do_oob_address(self, rest: list[str]) -> None:
        if rest == ["lease"]:
            self.chassis.oob = "by lease"
            return
        if len(rest) != 4 or rest[0] != "fixed" or rest[2] != "len":
            raise Refused("say oob-address lease, or oob-address fixed A.B.C.D len N")
        mine = host_in_net(f"{rest[1]}/{rest[3]}")
        self.chassis.oob = f"{mine.ip} len {mine.network.prefixlen}"

    async def do_relay_of(self, rest: list[str]) -> None:
        if len(rest) < 2 or rest[0] not in self.chassis.gateways:
            raise Refused("say relay-of VLAN, which has a gateway, and to which servers, or none")
        to = addresses(rest[1:], 4)
        self.chassis.relay_of.pop(rest[0], None)
        if to:
            self.chassis.relay_of[rest[0]] = " ".join(to)

    async def do_between_vlans(self, rest: list[str]) -> None:
        self.chassis.routing = either(rest, "on", "off")

    async def do_relay(self, rest: list[str]) -> None:
        self.chassis.relay = addresses(rest, 4)


class Chassis(Switch):
    """One simulated chassis switch."""

    BOOT = (
        (4, "quern loader 2.0, left controller"),
        (20, "memory 2048 MiB sound"),
        (30, "  image bank A {body.image} sound"),
        (66, "unpacking {body.image}"),
        (50, "slot 1 answers, 16 ports"),
        (40, "slot 2 answers, 16 ports"),
        (18, "startup state read"),
        (10, "right controller waits"),
        (2, "loaded; this console is at rest"),
    )
    CHATTER = ("slot 1 port {n}: carrier up, 10000 full", "fan turns at {r} rpm", "right controller: in step")
    PORTS = tuple(f"{slot}/{port}" for slot in (1, 2) for port in range(1, 17))
    FALLBACK = "198.51.100.9/24"
    SHELL = ChassisShell

    def factory_state(self) -> ChassisState:
        return ChassisState()

    def state_from(self, data: dict[str, Any]) -> ChassisState:
        return ChassisState.load(data)
