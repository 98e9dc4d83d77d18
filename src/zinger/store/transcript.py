"""What one device showed lately, masked, with marks in the margin; for whoever looks at the wire.

Bounded: the last `KEPT` bytes. Marks carry the position in the stream at which they stand, so that an
emulator which replays the bytes can put them beside the right line.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

KEPT = 128 * 1024


@dataclass(frozen=True)
class Mark:
    """Something Zinger did at a position of the stream: `said`, `mended`, `person`, `nudged`."""

    serial: int
    position: int
    kind: str
    text: str = ""


class Transcript:
    """A bounded stream of bytes with marks; positions count from the beginning of the session."""

    def __init__(self) -> None:
        self._pieces: deque[tuple[int, bytes]] = deque()
        self.marks: deque[Mark] = deque(maxlen=2000)
        self.begin = self.end = 0
        self._serial = 0

    def add(self, data: bytes) -> None:
        """The device showed these bytes."""
        if data:
            self._pieces.append((self.end, data))
            self.end += len(data)
            while self.end - self.begin > KEPT and len(self._pieces) > 1:
                _, gone = self._pieces.popleft()
                self.begin += len(gone)

    def mark(self, kind: str, text: str = "") -> None:
        """Put a mark where the stream ends now."""
        self._serial += 1
        self.marks.append(Mark(self._serial, self.end, kind, text))

    def marks_after(self, serial: int) -> list[Mark]:
        """The marks that came after one, oldest first."""
        if not self.marks or self.marks[-1].serial <= serial:
            return []
        return [mark for mark in self.marks if mark.serial > serial]

    def since(self, position: int) -> tuple[int, bytes]:
        """The bytes after a position (or after the oldest kept), and where they begin."""
        parts = []
        start: int | None = None
        for at, data in self._pieces:
            if at + len(data) <= position:
                continue
            offset = max(0, position - at)
            if start is None:
                start = at + offset
            parts.append(data[offset:])
        return (self.end if start is None else start), b"".join(parts)
