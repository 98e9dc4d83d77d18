"""Daylight-saving rules: the moments at which the clock is put forward and back (IEEE 1003.1, TZ, in words)."""

from __future__ import annotations

import calendar
import re
import zoneinfo
from datetime import date, datetime, timedelta

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

_DAYS = ("sun", "mon", "tue", "wed", "thu", "fri", "sat")
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_NTH = {"first": 1, "1st": 1, "second": 2, "2nd": 2, "third": 3, "3rd": 3, "fourth": 4, "4th": 4, "last": 5}
_NAMES = ("1st", "2nd", "3rd", "4th", "last")
_POSIX = re.compile(r"m(\d{1,2})\.([1-5])\.([0-6])(?:/(\d{1,2})(?::(\d\d))?)?")
_EXAMPLE = "write it like last sun mar 02:00"


class Moment(str):
    """A moment of every year: `last sun mar 02:00`; the time is that which clocks show before they are changed."""

    __slots__ = ()

    @classmethod
    def of(cls, week: int, day: int, month: int, minute: int) -> Moment:
        """From the week of the month (5: the last), the day (0: Sunday), the month and the minute of the day."""
        return cls(f"{_NAMES[week - 1]} {_DAYS[day]} {_MONTHS[month - 1]} {minute // 60:02}:{minute % 60:02}")

    @property
    def nth(self) -> str:
        """Which such day of the month: 1st to 4th, or last."""
        return self.split()[0]

    @property
    def week(self) -> int:
        """The same as a number; the last is 5, as in IEEE 1003.1."""
        return _NAMES.index(self.nth) + 1

    @property
    def day(self) -> str:
        """The day of the week, in three letters."""
        return self.split()[1]

    @property
    def day_number(self) -> int:
        """The same as a number; Sunday is 0."""
        return _DAYS.index(self.day)

    @property
    def month(self) -> str:
        """The month, in three letters."""
        return self.split()[2]

    @property
    def month_number(self) -> int:
        """The same as a number, from 1."""
        return _MONTHS.index(self.month) + 1

    @property
    def time(self) -> str:
        """The time of the day, as HH:MM."""
        return self.split()[3]

    def in_year(self, year: int) -> datetime:
        """The moment in a year, by the clock on the wall."""
        last = calendar.monthrange(year, self.month_number)[1]
        days = [date(year, self.month_number, n) for n in range(1, last + 1)]
        named = [d for d in days if (d.weekday() + 1) % 7 == self.day_number]
        hours, minutes = map(int, self.time.split(":"))
        on = named[-1] if self.week == 5 else named[self.week - 1]
        return datetime(on.year, on.month, on.day) + timedelta(hours=hours, minutes=minutes)


def parse_moment(raw: object) -> Moment:
    """A moment of every year: `last Sunday of March at 2:00`, `2nd sun nov 02:00`, `M3.5.0/2` (IEEE 1003.1)."""
    text = parse_text(raw).lower()
    found = _POSIX.fullmatch(text)
    said = _from_posix(found) if found else _from_words(text)
    if lacking := [what for what in ("which one", "day", "month", "time") if what not in said]:
        raise BadValue(f"{text!r} does not say its {' and '.join(lacking)}", _EXAMPLE)
    if said["time"] > 1439 or not 1 <= said["month"] <= 12:
        raise BadValue(f"{text!r} is not a moment of the year", _EXAMPLE)
    return Moment.of(said["which one"], said["day"], said["month"], said["time"])


def _from_posix(found: re.Match[str]) -> dict[str, int]:
    minute = int(found[4] or 2) * 60 + int(found[5] or 0)
    return {"which one": int(found[2]), "day": int(found[3]), "month": int(found[1]), "time": minute}


def _from_words(text: str) -> dict[str, int]:
    """What each word says; raises BadValue for one that says nothing, or the same as another."""
    said: dict[str, int] = {}
    for word in re.split(r"[\s,]+", text):
        if word in ("of", "in", "at", "on", "the", ""):
            continue
        what, number = _meaning(word)
        if not what or what in said:
            raise BadValue(f"{word!r} has no place in a moment of the year", _EXAMPLE)
        said[what] = number
    return said


def _meaning(word: str) -> tuple[str, int]:
    if word in _NTH:
        return "which one", _NTH[word]
    if len(word) >= 3 and word[:3] in _DAYS:
        return "day", _DAYS.index(word[:3])
    if len(word) >= 3 and word[:3] in _MONTHS:
        return "month", _MONTHS.index(word[:3]) + 1
    clock = re.fullmatch(r"(\d{1,2})[:h](\d\d)", word)
    return ("time", int(clock[1]) * 60 + int(clock[2])) if clock else ("", 0)


def changes_of(zone: str, year: int) -> tuple[tuple[datetime, int], ...]:
    """When a zone of the IANA database changes its clocks in a year, by the clock until then, and by how much (min)."""
    at = zoneinfo.ZoneInfo(zone)
    utc = zoneinfo.ZoneInfo("UTC")

    def offset(moment: datetime) -> timedelta:
        return moment.replace(tzinfo=utc).astimezone(at).utcoffset() or timedelta()

    found = []
    begin = datetime(year, 1, 1)
    for day in range(366):
        low, high = begin + timedelta(days=day), begin + timedelta(days=day + 1)
        before, after = offset(low), offset(high)
        if before == after:
            continue
        while high - low > timedelta(minutes=1):
            middle = low + timedelta(minutes=(high - low) // timedelta(minutes=2))
            low, high = (middle, high) if offset(middle) == before else (low, middle)
        found.append((high + before, (after - before) // timedelta(minutes=1)))
    return tuple(found)
