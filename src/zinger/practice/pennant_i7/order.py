"""What a Pennant I7 keeps, what it takes page by page, and what it says that it will do."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping

from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Check, Sheet, digest, host, maybe, name, number, words
from zinger.practice.core.words import Refused, address_of, host_in_net

PORTS = [str(n) for n in range(1, 11)]
KINDS = ("end device", "tagged", "shut")
ZONES = ("UTC", "Europe/Vienna", "Europe/Zurich", "Asia/Tokyo", "Africa/Nairobi")
Said = Mapping[str, str]


def as_delivered() -> Sheet:
    """Out of the carton."""
    values = {
        "name": "i7", "place": "", "keeper": "", "greeting": "", "idle": "20",
        "address": "", "gateway": "", "server1": "", "server2": "", "search": "", "group": "1", "plain": "yes",
        "log": "", "zone": "UTC", "time1": "", "time2": "", "ringA": "", "ringB": "", "farA": "", "farB": "",
        "listens": "no", "unused": "open", "group 1": "all",
    }  # fmt: skip
    values |= {f"port {n}": "end device / 1 / / " for n in PORTS}
    return Sheet(values, {"field": Person.with_secret("builder", "hard-hat")})


def groups_of(state: Sheet) -> dict[str, str]:
    """VLANs by number, with their names."""
    return {key.removeprefix("group "): v for key, v in state.values.items() if key.startswith("group ")}


def bound_of(state: Sheet) -> dict[str, str]:
    """Bound addresses by MAC."""
    return {key.removeprefix("bound "): v for key, v in state.values.items() if key.startswith("bound ")}


def _take(state: Sheet, said: Said, checks: Mapping[str, Check]) -> None:
    """Take each of these, or refuse; what is wrong is said beside its field."""
    for key, check in checks.items():
        try:
            state.values[key] = check(said.get(key, "").strip())
        except Refused as refusal:
            raise Refused(str(refusal), key) from None


def _unit(state: Sheet, said: Said) -> None:
    checks = {"name": name(24), "place": words(50), "keeper": words(50), "greeting": words(160), "idle": number(1, 90)}
    _take(state, said, checks)


def _network(state: Sheet, said: Said) -> None:
    def group(text: str) -> str:
        if text not in groups_of(state):
            raise Refused(f"there is no VLAN {text}")
        return text

    checks: dict[str, Check] = {
        "address": maybe(lambda text: str(host_in_net(text))), "gateway": maybe(host), "server1": maybe(host),
        "server2": maybe(host), "search": words(60), "group": group, "log": maybe(host),
    }  # fmt: skip
    _take(state, said, checks)
    state.values["plain"] = "yes" if said.get("plain") else "no"
    address, gateway = state.values["address"], state.values["gateway"]
    if gateway and (not address or address_of(gateway) not in host_in_net(address).network):
        raise Refused("it is not in the network of the address", "gateway")


def _clock(state: Sheet, said: Said) -> None:
    if said.get("zone") not in ZONES:
        raise Refused("there is no such zone", "zone")
    _take(state, said, {"zone": words(30), "time1": maybe(host), "time2": maybe(host)})


def _ring(state: Sheet, said: Said) -> None:
    def port(text: str) -> str:
        if text and text not in PORTS:
            raise Refused("there is no such port")
        return text

    _take(state, said, {"ringA": port, "farA": maybe(name(24)), "ringB": port, "farB": maybe(name(24))})
    if state.values["ringA"] and state.values["ringA"] == state.values["ringB"]:
        raise Refused("the ring has two ports", "ringB")


def _groups(state: Sheet, said: Said) -> None:
    if said.get("do") == "Put":
        _take(state, {"n": said.get("number", "")}, {"n": number(2, 4094)})
        title = words(20)(said.get("title", "").strip())
        state.values[f"group {state.values.pop('n')}"] = title
    else:
        state.values["listens"] = "yes" if said.get("listens") else "no"


def _ports(state: Sheet, said: Said) -> None:
    groups = groups_of(state)
    for port in PORTS:
        kind, own = said.get(f"kind{port}", KINDS[0]), said.get(f"own{port}", "1").strip()
        carried = re.findall(r"\d+", said.get(f"carried{port}", ""))
        if kind not in KINDS:
            raise Refused("that is no kind of port", f"kind{port}")
        for group in (own, *carried):
            if group not in groups:
                raise Refused(f"there is no VLAN {group}", f"own{port}" if group == own else f"carried{port}")
        told = words(30)(said.get(f"told{port}", "").strip())
        state.values[f"port {port}"] = f"{kind} / {own} / {','.join(carried)} / {told}"
    state.values["unused"] = "shut" if said.get("unused") else "open"


def _bound(state: Sheet, said: Said) -> None:
    mac = re.sub(r"[^0-9a-f]", "", said.get("mac", "").lower())
    if len(mac) != 12:
        raise Refused("a MAC has twelve hexadecimal digits", "mac")
    if said.get("port") not in PORTS:
        raise Refused("there is no such port", "port")
    address = maybe(host)(said.get("address", "").strip())
    state.values[f"bound {mac}"] = f"{said['port']} / {address}"


def _people(state: Sheet, said: Said) -> None:
    who, word = said.get("who", "").strip(), said.get("word", "")
    if not re.fullmatch(r"[a-z][a-z0-9-]{1,19}", who):
        raise Refused("2 to 20 small letters, digits and hyphens", "who")
    if not 8 <= len(word) <= 32 or not re.search(r"\d", word) or not re.search(r"[A-Za-z]", word):
        raise Refused("8 to 32 characters, a letter and a digit among them", "word")
    if word != said.get("again"):
        raise Refused("it is not the same", "again")
    may = "builder" if said.get("may") == "builder" else "reader"
    if may == "builder":
        state.people.pop("field", None)
    state.people[who] = Person.with_secret(may, word)


def _line(state: Sheet, said: Said) -> None:
    word = said.get("word", "")
    if len(word) < 8:
        raise Refused("8 characters or more", "word")
    if word != said.get("again"):
        raise Refused("it is not the same", "again")
    state.secrets["line"] = digest(word)


TAKES: dict[str, Callable[[Sheet, Said], None]] = {
    "unit": _unit,
    "ring": _ring,
    "groups": _groups,
    "ports": _ports,
    "bound": _bound,
    "network": _network,
    "clock": _clock,
    "people": _people,
    "line": _line,
}
"""By page, in the order of its tabs."""


def changes(saved: Sheet, draft: Sheet) -> Iterator[tuple[str, str, str]]:
    """What is on the order: what, as it is saved, as it will be."""
    for key, value in draft.values.items():
        if value != saved.values.get(key, ""):
            yield key, saved.values.get(key, ""), value
    for who, person in draft.people.items():
        if who not in saved.people:
            yield "person", "", f"{who}, {person.level}"
    if draft.secrets.get("line") != saved.secrets.get("line"):
        yield "password of the command line", "", "another"


def preview(saved: Sheet, draft: Sheet) -> Iterator[str]:
    """What it will do, in its own language."""
    for key, _, value in changes(saved, draft):
        yield f"let {key.replace(' ', '.')} be {value or 'nothing'}"
