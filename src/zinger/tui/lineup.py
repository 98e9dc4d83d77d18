"""DeviceLine-up: every device is a line with its settings as stops. Home.

Four questions without a key: which are done, what is each waiting for, what must my hands do now, and
what it shows on the wire.
"""

from __future__ import annotations

import time
from collections.abc import Hashable, Mapping
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.widget import Widget
from textual.widgets import Footer

from zinger.plan.setting import Stop
from zinger.run.board import Board, DeviceLine, Mark
from zinger.talk.events import Waiting
from zinger.tui.console import Console
from zinger.tui.filter_box import FilterBox
from zinger.tui.hands import HandsList, HandsTitle, do_act, open_act
from zinger.tui.look import (
    BRASS,
    DIM,
    FAINT,
    MOOD,
    PAPER,
    SHAPE,
    SLATE,
    TRACK,
    VIOLET,
    first_fitting,
    fit,
    legend,
    minutes,
    shape,
)
from zinger.tui.parts import Headline, Watcher, ZingerScreen
from zinger.tui.rows import Rows
from zinger.tui.steering import steer

STOPS = list(Stop)


class Track:
    """How the stops are laid out in a width: where each stands, and how wide names and sentences are."""

    def __init__(self, width: int, board: Board) -> None:
        self.width = width
        names = [*board.lines, *(d.name for d, _ in board.planned)]
        families = [*(x.family for x in board.lines.values()), *(title for _, title in board.planned)]
        longest = max(map(len, names), default=8)
        self.name = min(longest, 24 if width >= 110 else 16) + 2
        self.family = 2 + max(map(len, families), default=0) if width >= 100 else 0
        self.pitch = 2 if width < 100 else max(3, min(9, (width - self.name - self.family - 40) // len(STOPS)))
        self.start = 1 + self.name + self.family
        self.sentence = self.start + self.pitch * (len(STOPS) - 1) + 4

    def draw(self, line: DeviceLine) -> Text:
        """The line of stops."""
        text = Text()
        marks = [line.stops[stop] for stop in STOPS]
        for index, mark in enumerate(marks):
            following = next((m for m in marks[index + 1 :] if m is not Mark.NONE), Mark.AHEAD)
            track = TRACK.get(following, "┄")
            colour = FAINT if following is Mark.AHEAD else SHAPE[following][1]
            text.append_text(Text(track, colour) if mark is Mark.NONE else shape(mark))
            if index < len(marks) - 1:
                text.append(track * (self.pitch - 1), colour)
        return text

    def labels(self) -> Text:
        """The stops' names above the lines, each centred on its stop when there is room."""
        if self.pitch < 5:
            return Text()
        row = [" "] * (self.sentence + 8)
        for index, stop in enumerate(STOPS):
            word = stop.value if len(stop.value) < self.pitch else stop.short
            at = self.start + index * self.pitch - len(word) // 2
            row[at : at + len(word)] = word
        return Text("".join(row), DIM)


class LineMap(Rows):
    """The lines, grouped by site; roomy when there is space, one row a device when there is not."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "wire")]

    def __init__(self, board: Board) -> None:
        super().__init__(id="lines")
        self.board = board
        self.wanted = ""
        self.dense = False
        self.chosen: set[str] = set()
        self._laid: Mapping[str, DeviceLine] = {}
        self._items: list[tuple[str, DeviceLine | None, str]] = []
        self._track: Track | None = None

    def lay_out(self) -> None:
        """Work out which rows there are; the cursor stays on its device if that is still there."""
        before = self.selected if self.cursor < len(self._items) else None
        self._laid = self.board.lines
        self.chosen &= set(self.board.lines)
        lines = [x for name, x in self.board.lines.items() if self._wanted(name, x)]
        sites: dict[str, list[DeviceLine]] = {}
        for line in lines:
            sites.setdefault(line.device.site.key, []).append(line)
        planned = [
            (d, title) for d, title in self.board.planned if self._matches(f"{d.name} {title} {d.site.name} planned")
        ]
        for device, _ in planned:
            sites.setdefault(device.site.key, [])
        roomy = not self.dense and self.app.size.height >= 30 and 3 * len(lines) + 3 * len(sites) + len(planned) < 30
        self._items = []
        order = self.board.site_order
        for key, group in sorted(sites.items(), key=lambda site: order.index(site[0])):
            only = [(d, title) for d, title in planned if d.site.key == key]
            site = group[0].device.site if group else only[0][0].site
            if self._items:
                self._items.append(("blank", None, ""))
            self._items.append(("site", None, f"{site.name}|{site.subnet or ''}"))
            for line in group:
                self._items.append(("line", line, ""))
                if roomy:
                    self._items += [("caption", line, ""), ("blank", None, "")]
            self._items += [("planned", None, f"{d.name}|{title}") for d, title in only]
        self.cursor = next((i for i in range(len(self._items)) if before and self.key(i) == before), 0)
        self.redraw()

    def see_board(self) -> None:
        """Draw what changed; lines that are others now are laid out anew."""
        if self._laid is not self.board.lines:
            self.lay_out()
        self.redraw_changed()

    def _wanted(self, name: str, line: DeviceLine) -> bool:
        text = f"{name} {line.family} {line.device.site.name} {line.sentence}".lower()
        return self._matches(text)

    def _matches(self, text: str) -> bool:
        return all(word in text.lower() for word in self.wanted.lower().split())

    def count(self) -> int:
        return len(self._items)

    def key(self, index: int) -> Any:
        kind, line, text = self._items[index]
        if kind == "planned":
            return text.partition("|")[0]
        return line.device.name if line is not None and kind == "line" else None

    def stamp(self, index: int) -> Hashable:
        kind, line, text = self._items[index]
        if line is None:
            return (kind, text)
        turning = {Mark.NOW: int(time.time() * 2.5), Mark.NEEDS_YOU: _blink()}.get(line.mood, 0)
        return (kind, line.device.name, line.version, turning, line.device.name in self.chosen)

    def draw(self, index: int, width: int) -> Text:
        kind, line, text = self._items[index]
        if kind == "site":
            name, _, subnet = text.partition("|")
            return Text.assemble((name, Style(color=PAPER, bold=True)), (f"  {subnet}", DIM))
        if kind == "planned":
            name, _, family = text.partition("|")
            return self._planned(name, family, width)
        if line is None:
            return Text()
        if self._track is None or self._track.width != width:
            self._track = Track(width, self.board)
        track = self._track
        return self._line(line, track, width) if kind == "line" else self._caption(line, track, width)

    def _line(self, line: DeviceLine, track: Track, width: int) -> Text:
        row = Text().append("▪" if line.device.name in self.chosen else " ", VIOLET)
        row.append(
            f"{fit(line.device.name, track.name - 1):<{track.name}}",
            Style(color=PAPER, bold=line.mood is not Mark.AHEAD),
        )
        row.append(f"{line.family:<{track.family}}" if track.family else "", DIM)
        row.append_text(track.draw(line))
        row.append("   ")
        room = width - track.sentence
        needs = line.mood is Mark.NEEDS_YOU
        row.append(sentence(line, room), Style(color=MOOD[line.mood], bold=needs, reverse=needs and _blink()))
        return row

    def _planned(self, name: str, family: str, width: int) -> Text:
        """A device that is not spoken to: no track, and why."""
        if self._track is None or self._track.width != width:
            self._track = Track(width, self.board)
        track = self._track
        row = Text().append(f" {fit(name, track.name - 1):<{track.name}}", DIM)
        row.append(f"{family:<{track.family}}" if track.family else "", DIM)
        row.append_text(Text("┄" * (track.pitch * (len(STOPS) - 1) + 1), FAINT))
        return row.append(fit("   planned only, no phrasebook yet", width - track.sentence + 3), DIM)

    def _caption(self, line: DeviceLine, track: Track, width: int) -> Text:
        where = line.device.location or line.device.serial
        row = Text().append(f"  {fit(where, track.start - 4):<{track.start - 2}}", DIM)
        if line.mood in (Mark.NEEDS_YOU, Mark.DIFFERS) and len(line.sentence) > width - track.sentence:
            return row.append(fit(line.sentence, width - track.start), MOOD[line.mood])
        now = next((p for p in line.steps if p.mark is Mark.NOW), None)
        if now is None:
            return row
        at = STOPS.index(now.stop) * track.pitch
        words = f"╰ {now.title} {now.value}"
        at = max(0, min(at, width - track.start - len(words) - 1))
        return row.append(" " * at).append(fit(words, width - track.start - at), BRASS)


def _blink() -> bool:
    """Only what needs a person blinks, slowly."""
    return int(time.time() * 1.2) % 2 == 0


def sentence(line: DeviceLine, room: int) -> str:
    """The words on the right, with the time left where it is known; where room is short, what matters least goes."""
    if line.mood is not Mark.NOW or line.ended is not None:
        return fit(line.sentence, room)
    short = line.sentence.partition(" after ")[0]
    if line.waiting is Waiting.BOOT and line.expected_end is not None:
        left = line.expected_end - time.time()
        late = -left > 0.5 * (line.expected_end - line.waits_since)
        ending = f"about {minutes(left)} left" if left > 0 else "longer than usual" if late else "any moment now"
        ends = ending.removeprefix("about ")
        return first_fitting(
            room, f"{line.sentence} · {ending}", f"{line.sentence} · {ends}", f"{short} · {ends}", short
        )
    waited = time.time() - line.waits_since
    return first_fitting(room, *([f"{line.sentence} · {minutes(waited)}"] if waited >= 2 else []), line.sentence, short)


class LineUp(ZingerScreen):
    """The home screen."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("g", "app.go", "go", tooltip="carry what is not done to a proved baseline, and nothing else"),
        Binding("enter", "wire", "wire", show=False, tooltip="the wire of the device under the cursor"),
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
        Binding("w", "app.forecast", "when", tooltip="the forecast: when the bench is done, and who waits for what"),
        Binding(
            "k", "app.credentials", "keys", show=False, tooltip="accounts and passwords, and when they were proved"
        ),
        Binding("y", "whose_hands", "hands", show=False, tooltip="in practice: you do what hands must do, or the yard"),
        Binding("b", "app.ring", "bell", show=False, tooltip="ring, and tell the desktop, when a device needs you"),
        Binding("d", "dense", "dense", tooltip="more devices on the screen, or more room for each"),
        Binding("f", "card", "factory card", show=False, tooltip="how its family comes out of its carton"),
        Binding("escape", "app.back", "clear filter", show=False),
        *[Binding(str(n), f"done({n})", show=False) for n in range(1, 10)],
    ]

    def compose(self) -> ComposeResult:
        board = self.host.job.board
        yield Headline(board)
        yield FilterBox(LineMap, "name, family, site or state")
        yield Labels(board)
        yield LineMap(board)
        with Horizontal(id="below"):
            with Vertical(id="hands"):
                yield HandsTitle()
                yield HandsList()
            with Vertical(id="preview"):
                yield WireTitle()
                yield Console(id="preview-console")
        yield Footer()

    def on_mount(self) -> None:
        lines = self.query_one(LineMap)
        lines.lay_out()
        lines.focus()
        super().on_mount()

    def on_resize(self) -> None:
        self.query_one(LineMap).lay_out()

    def follow(self) -> None:
        lines = self.query_one(LineMap)
        lines.see_board()
        self.headline().look()
        hands, title = self.query_one(HandsList), self.query_one(HandsTitle)
        hands.hands = title.hands = self.host.running.run.hands if self.host.running.run else None
        hands.look()
        title.look()
        board = self.host.job.board
        line = board.lines.get(hands.device) or board.lines.get(lines.selected or "")
        self.query_one(WireTitle).line = line
        self.query_one(WireTitle).look()
        self.query_one("#preview-console", Console).show(line, self.host.terminal(line))

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if isinstance(event.rows, HandsList):
            if event.rows.hands is not None:
                open_act(self, event.rows.hands, event.key)
        else:
            self.action_wire()

    def action_choose(self) -> None:
        """Select the device under the cursor, or no more."""
        lines = self.query_one(LineMap)
        if lines.selected:
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
            self.notify(f"{lines.selected} is planned only: no phrasebook speaks to it yet")

    def action_wire(self) -> None:
        """Open the wire of the device under the cursor."""
        if name := self.query_one(LineMap).selected:
            self.host.open_wire(name)

    def action_proof(self) -> None:
        """Open the proof of the device under the cursor."""
        if name := self.query_one(LineMap).selected:
            self.host.open_proof(name)

    def action_preview(self) -> None:
        """Preview what will be sent."""
        if name := self.query_one(LineMap).selected:
            self.host.open_preview(name)

    def action_card(self) -> None:
        """The factory card of the device's family."""
        if name := self.query_one(LineMap).selected:
            self.host.open_card(self.host.job.plan.device(name).family)

    @property
    def device(self) -> str | None:
        """The hostname under the cursor; none before anything is drawn."""
        return next((lines.selected for lines in self.query(LineMap)), None)

    def take_board(self, board: Board) -> None:
        """The plan was changed: show this board from now on."""
        self.headline().board = board
        self.query_one(Labels).board = board
        lines = self.query_one(LineMap)
        lines.board = board
        lines.lay_out()

    def action_next(self) -> None:
        """Jump to the next device that needs a person."""
        lines = self.query_one(LineMap)
        found = self.host.job.board.queue()
        if not found:
            self.notify("nothing needs you")
            return
        names = [line.device.name for line in found]
        here = names.index(lines.selected) + 1 if lines.selected in names else 0
        lines.select(names[here % len(names)])

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

    def action_done(self, number: int) -> None:
        """The person did the act of the hands list that is called by this number."""
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
        if self.line.waits_for and self.line.active:
            text.append(f"   {self.line.waits_for}, {minutes(time.time() - self.line.waits_since)}", DIM)
        if self.line.mood in (Mark.NEEDS_YOU, Mark.DIFFERS):  # its line above may be too short for all of it
            text.append(f"\n{fit(self.line.sentence, self.size.width)}", MOOD[self.line.mood])
        return text
