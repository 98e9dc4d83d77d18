"""Names by their standards: hosts, domains, accounts, countries, time zones, web addresses."""

from __future__ import annotations

import functools
import re
import zoneinfo
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources

from zinger.plan.values.addresses import Address, parse_address
from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text
from zinger.wording import did_you_mean

_LABEL = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_ACCOUNT = re.compile(r"[A-Za-z_][A-Za-z0-9_.-]{0,31}")
_OFFSET = re.compile(r"(?:UTC|GMT)?\s*([+-])\s*(\d{1,2})(?::?(\d\d))?", re.IGNORECASE)
_POSIX_ZONE = re.compile(r"[A-Za-z]{3,}[+-]?\d{1,2}(?::\d\d)?(?:[A-Za-z]{3,}[^,\s]*(?:,M\d+\.\d\.\d(?:/[\d:]+)?){2})?")


def parse_hostname(raw: object) -> str:
    """A single label by RFC 1123 2.1: letters, digits and inner hyphens, 63 at most."""
    text = parse_text(raw)
    if len(text) > 63:
        raise BadValue(f"{text!r} has {len(text)} characters; RFC 1123 allows 63", "shorten it")
    if not _LABEL.fullmatch(text):
        raise BadValue(f"{text!r} is not a valid hostname (RFC 1123)", "use letters, digits and inner hyphens")
    return text


def parse_domain(raw: object) -> str:
    """A domain name by RFC 1123 2.1: labels joined by dots, 253 characters at most."""
    text = parse_text(raw).rstrip(".")
    if not text or len(text) > 253 or not all(_LABEL.fullmatch(label) for label in text.split(".")):
        raise BadValue(f"{text!r} is not a valid domain name", "write it like station.example")
    return text


def parse_host(raw: object) -> Address | str:
    """A server by address or by name."""
    text = parse_text(raw)
    if re.fullmatch(r"[\d.]+", text) or ":" in text:
        return parse_address(text)
    return parse_domain(text)


def parse_account_name(raw: object) -> str:
    """A local account name: a letter first, then letters, digits, dot, underscore, hyphen; 32 at most."""
    text = parse_text(raw)
    if not _ACCOUNT.fullmatch(text):
        raise BadValue(
            f"{text!r} is not a valid account name", "begin with a letter; use 32 characters at most and no blanks"
        )
    return text


@lru_cache(maxsize=1)
def _zones() -> frozenset[str]:
    return frozenset(zoneinfo.available_timezones())


def parse_zone(raw: object) -> str:
    """A name of the IANA time zone database (RFC 6557), which brings its daylight-saving rule along; a rule as POSIX
    (IEEE 1003.1, TZ) writes it; or an offset alone: `UTC+01:00`, `GMT-3:30`."""
    text = parse_text(raw)
    if (offset := _OFFSET.fullmatch(text)) and text not in _zones():
        hours, minutes = int(offset[2]), int(offset[3] or 0)
        if hours > 14 or minutes > 59:
            raise BadValue(f"{text!r} is not an offset from UTC", "write it like UTC+01:00")
        return f"UTC{offset[1]}{hours:02}:{minutes:02}"
    if text not in _zones() and not _POSIX_ZONE.fullmatch(text):
        hint = did_you_mean(text, _zones())
        raise BadValue(f"{text!r} is not an IANA time zone{hint}", "write it like Europe/Vienna")
    return text


def has_summer_rule(zone: str) -> bool:
    """Whether a zone changes its offset during a year by a rule of its own."""
    if zone not in _zones():
        return ",M" in zone
    import datetime

    at = zoneinfo.ZoneInfo(zone)
    return len({datetime.datetime(2026, month, 1, tzinfo=at).utcoffset() for month in (1, 4, 7, 10)}) > 1


@functools.cache
def _countries() -> Mapping[str, frozenset[str]]:
    """The countries of each zone, as the IANA database's own tables name them."""
    found: dict[str, set[str]] = {}
    folder = resources.files("tzdata") / "zoneinfo"
    for table in ("zone.tab", "zone1970.tab"):
        for line in (folder / table).read_text("utf-8").splitlines():
            if line and not line.startswith("#"):
                countries, _, zone, *_ = line.split("\t")
                found.setdefault(zone, set()).update(countries.split(","))
    return {zone: frozenset(countries) for zone, countries in found.items()}


def countries_of(zone: str) -> frozenset[str]:
    """The countries (ISO 3166-1) that have a time zone; none for one that belongs to no country, or is a rule."""
    return _countries().get(zone, frozenset())


def parse_country(raw: object) -> str:
    """A country by its ISO 3166-1 two-letter code or its English name; returned as the code in capitals."""
    import pycountry  # here, since it takes long to load

    text = parse_text(raw)
    found = pycountry.countries.get(alpha_2=text.upper()) or pycountry.countries.get(name=text)
    if found is None:
        raise BadValue(f"{text!r} is not a country of ISO 3166", "write its two-letter code, like AT")
    return str(found.alpha_2)


def parse_url(raw: object) -> str:
    """An http or https address (RFC 3986)."""
    text = parse_text(raw)
    if not re.fullmatch(r"https?://[A-Za-z0-9.\-\[\]:]+(/[^\s\"]*)?", text):
        raise BadValue(f"{text!r} is not a web address", "write it like https://updates.station.example/")
    return text
