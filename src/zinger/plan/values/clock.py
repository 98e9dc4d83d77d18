"""The time that a device's clock must show: the laptop's, in the planned time zone."""

from __future__ import annotations

import re
import zoneinfo
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone

from zinger.plan.values.bad import BadValue
from zinger.plan.values.summer import Moment, parse_moment
from zinger.plan.values.text import YES, parse_text

NEAR = 90
"""Seconds by which a clock that was set by hand may differ from the laptop's."""
NOT_YET = "(the laptop's time)"
"""How the time is shown before it is sent."""
_POSIX = re.compile(
    r"[A-Za-z]{3,}(?P<offset>[+-]?\d{1,2}(?::\d\d)?)"
    r"(?:[A-Za-z]{3,}(?P<summer>[+-]?\d{1,2}(?::\d\d)?)?(?:,(?P<begins>M[^,]+),(?P<ends>M[^,]+))?)?"
)


@dataclass(frozen=True)
class SummerRule:
    """When clocks are put ahead, by so many minutes, and back."""

    begins: Moment
    ends: Moment
    ahead: int

    def is_on(self, standard: datetime) -> bool:
        """Whether clocks are ahead at this moment of standard time."""
        begins = self.begins.in_year(standard.year)
        ends = self.ends.in_year(standard.year) - timedelta(minutes=self.ahead)
        return begins <= standard < ends if begins < ends else not ends <= standard < begins


@dataclass(frozen=True)
class LaptopTime:
    """The laptop's time as a device in this zone shows it; `now` is None where nothing is sent yet.

    `zone` is as `parse_zone` returns it; an empty one means UTC. `rule` is a planned daylight-saving rule, or None.
    """

    now: datetime | None = None
    zone: str = ""
    rule: SummerRule | None = None

    def wall(self) -> datetime | None:
        """What the clock on the wall shows there; raises BadValue for a zone that can't be reckoned."""
        return self._wall(self.now) if self.now is not None else None

    def _wall(self, now: datetime) -> datetime:
        if self.zone in zoneinfo.available_timezones():
            return now.astimezone(zoneinfo.ZoneInfo(self.zone)).replace(tzinfo=None)
        offset, rule = _offset_of(self.zone)
        standard = now.astimezone(timezone(offset)).replace(tzinfo=None)
        rule = self.rule or rule
        return standard + timedelta(minutes=rule.ahead) if rule and rule.is_on(standard) else standard

    def seconds_off(self, shown: str, form: str) -> float | None:
        """By how much a time that a device showed differs from this; None where it can't be read."""
        wall = self.wall()
        try:
            read = datetime.strptime(shown, form)
        except ValueError:
            return None
        return abs((read.replace(tzinfo=None) - wall).total_seconds()) if wall else None


def _offset_of(zone: str) -> tuple[timedelta, SummerRule | None]:
    """The offset of a zone that has no name, and the rule that it brings along."""
    if not zone:
        return timedelta(), None
    if found := re.fullmatch(r"UTC([+-])(\d\d):(\d\d)", zone):
        there = timedelta(hours=int(found[2]), minutes=int(found[3]))
        return (there if found[1] == "+" else -there), None
    posix = _POSIX.fullmatch(zone)
    if posix is None:
        raise BadValue(f"the time of the zone {zone!r} is not known here", "name a place, like Europe/Vienna")
    standard = -_hours(posix["offset"])  # POSIX counts to the west
    if posix["begins"] is None:
        return standard, None
    summer = -_hours(posix["summer"]) if posix["summer"] else standard + timedelta(hours=1)
    ahead = (summer - standard) // timedelta(minutes=1)
    return standard, SummerRule(parse_moment(posix["begins"]), parse_moment(posix["ends"]), ahead)


def _hours(text: str) -> timedelta:
    hours, _, minutes = text.lstrip("+-").partition(":")
    size = timedelta(hours=int(hours), minutes=int(minutes or 0))
    return -size if text.startswith("-") else size


def parse_clock_set(raw: object) -> str:
    """From where the clock is set once: `laptop`; a yes means that too."""
    word = parse_text(raw).lower()
    if raw is True or word in YES or word in ("laptop", "by hand"):
        return "laptop"
    raise BadValue(f"{word!r} is nothing that a clock is set from", "write laptop, or leave it out")


def at_once() -> datetime:
    """The laptop's time now."""
    return datetime.now(UTC)
