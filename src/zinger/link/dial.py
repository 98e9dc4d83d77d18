"""Dialers: from what the plan says (a console, an address) to an open link.

The live dialer connects to the very host and port; the yard's dialer (see `yard`) asks the yard first,
which maps planned addresses to loopback and refuses what a laptop could not reach.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from zinger.link.base import Link, LinkError, Refused
from zinger.link.command import open_command
from zinger.link.hostkeys import HostKeys
from zinger.link.ssh import SshLink, open_ssh
from zinger.link.tcp import open_tcp, open_telnet

_HOST = r"(?P<host>\[[0-9a-fA-F:.]+\]|[^/:?\s]+)"
_NETWORK = re.compile(rf"(?P<kind>telnet|tcp|rfc2217|ssh)://{_HOST}(?::(?P<port>\d{{1,5}}))?(?:\?(?P<how>\S+))?")
_SERIAL = re.compile(r"serial://(?P<port>[^?\s]+)(?:\?(?P<how>\S+))?")
_FORMS = "serial:///dev/ttyUSB0, rfc2217://host:port, telnet://host:port, tcp://host:port, ssh://host or command:WORDS"


@dataclass(frozen=True)
class Console:
    """A console as the plan writes it: what kind of way, where, and how (speed and framing, or `old`)."""

    kind: str
    host: str = ""
    port: int = 0
    how: str = ""

    @classmethod
    def read(cls, text: str) -> Console:
        """From the column of the sheet; raises LinkError with the forms that there are."""
        if text.startswith("command:"):
            return cls("command", text.removeprefix("command:").strip())
        if match := _SERIAL.fullmatch(text):
            return cls("serial", match["port"], how=match["how"] or "")
        match = _NETWORK.fullmatch(text)
        port = int(match["port"] or (22 if match["kind"] == "ssh" else 0)) if match else 0
        if match is None or not 0 < port < 65536:
            raise LinkError(f"{text!r} is not a console; write {_FORMS}")
        return cls(match["kind"], match["host"].strip("[]"), port, match["how"] or "")


class Dialer:
    """Opens links. Subclasses say where an address and port really are."""

    host_keys = HostKeys()

    async def where(self, address: str, port: int) -> tuple[str, int]:
        """The host and port to connect to; raises LinkError when no way leads there."""
        raise NotImplementedError

    async def console(self, device: str, console: str, settings: str = "") -> Link:
        """The console of a device by the plan's `console` column; `settings` are the family's speed and framing."""
        raise NotImplementedError

    async def ssh(self, address: str, user: str, password: str, port: int = 22, old: bool = False) -> SshLink:
        """A shell over SSH; the host key is pinned under the address."""
        host, real = await self.where(address, port)
        return await open_ssh(
            host,
            real,
            user,
            password,
            f"ssh {user}@{address}",
            self.host_keys,
            address if port == 22 else f"[{address}]:{port}",
            old,
        )

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

    def __init__(self, host_keys: HostKeys | None = None) -> None:
        self.host_keys = host_keys or HostKeys()

    async def where(self, address: str, port: int) -> tuple[str, int]:
        return address, port

    async def console(self, device: str, console: str, settings: str = "") -> Link:
        if not console:
            raise LinkError(f"the plan names no console; add a column `console`, like {_FORMS}")
        return await open_console(console, settings)


async def open_console(text: str, settings: str = "") -> Link:
    """Open a console that needs no sign-in of its own; raises LinkError for anything else."""
    console = Console.read(text)
    name = f"console {text}"
    if console.kind == "command":
        return await open_command(console.host, name)
    if console.kind in ("serial", "rfc2217"):
        from zinger.link.serial import LineSettings, open_serial  # here, since few runs have one

        url = console.host if console.kind == "serial" else f"rfc2217://{console.host}:{console.port}"
        return await open_serial(url, LineSettings.read(console.how or settings or "9600 8N1"), name)
    if console.kind == "ssh":
        raise LinkError(f"{text}: a shell over SSH is signed in to, not opened")
    opener = open_telnet if console.kind == "telnet" else open_tcp
    return await opener(console.host, console.port, name)
