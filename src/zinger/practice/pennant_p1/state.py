"""What a Pennant P1 holds, and what it takes for each of its pages."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import SEVERITIES, Sheet, host, number, words
from zinger.practice.core.words import Refused, address_of, host_in_net

PORTS = range(1, 9)
ZONES = ("UTC", "Africa/Nairobi", "Asia/Tokyo", "Europe/Lisbon", "Europe/Vienna", "Europe/Zurich", "Pacific/Auckland")
KINDS = {"one": "One VLAN", "several": "Several VLANs", "any": "Any mixture", "off": "Switched off"}
SPEEDS = ("by itself", "10", "100", "1000")
LENGTHS = [str(n) for n in range(8, 31)]
FALLBACK = "192.0.2.73/27"

Said = Mapping[str, str]
Wrong = dict[str, str]


def as_delivered(label: str) -> Sheet:
    """The state out of the carton."""
    values = {
        "name": "p1",
        "place": "",
        "keeper": "",
        "source": "none",
        "server1": "",
        "server2": "",
        "zone": "UTC",
        "mode": "lease",
        "address": "",
        "length": "24",
        "gateway": "",
        "resolver1": "",
        "resolver2": "",
        "search": "",
        "vlan": "1",
        "idle": "15",
        "plain": "yes",
        "severity": "notice",
        "survives": "no",
        "far": "",
        "farport": "514",
        "farseverity": "notice",
        "voice": "",
        "voicecos": "5",
        "voicedscp": "46",
        "vlan:1": "default",
        "closed": "no",
        "lldp": "yes",
    }
    values |= {f"port{n}": "one|1|||" for n in PORTS}
    values |= {f"port{n}text": "" for n in PORTS}
    values |= {f"port{n}speed": SPEEDS[0] for n in PORTS}
    return Sheet(values, {"office": Person.with_secret("changes", label, must_renew=True)})


def vlans_of(state: Sheet) -> dict[int, str]:
    """VLANs by number, with their names."""
    found = ((int(key.removeprefix("vlan:")), name) for key, name in state.values.items() if key.startswith("vlan:"))
    return dict(sorted(found))


def wrong_password(new: str, again: str, old: str) -> str:
    """Why a password is not taken; nothing for one that is."""
    if new != again:
        return "The two are not the same."
    if new == old:
        return "That is the one it has already."
    if not 8 <= len(new) <= 20 or not re.search(r"[A-Za-z]", new) or not re.search(r"\d", new):
        return "8 to 20 characters, with a letter and a digit."
    return ""


class Taker:
    """Takes what a form says into a state, or notes what is wrong beside each field."""

    def __init__(self, state: Sheet, said: Said) -> None:
        self.state, self.said, self.wrong = state, said, Wrong()

    def take(self, key: str, check: Callable[[str], str], blank: bool = False) -> None:
        text = self.said.get(key, "").strip()
        try:
            if text or not blank:
                text = check(text)
            self.state.values[key] = text
        except Refused as refusal:
            self.wrong[key] = f"{str(refusal)[:1].upper()}{str(refusal)[1:]}."

    def tick(self, key: str) -> None:
        self.state.values[key] = "yes" if key in self.said else "no"

    def pick(self, key: str, offers: Collection[str]) -> None:
        if (said := self.said.get(key, "")) in offers:
            self.state.values[key] = said
        else:
            self.wrong[key] = "That is not on offer."


def short_name(text: str) -> str:
    if not re.fullmatch(r"[A-Za-z0-9]{1,20}", text):
        raise Refused("1 to 20 letters and digits")
    return text


def take_name(t: Taker) -> None:
    t.take("name", short_name)
    t.take("place", words(40), blank=True)
    t.take("keeper", words(40), blank=True)


def take_time(t: Taker) -> None:
    t.pick("source", ("none", "servers"))
    if t.said.get("source") == "servers":
        t.take("server1", host)
        t.take("server2", host, blank=True)
    t.pick("zone", ZONES)


def take_address(t: Taker) -> None:
    t.pick("mode", ("lease", "fixed"))
    t.take("idle", number(1, 60))
    t.pick("vlan", [str(n) for n in vlans_of(t.state)])
    t.tick("plain")
    t.take("resolver1", host, blank=True)
    t.take("resolver2", host, blank=True)
    t.take("search", words(60), blank=True)
    if t.said.get("mode") != "fixed":
        return
    t.take("address", host)
    t.pick("length", LENGTHS)
    t.take("gateway", host, blank=True)
    if t.wrong:
        return
    try:
        net = host_in_net(f"{t.state.values['address']}/{t.state.values['length']}").network
    except Refused:
        t.wrong["address"] = "No device can have that address."
        return
    gateway = t.state.values["gateway"]
    if gateway and address_of(gateway) not in net:
        t.wrong["gateway"] = "It is not in the network of the address."


def take_records(t: Taker) -> None:
    t.pick("severity", SEVERITIES)
    t.tick("survives")
    t.take("far", host, blank=True)
    t.take("farport", number(1, 65535))
    t.pick("farseverity", SEVERITIES)


def take_vlan(t: Taker) -> None:
    text, title = t.said.get("number", "").strip(), t.said.get("title", "").strip()
    if not text.isdigit() or not 1 <= int(text) <= 4094:
        t.wrong["number"] = "A number from 1 to 4094."
    elif len(title) > 32:
        t.wrong["title"] = "32 characters at most."
    else:
        t.state.values[f"vlan:{int(text)}"] = title


def take_ports(t: Taker) -> None:
    known = vlans_of(t.state)
    t.tick("closed")
    for n in PORTS:
        kind, untagged = t.said.get(f"k{n}", ""), t.said.get(f"u{n}", "").strip()
        tagged, never = (_list(t, f"{what}{n}", known) for what in "tf")
        if kind not in KINDS:
            t.wrong[f"k{n}"] = "That is not on offer."
        if untagged and (not untagged.isdigit() or int(untagged) not in known):
            t.wrong[f"u{n}"] = "There is no such VLAN."
        if kind == "one" and not untagged:
            t.wrong[f"u{n}"] = "One VLAN must be named."
        t.state.values[f"port{n}"] = "|".join((kind, untagged, tagged, never, ""))
        t.state.values[f"port{n}text"] = t.said.get(f"d{n}", "").strip()[:32]
        t.state.values[f"port{n}speed"] = t.said.get(f"s{n}", SPEEDS[0])


def _list(t: Taker, key: str, known: Mapping[int, str]) -> str:
    parts = [part for part in re.split(r"[,\s]+", t.said.get(key, "")) if part]
    if any(not part.isdigit() or int(part) not in known for part in parts):
        t.wrong[key] = "There is no such VLAN."
        return ""
    return ",".join(str(n) for n in sorted(map(int, parts)))


def take_voice(t: Taker) -> None:
    t.tick("lldp")
    text = t.said.get("voice", "").strip()
    if text and (not text.isdigit() or int(text) not in vlans_of(t.state)):
        t.wrong["voice"] = "There is no such VLAN."
    else:
        t.state.values["voice"] = text
    t.take("voicecos", number(0, 7))
    t.take("voicedscp", number(0, 63))


def take_person(t: Taker) -> None:
    who, level = t.said.get("who", "").strip(), t.said.get("level", "")
    new, again = t.said.get("secret", ""), t.said.get("secret2", "")
    if not re.fullmatch(r"[A-Za-z0-9-]{1,24}", who):
        t.wrong["who"] = "1 to 24 letters, digits and hyphens."
    elif level not in ("changes", "looks"):
        t.wrong["level"] = "That is not on offer."
    elif why := wrong_password(new, again, ""):
        t.wrong["secret"] = why
    else:
        t.state.people[who] = Person.with_secret(level, new)


TAKES = {
    "name": take_name,
    "time": take_time,
    "address": take_address,
    "records": take_records,
    "vlans": take_vlan,
    "ports": take_ports,
    "voice": take_voice,
    "people": take_person,
}
"""What is done with the form of each page."""
