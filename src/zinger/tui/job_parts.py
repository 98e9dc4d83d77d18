"""The job itself: practice or live, baseline, sites and roles, and what each says; no text editor is needed for it."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Hashable
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from zinger.desk import jobparts
from zinger.desk.editing import Desk
from zinger.desk.jobparts import JobPart
from zinger.plan.problems import Change
from zinger.plan.settings import SETTINGS
from zinger.plan.values.bad import BadValue
from zinger.plan.values.item import kind_of
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.dialogs import Dialog
from zinger.tui.footer import KeysFooter
from zinger.tui.look import DIM, GREEN, PAPER, ROSE, SLATE, fit
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
            return Text(f" {'mode':<9}", DIM).append(words, Style(color=ROSE if self.live else PAPER, bold=True))
        part = self.parts[index - 1]
        text = Text(f" {part.kind:<9}", DIM).append(f"{fit(part.name, 25):<26}", Style(color=PAPER, bold=True))
        text.append(f"{part.subnet or ('no subnet' if part.kind == 'site' else ''):<20}", SLATE)
        text.append(f"{counted(part.devices, 'device'):<14}", DIM)
        titles = ", ".join(SETTINGS[name].title for name, _ in part.settings if name in SETTINGS)
        return text.append(fit(titles, max(0, width - text.cell_len)), DIM)


class Said(Rows):
    """What a part says of its devices, value by value."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "edit")]

    def __init__(self) -> None:
        super().__init__(id="job-said")
        self.part: JobPart | None = None
        self._version = 0

    def show(self, part: JobPart | None) -> None:
        """Show those of a part."""
        self.part = part
        self.cursor = min(self.cursor, max(0, self.count() - 1))
        self._version += 1
        self.redraw()

    def count(self) -> int:
        return max(1, len(self.part.settings) if self.part else 0)

    def key(self, index: int) -> Any:
        return self.part.settings[index] if self.part and index < len(self.part.settings) else None

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        said = self.key(index)
        if said is None:
            return Text(" nothing yet; + says something" if self.part else "", DIM)
        name, value = said
        title = SETTINGS[name].title if name in SETTINGS else name
        return Text(f" {fit(title, 30):<31}", DIM).append(fit(value, max(8, width - 34)), PAPER)


class JobScreen(PlainScreen):
    """Sites, roles and mode of a job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("tab", "turn", "the other pane", priority=True),
        Binding("e", "edit", "edit a value"),
        Binding("plus", "say", "another setting", tooltip="say one more for the baseline, the site or the role"),
        Binding("b", "subnet", "subnet", tooltip="of the site"),
        Binding("s", "site", "new site"),
        Binding("r", "role", "new role"),
        Binding("c", "copy", "copy", tooltip="another site or role that says the same"),
        Binding("delete", "remove", "remove", tooltip="a value; or a site or role that no device is of"),
        Binding("u", "undo", "undo", tooltip="take the last change back"),
        Binding("escape", "app.back", "back"),
        Binding("question_mark", "app.help", "help"),
    ]

    def __init__(self, desk: Desk, changed: Callable[[], None]) -> None:
        super().__init__("the job", desk.plan.title)
        self._desk, self._changed = desk, changed

    def compose(self) -> ComposeResult:
        yield self.title_line()
        yield Static(Text(" A role is a template for its devices; the nearest layer wins.\n", DIM))
        yield Parts()
        yield Static(id="job-said-title")
        yield Said()
        yield KeysFooter()

    def on_mount(self) -> None:
        self._show()
        self.query_one(Parts).focus()

    def _show(self) -> None:
        self.run_worker(self._look(), exclusive=True)

    async def _look(self) -> None:
        plan = await asyncio.to_thread(self._desk.resolved)
        for parts in self.query(Parts):  # none, if the screen was left meanwhile
            parts.show(plan.mode == "live", jobparts.parts_of(self._text, plan))
            self._turn_to_part()

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

    @property
    def _part(self) -> JobPart | None:
        """The part under the cursor; None on the mode."""
        part = self.query_one(Parts).selected
        return None if part == MODE else part

    def _turn_to_part(self) -> None:
        part = self._part
        words = f" what {part.kind} {part.name} says" if part and part.kind != "baseline" else " what all devices share"
        title = Text(words, Style(color=GREEN, bold=True)) if part else Text()
        self.query_one("#job-said-title", Static).update(title)
        self.query_one(Said).show(part)

    def on_rows_moved(self, event: Rows.Moved) -> None:
        if event.rows.id == "job-parts":
            self._turn_to_part()

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if event.rows.id == "job-said":
            self.action_edit()
        else:
            self._rename()

    def action_turn(self) -> None:
        """The other pane."""
        parts = self.query_one(Parts)
        self.set_focus(self.query_one(Said) if parts.has_focus else parts)

    def action_edit(self) -> None:
        """Another value for the setting under the cursor."""
        said = self.query_one(Said).selected
        if self._part is None or said is None:
            self.notify("choose a part with values first; + says a new one")
        else:
            self._say(self._part, *said)

    def action_say(self) -> None:
        """One setting more."""
        part = self._part
        if part is None:
            self.notify("choose the baseline, a site or a role first")
            return
        there = {name for name, _ in part.settings}
        names = [name for name in SETTINGS if name not in there]

        def chosen(name: str | None) -> None:
            if name is not None:
                self._say(part, name, "")

        choices = [(name, SETTINGS[name].title) for name in names]
        self.app.push_screen(ChoiceDialog(f"What does {part.kind} {part.name} say?", choices, "", names), chosen)

    def _say(self, part: JobPart, name: str, text: str) -> None:
        """Ask for a value until it is one, or left."""
        title = SETTINGS[name].title if name in SETTINGS else name

        def typed(answer: str) -> None:
            if wrong := self._desk.refusal(name, answer):
                self.notify(wrong, severity="warning")
                self._say(part, name, answer)
                return
            self._make(lambda: [part.change(name, answer.strip() or None)], f"{title} of {part.kind} {part.name}")

        kind = kind_of(SETTINGS[name].parse) if name in SETTINGS else None
        self._ask(f"{title} of {part.kind} {part.name}", typed, text, kind.example if kind else "empty takes it away")

    def action_copy(self) -> None:
        """Another site or role that says the same."""
        part = self._part
        if part is None or part.kind not in ("site", "role"):
            self.notify("choose a site or a role first")
            return

        def named(name: str) -> None:
            def made(subnet: str = "") -> None:
                self._make(lambda: jobparts.copied(self._text, part, name, subnet), f"{name}, like {part.name}")

            if part.kind == "site":
                self._ask(f"Which subnet has {name}?", made, hint="10.44.8.0/24; empty for none")
            else:
                made()

        self._ask(f"What is the {part.kind} called that says what {part.name} says?", named)

    def _rename(self) -> None:
        """Another name, also in the rows of its devices; on the mode, the other one."""
        part = self._part
        if part is None:
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
        part = self._part
        if part is None or part.kind != "site":
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
        """Take the value under the cursor away; or the site or role, if no device is of it."""
        part, said = self._part, self.query_one(Said)
        if part is None:
            return
        if said.has_focus and said.selected is not None:
            name = said.selected[0]
            self._make(lambda: [part.change(name, None)], f"{name} of {part.kind} {part.name} taken away")
        else:
            self._make(lambda: jobparts.removed(part), f"{part.kind} {part.name} removed")

    def action_undo(self) -> None:
        """Take the last change back."""
        words = self._desk.undo()
        self.notify(f"taken back: {words}" if words else "nothing can be taken back")
        self._show()
        self._changed()
