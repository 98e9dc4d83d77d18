"""The console of a device, emulated, with a margin: what was sent, what is noise, what became evidence.

The emulator (pyte) is fed only while somebody looks, and a few kilobytes a tick at most; what is older goes
into the history cleaned but not emulated, so that a flooding console costs the interface nothing.
"""

from __future__ import annotations

import codecs
from collections import deque
from typing import ClassVar, Protocol

import pyte
from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import BindingType

from zinger.phrasebook.classify import LineKind, classify
from zinger.phrasebook.terminal import Terminal
from zinger.store.transcript import Annotation, Transcript
from zinger.talk.terminal.buffer import LineBuffer
from zinger.talk.terminal.emulation import Emulation
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, INK, PAPER, ROSE, SLATE, VIOLET
from zinger.tui.rows import Rows

ROWS, COLUMNS = 24, 200
A_TICK, AT_FIRST = 3 * 1024, 512
"""Bytes that are emulated at once, and of a terminal that shows lines when it is first looked at."""
SIGN = {
    "sent": ("»", SLATE),
    "mended": ("!", ROSE),
    "person": ("▸", VIOLET),
    LineKind.NOISE.value: ("~", DIM),
    LineKind.REFUSAL.value: ("x", ROSE),
    "evidence": ("●", GREEN),
    "nudged": ("·", DIM),
}


class Shown(Protocol):
    """What a console can show: a device's line, or a recording that is played."""

    transcript: Transcript
    evidence: set[str]
    version: int


class Emulator(pyte.Screen):
    """A terminal that keeps what scrolls off its top, and counts lines from the beginning."""

    def __init__(self, columns: int, history: int = 3000) -> None:
        self.gone: deque[str] = deque(maxlen=history)
        self.passed = 0
        super().__init__(columns, ROWS)

    def index(self) -> None:
        bottom = self.margins.bottom if self.margins else self.lines - 1
        if self.cursor.y == bottom:
            self.gone.append(self._shown(self.margins.top if self.margins else 0))
            self.passed += 1
        super().index()

    def skip(self, lines: list[str]) -> None:
        """Put everything on the screen above the cursor, and these lines, into the history; begin anew below."""
        above = [self._shown(y) for y in range(self.cursor.y)]
        self.gone.extend([*above, *lines])
        self.passed += len(above) + len(lines)
        self.reset()

    def _shown(self, y: int) -> str:
        """One line of the screen; only its own cells are looked at."""
        cells = self.buffer[y]
        return "".join(cells[x].data for x in range(max(cells, default=-1) + 1)).rstrip()

    @property
    def row(self) -> int:
        """The number of the cursor's line, counted from the beginning of the session."""
        return self.passed + self.cursor.y

    def text(self, number: int) -> str:
        """A line by its number; empty when it is forgotten."""
        if number >= self.passed:
            return self._shown(number - self.passed)
        at = number - (self.passed - len(self.gone))
        return self.gone[at] if at >= 0 else ""


class Console(Rows):
    """Shows one line's transcript."""

    BINDINGS: ClassVar[list[BindingType]] = []

    def __init__(self, *, id: str | None = None, empty: str = "nothing came from this console yet") -> None:
        super().__init__(id=id, cursor=False)
        self._empty = empty
        self._pinned = True
        """Whether the end is in sight, unless the pane became lower right now."""
        self._line: Shown | None = None
        self._terminal: Terminal | None = None
        self._forget()

    def _forget(self) -> None:
        self._emulator = Emulator(COLUMNS)
        self._stream = Emulation(self._emulator)
        self._decode = codecs.getincrementaldecoder("utf-8")("replace").decode
        self._fed = 0
        self._marks: dict[int, str] = {}
        self._for: dict[int, str] = {}
        self._sought = ""
        self._serial = 0
        self._version = 0
        self._shown_before = 0

    def show(self, line: Shown | None, terminal: Terminal | None) -> None:
        """Follow this line from now on; called at every tick."""
        if line is not self._line:
            self._line, self._terminal = line, terminal
            self._forget()
        self.see_cursor()
        if line is not None and self._feed(line):
            last = self.cursor >= self._shown_before - 1
            at_end = self.sought_sight or self._pinned
            bottom = at_end and (last or not self.looking_back)
            self._shown_before = self.count()
            if bottom:
                self.cursor = self.count() - 1
            self.redraw()
            if bottom:
                self.scroll_end(animate=False)
                self.sought_sight = True  # the first time, the pane may not have its size yet
        elif line is not None and line.version != self._version:
            self._version = line.version
            self.refresh()

    def watch_scroll_y(self, old_value: float, new_value: float) -> None:
        """Who scrolls away from the end is left there; at the end new lines are followed again."""
        super().watch_scroll_y(old_value, new_value)
        self._pinned = new_value >= self.max_scroll_y - 1

    def on_resize(self, event: events.Resize) -> None:
        """A pane that becomes lower still shows the end, where that was in sight."""
        if self._pinned and not self.looking_back:
            self.cursor = self.count() - 1
            self.scroll_end(animate=False)
            self.sought_sight = True

    def _feed(self, line: Shown) -> bool:
        """Take in what came since the last tick: the newest part emulated, what is older only cleaned."""
        transcript = line.transcript
        if self._fed > transcript.end:
            self._forget()
        start, data = transcript.since(self._fed)
        marks = transcript.annotations_after(self._serial)
        if not data and not marks:
            return False
        lines = self._terminal is not None and not self._terminal.size
        part = AT_FIRST if lines and self._fed == 0 else A_TICK
        cut = data.rfind(b"\n", 0, len(data) - part) + 1 if len(data) > 2 * part else 0
        self._skim(start, data[:cut], [m for m in marks if m.position < start + cut])
        at = start + cut
        for mark in (m for m in marks if m.position >= start + cut):
            self._emulate(data[at - start : mark.position - start])
            at = max(at, mark.position)
            self._put(self._emulator.row, mark)
        self._emulate(data[at - start :])
        self._fed = start + len(data)
        self._serial = marks[-1].serial if marks else self._serial
        return bool(data)

    def _emulate(self, data: bytes) -> None:
        if data:
            self._stream.feed(self._decode(data))

    def _skim(self, start: int, data: bytes, marks: list[Annotation]) -> None:
        """Old output goes straight into the history, one cleaned line after the other."""
        if not data:
            return
        first = self._emulator.row
        for mark in marks:
            self._put(first + data.count(b"\n", 0, max(0, mark.position - start)), mark)
        buffer = LineBuffer()
        buffer.feed(self._emulator.text(first).encode() + data)
        self._emulator.skip(buffer.take())

    def _put(self, row: int, mark: Annotation) -> None:
        if self._marks.get(row) != "mended":
            self._marks[row] = mark.kind
        if mark.text:
            self._for[row] = mark.text
        for table in (self._marks, self._for):
            if len(table) > 4000:
                del table[next(iter(table))]

    # -- looking back ------------------------------------------------------------------------------
    def about(self) -> str:
        """What the line under the cursor was for."""
        at = self.cursor
        kind = self._kind(at, self._emulator.text(at))
        since = next((row for row in sorted(self._for, reverse=True) if row <= at), None)
        purpose = self._for.get(since, "") if since is not None else ""
        if kind == LineKind.NOISE:
            what = "a log line, which nothing asked for"
        elif kind == LineKind.REFUSAL:
            what = f"refused: {purpose}"
        elif kind == "evidence":
            what = "evidence"
        elif since == at:
            what = {
                "sent": f"sent for: {purpose}",
                "mended": f"came back damaged, sent again: {purpose}",
                "nudged": "Enter was pressed here",
            }.get(self._marks.get(at, ""), purpose)
        else:
            what = f"answer to: {purpose}" if purpose else "before anything was sent"
        return f"line {at + 1} of {self.count()} · {what}"

    def find(self, text: str) -> bool:
        """Put the cursor on the next line above that holds a text, from below again at the top."""
        total = self.count()
        start = self.cursor if text == self._sought else total
        self._sought = text
        self.shows_cursor = self.looking_back
        wanted = text.lower()
        order = [*range(start - 1, -1, -1), *range(total - 1, start - 1, -1)]
        found = next((i for i in order if wanted and wanted in self._emulator.text(i).lower()), None)
        if found is None:
            return False
        self._go(found)
        self.redraw()
        return True

    # -- Rows --------------------------------------------------------------------------------------
    def count(self) -> int:
        screen = self._emulator
        return screen.passed + screen.cursor.y + 1 if self._fed else 1

    def key(self, index: int) -> int:
        return index

    def on_focus(self) -> None:
        self.shows_cursor = True
        self.refresh()

    def on_blur(self) -> None:
        self.shows_cursor = bool(self._sought)
        self.refresh()

    @property
    def looking_back(self) -> bool:
        """Whether a person goes through it, so that new lines must not scroll it away."""
        return self.has_focus or bool(self._sought)

    def draw(self, index: int, width: int) -> Text:
        if not self._fed:
            return Text(f" {self._empty}", DIM)
        text = self._emulator.text(index)
        kind = self._kind(index, text)
        sign, colour = SIGN.get(kind, (" ", DIM))
        here = index == self._emulator.row
        body = Text.assemble((f"{sign} ", Style(color=colour, bold=True)), ("│ ", FAINT))
        if kind == "sent":
            split = text.find("> ") + 2 if "> " in text else 0
            body.append(text[:split], DIM).append(text[split:], Style(color=PAPER, bold=True))
        else:
            body.append(
                text,
                {"noise": DIM, "refusal": ROSE, "mended": ROSE, "evidence": PAPER}.get(
                    kind, PAPER if here else "#b9b9b0"
                ),
            )
        if self._sought:
            body.highlight_words([self._sought], Style(color=INK, bgcolor=BRASS), case_sensitive=False)
        if here:
            body.append(" " * max(0, self._emulator.cursor.x - len(text)))
            if self._emulator.cursor.x >= len(text):
                body.append("▏", BRASS)
        return body

    def _kind(self, index: int, text: str) -> str:
        kind = classify(self._terminal, text) if self._terminal is not None else LineKind.PLAIN
        if kind in (LineKind.NOISE, LineKind.REFUSAL):
            return kind.value
        if self._line is not None and text.strip() and text in self._line.evidence:
            return "evidence"
        return self._marks.get(index, "")
