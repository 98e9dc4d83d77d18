"""Values with parts of the management services: syslog, logs, SNMP."""

from __future__ import annotations

from typing import Annotated

from zinger.plan.values.durations import parse_minutes
from zinger.plan.values.item import Flag, Host, Item, Secret, Subnet, TcpPort, Word, number, typed, word_of

SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")
"""Of RFC 5424 6.2.1, the worst first."""


class SyslogServer(Item):
    """A syslog receiver (RFC 5424; transport by RFC 5426, 6587 or 5425) and the least severity that it gets.

    Where a device sends to the first that answers, that is the one with the lowest `preference`.
    """

    lead = ("host",)
    example = "10.44.8.24 port 514 transport tcp severity notice"
    host: Host
    port: TcpPort | None = None
    transport: Annotated[str, word_of("udp", "tcp", "tls")] = "udp"
    severity: Annotated[str, word_of(*SEVERITIES)] | None = None
    preference: Annotated[int, number(1, 15, word="preference")] | None = None


class ConsoleTimeout(Item):
    """How long a console port waits, in minutes, before it signs out; a device may have several."""

    lead = ("port", "timeout")
    example = "usb 3 min"
    units = {"timeout": "min"}
    port: Word
    timeout: Annotated[int, typed(parse_minutes)]


class LocalLog(Item):
    """The device's own log: the least severity that is kept, and whether it outlives a restart."""

    lead = ("severity",)
    example = "warning survives"
    severity: Annotated[str, word_of(*SEVERITIES)]
    survives: Flag = False


class Community(Item):
    """An SNMP v2c community (RFC 3584): itself a secret, so only its vault entry is named."""

    lead = ("secret", "access")
    example = "kvr-read read stations 10.44.8.0/24"
    secret: Secret
    access: Annotated[str, word_of("read", "write")] = "read"
    stations: Subnet | None = None


class SnmpUser(Item):
    """An SNMP v3 user (RFC 3414) with authentication (RFC 7860) and privacy (RFC 3826)."""

    lead = ("name",)
    example = "kvr-read auth sha-256 privacy aes secret snmp-kvr-read"
    name: Word
    auth: Annotated[str, word_of("none", "md5", "sha", "sha-256", "sha-512")] = "sha-256"
    privacy: Annotated[str, word_of("none", "des", "aes")] = "aes"
    secret: Secret | None = None
