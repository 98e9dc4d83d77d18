"""How long the stages of each family took at this person's benches, over all jobs: what forecasts are made of.

A convenience of this machine, so that a full disk or a spoiled file stops nothing: then what the families say counts.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from statistics import median

import platformdirs

from zinger.files import FileError, write_whole

KEPT = 15
"""How many times are kept of each stage, the latest."""
LONGEST = 86_400.0


def _file() -> Path:
    return platformdirs.user_state_path("zinger") / "how-long.json"


class Durations:
    """Seconds by kind of bench (`live`, or practice at a pace), family and stage."""

    def __init__(self, kept: dict[str, list[float]] | None = None) -> None:
        self._kept = kept or {}

    @classmethod
    def read(cls) -> Durations:
        """The durations that were learned before; none where the file is missing or can't be read."""
        try:
            found = json.loads(_file().read_text("utf-8"))
            return cls({str(key): [float(s) for s in times][-KEPT:] for key, times in found.items()})
        except (OSError, ValueError, TypeError, AttributeError):
            return cls()

    def usual(self, bench: str, family: str, stage: str) -> float | None:
        """The usual seconds of a stage; None where it was never seen."""
        times = self._kept.get(_key(bench, family, stage))
        return median(times) if times else None

    def learn(self, bench: str, seen: Iterable[tuple[str, str, float]]) -> None:
        """Add (family, stage, seconds) that were seen, and keep them."""
        for family, stage, seconds in seen:
            if 0 <= seconds < LONGEST:
                times = self._kept.setdefault(_key(bench, family, stage), [])
                times.append(round(seconds, 2))
                del times[:-KEPT]
        try:
            _file().parent.mkdir(parents=True, exist_ok=True)
            write_whole(_file(), json.dumps(self._kept, indent=0).encode())
        except (OSError, FileError):
            return


def _key(bench: str, family: str, stage: str) -> str:
    return f"{bench} / {family} / {stage}"
