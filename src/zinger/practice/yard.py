"""The yard: devices, cables, a segment with a laptop on it, and a control socket to move them by hand.

The control socket speaks JSON lines on loopback: `{"do": "power", "device": "sw1", "on": true}` is answered
by `{"ok": true, ...}` or `{"ok": false, "why": "..."}`. Devices are reached only through `console` and
`dial`, which map what a laptop on that segment could reach to loopback ports.
"""

from __future__ import annotations

import asyncio
import json
import os
from collections.abc import Awaitable, Callable
from ipaddress import AddressValueError, IPv4Address, IPv4Interface
from pathlib import Path
from typing import Any

from zinger.practice.clock import Clock
from zinger.practice.consoles import serve_telnet
from zinger.practice.doors import bound
from zinger.practice.s2 import Switch
from zinger.practice.s2_state import Body
from zinger.practice.tty import Tty

PORTS = {22: "ssh", 23: "telnet", 80: "http"}
Reply = dict[str, Any]


class No(Exception):
    """The yard can't do what was asked; the message says why."""


class Yard:
    """All simulated devices of one job."""

    def __init__(self, bodies: list[Body], clock: Clock, flash_file: Path | None = None, chance: int = 0) -> None:
        flash = json.loads(flash_file.read_text()) if flash_file and flash_file.exists() else {}
        self.clock = clock
        self.flash_file = flash_file
        self.switches = {b.key: Switch(b, clock, flash.get(b.key), chance) for b in bodies}
        self.laptop: list[IPv4Interface] = []
        self.consoles: dict[str, int] = {}
        self.stopped = asyncio.Event()
        self.last_heard_from = clock.now()
        self.clients = 0

    async def start(self) -> int:
        """Open the console lines and the control socket; returns the control port."""
        for key, switch in self.switches.items():
            sock = bound()
            self.consoles[key] = sock.getsockname()[1]
            await serve_telnet(sock, self._line(switch))
        server = await asyncio.start_server(self._control, "127.0.0.1", 0)
        port: int = server.sockets[0].getsockname()[1]
        return port

    def save(self) -> None:
        """Write what flash memory holds, whole or not at all."""
        if self.flash_file:
            flash = {key: switch.flash() for key, switch in self.switches.items()}
            draft = self.flash_file.with_suffix(".new")
            draft.write_text(json.dumps(flash))
            draft.replace(self.flash_file)

    def _line(self, switch: Switch) -> Callable[[Any, Any], Awaitable[None]]:
        async def session(reader: Any, writer: Any) -> None:
            if switch.console is not None:
                writer.write(b"this line is in use\r\n")
                writer.close()
                return
            self.clients += 1

            def show(data: bytes) -> None:
                if switch.cabled and not writer.is_closing():
                    writer.write(data)

            tty = Tty(show, lambda: switch.drop_every)
            switch.attach(tty, writer.close)
            try:
                while data := await reader.read(4096):
                    if switch.cabled and switch.powered:
                        tty.feed(data)
            finally:
                self.clients -= 1
                switch.detach()
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
        except (ConnectionError, asyncio.CancelledError):
            return
        finally:
            self.clients -= 1
            writer.close()

    async def _do(self, ask: dict[str, Any]) -> Reply:
        verb = ask.pop("do")
        action = getattr(self, f"do_{verb}", None)
        if action is None:
            raise No(f"the yard knows no {verb!r}")
        reply: Reply = action(**ask)
        self.save()
        return reply

    def _switch(self, key: str) -> Switch:
        if key not in self.switches:
            raise No(f"no device {key!r} stands in this yard")
        return self.switches[key]

    # -- what a person's hands do ------------------------------------------------------------------
    def do_plug(self, device: str, plugged: bool = True) -> Reply:
        self._switch(device).cabled = plugged
        return {}

    def do_power(self, device: str, on: bool) -> Reply:
        self._switch(device).power(on)
        return {}

    def do_laptop(self, address: str) -> Reply:
        """Give the laptop one more address on the segment."""
        wanted = IPv4Interface(address)
        taken = [s.body.key for s in self.switches.values() if s.address and s.address.ip == wanted.ip]
        if taken:
            raise No(f"{wanted.ip} is already on {taken[0]}")
        if wanted not in self.laptop:
            self.laptop.append(wanted)
        return {"addresses": [str(a) for a in self.laptop]}

    # -- ways in -----------------------------------------------------------------------------------
    def do_console(self, device: str) -> Reply:
        switch = self._switch(device)
        if not switch.cabled:
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
        answering = [s for s in self.switches.values() if s.address and s.address.ip == wanted]
        if not answering:
            raise No(f"nothing answers on {address}")
        if len(answering) > 1:
            raise No(f"{len(answering)} devices answer on {address}: {', '.join(s.body.key for s in answering)}")
        if port not in PORTS:
            raise No(f"nothing of that family ever listens on port {port}")
        return {"host": "127.0.0.1", "port": answering[0].doors[PORTS[port]].port, "device": answering[0].body.key}

    # -- what can go wrong -------------------------------------------------------------------------
    def do_fault(self, device: str, kind: str, amount: float = 1) -> Reply:
        switch = self._switch(device)
        if kind == "drop":
            switch.drop_every = int(amount)
        elif kind == "slow boot":
            switch.slow = float(amount)
        elif kind == "burst":
            for _ in range(int(amount)):
                switch.burst()
        elif kind == "quiet":
            switch.chatty = not amount
        elif kind == "cut":
            switch.cut_console()
        else:
            raise No(f"the yard knows no fault {kind!r}")
        return {}

    def do_lease(self, device: str, address: str | None) -> Reply:
        """What the segment's DHCP server would give this device; None is no server."""
        self._switch(device).offered_lease = address
        return {}

    # -- what the world looks like -----------------------------------------------------------------
    def do_status(self) -> Reply:
        return {"pace": self.clock.pace, "pid": os.getpid(), "laptop": [str(a) for a in self.laptop], "devices": {
            key: {"powered": s.powered, "up": s.up, "cabled": s.cabled, "address": str(s.address or ""),
                  "unsaved": s.unsaved(), "console": self.consoles[key],
                  **{name: door.port for name, door in s.doors.items()}}
            for key, s in self.switches.items()}}

    def do_heard(self, device: str) -> Reply:
        """What the device was told so far, secrets left out: the yard's own witness."""
        return {"lines": self._switch(device).heard}

    def do_stop(self) -> Reply:
        self.stopped.set()
        return {}
