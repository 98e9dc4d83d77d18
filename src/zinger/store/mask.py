"""The one choke point where secrets are taken out of what devices send back.

Secrets are looked for as a person would read them: in any case; whatever stands between their characters that is no
character (colour and cursor codes, NUL, the line ends where a device wraps); with a whole log line in their middle; as
they read once backspaces were carried out; and cut short, when most of one is there. What matches is masked in the
bytes as they came, with all that stood inside.

Incremental: a secret that is split over any number of pieces is still found. Only bytes that could finish
a secret of which `_TELLING` characters were already seen are held back, so that an ordinary letter at the
end of a prompt or an echo is never delayed; what can show of a secret that comes letter by letter is less
than that many characters. A log line is not waited for: where one breaks a secret and the rest comes in a later piece,
what came before it is shown if it is less than what counts as cut short, and the rest is masked.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Iterable, Iterator

from zinger.plan.values.secrets import MASK

_MASK = MASK.encode()
_TELLING = 4
_LONG_ENOUGH = 12
"""Of shorter secrets, most is often a word that stands elsewhere too; they are masked whole only."""
_REMEMBERED = 16
"""Characters that backspaces may go back over when they come in a later piece."""
_LOG_LINE, _LOG_LINES = 200, 3
"""Characters of a log line, and how many of them, that may stand in a secret."""
_CODES = re.compile(rb"\x1b\[[0-?]*[ -/]*[@-~]|\x1b[()][0-9A-B]|\x00")
"""Codes between two characters of a text that a person does not see. Line ends are listed apart."""
_UNFINISHED = re.compile(rb"\x1b(?:\[[0-?]{0,64}[ -/]{0,8}|[()])?$")
_ENDS, _BACK, _BLANK = b"\r\n", 8, 32
_UNREAD = b"\r\n\x08"


def _telling(secret: bytes) -> int:
    """How many characters must be seen before more is held back; fewer would hold back ordinary echoes."""
    return max(1, min(_TELLING, max(3, len(secret) // 3), len(secret) - 1))


def _found_by(secret: bytes) -> bytes:
    """The pattern of a secret: whole, or cut short after most of it."""
    most = -(-len(secret) * 3 // 4) if len(secret) >= _LONG_ENOUGH else len(secret)
    rest = b""
    for at in range(len(secret) - 1, most - 1, -1):
        rest = b"(?:" + re.escape(secret[at : at + 1]) + rest + b")?"
    return re.escape(secret[:most]) + rest


Reading = list[tuple[int, int]]
"""What a person reads: (where it is in the text, the byte)."""


class Masker:
    """Replaces secrets in a stream of bytes by a mask of fixed width."""

    def __init__(self, secrets: Iterable[str] = ()) -> None:
        self._secrets: frozenset[bytes] = frozenset()
        self._shown = b""
        """The end of what was given out already, without codes, where a secret may have begun in it."""
        self._held = b""
        """Bytes, as they came, that are not given out yet."""
        self._goes_on = False
        """Whether the end of what was given out is masked already, so that what goes on there needs no mask more."""
        self.know(secrets)

    def know(self, secrets: Iterable[str]) -> None:
        """Mask these too from now on; empty ones are ignored."""
        self._secrets |= {s.encode().lower() for s in secrets if s}
        by_length = sorted(self._secrets, key=len, reverse=True)
        self._pattern = re.compile(b"|".join(map(_found_by, by_length))) if by_length else None
        self._longest = max(map(len, by_length), default=0)
        starts = {s[:size] for s in by_length for size in range(1, len(s))}
        self._may_go_on = frozenset(start[-2:] for start in starts)
        """The last two bytes (or the only one) of everything with which a secret can begin."""
        self._beginnings = frozenset(s[:size] for s in by_length for size in range(_telling(s), len(s)))
        tellings = dict.fromkeys(re.escape(s[: _telling(s)]) for s in by_length)
        self._telling = re.compile(b"|".join(tellings)) if tellings else None

    def __call__(self, data: bytes) -> bytes:
        """Mask a piece; may hold back some last bytes until the next piece."""
        if self._telling is None or not data:
            return data
        fresh = self._held + data
        cut = _UNFINISHED.search(fresh, max(0, len(fresh) - 80))
        fresh, tail = (fresh[: cut.start()], fresh[cut.start() :]) if cut else (fresh, b"")
        text = self._shown + _CODES.sub(b"", fresh).lower()
        bare = text.translate(None, _UNREAD)
        mended = _BACK in text
        if not tail and not mended and not self._can_go_on(bare) and self._telling.search(bare) is None:
            self._held, self._shown, self._goes_on = b"", text[-_REMEMBERED:], False
            return fresh
        return self._with_masks(fresh, text, tail)

    def _with_masks(self, fresh: bytes, text: bytes, tail: bytes) -> bytes:
        """The piece with what matches masked; what may become a secret stays behind, with an unfinished code."""
        places = [-1] * len(self._shown) + [at for begin, end in _read_in(fresh) for at in range(begin, end)]
        out, at = [], 0
        for begin, end in self._spans(text, places):
            if end >= at:
                out.append(fresh[at : max(at, begin)] + (b"" if begin < 0 and self._goes_on else _MASK))
                at = end + 1
        end = max(at, min(self._begins_at(reading, places, at, len(fresh)) for reading in _in_a_row(text)))
        out.append(fresh[at:end])
        self._held = fresh[end:] + tail
        self._goes_on = bool(at) and at == end
        seen = bytes(byte for byte, place in zip(text, places, strict=True) if place < end)
        self._shown = seen[-(self._longest + _LOG_LINE + 4) :]
        return b"".join(out)

    def _spans(self, text: bytes, places: list[int]) -> list[tuple[int, int]]:
        """Where secrets are in the fresh bytes, first and last byte, in order and apart."""
        assert self._pattern is not None
        found = []
        for reading in _readings(text, self._longest):
            for match in self._pattern.finditer(bytes(byte for _, byte in reading)):
                there = [places[i] for i, _ in reading[match.start() : match.end()]]
                if max(there) >= 0:
                    found.append((min(there), max(there)))
        spans: list[tuple[int, int]] = []
        for begin, end in sorted(found):
            if spans and begin <= spans[-1][1]:
                spans[-1] = (spans[-1][0], max(end, spans[-1][1]))
            else:
                spans.append((begin, end))
        return spans

    def text(self, text: str) -> str:
        """Mask a whole text, such as an error message."""
        return self.whole(text.encode()).decode("utf-8", "replace")

    def whole(self, data: bytes) -> bytes:
        """Mask a whole body, such as a page, whatever its encoding."""
        whole = copy.copy(self)
        whole._shown = whole._held = b""
        return whole(data) + whole._held

    def _can_go_on(self, bare: bytes) -> bool:
        """Whether its end may be the beginning of a secret; asked of every piece, so it only looks at two bytes."""
        return bare[-2:] in self._may_go_on or bare[-1:] in self._may_go_on

    def _begins_at(self, reading: Reading, places: list[int], after: int, otherwise: int) -> int:
        """Where in the fresh bytes what may become a secret begins: nothing before `after` belongs to it."""
        left = [(i, byte) for i, byte in reading if places[i] >= after or not after]
        size = self._beginning_at_end(bytes(byte for _, byte in left))
        return max(0, places[left[-size][0]]) if size else otherwise

    def _beginning_at_end(self, bare: bytes) -> int:
        """How many of the last bytes belong to what may become a secret."""
        if not self._can_go_on(bare):
            return 0
        for size in range(min(len(bare), self._longest - 1), 0, -1):
            if bare[-size:] in self._beginnings:
                return size
        return 0


def _in_a_row(text: bytes) -> Iterator[Reading]:
    """It is read on over line ends, where a device wraps: as it is, and with backspaces carried out."""
    yield [(i, byte) for i, byte in enumerate(text) if byte not in _UNREAD]
    if _BACK in text:
        yield _mended(text)


def _readings(text: bytes, longest: int) -> Iterator[Reading]:
    """All the ways in which it can be read: in a row, and with log lines left out."""
    yield from _in_a_row(text)
    lines: list[Reading] = [[]]
    for i, byte in enumerate(text):
        if byte in _ENDS:
            lines.append([])
        elif byte != _BACK:
            lines[-1].append((i, byte))
    lines = [line for line in lines if line]
    for first in range(1, len(lines) - 1):
        for last in range(first, min(first + _LOG_LINES, len(lines) - 1)):
            if sum(map(len, lines[first : last + 1])) <= _LOG_LINES * _LOG_LINE:
                yield lines[first - 1][-longest:] + lines[last + 1][:longest]


def _mended(text: bytes) -> Reading:
    """What a person reads once backspaces were carried out; a blank over a letter takes it away."""
    done: Reading = []
    row: list[tuple[int, int] | None] = []
    cursor = 0
    for i, byte in enumerate(text):
        if byte == _BACK:
            cursor = max(0, cursor - 1)
        elif byte in _ENDS:
            done += [cell for cell in row if cell]
            row, cursor = [], 0
        else:
            row[cursor : cursor + 1] = [None if byte == _BLANK and cursor < len(row) else (i, byte)]
            cursor += 1
    return done + [cell for cell in row if cell]


def _read_in(data: bytes) -> Iterator[tuple[int, int]]:
    """The stretches of it that are read: what stands between is left out."""
    at = 0
    for skipped in _CODES.finditer(data):
        if skipped.start() > at:
            yield at, skipped.start()
        at = skipped.end()
    if at < len(data):
        yield at, len(data)
