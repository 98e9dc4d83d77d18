"""What a Quern S2 holds: its running and startup state, and how it tells them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from ipaddress import IPv4Interface
from typing import Any, Self

from zinger.practice.core.people import Person

FACTORY_NAME = "quern-s2"
FALLBACK = "198.51.100.7/24"
LABEL_USER, LABEL_SECRET = "installer", "unpack-me"
NONE = "(none)"
DEFAULT = 1
PASSWORDS = ("console", "network", "privileged")
WAYS = ("console", "network", "web")


def _factory_people() -> dict[str, Person]:
    return {LABEL_USER: Person.with_secret("keeper", LABEL_SECRET, must_renew=True)}


def factory_doors() -> dict[str, bool]:
    """Which services are open out of the box."""
    return {
        "ssh": False,
        "telnet": True,
        "http": True,
        "https": False,
        "tftp": True,
        "usb": True,
        "dhcp-load": True,
        "lldp": True,
    }


@dataclass
class Port:
    """One port: of kind `single` it carries one VLAN untagged, `trunk` tagged ones, `mixed` any, `off` none."""

    kind: str = "single"
    untagged: int = DEFAULT
    tagged: list[int] = field(default_factory=list)
    forbidden: list[int] = field(default_factory=list)
    note: str = ""


@dataclass
class State:
    """Everything that `keep` writes to startup."""

    name: str = FACTORY_NAME
    greeting: str = ""
    location: str = ""
    contact: str = ""
    people: dict[str, Person] = field(default_factory=_factory_people)
    vlan: int = 1
    address: str = "lease"
    gateway: str = ""
    stations: list[str] = field(default_factory=list)
    address6: str = "off"
    gateway6: str = ""
    resolver: list[str] = field(default_factory=list)
    suffix: str = ""
    domain: str = ""
    source: dict[str, str] = field(default_factory=dict)
    """How each time source is asked: first, every N s, key N."""
    time_key: str = ""
    """A digest of it."""
    zone: str = "UTC"
    summer: bool = False
    summer_rule: str = ""
    hosts: dict[str, str] = field(default_factory=dict)
    """Addresses of the names that it knows itself."""
    idle: int = 15
    idle_of: dict[str, int] = field(default_factory=dict)
    """Minutes, where a way in has its own."""
    idle_at: dict[str, str] = field(default_factory=dict)
    """The same for each of its console ports."""
    passwords: dict[str, str] = field(default_factory=dict)
    """Digests of the passwords of the console, of network sessions and of privileged work."""
    doors: dict[str, bool] = field(default_factory=factory_doors)
    receiver: dict[str, str] = field(default_factory=dict)
    """How each log receiver is sent to: port N, by TRANSPORT, from SEVERITY."""
    local_log: str = "all lost"
    communities: list[list[str]] = field(default_factory=list)
    """Of each its digest, access, and from where it is answered."""
    update_server: str = ""
    update_proxy: str = ""
    members: dict[str, str] = field(default_factory=dict)
    uplinks: dict[str, str] = field(default_factory=dict)
    snmp_users: dict[str, str] = field(default_factory=dict)
    snmp_keys: dict[str, str] = field(default_factory=dict)
    """Of each user a digest of the key."""
    vlans: dict[int, str] = field(default_factory=lambda: {DEFAULT: "default"})
    default_closed: bool = False
    igmp_snooping: bool = False
    ports: dict[str, Port] = field(default_factory=dict)
    bundles: dict[str, str] = field(default_factory=dict)
    voice: str = ""
    spanning_tree: bool = True
    bridge_priority: int = 32768
    allowed: dict[str, str] = field(default_factory=dict)
    options: dict[str, dict[str, str]] = field(default_factory=dict)
    """What was said of ports besides what they carry."""
    lists: dict[str, list[str]] = field(default_factory=dict)
    lock: str = "never"
    versions: list[str] = field(default_factory=lambda: ["v1", "v2c", "v3"])
    authorities: dict[str, list[str]] = field(default_factory=dict)
    """Of each its protocol, host and port, and a digest of its key."""
    asks: str = "local"

    def dump(self) -> dict[str, Any]:
        """As JSON-able data."""
        return asdict(self)

    @classmethod
    def load(cls, data: dict[str, Any]) -> Self:
        """The inverse of `dump`, also through JSON."""
        return cls(
            **{
                **data,
                "people": {name: Person(**p) for name, p in data["people"].items()},
                "ports": {name: Port(**p) for name, p in data["ports"].items()},
                "vlans": {int(number): name for number, name in data["vlans"].items()},
            }
        )

    def copy(self) -> Self:
        """An independent copy."""
        return self.load(self.dump())

    def port(self, name: str) -> Port:
        """A port; every one is there, told about or not."""
        return self.ports.get(name) or Port()

    def sections(self, address: str, ports: Iterable[str]) -> dict[str, list[tuple[str, str]]]:
        """What it tells of itself, by section: (word, value)."""
        return {
            "people": [
                *(("person", f"{name} ({person.level})") for name, person in self.people.items()),
                ("lock", self.lock),
            ],
            "mgmt": [
                ("vlan", str(self.vlan)),
                ("address", address),
                ("gateway", self.gateway or NONE),
                ("address6", self.address6),
                ("gateway6", self.gateway6 or NONE),
                *_many("station", self.stations),
            ],
            "names": [
                *_many("resolver", self.resolver),
                ("suffix", self.suffix or NONE),
                ("domain", self.domain or NONE),
                *_many("host", _pairs(self.hosts)),
            ],
            "clock": [
                *_many("source", _pairs(self.source)),
                ("zone", self.zone),
                ("summer", _on(self.summer)),
                ("summer-rule", self.summer_rule or NONE),
                ("key", _set(self.time_key)),
            ],
            "log": [*_many("receiver", _pairs(self.receiver)), ("local-log", self.local_log)],
            "snmp": [
                ("versions", " ".join(self.versions) or NONE),
                *_many("user", _pairs(self.snmp_users)),
                *_many(
                    "community", [f"{n} {what} from {nets}" for n, (_, what, nets) in enumerate(self.communities, 1)]
                ),
            ],
            "passwords": [(which, _set(self.passwords.get(which))) for which in PASSWORDS],
            "update": [("server", self.update_server or NONE), ("proxy", self.update_proxy or NONE)],
            "stack": _many("member", _pairs(self.members)),
            "uplinks": _many("uplink", _pairs(self.uplinks)),
            "doors": [
                ("idle", f"{self.idle} min"),
                *((f"idle-{way}", f"{self.idle_of[way]} min" if way in self.idle_of else "as idle") for way in WAYS),
                *_many("idle-at", _pairs(self.idle_at)),
                *((door, "open" if is_open else "shut") for door, is_open in self.doors.items()),
            ],
            "vlans": [
                *(("vlan", f"{number} {name}") for number, name in sorted(self.vlans.items())),
                ("default-vlan", "closed" if self.default_closed else "open"),
                ("igmp-snooping", _on(self.igmp_snooping)),
            ],
            "bundles": _many("bundle", _pairs(self.bundles)),
            "voice": [("carry", self.voice or NONE)],
            "spanning-tree": [("run", _on(self.spanning_tree)), ("bridge-priority", str(self.bridge_priority))],
            "bindings": _many("allow", _pairs(self.allowed)),
            **self._guarding(),
        }

    def _guarding(self) -> dict[str, list[tuple[str, str]]]:
        """What it tells of who may do what."""
        options = [f"{port} {word} {what}" for port, said in self.options.items() for word, what in said.items()]
        return {
            "authorities": [*_many("authority", [what for what, _ in self.authorities.values()]), ("ask", self.asks)],
            "lists": _many("rule", [f"{name}: {rule}" for name, rules in self.lists.items() for rule in rules]),
            "options": _many("option", options),
        }


def tell(
    state: State, identity: list[tuple[str, str]], note: str, ports: Iterable[str], section: str = "all"
) -> list[str]:
    """The lines of `tell SECTION`; `note` says how the address came about."""
    if state.address == "lease":
        address = f"by lease ({note})" if note else "by lease"
    else:
        fixed = IPv4Interface(state.address)
        address = f"{fixed.ip} len {fixed.network.prefixlen} (fixed)"
    own = [
        ("name", state.name),
        *identity,
        ("greeting", state.greeting or NONE),
        ("location", state.location or NONE),
        ("contact", state.contact or NONE),
    ]
    lines: list[str] = []
    for title, rows in {"identity": own, **state.sections(address, ports)}.items():
        if section in ("all", title):
            lines.append(title)
            lines += [f"   {word} {'.' * (16 - len(word))} {value}" for word, value in rows]
    if section in ("all", "ports"):
        lines += ["ports", *_port_table(state, ports)]
    return lines


def _port_table(state: State, ports: Iterable[str]) -> list[str]:
    lines = [f"   {'port':<8}{'kind':<8}{'untagged':<10}{'tagged':<16}{'forbidden':<11}note"]
    for name in ports:
        port = state.port(name)
        tagged, forbidden = (",".join(map(str, v)) or "-" for v in (port.tagged, port.forbidden))
        untagged = str(port.untagged) if port.untagged else "-"
        lines.append(f"   {name:<8}{port.kind:<8}{untagged:<10}{tagged:<16}{forbidden:<11}{port.note}".rstrip())
    return lines


def _on(flag: bool) -> str:
    return "on" if flag else "off"


def _set(digest: str | None) -> str:
    return "set" if digest else NONE


def _pairs(values: dict[str, str]) -> list[str]:
    return [f"{name} {what}".rstrip() for name, what in values.items()]


def _many(word: str, values: list[str]) -> list[tuple[str, str]]:
    return [(word, value) for value in values] or [(word, NONE)]
