"""What a Hollin G4 keeps in its draft: its keys, how each is written, and the bases to begin from."""

from __future__ import annotations

import re

from zinger.practice.core.sheet import (
    SEVERITIES,
    Check,
    address6,
    among,
    hosts,
    interface,
    local_log,
    name,
    number,
    words,
    written,
)
from zinger.practice.core.words import Refused, address_of, host_in_net

_DOOR = among("open", "shut")
_IDLE = number(1, 240)


def _outside(text: str) -> str:
    match = re.fullmatch(r"fixed (\S+) via (\S+)(?: on [1-8])?", text)
    if match:
        mine = host_in_net(match[1])
        if address_of(match[2]) not in mine.network:
            raise Refused(f"{match[2]} is not beside {mine}")
    elif not re.fullmatch(r"(by lease|dialled by \S+)( on [1-8])?", text):
        raise Refused("upstream is fixed A/N via A, or by lease, or dialled by NAME, with on N behind if wanted")
    return text


def _pool(text: str) -> str:
    match = re.fullmatch(r"(\S+) to (\S+) for (\d+) min(?: names by (\S+))?(?: domain \S+)?", text)
    if not match or address_of(match[1]) > address_of(match[2]):
        raise Refused("a pool is A to A for N min, with names by A,A and domain D behind if wanted")
    for server in (match[4] or "").split(",") if match[4] else []:
        address_of(server)
    return text


def _rule(text: str) -> str:
    if not re.fullmatch(r"(allow|deny) from \S+ to \S+ for \S+", text):
        raise Refused("a rule is allow, or deny, from X to X for X")
    return text


def _forward(text: str) -> str:
    match = re.fullmatch(r"(\S+) (\d+) (tcp|udp)", text)
    if not match:
        raise Refused("a forward goes to A PORT tcp, or udp")
    address_of(match[1])
    return text


KEYS: dict[str, Check] = {
    "name": name(31),
    "place": words(60),
    "contact": words(60),
    "greeting": words(200),
    "address": interface,
    "gateway": lambda text: str(address_of(text)),
    "resolvers": hosts(3),
    "suffix": words(60),
    "domain": words(60),
    "address6": address6,
    "gateway6": words(40),
    "zone": words(40),
    "summer": among("on", "off"),
    "summer-rule": written(
        r"from \S+ \w{3} \w{3} \d\d:\d\d until \S+ \w{3} \w{3} \d\d:\d\d by \d{2,3} min",
        "a summer rule is from NTH DAY MONTH HH:MM until NTH DAY MONTH HH:MM by N min",
    ),
    "local-log": local_log,
    "idle": _IDLE,
    "idle-console": _IDLE,
    "idle-network": _IDLE,
    "idle-web": _IDLE,
    "usb-start": among("on", "off"),
    "lease-offers": among("taken", "ignored"),
    "lldp": among("on", "off"),
    "updates": words(120),
    "proxy": words(120),
    "ssh": _DOOR,
    "https": _DOOR,
    "http": _DOOR,
    "telnet": _DOOR,
    "forwarding": among("route", "bridge"),
    "upstream": _outside,
    "local": interface,
    "guest": interface,
    "pool": _pool,
    "stations": words(120),
    "reset-at-device": among("allowed", "forbidden"),
    "wrong-passwords": written(r"[1-9]\d? then \d{1,4} min", "wrong passwords are N then N min"),
    "asked-first": among("keepers", "judges", "judges then keepers", "keepers then judges"),
    "snmp": written(r"(v1|v2c|v3)( (v1|v2c|v3))*|none", "SNMP is v1, v2c and v3, or none"),
}
NAMED: dict[str, Check] = {
    "rule": _rule,
    "forward": _forward,
    "reserved": words(60),
    "time": written(
        r"asked( first)?( every \d+ s)?( by key \d+)?( as \d\d?)?",
        "a time server is asked, first, every N s, by key N, as number N",
    ),
    "log": written(
        rf"by (udp|tcp|tls)( to \d+)?( from ({'|'.join(SEVERITIES)}))?( as \d\d?)?",
        "logs go by udp, tcp or tls to PORT from SEVERITY as number N",
    ),
    "share": written(r"(high|normal|low) for \S+( up to \d+ kbit/s)?", "a share is high, normal or low for WHAT"),
    "hours": written(r"\S+ \d\d:\d\d to \d\d:\d\d", "hours are DAYS HH:MM to HH:MM"),
    "host": lambda text: str(address_of(text)),
    "filter": written(r"(allow|deny)( in \S+)?", "a filter is allow, or deny, in HOURS"),
    "services-of": written(
        r"(none|(ssh|https|http|telnet)(,(ssh|https|http|telnet))*)( to \S+)?",
        "services are a list, or none, to NET,NET",
    ),
}
"""Keys of which there are many, each with a name of its own."""
SECRET = {
    "time-key": written("chosen", "a time key is chosen"),
    "community": written(r"(read|write) from \S+", "a community is read, or write, from any, or from A/N"),
    "snmp-user": written(r"\S+ (none|des|aes)", "an SNMP user is HASH CIPHER"),
    "judge": written(r"by (radius|tacacs)( at \d{1,5})?", "a judge is asked by radius, or tacacs, at PORT"),
    "dial-password": written("chosen", "a dial password is chosen"),
}
"""Keys that come with a password, which is asked for; those in the middle have a name of their own."""
BASES = {
    "plain": {
        "name": "hollin-g4",
        "usb-start": "on",
        "lease-offers": "taken",
        "lldp": "on",
        "forwarding": "route",
        "ssh": "shut",
        "https": "open",
        "http": "open",
        "telnet": "open",
        "address": "by lease",
        "zone": "UTC",
        "idle": "30",
        "reset-at-device": "allowed",
        'rule "everything out"': "allow from local to any for any",
    },
    "bare": {"name": "hollin-g4", "forwarding": "route", "https": "open"},
}
