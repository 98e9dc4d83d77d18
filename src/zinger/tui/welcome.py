"""Welcome and new job: recent jobs, and the three ways to begin: from a sheet, from nothing, or with the demo."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Input, Static

from zinger.desk.incoming import Incoming
from zinger.desk.jobs import RecentJob, begin_empty, recent_jobs
from zinger.run.board import Mark
from zinger.store.folder import JobFolderError
from zinger.tui.choosing import PathSuggester
from zinger.tui.dialogs import message
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, GREEN, PAPER, SHAPE, SLATE, VIOLET, fit, home_short
from zinger.tui.parts import PlainScreen
from zinger.tui.rows import Rows
from zinger.wording import counted


@dataclass(frozen=True)
class Way:
    """One way to begin."""

    key: str
    title: str
    what: str


WAYS = (
    Way("n", "a new job", "from somebody's sheet, or from nothing"),
    Way("d", "the demo", "sixteen made-up devices of the Kettlestone Valley Railway, on simulated hardware"),
    Way("o", "open a folder", "a job that is not in the list"),
)


class Jobs(Rows):
    """Recent jobs, then the ways to begin."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "open")]

    def __init__(self, jobs: list[RecentJob], standing: Callable[[Path], Mapping[str, int]]) -> None:
        super().__init__(id="jobs")
        self._standing = standing
        self.items: list[RecentJob | Way | str] = []
        if jobs:
            self.items += ["recent jobs", *jobs, ""]
        self.items += ["begin", *WAYS]

    def count(self) -> int:
        return len(self.items)

    def key(self, index: int) -> Any:
        return None if isinstance(self.items[index], str) else self.items[index]

    def stamp(self, index: int) -> Hashable:
        item = self.items[index]
        return (index, *(self._standing(item.path).items() if isinstance(item, RecentJob) else ()))

    def draw(self, index: int, width: int) -> Text:
        item = self.items[index]
        if isinstance(item, str):
            return Text(f" {item}", Style(color=GREEN, bold=True))
        if isinstance(item, Way):
            text = Text("  ").append(f" {item.key} ", Style(color=BRASS, bold=True)).append(f"{item.title:<18}", PAPER)
            return text.append(fit(item.what, width - 26), DIM)
        title = max(20, min(40, width // 3))
        text = Text("   ").append(f"{fit(item.title, title - 2):<{title}}", Style(color=PAPER, bold=True))
        text.append(f"{counted(item.devices, 'device'):>12}  ", DIM)
        text.append(f"{'live' if item.live else 'practice':<10}", VIOLET if item.live else SLATE)
        text.append_text(in_small(self._standing(item.path) or item.counts, item.devices))
        text.append(time.strftime("  %Y-%m-%d  ", time.localtime(item.at)), DIM)
        return text.append(fit(home_short(item.path), width - text.cell_len - 1), DIM)


SMALL = 16
"""Columns in which a job's devices stand in the list."""
STATES = (("needs you", Mark.NEEDS_YOU), ("differs", Mark.DIFFERS), ("under way", Mark.NOW),
          ("configured", Mark.CONFIGURED), ("proved", Mark.PROVED))  # fmt: skip


def in_small(counts: Mapping[str, int], devices: int) -> Text:
    """How a job's devices stand: a shape a device, or as many as stand for it, what needs somebody first."""
    if not counts:
        return Text(" " * SMALL)
    text, share = Text(), max(1.0, devices / SMALL)
    for state, mark in STATES:
        sign, colour = SHAPE[mark]
        text.append(sign * -(-counts.get(state, 0) // math.ceil(share)), colour)
    ahead = max(0, min(SMALL, math.ceil(devices / share)) - text.cell_len)
    text.append(SHAPE[Mark.AHEAD][0] * ahead, SHAPE[Mark.AHEAD][1])
    text.truncate(SMALL, pad=True)
    return text


class Welcome(PlainScreen):
    """What Zinger shows when no job is open."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("n", "new", "new job"),
        Binding("d", "demo", "demo"),
        Binding("o", "folder", "open a folder"),
        Binding("q", "app.leave", "quit"),
        Binding("question_mark", "app.help", "help"),
        Binding("escape", "close", "close", show=False),
    ]

    def __init__(self) -> None:
        super().__init__("welcome", "from the box to a proved baseline")

    def compose(self) -> ComposeResult:
        yield self.title_line()
        yield Static(id="welcome-line")
        yield Input(
            placeholder="the job's folder; Enter opens it, Escape closes this line",
            id="folder",
            suggester=PathSuggester(),
        )
        yield Jobs(recent_jobs(), self.host.standing)
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one("#folder").display = False
        line = Text("\n  ●━━━━", GREEN).append("●━━━━", GREEN).append("◐┄┄┄┄", BRASS).append("○┄┄┄┄○", DIM)
        line.append("   plan, plug in, watch, prove, hand over\n", DIM)
        self.query_one("#welcome-line", Static).update(line)
        jobs = self.query_one(Jobs)
        jobs.redraw()
        jobs.focus()
        self.set_interval(1.0, jobs.redraw_changed)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.action_open()

    def action_open(self) -> None:
        """Open the job, or take the way, under the cursor."""
        item = self.query_one(Jobs).selected
        if isinstance(item, RecentJob):
            self.host.open_job(item.path)
        elif isinstance(item, Way):
            ways: dict[str, Callable[[], None]] = {"n": self.action_new, "d": self.action_demo, "o": self.action_folder}
            ways[item.key]()

    def action_new(self) -> None:
        """Begin a new job."""
        self.app.push_screen(NewJob())

    def action_demo(self) -> None:
        """Open a fresh demo job."""
        self.host.open_demo()

    def action_folder(self) -> None:
        """Type a folder."""
        box = self.query_one("#folder", Input)
        box.display = True
        self.set_focus(box)

    def action_close(self) -> None:
        """Close the line; without one, back to the job that is open."""
        box = self.query_one("#folder")
        if not box.display and self.host.has_job:
            self.app.pop_screen()
            return
        box.display = False
        self.query_one(Jobs).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.value.strip():
            self.host.open_job(Path(event.value.strip()))


class NewJob(PlainScreen):
    """A new job: its name, its folder, and the sheet to begin from, or none."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "app.back", "back"),
        Binding("ctrl+s", "make", "make it", priority=True),
    ]

    def __init__(self) -> None:
        super().__init__("new job", "")

    def compose(self) -> ComposeResult:
        yield self.title_line()
        yield Static(Text("\n  What it is called, for screens and papers\n", DIM))
        yield Input(placeholder="winter renewal", id="job-name")
        yield Static(Text("\n  Its folder, which is made\n", DIM))
        yield Input(placeholder="~/jobs/winter-renewal", id="job-folder")
        yield Static(Text("\n  Somebody's build sheet (.csv .xlsx .yaml .json); empty to begin from nothing\n", DIM))
        yield Input(placeholder="~/Downloads/stations.xlsx", id="job-sheet", suggester=PathSuggester())
        yield Static(id="job-note")
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one("#job-name").focus()

    def _say(self, words: str, colour: str) -> None:
        self.query_one("#job-note", Static).update(Text(f"\n{words}", colour))

    def on_input_changed(self, event: Input.Changed) -> None:
        if event.input.id == "job-name":
            slug = "-".join("".join(c if c.isalnum() else " " for c in event.value.lower()).split())
            self.query_one("#job-folder", Input).placeholder = f"~/jobs/{slug or 'winter-renewal'}"

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.input.id == "job-sheet":
            self.action_make()
        else:
            self.set_focus(self.query_one("#job-folder" if event.input.id == "job-name" else "#job-sheet"))

    def on_descendant_focus(self, event: events.DescendantFocus) -> None:
        """Say what the line under the cursor is for."""
        hints = {
            "job-name": "Enter goes on to the folder.",
            "job-folder": "Empty takes the folder that is shown.",
            "job-sheet": "Enter makes the job; of a sheet, its headings are shown first.",
        }
        if (hint := hints.get(event.widget.id or "")) is not None:
            self._say(f"  {hint}", DIM)

    def action_make(self) -> None:
        """Make the job, or look at its sheet first."""
        name = self.query_one("#job-name", Input).value.strip()
        box = self.query_one("#job-folder", Input)
        folder = Path(box.value.strip() or box.placeholder).expanduser()
        sheet = self.query_one("#job-sheet", Input).value.strip()
        if not name:
            self._say("  Give the job a name first.", BRASS)
            self.query_one("#job-name").focus()
            return
        if (folder / "job.yaml").exists():
            self._say(f"  {folder} is a job already; give another folder.", BRASS)
            box.focus()
            return
        if sheet:
            self.host.open_import(Incoming(folder, name, Path(sheet).expanduser()))
            return
        try:
            begin_empty(folder, name)
        except JobFolderError as error:
            self.app.push_screen(message("The job was not made", str(error)))
            return
        self.host.open_job(folder)
