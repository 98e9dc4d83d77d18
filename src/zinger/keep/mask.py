"""The one choke point where secrets are taken out of what devices send back.

Incremental: a secret that is split over any number of pieces is still found, since a tail that could be
the beginning of one is held back until it is decided.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from zinger.plan import MASK

_MASK = MASK.encode()


class Masker:
    """Replaces secrets in a stream of bytes by a mask of fixed width."""

    def __init__(self, secrets: Iterable[str] = ()) -> None:
        self._secrets: tuple[bytes, ...] = ()
        self._pattern: re.Pattern[bytes] | None = None
        self._held = b""
        self.know(secrets)

    def know(self, secrets: Iterable[str]) -> None:
        """Add secrets; empty ones are ignored."""
        every = {*self._secrets, *(s.encode() for s in secrets if s)}
        self._secrets = tuple(sorted(every, key=len, reverse=True))
        self._pattern = re.compile(b"|".join(map(re.escape, self._secrets))) if self._secrets else None
        self._begins = frozenset(s[0] for s in self._secrets)
        self._longest = max((len(s) for s in self._secrets), default=0)

    def __call__(self, data: bytes) -> bytes:
        """Mask a piece; may hold back some last bytes until the next piece."""
        if self._pattern is None:
            return data
        data = self._pattern.sub(_MASK, self._held + data)
        held = self._beginning_at_end(data)
        self._held = data[len(data) - held :] if held else b""
        return data[: len(data) - held] if held else data

    def text(self, text: str) -> str:
        """Mask a whole text, such as an error message."""
        return self._pattern.sub(_MASK, text.encode()).decode() if self._pattern else text

    def _beginning_at_end(self, data: bytes) -> int:
        """How many of the last bytes could be the beginning of a secret."""
        for size in range(min(len(data), self._longest - 1), 0, -1):
            if data[-size] in self._begins:
                end = data[-size:]
                if any(s.startswith(end) for s in self._secrets):
                    return size
        return 0
