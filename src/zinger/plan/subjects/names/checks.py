"""Checks of names and time."""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator
from typing import Any

from zinger.plan.checking import (
    ERROR,
    WARNING,
    Found,
    Look,
    device_check,
    duplicates,
    in_row,
    plan_check,
    repair,
    where_it_stands,
)
from zinger.plan.model import Device, Layer
from zinger.plan.subjects.management.settings import ADDRESS
from zinger.plan.subjects.names.settings import (
    CLOCK_BY_HAND,
    DAYLIGHT_SAVING,
    HOSTNAME,
    SUMMER_RULE,
    TIME_KEY,
    TIME_SERVERS,
    TIME_ZONE,
)
from zinger.plan.subjects.wireless.settings import COUNTRY
from zinger.plan.values.names import countries_of, has_summer_rule
from zinger.plan.values.summer import changes_of


@device_check("time-missing", WARNING, TIME_SERVERS, CLOCK_BY_HAND, source="RFC 5905")
def time_missing(device: Device, look: Look) -> Iterator[Found]:
    """No time server is planned, nor is the clock set by hand: logs and certificates need the time."""
    if not device[TIME_SERVERS] and not device[CLOCK_BY_HAND]:
        yield Found("no time server is planned", "Plan ntp.servers, or clock.set: laptop", TIME_SERVERS)


@device_check("time-single", WARNING, TIME_SERVERS, source="RFC 8633 3.2")
def time_single(device: Device, look: Look) -> Iterator[Found]:
    """A single time server: when it fails or errs, nothing tells."""
    servers: tuple[Any, ...] = device[TIME_SERVERS] or ()
    if len(servers) == 1:
        only = servers[0]
        yield Found(f"{only.host} is the only time server", "Name a second, better four", TIME_SERVERS)


@device_check("time-server-is-device", ERROR, TIME_SERVERS, ADDRESS, repairs=True)
def time_server_is_device(device: Device, look: Look) -> Iterator[Found]:
    """The device is its own time server."""
    address, servers = device.fixed, device[TIME_SERVERS] or ()
    if address and any(s.host == address.ip for s in servers):
        rest = tuple(s for s in servers if s.host != address.ip)
        in_sheet = TIME_SERVERS.name in device.own and len(rest) > 1
        yield Found(
            f"{address.ip} is the device itself",
            "Name another time server",
            TIME_SERVERS,
            repair=repair("take it off the list", where_it_stands(device, TIME_SERVERS, TIME_SERVERS.text(rest)))
            if in_sheet
            else None,
        )


@device_check("time-preferred-twice", WARNING, TIME_SERVERS, source="RFC 5905", repairs=True)
def time_preferred_twice(device: Device, look: Look) -> Iterator[Found]:
    """More than one time server is preferred, so none is; or two have one preference."""
    servers = device[TIME_SERVERS] or ()
    numbers = [s.preference for s in servers if s.preference is not None]
    for number in sorted({n for n in numbers if numbers.count(n) > 1}):
        yield Found(f"{numbers.count(number)} time servers have preference {number}", "Number them", TIME_SERVERS)
    if sum(s.preferred for s in servers) > 1:
        first = next(s for s in servers if s.preferred)
        one = tuple(s if s is first else s.model_copy(update={"preferred": False}) for s in servers)
        yield Found(
            "more than one time server is preferred",
            "Prefer one",
            TIME_SERVERS,
            repair=repair(f"prefer {first.host} only", where_it_stands(device, TIME_SERVERS, TIME_SERVERS.text(one))),
        )


@device_check("time-key-missing", ERROR, TIME_SERVERS, TIME_KEY, source="RFC 8573")
def time_key_missing(device: Device, look: Look) -> Iterator[Found]:
    """A time server has a key number, but no secret is planned for it."""
    if any(s.key for s in device[TIME_SERVERS] or ()) and device[TIME_KEY] is None:
        yield Found("a time server has a key, but its secret is not planned", "Plan ntp.secret", TIME_SERVERS)


@device_check("zone-without-rule", WARNING, TIME_ZONE, DAYLIGHT_SAVING, SUMMER_RULE, source="RFC 6557")
def zone_without_rule(device: Device, look: Look) -> Iterator[Found]:
    """The time zone has no daylight-saving rule: logs would be an hour off for half of the year, where there is one."""
    zone, summer = device[TIME_ZONE], device[DAYLIGHT_SAVING]
    if zone and summer is not False and not device[SUMMER_RULE] and not has_summer_rule(zone):
        yield Found(
            f"the time zone {zone} has no daylight-saving rule",
            "Name a place, like Europe/Vienna, or plan clock.rule, or clock.summer: off",
            TIME_ZONE,
        )


@device_check("rule-differs-from-zone", WARNING, TIME_ZONE, SUMMER_RULE, source="RFC 6557")
def rule_differs_from_zone(device: Device, look: Look) -> Iterator[Found]:
    """The daylight-saving rule is not the one that the time zone has: clocks would change on other days."""
    zone, rule = device[TIME_ZONE], device[SUMMER_RULE]
    if not zone or not rule or "/" not in zone:
        return
    year = datetime.date.today().year
    planned = [(rule.begins.in_year(year), rule.ahead), (rule.ends.in_year(year), -rule.ahead)]
    real = changes_of(zone, year)
    if sorted(planned) != sorted(real):
        told = " and ".join(f"{at:%d %b %H:%M} ({minutes:+d} min)" for at, minutes in real) or "never"
        what = f"in {year} clocks of {zone} change on {told}, by the rule on other moments"
        yield Found(what, "Correct the rule, or leave it out", SUMMER_RULE)


@device_check("summer-off-with-rule", ERROR, DAYLIGHT_SAVING, SUMMER_RULE)
def summer_off_with_rule(device: Device, look: Look) -> Iterator[Found]:
    """Daylight saving is off, and a rule for it is planned."""
    summer, rule = device[DAYLIGHT_SAVING], device[SUMMER_RULE]
    if summer is False and rule:
        yield Found("daylight saving is off, and its rule is planned", "Take one of the two away", SUMMER_RULE)


@device_check("zone-of-another-country", WARNING, TIME_ZONE, COUNTRY, source="RFC 6557, ISO 3166")
def zone_of_another_country(device: Device, look: Look) -> Iterator[Found]:
    """The time zone is not one of the regulatory country's: one of the two is wrong."""
    zone, country = device[TIME_ZONE], device[COUNTRY]
    if zone and country and (of := countries_of(zone)) and country not in of:
        yield Found(
            f"the time zone {zone} is that of {', '.join(sorted(of))}, the country is {country}",
            "Correct one of the two",
            TIME_ZONE,
        )


@device_check("hostname-too-long", ERROR, HOSTNAME)
def hostname_too_long(device: Device, look: Look) -> Iterator[Found]:
    """The hostname is longer than its family takes."""
    name, rules = device[HOSTNAME], look.rules(device)
    if name and rules and len(name) > rules.hostname_longest:
        yield Found(
            f"{name} has {len(name)} characters; {rules.title} takes {rules.hostname_longest}", "Shorten it", HOSTNAME
        )


@device_check("hostname-characters", ERROR, HOSTNAME, repairs=True)
def hostname_characters(device: Device, look: Look) -> Iterator[Found]:
    """The hostname has characters that its family refuses."""
    name, rules = device[HOSTNAME], look.rules(device)
    if not name or not rules or re.fullmatch(f"(?:{rules.hostname_of})*", name):
        return
    wrong = sorted(set(re.sub(rules.hostname_of, "", name)))
    small = name.lower()
    fix = None
    if (
        device.values[HOSTNAME.name].origin.layer is Layer.SHEET
        and not re.sub(rules.hostname_of, "", small)
        and small not in look.by_name
    ):
        fix = repair(f"change it to lower case, {small}", in_row(device, HOSTNAME, small))
    yield Found(
        f"{rules.title} takes no {' '.join(wrong)} in a hostname",
        f"Use only {rules.hostname_of.strip('[]')}",
        HOSTNAME,
        repair=fix,
    )


@plan_check("duplicate-hostname", ERROR, source="RFC 1123")
def duplicate_hostname(look: Look) -> Iterator[Found]:
    """Two devices have one hostname; case does not tell them apart."""
    yield from duplicates(look, "hostname", HOSTNAME, lambda d: d.name.lower())
