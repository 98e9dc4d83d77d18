"""Two devices of the plan beside each other: what differs first, and how many settings are the same."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from zinger.plan.comparing import Pair, compare_devices
from zinger.plan.model import Device
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, fit
from zinger.tui.parts import PlainScreen
from zinger.tui.rows import Rows


class Pairs(Rows):
    """One setting a line, both values, and where each comes from where there is room."""

    def __init__(self, pairs: list[Pair]) -> None:
        super().__init__(id="pairs")
        self.pairs = pairs
        self.all = False

    def count(self) -> int:
        return len(self.pairs if self.all else [pair for pair in self.pairs if not pair.same])

    def stamp(self, index: int) -> Hashable:
        return (self.all, index)

    def draw(self, index: int, width: int) -> Text:
        pair = self.pairs[index]
        half = (width - 27) // 2
        sign, colour = ("=", FAINT) if pair.same else ("≠", BRASS)
        text = Text(" ").append(f"{sign} ", colour).append(f"{fit(pair.title, 22):<24}", DIM)
        for value, origin, ink in ((pair.one, pair.one_from, PAPER), (pair.other, pair.other_from, GREEN)):
            label = f"  {fit(origin, 22)}" if origin and half > 50 else ""
            text.append(fit(value or "not planned", half - len(label) - 2), DIM if pair.same or not value else ink)
            text.append(label, FAINT)
            text.append(" " * max(1, 27 + half * (1 if ink is PAPER else 2) - text.cell_len))
        return text


class CompareScreen(PlainScreen):
    """What two devices have planned."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("a", "all", "what is the same too"),
        Binding("escape", "app.back", "back"),
        Binding("question_mark", "app.help", "help"),
    ]

    def __init__(self, one: Device, other: Device) -> None:
        super().__init__("compare", f"{one.name} and {other.name}")
        self.one, self.other = one, other

    def compose(self) -> ComposeResult:
        pairs = compare_devices(self.one, self.other)
        yield self.title_line()
        yield Static(id="compared")
        yield Pairs(pairs)
        yield KeysFooter()

    def on_mount(self) -> None:
        self._say()
        self.query_one(Pairs).focus()

    def on_resize(self) -> None:
        self._say()

    def _say(self) -> None:
        pairs = self.query_one(Pairs).pairs
        same = sum(pair.same for pair in pairs)
        half = (self.size.width - 28) // 2
        text = Text(f"  {len(pairs) - same} differ, {same} alike", DIM)
        text.append(" " * max(2, 28 - text.cell_len))
        text.append(f"{fit(self.one.name, half - 2):<{half}}", Style(color=PAPER, bold=True))
        text.append(fit(self.other.name, half - 2), Style(color=GREEN, bold=True))
        self.query_one("#compared", Static).update(text)

    def action_all(self) -> None:
        """Show what is the same too, or only what differs."""
        pairs = self.query_one(Pairs)
        pairs.all = not pairs.all
        pairs.cursor = 0
        pairs.redraw()
