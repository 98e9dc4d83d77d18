"""Dialers: from what the plan says (a console, an address) to an open link.

The live dialer connects to the very host and port; the yard's dialer (see `yard`) asks the yard first,
which maps planned addresses to loopback and refuses what a laptop could not reach.
"""

from __future__ import annotations

import re

from zinger.link.base import Link, LinkError, Refused
from zinger.link.ssh import SshLink, open_ssh
from zinger.link.tcp import open_tcp, open_telnet

_CONSOLE = re.compile(r"(?P<kind>telnet|tcp)://(?P<host>\[[0-9a-fA-F:.]+\]|[^/:\s]+):(?P<port>\d{1,5})")


class Dialer:
    """Opens links. Subclasses say where an address and port really are."""

    async def where(self, address: str, port: int) -> tuple[str, int]:
        """The host and port to connect to; raises LinkError when no way leads there."""
        raise NotImplementedError

    async def console(self, device: str, console: str) -> Link:
        """The console of a device, as the plan's `console` column says."""
        raise NotImplementedError

    async def ssh(self, address: str, user: str, password: str) -> SshLink:
        """A shell over SSH at port 22."""
        host, port = await self.where(address, 22)
        return await open_ssh(host, port, user, password, f"ssh {user}@{address}")

    async def probe(self, address: str, port: int) -> bool:
        """Whether anybody accepts TCP connections there; raises LinkError when that can't be told."""
        host, real = await self.where(address, port)
        try:
            link = await open_tcp(host, real, f"{address} port {port}")
        except Refused:
            return False
        link.close()
        return True


class LiveDialer(Dialer):
    """The real network."""

    async def where(self, address: str, port: int) -> tuple[str, int]:
        return address, port

    async def console(self, device: str, console: str) -> Link:
        if not console:
            raise LinkError("the plan names no console; add a column `console`, like telnet://192.0.2.5:4001")
        return await open_console(console)


async def open_console(console: str) -> Link:
    """Open `telnet://host:port` or `tcp://host:port`; raises LinkError for anything else."""
    match = _CONSOLE.fullmatch(console)
    if not match or not 0 < int(match["port"]) < 65536:
        raise LinkError(f"{console!r} is no console; write telnet://host:port or tcp://host:port")
    opener = open_telnet if match["kind"] == "telnet" else open_tcp
    return await opener(match["host"].strip("[]"), int(match["port"]), f"console {console}")
