"""What the headings of somebody's sheet mean: by name, as confirmed before, by likeness, or by what stands below.

Only names and confirmed headings count when a job is read. Likeness and values are for proposals, which a
person confirms once; the job remembers it (`columns:` in job.yaml).
"""

from __future__ import annotations

import difflib
import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from zinger.plan.files.languages import ENGLISH, LANGUAGES
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
        "mask",
        "netmask",
        "subnet mask",
        "network mask",
        "ip mask",
        "address mask",
        "bits",
        "prefix length",
        "cidr",
    ),
}
"""Who a device is, beside its settings, and the mask of its management address: the headings that mean it."""
WHO_PARSERS: dict[str, Callable[[object], str]] = {"mac": parse_mac, "fingerprint": parse_fingerprint}
"""What of it has a form."""

LIKELY = 0.62
"""From this likeness on a heading is proposed; below, it is kept as it is."""
LISTS = frozenset({"dns.servers", "ntp.servers", "syslog.servers", "management.stations"})
"""Settings that are lists, and of which sheets have a column for each entry."""
_PASSWORDS = frozenset(
    {
        *("password", "passwords", "passwd", "passphrase", "pwd", "psk", "community", "secret", "passcode"),
        *("passwort", "kennwort", "passworter", "motdepasse", "passe", "contrasena", "clave"),
    }
)
_OF_ONE_DEVICE = frozenset({"hostname", "serial", "mac", "label", "management.address"})
_COUNTS = re.compile(
    r"\b(\d{1,2}|1st|2nd|3rd|first|second|third|primary|secondary|tertiary|backup|alternate|preferred"
    r"|primarer?|sekundarer?|bevorzugter?|primaire|secondaire|primario|secundario|secondario)\b|(?<=[a-z])\d$"
)
"""Words and numbers by which headings count the entries of a list; without accents."""
_BETWEEN_WORDS = re.compile(r"[_\-\u2010-\u2015\s]+")
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss"})
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
_MASK_WORDS = {"mask", "netmask", "bits", "masque", "maschera", "mascara", "netzmaske", "subnetzmaske", "maske"}
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
    """A heading without case, accents, underscores, hyphens, doubled blanks and what marks it (`Name *`, `IP:`)."""
    if heading.isascii():
        text = heading.lower()
    else:
        parts = unicodedata.normalize("NFKD", heading.casefold().replace("\N{RIGHT SINGLE QUOTATION MARK}", "'"))
        text = "".join(c for c in parts if not unicodedata.combining(c))
    return " ".join(_BETWEEN_WORDS.sub(" ", text).split()).rstrip(" :*")


@lru_cache(maxsize=1)
def known_headings() -> Mapping[str, str]:
    """Every heading that is known by name, and what it means; English first where languages differ."""
    table = {plain(alias): identity for identity, aliases in IDENTITY.items() for alias in aliases}
    for setting in SETTINGS.values():
        table[setting.name] = table[plain(setting.name)] = setting.name
        if setting not in ACCOUNTS:
            table |= dict.fromkeys(map(plain, (setting.title, *setting.columns)), setting.name)
    for language in (ENGLISH, *LANGUAGES):
        for meaning, aliases in language.items():
            for alias in aliases:
                for spelt in (alias, alias.translate(_UMLAUTS)):
                    table.setdefault(plain(spelt), meaning)
    return table


def meaning_of(heading: str, remembered: Mapping[str, str]) -> str:
    """The setting or identity that a heading means for sure, or nothing."""
    for key in (heading, plain(heading)):
        if key in remembered:
            return remembered[key]
    return known_headings().get(plain(heading), "") or counted_entry(heading)


def holds_passwords(heading: str) -> bool:
    """Whether a heading says that passwords or keys stand below it, in one of the languages."""
    return bool(set(re.split(r"[^a-z]+", plain(heading))) & _PASSWORDS)


def heading_for(meaning: str) -> str:
    """The heading that Zinger itself writes for a setting or identity."""
    return meaning if meaning in IDENTITY or meaning == "hostname" else SETTINGS[meaning].title


def plain_name(name: str) -> str:
    """The name of a family, site or role without case, hyphens and doubled blanks."""
    return " ".join(name.lower().replace("-", " ").split())


@dataclass(frozen=True)
class Known:
    """The names of families, sites and roles (as `plain_name` has them) that a job has, which tell a heading."""

    names: Mapping[str, frozenset[str]] = field(default_factory=dict)

    def meaning(self, values: Sequence[str]) -> str:
        """Of which of them nearly all these values are names."""
        lower = [plain_name(v) for v in values]
        for meaning, names in self.names.items():
            if names and sum(v in names for v in lower) > 0.9 * len(lower):
                return meaning
        return ""


def match_headings(
    headings: Sequence[str],
    columns: Sequence[Sequence[str]],
    remembered: Mapping[str, str],
    known: Known | None = None,
    hidden: frozenset[int] = frozenset(),
) -> list[Match]:
    """A proposal for every heading; `columns` are the values below each, `hidden` those that are only kept.

    No meaning is given twice, but for lists of which a sheet has a column for each entry. What contradicts the values
    below is not proposed; a known heading that does is not sure.
    """
    below = [[v for v in map(str, column) if v.strip()][:200] for column in columns]
    below += [[]] * (len(headings) - len(below))
    found: dict[int, Match] = {i: Match(headings[i], "", "hidden in the workbook") for i in hidden if i < len(headings)}
    taken: set[str] = set()
    for index, heading in enumerate(headings):
        meaning, how = _by_name(heading, remembered)
        if index in found or not how or (meaning in taken and not counted_entry(heading)):
            continue
        against = contradiction(meaning, below[index]) if how != "remembered" else ""
        if not against and how != "remembered" and _stands_twice(headings, below, index):
            against = "another column is headed so too"
        found[index] = (
            Match(heading, meaning, f"{how}, but {against}", 0.5) if against else Match(heading, meaning, how)
        )
        taken |= {meaning} if meaning else set()
    guesses = [
        (score, index, meaning, how)
        for index, heading in enumerate(headings)
        if index not in found
        for score, meaning, how in _guesses(heading, below[index], known or Known())
    ]
    for score, index, meaning, how in sorted(guesses, key=lambda g: (-g[0], g[1])):
        if index not in found and meaning not in taken:
            found[index] = Match(headings[index], meaning, how, round(min(score, 0.99), 2))
            taken.add(meaning)
    return [found.get(i, Match(heading, "", "kept as it is")) for i, heading in enumerate(headings)]


def _stands_twice(headings: Sequence[str], below: Sequence[Sequence[str]], at: int) -> bool:
    """Whether another column has the same heading and other values below it."""
    name = plain(headings[at])
    return any(
        plain(heading) == name and list(below[index]) != list(below[at])
        for index, heading in enumerate(headings)
        if index != at and name and below[index]
    )


def _by_name(heading: str, remembered: Mapping[str, str]) -> tuple[str, str]:
    """What a heading means by its name, and how that is known; two empty texts if it is not."""
    if heading in remembered or plain(heading) in remembered:
        return meaning_of(heading, remembered), "remembered"
    meaning = meaning_of(heading, remembered)
    return meaning, "by name" if meaning else ""


def counted_entry(heading: str) -> str:
    """The meaning of a heading that counts the entries of a list (`NTP 2`, `DNS secondary`); empty for others."""
    words = _COUNTS.sub(" ", plain(heading)).strip()
    meaning = known_headings().get(" ".join(words.split()), "") if words != plain(heading) else ""
    return meaning if meaning in LISTS else ""


# -- what stands below -----------------------------------------------------------------------------------
def contradiction(meaning: str, values: Sequence[str]) -> str:
    """Why the values below a heading can't have this meaning; empty if they may."""
    if not values or not meaning:
        return ""
    parse = _parser(meaning)
    wrong = next((v for v in values if not _parses(parse, v)), "")
    if wrong and _share(values, parse) < 0.5:
        return f"{wrong!r} below it can't be one"
    several = len(values) >= 4
    different = len({v.strip().lower() for v in values})
    if several and meaning in _OF_ONE_DEVICE and different <= len(values) // 2 and not _share(values, _says_dhcp):
        return f"{different} different below it, in {len(values)} rows"
    if several and meaning == "management.gateway" and different == len(values):
        return "each row has another"
    return ""


def _by_values(values: Sequence[str], known: Known) -> Iterable[tuple[float, str, str]]:
    """What values say without a heading, and why."""
    if not values:
        return
    if _share(values, _mask) > 0.9:
        yield 0.95, "mask", "each value below it is a mask"
    elif _share(values, parse_mac) > 0.9 and not all(v.isdigit() for v in values):
        yield 0.8, "mac", "12 hexadecimal digits in each value below it"
    elif _share(values, _dotted) > 0.9:
        different = {v.partition("/")[0].strip() for v in values}
        ends = {v.rpartition(".")[2] for v in different}
        if len(values) >= 3 and len(different) <= max(1, len(values) // 3) and ends <= {"1", "254", "126", "129"}:
            yield 0.8, "management.gateway", f"addresses that rows share, ending in .{', .'.join(sorted(ends))}"
        elif len(different) > 0.9 * len(values):
            yield LIKELY, "management.address", "an address of its own in each row"
    elif meaning := known.meaning(values):
        yield 0.85, meaning, "each value below it is one that the job knows"
    elif _share(values, _named) > 0.9 and len(values) >= 3 and len(set(values)) == len(values):
        yield LIKELY, "hostname", "a name of its own in each row"


def _guesses(heading: str, values: Sequence[str], known: Known) -> Iterable[tuple[float, str, str]]:
    said = set(re.split(r"[^a-z0-9]+", plain(heading)))
    found = list(_by_values(values, known))
    yield from found
    if any(meaning == "mask" for _, meaning, _ in found):
        return  # a mask looks like an address
    words = _words(plain(heading))
    masked = bool(said & _MASK_WORDS) and not said & {"ip", "address", "addr"}  # "IP/mask" has both in a cell
    for alias, meaning in known_headings().items():
        if meaning == "mask" and not masked:
            continue
        score = _likeness(words, _words(alias))
        if score >= LIKELY and not contradiction(meaning, values):
            yield score, meaning, f"by likeness to {alias!r}"


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


def _named(value: object) -> object:
    """A hostname as people give them: in lower case, with more than digits and hyphens."""
    if str(value) != str(value).lower() or not re.search(r"[a-z]{2}", str(value)):
        raise ValueError
    return SETTINGS["hostname"].parse(value)


def _mask(value: object) -> int:
    if not re.match(r"255\.|/\d", str(value).strip()):
        raise ValueError
    return parse_mask(value)


def _says_dhcp(value: object) -> None:
    if "dhcp" not in str(value).lower():
        raise ValueError


def _parses(parse: Callable[[object], object], value: object) -> bool:
    try:
        parse(value)
    except ValueError:
        return False
    return True


def _share(values: Sequence[str], parse: Callable[[object], object]) -> float:
    return sum(_parses(parse, value) for value in values) / len(values) if values else 0.0
