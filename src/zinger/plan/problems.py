"""What is wrong with a plan: one sentence, the place it stands in, and what to do about it."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    """MEND stops a run of that device; THINK does not."""

    MEND = "mend"
    THINK = "think"


@dataclass(frozen=True)
class Spot:
    """Where a value was written: file, line (1-based) and the column heading or key path."""

    file: str
    line: int | None = None
    key: str = ""

    def __str__(self) -> str:
        line = f":{self.line}" if self.line else ""
        return f"{self.file}{line}" + (f" ({self.key})" if self.key else "")


@dataclass(frozen=True)
class Problem:
    """One thing to mend or to think about, as `zinger check` and the screens show it.

    `id` is stable and documented; `devices` are hostnames (or `row N` where there is none yet).
    """

    id: str
    severity: Severity
    spot: Spot
    what: str
    do: str
    devices: tuple[str, ...] = ()
    setting: str | None = None

    def __str__(self) -> str:
        who = f"{', '.join(self.devices)}: " if self.devices else ""
        return f"{self.spot}: {who}{self.what}. {self.do}."


def mend(id: str, spot: Spot, what: str, do: str, *devices: str, setting: str | None = None) -> Problem:
    """A problem that must be mended before the device is touched."""
    return Problem(id, Severity.MEND, spot, what, do, devices, setting)


def think(id: str, spot: Spot, what: str, do: str, *devices: str, setting: str | None = None) -> Problem:
    """A problem that only a person can weigh; it stops nothing."""
    return Problem(id, Severity.THINK, spot, what, do, devices, setting)


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """Return ` (did you mean X?)` for the likeliest known word, or nothing."""
    near = difflib.get_close_matches(word.lower(), {k.lower(): k for k in known}, n=1, cutoff=0.6)
    original = {k.lower(): k for k in known}
    return f" (did you mean {original[near[0]]}?)" if near else ""
