"""A state that is a sheet of values by key, with accounts; for families that keep everything so."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from ipaddress import IPv4Network, IPv6Interface
from typing import Any

from zinger.practice.core.people import Person
from zinger.practice.core.words import Refused, address_of, addresses, host_in_net

Check = Callable[[str], str]
"""Takes a text, returns it as it is kept, or raises Refused."""


@dataclass
class Sheet:
    """Values by key, and people by name."""

    values: dict[str, str] = field(default_factory=dict)
    people: dict[str, Person] = field(default_factory=dict)
    secrets: dict[str, str] = field(default_factory=dict)
    """Digests of what is secret and no person's."""

    def dump(self) -> dict[str, Any]:
        """As JSON-able data."""
        return asdict(self)

    @classmethod
    def load(cls, data: Mapping[str, Any]) -> Sheet:
        """The inverse of `dump`."""
        return cls(
            dict(data["values"]),
            {name: Person(**person) for name, person in data["people"].items()},
            dict(data.get("secrets", {})),
        )

    def copy(self) -> Sheet:
        """An independent copy."""
        return self.load(self.dump())


def digest(secret: str) -> str:
    """Of a secret that is no person's."""
    return hashlib.sha256(f"sheet:{secret}".encode()).hexdigest()


def take(state: Sheet, said: Mapping[str, str], wrong: dict[str, str], **checks: Check) -> None:
    """Take of a form what passes its check, and note in `wrong` by key what does not."""
    for key, check in checks.items():
        try:
            state.values[key] = check(said.get(key, "").strip())
        except Refused as refusal:
            wrong[key] = str(refusal)


def maybe(check: Check) -> Check:
    """Nothing, or what passes the check."""
    return lambda text: check(text) if text else ""


def words(longest: int) -> Check:
    """Any text of so many characters."""

    def check(text: str) -> str:
        if len(text) > longest:
            raise Refused(f"that is longer than {longest}")
        return text

    return check


def among(*known: str) -> Check:
    """One of these words."""

    def check(text: str) -> str:
        if text not in known:
            raise Refused(f"it is one of {', '.join(known)}")
        return text

    return check


def number(low: int, high: int) -> Check:
    """A whole number."""

    def check(text: str) -> str:
        if not text.isdigit() or not low <= int(text) <= high:
            raise Refused(f"a number from {low} to {high}")
        return text

    return check


def hosts(most: int) -> Check:
    """Up to so many addresses with blanks between, or none."""
    return lambda text: " ".join(addresses(text.split(), most)) if text != "none" else "none"


def written(pattern: str, says: str) -> Check:
    """A text that is written so; `says` is what the refusal tells."""

    def check(text: str) -> str:
        if not re.fullmatch(pattern, text):
            raise Refused(says)
        return text

    return check


def address6(text: str) -> str:
    """An IPv6 address with its length, auto or off."""
    if text not in ("auto", "off"):
        try:
            IPv6Interface(text)
        except ValueError:
            raise Refused(f"{text} is not an IPv6 address with its length, nor auto, nor off") from None
    return text


SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")
_SEVERITY = "|".join(SEVERITIES)
local_log = written(rf"({_SEVERITY}) (kept|lost)", "a local log is SEVERITY kept, or lost")
url = written(r"[a-z]+://\S+", "that is not a URL")


def asked(says: str) -> Check:
    """How a time server is asked: first, every so many seconds, with which key."""
    return written(r"(first)?( ?every \d+ s)?( ?key \d+)?( ?order \d\d?)?", says)


def name(longest: int) -> Check:
    """A device's name: letters, digits and hyphens."""

    def check(text: str) -> str:
        if not text or len(text) > longest or not all(c.isascii() and (c.isalnum() or c == "-") for c in text):
            raise Refused(f"a name is 1 to {longest} letters, digits and hyphens")
        return text

    return check


def interface(text: str) -> str:
    """An address with its length, or by lease."""
    return text if text == "by lease" else str(host_in_net(text))


def host(text: str) -> str:
    """A host's address."""
    return str(address_of(text))


def mask(text: str) -> str:
    """A dotted mask."""
    address_of(text)
    try:
        IPv4Network(f"0.0.0.0/{text}")
    except ValueError:
        raise Refused(f"{text} is not a mask") from None
    return text
