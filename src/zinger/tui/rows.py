"""A scrolling list of drawn lines with a cursor: the one large widget that all screens build on.

It draws only the lines in sight (Textual's line API) and keeps drawn lines until their stamp changes, so
a list of 10,000 lines costs no more than one of 40.
"""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any, ClassVar

from rich.segment import Segment
from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import Binding, BindingType
from textual.geometry import Region, Size
from textual.message import Message
from textual.scroll_view import ScrollView
from textual.strip import Strip

from zinger.tui.look import BRASS, FAINT, RAISED

_RAISED = Style(bgcolor=RAISED)
_NO_BAR = Strip([Segment(" ")])
_BAR = {True: Strip([Segment("▌", Style(color=BRASS))]), False: Strip([Segment("▏", Style(color=FAINT))])}
"""What is drawn before the line under the cursor: thick where the keys go, thin in the other lists."""


class Rows(ScrollView, can_focus=True):
    """Subclasses say how many lines there are, draw one, and name what a line stands for."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "step(-1)", "up", show=False),
        Binding("down", "step(1)", "down", show=False),
        Binding("pageup", "step(-12)", "page up", show=False),
        Binding("pagedown", "step(12)", "page down", show=False),
        Binding("home", "ends(0)", "first", show=False),
        Binding("end", "ends(-1)", "last", show=False),
        Binding("enter", "choose", "open", show=False),
    ]

    one_click: ClassVar[bool] = False
    """Whether a click chooses a line at once, as in a dialog; elsewhere the first one only goes there."""

    class Moved(Message):
        """The cursor stands on another key."""

        def __init__(self, rows: Rows, key: Any) -> None:
            super().__init__()
            self.rows, self.key = rows, key

        @property
        def control(self) -> Rows:
            return self.rows

    class Chosen(Moved):
        """Enter was pressed, or the line clicked twice."""

    def __init__(self, *, id: str | None = None, cursor: bool = True) -> None:
        super().__init__(id=id)
        self.shows_cursor = cursor
        self.cursor = 0
        self.sought_sight = False
        """Whether the cursor is to come into sight, and was not seen there yet."""
        self._drawn: dict[int, tuple[Hashable, Strip]] = {}
        self._ground = Style.null()
        self._in_sight: dict[int, Hashable] = {}

    # -- for subclasses ----------------------------------------------------------------------------
    def count(self) -> int:
        """How many lines there are."""
        raise NotImplementedError

    def draw(self, index: int, width: int) -> Text | tuple[Text | Strip, ...]:
        """One line, in one piece or in some; a piece that many lines share can be a strip, which is rendered once."""
        raise NotImplementedError

    def key(self, index: int) -> Any:
        """What the line stands for; None for lines that the cursor passes over."""
        return index

    def stamp(self, index: int) -> Hashable:
        """Changes when the line must be drawn again."""
        return None

    @property
    def gets_keys(self) -> bool:
        """Whether the keys go here, which the cursor shows."""
        return self.has_focus

    # -- drawing -----------------------------------------------------------------------------------
    def redraw(self) -> None:
        """Take in a changed number of lines and draw what is in sight."""
        self._take_size(Size(self.size.width, self.count()))
        self._mend_cursor()
        self.refresh()

    def _take_size(self, size: Size) -> None:
        """Lay the screen out anew only where the scrollbar comes or goes: that costs more than the drawing itself.

        A list that is as high as it is long gives room or takes it whenever its length changes.
        """
        before, room = self.virtual_size, self.container_size.height
        grows = self.styles.height is not None and self.styles.height.is_auto and size.height != before.height
        if grows or size.width != before.width or (size.height > room) != (before.height > room):
            self.virtual_size = size
            return
        self.set_reactive(Rows.virtual_size, size)
        if self.show_vertical_scrollbar:
            self.vertical_scrollbar.window_virtual_size = size.height
        self.scroll_y = self.validate_scroll_y(self.scroll_y)

    def redraw_changed(self) -> None:
        """Draw again only the lines in sight whose stamp changed; cheap to call at every tick."""
        first = self.scroll_offset.y
        stamps = {i: self.stamp(i) for i in range(first, min(first + self.size.height, self.count()))}
        before, self._in_sight = self._in_sight, stamps
        for index, stamp in stamps.items():
            if stamp != before.get(index, ""):
                self.refresh_line(index)
        for index in before.keys() - stamps.keys():
            self.refresh_line(index)

    def render_line(self, y: int) -> Strip:
        index = self.scroll_offset.y + y
        width = self.scrollable_content_region.width  # without the scrollbar
        if index >= self.count():
            return Strip.blank(width, self.rich_style)
        marked = self.shows_cursor and index == self.cursor
        stamp = (self.stamp(index), width, marked, self.gets_keys)
        known = self._drawn.get(index)
        if known and known[0] == stamp and stamp[0] is not None:
            return known[1]
        strip = self._strip(index, width, marked)
        if len(self._drawn) > 2000:
            self._drawn.clear()
        self._drawn[index] = (stamp, strip)
        return strip

    def _strip(self, index: int, width: int, marked: bool) -> Strip:
        drawn = self.draw(index, width - 1)
        bar = _BAR[self.gets_keys] if marked else _NO_BAR
        ground = _RAISED if marked else self._ground
        pieces = [bar, *((drawn,) if isinstance(drawn, Text) else drawn)]
        line = Strip.join(
            (piece if isinstance(piece, Strip) else self._rendered(piece)).apply_style(ground) for piece in pieces
        )
        if line.cell_length > width:
            line = Strip([*line.crop(0, width - 1), Segment("…", ground)])
        return line.adjust_cell_length(width, ground)

    def _rendered(self, text: Text) -> Strip:
        """A piece with its own style too: rich leaves that out where a text has no spans."""
        return Strip(Text.assemble(text).render(self.app.console))

    def render_lines(self, crop: Region) -> list[Strip]:
        """The toolkit asks for the lines to be painted; the ground of all of them is worked out once."""
        self._ground = self.rich_style.background_style
        return super().render_lines(crop)

    # -- moving ------------------------------------------------------------------------------------
    def on_resize(self, event: events.Resize) -> None:
        self.redraw()
        if self.shows_cursor:
            self._scroll_to_cursor()  # what was in sight in the old size may not be in the new one

    def _scroll_to_cursor(self) -> None:
        self.sought_sight = True
        self.scroll_to_region(Region(0, max(0, self.cursor - 1), 1, 3), animate=False)

    def see_cursor(self) -> None:
        """Scroll once more where the cursor is not in sight yet; for whoever is called at every tick.

        A scroll is worked out with the size of its moment, and the pane may get another one before it is carried out.
        """
        if self.sought_sight:
            first = self.scroll_offset.y
            if first <= self.cursor < first + self.size.height:
                self.sought_sight = False
            else:
                self._scroll_to_cursor()

    def _mend_cursor(self) -> None:
        total = self.count()
        self.cursor = min(self.cursor, max(0, total - 1))
        if total and self.key(self.cursor) is None:
            self.cursor = next((i for i in range(total) if self.key(i) is not None), 0)

    @property
    def selected(self) -> Any:
        """The key under the cursor, or None."""
        return self.key(self.cursor) if self.count() else None

    def select(self, key: Any) -> None:
        """Put the cursor on the first line of a key."""
        for index in range(self.count()):
            if self.key(index) == key:
                self._go(index)
                return

    def action_step(self, by: int) -> None:
        """Move the cursor over the next line that stands for something."""
        total, index, left = self.count(), self.cursor, abs(by)
        step = 1 if by > 0 else -1
        best = index
        while left and 0 <= index + step < total:
            index += step
            if self.key(index) is not None and self.key(index) != self.key(best):
                best, left = index, left - 1
        self._go(best)

    def action_ends(self, which: int) -> None:
        """Move to the first or last line."""
        order = range(self.count()) if which == 0 else range(self.count() - 1, -1, -1)
        for index in order:
            if self.key(index) is not None:
                self._go(index)
                return

    def action_choose(self) -> None:
        """Open what the line stands for."""
        if self.selected is not None:
            self.post_message(self.Chosen(self, self.selected))

    def _go(self, index: int) -> None:
        if index == self.cursor:
            self._scroll_to_cursor()  # the wheel may have taken it out of sight
        else:
            before, self.cursor = self.cursor, index
            self._scroll_to_cursor()
            self.refresh_line(before)
            self.refresh_line(index)
            self.post_message(self.Moved(self, self.selected))

    def on_click(self, event: events.Click) -> None:
        index = self.scroll_offset.y + event.y
        if self.shows_cursor and index < self.count() and self.key(index) is not None:
            chosen = self.one_click or index == self.cursor
            self._go(index)
            if chosen:
                self.action_choose()
