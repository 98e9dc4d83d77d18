"""Recordings: what was recorded of one device, played back on the same console at any speed."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.widget import Widget

from zinger.desk.lastseen import recordings_of
from zinger.desk.playback import Playback
from zinger.run.board import DeviceLine
from zinger.store.recording import RecordingError
from zinger.store.transcript import Transcript
from zinger.tui.console import Console
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, SLATE, fit, minutes
from zinger.tui.parts import COMMON, DeviceScreen, Headline
from zinger.tui.rows import Rows


@dataclass
class Played:
    """What the console needs to know of a recording, as it would of a live line."""

    transcript: Transcript
    evidence: set[str] = field(default_factory=set)
    version: int = 0


class Files(Rows):
    """The recordings of a device, the latest first."""

    def __init__(self, device: str, folder: Path) -> None:
        super().__init__(id="files")
        self.files = recordings_of(folder, device)

    def count(self) -> int:
        return max(1, len(self.files))

    def key(self, index: int) -> Any:
        return self.files[index] if self.files else None

    def draw(self, index: int, width: int) -> Text:
        if not self.files:
            return Text(" nothing was recorded of it yet", DIM)
        file = self.files[index]
        begun = time.strftime("%Y-%m-%d %H:%M", time.localtime(file.stat().st_mtime))
        size = f"{file.stat().st_size / 1024:.0f} KB"
        return Text.assemble((f" {begun} ", PAPER), (f" {_way(file):<9}", SLATE), (fit(size, max(4, width - 30)), DIM))


def _way(file: Path) -> str:
    """Over what it was recorded, by its name."""
    return "bare" if file.name.startswith("bare-") else file.stem.rsplit("-", 1)[-1]


class Bar(Widget):
    """Where in the recording it stands: time, speed, a bar with the marks, and what was being done."""

    def __init__(self, of: Recordings) -> None:
        super().__init__(id="playbar")
        self.of = of

    def render(self) -> RenderResult:
        played = self.of.played
        if played is None:
            return Text(f" {self.of.trouble or 'Enter plays the recording under the cursor'}", DIM)
        width = max(10, self.size.width - 4)
        done = round(width * played.position / played.length) if played.length else width
        marks = {round((width - 1) * at / played.length) for at, _ in played.markers} if played.length else set()
        text = Text.assemble(
            "  ",
            ("▶ " if played.playing else "‖ ", Style(color=BRASS, bold=True)),
            (f"{minutes(played.position)} of {minutes(played.length)}", PAPER),
            (f"   ×{played.speed:g}", SLATE),
            (f"   {played.doing}", GREEN),
            "\n  ",
        )
        for cell in range(width):
            lit = cell < done
            text.append("┃" if cell in marks else "━" if lit else "─", BRASS if lit else FAINT)
        return text


class Recordings(DeviceScreen):
    """The recordings of one device."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "play", "play"),
        Binding("space", "pause", "pause / go on"),
        Binding("plus,equals_sign", "speed(1)", "faster", key_display="+"),
        Binding("minus", "speed(-1)", "slower", key_display="-"),
        Binding("right", "seek(10)", "10 s on", key_display="→"),
        Binding("left", "seek(-10)", "10 s back", key_display="←"),
        Binding("n", "mark(1)", "next thing sent"),
        Binding("b", "mark(-1)", "the one before"),
        *COMMON,
    ]

    def __init__(self, line: DeviceLine, folder: Path) -> None:
        super().__init__(line)
        self.folder = folder
        self.played: Playback | None = None
        self.trouble = ""
        self._seen = time.monotonic()
        self._shown = Played(Transcript())

    def beside(self, line: DeviceLine) -> DeviceScreen:
        return Recordings(line, self.folder)

    def _show_as_planned(self) -> None:
        """What was recorded is the same under any plan."""

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, f"recordings of {self.device}", self.line.family)
        with Horizontal(id="wire-body"):
            yield Files(self.device, self.folder)
            with Vertical(id="frame"):
                yield Console(id="console", empty="Enter plays the recording under the cursor")
        yield Bar(self)
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one(Files).focus()
        super().on_mount()

    def follow(self) -> None:
        now = time.monotonic()
        passed, self._seen = now - self._seen, now
        self.headline().look()
        if self.played is None:
            return
        self.played.pass_time(passed)
        if self._shown.transcript is not self.played.transcript:
            self._shown = Played(self.played.transcript)
        terminal = self.host.job.books[self.line.device.family].terminal
        self.query_one("#console", Console).show(self._shown, terminal)
        self.query_one(Bar).refresh()

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.action_play()

    def action_play(self) -> None:
        """Play the recording under the cursor from its beginning."""
        file = self.query_one(Files).selected
        if file is None:
            return
        try:
            self.played, self.trouble = Playback.of(file), ""
        except RecordingError as error:
            self.played, self.trouble = None, str(error)
        self._seen = time.monotonic()
        self.query_one(Bar).refresh()

    def action_pause(self) -> None:
        """Stop, or go on; at the end, from the beginning."""
        if self.played is not None:
            if self.played.position >= self.played.length:
                self.played.seek(0)
            self.played.playing = not self.played.playing

    def action_speed(self, by: int) -> None:
        """Faster or slower."""
        if self.played is not None:
            self.played.faster(by)

    def action_seek(self, by: int) -> None:
        """Forwards or back."""
        if self.played is not None:
            self.played.seek(self.played.position + by)

    def action_mark(self, by: int) -> None:
        """The next thing that was sent, or the one before."""
        if self.played is not None:
            self.played.step_marker(by)
