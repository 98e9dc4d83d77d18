"""Secret references: the only form in which the pure rooms know a password.

A reference names an entry of the vault. It is resolved at the moment of saying, at the edge, and what
the device sends back is masked there too; so nothing in these rooms can leak what it never had.
`SecretTraits` is what the vault is willing to tell about an entry, for the checks.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

MASK = "••••••••"
"""What stands wherever a secret was; of fixed width, so that it does not tell a length."""


@dataclass(frozen=True, order=True)
class SecretRef:
    """The name of a vault entry, such as `kvr-wj-sw1/administrator`."""

    name: str

    def __str__(self) -> str:
        return MASK


@dataclass(frozen=True)
class SecretTraits:
    """What may be known of a secret without knowing it.

    `length` in characters; `score` is the strength from 0 (guessed at once) to 4; `sameness` is equal
    for two entries exactly when their secrets are equal, and tells nothing else. `well_known`: one of the words
    that everybody tries first; `counts`: its characters count up or down or repeat; `hex_digits`: nothing else.
    """

    length: int
    letters: bool
    digits: bool
    score: int
    sameness: str
    sayable: bool = True
    well_known: bool = False
    counts: bool = False
    hex_digits: bool = False
    lower: bool = True
    upper: bool = True
    signs: bool = True

    def lacks(self, shortest: int, longest: int, classes: tuple[str, ...]) -> list[str]:
        """Name, in words, each of the family's rules that this secret breaks."""
        have = {"letter": self.letters, "digit": self.digits, "lower": self.lower, "upper": self.upper}
        have["sign"] = self.signs
        broken = []
        if self.length < shortest:
            broken.append(f"it is shorter than {shortest} characters")
        if self.length > longest:
            broken.append(f"it is longer than {longest} characters")
        words = {"lower": "small letter", "upper": "capital letter"}
        broken += [f"it has no {words.get(name, name)}" for name in classes if not have.get(name, True)]
        if not self.sayable:
            broken.append("it contains a blank at an end or a control character")
        return broken


Vaulted = Mapping[SecretRef, SecretTraits]
"""Traits of the entries that the vault holds now; an absent reference is not in the vault yet."""


EACH_DEVICE = "each device"
"""As the name of a secret: an entry of the device's own, made when a run begins."""


def parse_secret(raw: object) -> SecretRef:
    """The name of a vault entry; `each device` stands for an entry of the device's own."""
    if isinstance(raw, SecretRef):
        return raw
    text = parse_text(raw)
    if not text or ";" in text or '"' in text:
        raise BadValue("a secret is named here, never written", "write the name of a vault entry, like guest-wifi")
    return SecretRef(text)
