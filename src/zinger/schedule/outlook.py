"""What will come of a bench: the forecast, when it was made, and what one more of something would save."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zinger.schedule.forecast import Forecast
from zinger.schedule.order import Saving, best, savings
from zinger.schedule.work import Bench


@dataclass(frozen=True)
class Outlook:
    """A forecast, and when it was made, in seconds since 1970."""

    at: float
    bench: Bench
    forecast: Forecast
    savings: tuple[Saving, ...]

    @property
    def done_at(self) -> float:
        """When the last device that goes on by itself is done, in seconds since 1970."""
        return self.at + self.forecast.end

    def ends_at(self, device: str) -> float | None:
        """When a device is done; None for one that is not under way, and not to be begun."""
        ends = self.forecast.ends.get(device)
        return None if ends is None else self.at + ends


def foresee(bench: Bench, at: float, followed: Sequence[str] = ()) -> Outlook:
    """What will come of a bench as it stands at a time, in the order that is followed if no other is much better.

    It is pure, so that another thread may do it.
    """
    found = best(bench, followed=followed)
    return Outlook(at, bench, found, tuple(savings(bench, found)))
