"""The set-up of a Sallow W8, page after page: what each asks for, and what it takes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from ipaddress import IPv6Interface

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet, among, digest, host, maybe, number, take, words
from zinger.practice.core.words import Refused, address_of, host_in_net

COUNTRIES = {"": "choose one", "AT": "Austria", "CH": "Switzerland", "DE": "Germany", "IT": "Italy", "JP": "Japan"}
CHANNELS = {"2.4": [*range(1, 14)], "5": [36, 40, 44, 48, 52, 56, 60, 64, 100, 104, 108, 112]}
STRONGEST = {"2.4": 20, "5": 23}
ZONES = ("UTC", "Africa/Nairobi", "Asia/Tokyo", "Europe/Lisbon", "Europe/Vienna", "Europe/Zurich", "Pacific/Auckland")
KINDS = {"key": "with a key", "accounts": "with accounts (RADIUS)", "open": "open to all"}
STEPS = ("tongue", "country", "radios", "nets", "people", "clock", "wire", "sum")
Said = Mapping[str, str]
Wrong = dict[str, str]


def as_delivered() -> Sheet:
    """The state out of the carton."""
    values = {
        "tongue": "en", "country": "", "channel24": "1", "width24": "20", "power24": "10", "channel5": "36",
        "width5": "20", "power5": "10", "mesh": "no", "radius": "", "radiusport": "1812", "zone": "UTC", "time1": "",
        "time2": "", "name": "sallow-w8", "greeting": "", "idle": "30", "log": "", "how4": "lease", "address": "",
        "gateway": "", "how6": "off", "address6": "", "resolver1": "", "resolver2": "", "search": "", "plain": "no",
        "done": "no",
    }  # fmt: skip
    return Sheet(values, {})


def nets_of(state: Sheet) -> list[list[str]]:
    """The networks: name, kind, VLAN, band, for whom."""
    found = sorted((key, value) for key, value in state.values.items() if key.startswith("net:"))
    return [value.split("|") for _, value in found]


def tongue(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, tongue=among("en", "eo"))


def country(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, country=among(*(code for code in COUNTRIES if code)))


def radios(state: Sheet, said: Said, wrong: Wrong) -> None:
    for band, tail in (("2.4", "24"), ("5", "5")):
        offers = [str(channel) for channel in CHANNELS[band]]
        take(state, said, wrong, **{f"channel{tail}": among(*offers), f"width{tail}": among("20", "40", "80")})
        take(state, said, wrong, **{f"power{tail}": number(0, STRONGEST[band])})
    state.values["mesh"] = "yes" if "mesh" in said else "no"


def nets(state: Sheet, said: Said, wrong: Wrong) -> None:
    """One more network, or what they share."""
    if said.get("go") != "Add it":
        take(state, said, wrong, radius=maybe(host), radiusport=number(1, 65535))
        if said.get("radiuskey"):
            state.secrets["radius"] = digest(said["radiuskey"])
        _have_their_server(state, wrong)
        return
    title, kind, vlan, key = (said.get(what, "").strip() for what in ("ssid", "kind", "vlan", "key"))
    if not title or len(title.encode()) > 32 or "|" in title:
        wrong["ssid"] = "1 to 32 bytes"
    elif kind not in KINDS:
        wrong["kind"] = "pick one of the list"
    elif kind == "key" and not 8 <= len(key) <= 63:
        wrong["key"] = "8 to 63 characters"
    elif vlan and (not vlan.isdigit() or not 1 <= int(vlan) <= 4094):
        wrong["vlan"] = "a number from 1 to 4094"
    else:
        guests = "guests" if "guests" in said else "staff"
        others = [net for net in nets_of(state) if net[0] != title]
        _are_nets(state, [*others, [title, kind, vlan, said.get("band", "all"), guests]])
        if kind == "key":
            state.secrets[f"key:{title}"] = digest(key)


def _have_their_server(state: Sheet, wrong: Wrong) -> None:
    if any(net[1] == "accounts" for net in nets_of(state)) and not state.values["radius"]:
        wrong["radius"] = "a network with accounts needs one"


def _are_nets(state: Sheet, nets: list[list[str]]) -> None:
    """These are the networks, and no others; keys of others are forgotten."""
    listed = {f"net:{n:02}": "|".join(net) for n, net in enumerate(nets)}
    state.values = {key: value for key, value in state.values.items() if not key.startswith("net:")} | listed
    keyed = {f"key:{net[0]}" for net in nets if net[1] == "key"}
    state.secrets = {name: kept for name, kept in state.secrets.items() if name in keyed or name == "radius"}


def nets_again(state: Sheet, draft: Sheet, said: Said, wrong: Wrong) -> Sheet:
    """The networks of a controller that is set up: listed in a draft, then put right as a whole.

    Returns the state that follows: the same while the draft is worked on.
    """
    after = state.copy()
    match said.get("go"):
        case "Empty the list":
            _are_nets(draft, [])
            return state
        case "Add it":
            nets(draft, said, wrong)
            return state
        case "Take the server":
            nets(after, said, wrong)
        case _:
            _are_nets(after, nets_of(draft))
            after.secrets |= {name: key for name, key in draft.secrets.items() if name.startswith("key:")}
            _have_their_server(after, wrong)
    return after


def people(state: Sheet, said: Said, wrong: Wrong) -> None:
    for level in ("runs", "sees"):
        who, one, two = (said.get(level + part, "").strip() for part in ("", "pw", "pw2"))
        if not who and level == "sees":
            continue
        if who in state.people and state.people[who].level == level and not one and not two:
            continue  # it is kept
        if not re.fullmatch(r"[A-Za-z0-9-]{1,24}", who):
            wrong[level] = "1 to 24 letters, digits and hyphens"
        elif one != two:
            wrong[f"{level}pw"] = "the two differ"
        elif len(one) < 8 or not re.search(r"[A-Za-z]", one) or not re.search(r"\d", one):
            wrong[f"{level}pw"] = "8 characters or more, with a letter and a digit"
        else:
            state.people = {n: p for n, p in state.people.items() if p.level != level}
            state.people[who] = Person.with_secret(level, one)


def clock(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, zone=among(*ZONES), time1=maybe(host), time2=maybe(host), log=maybe(host))


def _name(text: str) -> str:
    if not re.fullmatch(r"[A-Za-z0-9-]{1,31}", text):
        raise Refused("1 to 31 letters, digits and hyphens")
    return text


def _inside6(text: str) -> str:
    try:
        return str(IPv6Interface(text))
    except ValueError:
        raise Refused("an IPv6 address with its length") from None


def wire(state: Sheet, said: Said, wrong: Wrong) -> None:
    take(state, said, wrong, name=_name, greeting=words(200), idle=number(1, 120), search=words(60))
    take(state, said, wrong, how4=among("lease", "fixed"), how6=among("off", "auto", "fixed"))
    take(state, said, wrong, resolver1=maybe(host), resolver2=maybe(host))
    state.values["plain"] = "yes" if "plain" in said else "no"
    if state.values["how6"] == "fixed":
        take(state, said, wrong, address6=_inside6)
    if state.values["how4"] == "fixed":
        take(state, said, wrong, address=lambda text: str(host_in_net(text)), gateway=maybe(host))
        gateway = "" if wrong.keys() & {"address", "gateway"} else state.values["gateway"]
        if gateway and address_of(gateway) not in host_in_net(state.values["address"]).network:
            wrong["gateway"] = "it is not in the network of the address"


TAKES = {
    "tongue": tongue, "country": country, "radios": radios, "nets": nets, "people": people, "clock": clock,
    "wire": wire,
}  # fmt: skip
