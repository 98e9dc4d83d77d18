"""What a Quern S2 holds: its running and startup state, and how it tells them."""

from __future__ import annotations

import hashlib
import os
from dataclasses import asdict, dataclass, field
from ipaddress import IPv4Interface
from typing import Any

FACTORY_NAME = "quern-s2"
FALLBACK = "198.51.100.7/24"
LABEL_USER, LABEL_SECRET = "installer", "unpack-me"
NONE = "(none)"


@dataclass
class Person:
    """An account: `keeper` may change things, `watcher` may look. The secret is kept as a salted hash."""

    level: str
    salt: str
    digest: str
    must_renew: bool = False

    @classmethod
    def with_secret(cls, level: str, secret: str, must_renew: bool = False) -> Person:
        salt = os.urandom(8).hex()
        return cls(level, salt, _digest(salt, secret), must_renew)

    def knows(self, secret: str) -> bool:
        """Whether this is the account's secret."""
        return _digest(self.salt, secret) == self.digest


def _digest(salt: str, secret: str) -> str:
    return hashlib.sha256(f"{salt}:{secret}".encode()).hexdigest()


def _factory_people() -> dict[str, Person]:
    return {LABEL_USER: Person.with_secret("keeper", LABEL_SECRET, must_renew=True)}


@dataclass
class State:
    """Everything that `keep` writes to startup."""

    name: str = FACTORY_NAME
    greeting: str = ""
    people: dict[str, Person] = field(default_factory=_factory_people)
    vlan: int = 1
    address: str = "lease"
    gateway: str = ""
    resolver: list[str] = field(default_factory=list)
    suffix: str = ""
    source: list[str] = field(default_factory=list)
    zone: str = "UTC"
    idle: int = 15
    doors: dict[str, bool] = field(default_factory=lambda: {"ssh": False, "telnet": True, "http": True})
    receiver: list[str] = field(default_factory=list)

    def dump(self) -> dict[str, Any]:
        """As JSON-able data."""
        return asdict(self)

    @classmethod
    def load(cls, data: dict[str, Any]) -> State:
        """The inverse of `dump`."""
        people = {name: Person(**person) for name, person in data["people"].items()}
        return cls(**{**data, "people": people})

    def copy(self) -> State:
        """An independent copy."""
        return State.load(self.dump())


@dataclass(frozen=True)
class Body:
    """What the hardware is and no state can change."""

    key: str
    serial: str
    mac: str
    image: str = "3.2.1"
    model: str = "Quern S2-24"


def tell(state: State, body: Body, note: str, section: str = "all") -> list[str]:
    """The lines of `tell SECTION`; `note` says how the address came about."""
    if state.address == "lease":
        address = f"by lease ({note})" if note else "by lease"
    else:
        fixed = IPv4Interface(state.address)
        address = f"{fixed.ip} len {fixed.network.prefixlen} (fixed)"
    sections: dict[str, list[tuple[str, str]]] = {
        "identity": [("name", state.name), ("model", body.model), ("serial", body.serial), ("mac", body.mac),
                     ("image", body.image), ("greeting", state.greeting or NONE)],
        "people": [("person", f"{name} ({person.level})") for name, person in state.people.items()],
        "mgmt": [("vlan", str(state.vlan)), ("address", address), ("gateway", state.gateway or NONE)],
        "names": [*_many("resolver", state.resolver), ("suffix", state.suffix or NONE)],
        "clock": [*_many("source", state.source), ("zone", state.zone)],
        "log": _many("receiver", state.receiver),
        "doors": [("idle", f"{state.idle} min"),
                  *((door, "open" if is_open else "shut") for door, is_open in state.doors.items())],
    }
    lines: list[str] = []
    for title, rows in sections.items():
        if section in ("all", title):
            lines.append(title)
            lines += [f"   {word} {'.' * (16 - len(word))} {value}" for word, value in rows]
    return lines


def _many(word: str, values: list[str]) -> list[tuple[str, str]]:
    return [(word, value) for value in values] or [(word, NONE)]
