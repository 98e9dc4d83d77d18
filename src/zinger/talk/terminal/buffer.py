"""The line buffer: bytes in, clean lines and the tail out, at a cost that does not grow with the output.

The tail is the text after the last line end, as a terminal would show it: colour and cursor codes gone,
overwrites and backspaces carried out. Complete lines are kept as they came and only cleaned when somebody
asks for them; at most `KEPT` characters, oldest dropped first.
"""

from __future__ import annotations

import codecs
import re
from collections import deque

from zinger.phrasebook.terminal import WIDTH

KEPT = 4 * 1024 * 1024
LONGEST_TAIL = 1200
LONGEST_LINE = 1200
"""Characters of a line that are kept: patterns are held against it, and may need the cube of its length."""
RECENT = 2048
_ESCAPE = re.compile(
    r"\x1b(?:\[[0-?]*[ -/]*(?:[@-~]|(?=\x1b))|\][^\x07\x1b]*(?:\x07|\x1b\\|(?=\x1b[^\\]))"
    r"|[PX^_][^\x1b]*(?:\x1b\\|(?=\x1b[^\\]))|[ -/]*(?:[0-OQ-WYZ\\`-~]|(?=\x1b)))"
)
"""A code; one that another breaks off ends there."""
_UNFINISHED = re.compile(
    r"\x1b(?:\[[0-?]{0,64}[ -/]{0,8}|\][^\x07\x1b]{0,4096}\x1b?|[PX^_][^\x1b]{0,4096}\x1b?|[ -/]*)$"
)
_CONTROL = re.compile(r"[\x00-\x07\x0b\x0c\x0e-\x1f\x7f\ue010-\ue013]")
_ON, _ERASE, _ERASE_ALL, _DELETE = "\ue010", "\ue011", "\ue012", "\ue013"
"""What stands for cursor codes that change a row, one character each, until the row is read."""
_CHANGES = re.compile(f"[\r\b{_ON}{_ERASE}{_ERASE_ALL}{_DELETE}]")
_FARTHEST = 500


def overwrite(line: str, wraps: int = 0) -> str:
    """What a terminal shows of a line with carriage returns and backspaces in it.

    With `wraps`, a blank and a carriage return behind a full row of so many columns is the line going on in the next
    row, as line editors force it, and no return to its beginning.
    """
    bare = line.removesuffix("\r")
    if not _CHANGES.search(bare) and not (wraps and len(bare) == wraps + 1):
        return line if bare is line else bare.rstrip(" ")  # as nearly all are
    cells: list[str] = []  # what is blanked stays a blank until the end
    at = row = 0
    for char in line:
        if char == "\r":
            if wraps and at == row + wraps + 1 and cells[-1] == " ":
                cells.pop()
                row = at = at - 1
            at = row
        elif char == "\b":
            at = max(0, at - 1)
        elif char == _ON:
            at += 1
        elif char == _ERASE:
            del cells[at:]
        elif char == _ERASE_ALL:
            cells = [" "] * at
        elif char == _DELETE:
            del cells[at : at + 1]
        else:
            cells += " " * (at - len(cells))
            cells[at : at + 1] = [char]
            at += 1
    return "".join(cells[:at]) + "".join(cells[at:]).rstrip(" ")


def _stands_for(code: re.Match[str]) -> str:
    """What a code does to its row: erase (EL), move (CUB, CUF, CHA) or delete (DCH), ECMA-48 8.3; else nothing."""
    text = code[0]
    number, what = text[2:-1], text[-1]
    if not text.startswith("\x1b[") or not (number == "" or number.isdigit()):
        return ""
    if what == "K":
        return {"": _ERASE, "0": _ERASE, "2": _ERASE_ALL}.get(number, "")
    times = min(max(1, int(number[:6] or 1)), _FARTHEST)
    if what == "G":
        return "\r" + _ON * (times - 1)
    return {"D": "\b", "C": _ON, "P": _DELETE}.get(what, "") * times


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
        self._size = self._behind_cut = 0
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
        text = _ESCAPE.sub(_stands_for, text)
        if unfinished := _UNFINISHED.search(text):
            self._escape = unfinished[0]
            text = text[: unfinished.start()]
        return text

    def _keep(self, lines: str) -> None:
        self._kept.append(lines)
        self._size += len(lines)
        self._behind_cut += len(lines)
        while self._size > KEPT and len(self._kept) > 1:
            self._size -= len(self._kept.popleft())
            self.clipped = True

    @property
    def tail(self) -> str:
        """What stands after the last line end, as a person sees it."""
        raw = self._raw
        if raw.isprintable():
            return raw
        if _CHANGES.search(raw):
            raw = overwrite(raw, self._wraps)
        return _CONTROL.sub("", raw)

    def cut(self) -> str:
        """End the tail here: what comes next begins a new line. Returns what was cut off."""
        tail, self._raw, self._behind_cut = self.tail, "", 0
        return tail

    def take(self) -> list[str]:
        """The lines kept since the last take, cleaned, in order; forgets them."""
        if not self._kept:
            return []
        text = "".join(self._kept)
        self._kept.clear()
        self._size, self._behind_cut, self.clipped = 0, 0, False
        return [self._clean(line) for line in text.split("\n")[:-1]]

    def recent(self, exact: bool = False, most: int = RECENT) -> list[str]:
        """The last lines kept, some `most` characters, without forgetting them; `exact` keeps trailing blanks."""
        return self._last(most, exact)

    def behind_cut(self, exact: bool = False) -> list[str]:
        """The last lines that were shown since the last `cut`: what was sent then is answered by no line before it."""
        return self._last(min(RECENT, self._behind_cut), exact)

    def _last(self, most: int, exact: bool) -> list[str]:
        if not self._kept or not most:
            return []
        text = ""
        for chunk in reversed(self._kept):
            text = chunk[-most:] + text
            if len(text) >= most:
                break
        lines = text.split("\n")[:-1]
        return [overwrite(line, self._wraps) if exact else self._clean(line) for line in lines]

    def _clean(self, line: str) -> str:
        line = line[:LONGEST_LINE].removesuffix("\r")
        if _CHANGES.search(line):
            line = overwrite(line, self._wraps)
        line = line if line.isprintable() else _CONTROL.sub("", line)
        return line if len(line) == WIDTH else line.rstrip()
