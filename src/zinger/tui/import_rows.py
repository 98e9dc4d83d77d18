"""What an import would do, row by row: what can't be read and what is asked first, then each device."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.binding import Binding, BindingType

from zinger.desk.incoming import Effect
from zinger.plan.files.merging import NEW, SKIP, CellChange, Fate, Laid
from zinger.plan.files.transfer import BadCell
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, ROSE, SLATE, VIOLET, first_fitting, fit
from zinger.tui.rows import Rows

_ORDER = (Fate.ASKED, Fate.NEW, Fate.CHANGED, Fate.KEPT, Fate.REMOVED, Fate.SKIPPED, Fate.SAME)
_SIGNS = {
    Fate.ASKED: ("?", BRASS),
    Fate.NEW: ("+", GREEN),
    Fate.CHANGED: ("±", SLATE),
    Fate.KEPT: ("=", DIM),
    Fate.REMOVED: ("×", ROSE),
    Fate.SKIPPED: ("·", DIM),
    Fate.SAME: ("·", DIM),
}


@dataclass(frozen=True)
class LeftOut:
    """A row that is not a device, and what it is."""

    row: str
    why: str


@dataclass(frozen=True)
class _Line:
    """A line of the list: what it stands for, and of a device the change that it shows (the first with its name)."""

    item: BadCell | Laid | LeftOut
    change: CellChange | None = None
    first: bool = True


class Outcome(Rows):
    """The rows of the sheet and what becomes of them."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "correct or answer")]

    def __init__(self) -> None:
        super().__init__(id="outcome")
        self._lines: list[_Line] = []
        self._row_width = 9
        self._version = 0

    def show(self, effect: Effect, left_out: list[LeftOut]) -> None:
        """Show this; the cursor stays where it can."""
        lines = [_Line(cell) for cell in effect.imported.bad]
        for fate in _ORDER:
            for laid in effect.of(fate):
                changes = laid.changes if fate is Fate.CHANGED else ()
                lines += [_Line(laid, change, not at) for at, change in enumerate(changes or [None])]
        self._lines = lines + [_Line(row) for row in left_out]
        rows = [line.item.key for line in self._lines if isinstance(line.item, Laid)] + [row.row for row in left_out]
        self._row_width = max((len(row) for row in rows), default=0) + 5
        self._version += 1
        self.redraw()

    def empty(self) -> None:
        """Show nothing."""
        self._lines = []
        self.redraw()

    def count(self) -> int:
        return len(self._lines)

    def key(self, index: int) -> Any:
        return self._lines[index].item if self._lines[index].first else None

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        line = self._lines[index]
        if isinstance(line.item, BadCell):
            return _bad(line.item, width)
        if isinstance(line.item, LeftOut):
            text = Text(f" · {'row ' + line.item.row:<{self._row_width}}", DIM)
            return text.append(fit(f"not a device: {line.item.why}", width - text.cell_len), DIM)
        return _laid(line.item, line, width, self._row_width)


def _bad(cell: BadCell, width: int) -> Text:
    text = Text(" ").append("▲ ", Style(color=ROSE, bold=True)).append(f"{cell.cell:<9} ", PAPER)
    what, room = cell.problem.what, width - text.cell_len
    if cell.meant:
        meant, why = f" → {cell.meant}?", f"  ({cell.why})"
        wordings = [(what, meant + why), (repr(cell.text), meant + why), (repr(cell.text), meant)]
    else:
        wordings = [(what, f" {cell.do}"), (what, "")]
    before, after = next((pair for pair in wordings if len("".join(pair)) <= room), wordings[-1])
    text.append(fit(before, max(8, room - len(after))), ROSE)
    return text.append(after, BRASS if cell.meant else DIM)


def _laid(laid: Laid, line: _Line, width: int, row_width: int) -> Text:
    sign, colour = _SIGNS[laid.fate]
    wide = width >= 100
    text = Text(" ")
    if line.first:
        text.append(f"{sign} ", Style(color=colour, bold=True))
        text.append(f"{'row ' + laid.key if laid.key else '':<{row_width}}", DIM)
        text.append(f"{fit(laid.name, 19):<20}", PAPER)
        text.append(f"{laid.fate:<10}", colour)
        text.append(f"{'by ' + laid.by if laid.by else '':<14}" if wide else "", FAINT)
    else:
        text.append(" " * (46 if wide else 32) + " " * row_width)
    if line.change:
        text.append(f"{fit(line.change.heading, 18):<19}", DIM)
        half = max(8, (width - text.cell_len - 4) // 2)
        text.append(fit(line.change.before or "(empty)", half), VIOLET).append(" → ", FAINT)
        text.append(fit(line.change.after or "(empty)", half), GREEN)
    elif laid.question:
        text.append(fit(laid.question, width - text.cell_len), BRASS)
    elif laid.fate is Fate.KEPT:
        room = width - text.cell_len
        text.append(first_fitting(room, "is not in the sheet; Enter removes it", "not in it; Enter removes it"), DIM)
    return text


def cell_dialog(cell: BadCell) -> LineDialog:
    """Asks for another text for one cell."""
    likely = f"Probably {cell.meant} is meant ({cell.why})." if cell.meant else f"{cell.do}."
    title = f"{cell.cell}: {cell.meaning or 'a column that is kept'}"
    return LineDialog(title, f"{cell.what}. {likely}", cell.meant or cell.text)


def who_dialog(laid: Laid) -> ChoiceDialog:
    """Asks which device a row of the sheet is: its name, `NEW` or `SKIP`."""
    choices = [(name, f"it is {name}, and is brought up to date") for name in laid.choices]
    choices += [(NEW, "it is another device: add it"), (SKIP, "leave this row out")]
    return ChoiceDialog(f"Which device is row {laid.key}, {laid.name}?", choices, f"{laid.question}.")
