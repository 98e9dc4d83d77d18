"""The one choke point where secrets are taken out of what devices send back.

Incremental: a secret that is split over any number of pieces is still found. Only bytes that could finish
a secret of which `_TELLING` characters were already seen are held back, so that an ordinary letter at the
end of a prompt or an echo is never delayed; what can show of a secret that comes letter by letter is less
than that many characters.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from zinger.plan.values.secrets import MASK

_MASK = MASK.encode()
_TELLING = 4


def _telling(secret: bytes) -> int:
    """How many characters must be seen before more is held back; fewer would hold back ordinary echoes."""
    return max(1, min(_TELLING, max(3, len(secret) // 3), len(secret) - 1))


class Masker:
    """Replaces secrets in a stream of bytes by a mask of fixed width."""

    def __init__(self, secrets: Iterable[str] = ()) -> None:
        self._secrets: frozenset[bytes] = frozenset()
        self._shown = b""
        self._held = b""
        self.know(secrets)

    def know(self, secrets: Iterable[str]) -> None:
        """Mask these too from now on; empty ones are ignored."""
        self._secrets |= {s.encode() for s in secrets if s}
        by_length = sorted(self._secrets, key=len, reverse=True)
        self._pattern = re.compile(b"|".join(map(re.escape, by_length))) if by_length else None
        self._longest = max(map(len, by_length), default=0)
        starts = {s[:size] for s in by_length for size in range(1, len(s))}
        self._may_go_on = frozenset(start[-2:] for start in starts)
        """The last two bytes (or the only one) of everything with which a secret can begin."""
        self._beginnings = frozenset(s[:size] for s in by_length for size in range(_telling(s), len(s)))

    def __call__(self, data: bytes) -> bytes:
        """Mask a piece; may hold back some last bytes until the next piece."""
        if self._pattern is None or not data:
            return data
        if not self._held and not self._shown and not self._can_go_on(data):
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
        self._shown = seen[-self._longest :] if self._held or self._can_go_on(text) else b""
        return b"".join(out)

    def text(self, text: str) -> str:
        """Mask a whole text, such as an error message."""
        return self._pattern.sub(_MASK, text.encode()).decode() if self._pattern else text

    def _can_go_on(self, text: bytes) -> bool:
        """Whether its end may be the beginning of a secret; asked of every piece, so it only looks at two bytes."""
        return text[-2:] in self._may_go_on or text[-1:] in self._may_go_on

    def _beginning_at_end(self, text: bytes, most: int) -> int:
        """How many of the last bytes (at most `most`) belong to what may become a secret."""
        if not self._can_go_on(text):
            return 0
        for size in range(min(len(text), self._longest - 1), 0, -1):
            if text[-size:] in self._beginnings:
                return min(size, most)
        return 0
