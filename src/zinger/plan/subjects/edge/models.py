"""Values with parts of routers and firewalls: the way to the provider, pools, rules, forwards."""

from __future__ import annotations

import re
from typing import Annotated, Any

from pydantic import model_validator

from zinger.plan.values.bad import BadValue
from zinger.plan.values.durations import parse_lease
from zinger.plan.values.item import (
    HostAddress,
    HostAddresses,
    Item,
    Mac,
    Secret,
    Subnets,
    TcpPort,
    Text,
    WithPrefix,
    number,
    typed,
    word_of,
)
from zinger.plan.values.mac import parse_mac
from zinger.plan.values.names import parse_domain
from zinger.plan.values.text import parse_text


class Upstream(Item):
    """The interface towards the provider: static, DHCP (RFC 2131), PPPoE (RFC 2516), or whichever the device detects.

    `as_name` and `as_mac` are what it calls itself there, where a provider asks for that.
    """

    lead = ("method", "address", "gateway")
    example = "static 192.0.2.30/29 192.0.2.25"
    method: Annotated[str, word_of("static", "dhcp", "pppoe", "detect")]
    address: WithPrefix | None = None
    gateway: HostAddress | None = None
    interface: Text = ""
    user: Text = ""
    secret: Secret | None = None
    as_name: Text = ""
    as_mac: Mac | None = None


class Pool(Item):
    """A DHCP server's range (RFC 2131); `lease` in minutes; the DNS servers and domain that clients get (RFC 2132)."""

    lead = ("first", "last")
    example = "10.44.16.100 10.44.16.147 lease 8 h dns 10.44.8.20,10.44.8.21 domain stations.example"
    units = {"lease": "min"}
    first: HostAddress
    last: HostAddress
    lease: Annotated[int, typed(parse_lease)] = 480
    dns: HostAddresses = ()
    domain: Annotated[str, typed(parse_domain)] | None = None

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
    action: Annotated[str, word_of("allow", "deny")]
    source: Text = "any"
    target: Text = "any"
    service: Text = "any"


class Forward(Item):
    """A port forward: a port towards the provider, by number or by its service (RFC 6335), to a local address."""

    lead = ("port", "to")
    example = '8443 10.44.16.20 their 443 protocol tcp purpose "camera"'
    port: TcpPort
    to: HostAddress
    their: TcpPort | None = None
    protocol: Annotated[str, word_of("tcp", "udp")] = "tcp"
    purpose: Text = ""


class Priority(Item):
    """A share of the bandwidth by purpose; `limit` in kbit/s."""

    lead = ("purpose", "level")
    example = "signals high service udp/5060 limit 2000 kbit/s"
    units = {"limit": "kbit/s"}
    purpose: Text
    level: Annotated[str, word_of("high", "normal", "low")]
    service: Text = "any"
    limit: Annotated[int, number(1, 100_000_000, "kbit/s", "limit in kbit/s")] | None = None


class Schedule(Item):
    """Hours of the week, by name: `days` like mon-fri, `begin` and `end` as 24-hour times (ISO 8601)."""

    lead = ("name", "days")
    example = "opening mon-fri begin 06:00 end 22:00"
    name: Text
    days: Annotated[str, typed(lambda raw: _days(raw))]
    begin: Annotated[str, typed(lambda raw: _hour(raw))] = "00:00"
    end: Annotated[str, typed(lambda raw: _hour(raw))] = "24:00"


class Filter(Item):
    """What is kept out or let in: a MAC or a site (a domain name), always or within a schedule."""

    lead = ("action", "what")
    example = "deny games.example schedule opening"
    action: Annotated[str, word_of("allow", "deny")]
    what: Annotated[str, typed(lambda raw: _mac_or_site(raw))]
    schedule: Text = ""


_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def _days(raw: object) -> str:
    text = parse_text(raw).lower().replace(" ", "")
    if text != "daily" and not all(day in _DAYS for part in text.split(",") for day in part.split("-")):
        raise BadValue(f"{text!r} are not valid days", "write daily, or days like mon-fri,sun")
    return text


def _hour(raw: object) -> str:
    text = parse_text(raw)
    if not re.fullmatch(r"(?:[01]\d|2[0-3]):[0-5]\d|24:00", text):
        raise BadValue(f"{text!r} is not a time of day", "write it like 06:00")
    return text


def _mac_or_site(raw: object) -> str:
    try:
        return parse_mac(raw)
    except ValueError:
        return parse_domain(raw)


class Managed(Item):
    """The management services that one interface or zone offers, and the stations that may use them there."""

    lead = ("interface", "services")
    example = "local ssh,https stations 10.44.8.0/24"
    interface: Text
    services: Text = ""
    stations: Subnets = ()
