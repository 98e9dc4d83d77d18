"""Texts, words of a list, flags, whole numbers, and lists of values."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping
from typing import TypeVar

from zinger.plan.values.bad import BadValue
from zinger.wording import did_you_mean

T = TypeVar("T")
YES = frozenset(
    {
        *("yes", "y", "on", "true", "open", "enabled", "enable", "up", "x", "✓", "✔", "1"),
        *("ja", "j", "ein", "wahr", "aktiv", "aktiviert"),
        *("oui", "o", "vrai", "marche", "actif", "activé", "active"),
        *("sí", "si", "s", "verdadero", "activo", "activado", "encendido"),
        *("sì", "vero", "attivo", "attivato", "acceso"),
    }
)
NO = frozenset(
    {
        *("no", "n", "off", "false", "shut", "closed", "disabled", "disable", "down", "none", "✗", "✘", "0"),
        *("nein", "aus", "falsch", "inaktiv", "deaktiviert"),
        *("non", "faux", "arrêt", "inactif", "désactivé"),
        *("falso", "inactivo", "desactivado", "apagado"),
        *("inattivo", "disattivato", "spento"),
    }
)
"""Yes and no in words, as people (in English, German, French, Spanish, Italian) and devices write them; lower case."""
HOSTILE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufff9-\ufffb]")
"""Control and escape characters (but for tab, line feed and carriage return), and those that change the direction of
writing (UAX 9) or end a line unseen."""


def named(character: str) -> str:
    """A character as it can be told of: `U+202E RIGHT-TO-LEFT OVERRIDE`."""
    return f"U+{ord(character):04X} {unicodedata.name(character, 'CONTROL CHARACTER')}"


def parse_text(raw: object) -> str:
    """Text on one line, without control and direction characters, blanks at the ends removed."""
    if isinstance(raw, Mapping | list):
        raise BadValue("it is a list or mapping, not a text", "quote it, if it has a comma or a colon")
    text = str(raw).strip()
    if not text.isprintable():
        if found := HOSTILE.search(text):
            raise BadValue(f"it holds the character {named(found[0])}", "type the value again")
        if any(c in text for c in "\t\r\n"):
            raise BadValue("it contains a line break or tab", "write it on one line")
    return text


def parse_words(raw: object) -> str:
    """Text for people, 255 characters at most (RFC 3418 bounds sysLocation and sysContact so), no double quotes."""
    text = parse_text(raw)
    if len(text) > 255 or '"' in text:
        raise BadValue("it has more than 255 characters or a double quote", "shorten it")
    return text


def parse_banner(raw: object) -> str:
    """One line of text for the sign-in screen, 120 characters at most, without quotes."""
    text = parse_text(raw)
    if len(text) > 120 or '"' in text:
        raise BadValue("a banner has at most 120 characters and no double quotes", "shorten it")
    return text


def parse_flag(raw: object) -> bool:
    """Yes and no in words: yes/no, on/off, true/false, open/shut, enabled/disabled, x."""
    if isinstance(raw, bool):
        return raw
    word = parse_text(raw).lower()
    if word in YES:
        return True
    if word in NO:
        return False
    raise BadValue(f"{word!r} is neither on nor off", "write on or off")


class OneOf:
    """A parser for one word of a list; the list can be asked for."""

    def __init__(self, words: tuple[str, ...]) -> None:
        self.words = words

    def __call__(self, raw: object) -> str:
        text = parse_text(raw).lower()
        if text not in self.words:
            known = ", ".join(self.words)
            raise BadValue(f"{text!r} is not one of {known}{did_you_mean(text, self.words)}", "write one of them")
        return text


def one_of(*words: str) -> OneOf:
    """A parser for one word of a list."""
    return OneOf(words)


def whole(low: int, high: int, unit: str = "", word: str = "number") -> Callable[[object], int]:
    """A parser for whole numbers from `low` to `high`, with or without their unit."""

    def parse(raw: object) -> int:
        text = parse_text(raw)
        bare = re.sub(rf"\s*{unit}$", "", text, flags=re.IGNORECASE) if unit else text
        if not re.fullmatch(r"-?\d{1,9}(\.0)?", bare):
            raise BadValue(f"{text!r} is not a whole number", "write digits only")
        number = int(bare.removesuffix(".0"))
        if not low <= number <= high:
            raise BadValue(f"{number} is not a valid {word}", f"write one from {low} to {high}")
        return number

    parse.__doc__ = f"A whole number from {low} to {high}{f' in {unit}' if unit else ''}."
    return parse


parse_vlan = whole(1, 4094, word="VLAN")
"""A VLAN id from 1 to 4094 (IEEE 802.1Q 9.6)."""


def each(parse: Callable[[object], T]) -> Callable[[object], tuple[T, ...]]:
    """A parser for lists: of YAML, or in one cell with commas, semicolons or blanks between the entries."""

    def parse_all(raw: object) -> tuple[T, ...]:
        items = raw if isinstance(raw, list | tuple) else re.split(r"[\s,;]+", parse_text(raw))
        values = tuple(parse(item) for item in items if str(item).strip())
        if len(set(values)) != len(values):
            raise BadValue("the same entry stands twice", "remove one")
        return values

    parse_all.__doc__ = f"A list, with commas, semicolons or blanks between the entries. Each: {parse.__doc__}"
    return parse_all


def some_of(*words: str) -> Callable[[object], tuple[str, ...]]:
    """A parser for any of these words; `none` alone is none of them."""
    listed = each(one_of(*words, "none"))

    def parse(raw: object) -> tuple[str, ...]:
        found = ("none",) if raw is False else tuple(dict.fromkeys(listed(raw)))
        if "none" in found and len(found) > 1:
            raise BadValue("it is none of them or some of them", f"write none, or some of {', '.join(words)}")
        return found

    parse.__doc__ = f"Any of {', '.join(words)}, or none."
    return parse
