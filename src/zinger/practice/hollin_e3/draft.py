"""What a Hollin E3 holds: a draft that its pages change, and what of each page it takes."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import SEVERITIES, Sheet, among, host, maybe, number, take, words
from zinger.practice.core.words import Refused, address_of, host_in_net

ZONES = ("UTC", "Africa/Nairobi", "Asia/Tokyo", "Europe/Lisbon", "Europe/Vienna", "Pacific/Auckland")
DOORS = ("https", "ssh", "ping", "snmp")
SIDES = ("local", "upstream")
Said = Mapping[str, str]
Wrong = dict[str, str]
_LISTS = ("rule", "forward", "keep")


def as_delivered() -> Sheet:
    """The state out of the carton; `seen` is what the first person went through."""
    values = {
        "name": "hollin-e3", "place": "", "contact": "", "greeting": "", "idle": "30", "zone": "UTC",
        "time1": "", "time2": "", "log": "", "logport": "514", "loglevel": "notice",
        "how": "lease", "outaddress": "", "outgateway": "", "ppp": "",
        "address": "192.0.2.1/24", "first": "192.0.2.100", "last": "192.0.2.199", "lease": "720",
        "hand1": "", "hand2": "", "search": "", "guest": "", "reset": "allowed",
        "door:https:local": "yes", "door:ping:local": "yes", "door:ssh:local": "no", "door:snmp:local": "no",
        "door:https:upstream": "no", "door:ping:upstream": "no", "door:ssh:upstream": "no", "door:snmp:upstream": "no",
        "else": "allowed", "seen": "",
    }  # fmt: skip
    return Sheet(values, {"setup": Person.with_secret("all", "begin-here", must_renew=True)})


def listed(state: Sheet, what: str) -> list[tuple[str, str]]:
    """The entries of a list, in order: their keys and what they say."""
    found = [(key, value) for key, value in state.values.items() if key.startswith(f"{what}:")]
    return sorted(found, key=lambda pair: int(pair[0].split(":")[1]))


def add(state: Sheet, what: str, entry: str) -> None:
    numbers = [int(key.split(":")[1]) for key, _ in listed(state, what)]
    state.values[f"{what}:{max(numbers, default=0) + 1}"] = entry


def wrong_secret(one: str, two: str, shortest: int) -> str:
    """Why a password or key is not taken; nothing for one that is."""
    if one != two:
        return "the two differ"
    if len(one) < shortest or not re.search(r"[A-Za-z]", one) or not re.search(r"\d", one):
        return f"{shortest} characters or more, with a letter and a digit"
    return ""


def _name(text: str) -> str:
    if not re.fullmatch(r"[A-Za-z0-9-]{1,24}", text):
        raise Refused("1 to 24 letters, digits and hyphens")
    return text


def _inside(text: str) -> str:
    return str(host_in_net(text))


def identity(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, name=_name, place=words(40), contact=words(40), greeting=words(200), idle=number(1, 120))
    take(state, said, wrong, zone=among(*ZONES), time1=maybe(host), time2=maybe(host))
    take(state, said, wrong, log=maybe(host), logport=number(1, 65535), loglevel=among(*SEVERITIES))
    take(state, said, wrong, reset=among("allowed", "forbidden"))


def outside(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, how=among("lease", "static", "pppoe"))
    how = state.values["how"]
    if how == "static":
        take(state, said, wrong, outaddress=_inside, outgateway=host)
        if not wrong and address_of(state.values["outgateway"]) not in _net(state.values["outaddress"]):
            wrong["outgateway"] = "it is not in that network"
    elif how == "pppoe":
        take(state, said, wrong, ppp=words(60))
        if said.get("ppppw"):
            state.secrets["ppp"] = said["ppppw"]
        elif not state.values["ppp"]:
            wrong["ppp"] = "a name is needed"


def _net(text: str) -> IPv4Network:
    return IPv4Interface(text).network


def inside(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, address=_inside, first=host, last=host, lease=number(1, 100_000), guest=maybe(_inside))
    take(state, said, wrong, hand1=maybe(host), hand2=maybe(host), search=words(60))
    if wrong:
        return
    own = IPv4Interface(state.values["address"])
    for key in ("first", "last"):
        if IPv4Address(state.values[key]) not in own.network:
            wrong[key] = f"it is not in {own.network}"
    if not wrong and not IPv4Address(state.values["first"]) <= IPv4Address(state.values["last"]):
        wrong["last"] = "it comes before the first"
    elif not wrong and IPv4Address(state.values["first"]) <= own.ip <= IPv4Address(state.values["last"]):
        wrong["first"] = "the range holds this firewall's own address"


def doors(state: Sheet, said: Said, wrong: Wrong) -> None:
    for door in DOORS:
        for side in SIDES:
            state.values[f"door:{door}:{side}"] = "yes" if f"{door}-{side}" in said else "no"
    if state.values["door:https:local"] == "no":
        wrong["https-local"] = "nobody could come back to these pages"


def rules(state: Sheet, said: Said, wrong: Wrong) -> None:
    purpose, what = said.get("purpose", "").strip(), said.get("what", "")
    if not purpose or "|" in purpose:
        wrong["purpose"] = "say what it is for"
    elif what not in ("let through", "keep out"):
        wrong["what"] = "choose one of those on offer"
    else:
        parts = [said.get(key, "").strip() or "any" for key in ("source", "target", "service")]
        add(state, "rule", "|".join((purpose, what, *parts)))


def forwards(state: Sheet, said: Said, wrong: Wrong) -> None:
    t = Sheet(dict(state.values))
    take(t, said, wrong, port=number(1, 65535), to=host, their=maybe(number(1, 65535)), by=among("tcp", "udp"))
    if not wrong:
        v = t.values
        add(state, "forward", "|".join((v["port"], v["by"], v["to"], v["their"] or v["port"], said.get("why", ""))))


def keeps(state: Sheet, said: Said, wrong: Wrong) -> None:
    mac = said.get("mac", "").strip().lower().replace(":", "-")
    if not re.fullmatch(r"([0-9a-f]{2}-){5}[0-9a-f]{2}", mac):
        wrong["mac"] = "write it as 02-00-00-00-00-01"
        return
    t = Sheet(dict(state.values))
    take(t, said, wrong, at=host)
    if not wrong:
        add(state, "keep", f"{mac}|{t.values['at']}|{said.get('called', '').strip()}")


def people(state: Sheet, said: Said, wrong: Wrong) -> None:
    who, right = said.get("who", "").strip(), said.get("right", "")
    if not re.fullmatch(r"[A-Za-z0-9-]{1,24}", who):
        wrong["who"] = "1 to 24 letters, digits and hyphens"
    elif right not in ("all", "view"):
        wrong["right"] = "choose one of those on offer"
    elif why := wrong_secret(said.get("pw", ""), said.get("pw2", ""), 10):
        wrong["pw"] = why
    else:
        state.people[who] = Person.with_secret(right, said["pw"])


TAKES: dict[str, Callable[[Sheet, Said, Wrong], None]] = {
    "identity": identity,
    "outside": outside,
    "inside": inside,
    "doors": doors,
    "rules": rules,
    "forwards": forwards,
    "keeps": keeps,
    "people": people,
}
