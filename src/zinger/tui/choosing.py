"""Dialogs in which one of several is chosen, or one line is typed."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Hashable, Iterable, Sequence
from pathlib import Path
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical, VerticalScroll
from textual.screen import ModalScreen
from textual.suggester import Suggester
from textual.widgets import Input, Static

from zinger.tui.look import BRASS, DIM, PAPER, ROSE
from zinger.tui.rows import Rows

TYPED_FROM = 3
"""More choices than these are found by typing."""


class Choices(Rows):
    """What can be chosen: what each stands for, and its words; those that have all the wanted words.

    `aliases` are more words by which each is found, in the same order, or nothing.
    """

    def __init__(self, choices: Sequence[tuple[Any, str]], aliases: Sequence[str] = ()) -> None:
        super().__init__(id="choices")
        also = aliases or [""] * len(choices)
        self._all = [(key, words, f"{words} {a}".lower()) for (key, words), a in zip(choices, also, strict=True)]
        self._shown = self._all
        self._version = 0

    one_click = True

    @property
    def gets_keys(self) -> bool:
        """The arrows and Enter go here from the line above, too."""
        return True

    def want(self, words: str) -> None:
        """Show only what has all these words; what begins with them comes first."""
        begins, wanted = words.lower().strip(), words.lower().split()
        found = [choice for choice in self._all if all(word in choice[2] for word in wanted)]
        self._shown = sorted(found, key=lambda choice: not choice[2].startswith(begins))
        self.cursor = 0
        self._version += 1
        self.redraw()

    def count(self) -> int:
        return len(self._shown)

    def key(self, index: int) -> Any:
        return self._shown[index][0]

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        return Text(f" {self._shown[index][1]}", PAPER)


class ChoiceDialog(ModalScreen[Any]):
    """One of several; returns what it stands for, None when it was left. Many are found by typing."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "leave", "leave", priority=True),
        Binding("up", "step(-1)", show=False, priority=True),
        Binding("down", "step(1)", show=False, priority=True),
        Binding("pageup", "page(-1)", show=False, priority=True),
        Binding("pagedown", "page(1)", show=False, priority=True),
        Binding("home", "ends(0)", show=False, priority=True),
        Binding("end", "ends(1)", show=False, priority=True),
    ]

    def __init__(
        self, title: str, choices: Iterable[tuple[Any, str]], body: str = "", aliases: Sequence[str] = ()
    ) -> None:
        super().__init__()
        self.title_text, self.body, self._choices, self._aliases = title, body, list(choices), aliases

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.title_text, Style(color=BRASS, bold=True)))
            with VerticalScroll(id="dialog-body"):
                yield Static(Text(f"\n{self.body}\n" if self.body else "", PAPER))
            if len(self._choices) > TYPED_FROM:
                yield Input(placeholder="type to find it; Enter takes it", id="choice-words")
            yield Choices(self._choices, self._aliases)

    def on_mount(self) -> None:
        self._share_out()
        (self.query_one(Input) if self.query(Input) else self.query_one(Choices)).focus()

    def on_resize(self) -> None:
        self._share_out()

    def _share_out(self) -> None:
        """What is told has room before the choices have, of which a third of the screen is always in sight."""
        width, rows = self.app.size
        inside = min(100, width * 95 // 100) - 8
        told = sum(len(textwrap.wrap(line, inside)) or 1 for line in f"\n{self.body}\n".split("\n"))
        listed = min(len(self._choices), 16, max(4, rows // 3, rows - 9 - told))
        self.query_one(Choices).styles.height = listed
        self.query_one("#dialog-body").styles.max_height = max(3, rows - listed - 9)

    def on_input_changed(self, event: Input.Changed) -> None:
        self.query_one(Choices).want(event.value)

    def on_input_submitted(self) -> None:
        choices = self.query_one(Choices)
        if choices.count():
            self.dismiss(choices.selected)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.dismiss(event.key)

    def action_step(self, by: int) -> None:
        """Move in the list while the cursor stays in the line."""
        self.query_one(Choices).action_step(by)

    def action_ends(self, which: int) -> None:
        """The first or the last choice."""
        self.query_one(Choices).action_ends(which)

    def action_page(self, by: int) -> None:
        """Read on above the list; where all is in sight, a page of the list."""
        body = self.query_one("#dialog-body", VerticalScroll)
        if body.max_scroll_y:
            body.scroll_relative(y=by * max(1, body.size.height - 1), animate=False)
        else:
            self.query_one(Choices).action_step(12 * by)

    def action_leave(self) -> None:
        """Leave it open."""
        self.dismiss(None)


class TypedLine(Input):
    """A line in which what is typed right behind Ctrl-U is kept."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("ctrl+u", "delete_left_all", show=False, priority=True)]


class LineDialog(ModalScreen[str | None]):
    """One line of text; returns it, None when it was left. What is `wrong` with it is told, and it stays open."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "leave", "leave", priority=True)]

    def __init__(
        self,
        title: str,
        body: str = "",
        text: str = "",
        placeholder: str = "",
        wrong: Callable[[str], str] = lambda text: "",
    ) -> None:
        super().__init__()
        self.title_text, self.body, self.text, self.placeholder, self._wrong = title, body, text, placeholder, wrong

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.title_text, Style(color=BRASS, bold=True)))
            yield Static(Text(f"\n{self.body}\n" if self.body else "", PAPER))
            yield TypedLine(value=self.text, placeholder=self.placeholder, id="line", select_on_focus=False)
            yield Static(id="wrong")
            yield Static(Text("Enter takes it, Esc leaves it as it is", DIM))

    def on_mount(self) -> None:
        self.query_one("#wrong").display = False
        self.query_one(Input).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if wrong := self._wrong(event.value):
            told = self.query_one("#wrong", Static)
            told.display = True
            told.update(Text(wrong, ROSE))
        else:
            self.dismiss(event.value)

    def action_leave(self) -> None:
        """Leave it as it was."""
        self.dismiss(None)


class PathSuggester(Suggester):
    """Completes the path of a sheet (right arrow takes it): folders, and files of the kinds that can be read."""

    KINDS: ClassVar[frozenset[str]] = frozenset({".csv", ".xlsx", ".xlsm", ".yaml", ".yml", ".json"})

    def __init__(self) -> None:
        super().__init__(use_cache=False, case_sensitive=True)

    async def get_suggestion(self, value: str) -> str | None:
        """The first path that begins so."""
        folder, _, begins = value.rpartition("/")
        stem = f"{folder}/" if "/" in value else ""
        try:
            found = sorted(Path(stem or ".").expanduser().iterdir())
        except OSError:
            return None
        for path in found:
            fits = path.name.startswith(begins) and (begins.startswith(".") or not path.name.startswith("."))
            if begins and fits and (path.suffix.lower() in self.KINDS or path.is_dir()):
                return f"{stem}{path.name}{'/' if path.is_dir() else ''}"
        return None
