"""What the headings of somebody's sheet mean: by name, as confirmed before, by likeness, or by what stands below.

Only names and confirmed headings count when a job is read. Likeness and values are for proposals, which a
person confirms once; the job remembers it (`columns:` in job.yaml).
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.accounts.settings import ACCOUNTS
from zinger.plan.values.addresses import parse_mask
from zinger.plan.values.fingerprint import parse_fingerprint
from zinger.plan.values.mac import parse_mac

IDENTITY: dict[str, tuple[str, ...]] = {
    "site": ("site", "station", "place"),
    "role": ("role", "function"),
    "family": ("family", "type", "model", "device type"),
    "serial": ("serial", "serial number", "s/n", "serial no"),
    "mac": ("mac", "mac address", "hardware address", "ethernet address"),
    "label": ("label", "asset", "asset label", "asset tag", "asset number", "inventory number"),
    "location": ("location", "installed at", "cabinet", "rack", "room"),
    "fingerprint": ("fingerprint", "certificate fingerprint", "tls fingerprint", "https fingerprint", "certificate"),
    "console": ("console", "link", "console port"),
    "mask": (
        *("mask", "netmask", "subnet mask", "network mask", "ip mask", "address mask", "bits", "prefix length", "cidr"),
        *("netzmaske", "subnetzmaske", "subnetmaske", "präfixlänge"),
        *("masque", "masque de sous-réseau", "masque réseau", "longueur de préfixe"),
        *("máscara", "máscara de red", "máscara de subred", "longitud de prefijo"),
        *("maschera", "maschera di rete", "maschera di sottorete", "lunghezza del prefisso"),
    ),
}
"""Who a device is, beside its settings, and the mask of its management address: the headings that mean it."""
WHO_PARSERS: dict[str, Callable[[object], str]] = {"mac": parse_mac, "fingerprint": parse_fingerprint}
"""What of it has a form."""

LIKELY = 0.62
"""From this likeness on a heading is proposed; below, it is kept as it is."""
_SHORT = {
    "mgmt": "management",
    "mgt": "management",
    "man": "management",
    "gw": "gateway",
    "addr": "address",
    "adr": "address",
    "no": "number",
    "nr": "number",
    "num": "number",
    "dev": "device",
    "sn": "serial",
    "hw": "hardware",
    "fw": "firmware",
    "pos": "location",
    "svr": "server",
    "srv": "server",
    "tz": "timezone",
    "def": "default",
    "dflt": "default",
    "ipv4": "ip",
    "loc": "location",
    "desc": "description",
    "ser": "serial",
}
_MASK_WORDS = {"mask", "netmask", "bits", "masque", "maschera", "netzmaske", "subnetzmaske"}
_NOISE = {"mask", "netmask", "prefix", "of", "the", "planned", "new", "cidr", "static", "and", "id"}


@dataclass(frozen=True)
class Match:
    """What a heading is taken to mean: a setting, an identity or nothing (then it is kept); and how it was known."""

    heading: str
    meaning: str
    how: str
    score: float = 1.0

    @property
    def sure(self) -> bool:
        """Whether nobody needs to confirm it."""
        return self.score >= 1.0


def plain(heading: str) -> str:
    """A heading without case, underscores and doubled blanks."""
    return " ".join(heading.lower().replace("_", " ").split())


@lru_cache(maxsize=1)
def known_headings() -> Mapping[str, str]:
    """Every heading that is known by name, and what it means."""
    table = {alias: identity for identity, aliases in IDENTITY.items() for alias in aliases}
    for setting in SETTINGS.values():
        table[setting.name] = table[plain(setting.name)] = setting.name
        if setting not in ACCOUNTS:
            table |= dict.fromkeys((setting.title.lower(), *setting.columns), setting.name)
    return table


def meaning_of(heading: str, remembered: Mapping[str, str]) -> str:
    """The setting or identity that a heading means for sure, or nothing."""
    for key in (heading, plain(heading)):
        if key in remembered:
            return remembered[key]
    return known_headings().get(plain(heading), "")


def heading_for(meaning: str) -> str:
    """The heading that Zinger itself writes for a setting or identity."""
    return meaning if meaning in IDENTITY or meaning == "hostname" else SETTINGS[meaning].title


def match_headings(
    headings: Sequence[str], columns: Sequence[Sequence[str]], remembered: Mapping[str, str]
) -> list[Match]:
    """A proposal for every heading; `columns` are the values below each. No meaning is given twice."""
    found: dict[int, Match] = {}
    taken: set[str] = set()
    for index, heading in enumerate(headings):
        meaning = meaning_of(heading, remembered)
        if heading in remembered or plain(heading) in remembered:
            found[index] = Match(heading, meaning, "remembered")
        elif meaning and meaning not in taken:
            found[index] = Match(heading, meaning, "by name")
        taken |= {meaning} if index in found and meaning else set()
    guesses = [
        (score, index, meaning, how)
        for index, heading in enumerate(headings)
        if index not in found
        for score, meaning, how in _guesses(heading, columns[index] if index < len(columns) else ())
    ]
    for score, index, meaning, how in sorted(guesses, reverse=True):
        if index not in found and meaning not in taken:
            found[index] = Match(headings[index], meaning, how, round(min(score, 0.99), 2))
            taken.add(meaning)
    return [found.get(i, Match(heading, "", "kept as it is")) for i, heading in enumerate(headings)]


def _guesses(heading: str, values: Sequence[str]) -> Iterable[tuple[float, str, str]]:
    words = _words(heading)
    filled = [v for v in values if str(v).strip()][:50]
    if filled and _share(filled, _dotted_mask) > 0.9:
        yield 0.95, "mask", "by what stands below"
        return  # a mask looks like an address
    said = set(re.split(r"[^a-z0-9]+", heading.lower()))
    masked = bool(said & _MASK_WORDS) and not said & {"ip", "address", "addr"}  # "IP/mask" has both in a cell
    for alias, meaning in known_headings().items():
        if meaning == "mask" and not masked:
            continue
        score = _likeness(words, _words(alias))
        if score < 0.5:
            continue
        fits = _share(filled, _parser(meaning))
        score = score if fits >= 0.5 or not filled else score * 0.6
        if score >= LIKELY:
            yield score, meaning, f"by likeness to {alias!r}"
    if filled and _share(filled, parse_mac) > 0.9:
        yield 0.8, "mac", "by what stands below"
    if filled and _share(filled, _dotted) > 0.9:
        yield LIKELY, "management.address", "by what stands below"


@lru_cache(maxsize=2048)
def _words(heading: str) -> tuple[str, ...]:
    words = [w for w in re.split(r"[^a-z0-9]+", heading.lower()) if w]
    spelt = [_SHORT.get(w, w) for w in words]
    return tuple(w for w in spelt if w not in _NOISE) or tuple(spelt)


def _likeness(a: tuple[str, ...], b: tuple[str, ...]) -> float:
    if not a or not b:
        return 0.0
    shared = len(set(a) & set(b)) / len(set(a) | set(b))
    spelled = difflib.SequenceMatcher(None, " ".join(a), " ".join(b)).ratio()
    return max(shared, spelled) * 0.6 + min(shared, spelled) * 0.4


def _parser(meaning: str) -> Callable[[object], object]:
    return WHO_PARSERS.get(meaning) or (SETTINGS[meaning].parse if meaning in SETTINGS else str)


def _dotted(value: object) -> object:
    if not re.match(r"\d{1,3}(\.\d{1,3}){3}", str(value)):
        raise ValueError
    return SETTINGS["management.address"].parse(value)


def _dotted_mask(value: object) -> int:
    if not re.match(r"255\.", str(value).strip()):
        raise ValueError
    return parse_mask(value)


def _share(values: Sequence[str], parse: Callable[[object], object]) -> float:
    good = 0
    for value in values:
        try:
            parse(value)
            good += 1
        except ValueError:
            continue
    return good / len(values) if values else 0.0
