"""Dialers: from what the plan says (a console, an address) to an open link.

The live dialer connects to the very host and port; the yard's dialer (see `yard`) asks the yard first,
which maps planned addresses to loopback and refuses what a laptop could not reach.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from zinger.link.base import Link, LinkError, Refused
from zinger.link.command import open_command
from zinger.link.hostkeys import HostKeys
from zinger.link.ssh import Endpoint, SshLink, open_ssh
from zinger.link.tcp import open_tcp, open_telnet
from zinger.plan.values.bad import BadValue
from zinger.plan.values.console import FORMS, SERIAL, YARD, Console, LineSettings

if TYPE_CHECKING:
    from zinger.link.web import Vouch, WebEndpoint, WebLink


class Dialer:
    """Opens links. Subclasses say where an address and port really are."""

    host_keys = HostKeys()
    certificates = HostKeys()
    """Pinned certificates of web servers."""

    async def where(self, address: str, port: int) -> tuple[str, int]:
        """The host and port to connect to; raises LinkError when no way leads there."""
        raise NotImplementedError

    async def console(self, device: str, console: str, settings: str = "") -> Link:
        """The console of a device by the plan's `console` column; `settings` are the family's speed and framing."""
        raise NotImplementedError

    async def ssh(self, endpoint: Endpoint, user: str, password: str) -> SshLink:
        """A shell over SSH; the host key is pinned under the names of the endpoint."""
        host, real = await self.where(endpoint.address, endpoint.port)
        return await open_ssh(host, real, user, password, f"ssh {user}@{endpoint.address}", endpoint, self.host_keys)

    async def web(self, endpoint: WebEndpoint, renewed: bool = False, vouch: Vouch | None = None) -> WebLink:
        """A device's web server; its certificate is pinned under the names of the endpoint, unless it is `renewed`."""
        from zinger.link.web import open_web  # here, since it is heavy and many a run needs none of it

        return await open_web(endpoint, self.where, self.certificates, renewed, vouch)

    async def voice(self, address: str, port: int, transport: str) -> tuple[str, int]:
        """Where a leg of a voice gateway takes calls; raises LinkError when no way leads there."""
        return address, port

    def stands_at(self, address: str, port: int) -> tuple[str, int]:
        """Where this machine listens, or from where it speaks, as another one at an address and port."""
        return address, port

    async def stands_there(self, address: str, port: int, transport: str, real: int) -> None:
        """It listens now as another one, at a real port of this machine; raises LinkError where nobody would come."""

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

    def __init__(
        self,
        host_keys: HostKeys | None = None,
        commands: Mapping[str, str] | None = None,
        certificates: HostKeys | None = None,
    ) -> None:
        self.host_keys = host_keys or HostKeys()
        self.certificates = certificates or HostKeys()
        self.commands = commands or {}
        """What the job starts to reach a console, by name: only what a person allowed."""

    async def where(self, address: str, port: int) -> tuple[str, int]:
        return address, port

    async def console(self, device: str, console: str, settings: str = "") -> Link:
        return await open_console(console, settings, self.commands)


async def open_console(text: str, settings: str = "", commands: Mapping[str, str] | None = None) -> Link:
    """Open a console that needs no sign-in of its own; raises LinkError for anything else."""
    name = f"console {text}"
    try:
        console = Console.read(text)
        words = console.words(commands or {}) if console.kind == "command" else []
        speed = LineSettings.read(console.how or settings or "9600 8N1") if console.kind in SERIAL else LineSettings()
    except BadValue as error:
        raise LinkError(f"{error.what}. {error.repair}") from None
    if console.kind == YARD:
        raise LinkError(f"the plan names no console; add a column `console`, like {FORMS}")
    if words:
        return await open_command(words, name)
    if console.kind in SERIAL:
        from zinger.link.serial import open_serial  # here, since few runs have one

        url = console.host if console.kind == "serial" else f"rfc2217://{console.host}:{console.port}"
        return await open_serial(url, speed, name)
    if console.kind == "ssh":
        raise LinkError(f"{text}: a shell over SSH is signed in to, not opened")
    opener = open_telnet if console.kind == "telnet" else open_tcp
    return await opener(console.host, console.port, name)
