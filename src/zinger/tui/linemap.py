"""The lines of the line-up: every device with its settings as stops, by site; a site folds, and counts its devices."""

from __future__ import annotations

import time
from collections.abc import Hashable, Mapping
from typing import Any, ClassVar

from rich.console import Console
from rich.style import Style
from rich.text import Text
from textual.binding import Binding, BindingType
from textual.strip import Strip

from zinger.plan.setting import Stop
from zinger.run.board import Board, DeviceLine, Mark
from zinger.talk.events import Waiting
from zinger.tui.look import (
    BRASS,
    DIM,
    FAINT,
    MOOD,
    PAPER,
    SHAPE,
    TEMPO,
    TRACK,
    VIOLET,
    clauses_fitting,
    first_fitting,
    fit,
    minutes,
    pen,
    shape,
    turn,
)  # fmt: skip
from zinger.tui.rows import Rows

STOPS = list(Stop)
HIGH = 50
"""Rows from which there is room for a second wire."""
WIDE = 180
"""Columns from which there is room for the forecast beside the wire, and for the values of the stops ahead."""
CROWD = 60
"""Devices at work from which their shapes turn more slowly: a screen full of them is drawn at each turn."""


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
        self._rendered: dict[Hashable, Strip] = {}

    def strip(self, line: DeviceLine, drawer: Console) -> Strip:
        """The line of stops, rendered; devices that are as far share it."""
        marks = tuple(line.stops[stop] for stop in STOPS)
        looks = (marks, turn() if Mark.NOW in marks else 0)
        known = self._rendered.get(looks)
        if known is None:
            known = self._rendered[looks] = Strip(self.draw(line).render(drawer))
        return known

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

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "choose", "wire"),
        Binding("left", "fold(True)", "fold the site", show=False),
        Binding("right", "fold(False)", "unfold", show=False),
    ]

    def __init__(self, board: Board) -> None:
        super().__init__(id="lines")
        self.board = board
        self.wanted = ""
        self.dense = False
        self.chosen: set[str] = set()
        self.folded: set[str] = set()
        """Keys of sites of which only the counts are shown."""
        self._laid: Mapping[str, DeviceLine] = {}
        self._items: list[tuple[str, DeviceLine | None, str]] = []
        self._track: Track | None = None
        self._tempo = TEMPO
        """Turns a second of the shapes of devices at work."""
        self._groups: dict[str, list[DeviceLine]] = {}
        self._counts = False

    def lay_out(self) -> None:
        """Work out which rows there are; the cursor stays on its device if that is still there."""
        before = self.selected if self.cursor < len(self._items) else None
        self._laid, self._track = self.board.lines, None  # a name can be longer than all of before
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
        self._groups = {}
        self._counts = bool(self.folded) or len(lines) > MANY
        per_device = self._rows_each(len(lines), len(sites), len(planned))
        self._items = []
        order = self.board.site_order
        for key, group in sorted(sites.items(), key=lambda site: order.index(site[0])):
            only = [(d, title) for d, title in planned if d.site.key == key]
            site = group[0].device.site if group else only[0][0].site
            if self._items:
                self._items.append(("blank", None, ""))
            shut = key in self.folded
            self._groups[key] = group
            self._items.append(("site", None, f"{'▸ ' if shut else ''}{site.name}|{site.subnet or ''}|{key}"))
            for line in group if not shut else ():
                self._items.append(("line", line, ""))
                if per_device > 1:
                    self._items.append(("caption", line, ""))
                if per_device > 2:
                    self._items.append(("blank", None, ""))
            self._items += [("planned", None, f"{d.name}|{title}") for d, title in only if not shut]
        self.cursor = next((i for i in range(len(self._items)) if before and self.key(i) == before), 0)
        self.redraw()

    def action_fold(self, shut: bool) -> None:
        """Show only the counts of the site under the cursor, or all of it again."""
        here = self.selected
        if here is None:
            return
        line = self.board.lines.get(here)
        key = here.removeprefix(SITE) if line is None else line.device.site.key
        (self.folded.add if shut else self.folded.discard)(key)
        self.lay_out()
        self.select(f"{SITE}{key}" if shut else here)

    def _rows_each(self, lines: int, sites: int, planned: int) -> int:
        """How many rows each device has: as many as its share of the screen has room for."""
        height = self.app.size.height
        if self.dense or height < 30:
            return 1
        room = height * (0.7 if height >= HIGH else 0.6) + 4 - 2 * sites - planned
        return next((rows for rows in (3, 2) if rows * lines <= room), 1)

    @property
    def device(self) -> str | None:
        """The hostname under the cursor; None on the row of a site."""
        here = self.selected
        return here if here is not None and not here.startswith(SITE) else None

    def see_board(self) -> None:
        """Draw what changed; lines that are others now are laid out anew."""
        if self._laid is not self.board.lines:
            self.lay_out()
        many = sum(line.mood is Mark.NOW for line in self.board.lines.values()) > CROWD
        self._tempo = 1.0 if many else TEMPO
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
        if kind == "site" and self._counts:
            return f"{SITE}{text.rpartition('|')[2]}"
        return line.device.name if line is not None and kind == "line" else None

    def stamp(self, index: int) -> Hashable:
        kind, line, text = self._items[index]
        if line is None:
            words = self.board.by_hand.get(text.partition("|")[0]) if kind == "planned" else ""
            return (kind, text, self._counted(text) if kind == "site" else words)
        turning = {Mark.NOW: int(time.time() * self._tempo), Mark.NEEDS_YOU: _blink()}.get(line.mood, 0)
        device = line.device
        return (kind, device.name, device.location, device.serial, line.version, turning, device.name in self.chosen)

    def draw(self, index: int, width: int) -> Text | tuple[Text | Strip, ...]:
        kind, line, text = self._items[index]
        if kind == "site":
            name, subnet, _ = text.split("|")
            return Text.assemble((name, Style(color=PAPER, bold=True)), (f"  {subnet}{self._counted(text)}", DIM))
        if kind == "planned":
            name, _, family = text.partition("|")
            return self._planned(name, family, width)
        if line is None:
            return Text()
        if self._track is None or self._track.width != width:
            self._track = Track(width, self.board)
        track = self._track
        return self._line(line, track, width) if kind == "line" else self._caption(line, track, width)

    def _counted(self, text: str) -> str:
        """How many devices of a site's row are where; nothing where all are in sight."""
        return _counted(self._groups[text.rpartition("|")[2]]) if self._counts else ""

    def _line(self, line: DeviceLine, track: Track, width: int) -> tuple[Text | Strip, ...]:
        row = Text().append("▪" if line.device.name in self.chosen else " ", VIOLET)
        name = f"{fit(line.device.name, track.name - 1):<{track.name}}"
        row.append(name, pen(PAPER, bold=line.mood is not Mark.AHEAD))
        row.append(f"{line.family:<{track.family}}" if track.family else "", DIM)
        room = width - track.sentence
        needs = line.mood is Mark.NEEDS_YOU
        colour = pen(MOOD[line.mood], bold=needs, reverse=needs and _blink())
        return row, track.strip(line, self.app.console), Text(f"   {sentence(line, room)}", colour)

    def _planned(self, name: str, family: str, width: int) -> Text:
        """A device that is not spoken to: no track, and why."""
        if self._track is None or self._track.width != width:
            self._track = Track(width, self.board)
        track = self._track
        row = Text().append(f" {fit(name, track.name - 1):<{track.name}}", DIM)
        row.append(f"{family:<{track.family}}" if track.family else "", DIM)
        row.append_text(Text("┄" * (track.pitch * (len(STOPS) - 1) + 1), FAINT))
        words = self.board.by_hand.get(name, "planned only, no phrasebook yet")
        return row.append(fit(f"   {words}", width - track.sentence + 3), DIM)

    def _caption(self, line: DeviceLine, track: Track, width: int) -> Text:
        where = line.device.location or line.device.serial
        row = Text().append(f"  {fit(where, track.start - 4):<{track.start - 2}}", DIM)
        if line.mood in (Mark.NEEDS_YOU, Mark.DIFFERS) and len(line.sentence) > width - track.sentence:
            return row.append(clauses_fitting(width - track.start, line.sentence), MOOD[line.mood])
        now = next((p for p in line.steps if p.mark is Mark.NOW), None)
        if now is None:
            return row
        at = STOPS.index(now.stop) * track.pitch
        words = f"╰ {now.title} {now.value}"
        if width >= WIDE:
            ahead = [f"{p.title} {p.value}" for p in line.steps if p.mark is Mark.AHEAD and p.value][:4]
            words += "".join(f"  ·  {text}" for text in ahead if len(words) + 40 < width - track.start)
        at = max(0, min(at, width - track.start - len(words) - 1))
        return row.append(" " * at).append(fit(words, width - track.start - at), BRASS)


SITE = "site: "
"""What the key of a site's row begins with; a hostname has no colon."""
MANY = 40
"""Devices from which the rows of sites tell how many of them are where."""


def _counted(group: list[DeviceLine]) -> str:
    """How many devices of a site are where, in a few words."""
    moods = [line.mood for line in group]
    told = (Mark.PROVED, Mark.CONFIGURED, Mark.DIFFERS, Mark.NEEDS_YOU)
    words = [f"{moods.count(mark)} {mark.value}" for mark in told if mark in moods]
    active = sum(line.active and line.mood is Mark.NOW for line in group)
    return "   " + " · ".join([f"{len(group)} devices", *words, *([f"{active} under way"] if active else [])])


def _blink() -> bool:
    """Only what needs a person blinks, slowly."""
    return int(time.time() * 1.2) % 2 == 0


def sentence(line: DeviceLine, room: int) -> str:
    """The words on the right, with the time left where it is known; where room is short, what matters least goes."""
    if line.mood is not Mark.NOW or line.ended is not None:
        return clauses_fitting(room, line.sentence)
    short = line.sentence.partition(" after ")[0]
    if line.waiting is Waiting.BOOT and line.expected_end is not None:
        left = line.expected_end - time.time()
        late = -left > 0.5 * (line.expected_end - line.waits_since)
        ending = f"about {minutes(left)} left" if left >= 1 else "longer than usual" if late else "any moment now"
        ends = ending.removeprefix("about ")
        return first_fitting(
            room, f"{line.sentence} · {ending}", f"{line.sentence} · {ends}", f"{short} · {ends}", short
        )
    waited = time.time() - line.waits_since
    return first_fitting(room, *([f"{line.sentence} · {minutes(waited)}"] if waited >= 2 else []), line.sentence, short)
