"""The one choke point where secrets are taken out of what devices send back.

Secrets are looked for as a person would read them: in any case, and whatever stands between their characters that is
no character (colour and cursor codes, NUL, the line ends where a device wraps). What matches is masked in the bytes as
they came, with all that stood inside.

Incremental: a secret that is split over any number of pieces is still found. Only bytes that could finish
a secret of which `_TELLING` characters were already seen are held back, so that an ordinary letter at the
end of a prompt or an echo is never delayed; what can show of a secret that comes letter by letter is less
than that many characters.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Iterable, Iterator

from zinger.plan.values.secrets import MASK

_MASK = MASK.encode()
_TELLING = 4
_BETWEEN = re.compile(rb"\x1b\[[0-?]*[ -/]*[@-~]|\x1b[()][0-9A-B]|[\x00\r\n]")
"""What can stand between two characters of a text without a person seeing it."""
_UNFINISHED = re.compile(rb"\x1b(?:\[[0-?]{0,64}[ -/]{0,8}|[()])?$")


def _telling(secret: bytes) -> int:
    """How many characters must be seen before more is held back; fewer would hold back ordinary echoes."""
    return max(1, min(_TELLING, max(3, len(secret) // 3), len(secret) - 1))


class Masker:
    """Replaces secrets in a stream of bytes by a mask of fixed width."""

    def __init__(self, secrets: Iterable[str] = ()) -> None:
        self._secrets: frozenset[bytes] = frozenset()
        self._shown = b""
        """The end of what was given out already, as it reads, where a secret may have begun in it."""
        self._held = b""
        """Bytes, as they came, that are not given out yet."""
        self.know(secrets)

    def know(self, secrets: Iterable[str]) -> None:
        """Mask these too from now on; empty ones are ignored."""
        self._secrets |= {s.encode().lower() for s in secrets if s}
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
        fresh = self._held + data
        cut = _UNFINISHED.search(fresh, max(0, len(fresh) - 80))
        fresh, tail = (fresh[: cut.start()], fresh[cut.start() :]) if cut else (fresh, b"")
        text = self._shown + _BETWEEN.sub(b"", fresh).lower()
        if not tail and not self._can_go_on(text) and self._pattern.search(text) is None:
            self._held = self._shown = b""
            return fresh
        return self._with_masks(fresh, text, tail)

    def _with_masks(self, fresh: bytes, text: bytes, tail: bytes) -> bytes:
        """The piece with what matches masked; what may become a secret stays behind, with an unfinished code."""
        assert self._pattern is not None
        before = len(self._shown)
        places = [at for begin, end in _read_in(fresh) for at in range(begin, end)]
        out, at, after = [], 0, 0
        for match in self._pattern.finditer(text):
            if match.end() > before:
                begin = places[match.start() - before] if match.start() >= before else 0
                out.append(fresh[at : max(at, begin)] + _MASK)
                at, after = places[match.end() - before - 1] + 1, match.end()
        held = self._beginning_at_end(text[after:], len(text) - max(after, before))
        end = max(at, places[-held]) if held else len(fresh)
        out.append(fresh[at:end])
        self._held = fresh[end:] + tail
        seen = text[after : len(text) - held]
        self._shown = seen[-self._longest :] if self._held or self._can_go_on(text) else b""
        return b"".join(out)

    def text(self, text: str) -> str:
        """Mask a whole text, such as an error message."""
        whole = copy.copy(self)
        whole._shown = whole._held = b""
        data = text.encode()
        return (whole(data) + whole._held).decode("utf-8", "replace")

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


def _read_in(data: bytes) -> Iterator[tuple[int, int]]:
    """The stretches of it that are read: what stands between is left out."""
    at = 0
    for skipped in _BETWEEN.finditer(data):
        if skipped.start() > at:
            yield at, skipped.start()
        at = skipped.end()
    if at < len(data):
        yield at, len(data)
