"""Settings that have parts: VLANs, ports, SSIDs, pools, rules, peers... each a frozen pydantic model.

All of them can be written in two ways that mean the same: as a mapping in YAML or JSON, or in words that fit
a cell of a sheet, such as `20 staff` for a VLAN or `1-16 access vlan 20 description "desk"` for ports. The
words come from the model itself: its first fields by position, the others by their name, a yes by its name
alone. `str(item)` writes them, so that what was read can be written back.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, model_validator

from zinger.plan import parsing as p
from zinger.plan.problems import did_you_mean
from zinger.plan.secrets import SecretRef

_TOKEN = re.compile(r'"([^"]*)"|(\S+)')
_BETWEEN = re.compile(r";|\n|,\s+")


def _typed(parse: Callable[[Any], Any]) -> Any:
    """A pydantic validator from a parser; what has its type already passes."""
    return BeforeValidator(parse)


Text = Annotated[str, _typed(p.parse_words)]
Word = Annotated[str, _typed(p.parse_account_name)]
Name = Annotated[str, _typed(p.parse_hostname)]
Host = Annotated[Any, _typed(p.parse_host)]
HostAddress = Annotated[Any, _typed(p.parse_address)]
WithPrefix = Annotated[Any, _typed(p.parse_interface)]
Subnet = Annotated[Any, _typed(p.parse_network)]
VlanId = Annotated[int, _typed(p.parse_vlan)]
VlanIds = Annotated[tuple[int, ...], _typed(p.each(p.parse_vlan))]
Ports = Annotated[tuple[str, ...], _typed(p.parse_ports)]
Mac = Annotated[str, _typed(p.parse_mac)]
Flag = Annotated[bool, _typed(p.parse_flag)]
Secret = Annotated[SecretRef, _typed(p.parse_secret)]
TcpPort = Annotated[int, _typed(p.whole(1, 65535, word="port number"))]


def _word(*words: str) -> Any:
    return _typed(p.one_of(*words))


def _whole(low: int, high: int, unit: str = "", word: str = "number") -> Any:
    return _typed(p.whole(low, high, unit, word))


class Item(BaseModel):
    """A value with parts; `lead` names the fields that come first, in order, without their name."""

    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True)
    lead: ClassVar[tuple[str, ...]] = ()
    example: ClassVar[str] = ""
    units: ClassVar[Mapping[str, str]] = {}

    @model_validator(mode="before")
    @classmethod
    def _from_words(cls, raw: Any) -> Any:
        return cls._parts(raw) if isinstance(raw, str | int | float) else raw

    @classmethod
    def _parts(cls, raw: object) -> dict[str, Any]:
        """The fields, as text, of an item in words."""
        tokens = [(m[1], True) if m[1] is not None else (m[2], False) for m in _TOKEN.finditer(p.parse_text(raw))]
        names = {name.replace("_", "-"): name for name in cls.model_fields}
        parts: dict[str, Any] = {}
        waiting = [name for name in cls.lead]
        at = 0
        while at < len(tokens):
            token, quoted = tokens[at]
            field = None if quoted else names.get(token.lower())
            if field is None and waiting:
                field = waiting.pop(0)
            elif field is None:
                known = ", ".join(n for n in names if names[n] not in cls.lead)
                what = f"{token!r} is none of {known}" if known else f"{token!r} has no place here"
                raise ValueError(f"{what}{did_you_mean(token, names)}; write it like {cls.example}")
            elif cls.model_fields[field].annotation is bool:
                parts[field] = True
                at += 1
                continue
            else:
                waiting = [w for w in waiting if w != field]
                at += 1
                if at == len(tokens):
                    raise ValueError(f"nothing follows {token!r}; write it like {cls.example}")
            parts[field] = tokens[at][0]
            at += 1
            unit = cls.units.get(field)
            if unit and at < len(tokens) and tokens[at] == (unit, False):
                at += 1
        return parts

    @classmethod
    def read(cls, raw: object) -> Self:
        """The item from words or a mapping; raises ValueError with what is wrong and what to write."""
        if isinstance(raw, cls):
            return raw
        try:
            return cls.model_validate(dict(raw) if isinstance(raw, Mapping) else raw)
        except ValidationError as error:
            raise ValueError(_sentence(cls, error)) from None

    def __str__(self) -> str:
        words: list[str] = []
        plain = True
        for name, field in type(self).model_fields.items():
            value = getattr(self, name)
            led = name in self.lead
            if not field.is_required() and value == field.default:
                plain = plain and not led  # what comes after an empty place needs its name
                continue
            if isinstance(value, bool):
                words += [name.replace("_", "-")] if value else []
                continue
            if not (led and plain):
                words.append(name.replace("_", "-"))
            words.append(self._written(value))
            if name in self.units:
                words.append(self.units[name])
        return " ".join(words)

    def _written(self, value: object) -> str:
        if isinstance(value, SecretRef):
            text = value.name
        elif isinstance(value, tuple):
            ports = all(isinstance(v, str) for v in value)
            text = fold(value) if ports else ",".join(map(str, value))
        else:
            text = str(value)
        keyword = text.lower() in {n.replace("_", "-") for n in type(self).model_fields}
        return f'"{text}"' if keyword or not text or (re.search(r"[\s;,]", text) and isinstance(value, str)) else text


fold = p.fold_ports


def _sentence(cls: type[Item], error: ValidationError) -> str:
    first = error.errors()[0]
    field = str(first["loc"][-1]).replace("_", "-") if first["loc"] else ""
    if first["type"] == "extra_forbidden":
        return f"nothing here is called {field!r}{did_you_mean(field, cls.model_fields)}; write it like {cls.example}"
    if first["type"] == "missing":
        return f"it does not say its {field}; write it like {cls.example}"
    text = str(first["msg"]).removeprefix("Value error, ")
    if "; " not in text:
        text = f"{text[:1].lower()}{text[1:]}; write it like {cls.example}"
    return f"{field}: {text}" if field else text


def items(cls: type[Item]) -> Callable[[object], tuple[Item, ...]]:
    """A parser for lists of items: of YAML, or in one cell with semicolons between them."""

    def parse_all(raw: object) -> tuple[Item, ...]:
        if isinstance(raw, str):
            listed: list[Any] = [part for part in _split(raw) if part.strip()]
        elif isinstance(raw, Mapping) and not set(map(str, raw)) & set(cls.model_fields):
            listed = [_keyed(cls, key, body) for key, body in raw.items()]
        else:
            listed = list(raw) if isinstance(raw, list | tuple) else [raw]
        found = tuple(cls.read(item) for item in listed)
        if len(set(found)) != len(found):
            raise ValueError("the same entry stands twice; remove one")
        return found

    return parse_all


def _keyed(cls: type[Item], key: object, body: object) -> Any:
    """`{20: staff}` and `{1-16: {mode: access}}` are items whose first part is the key."""
    if isinstance(body, Mapping):
        return {cls.lead[0]: key, **body}
    return f"{key} {body}"


def _split(text: str) -> list[str]:
    """At semicolons, line ends, and commas before a blank, but not inside quotes."""
    pieces = re.split(r'("[^"]*")', text)
    parts = [""]
    for piece in pieces:
        if piece.startswith('"'):
            parts[-1] += piece
            continue
        first, *rest = _BETWEEN.split(piece)
        parts[-1] += first
        parts += rest
    return parts


# -- system and management ---------------------------------------------------------------------------
class NtpServer(Item):
    """A time server (RFC 5905); `poll` in seconds, a power of two from 16 to 131072; `key` names a symmetric key."""

    lead = ("host",)
    example = "10.44.8.22 preferred key 3 poll 256 s"
    units = {"poll": "s"}
    host: Host
    preferred: Flag = False
    key: Annotated[int, _whole(1, 65535, word="key number")] | None = None
    poll: Annotated[int, _whole(16, 131072, "s", "poll interval in seconds")] | None = None

    @model_validator(mode="after")
    def _power(self) -> Self:
        if self.poll and self.poll & (self.poll - 1):
            raise ValueError(f"a poll interval of {self.poll} s is no power of two; write 64, 128, 256...")
        return self


SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")
"""Of RFC 5424 6.2.1, the worst first."""


class SyslogServer(Item):
    """A syslog receiver (RFC 5424; transport by RFC 5426, 6587 or 5425) and the least severity that it gets."""

    lead = ("host",)
    example = "10.44.8.24 port 514 transport tcp severity notice"
    host: Host
    port: TcpPort | None = None
    transport: Annotated[str, _word("udp", "tcp", "tls")] = "udp"
    severity: Annotated[str, _word(*SEVERITIES)] | None = None


class Community(Item):
    """An SNMP v2c community (RFC 3584): itself a secret, so only its vault entry is named."""

    lead = ("secret", "access")
    example = "kvr-read read stations 10.44.8.0/24"
    secret: Secret
    access: Annotated[str, _word("read", "write")] = "read"
    stations: Subnet | None = None


class SnmpUser(Item):
    """An SNMP v3 user (RFC 3414) with authentication (RFC 7860) and privacy (RFC 3826)."""

    lead = ("name",)
    example = "kvr-read auth sha-256 privacy aes secret snmp-kvr-read"
    name: Word
    auth: Annotated[str, _word("none", "md5", "sha", "sha-256", "sha-512")] = "sha-256"
    privacy: Annotated[str, _word("none", "des", "aes")] = "aes"
    secret: Secret | None = None


# -- switching ---------------------------------------------------------------------------------------
class Vlan(Item):
    """A VLAN (IEEE 802.1Q) with its name."""

    lead = ("id", "name")
    example = "20 staff"
    id: VlanId
    name: Text = ""


class Port(Item):
    """Ports of one kind: access (one VLAN, untagged), trunk (tagged, with a native VLAN), general (any mix), off."""

    lead = ("ports", "mode")
    example = '1-16 access vlan 20 description "desks"'
    ports: Ports
    mode: Annotated[str, _word("access", "trunk", "general", "off")]
    vlan: VlanId | None = None
    tagged: VlanIds = ()
    native: VlanId | None = None
    excluded: VlanIds = ()
    description: Text = ""


class Lag(Item):
    """A link aggregation group (LACP, IEEE 802.1AX)."""

    lead = ("name", "ports")
    example = "up1 23-24 mode active"
    name: Text
    ports: Ports
    mode: Annotated[str, _word("active", "passive", "static")] = "active"


class Uplink(Item):
    """Where a port, or a group of them, leads: another device and its port or ports."""

    lead = ("ports", "to", "their")
    example = "23-24 kvr-cb-cs1 their 1/1-1/2"
    ports: Ports
    to: Name
    their: Ports | None = None


class VlanGateway(Item):
    """The device's own address in a VLAN, for which it routes."""

    lead = ("vlan", "address")
    example = "20 10.44.20.1/24"
    vlan: VlanId
    address: WithPrefix


class Route(Item):
    """A static route: destination subnet and next hop."""

    lead = ("to", "via")
    example = "0.0.0.0/0 10.44.8.1"
    to: Subnet
    via: HostAddress


class VoiceVlan(Item):
    """The voice VLAN with its LLDP-MED network policy (ANSI/TIA-1057): CoS 0-7 (IEEE 802.1p), DSCP 0-63 (RFC 2474)."""

    lead = ("vlan",)
    example = "40 cos 5 dscp 46"
    vlan: VlanId
    cos: Annotated[int, _whole(0, 7, word="class of service")] = 5
    dscp: Annotated[int, _whole(0, 63, word="code point")] = 46


class Member(Item):
    """A member of a stack, by which its ports are numbered; the highest `priority` leads."""

    lead = ("number", "serial")
    example = "1 QS2-0411 priority 15"
    number: Annotated[int, _whole(1, 16, word="member number")]
    serial: Text = ""
    priority: Annotated[int, _whole(1, 15, word="priority")] | None = None


class Binding(Item):
    """An address bound to a port: what comes in there with another address or MAC is dropped."""

    lead = ("port", "mac", "address")
    example = "7 02-4b-56-10-44-09 10.44.8.60 vlan 30"
    port: Ports
    mac: Mac
    address: HostAddress | None = None
    vlan: VlanId | None = None


# -- wireless ----------------------------------------------------------------------------------------
class Radio(Item):
    """A radio: band in GHz, channel (IEEE 802.11), width in MHz, transmit power in dBm."""

    lead = ("band",)
    example = "5 channel 36 width 40 MHz power 17 dBm"
    units = {"width": "MHz", "power": "dBm"}
    band: Annotated[str, _word("2.4", "5", "6")]
    channel: Annotated[int, _whole(1, 233, word="channel")] | None = None
    width: Annotated[int, _whole(20, 320, "MHz", "channel width")] = 20
    power: Annotated[int, _whole(0, 36, "dBm", "power in dBm")] | None = None


class Ssid(Item):
    """A wireless network; its name is at most 32 bytes (IEEE 802.11 9.4.2.2)."""

    lead = ("name", "security")
    example = '"Kettlestone staff" psk secret wifi-staff vlan 20'
    name: Text
    security: Annotated[str, _word("open", "psk", "802.1x")]
    secret: Secret | None = None
    vlan: VlanId | None = None
    band: Annotated[str, _word("2.4", "5", "6", "all")] = "all"
    guest: Flag = False


class Radius(Item):
    """A RADIUS server (RFC 2865)."""

    lead = ("host",)
    example = "10.44.8.26 port 1812 secret radius"
    host: Host
    port: TcpPort = 1812
    secret: Secret | None = None


class Bridge(Item):
    """One end of a wireless bridge: its peer, its role, distance in metres, power in dBm."""

    lead = ("peer", "role")
    example = "kvr-uk-br2 access-point channel 100 power 12 dBm distance 84 m"
    units = {"power": "dBm", "distance": "m"}
    peer: Name
    role: Annotated[str, _word("access-point", "station")]
    channel: Annotated[int, _whole(1, 233, word="channel")] | None = None
    power: Annotated[int, _whole(0, 36, "dBm", "power in dBm")] | None = None
    distance: Annotated[int, _whole(1, 100000, "m", "distance in metres")] | None = None


# -- edge --------------------------------------------------------------------------------------------
class Outside(Item):
    """The outside interface: static, DHCP (RFC 2131) or PPPoE (RFC 2516)."""

    lead = ("method", "address", "gateway")
    example = "static 192.0.2.30/29 192.0.2.25"
    method: Annotated[str, _word("static", "dhcp", "pppoe")]
    address: WithPrefix | None = None
    gateway: HostAddress | None = None
    interface: Text = ""
    user: Text = ""
    secret: Secret | None = None


class Pool(Item):
    """A DHCP server's range (RFC 2131); `lease` in minutes."""

    lead = ("first", "last")
    example = "10.44.16.100 10.44.16.147 lease 8 h"
    units = {"lease": "min"}
    first: HostAddress
    last: HostAddress
    lease: Annotated[int, _typed(p.parse_lease)] = 480

    @model_validator(mode="before")
    @classmethod
    def _dash(cls, raw: Any) -> Any:
        """`10.44.16.100-147` and `10.44.16.100-10.44.16.147` are ranges too; `8 h` loses its blank."""
        if not isinstance(raw, str):
            return raw
        raw = re.sub(r"(\d+)\s+(h|d|min)\b", r"\1\2", raw)
        short = re.fullmatch(r"(\S+\.)(\d+)\s*(?:-|–|to)\s*(\d{1,3})\b(.*)", raw)
        if short:
            return cls._parts(f"{short[1]}{short[2]} {short[1]}{short[3]}{short[4]}")
        return cls._parts(re.sub(r"\s*(?:–|(?<=\d)-(?=\d)|\bto\b)\s*", " ", raw, count=1))


class Reservation(Item):
    """An address that the DHCP server keeps for one MAC."""

    lead = ("mac", "address", "name")
    example = "02-4b-56-10-44-09 10.44.16.60 ticket-printer"
    mac: Mac
    address: HostAddress
    name: Text = ""


class Rule(Item):
    """A rule by purpose: what may go from where to where."""

    lead = ("purpose", "action")
    example = '"ticket machines to bank" allow source 10.44.17.0/24 target any service tcp/443'
    purpose: Text
    action: Annotated[str, _word("allow", "deny")]
    source: Text = "any"
    target: Text = "any"
    service: Text = "any"


class Forward(Item):
    """A port forward: outside port to an inside address and port."""

    lead = ("port", "to")
    example = '8443 10.44.16.20 their 443 protocol tcp purpose "camera"'
    port: TcpPort
    to: HostAddress
    their: TcpPort | None = None
    protocol: Annotated[str, _word("tcp", "udp")] = "tcp"
    purpose: Text = ""


class Priority(Item):
    """A share of the bandwidth by purpose; `limit` in kbit/s."""

    lead = ("purpose", "level")
    example = "signals high service udp/5060 limit 2000 kbit/s"
    units = {"limit": "kbit/s"}
    purpose: Text
    level: Annotated[str, _word("high", "normal", "low")]
    service: Text = "any"
    limit: Annotated[int, _whole(1, 100_000_000, "kbit/s", "limit in kbit/s")] | None = None


class Schedule(Item):
    """Hours of the week, by name: `days` like mon-fri, `begin` and `end` as 24-hour times (ISO 8601)."""

    lead = ("name", "days")
    example = "opening mon-fri begin 06:00 end 22:00"
    name: Text
    days: Annotated[str, _typed(lambda raw: _days(raw))]
    begin: Annotated[str, _typed(lambda raw: _hour(raw))] = "00:00"
    end: Annotated[str, _typed(lambda raw: _hour(raw))] = "24:00"


class Filter(Item):
    """What is kept out or let in: a MAC or a site (a domain name), always or within a schedule."""

    lead = ("action", "what")
    example = "deny games.example schedule opening"
    action: Annotated[str, _word("allow", "deny")]
    what: Annotated[str, _typed(lambda raw: _mac_or_site(raw))]
    schedule: Text = ""


_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def _days(raw: object) -> str:
    text = p.parse_text(raw).lower().replace(" ", "")
    if text != "daily" and not all(day in _DAYS for part in text.split(",") for day in part.split("-")):
        raise ValueError(f"{text!r} are no days; write daily, or days like mon-fri,sun")
    return text


def _hour(raw: object) -> str:
    text = p.parse_text(raw)
    if not re.fullmatch(r"(?:[01]\d|2[0-3]):[0-5]\d|24:00", text):
        raise ValueError(f"{text!r} is no time of day; write it like 06:00")
    return text


def _mac_or_site(raw: object) -> str:
    try:
        return p.parse_mac(raw)
    except ValueError:
        return p.parse_domain(raw)


class Managed(Item):
    """The management services that one interface offers."""

    lead = ("interface", "services")
    example = "inside ssh,https"
    interface: Text
    services: Text = ""


# -- voice -------------------------------------------------------------------------------------------
class Leg(Item):
    """A side of a border gateway: inside towards the telephone system, outside towards the provider."""

    lead = ("side", "address")
    example = "outside 192.0.2.60/29 interface 2"
    side: Annotated[str, _word("inside", "outside")]
    address: WithPrefix
    interface: Text = ""


class Peer(Item):
    """A SIP peer (RFC 3261) with a backup; `keepalive` in seconds (OPTIONS, 0 is off)."""

    lead = ("name", "side", "host")
    example = "exchange inside 10.44.8.30 transport tcp port 5060 backup 10.44.8.31 keepalive 30 s"
    units = {"keepalive": "s"}
    name: Word
    side: Annotated[str, _word("inside", "outside")]
    host: Host
    transport: Annotated[str, _word("udp", "tcp", "tls")] = "udp"
    port: TcpPort = 5060
    backup: Host | None = None
    keepalive: Annotated[int, _whole(0, 3600, "s", "number of seconds")] = 30


class Media(Item):
    """The UDP ports for media: base port, and how many (two a stream, RTP and RTCP, RFC 3550)."""

    lead = ("base",)
    example = "16384 ports 400"
    base: TcpPort
    ports: Annotated[int, _whole(2, 60000, word="number of ports")] = 400

    @property
    def last(self) -> int:
        """The highest port of the range."""
        return int(self.base + self.ports - 1)


def _dialled(raw: object, also: str) -> str:
    text = p.parse_text(raw).lower()
    if not re.fullmatch(rf"\+?[0-9{also}]{{0,24}}", text):
        how = "digits, or + and digits" + (", x for any" if also else "")
        raise ValueError(f"{text!r} is no dialled number; write {how}")
    return text


def _dialled_pattern(raw: object) -> str:
    return _dialled(raw, "x")


def _dialled_digits(raw: object) -> str:
    return _dialled(raw, "")


class Rewrite(Item):
    """A number rewriting rule: of numbers that begin with `match` (x is any digit), strip digits, put a prefix."""

    lead = ("match",)
    example = "0043 strip 2 prefix + side outside"
    match: Annotated[str, _typed(_dialled_pattern)]
    strip: Annotated[int, _whole(0, 32, word="number of digits")] = 0
    prefix: Annotated[str, _typed(_dialled_digits)] = ""
    side: Annotated[str, _word("inside", "outside", "both")] = "both"

    def takes(self, number: str) -> bool:
        """Whether a number begins as the rule wants."""
        return len(number) >= len(self.match) and all(
            want in ("x", digit) for want, digit in zip(self.match, number, strict=False)
        )

    def covers(self, later: Rewrite) -> bool:
        """Whether every number that a later rule takes is taken by this one already."""
        return (
            self.side in ("both", later.side)
            and len(self.match) <= len(later.match)
            and all(
                want in ("x", other) and not (want == "x" and other == "+")
                for want, other in zip(self.match, later.match, strict=False)
            )
        )


def rewritten(number: str, rules: tuple[Rewrite, ...], side: str = "both") -> tuple[str, int | None]:
    """The number after the first rule that takes it, and that rule's place in the order (from 0), or None."""
    for index, rule in enumerate(rules):
        if rule.takes(number) and (side == "both" or rule.side in ("both", side)):
            return rule.prefix + number[rule.strip :], index
    return number, None
