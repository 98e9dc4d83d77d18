"""Durations: the one place that knows their units. In seconds where devices speak, in minutes in a plan."""

from __future__ import annotations

import re

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

_SECONDS = {"s": 1, "sec": 1, "second": 1, "m": 60, "min": 60, "minute": 60, "h": 3600, "hour": 3600, "d": 86400}
_SECONDS["day"] = 86400
_PIECE = re.compile(r"(\d+)\s*([a-z]*)", re.IGNORECASE)
YEAR = 525600
"""Minutes."""


def seconds_of(value: object, unit: str = "s") -> int:
    """A duration in seconds: `90`, `10 min`, `1h30m`, `00:10:00`; a bare number is in `unit`. Raises BadValue."""
    text = str(value).strip().lower()
    if re.fullmatch(r"\d+(:\d{1,2}){1,2}", text):
        parts = [int(part) for part in text.split(":")]
        hours, minutes, rest = ([0] * (3 - len(parts)) + parts) if len(parts) < 3 else parts
        return hours * 3600 + minutes * 60 + rest
    total, at = 0, 0
    for piece in _PIECE.finditer(text):
        word = (piece[2] or unit).removesuffix("s") or "s"
        if text[at : piece.start()].strip(" ,") or word not in _SECONDS:
            break
        total, at = total + int(piece[1]) * _SECONDS[word], piece.end()
    if not text or text[at:].strip():
        raise BadValue(f"{value!r} is not a valid duration", "write it like 90 s or 10 min")
    return total


def parse_lease(raw: object) -> int:
    """A duration in minutes: `480`, `480 min`, `8 h`, `1 d`; at most a year."""
    text = parse_text(raw)
    try:
        minutes, rest = divmod(seconds_of(text, "min"), 60)
    except BadValue:
        minutes, rest = 0, 1
    if rest or ":" in text:
        raise BadValue(f"{text!r} is not a whole number of minutes", "write it like 10 min or 8 h")
    if not 1 <= minutes <= YEAR:
        raise BadValue(f"{text!r} is not between 1 minute and a year", "write it like 8 h")
    return minutes


def parse_minutes(raw: object) -> int:
    """Whole minutes from 1 to 1440; `10`, `10 min` and `1 h` are the same kind."""
    minutes = parse_lease(raw)
    if minutes > 1440:
        raise BadValue(f"{minutes} minutes is more than a day", "write it like 10 min")
    return minutes
