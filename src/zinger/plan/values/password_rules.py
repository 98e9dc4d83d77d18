"""What a job asks of passwords, whatever a family would take: their length and the kinds of characters."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import each, one_of, whole

CLASSES = ("letter", "lower", "upper", "digit", "sign")
"""Kinds of characters that a rule may ask for; a sign is neither a letter nor a digit."""


@dataclass(frozen=True)
class PasswordRules:
    """At least so many characters, and of each of these kinds at least one (NIST SP 800-63B asks for length only)."""

    shortest: int = 1
    classes: tuple[str, ...] = ()


def parse_password_rules(raw: object) -> PasswordRules:
    """`{shortest: 16, classes: [lower, upper, digit]}`; raises BadValue."""
    if not isinstance(raw, Mapping) or set(raw) - {"shortest", "classes"}:
        raise BadValue("it is not a mapping of shortest and classes", "write {shortest: 16, classes: [letter, digit]}")
    shortest = whole(1, 64, word="password length")(raw.get("shortest", 1))
    return PasswordRules(shortest, each(one_of(*CLASSES))(raw.get("classes") or []))
