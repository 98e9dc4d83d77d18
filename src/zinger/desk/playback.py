"""A recording played back: what was shown, at its own times or faster, forwards from any moment."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field
from pathlib import Path

from zinger.store.har import SUFFIX, shown_in
from zinger.store.recording import Event, events_of
from zinger.store.transcript import Transcript

SPEEDS = (0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0)
LONGEST_PAUSE = 3.0
"""Seconds; longer silences are passed in this time."""


@dataclass
class Playback:
    """One recording; `position` and `length` in seconds of the recording, long silences shortened."""

    events: list[Event]
    position: float = 0.0
    playing: bool = True
    speed: float = 1.0
    transcript: Transcript = field(default_factory=Transcript)
    _next: int = 0

    @classmethod
    def of(cls, file: Path) -> Playback:
        """Read a recording; raises RecordingError."""
        events: list[Event] = []
        before = saved = 0.0
        for at, code, text in shown_in(file) if file.suffix == SUFFIX else events_of(file):
            saved += max(0.0, at - before - LONGEST_PAUSE)
            before = at
            events.append((at - saved, code, text))
        return cls(events)

    @property
    def length(self) -> float:
        """Seconds from the first event to the last."""
        return self.events[-1][0] if self.events else 0.0

    @property
    def markers(self) -> list[tuple[float, str]]:
        """What was done, and when."""
        return [(at, text) for at, code, text in self.events if code == "m"]

    @property
    def doing(self) -> str:
        """What was being done at this moment."""
        markers = self.markers
        at = bisect_right([when for when, _ in markers], self.position)
        return markers[at - 1][1] if at else ""

    def pass_time(self, seconds: float) -> None:
        """Let the time of the person who looks pass."""
        if self.playing:
            self._to(min(self.length, self.position + seconds * self.speed))
            self.playing = self.position < self.length

    def seek(self, position: float) -> None:
        """Go to a moment; everything before it is shown at once."""
        position = min(max(0.0, position), self.length)
        if position < self.position:
            self.transcript, self._next = Transcript(), 0
        self._to(position)

    def step_marker(self, by: int) -> None:
        """Go to the next (1) or the last (-1) mark."""
        times = sorted({when for when, _ in self.markers})
        later = [t for t in times if t > self.position + 0.001]
        earlier = [t for t in times if t < self.position - 0.25]
        if by > 0 and later:
            self.seek(later[0])
        elif by < 0:
            self.seek(earlier[-1] if earlier else 0.0)

    def faster(self, by: int) -> None:
        """The next speed up or down."""
        at = min(max(0, SPEEDS.index(self.speed) + by), len(SPEEDS) - 1)
        self.speed = SPEEDS[at]

    def _to(self, position: float) -> None:
        self.position = position
        while self._next < len(self.events) and self.events[self._next][0] <= position:
            _, code, text = self.events[self._next]
            if code == "o":
                self.transcript.add(text.encode())
            elif code == "m":
                self.transcript.annotate("sent", text)
            self._next += 1
