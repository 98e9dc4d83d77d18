"""Typing to real hardware: characters first, their echo compared, only then Enter.

A line is typed a stride at a time. A stride shrinks when a line comes back damaged and grows again, slowly, with lines
that come back whole. Where a line comes back damaged again and again, strides alone do not help: its UART takes so many
characters a second, whenever they come; then it is typed at a pace too. What was learned is kept for the device.
"""

from __future__ import annotations

from enum import Enum

from zinger.phrasebook.words import Words, has_secret, masked

_WHOLE_LINE, _FIRST_STRIDE, _TRUST_AFTER = 4096, 32, 20
TRIES = 8
_STRIDES_DO_NOT_HELP = 3
"""From so many damaged showings of one line on, each makes the pace slower."""


class Echo(Enum):
    """How what came back compares with what was typed so far."""

    WHOLE = "all of the line came back"
    STRIDE = "what was typed so far came back, more is to be typed"
    INCOMPLETE = "it may still be coming"
    DAMAGED = "it is not what was typed"


class Typist:
    """Types one line at a time; sans-IO: says which words come next and judges echoes."""

    def __init__(self) -> None:
        self.stride = _WHOLE_LINE
        """Characters typed before their echo is awaited."""
        self.damaged = 0
        """How often the present line came back damaged."""
        self.slowness = 0
        """0: as fast as the link takes it; 1: at the pace of blind typing; each step more halves that."""
        self._words: Words = ()
        self._text = ""
        self._sent = 0
        self._whole = 0

    def begin(self, words: Words) -> None:
        """A new line."""
        self._words, self._text, self._sent, self.damaged = words, masked(words), 0, 0

    def anew(self) -> None:
        """The line was taken away; it is typed from its beginning."""
        self._sent = 0

    @property
    def slowed(self) -> bool:
        """Whether this line has damaged what was typed at once."""
        return self.stride < _WHOLE_LINE

    @property
    def text(self) -> str:
        """The line as a person may see it."""
        return self._text

    def next_words(self) -> Words:
        """What to type next; a line with a secret in it goes out whole, since its echo is masked whole."""
        if has_secret(self._words):
            self._sent = len(self._text)
            return self._words
        piece = self._text[self._sent : self._sent + self.stride]
        self._sent += len(piece)
        return (piece,)

    def compare(self, echoed: str) -> Echo:
        """Judge what came back since the line was begun."""
        sent = self._text if self._sent == len(self._text) else self._text[: self._sent]
        if echoed == sent:
            if self._sent < len(self._text):
                return Echo.STRIDE
            self._came_back_whole()
            return Echo.WHOLE
        return Echo.INCOMPLETE if sent.startswith(echoed) else Echo.DAMAGED

    @property
    def resumable(self) -> bool:
        """Whether the line can be gone on with after damage: a secret's echo is masked whole, so its can't."""
        return not has_secret(self._words)

    def resume(self, standing: str) -> int:
        """Go on from what really stands there; returns how many characters must be rubbed out first."""
        pairs = zip(self._text, standing, strict=False)
        self._sent = next(
            (n for n, (wanted, got) in enumerate(pairs) if wanted != got), min(len(self._text), len(standing))
        )
        return len(standing) - self._sent

    def came_back_damaged(self) -> None:
        """The line is to be typed again, slower."""
        self.damaged += 1
        self.stride = max(1, min(self.stride, 2 * _FIRST_STRIDE) // 2)
        self._whole = 0
        if self.damaged >= _STRIDES_DO_NOT_HELP:
            self.slowness += 1

    def lost(self) -> None:
        """A line that does not echo never arrived whole."""
        self.slowness = max(1, self.slowness) + 1

    def doubted(self) -> None:
        """A line that does not echo was refused: it may have been wrong, or may not have arrived whole."""
        self.slowness = max(2, self.slowness)

    def _came_back_whole(self) -> None:
        if self.stride < _WHOLE_LINE:
            self._whole += 1
            if self._whole >= _TRUST_AFTER:
                self.stride, self._whole = self.stride * 2, 0
                self.slowness = max(0, self.slowness - 1)
