"""The one border between what strangers wrote and the person's terminal, for everything that a command prints.

What a device, a sheet, a phrasebook or a recording holds can be printed anywhere: in a finding, an error, a path. So it
is not left to each place: whatever is written to the standard streams is made plain here.
"""

from __future__ import annotations

import re
import sys
from typing import TextIO

_ACTS = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u2028\u2029\u200e\u200f\u202a-\u202e\u2066-\u2069\ufeff]")
"""What acts on a terminal or turns the order of a text: C0 but for line end and tab, C1, separators, bidi controls."""


def plain(text: str) -> str:
    """The text with what would act on a terminal written out."""
    return _ACTS.sub(lambda match: ascii(match[0])[1:-1], text) if _ACTS.search(text) else text


class Plain:
    """A text stream that writes plain text only; all else is the stream's own."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        """Write the text, made plain; returns how many characters of it were taken: all."""
        self._stream.write(plain(text))
        return len(text)

    def __getattr__(self, name: str) -> object:
        return getattr(self._stream, name)


def make_plain() -> None:
    """From now on, both standard streams."""
    if not isinstance(sys.stdout, Plain):
        sys.stdout, sys.stderr = Plain(sys.stdout), Plain(sys.stderr)
