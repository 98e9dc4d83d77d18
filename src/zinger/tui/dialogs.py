"""Dialogs: leaving, help, and a message that must be read. Each returns a typed result."""

from __future__ import annotations

from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Static

from zinger.tui.look import BRASS, DIM, GREEN, PAPER, VIOLET, legend
from zinger.tui.parts import key_hint

HELP = (
    (
        "everywhere",
        (
            ("up down Enter", "choose and open"),
            ("[ ]", "previous and next device"),
            ("Esc", "back"),
            ("?", "this help"),
            ("Ctrl-P", "all commands"),
            ("Ctrl-Q", "quit"),
        ),
    ),
    (
        "line-up",
        (
            ("g", "go: carry the devices"),
            ("Enter", "wire of the device"),
            ("p", "its proof"),
            ("r", "read through what will be said"),
            ("n", "next that needs you"),
            ("/", "filter"),
            ("d", "dense or roomy"),
            ("1-9", "that act of the hands list is done"),
            ("h", "write the papers"),
        ),
    ),
    (
        "plan",
        (
            ("e", "from the line-up: the plan; there: edit the value"),
            ("Tab", "while editing: for the device, its role, its site or the baseline"),
            ("space", "select devices, to edit all of them at once"),
            ("m", "look at a repair and make it"),
            ("u y", "undo, redo"),
            ("n", "next finding"),
            ("+", "a new device"),
            ("a", "all settings"),
            ("s", "save"),
            ("i", "import a sheet"),
            ("f", "factory card: how it comes out of its box"),
        ),
    ),
    (
        "wire",
        (
            ("F2", "take the wire; again: hand it back"),
            ("space", "hold before the next phrase; again: go on"),
            ("a", "look again and go on"),
            ("Tab", "go through what it showed; what each line was for"),
            ("/", "find in it"),
            ("F3", "send a break, while you have the wire"),
            ("v", "its recordings, played back: space, + -, arrows, n b"),
        ),
    ),
)


class Dialog(ModalScreen[bool]):
    """A framed text with two answers."""

    def __init__(self, title: str, body: Text, yes: str, no: str = "") -> None:
        super().__init__()
        self.title_text, self.body, self.yes, self.no = title, body, yes, no

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("y,enter", "answer(True)", "yes"),
        Binding("n,escape,q", "answer(False)", "no"),
    ]

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.title_text, Style(color=BRASS, bold=True)))
            yield Static(Text("\n").append_text(self.body))
            keys = [("y", self.yes)] + ([("n", self.no)] if self.no else [])
            yield Static(Text("\n").append_text(key_hint(keys)))

    def action_answer(self, yes: bool) -> None:
        """Close with the answer."""
        self.dismiss(yes)


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


def help_dialog(plan: bool = False) -> Dialog:
    """Keys and shapes; those of the plan, or those of the line-up and what it leads to."""
    body = Text()
    for title, keys in HELP:
        if title != "everywhere" and (title == "plan") is not plan:
            continue
        body.append(f"{title}\n", Style(color=GREEN, bold=True))
        for key, what in keys:
            body.append(f"  {key:<15}", Style(color=BRASS)).append(f"{what}\n", PAPER)
    body.append("\n").append_text(legend())
    return Dialog("Keys and shapes", body, "close")
