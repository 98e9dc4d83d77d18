"""What a family accepts and how it comes out of its box, as far as a plan can go against it.

Phrasebooks bring these facts; this room knows no phrasebook.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from zinger.plan.values.addresses import Interface
from zinger.plan.values.password_rules import PasswordRules

COUNTED = (
    "dns.servers",
    "ntp.servers",
    "syslog.servers",
    "management.stations",
    "snmp.users",
    "switch.vlans",
    "switch.routes",
    "wireless.ssids",
)
"""Settings of which a family may take only so many."""
RANGED = (
    "ntp.servers",
    "idle.timeout",
    "idle.console",
    "idle.consoles",
    "idle.network",
    "idle.web",
    "switch.stp_priority",
    "switch.port_options",
    "wireless.radios",
    "voice.sessions",
)
"""Settings with numbers of which a family may take only a range."""
ROLE_SECTIONS = ("switching", "wireless", "edge", "voice")
"""Sections of settings that only some families take."""


@dataclass(frozen=True)
class FamilyRules:
    """A family's limits and factory facts. Lengths are characters.

    `ports` are the names of all ports, empty when they are not known. `factory` is the address that it answers at
    out of the box; `by_console` says that it can be reached without that address. `speaks`: it has a phrasebook.
    """

    name: str
    title: str
    hostname_longest: int = 63
    hostname_of: str = "[A-Za-z0-9-]"
    secret_shortest: int = 1
    secret_longest: int = 128
    secret_classes: tuple[str, ...] = ()
    sections: tuple[str, ...] = ROLE_SECTIONS
    ports: tuple[str, ...] = ()
    factory: Interface | None = None
    by_console: bool = True
    proved_over: tuple[str, ...] = ("services.ssh",)
    speaks: bool = True
    most: tuple[tuple[str, int], ...] = ()
    """How many of something it takes, by setting."""
    ranges: tuple[tuple[str, int, int], ...] = ()
    """From where to where it takes a number: a setting, or a part of one (`ntp.servers.poll`, in its own unit)."""
    lacks: frozenset[str] = frozenset()
    """Settings that devices of this kind do not have."""
    tells: frozenset[str] = frozenset()
    """Settings for which its phrasebook has steps."""
    shows: frozenset[str] = frozenset()
    """Those of them that it reads back."""

    def asked_of_passwords(self, job: PasswordRules) -> FamilyRules:
        """The family's rules and the job's password rules together."""
        classes = tuple(dict.fromkeys((*self.secret_classes, *job.classes)))
        return replace(self, secret_shortest=max(self.secret_shortest, job.shortest), secret_classes=classes)

    def has(self, section: str) -> bool:
        """Whether the family takes settings of a section; all take those that are not of a role."""
        return section not in ROLE_SECTIONS or section in self.sections


Rules = Mapping[str, FamilyRules]
