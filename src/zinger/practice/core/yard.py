"""The yard: devices, cables, a segment with a laptop on it, and a control socket to move them by hand.

The control socket speaks JSON lines on loopback: `{"do": "power", "device": "sw1", "on": true}` is answered
by `{"ok": true, ...}` or `{"ok": false, "why": "..."}`. Devices are reached only through `console` and
`dial`, which map what a laptop on that segment could reach to loopback ports.
"""

from __future__ import annotations

import asyncio
import hmac
import inspect
import json
import os
import sys
from collections.abc import Callable, Coroutine, Mapping
from contextlib import suppress
from dataclasses import replace
from ipaddress import AddressValueError, IPv4Address, IPv4Interface
from pathlib import Path
from typing import Any

from zinger.practice.core.box import Body, Box
from zinger.practice.core.clock import Clock
from zinger.practice.core.consoles import serve_telnet
from zinger.practice.core.doors import DOORS, bound, fingerprint_in
from zinger.practice.core.keeper import LineKeeper
from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.tty import Tty

PORTS = {port: name for name, port in DOORS.items()}
WIRE_FAULTS = {
    "drop": "drop_every",
    "baud": "baud",
    "fifo": "fifo",
    "eats": "eats",
    "wrap": "wraps",
    "trickle": "trickle",
}
"""Faults of the wire, and what of the UART each sets."""
Reply = dict[str, Any]


NO_SERIAL = "unknown"
"""The serial number of a device whose plan says none."""
LONGEST_LINE = 4_000_000
"""Bytes of a question: a yard of hundreds of devices is described in one."""


def _held_by(body: Body, flash: Mapping[str, dict[str, Any]]) -> dict[str, Any] | None:
    """What the flash of this very box held: by its serial number, else by its name where nothing tells otherwise."""
    same = [kept for kept in flash.values() if kept.get("serial") == body.serial != NO_SERIAL]
    mine = flash.get(body.key)
    if same or mine is None:
        return same[0] if same else None
    return mine if NO_SERIAL in (mine.get("serial", NO_SERIAL), body.serial) else None


class No(Exception):
    """The yard can't do what was asked; the message says why."""


class Yard:
    """All simulated devices of one job."""

    def __init__(
        self,
        bodies: list[Body],
        families: Mapping[str, type[Box]],
        clock: Clock,
        flash_file: Path | None = None,
        chance: int = 0,
        token: str = "",
    ) -> None:
        flash = json.loads(flash_file.read_text()) if flash_file and flash_file.exists() else {}
        self.token = token
        """Who may ask: whoever could read the file in which it stands; "" lets in everybody, as a test may."""
        self.clock = clock
        self.flash_file = flash_file
        self.plays: dict[tuple[str, int, str], int] = {}
        """What the laptop plays: address, port and transport -> the loopback port at which it listens."""
        self._families, self._chance = families, chance
        self.boxes: dict[str, Box] = {}
        for body in bodies:
            self._unpack(body, _held_by(body, flash))
        self.laptop: list[IPv4Interface] = []
        self.consoles: dict[str, int] = {}
        self.stopped = asyncio.Event()
        self.last_heard_from = clock.now()
        self.clients = 0

    async def start(self) -> int:
        """Open the console lines and the control socket; returns the control port."""
        for key, box in self.boxes.items():
            await self._wire_up(key, box)
        server = await asyncio.start_server(self._control, "127.0.0.1", 0, limit=LONGEST_LINE)
        port: int = server.sockets[0].getsockname()[1]
        return port

    def _unpack(self, body: Body, flash: dict[str, Any] | None = None) -> None:
        """One more device comes out of its carton; of a family that nobody simulates none does."""
        if body.family not in self._families:
            return
        box = self.boxes[body.key] = self._families[body.family](body, self.clock, flash, self._chance)
        box.others = self.boxes.values
        box.laptop = lambda: self.laptop
        box.plays = self.plays.get

    async def _wire_up(self, key: str, box: Box) -> None:
        sock = bound()
        self.consoles[key] = sock.getsockname()[1]
        await serve_telnet(sock, self._line(box))

    def save(self) -> None:
        """Write what flash memory holds, whole or not at all; a full disk is no fault of the devices."""
        if not self.flash_file:
            return
        flash = {key: {"serial": box.body.serial, **box.flash()} for key, box in self.boxes.items()}
        draft = self.flash_file.with_suffix(".new")
        try:
            draft.write_text(json.dumps(flash))
            draft.replace(self.flash_file)
        except OSError as error:
            with suppress(OSError):  # the log is on the same disk
                print(f"what the devices hold can't be kept in {self.flash_file}: {error.strerror}", file=sys.stderr)

    def _line(self, box: Box) -> Callable[[Any, Any], Coroutine[Any, Any, None]]:
        """A console line as a terminal reaches it: at once, or by the line keeper's menu."""

        async def session(reader: Any, writer: Any) -> None:
            self.clients += 1
            line = _Line(self, writer)
            try:
                if box.behind_menu:
                    await line.by_menu([b for b in self.boxes.values() if b.behind_menu], reader)
                else:
                    await line.at_once(box, reader)
            finally:
                self.clients -= 1
                line.part()
                writer.close()

        return session

    async def _control(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.clients += 1
        try:
            while line := await reader.readline():
                self.last_heard_from = self.clock.now()
                try:
                    reply = {"ok": True, **await self._do(json.loads(line))}
                except (No, KeyError, ValueError, TypeError) as no:
                    reply = {"ok": False, "why": str(no) if isinstance(no, No) else f"not understood: {no!r}"}
                writer.write(json.dumps(reply).encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError, asyncio.CancelledError):
            return  # it hung up, or sent a line without end
        finally:
            self.clients -= 1
            writer.close()

    async def _do(self, ask: Any) -> Reply:
        if not isinstance(ask, dict):
            raise No("not understood: a question is an object")
        if not hmac.compare_digest(str(ask.pop("token", "")), self.token):
            raise No("this yard is another job's")
        verb = ask.pop("do")
        action = getattr(self, f"do_{verb}", None)
        if action is None:
            raise No(f"the yard knows no {verb!r}")
        reply: Any = action(**ask)
        if inspect.isawaitable(reply):
            reply = await reply
        self.save()
        return dict(reply)

    def _box(self, key: str) -> Box:
        if key not in self.boxes:
            raise No(f"no device {key!r} stands in this yard")
        return self.boxes[key]

    # -- what a person's hands do ------------------------------------------------------------------
    def do_plug(self, device: str, plugged: bool = True) -> Reply:
        self._box(device).cabled = plugged
        return {}

    async def do_deliver_more(self, devices: list[dict[str, str]]) -> Reply:
        """More devices arrive while the yard runs; one that is there already stays as it is.

        One with the serial number of a box that is there is that box, whatever it is called by now.
        """
        self._call({one["key"]: one["serial"] for one in devices})
        for one in devices:
            if one["key"] not in self.boxes:
                self._unpack(Body(one["key"], one["serial"], one["mac"], model=one["model"], family=one["family"]))
                if one["key"] in self.boxes:
                    await self._wire_up(one["key"], self.boxes[one["key"]])
        return {"devices": list(self.boxes)}

    def _call(self, serials: Mapping[str, str]) -> None:
        """Boxes go by the names that are given for their serial numbers, all at once."""
        known = {box.body.serial: key for key, box in self.boxes.items() if box.body.serial != NO_SERIAL}
        moves = {key: known[serial] for key, serial in serials.items() if known.get(serial, key) != key}
        taken = {before: (self.boxes.pop(before), self.consoles.pop(before)) for before in moves.values()}
        for key, before in moves.items():
            if key in self.boxes:  # it was called so, and is given another name later, or none
                self._put(f"{key}, before", self.boxes[key], self.consoles[key])
            self._put(key, *taken[before])

    def _put(self, key: str, box: Box, console: int) -> None:
        self.boxes[key], self.consoles[key] = box, console
        box.body = replace(box.body, key=key)

    def do_power(self, device: str, on: bool) -> Reply:
        self._box(device).power(on)
        return {}

    def do_join(self, device: str) -> Reply:
        """The laptop joins the wireless network of a device's own, and takes an address from it."""
        own = self._box(device).factory_address
        if own is None:
            raise No(f"{device} has no network of its own to join")
        taken = IPv4Interface(f"{own.network.broadcast_address - 1}/{own.network.prefixlen}")
        if taken not in self.laptop:
            self.laptop.append(taken)
        return {"addresses": [str(a) for a in self.laptop]}

    def do_handed(self, device: str) -> Reply:
        """The laptop asks for an address on the cable, and the device hands it one."""
        box = self._box(device)
        own = box.factory_address
        if own is None or not (box.cabled and box.powered):
            raise No(f"nobody answers the laptop's request on the cable of {device}")
        taken = IPv4Interface(f"{own.network.broadcast_address - 2}/{own.network.prefixlen}")
        if taken not in self.laptop:
            self.laptop.append(taken)
        return {"addresses": [str(a) for a in self.laptop]}

    def do_by_hand(self, device: str, what: str) -> Reply:
        """Something is turned at a device; what it is told in words, it sees for itself."""
        self._box(device).by_hand(what)
        return {}

    def do_clean(self, device: str) -> Reply:
        """A device is brought back to factory state by hand, and is on again."""
        self._box(device).clean()
        return {}

    def do_press(self, device: str) -> Reply:
        """What opens the way to a device is pressed."""
        self._box(device).press()
        return {}

    def do_deliver(self) -> Reply:
        """The bench is cleared: every device as delivered, nothing plugged in, the laptop without an address."""
        for box in self.boxes.values():
            box.deliver_anew()
        self.laptop.clear()
        return {}

    def do_laptop(self, address: str) -> Reply:
        """Give the laptop one more address on the segment."""
        wanted = IPv4Interface(address)
        taken = [s.body.key for s in self.boxes.values() if s.address and s.address.ip == wanted.ip]
        if taken:
            raise No(f"{wanted.ip} is already on {taken[0]}")
        if wanted not in self.laptop:
            self.laptop.append(wanted)
        return {"addresses": [str(a) for a in self.laptop]}

    # -- ways in -----------------------------------------------------------------------------------
    def do_console(self, device: str) -> Reply:
        if not self._box(device).cabled:
            raise No(f"no console cable is plugged into {device}")
        return {"host": "127.0.0.1", "port": self.consoles[device]}

    def do_dial(self, address: str, port: int) -> Reply:
        try:
            wanted = IPv4Address(address)
        except AddressValueError:
            raise No(f"{address} is no IPv4 address") from None
        if not any(wanted in mine.network for mine in self.laptop):
            have = ", ".join(map(str, self.laptop)) or "none"
            raise No(f"the laptop has no address in the subnet of {address} (it has {have})")
        answering = [s for s in self.boxes.values() if s.address and s.address.ip == wanted]
        if not answering:
            raise No(f"nothing answers on {address}")
        if len(answering) > 1:
            raise No(f"{len(answering)} devices answer on {address}: {', '.join(s.body.key for s in answering)}")
        if port not in PORTS:
            raise No(f"nothing of that family ever listens on port {port}")
        return {"host": "127.0.0.1", "port": answering[0].doors[PORTS[port]].port, "device": answering[0].body.key}

    def do_voice(self, address: str, transport: str) -> Reply:
        """Where a leg of a voice gateway takes calls."""
        try:
            wanted = IPv4Address(address)
        except AddressValueError:
            raise No(f"{address} is no IPv4 address") from None
        if not any(wanted in mine.network for mine in self.laptop):
            raise No(f"the laptop has no address in the subnet of {address}")
        found = (port for box in self.boxes.values() if (port := box.voice_port(wanted, transport)) is not None)
        if (port := next(found, None)) is None:
            raise No(f"nothing takes calls on {address} over {transport}")
        return {"host": "127.0.0.1", "port": port}

    def do_stand_in(self, address: str, port: int, transport: str, real: int) -> Reply:
        """The laptop plays somebody at one of its addresses."""
        if address not in [str(mine.ip) for mine in self.laptop]:
            raise No(f"the laptop has not the address {address}")
        self.plays[address, int(port), str(transport)] = int(real)
        return {}

    # -- what can go wrong -------------------------------------------------------------------------
    def do_fault(self, device: str, kind: str, amount: float = 1) -> Reply:
        box = self._box(device)
        if kind in WIRE_FAULTS:
            setattr(box.uart, WIRE_FAULTS[kind], int(amount))
        elif kind.startswith("page ") and isinstance(box, PagesBox):
            box.page_faults[box.asked + int(amount)] = kind.removeprefix("page ")
        elif kind == "slow boot":
            box.slow = float(amount)
        elif kind == "burst":
            for _ in range(int(amount)):
                box.burst()
        elif kind == "quiet":
            box.chatty = not amount
        elif kind == "cut":
            box.cut_console()
        elif kind == "restart":
            box.restart()
        elif kind == "show":
            box.show_on_console("x" * 79 + "\n", int(amount))
        else:
            raise No(f"the yard knows no fault {kind!r}")
        return {}

    def do_lease(self, device: str, address: str | None) -> Reply:
        """What the segment's DHCP server would give this device; None: no server answers."""
        self._box(device).offered_lease = address
        return {}

    # -- what the world looks like -----------------------------------------------------------------
    def do_status(self) -> Reply:
        return {
            "pace": self.clock.pace,
            "pid": os.getpid(),
            "laptop": [str(a) for a in self.laptop],
            "devices": {
                key: {
                    "powered": s.powered,
                    "up": s.up,
                    "cabled": s.cabled,
                    "address": str(s.address or ""),
                    "unsaved": s.unsaved(),
                    "console": self.consoles[key],
                    "idle": s.uart.idle,
                    "asked": s.asked if isinstance(s, PagesBox) else 0,
                    **{name: door.port for name, door in s.doors.items()},
                }
                for key, s in self.boxes.items()
            },
        }

    def do_heard(self, device: str) -> Reply:
        """What the device was told so far, secrets left out: the yard's own witness."""
        return {"lines": self._box(device).heard}

    def do_label(self, device: str) -> Reply:
        """What is printed on the box, for whoever reads it."""
        box = self._box(device)
        return {"secret": box.label, "fingerprint": fingerprint_in(box.certificate) if box.certificate else ""}

    def do_type(self, device: str, text: str) -> Reply:
        """Somebody else, at a second terminal on the same console, types this."""
        console = self._box(device).console
        if console is None:
            raise No(f"no terminal is on the console of {device}")
        console.feed(text.encode())
        return {}

    def do_state(self, device: str) -> Reply:
        """What runs in the device now, without its people's secrets: the yard's own witness."""
        box = self._box(device)
        state = box.running.dump()
        state["people"] = {name: person["level"] for name, person in state["people"].items()}
        return {"running": state, "saved": not box.unsaved()}

    def do_knows(self, device: str, user: str, secret: str) -> Reply:
        """Whether the device lets somebody in with this password: the yard's own witness."""
        return {"knows": self._box(device).knows(user, secret)}

    def do_stop(self) -> Reply:
        self.stopped.set()
        return {}


class _Line:
    """One terminal on a console line, with the wire between."""

    def __init__(self, yard: Yard, writer: Any) -> None:
        self.yard, self.writer = yard, writer
        self.box: Box | None = None
        self._out: asyncio.Queue[bytes] = asyncio.Queue()
        self._carrier: asyncio.Task[None] | None = None

    def join(self, box: Box) -> Tty | None:
        """Join the terminal with a console; None when somebody is on it."""
        if box.console is not None:
            return None

        def show(data: bytes) -> None:
            if box.cabled and not self.writer.is_closing():
                if box.uart.baud or box.uart.trickle or not self._out.empty():
                    self._out.put_nowait(data)
                else:
                    self.writer.write(data)

        self.box = box
        self._carrier = asyncio.get_running_loop().create_task(box.uart.carry(self._out, self._write))
        tty = Tty(show, box.uart)
        box.attach(tty, self.writer.close)
        return tty

    def _write(self, data: bytes) -> None:
        if not self.writer.is_closing():
            self.writer.write(data)

    def part(self) -> None:
        """The terminal leaves the console."""
        if self._carrier:
            self._carrier.cancel()
        if self.box is not None:
            self.box.detach()
        self.box = None

    async def at_once(self, box: Box, reader: Any) -> None:
        """The line is the console itself."""
        tty = self.join(box)
        if tty is None:
            self.writer.write(b"this line is in use\r\n")
            return
        while data := await reader.read(4096):
            if box.cabled and box.powered:
                tty.feed(data)

    async def by_menu(self, boxes: list[Box], reader: Any) -> None:
        """The line keeper asks first which console is wanted."""
        keeper = LineKeeper(boxes, self._write, self.join, self.part)
        menu = asyncio.get_running_loop().create_task(keeper.serve())
        try:
            while data := await reader.read(4096):
                if self.box is None or (self.box.cabled and self.box.powered):
                    keeper.feed(data)
        finally:
            keeper.hang_up()
            menu.cancel()
