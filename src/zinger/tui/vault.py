"""Dialogs about the vault's entries: which one, and a password that was chosen by hand, typed twice."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input, Static

from zinger.plan.values.secrets import SecretRef
from zinger.tui.look import BRASS, DIM, PAPER, ROSE, fit
from zinger.tui.parts import key_hint
from zinger.tui.rows import Rows


class Entries(Rows):
    """The entries, by name; what they hold is shown nowhere."""

    one_click = True

    def __init__(self, refs: Sequence[SecretRef]) -> None:
        super().__init__(id="entries")
        self.refs = refs
        self.styles.height = min(12, max(1, len(refs)))

    def count(self) -> int:
        return max(1, len(self.refs))

    def key(self, index: int) -> Any:
        return self.refs[index] if self.refs else None

    def draw(self, index: int, width: int) -> Text:
        if not self.refs:
            return Text(" nothing of this device is in the vault yet", DIM)
        return Text(f" {fit(self.refs[index].name, width - 2)}", PAPER)


class PickEntry(ModalScreen[SecretRef | None]):
    """Which entry of the vault; None for none of them."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "dismiss(None)", "none of these")]

    def __init__(self, title: str, refs: Sequence[SecretRef], does: str, none: str) -> None:
        super().__init__()
        self.heading, self.refs, self.does, self.none = title, refs, does, none

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.heading, Style(color=BRASS, bold=True)))
            yield Static("")
            yield Entries(self.refs)
            yield Static(Text("\n").append_text(key_hint([("Enter", self.does), ("Esc", self.none)])))

    def on_mount(self) -> None:
        self.query_one(Entries).focus()

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.dismiss(event.key)


class AskPassword(ModalScreen[str | None]):
    """A password, typed twice and not shown; None where the person does not give it."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "dismiss(None)", "not given")]

    def __init__(self, title: str, entry: SecretRef, none: str = "it was not changed") -> None:
        super().__init__()
        self.heading, self.entry, self.none = title, entry, none

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self.heading, Style(color=BRASS, bold=True)))
            yield Static(
                Text(f"\nType it twice; it is not shown. The vault's entry {self.entry.name} holds it then.\n", PAPER)
            )
            yield Input(password=True, placeholder="the password", id="first")
            yield Input(password=True, placeholder="the same again", id="again")
            yield Static("", id="refusal")
            yield Static(Text("\n").append_text(key_hint([("Enter", "goes on"), ("Esc", self.none)])))

    def on_mount(self) -> None:
        self.query_one("#first", Input).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        first, again = (self.query_one(f"#{name}", Input) for name in ("first", "again"))
        if event.input is first:
            again.focus()
        elif not first.value or first.value != again.value:
            again.value = ""
            self.query_one("#refusal", Static).update(Text("The two differ. Type them again.", ROSE))
            first.focus()
        else:
            self.dismiss(first.value)
