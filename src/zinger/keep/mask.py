"""The one choke point where secrets are taken out of what devices send back.

Incremental: a secret that is split over any number of pieces is still found. Only bytes that could finish
a secret of which `_TELLING` characters were already seen are held back, so that an ordinary letter at the
end of a prompt or an echo is never delayed; what can show of a secret that comes letter by letter is less
than that many characters.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from zinger.plan import MASK

_MASK = MASK.encode()
_TELLING = 4


def _telling(secret: bytes) -> int:
    return max(1, min(_TELLING, len(secret) // 3))


class Masker:
    """Replaces secrets in a stream of bytes by a mask of fixed width."""

    def __init__(self, secrets: Iterable[str] = ()) -> None:
        every = {s.encode() for s in secrets if s}
        self._secrets = sorted(every, key=len, reverse=True)
        self._pattern = re.compile(b"|".join(map(re.escape, self._secrets))) if every else None
        self._longest = max(map(len, every), default=0)
        self._endings = frozenset(byte for s in every for byte in s)
        self._shown = b""
        self._held = b""

    def __call__(self, data: bytes) -> bytes:
        """Mask a piece; may hold back some last bytes until the next piece."""
        if self._pattern is None or not data:
            return data
        if not self._held and not self._shown and data[-1] not in self._endings:
            return self._pattern.sub(_MASK, data)
        fresh = self._held + data
        text = self._shown + fresh
        out, at = [], len(self._shown)
        for match in self._pattern.finditer(text):
            if match.end() > at:
                out.append(text[at : max(at, match.start())] + _MASK)
                at = match.end()
        rest = text[at:]
        held = self._beginning_at_end(text if not out else rest, len(rest))
        self._held = rest[len(rest) - held :] if held else b""
        out.append(rest[: len(rest) - held])
        seen = text[: len(text) - held] if at == len(self._shown) else rest[: len(rest) - held]
        self._shown = seen[-self._longest :] if self._held or text[-1] in self._endings else b""
        return b"".join(out)

    def text(self, text: str) -> str:
        """Mask a whole text, such as an error message."""
        return self._pattern.sub(_MASK, text.encode()).decode() if self._pattern else text

    def _beginning_at_end(self, text: bytes, most: int) -> int:
        """How many of the last bytes (at most `most`) belong to what may become a secret."""
        if text[-1:] and text[-1] not in self._endings:
            return 0
        for secret in self._secrets:
            for size in range(min(len(text), len(secret) - 1), _telling(secret) - 1, -1):
                if text.endswith(secret[:size]):
                    return min(size, most)
        return 0
