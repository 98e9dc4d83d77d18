"""The parts of what a Tarn B2 keeps: how each is shown, and what is taken."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Check, Sheet, among, host, maybe, name, number, words
from zinger.practice.core.words import Refused, address_of, host_in_net

CHANNELS = {"AT": (36, 40, 100, 104, 108, 112), "CH": (36, 40, 100, 104), "GB": (36, 100, 149)}
LOUDEST = 27
ZONES = ("UTC", "Europe/Vienna", "Europe/Zurich", "Europe/London", "Asia/Tokyo")
Shown = Callable[[Sheet], Any]
Taken = Callable[[Sheet, dict[str, Any]], None]


def as_delivered() -> Sheet:
    """Out of the carton."""
    values = {
        "name": "b2", "place": "", "greeting": "", "idle": "15",
        "address": "192.0.2.166/26", "gateway": "", "servers": "", "search": "",
        "zone": "UTC", "times": "", "log": "", "https": "yes", "http": "yes", "telnet": "no", "ssh": "no",
        "agreed": "no", "country": "", "end": "none", "channel": "36", "power": "20", "metres": "1000", "far": "",
    }  # fmt: skip
    return Sheet(values, {"mast": Person.with_secret("rigger", "line-of-sight")})


def _texts(said: Any, check: Check, most: int) -> str:
    if not isinstance(said, list) or len(said) > most:
        raise Refused(f"a list of at most {most}")
    return " ".join(check(str(one)) for one in said)


def _is(said: dict[str, Any], key: str, check: Check) -> str:
    value = said.get(key)
    if isinstance(value, bool) or not isinstance(value, str | int):
        raise Refused(f"{key} is missing")
    return check(str(value).strip())


def _take_unit(state: Sheet, said: dict[str, Any]) -> None:
    checks = {"name": name(31), "place": words(60), "greeting": words(200), "idle": number(1, 120)}
    state.values |= {key: _is(said, key, check) for key, check in checks.items() if key in said}


def _take_net(state: Sheet, said: dict[str, Any]) -> None:
    checks: dict[str, Check] = {
        "address": lambda text: str(host_in_net(text)), "gateway": maybe(host), "search": words(60)
    }  # fmt: skip
    state.values |= {key: _is(said, key, check) for key, check in checks.items() if key in said}
    if "servers" in said:
        state.values["servers"] = _texts(said["servers"], host, 3)
    gateway = state.values["gateway"]
    if gateway and address_of(gateway) not in host_in_net(state.values["address"]).network:
        raise Refused(f"the gateway {gateway} is not in the network of {state.values['address']}")


def _take_clock(state: Sheet, said: dict[str, Any]) -> None:
    if "zone" in said:
        state.values["zone"] = _is(said, "zone", among(*ZONES))
    if "servers" in said:
        state.values["times"] = _texts(said["servers"], host, 2)


def _take_log(state: Sheet, said: dict[str, Any]) -> None:
    state.values["log"] = _is(said, "to", maybe(host))


def _take_doors(state: Sheet, said: dict[str, Any]) -> None:
    if not isinstance(said.get("plain"), bool):
        raise Refused("plain is true or false")
    state.values["http"] = "yes" if said["plain"] else "no"


def _take_air(state: Sheet, said: dict[str, Any]) -> None:
    country = _is(said, "country", words(2))
    if country not in CHANNELS:
        raise Refused(f"no rules are known for {country}")
    state.values["country"] = country


def _take_bridge(state: Sheet, said: dict[str, Any]) -> None:
    country = state.values["country"]
    if not country:
        raise Refused("the country comes first: it decides the channels")
    channel = _is(said, "channel", number(1, 233))
    if int(channel) not in CHANNELS[country]:
        raise Refused(f"channel {channel} is not open in {country}")
    metres, power = _is(said, "metres", number(1, 30000)), _is(said, "power", number(1, LOUDEST))
    if int(metres) < 150 and int(power) > 15:
        raise Refused("that is too loud for an end so near; at most 15 dBm under 150 m")
    end = _is(said, "end", among("lead", "follow"))
    state.values |= {
        "end": end,
        "channel": channel,
        "metres": metres,
        "power": power,
        "far": _is(said, "far", name(31)),
    }


def _take_people(state: Sheet, said: dict[str, Any]) -> None:
    """One person: who, what they may, a password; the first rigger takes the place of the delivered one."""
    who, may = _is(said, "who", words(20)), _is(said, "may", among("rigger", "watcher"))
    word = said.get("password")
    if not isinstance(word, str) or not 8 <= len(word) <= 63 or not any(c.isdigit() for c in word):
        raise Refused("a password has 8 to 63 characters, a digit among them")
    if may == "rigger":
        state.people.pop("mast", None)
    state.people[who] = Person.with_secret(may, word)


PARTS: dict[str, tuple[Shown, Taken]] = {
    "name": (lambda s: {key: s.values[key] for key in ("name", "place", "greeting", "idle")}, _take_unit),
    "net": (
        lambda s: {
            **{key: s.values[key] for key in ("address", "gateway", "search")},
            "servers": s.values["servers"].split(),
        },
        _take_net,
    ),
    "clock": (lambda s: {"zone": s.values["zone"], "servers": s.values["times"].split()}, _take_clock),
    "log": (lambda s: {"to": s.values["log"]}, _take_log),
    "doors": (lambda s: {"plain": s.values["http"] == "yes", "secured": True}, _take_doors),
    "air": (lambda s: {"country": s.values["country"]}, _take_air),
    "bridge": (
        lambda s: {
            **{key: s.values[key] for key in ("end", "far")},
            **{key: int(s.values[key]) for key in ("channel", "power", "metres")},
        },
        _take_bridge,
    ),
    "people": (lambda s: [{"who": who, "may": person.level} for who, person in s.people.items()], _take_people),
}
"""By the name under which each is asked for."""
