"""What a Pennant R3 keeps, page by page, and what each page takes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Check, Sheet, digest, host, maybe, name, number, words, written
from zinger.practice.core.words import Refused, address_of, host_in_net

ZONES = ("UTC", "Europe/Vienna", "Europe/Zurich", "Europe/London", "Asia/Tokyo")
CHANNELS = {"2.4": ("1", "6", "11"), "5": ("36", "40", "44", "48", "100")}
Said = Mapping[str, str]


def as_delivered(label: str) -> Sheet:
    """Out of the carton."""
    values = {
        "name": "r3", "place": "", "greeting": "", "idle": "10", "plain": "on", "log": "",
        "zone": "UTC", "time1": "", "time2": "",
        "how": "whatever is there", "address": "", "next": "", "user": "", "asname": "", "asmac": "",
        "local": "192.0.2.129/25", "first": "192.0.2.140", "last": "192.0.2.200", "minutes": "1440",
        "dns1": "", "dns2": "", "search": "", "guests": "", "reset": "allowed", "country": "",
        "channel2.4": "6", "width2.4": "20", "power2.4": "20", "channel5": "36", "width5": "80", "power5": "23",
        "wps": "on", "storage": "on", "media": "on", "printers": "on",
        "joined": "", "joinedby": "",
    }  # fmt: skip
    return Sheet(values, {"porter": Person.with_secret("owner", label, must_renew=True)})


def wrong_password(new: str, again: str) -> str:
    """Why a password is not taken; nothing for one that is."""
    if new != again:
        return "the two are not the same"
    if not 8 <= len(new) <= 32 or not re.search(r"[A-Za-z]", new) or not re.search(r"\d", new):
        return "8 to 32 characters, with a letter and a digit"
    return ""


@dataclass(frozen=True)
class Room:
    """A page with one form: its fields with label and check, what is ticked, what is picked, what is secret."""

    title: str
    fields: Mapping[str, tuple[str, Check]]
    picks: Mapping[str, tuple[str, tuple[str, ...]]]
    ticks: Mapping[str, str]
    secrets: Mapping[str, str]


def _mac(text: str) -> str:
    digits = re.sub(r"[^0-9a-f]", "", text.lower())
    if len(digits) != 12:
        raise Refused("a MAC has twelve hexadecimal digits")
    return "-".join(digits[i : i + 2] for i in range(0, 12, 2))


def _net(text: str) -> str:
    return str(host_in_net(text))


_HOW = ("whatever is there", "by lease", "as written here", "by PPPoE")
ROOMS: dict[str, Room] = {
    "upstream": Room(
        "Upstream",
        {
            "address": ("Upstream address", maybe(_net)), "next": ("Next hop", maybe(host)),
            "user": ("PPPoE account", words(60)), "asname": ("Calls itself", maybe(name(30))),
            "asmac": ("With the MAC", maybe(_mac)),
        },
        {"how": ("Gets its address", _HOW)},
        {},
        {"pppoe": "PPPoE password"},
    ),
    "radios": Room(
        "Radios",
        {
            "country": ("Country", written("[A-Z]{2}", "two capital letters")),
            **{f"power{band}": (f"Power at {band} GHz", number(1, 27)) for band in CHANNELS},
        },
        {
            **{f"channel{band}": (f"Channel at {band} GHz", channels) for band, channels in CHANNELS.items()},
            "width2.4": ("Width at 2.4 GHz", ("20", "40")),
            "width5": ("Width at 5 GHz", ("20", "40", "80")),
        },
        {"wps": "Wi-Fi Protected Setup"},
        {},
    ),
    "local": Room(
        "Local side",
        {
            "local": ("Own address with length", _net), "first": ("Leases from", host), "last": ("Leases up to", host),
            "minutes": ("A lease lasts, minutes", number(2, 20160)), "dns1": ("Name server", maybe(host)),
            "dns2": ("Other name server", maybe(host)), "search": ("Search domain", words(60)),
            "guests": ("Guests at", maybe(_net)),
        },
        {},
        {},
        {},
    ),
    "unit": Room(
        "Unit",
        {
            "name": ("Router name", name(15)), "place": ("Place", words(40)), "greeting": ("Greeting", words(120)),
            "idle": ("Idle minutes", number(1, 120)), "log": ("Log receiver", maybe(host)),
        },
        {"reset": ("Reset button", ("allowed", "forbidden"))},
        {"plain": "Pages without encryption"},
        {},
    ),
    "clock": Room(
        "Clock",
        {"time1": ("Time server", maybe(host)), "time2": ("Other time server", maybe(host))},
        {"zone": ("Time zone", ZONES)},
        {},
        {},
    ),
    "sharing": Room("USB sharing", {}, {}, {k: k.capitalize() for k in ("storage", "media", "printers")}, {}),
}  # fmt: skip


def take_room(room: str, state: Sheet, said: Said, wrong: dict[str, str]) -> None:
    """Take what a form says into a state, or note what is wrong beside each field."""
    form, v = ROOMS[room], state.values
    for key, (_, check) in form.fields.items():
        try:
            v[key] = check(said.get(key, "").strip())
        except Refused as refusal:
            wrong[key] = str(refusal)
    for key, (_, offers) in form.picks.items():
        if said.get(key) not in offers:
            wrong[key] = f"it is one of {', '.join(offers)}"
        else:
            v[key] = said[key]
    v |= {key: "on" if key in said else "off" for key in form.ticks}
    state.secrets |= {key: digest(said[key]) for key in form.secrets if said.get(key)}
    if not wrong:
        _fits(room, state, wrong)


def _fits(room: str, state: Sheet, wrong: dict[str, str]) -> None:
    v = state.values
    if room == "upstream" and v["how"] == "as written here" and not (v["address"] and v["next"]):
        wrong["address"] = "an address and a next hop are wanted"
    if room == "upstream" and v["how"] == "by PPPoE" and not (v["user"] and "pppoe" in state.secrets):
        wrong["user"] = "an account and a password are wanted"
    if room == "local":
        net = host_in_net(v["local"])
        for key in ("first", "last"):
            if address_of(v[key]) not in net.network:
                wrong[key] = f"{v[key]} is not in {net.network}"
        if not wrong and address_of(v["first"]) <= net.ip <= address_of(v["last"]):
            wrong["first"] = "the router itself stands among the leases"


@dataclass(frozen=True)
class Listing:
    """A page with a list, and a form that adds to it: fields, what is picked, what is secret."""

    title: str
    columns: tuple[str, ...]
    fields: Mapping[str, tuple[str, Check]]
    picks: Mapping[str, tuple[str, tuple[str, ...]]]
    secrets: tuple[tuple[str, str], ...] = ()


_PORT = number(1, 65535)
SERVICES = {"the port below": "", "web": "80", "secure web": "443", "remote shell": "22", "voice": "5060"}
"""What can be forwarded by its name, and the port that it has."""
_HOUR = written(r"\d\d:\d\d", "like 06:00")
LISTS: dict[str, Listing] = {
    "networks": Listing(
        "Networks",
        ("Network", "Kind", "Band", "For"),
        {"ssid": ("Network name", written(".{1,32}", "1 to 32 characters"))},
        {"kind": ("Opens", ("by key", "to all")), "band": ("Band", ("both", "2.4", "5")),
         "whom": ("For", ("the house", "guests"))},
        (("key", "Network key"),),
    ),
    "kept": Listing(
        "Kept addresses", ("MAC", "Address", "Device"),
        {"mac": ("MAC", _mac), "address": ("Address", host), "device": ("Device", words(30))}, {},
    ),
    "forwards": Listing(
        "Forwards", ("Port", "Protocol", "To", "Their port", "What for"),
        {"port": ("Port", _PORT), "to": ("To", host), "their": ("Their port", _PORT), "what": ("What for", words(30))},
        {"protocol": ("Protocol", ("tcp", "udp")), "service": ("Service", tuple(SERVICES))},
    ),
    "times": Listing(
        "Times", ("Time", "Days", "Begins", "Ends"),
        {"time": ("Name of the time", written("[A-Za-z0-9-]{1,20}", "letters, digits and hyphens")),
         "days": ("Days", written(r"(daily|[a-z]{3}([-,][a-z]{3})*)", "daily, or like mon-fri")),
         "begins": ("Begins", _HOUR), "ends": ("Ends", _HOUR)},
        {},
    ),
    "filters": Listing(
        "Filters", ("Rule", "Device or site", "Time"),
        {"what": ("Device or site", words(60)), "when": ("In the time", words(20))},
        {"does": ("Rule", ("keep out", "let in"))},
    ),
    "shares": Listing(
        "Bandwidth", ("Purpose", "Rank", "Service", "Limit"),
        {"purpose": ("Purpose", words(30)), "service": ("Service", words(20)),
         "limit": ("Limit in kbit/s", maybe(number(1, 10_000_000)))},
        {"rank": ("Rank", ("first", "usual", "last"))},
    ),
    "people": Listing(
        "People", ("Account", "Role"),
        {"who": ("Account", written("[a-z][a-z0-9-]{1,19}", "2 to 20 small letters, digits and hyphens"))},
        {"role": ("Role", ("owner", "guest"))},
        (("new", "Password"), ("again", "Password again")),
    ),
}  # fmt: skip
_KEYED = {"networks": ("ssid", "kind", "band", "whom"), "kept": ("mac", "address", "device"),
          "forwards": ("port", "protocol", "to", "their", "what"), "times": ("time", "days", "begins", "ends"),
          "filters": ("does", "what", "when"), "shares": ("purpose", "rank", "service", "limit")}  # fmt: skip


def rows_of(name: str, state: Sheet) -> list[list[str]]:
    """The rows of a list."""
    if name == "people":
        return [[who, person.level] for who, person in state.people.items()]
    found = (value for key, value in state.values.items() if key.startswith(f"{name}:"))
    return [value.split("\t") for value in found]


def _said(form: Listing, said: Said) -> dict[str, str]:
    """What a form says, as it is kept."""
    taken: dict[str, str] = {}
    for key, (_, check) in form.fields.items():
        try:
            taken[key] = check(said.get(key, "").strip())
        except Refused as refusal:
            raise Refused(str(refusal), key) from None
    for key, (_, offers) in form.picks.items():
        if said.get(key) not in offers:
            raise Refused(f"it is one of {', '.join(offers)}", key)
        taken[key] = said[key]
    return taken


def take_list(name: str, state: Sheet, said: Said) -> None:
    """Add to a list, in the place of what has the same beginning; raises Refused with the field."""
    taken = _said(LISTS[name], said)
    if name == "people":
        if why := wrong_password(said.get("new", ""), said.get("again", "")):
            raise Refused(why, "new")
        if taken["role"] == "owner":
            state.people.pop("porter", None)
        state.people[taken["who"]] = Person.with_secret(taken["role"], said["new"])
        return
    if name == "networks" and taken["kind"] == "by key":
        if not 8 <= len(said.get("key", "")) <= 63:
            raise Refused("8 to 63 characters", "key")
        state.secrets[taken["ssid"]] = digest(said["key"])
    if name == "filters" and taken["when"] and f"times:{taken['when']}" not in state.values:
        raise Refused(f"there is no time {taken['when']}", "when")
    if name == "kept" and address_of(taken["address"]) not in host_in_net(state.values["local"]).network:
        raise Refused("it is not on the local side", "address")
    if name == "forwards":
        taken["port"] = SERVICES[taken["service"]] or taken["port"]
    first = taken["what"] if name == "filters" else taken[_KEYED[name][0]]
    state.values[f"{name}:{first}"] = "\t".join(taken[key] for key in _KEYED[name])


def brought_back(state: Sheet, text: str) -> Sheet:
    """The state with the values of a text; raises Refused with the line that is wrong, and nothing is taken then."""
    known = as_delivered("").values
    values: dict[str, str] = {}
    for at, line in enumerate(text.splitlines(), 1):
        key, between, value = line.partition(" = ")
        if not between or (key not in known and ":" not in key):
            raise Refused(f"line {at} is not a setting: {line[:40]}")
        values[key] = value
    if not values.keys() >= known.keys():
        raise Refused("it is not whole")
    state.values = values
    return state
