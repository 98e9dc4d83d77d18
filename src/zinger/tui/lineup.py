"""DeviceLine-up: every device is a line with its settings as stops. Home.

Four questions without a key: which are done, what is each waiting for, what must my hands do now, and
what it shows on the wire.
"""

from __future__ import annotations

import time
from collections.abc import Hashable, Sequence
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.widget import Widget
from textual.widgets import Static

from zinger.run.board import Board, DeviceLine, Mark
from zinger.tui.console import Console
from zinger.tui.filter_box import FilterBox
from zinger.tui.footer import KeysFooter
from zinger.tui.forecast import ForecastRows
from zinger.tui.hands import HandsList, HandsTitle, do_act, open_act
from zinger.tui.linemap import HIGH, SITE, WIDE, LineMap, Track
from zinger.tui.look import BRASS, DIM, MOOD, PAPER, SLATE, clauses_fitting, legend, minutes
from zinger.tui.parts import Headline, Watcher, ZingerScreen
from zinger.tui.recalling import Recalling
from zinger.tui.rows import Rows
from zinger.tui.steering import steer, steer_by_hand

TILES, TILE_ROWS = 4, 7
"""So many wires at most stand one below the other, and the rows that each needs."""


class LineUp(ZingerScreen):
    """The home screen."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("g", "app.go", "go", tooltip="carry what is not done to a proved baseline, and nothing else"),
        Binding("enter", "wire", "wire", show=False, tooltip="the wire of the device under the cursor"),
        Binding("w", "wire", "wire", show=False, tooltip="the same, as on other screens"),
        Binding("e", "app.plan", "plan", tooltip="look at the plan and edit it"),
        Binding("r", "preview", "preview", tooltip="what will be sent to it, before it is sent"),
        Binding("p", "proof", "proof", tooltip="what was planned, and what was read back"),
        Binding("n", "next", "next problem", tooltip="who needs you longest, then what differs"),
        Binding("o", "steer", "one device", tooltip="start, stop, prove, leave out: it, or the selected ones"),
        Binding("space", "choose", "select", show=False, tooltip="several devices; o is about all of them"),
        Binding("q", "app.leave", "quit", tooltip="asks first where a conversation is under way"),
        Binding("question_mark", "app.help", "help", tooltip="this help"),
        Binding("slash", "filter", "filter", tooltip="by name, family, site or state"),
        Binding("h", "app.handover", "handover", tooltip="the papers and exports: look at them, write them"),
        Binding("t", "app.forecast", "forecast", tooltip="when the bench is done, and who waits for what"),
        Binding(
            "k", "app.credentials", "credentials", show=False, tooltip="accounts, passwords, when they were proved"
        ),
        Binding("y", "whose_hands", "hands", show=False, tooltip="in practice: you do what hands must do, or the yard"),
        Binding("b", "app.ring", "bell", show=False, tooltip="ring, and tell the desktop, when a device needs you"),
        Binding("d", "dense", "dense", tooltip="more devices on the screen, or more room for each"),
        Binding("f", "card", "factory card", show=False, tooltip="how its family comes out of its carton"),
        Binding("escape", "app.back", "clear filter", show=False),
        *[Binding(str(n), f"done('{n}')", show=False) for n in range(10)],
    ]

    _led_to = ""
    """The device to which `n` led last."""

    def compose(self) -> ComposeResult:
        board = self.host.job.board
        yield Headline(board)
        yield FilterBox(LineMap, "name, family, site or state")
        yield Labels(board)
        yield LineMap(board)
        with Horizontal(id="below"):
            with Vertical(id="hands"):
                yield HandsTitle(self._did)
                yield HandsList()
            with Vertical(id="preview"):
                for number in range(TILES):
                    yield WireTitle(classes="further" if number else "")
                    yield Console()
            with Vertical(id="ahead"):
                yield Static(
                    Text.assemble(("ahead", Style(color=BRASS, bold=True)), (" · t tells more", DIM)), id="ahead-title"
                )
                yield ForecastRows("lineup-forecast")
        yield KeysFooter()

    def on_mount(self) -> None:
        lines = self.query_one(LineMap)
        lines.lay_out()
        lines.focus()
        self._tiled: list[str] = []
        self._recalling = Recalling(self, lambda: self.host.job)
        self.app.app_resume_signal.subscribe(self, lambda app: self._recalling.forget())
        super().on_mount()

    def on_resize(self) -> None:
        self.query_one("#ahead").display = self.app.size.width >= WIDE
        self.query_one(LineMap).lay_out()

    def follow(self) -> None:
        lines = self.query_one(LineMap)
        lines.see_board()
        self.headline().look()
        hands, title = self.query_one(HandsList), self.query_one(HandsTitle)
        hands.hands = title.hands = self.host.running.run.hands if self.host.running.run else None
        hands.look()
        title.look()
        if hands.has_focus and not hands.shows_cursor:
            lines.focus()  # nothing is left to do there: the keys would go nowhere
        board = self.host.job.board
        line = self._recalling.line(hands.device) or self._recalling.line(lines.selected or "")
        if self.app.size.width >= WIDE:
            self.query_one(ForecastRows).show(board.outlook)
        self._tile(line)

    def _tile(self, line: DeviceLine | None) -> None:
        """The wire of the device under the cursor, and below it as many others as there is room for."""
        room = self.query_one("#preview").size.height // TILE_ROWS if self.app.size.height >= HIGH else 1
        board = self.host.job.board
        lines = list(board.lines.values())
        at = lines.index(line) + 1 if line in lines else 0
        waiting = [other.device.name for other in board.queue() if other is not line]
        after = (other for other in (*lines[at:], *lines[:at]) if other is not line)
        going = [other.device.name for other in after if other.active and other.place]
        self._tiled = tiled(self._tiled, waiting, going, max(1, min(TILES, room)) - 1)
        shown = [line, *(board.lines.get(name) for name in self._tiled)]
        for number, (head, console) in enumerate(zip(self.query(WireTitle), self.query(Console), strict=True)):
            head.display = console.display = number < len(shown)
            if number < len(shown):
                head.line = shown[number]
                head.look()
                console.show(head.line, self.host.terminal(head.line))

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if isinstance(event.rows, ForecastRows):
            self.host.open_wire(event.key)
        elif isinstance(event.rows, HandsList):
            if event.rows.hands is not None:
                open_act(self, event.rows.hands, event.key)
        else:
            self.action_wire()

    def action_choose(self) -> None:
        """Select the device under the cursor, or no more; on a site, all of its devices."""
        lines = self.query_one(LineMap)
        if str(lines.selected or "").startswith(SITE):
            key = lines.selected.removeprefix(SITE)
            lines.chosen ^= {n for n, line in lines.board.lines.items() if line.device.site.key == key}
            lines.redraw_changed()
        elif lines.selected:
            lines.chosen ^= {lines.selected}
            lines.redraw_changed()

    def action_steer(self) -> None:
        """What can be done with the device under the cursor, or with the selected ones."""
        lines = self.query_one(LineMap)
        names = [name for name in self.host.job.board.lines if name in lines.chosen]
        if not names and lines.selected in self.host.job.board.lines:
            names = [lines.selected]
        if names:
            steer(self, names, lines.chosen.clear)
        elif lines.selected:
            steer_by_hand(self, lines.selected)

    def action_wire(self) -> None:
        """Open the wire of the device under the cursor."""
        if name := self.query_one(LineMap).device:
            self.host.open_wire(name)

    def action_proof(self) -> None:
        """Open the proof of the device under the cursor."""
        if name := self.query_one(LineMap).device:
            self.host.open_proof(name)

    def action_preview(self) -> None:
        """Preview what will be sent."""
        if name := self.query_one(LineMap).device:
            self.host.open_preview(name)

    def action_card(self) -> None:
        """The factory card of the device's family."""
        if name := self.query_one(LineMap).device:
            self.host.open_card(self.host.job.plan.device(name).family)

    @property
    def device(self) -> str | None:
        """The hostname under the cursor; none before anything is drawn, or on a site's row."""
        return next((lines.device for lines in self.query(LineMap)), None)

    def take_board(self, board: Board) -> None:
        super().take_board(board)
        self.query_one(Labels).board = board
        lines = self.query_one(LineMap)
        here, lines.board = lines.selected, board
        lines.lay_out()
        if here is not None:
            lines.select(self.host.job.called_now(here))

    def action_next(self) -> None:
        """Jump to the next device that needs a person, and say what can be done for it."""
        lines = self.query_one(LineMap)
        found = self.host.job.board.queue()
        if not found:
            self.notify("nothing needs you")
            return
        names = [line.device.name for line in found]
        went_on = lines.selected == self._led_to and self._led_to in names  # else it begins with who waits longest
        name = self._led_to = names[(names.index(self._led_to) + 1) % len(names) if went_on else 0]
        lines.select(name)
        if self.host.job.board.lines[name].mood is Mark.NEEDS_YOU and not self.host.job.board.lines[name].person_has_it:
            steer(self, [name], lambda: None)

    def action_dense(self) -> None:
        """One row a device, or roomy."""
        lines = self.query_one(LineMap)
        lines.dense = not lines.dense
        lines.lay_out()

    def action_filter(self) -> None:
        """Filter the lines by typing."""
        self.query_one(FilterBox).begin()

    def on_filter_box_wanted(self, event: FilterBox.Wanted) -> None:
        lines = self.query_one(LineMap)
        lines.wanted = event.words
        lines.lay_out()

    def back(self) -> bool:
        """The line-up is the first screen: Escape clears the filter."""
        self.close_filter()
        return True

    def close_filter(self) -> bool:
        """Clear and hide the filter; whether there was one."""
        return self.query_one(FilterBox).end()

    def action_whose_hands(self) -> None:
        """In practice, leave the acts of hands to the person, or to the yard."""
        self.notify(self.host.running.leave_hands())

    def action_done(self, digit: str) -> None:
        """The person did the act of the hands list whose number this is, or begins with it."""
        self.query_one(HandsTitle).digit(digit)

    def _did(self, number: int) -> None:
        if self.host.running.run:
            do_act(self, self.host.running.run.hands, number)


class Labels(Widget):
    """The stops' names over the lines; in narrow terminals, the legend."""

    def __init__(self, board: Board) -> None:
        super().__init__(id="labels")
        self.board = board

    def render(self) -> RenderResult:
        labels = Track(self.size.width - 1, self.board).labels()
        return Text.assemble("\n", " ", labels) if labels else Text.assemble("\n", " ", legend(self.size.width))


def tiled(before: Sequence[str], waiting: Sequence[str], going: Sequence[str], room: int) -> list[str]:
    """Which devices the further wires show: who needs a person first; who goes on being shown keeps its place."""
    chosen = list(waiting[:room])
    for names in ([name for name in before if name in going], going):
        chosen += [name for name in dict.fromkeys(names) if name not in chosen][: room - len(chosen)]
    new = iter([name for name in chosen if name not in before[:room]])
    places = [name if name in chosen else "" for name in before[:room]]
    places += [""] * (len(chosen) - len(places))
    return [name for name in (name or next(new, "") for name in places) if name]


class WireTitle(Watcher):
    """What the wire below belongs to, where it is, and what it waits for."""

    line: DeviceLine | None = None

    def stamp(self) -> Hashable:
        line = self.line
        return line and (line.device.name, line.version, int(time.time() - line.waits_since), self.size.width)

    def render(self) -> RenderResult:
        text = Text().append("wire", Style(color=BRASS, bold=True))
        if self.line is None:
            return text
        text.append(f" · {self.line.device.name}", PAPER)
        if self.line.place:
            text.append(f" · {self.line.place.replace('_', ' ')}", SLATE)
        if self.line.recorded and not self.line.active:
            text.append(f"   the end of its recording of {self.line.recorded}", DIM)
        if self.line.waits_for and self.line.active:
            text.append(f"   {self.line.waits_for}, {minutes(time.time() - self.line.waits_since)}", DIM)
        if self.line.mood in (Mark.NEEDS_YOU, Mark.DIFFERS):  # its line above may be too short for all of it
            text.append(f"\n{clauses_fitting(self.size.width, self.line.sentence)}", MOOD[self.line.mood])
        return text
