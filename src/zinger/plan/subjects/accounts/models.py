"""Values with parts of accounts: sign-in servers, and when a device locks an account."""

from __future__ import annotations

from typing import Annotated

from zinger.plan.values.item import Host, Item, Secret, TcpPort, number, word_of


class SignInServer(Item):
    """A server that is asked whether somebody may sign in: RADIUS (RFC 2865) or TACACS+ (RFC 8907), in their order."""

    lead = ("protocol", "host")
    example = "radius 10.44.8.26 port 1812 secret sign-in-kvr"
    protocol: Annotated[str, word_of("radius", "tacacs")]
    host: Host
    port: TcpPort | None = None
    secret: Secret | None = None


class Lockout(Item):
    """How many wrong passwords lock an account, and for how many minutes (NIST SP 800-63B 5.2.2)."""

    lead = ("attempts",)
    example = "5 lock 10 min"
    units = {"lock": "min"}
    attempts: Annotated[int, number(1, 100, word="number of attempts")]
    lock: Annotated[int, number(1, 1440, "min", "lock time in minutes")] = 10
