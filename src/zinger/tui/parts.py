"""Parts that every screen has: the headline with its mode rule, and screens that refresh ten times a second."""

from __future__ import annotations

from collections.abc import Hashable
from typing import TYPE_CHECKING, cast

from rich.style import Style
from rich.text import Text
from textual.app import RenderResult
from textual.binding import Binding, BindingType
from textual.screen import ModalScreen, Screen
from textual.widget import Widget
from textual.widgets import Static

from zinger.tui.look import BRASS, DIM, FAINT, GREEN, INK, PAPER, ROSE, VIOLET, clock, fit, parts_fitting

if TYPE_CHECKING:
    from zinger.run.board import Board, DeviceLine
    from zinger.tui.host import Host

TICK = 0.1
SMALL = (80, 24)


class Watcher(Widget):
    """A widget that is drawn again only when what it shows has changed."""

    _seen: Hashable = None

    def stamp(self) -> Hashable:
        """Changes when the widget must be drawn again."""
        raise NotImplementedError

    def look(self) -> None:
        """Draw again if the stamp changed; cheap to call at every tick."""
        if (stamp := self.stamp()) != self._seen:
            self._seen = stamp
            self.refresh()


class Headline(Watcher):
    """Two rows: what this is and how it stands; below, the mode as a rule across the screen.

    PRACTICE is a hatched band of its own words, LIVE a solid bar: word, colour and shape differ.
    """

    def __init__(self, board: Board, title: str = "", detail: str = "") -> None:
        super().__init__()
        self.board, self.title, self.detail = board, title, detail

    def stamp(self) -> Hashable:
        return (*self.board.counts().values(), self.board.pace, self.app.size, self.detail, self._done())

    def _done(self) -> str:
        """When the bench is done, while a run goes on."""
        outlook = self.board.outlook
        going = outlook is not None and any(line.active for line in self.board.lines.values())
        return f" done about {clock(outlook.done_at)} " if outlook is not None and going else ""

    def render(self) -> RenderResult:
        width = self.size.width
        return Text("\n").join([self._first(width), self._mode(width)])

    def _first(self, width: int) -> Text:
        left = Text.assemble((" ZINGER ", Style(color=INK, bgcolor=BRASS, bold=True)), "  ")
        right = self._counts(short=width < 110)
        title = fit(self.title or self.board.title, width - left.cell_len - right.cell_len - 2)
        left.append(title, Style(color=PAPER, bold=True))
        room = width - left.cell_len - right.cell_len - 4
        left.append("  " + parts_fitting(room, self.detail or self.board.note), Style(color=DIM))
        left.append(" " * max(1, width - left.cell_len - right.cell_len - 1))
        return Text.assemble(left, right)

    def _counts(self, short: bool) -> Text:
        counts = self.board.counts()
        text = Text().append(f"{counts['proved']} of {counts['devices']} proved", Style(color=GREEN, bold=True))
        for key, colour in (("under way", BRASS), ("configured", GREEN), ("differs", ROSE), ("needs you", VIOLET)):
            if counts[key]:
                gap = "  " if short else "   "
                text.append(f"{gap}{counts[key]} {key}", Style(color=colour, bold=key == "needs you"))
        if counts["planned only"] and not short:
            text.append(f"   {counts['planned only']} planned only", Style(color=DIM))
        return text

    def _mode(self, width: int) -> Text:
        small = self.app.size.width < SMALL[0] or self.app.size.height < SMALL[1]
        note = (
            f" {self.app.size.width}x{self.app.size.height} is small, {SMALL[0]}x{SMALL[1]} or more shows all "
            if small
            else ""
        )
        if self.board.practice:
            pace = f" ×{self.board.pace:g}" if self.board.pace else ""
            words = f" PRACTICE YARD{pace} "
            band = "▚" * 3 + words + note
            done = self._done()
            rest = Text("▚" * max(0, width - len(band) - len(done) - 3), Style(color=FAINT))
            rest.append(done, BRASS).append("▚" * 3, FAINT)
            return Text.assemble(("▚" * 3, FAINT), (words, Style(color=PAPER, bold=True)), (note, ROSE), rest)
        words, done = f" LIVE: real devices {note}", self._done()
        return Text(f"{words:<{width - len(done)}}{done}", Style(color=INK, bgcolor=PAPER, bold=True))


def host_of(screen: Screen[None]) -> Host:
    """The application that shows a screen, as far as screens know it."""
    return cast("Host", screen.app)


class PlainScreen(Screen[None]):
    """A screen that needs no job: a title line, and nothing that moves by itself."""

    def __init__(self, title: str, detail: str) -> None:
        super().__init__()
        self._heading, self._detail = title, detail

    @property
    def host(self) -> Host:
        """The application."""
        return host_of(self)

    def title_line(self) -> Static:
        """The headline of such a screen."""
        text = Text.assemble((" ZINGER ", Style(color=INK, bgcolor=BRASS, bold=True)), "  ")
        text.append(self._heading, Style(color=PAPER, bold=True)).append(f"  {self._detail}", DIM)
        return Static(text, id="title-line")


COMMON: list[BindingType] = [
    Binding("escape", "app.back", "back", tooltip="to the screen before"),
    Binding("question_mark", "app.help", "help", tooltip="this help"),
]
"""Keys of every screen; each screen puts its own before them, since the footer cuts at the right."""


class ZingerScreen(Screen[None]):
    """A screen over the board that looks at it ten times a second, and shows only what changed."""

    @property
    def host(self) -> Host:
        """The application."""
        return host_of(self)

    def on_mount(self) -> None:
        """Begin to follow the board."""
        self.set_interval(TICK, self._tick)
        self.follow()

    def _tick(self) -> None:
        stack = self.app.screen_stack
        above = stack[stack.index(self) + 1 :] if self in stack else stack
        if all(isinstance(screen, ModalScreen) for screen in above):  # `is_current` counts a hidden screen too
            self.follow()

    def follow(self) -> None:
        """Bring the screen up to date; called ten times a second while it is in front."""
        raise NotImplementedError

    def back(self) -> bool:
        """Escape was pressed; whether this screen had a use for it of its own."""
        return False

    def take_board(self, board: Board) -> None:
        """The plan was changed: show this board from now on."""
        for headline in self.query(Headline):
            headline.board = board

    def headline(self) -> Headline:
        """This screen's headline."""
        return self.query_one(Headline)


ABOUT_ONE: list[BindingType] = [
    Binding("o", "app.steer_this", "this device", show=False, tooltip="run, prove, stop, pass over a setting, a note"),
    Binding("right_square_bracket", "neighbour(1)", "next device", tooltip="the same of the next device"),
    Binding(
        "left_square_bracket", "neighbour(-1)", "previous device", show=False, tooltip="the same of the one before"
    ),
]
"""Keys of every screen about one device."""


class DeviceScreen(ZingerScreen):
    """A screen about one device; `[` and `]` go to the same screen of its neighbours."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__()
        self.line = line
        self._planned_otherwise = False

    def take_board(self, board: Board) -> None:
        super().take_board(board)
        self._planned_otherwise = board.lines.get(self.device) is not self.line

    def _tick(self) -> None:
        if self._planned_otherwise and self.app.screen is self:
            self._planned_otherwise = False
            self._show_as_planned()
        else:
            super()._tick()

    def _show_as_planned(self) -> None:
        """Another plan has another line of the device: the same screen of that one takes the place of this."""
        job = self.host.job
        if line := job.board.lines.get(job.called_now(self.device)):
            self.app.switch_screen(self.beside(line))
        else:
            self.app.pop_screen()
            self.app.notify(f"{self.device} is in the plan no more, or no phrasebook speaks to it now")

    @property
    def device(self) -> str:
        """The hostname of the device that this screen shows."""
        return self.line.device.name

    def beside(self, line: DeviceLine) -> DeviceScreen:
        """The same screen of another device."""
        raise NotImplementedError

    def action_neighbour(self, by: int) -> None:
        """Put the next or previous device's screen in place of this one."""
        lines = list(self.host.job.board.lines.values())
        self.app.switch_screen(self.beside(lines[(lines.index(self.line) + by) % len(lines)]))


def key_hint(keys: list[tuple[str, str]]) -> Text:
    """`key word` pairs for a line of hints."""
    text = Text()
    for key, word in keys:
        text.append(f" {key} ", Style(color=BRASS, bold=True)).append(f"{word}  ", DIM)
    return text
