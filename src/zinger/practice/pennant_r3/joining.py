"""How a Pennant R3 joins another wireless network as a bridge: it looks around first, then tries the key on the air."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zinger.practice.core.air import AirNetwork
from zinger.practice.core.clock import Clock
from zinger.practice.core.pages_box import text
from zinger.practice.core.sheet import Sheet, digest
from zinger.practice.core.words import Refused
from zinger.practice.pennant_r3 import pages

LOOKS_FOR = 8.0
"""Seconds that it looks around."""
OPENS = ("by key", "to all")


class LookAround:
    """One look around after the other, and what was heard in the last one."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._until: float | None = None

    def begin(self) -> None:
        self._until = self._clock.now() + LOOKS_FOR

    @property
    def looks(self) -> bool:
        return self._until is not None and self._clock.now() < self._until

    @property
    def looked(self) -> bool:
        return self._until is not None and not self.looks


def join(state: Sheet, said: Mapping[str, str], heard: Iterable[AirNetwork]) -> None:
    """Join a network that was heard, with its key; raises Refused with the field."""
    name, opens, key = said.get("ssid", "").strip(), said.get("opens", ""), said.get("key", "")
    named = [network for network in heard if network.name == name]
    if not named:
        raise Refused(f"{name or 'it'} was not heard; look around first", "ssid")
    if opens not in OPENS or not any(bool(network.key) == (opens == "by key") for network in named):
        raise Refused(f"{name} opens {'by key' if named[0].key else 'to all'}", "opens")
    if opens == "by key" and digest(key) not in {network.key for network in named}:
        raise Refused(f"{name} does not take this key", "key")
    state.values |= {"joined": name, "joinedby": opens}
    state.secrets.pop("joined", None)
    if opens == "by key":
        state.secrets["joined"] = digest(key)


def page(
    state: Sheet, heard: Iterable[AirNetwork], said: Mapping[str, str], wrong: Mapping[str, str], token: str
) -> str:
    """The network that it has joined, what it heard, and the form."""
    v = state.values
    now = f"{text(v['joined'])} ({v['joinedby']})" if v["joined"] else "nothing"
    told = f"<dl><dt>Joined</dt><dd>{now}</dd></dl>"
    rows = "".join(
        f"<tr><td>{text(n.name)}</td><td>{n.channel}</td><td>{OPENS[0] if n.key else OPENS[1]}</td></tr>" for n in heard
    )
    table = f"<table><caption>Heard</caption><tr><th>Network<th>Channel<th>Opens</tr>{rows}</table>" if rows else ""
    fields = [("ssid", "Join", "text", said.get("ssid", "")), ("key", "Its key", "password", "")]
    picks = [pages.pick("opens", "It opens", OPENS, said.get("opens", OPENS[0]), wrong)]
    return (
        told
        + table
        + pages.form("/join/look", token, [], {}, "Look around")
        + pages.form("/join", token, fields, wrong, "Join as a bridge", picks)
    )
