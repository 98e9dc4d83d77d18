"""What one device showed lately, masked, with annotations in the margin; for whoever looks at the wire.

Bounded: the last `KEPT` bytes. Annotations carry the position in the stream at which they stand, so that an
emulator which replays the bytes can put them beside the right line.
"""

from __future__ import annotations

from collections import deque
from typing import NamedTuple

KEPT = 128 * 1024


class Annotation(NamedTuple):
    """Something Zinger did at a position of the stream: `sent`, `mended`, `person`, `nudged`."""

    serial: int
    position: int
    kind: str
    text: str = ""


class Transcript:
    """A bounded stream of bytes with annotations; positions count from the beginning of the session."""

    def __init__(self) -> None:
        self._pieces: deque[tuple[int, bytes]] = deque()
        self.annotations: deque[Annotation] = deque(maxlen=2000)
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

    def annotate(self, kind: str, text: str = "") -> None:
        """Put an annotation where the stream ends now."""
        self._serial += 1
        self.annotations.append(Annotation(self._serial, self.end, kind, text))

    def annotations_after(self, serial: int) -> list[Annotation]:
        """The annotations that came after one, oldest first."""
        if not self.annotations or self.annotations[-1].serial <= serial:
            return []
        return [note for note in self.annotations if note.serial > serial]

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
