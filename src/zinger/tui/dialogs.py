"""Dialogs: leaving, help, and a message that must be read. Each returns a typed result."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.console import Group, RenderableType
from rich.style import Style
from rich.table import Table
from rich.text import Text
from textual.app import App, ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical, VerticalScroll
from textual.screen import ModalScreen, Screen
from textual.widgets import Static

from zinger.tui.look import BRASS, DIM, PAPER, VIOLET, legend
from zinger.tui.parts import key_hint


class Dialog(ModalScreen[bool]):
    """A framed text with two answers."""

    def __init__(self, title: str, body: RenderableType, yes: str, no: str = "") -> None:
        super().__init__()
        self.title_text, self.body, self.yes, self.no = title, body, yes, no

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("y,enter", "answer(True)", "yes"),
        Binding("n,escape,q", "answer(False)", "no"),
    ]

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.title_text, Style(color=BRASS, bold=True)))
            with VerticalScroll(id="dialog-body"):
                yield Static(Group(Text(""), self.body))
            keys = [("y", self.yes), ("n", self.no)] if self.no else [("Enter", self.yes)]
            yield Static(Text("\n").append_text(key_hint(keys)))

    def on_mount(self) -> None:
        self.query_one("#dialog-body").focus()  # a long one is read with the arrows, and its keys stay in sight

    def action_answer(self, yes: bool) -> None:
        """Close with the answer."""
        self.dismiss(yes)


def not_saved(changes: Sequence[str]) -> Dialog:
    """Asks whether to leave although the plan's changes are not saved."""
    body = Text("These changes of the plan are not saved:\n\n", PAPER)
    for words in changes[-12:]:
        body.append(f"  {words}\n", VIOLET)
    return Dialog("Leave without saving?", body, "leave", "stay")


def leaving(states: dict[str, str], practice: bool) -> Dialog:
    """Ask before devices are left in the middle of something, and say what state each is in."""
    body = Text("These devices are in the middle of a conversation. They stay as they are:\n\n", PAPER)
    for name, state in states.items():
        body.append(f"  {name:<18}", Style(color=PAPER, bold=True)).append(f"{state}\n", VIOLET)
    body.append("\nThe journal knows where each one stands; `zinger open` goes on from there.", DIM)
    if practice:
        body.append("\nThe practice yard is switched off too: what was not saved is lost, as in a power cut.", DIM)
    return Dialog("Leave now?", body, "leave", "stay")


def message(title: str, words: str) -> Dialog:
    """Something that must be read."""
    return Dialog(title, Text(words, PAPER), "understood")


EVERYWHERE = (("up down Enter", "choose and open"), ("Ctrl-P", "all commands"), ("Ctrl-Q", "quit"))
_NAMES = {"enter": "Enter", "escape": "Esc", "space": "space", "tab": "Tab"}


def help_dialog(screen: Screen[object]) -> Dialog:
    """The keys of a screen, as its bindings tell them, and what the shapes mean."""
    rows = [
        (key_of(screen.app, b), f"{b.description}: {b.tooltip}" if b.tooltip else b.description)
        for b in commands_of(screen)
    ]
    keys = Table.grid(padding=(0, 3, 0, 0))
    for key, what in (*rows, *EVERYWHERE):
        keys.add_row(Text(key, Style(color=BRASS)), Text(what, PAPER))
    return Dialog("Keys and shapes", Group(keys, Text(""), legend()), "close")


def key_of(app: App[object], binding: Binding) -> str:
    """A key as people call it."""
    return _NAMES.get(binding.key, app.get_key_display(binding))


def commands_of(screen: Screen[object]) -> list[Binding]:
    """What a screen's keys can do, in the order of its table: the one source of footer, help and palette."""
    return [binding for binding in screen.BINDINGS if isinstance(binding, Binding) and binding.description]
