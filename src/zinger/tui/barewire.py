"""The bare wire: consoles of devices that no phrasebook knows, side by side, with the keys of a terminal and marks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.screen import Screen
from textual.widgets import Input, Static

from zinger.link.base import LinkError
from zinger.run.barewire import ENDS, BareWire, MarkKind
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.console import Console
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, GREEN, INK, PAPER, ROSE, VIOLET
from zinger.tui.parts import TICK
from zinger.tui.termkeys import key_as_bytes
from zinger.tui.typing_guard import GuardedApp

Offered = Sequence[tuple[str, str]]
"""What can be typed by one key: what it is called, and the text."""


class WirePane(Vertical, can_focus=True):
    """One console; every key that is none of ours goes to the device."""

    OURS: ClassVar[frozenset[str]] = frozenset({f"f{n}" for n in range(1, 13)} | {"ctrl+q", "shift+pageup"})

    def __init__(self, wire: BareWire, number: int) -> None:
        super().__init__(id=f"pane{number}", classes="pane")
        self.wire = wire

    def compose(self) -> ComposeResult:
        yield Static(classes="pane-title")
        yield Console(empty="nothing came from it yet")

    def on_key(self, event: events.Key) -> None:
        if event.key in self.OURS:
            return
        data = key_as_bytes(event)
        if data:
            event.stop()
            event.prevent_default()
            if not self.wire.type(data):
                self.notify(self.wire.why_nothing_is_sent, timeout=2)

    def on_paste(self, event: events.Paste) -> None:
        event.stop()
        self.run_worker(self.wire.paste(event.text), exclusive=True, group=str(self.id))

    def follow(self, alone: bool) -> None:
        """Show what came."""
        wire = self.wire
        self.query_one(Console).show(wire, None)
        sign, colour = ("●", GREEN) if wire.is_open else ("▲", ROSE)
        text = Text(f"{sign} ", colour).append(wire.name, Style(color=PAPER, bold=True))
        if wire.listen_only:
            text.append("  ").append(" LISTEN ONLY: nothing is sent ", Style(color=INK, bgcolor=VIOLET, bold=True))
        text.append(f"  {wire.state}", DIM if wire.is_open else ROSE)
        text.append(f"  Enter sends {wire.enter}" if wire.is_open and not wire.listen_only else "", DIM)
        if wire.pasting:
            text.append(f"  pasting, {wire.pasting} lines left", BRASS)
        lines = text.wrap(self.app.console, max(20, self.size.width - 5))
        mark = Text(" ▌ " if self.has_focus and not alone else "   ", BRASS)
        self.query_one(".pane-title", Static).update(mark.append_text(Text("\n     ").join(lines)))


class BareWires(Screen[None]):
    """Wires side by side."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("f2", "listen", "listen only", tooltip="nothing is sent; again: typing goes to the device"),
        Binding("f3", "send_break", "break", tooltip="a serial break"),
        Binding("f4", "type", "type ...", tooltip="an entry of the vault, or a value of the plan, without Enter"),
        Binding("f5", "mark('prompt')", "a prompt", tooltip="mark the present line: the device waits for a command"),
        Binding("f6", "mark('saves')", "saves", tooltip="mark: this saves"),
        Binding("f7", "mark('noise')", "noise", tooltip="mark the present line: nothing asked for it"),
        Binding("f8", "note", "note", tooltip="a note in the recording"),
        Binding("f9", "enter", "Enter is ...", tooltip="what Enter sends: CR, LF or both"),
        Binding("f10", "find", "find", tooltip="find in what it showed; Escape goes back to typing"),
        Binding("f11", "turn", "next wire", tooltip="the next of several"),
        Binding("f12", "again", "dial again", tooltip="after it was lost"),
        Binding("ctrl+q", "app.quit", "leave", priority=True),
    ]

    def __init__(self, wires: Sequence[BareWire], offered: Offered) -> None:
        super().__init__()
        self._wires, self._offered = wires, offered
        self._open: list[bool] = []
        self._at = 0
        """The wire that keys are for, at once: the focus follows a moment later."""

    def compose(self) -> ComposeResult:
        title = Text.assemble((" ZINGER ", Style(color=INK, bgcolor=BRASS, bold=True)), "  ")
        title.append("bare wire", Style(color=PAPER, bold=True))
        title.append("  typing goes to the device, all is recorded", DIM)
        yield Static(title, id="bare-title")
        with Horizontal(id="panes"):
            for number, wire in enumerate(self._wires):
                yield WirePane(wire, number)
        yield Input(placeholder="find; Enter looks further up, Escape leaves", id="bare-find")
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one("#bare-find").display = False
        self.set_interval(TICK, self._follow)
        self.query(WirePane).first().focus()
        for wire in self._wires:
            self.run_worker(wire.open(), name=wire.name)

    def _follow(self) -> None:
        for pane in self.query(WirePane):
            pane.follow(len(self._wires) == 1)
        if self._open != (is_open := [wire.is_open for wire in self._wires]):
            self._open = is_open
            self.refresh_bindings()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Only what can be done now is in the footer."""
        if action == "turn":
            return len(self._wires) > 1
        return not all(wire.is_open for wire in self._wires) if action == "again" else True

    @property
    def _pane(self) -> WirePane:
        """The one that is typed into."""
        return list(self.query(WirePane))[self._at]

    def action_listen(self) -> None:
        """Send nothing, or send what is typed."""
        wire = self._pane.wire
        wire.listen_only = not wire.listen_only

    def action_send_break(self) -> None:
        """Send a break."""
        try:
            sent = self._pane.wire.send_break()
            self.notify("a break was sent" if sent else "listen only, or nobody is there: no break was sent")
        except LinkError as error:
            self.notify(str(error))

    def action_type(self) -> None:
        """Have something typed that is known already."""
        wire = self._pane.wire
        choices: list[tuple[tuple[str, str], str]] = [((name, ""), f"password  {name}") for name in wire.entries]
        choices += [((name, text), f"{name}  {text}") for name, text in self._offered]
        if not choices:
            self.notify("give --job JOB (and --device NAME): its vault and its plan can be typed by this key then")
            return

        def chosen(what: tuple[str, str] | None) -> None:
            if what is not None:
                name, text = what
                sent = wire.type(text) if text else wire.type_entry(name)
                self.notify(f"{name} typed; Enter is yours" if sent else wire.why_nothing_is_sent)
            self._pane.focus()

        self.app.push_screen(ChoiceDialog("What is typed? Enter after it is yours.", choices), chosen)

    def action_mark(self, kind: str) -> None:
        """Mark the present line."""
        self.notify(f"marked: {self._pane.wire.mark(MarkKind(kind))}", timeout=3)

    def action_note(self) -> None:
        """A note in the recording."""
        wire = self._pane.wire

        def typed(text: str | None) -> None:
            if text and text.strip():
                wire.mark(MarkKind.NOTE, text.strip())
            self._pane.focus()

        self.app.push_screen(LineDialog("A note in the recording"), typed)

    def action_enter(self) -> None:
        """What Enter sends."""
        ends = list(ENDS)
        wire = self._pane.wire
        wire.enter = ends[(ends.index(wire.enter) + 1) % len(ends)]

    def action_find(self) -> None:
        """Find in what it showed."""
        box = self.query_one("#bare-find", Input)
        box.display = True
        self.set_focus(box)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        console = self._pane.query_one(Console)
        if not console.find(event.value):
            self.notify(f"{event.value!r} was not shown")

    def on_descendant_focus(self, event: events.DescendantFocus) -> None:
        if isinstance(event.widget, WirePane):
            self._at = list(self.query(WirePane)).index(event.widget)

    def on_key(self, event: events.Key) -> None:
        box = self.query_one("#bare-find", Input)
        if event.key == "escape" and box.has_focus:
            event.stop()
            box.value, box.display = "", False
            self._pane.query_one(Console).find("")
            self._pane.focus()
        elif event.key == "escape" and isinstance(self.focused, Console):  # it was clicked, to scroll
            event.stop()
            self._pane.focus()

    def action_turn(self) -> None:
        """The next wire."""
        self._at = (self._at + 1) % len(self._wires)
        self._pane.focus()

    def action_again(self) -> None:
        """Dial again what was lost."""
        self.run_worker(self._pane.wire.open())


class WireApp(GuardedApp):
    """The bare wires as a program."""

    CSS_PATH = "zinger.tcss"
    TITLE = "Zinger"
    ENABLE_COMMAND_PALETTE = False

    def __init__(self, wires: Sequence[BareWire], offered: Offered) -> None:
        super().__init__()
        self._wires, self._offered = wires, offered

    def on_mount(self) -> None:
        self.push_screen(BareWires(self._wires, self._offered))

    def on_unmount(self) -> None:
        """A link is closed while its loop still runs."""
        for wire in self._wires:
            wire.close()
