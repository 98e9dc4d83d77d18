"""The job itself: practice or live, its sites and its roles; made, renamed and removed without a text editor."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Hashable
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Footer, Static

from zinger.desk import jobparts
from zinger.desk.editing import Desk
from zinger.desk.jobparts import JobPart
from zinger.plan.problems import Change
from zinger.plan.settings import SETTINGS
from zinger.plan.values.bad import BadValue
from zinger.tui.choosing import LineDialog
from zinger.tui.dialogs import Dialog
from zinger.tui.look import DIM, PAPER, ROSE, SLATE, fit
from zinger.tui.parts import PlainScreen
from zinger.tui.rows import Rows
from zinger.wording import counted

MODE = "mode"


class Parts(Rows):
    """The mode, then each site and role with what it says."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "rename, or turn the mode")]

    def __init__(self) -> None:
        super().__init__(id="job-parts")
        self.live = False
        self.parts: list[JobPart] = []
        self._version = 0

    def show(self, live: bool, parts: list[JobPart]) -> None:
        """Show these; the cursor stays."""
        self.live, self.parts = live, parts
        self._version += 1
        self.redraw()

    def count(self) -> int:
        return len(self.parts) + 1

    def key(self, index: int) -> Any:
        return self.parts[index - 1] if index else MODE

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        if not index:
            words = "LIVE: real devices are spoken to" if self.live else "practice: simulated devices only"
            return Text(" mode    ", DIM).append(words, Style(color=ROSE if self.live else PAPER, bold=True))
        part = self.parts[index - 1]
        text = Text(f" {part.kind:<8}", DIM).append(f"{fit(part.name, 25):<26}", Style(color=PAPER, bold=True))
        text.append(f"{part.subnet or ('no subnet' if part.kind == 'site' else ''):<20}", SLATE)
        text.append(f"{counted(part.devices, 'device'):<14}", DIM)
        titles = ", ".join(SETTINGS[name].title for name in part.settings if name in SETTINGS)
        return text.append(fit(titles, max(0, width - text.cell_len)), DIM)


class JobScreen(PlainScreen):
    """Sites, roles and mode of a job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("b", "subnet", "subnet", tooltip="of the site"),
        Binding("s", "site", "new site"),
        Binding("r", "role", "new role"),
        Binding("delete", "remove", "remove", tooltip="a site or role that no device is of"),
        Binding("u", "undo", "undo", tooltip="take the last change back"),
        Binding("escape", "app.back", "back"),
        Binding("question_mark", "app.help", "help"),
    ]

    def __init__(self, desk: Desk, changed: Callable[[], None]) -> None:
        super().__init__("the job", desk.plan.title)
        self._desk, self._changed = desk, changed

    def compose(self) -> ComposeResult:
        yield self.title_line()
        words = " Its sites and roles. What they say of devices is edited on the plan: e, then Tab.\n"
        yield Static(Text(words, DIM))
        yield Parts()
        yield Footer()

    def on_mount(self) -> None:
        self._show()
        self.query_one(Parts).focus()

    def _show(self) -> None:
        self.run_worker(self._look(), exclusive=True)

    async def _look(self) -> None:
        plan = await asyncio.to_thread(self._desk.resolved)
        for parts in self.query(Parts):  # none, if the screen was left meanwhile
            parts.show(plan.mode == "live", jobparts.parts_of(self._text, plan))

    @property
    def _text(self) -> str:
        return self._desk.edits.files.job

    def _make(self, made: Callable[[], list[Change]], words: str) -> None:
        try:
            changes = made()
        except BadValue as error:
            self.notify(str(error), severity="warning")
            return
        self._desk.make(changes, words)
        self._show()
        self._changed()

    def _ask(self, title: str, then: Callable[[str], None], text: str = "", hint: str = "") -> None:
        def typed(answer: str | None) -> None:
            if answer is not None:
                then(answer)

        self.app.push_screen(LineDialog(title, text=text, placeholder=hint), typed)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self._rename()

    def _rename(self) -> None:
        """Another name, also in the rows of its devices; on the mode, the other one."""
        part = self.query_one(Parts).selected
        if part == MODE:
            self._turn_mode()
            return
        self._ask(
            f"What is {part.kind} {part.name} called?",
            lambda name: self._make(
                lambda: jobparts.renamed(self._text, self._desk.plan, part, name), f"{part.name} is called {name}"
            ),
            part.name,
        )

    def _turn_mode(self) -> None:
        live = not self.query_one(Parts).live
        body = Text("Real devices are spoken to from the next opening of the job on.", ROSE)
        if not live:
            body = Text("Only simulated devices are spoken to from the next opening of the job on.", PAPER)

        def answer(yes: bool | None) -> None:
            if yes:
                self._make(lambda: jobparts.set_mode(live), "live" if live else "practice")

        self.app.push_screen(Dialog("Live?" if live else "Practice?", body, "yes", "no"), answer)

    def action_subnet(self) -> None:
        """The subnet of the site under the cursor."""
        part = self.query_one(Parts).selected
        if part == MODE or part.kind != "site":
            self.notify("choose a site first")
            return
        self._ask(
            f"Which subnet has {part.name}?",
            lambda text: self._make(lambda: jobparts.resubnetted(part, text), f"subnet of {part.name}"),
            part.subnet,
            "10.44.8.0/24; empty for none",
        )

    def action_site(self) -> None:
        """A new site."""

        def named(name: str) -> None:
            self._ask(
                f"Which subnet has {name}?",
                lambda text: self._make(lambda: jobparts.new_site(self._text, name, text), f"site {name}"),
                hint="10.44.8.0/24; empty for none",
            )

        self._ask("What is the new site called?", named)

    def action_role(self) -> None:
        """A new role."""
        self._ask(
            "What is the new role called?",
            lambda name: self._make(lambda: jobparts.new_role(self._text, name), f"role {name}"),
        )

    def action_remove(self) -> None:
        """Remove a site or role that no device is of."""
        part = self.query_one(Parts).selected
        if part != MODE:
            self._make(lambda: jobparts.removed(part), f"{part.kind} {part.name} removed")

    def action_undo(self) -> None:
        """Take the last change back."""
        words = self._desk.undo()
        self.notify(f"taken back: {words}" if words else "nothing can be taken back")
        self._show()
        self._changed()
