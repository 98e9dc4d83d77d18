"""The line buffer: bytes in, clean lines and the tail out, at a cost that does not grow with the output.

The tail is the text after the last line end, as a terminal would show it: colour and cursor codes gone,
overwrites and backspaces carried out. Complete lines are kept as they came and only cleaned when somebody
asks for them; at most `KEPT` characters, oldest dropped first.
"""

from __future__ import annotations

import codecs
import re
from collections import deque

KEPT = 4 * 1024 * 1024
LONGEST_TAIL = 4096
RECENT = 2048
_ESCAPE = re.compile(
    r"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[PX^_][^\x1b]*\x1b\\"
    r"|[ -/]*[0-OQ-WYZ\\`-~])"
)
_UNFINISHED = re.compile(r"\x1b(?:\[[0-?]*[ -/]*|\][^\x07\x1b]{0,4096}\x1b?|[PX^_][^\x1b]{0,4096}\x1b?|[ -/]*)$")
_CONTROL = re.compile(r"[\x00-\x07\x0b\x0c\x0e-\x1f\x7f]")


def overwrite(line: str, wraps: int = 0) -> str:
    """What a terminal shows of a line with carriage returns and backspaces in it.

    With `wraps`, a blank and a carriage return behind a full row of so many columns is the line going on in the next
    row, as line editors force it, and no return to its beginning.
    """
    cells: list[str] = []
    at = row = 0
    for char in line:
        if char == "\r":
            if wraps and at == row + wraps + 1 and cells[-1] == " ":
                cells.pop()
                row = at = at - 1
            at = row
        elif char == "\b":
            at = max(0, at - 1)
        else:
            cells[at : at + 1] = [char]
            at += 1
    return "".join(cells[:at]) + "".join(cells[at:]).rstrip(" ")


class LineBuffer:
    """Incremental cleaning of what a device sends. Any split of the bytes gives the same lines and tail."""

    text = ""
    """The whole screen, for a buffer that keeps one."""

    def __init__(self, wraps: int = 0) -> None:
        self._wraps = wraps
        self._decode = codecs.getincrementaldecoder("utf-8")("replace").decode
        self._escape = ""
        self._raw = ""
        self._kept: deque[str] = deque()
        self._size = 0
        self.clipped = False
        """Whether lines were dropped since the last `take`."""

    def feed(self, data: bytes) -> str:
        """Take bytes in; returns the raw text of lines completed by them (for a glance at boot lines)."""
        text = self._decode(data)
        if self._escape or "\x1b" in text:
            text = self._without_escapes(text)
        raw = self._raw + text if self._raw else text
        if "\r\n" in raw:
            raw = raw.replace("\r\n", "\n")
        end = raw.rfind("\n")
        if end < 0:
            self._raw = raw[-LONGEST_TAIL:]
            return ""
        lines, self._raw = raw[: end + 1], raw[end + 1 :][-LONGEST_TAIL:]
        self._keep(lines)
        return lines

    def _without_escapes(self, text: str) -> str:
        text, self._escape = self._escape + text, ""
        text = _ESCAPE.sub("", text)
        if unfinished := _UNFINISHED.search(text):
            self._escape = unfinished[0]
            text = text[: unfinished.start()]
        return text

    def _keep(self, lines: str) -> None:
        self._kept.append(lines)
        self._size += len(lines)
        while self._size > KEPT and len(self._kept) > 1:
            self._size -= len(self._kept.popleft())
            self.clipped = True

    @property
    def tail(self) -> str:
        """What stands after the last line end, as a person sees it."""
        raw = self._raw
        if raw.isprintable():
            return raw
        if "\r" in raw or "\b" in raw:
            raw = overwrite(raw, self._wraps)
        return _CONTROL.sub("", raw)

    def cut(self) -> str:
        """End the tail here: what comes next begins a new line. Returns what was cut off."""
        tail, self._raw = self.tail, ""
        return tail

    def take(self) -> list[str]:
        """The lines kept since the last take, cleaned, in order; forgets them."""
        if not self._kept:
            return []
        text = "".join(self._kept)
        self._kept.clear()
        self._size, self.clipped = 0, False
        return [self._clean(line) for line in text.split("\n")[:-1]]

    def recent(self, exact: bool = False) -> list[str]:
        """The last lines kept (some 2,000 characters), without forgetting them; `exact` keeps trailing blanks."""
        if not self._kept:
            return []
        text = ""
        for chunk in reversed(self._kept):
            text = chunk[-RECENT:] + text
            if len(text) >= RECENT:
                break
        lines = text.split("\n")[:-1]
        return [overwrite(line, self._wraps) if exact else self._clean(line) for line in lines]

    def _clean(self, line: str) -> str:
        line = line.removesuffix("\r")
        if "\r" in line or "\b" in line:
            line = overwrite(line, self._wraps)
        return (line if line.isprintable() else _CONTROL.sub("", line)).rstrip()
