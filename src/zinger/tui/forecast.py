"""Forecast: each device's way as a bar over the time to come, who waits for what, and what one more would save."""

from __future__ import annotations

import asyncio
import time
from collections import defaultdict
from collections.abc import Hashable
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import BindingType

from zinger.run.board import Mark
from zinger.run.hands import Verb
from zinger.run.outlook import awaited
from zinger.schedule.forecast import Stretch, Wait
from zinger.schedule.outlook import Outlook
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, SLATE, VIOLET, clock, fit, minutes
from zinger.tui.parts import COMMON, Headline, Watcher, ZingerScreen
from zinger.tui.rows import Rows
from zinger.wording import counted

ACTS = frozenset(verb.value for verb in Verb)
BOOTS = frozenset({"reach", "restart", "power cut and boot"})
STEPS = (30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800)
"""Seconds between two marks of the scale, the first that leaves room for its words."""


class ForecastRows(Rows):
    """A bar a device: at work, booting, hands needed, waiting; in the order in which they begin."""

    def __init__(self, ident: str = "forecast") -> None:
        super().__init__(id=ident)
        self.outlook: Outlook | None = None
        self._order: list[str] = []
        self._stretches: dict[str, list[Stretch]] = {}
        self._waits: dict[str, list[Wait]] = {}

    def show(self, outlook: Outlook | None) -> None:
        """Show this forecast; called at every tick."""
        if outlook is self.outlook:
            return
        self.outlook = outlook
        stretches: defaultdict[str, list[Stretch]] = defaultdict(list)
        waits: defaultdict[str, list[Wait]] = defaultdict(list)
        if outlook is not None:
            for stretch in outlook.forecast.stretches:
                stretches[stretch.device].append(stretch)
            for wait in outlook.forecast.waits:
                waits[wait.device].append(wait)
        self._order = list(outlook.forecast.order) if outlook else []
        self._stretches, self._waits = stretches, waits
        self.redraw()

    def count(self) -> int:
        return len(self._order) + 1 if self._order else 1

    def key(self, index: int) -> Any:
        return self._order[index - 1] if 0 < index <= len(self._order) else None

    def stamp(self, index: int) -> Hashable:
        return (self.outlook.at if self.outlook else 0, index)

    def draw(self, index: int, width: int) -> Text:
        if self.outlook is None or not self._order:
            return Text(" nothing is left to do that goes on by itself", DIM)
        name_room = min(max(map(len, self._order)), 24) + 2
        short = self.outlook.forecast.end < 20 * 60
        end_room = 10 if short else 7
        bar_room = max(10, width - name_room - end_room - 1)
        if index == 0:
            return self._scale(name_room, bar_room)
        name = self._order[index - 1]
        row = Text(f" {fit(name, name_room - 1):<{name_room - 1}}", PAPER)
        row.append_text(self._bar(name, bar_room))
        ends = self.outlook.ends_at(name)
        return row.append(f" {clock(ends, seconds=short) if ends else '':>{end_room - 1}}", DIM)

    def _scale(self, indent: int, room: int) -> Text:
        assert self.outlook is not None
        whole = max(self.outlook.forecast.end, 1.0)
        step = next((s for s in STEPS if s / whole * room >= 8), STEPS[-1])
        row = [" "] * room
        first = self.outlook.at
        at = (int(first) // step + 1) * step
        while at < first + whole:
            column = int((at - first) / whole * room)
            words = f"╵{clock(at, seconds=step < 60)}"
            if column + len(words) <= room:
                row[column : column + len(words)] = words
            at += step
        return Text(" " * indent + "".join(row), DIM)

    def _bar(self, name: str, room: int) -> Text:
        assert self.outlook is not None
        whole = max(self.outlook.forecast.end, 1.0)
        cells: list[tuple[str, str]] = [(" ", FAINT)] * room

        def paint(since: float, until: float, sign: str, colour: str) -> None:
            begin = min(room - 1, int(since / whole * room))
            for at in range(begin, max(begin + 1, min(room, int(until / whole * room)))):
                cells[at] = (sign, colour)

        for wait in self._waits.get(name, ()):
            paint(wait.since, wait.until, "·", DIM)
        for stretch in self._stretches.get(name, ()):
            sign, colour = ("╍", SLATE) if stretch.phase.what in BOOTS else ("━", BRASS)
            if stretch.phase.what not in ACTS:
                paint(stretch.since, stretch.until, sign, colour)
        for stretch in self._stretches.get(name, ()):
            if stretch.phase.what in ACTS:
                paint(stretch.since, stretch.until, "▲", VIOLET)
        text = Text()
        for sign, colour in cells:
            text.append(sign, colour)
        return text

    def reasons(self, name: str) -> list[str]:
        """Why a device waits, in words, the longest waiting first."""
        if self.outlook is None:
            return []
        waits = sorted(self._waits.get(name, ()), key=lambda wait: wait.since - wait.until)
        return [_reason(wait, self.outlook.at) for wait in waits]


def _reason(wait: Wait, at: float) -> str:
    return f"from {clock(at + wait.since)} it waits {minutes(wait.until - wait.since)} for {awaited(wait)}"


def headline_of(outlook: Outlook, waiting: int) -> str:
    """When the bench is done, and what that leaves out."""
    words = [f"done about {clock(outlook.done_at)}", f"in {minutes(outlook.done_at - time.time())}"]
    if not outlook.forecast.ends:
        words = ["nothing goes on by itself"]
    if waiting:
        words.append(f"{counted(waiting, 'device')} {'needs' if waiting == 1 else 'need'} you first")
    return " · ".join(words)


def saving_of(outlook: Outlook) -> list[str]:
    """What one more of something would save, in sentences."""
    found = [f"One more {s.title} would save about {minutes(s.seconds)}." for s in outlook.savings[:3]]
    if outlook.forecast.stuck:
        found.append(f"These wait for each other: {', '.join(outlook.forecast.stuck)}. Look at their plan.")
    return found


class Legend(Watcher):
    """What the bars mean, why the device under the cursor waits, and what would save time."""

    def __init__(self) -> None:
        super().__init__(id="forecast-note")
        self.rows: ForecastRows | None = None

    def stamp(self) -> Hashable:
        rows = self.rows
        return (rows.outlook.at, rows.selected, self.size.width) if rows and rows.outlook else None

    def render(self) -> RenderResult:
        text = Text()
        for sign, colour, word in (("━", BRASS, "at work"), ("╍", SLATE, "booting"), ("▲", VIOLET, "your hands"),
                                   ("·", DIM, "waiting")):  # fmt: skip
            text.append(f"{sign} ", Style(color=colour, bold=True)).append(f"{word}   ", DIM)
        rows = self.rows
        if rows is None or rows.outlook is None:
            return text
        text.append("\n\n")
        reasons = rows.reasons(rows.selected) if rows.selected else []
        if rows.selected:
            text.append(f"{rows.selected} ", Style(color=PAPER, bold=True))
            text.append("; ".join(reasons[:2]) if reasons else "waits for nobody", PAPER)
        for words in saving_of(rows.outlook):
            text.append(f"\n{words}", GREEN)
        return text


class ForecastScreen(ZingerScreen):
    """When the bench is done, and what it hangs on."""

    BINDINGS: ClassVar[list[BindingType]] = [*COMMON]

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, "Forecast")
        yield ForecastRows()
        yield Legend()
        yield KeysFooter()

    def on_mount(self) -> None:
        self._ahead: Outlook | None = None
        rows = self.query_one(ForecastRows)
        self.query_one(Legend).rows = rows
        rows.focus()
        if self.host.job.board.outlook is None:
            self.run_worker(self._look_ahead(), name="forecast")
        super().on_mount()

    async def _look_ahead(self) -> None:
        """Before a run, the forecast of what `go` would begin."""
        from zinger.run.outlook import bench_of
        from zinger.run.steering import not_done
        from zinger.schedule.outlook import foresee

        job = self.host.job
        bench = bench_of(job, not_done(job), pace=self.host.running.pace)
        self._ahead = await asyncio.to_thread(foresee, bench, time.time())

    def follow(self) -> None:
        board = self.host.job.board
        outlook = board.outlook or self._ahead
        rows = self.query_one(ForecastRows)
        rows.show(outlook)
        headline = self.headline()
        if outlook is not None:
            waiting = sum(1 for line in board.lines.values() if line.mood is Mark.NEEDS_YOU)
            words = headline_of(outlook, waiting)
            started = board.outlook is not None
            headline.detail = words if started or not outlook.forecast.ends else f"if begun now: {words}"
        headline.look()
        self.query_one(Legend).look()

    @property
    def device(self) -> str | None:
        """The device under the cursor."""
        return next((rows.selected for rows in self.query(ForecastRows)), None)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.host.open_wire(event.key)
