"""Plan: the build sheet as a tree, the values of a device with their origins, what is wrong, and editing in place.

The plan is resolved on another thread after every change, and while one types: a finding moves or vanishes before
the change is made. What is drawn never waits for it.
"""

from __future__ import annotations

import asyncio
import gc
import time
from collections.abc import Sequence
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.message import Message
from textual.widgets import Footer, Input, Static

from zinger.desk.editing import Desk, Place
from zinger.plan.files.editing import Conflict
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.model import Device, Plan
from zinger.plan.problems import Change, Problem
from zinger.plan.settings import SETTINGS
from zinger.store.folder import JobFolderError
from zinger.tui.dialogs import Dialog, message
from zinger.tui.look import BRASS, DIM, GREEN, PAPER, ROSE, VIOLET, fit
from zinger.tui.parts import COMMON, ZingerScreen
from zinger.tui.plan_parts import Facts, Findings, LadderView, PlanHeadline, Tree, Values, problems_of
from zinger.tui.rows import Rows

TRY_AFTER = 0.15
"""Seconds without a key before a text is tried."""
LOOK_EVERY = 2.0
"""Seconds between two looks whether the files changed outside."""


class Editor(Input):
    """The line in which a value is typed, over the value itself; Tab chooses where it goes."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("tab", "place(1)", "where it goes", priority=True),
        Binding("escape", "drop", "leave it", priority=True),
        # at once, or what is typed right behind it would be taken away with the rest
        Binding("ctrl+u", "delete_left_all", show=False, priority=True),
    ]

    class Dropped(Message):
        """The person left it as it was."""

    class Moved(Message):
        """The person wants it to go elsewhere."""

    def action_place(self, by: int) -> None:
        """Another place for the value."""
        self.post_message(self.Moved())

    def action_drop(self) -> None:
        """Leave the value as it is."""
        self.post_message(self.Dropped())


class PlanScreen(ZingerScreen):
    """The plan, to look at and to change."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("e", "edit", "edit", tooltip="the value; Tab: for the device, its role, its site or the baseline"),
        Binding("m", "repair", "repair", tooltip="look at the repair of a finding, and make it"),
        Binding("n", "next", "next finding", tooltip="the next thing that is wrong or doubtful"),
        Binding("u", "undo", "undo", tooltip="take the last change back"),
        Binding("y", "redo", "redo", show=False, tooltip="make it again"),
        Binding("s", "save", "save", tooltip="write the plan's files"),
        Binding("slash", "filter", "filter", tooltip="by name, family, site, role or finding"),
        Binding("space", "choose", "select", tooltip="several devices, to edit all of them at once"),
        Binding("f", "card", "factory card", tooltip="how its family comes out of its carton"),
        Binding("plus", "add", "add a device", show=False, tooltip="a new row in the build sheet"),
        Binding(
            "a", "everything", "all settings", show=False, tooltip="also those that are not planned; again: only those"
        ),
        Binding("i", "import", "import", show=False, tooltip="bring in somebody's sheet"),
        Binding("tab", "turn(1)", "next pane", show=False, priority=False, tooltip="devices, values, findings"),
        *COMMON,
    ]

    def __init__(self, desk: Desk, device: str | None = None) -> None:
        super().__init__()
        self.desk, self._wanted = desk, device
        self._shown: Plan | None = None
        self._problems: dict[str, list[Problem]] = {}
        self._turned = False
        self._new_row: int | None = None
        self._working = False
        self._again = False
        self._editing: tuple[list[Device], str, list[Place]] | None = None
        self._place = 0
        self._typed_at = 0.0
        self._looked = time.monotonic()

    def compose(self) -> ComposeResult:
        yield PlanHeadline(self.host.job.board, "plan", self.host.job.plan.title)
        yield Input(placeholder="name, family, site, role, address, error; Enter keeps, Escape clears", id="filter")
        with Horizontal(id="plan-body"):
            yield Tree()
            with Vertical(id="plan-right"):
                yield Facts(id="facts")
                yield Values()
        yield LadderView()
        yield Static(id="plan-note")
        yield Findings()
        yield Editor(id="editor", select_on_focus=False)
        yield Static(id="editor-note")
        yield Footer()

    def on_mount(self) -> None:
        self.query_one("#filter").display = False
        self._show_editor(False)
        tree = self.query_one(Tree)
        self._take(self.desk.plan)
        tree.action_ends(0)
        if self._wanted:
            tree.select(self._wanted)
        elif tree.device is None:
            tree.action_step(1)
        tree.focus()
        super().on_mount()

    # -- showing -------------------------------------------------------------------------------------
    def _take(self, plan: Plan) -> None:
        """Show a plan everywhere."""
        self._shown, self._problems = plan, problems_of(plan)
        gc.freeze()  # a plan holds millions of objects in no cycles; looking through them would stop the screen
        self.query_one(PlanHeadline).take(plan, len(self.desk.edits.unsaved))
        known = {family: self.desk.rules.get(family) for family in {d.family for d in plan.devices}}
        self.query_one(Tree).take(plan, {name: rules.title for name, rules in known.items() if rules})
        self.query_one(Findings).take(plan)
        self._turn_to_device()
        self._say_note()

    def _settle(self) -> None:
        """Show the device on which the cursor came to stand; done at the next tick, so that moving is never slow."""
        if self._turned:
            self._turned = False
            self._turn_to_device()

    def _turn_to_device(self) -> None:
        if self._shown is None:
            return
        tree = self.query_one(Tree)
        device = tree.device
        rules = self.desk.rules.get(device.family) if device else None
        facts, values = self.query_one(Facts), self.query_one(Values)
        facts.device, facts.title, facts.ports = device, rules.title if rules else "", rules.ports if rules else ()
        values.show(device, self._problems.get(device.name, []) if device else [], rules.has if rules else None)
        facts.setting = values.selected
        facts.look()
        site = tree.site
        self.query_one(LadderView).take(tree.at_site.get(site.key, []) if site else [], site, device)

    def _say_note(self) -> None:
        note = Text().append(" findings", Style(color=ROSE, bold=True))
        note.append(" · before a single cable is touched", DIM)
        chosen = self.query_one(Tree).chosen
        if chosen:
            note.append(f"    {len(chosen)} selected: an edit goes to all of them", VIOLET)
        self.query_one("#plan-note", Static).update(note)

    def on_rows_moved(self, event: Rows.Moved) -> None:
        if event.rows.id == "tree":
            self._turned = True
        elif event.rows.id == "values":
            facts = self.query_one(Facts)
            facts.setting = event.key
            facts.look()

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if event.rows.id == "values":
            self.action_edit()
        elif event.rows.id == "problems":
            self._go_to_problem()
        elif self.query_one(Tree).device is None:
            self.query_one(Tree).fold()
        else:
            self.set_focus(self.query_one(Values))

    def on_resize(self) -> None:
        self._show_editor(self._editing is not None)

    def follow(self) -> None:
        """Try what is being typed, and look whether the files changed outside."""
        now = time.monotonic()
        self._settle()
        if self._editing and not self._working and self._typed_at and now - self._typed_at > TRY_AFTER:
            self._typed_at = 0.0
            self._try()
        if now - self._looked > LOOK_EVERY and not self._editing:
            self._looked = now
            self.run_worker(self._look_outside(), exclusive=True, group="outside")

    # -- resolving -----------------------------------------------------------------------------------
    def _resolve(self) -> None:
        """Resolve on another thread and show what comes back; coalesces while one is under way."""
        self.query_one(PlanHeadline).unsaved = len(self.desk.edits.unsaved)
        self.query_one(PlanHeadline).look()
        if self._working:
            self._again = True
            return
        self._working = True
        self.run_worker(self._resolved(), group="resolve")

    async def _resolved(self) -> None:
        try:
            while True:
                self._again = False
                plan = await asyncio.to_thread(self.desk.resolved)
                if not self._again:
                    break
        finally:
            self._working = False
        self._take(plan)
        new = next((d.name for d in plan.devices if self._new_row and d.spot.line == self._new_row), None)
        if new is not None:
            self._new_row = None
            self.query_one(Tree).select(new)
            self._turn_to_device()

    def _try(self) -> None:
        """Show what the plan would be with what is typed now, and say what that changes."""
        box = self.query_one(Editor)
        assert self._editing is not None
        devices, setting, places = self._editing
        wrong = self.desk.refusal(setting, box.value)
        if wrong:
            self._say_editor(Text(f" {wrong}", ROSE))
            return
        changes = self.desk.changes(devices, setting, box.value, places[self._place])
        self._working = True
        self.run_worker(self._tried_out(changes), group="resolve")

    async def _tried_out(self, changes: Sequence[Change]) -> None:
        try:
            plan = await asyncio.to_thread(self.desk.tried, changes)
        finally:
            self._working = False
        if self._editing is None:
            self._resolve()
            return
        before, after = set(self.desk.plan.problems), set(plan.problems)
        gone, new = before - after, after - before
        text = Text()
        if gone:
            text.append(f" {len(gone)} finding{'s' * (len(gone) > 1)} would go  ", GREEN)
        for problem in list(new)[:1]:
            text.append(f" new: {problem.what}", ROSE)
        if len(new) > 1:
            text.append(f" and {len(new) - 1} more", ROSE)
        self._say_editor(text if gone or new else Text(" nothing else changes", DIM))
        self.query_one(Findings).take(plan)
        self.query_one(PlanHeadline).take(plan, len(self.desk.edits.unsaved) + 1)

    # -- editing -------------------------------------------------------------------------------------
    def _devices(self) -> list[Device]:
        tree = self.query_one(Tree)
        if tree.chosen and self._shown:
            return [d for d in self._shown.devices if d.name in tree.chosen]
        return [tree.device] if tree.device else []

    def action_edit(self) -> None:
        """Edit the value under the cursor, where it stands."""
        self._settle()
        values, devices = self.query_one(Values), self._devices()
        if not devices or values.selected is None:
            self.notify("choose a device and a value first")
            return
        setting = values.selected
        self._editing = (devices, setting, self.desk.places(devices, setting))
        self._place = 0
        box = self.query_one(Editor)
        box.value = self.desk.text(devices[0], setting)
        box.cursor_position = len(box.value)
        self._show_editor(True)
        self._say_editor()
        self.set_focus(box)

    def _show_editor(self, shown: bool) -> None:
        """Put the editor over the value, and its note on the line below."""
        box, note = self.query_one(Editor), self.query_one("#editor-note", Static)
        box.display = note.display = shown
        if not shown:
            return
        values = self.query_one(Values)
        region = values.region
        at, _ = values.columns(region.width - 1)
        y = min(max(region.y + values.cursor - values.scroll_offset.y, region.y), self.size.height - 4)
        box.styles.offset = (region.x + at + 1, y)
        box.styles.width = max(20, region.width - at - 1)
        note.styles.offset = (region.x, y + 1)
        note.styles.width = region.width

    def _say_editor(self, news: Text | None = None) -> None:
        """Where the value goes, and what trying it told."""
        if self._editing is None:
            return
        _, setting, places = self._editing
        text = Text(" for ", DIM)
        for number, place in enumerate(places):
            here = number == self._place
            text.append(f" {place.words} ", Style(color=BRASS if here else DIM, reverse=here, bold=here))
        text.append("  Tab, Enter, Esc", DIM)
        news = news or Text(f" {SETTINGS[setting].reference if setting in SETTINGS else ''}", DIM)
        room = self.query_one(Values).region.width
        second = news.copy()
        second.truncate(room, overflow="ellipsis")
        self.query_one("#editor-note", Static).update(Text.assemble(text, "\n", second))

    def on_input_changed(self, event: Input.Changed) -> None:
        if event.input.id == "filter":
            tree = self.query_one(Tree)
            tree.wanted = event.value
            tree.lay_out()
            self._turned = True
        elif self._editing:
            self._typed_at = time.monotonic()

    def on_editor_moved(self) -> None:
        if self._editing:
            self._place = (self._place + 1) % len(self._editing[2])
            self._say_editor()
            self._typed_at = time.monotonic() - TRY_AFTER

    def on_editor_dropped(self) -> None:
        self._close_editor()
        self._resolve()

    def _close_editor(self) -> None:
        self._editing = None
        self._show_editor(False)
        self.set_focus(self.query_one(Values))

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.input.id == "filter":
            self.query_one("#filter").display = bool(event.value)
            self.query_one(Tree).focus()
            return
        if self._editing is None:
            return
        devices, setting, places = self._editing
        wrong = self.desk.refusal(setting, event.value)
        if wrong:
            self._say_editor(Text(f" {wrong}", ROSE))
            return
        place = places[self._place]
        changes = self.desk.changes(devices, setting, event.value, place)
        same = all(self.desk.edits.current(c) == c.text for c in changes)
        if not same and changes:
            title = SETTINGS[setting].title if setting in SETTINGS else setting
            of = devices[0].name if place.words == "this device" else place.words
            self.desk.make(changes, f"{title} of {of}")
        self._close_editor()
        self._resolve()

    # -- findings and repairs ------------------------------------------------------------------------
    def action_next(self) -> None:
        """Go to the next finding: its device, its value."""
        findings = self.query_one(Findings)
        if not findings.problems:
            self.notify("no errors, no warnings")
            return
        if findings.has_class("-visited"):
            findings.cursor = (findings.cursor + 1) % len(findings.problems)
        findings.add_class("-visited")
        findings.scroll_to(y=max(0, findings.cursor - 1), animate=False)
        findings.refresh()
        self._go_to_problem()

    def _go_to_problem(self) -> None:
        problem = self.query_one(Findings).problem
        if problem is None:
            return
        if problem.devices:
            self.query_one(Tree).select(problem.devices[0])
            self._turn_to_device()
        if problem.setting:
            self.query_one(Values).select(problem.setting)

    def action_repair(self) -> None:
        """Show what a repair would change, and make it if that is wanted."""
        problem = self.query_one(Findings).problem
        if problem is None or problem.repair is None:
            self.notify("there is no safe repair for this finding; edit the value")
            return
        body = Text(f"{problem.what}\n\n", PAPER)
        for change in problem.repair.changes:
            now = self.desk.edits.current(change)
            where = f"row {change.row} of {self.desk.edits.base.sheet_name}" if change.row else "job.yaml"
            body.append(f"  {where}, {'.'.join(change.path)}\n", DIM)
            body.append(f"    - {fit(now or '(nothing)', 66)}\n", ROSE)
            body.append(f"    + {fit(change.text or '(nothing)', 66)}\n", GREEN)

        def answer(yes: bool | None) -> None:
            if yes and self.desk.repair(problem):
                self._resolve()

        title = f"Repair: {problem.repair.words}"
        self.app.push_screen(Dialog(title, body, "make it; u takes it back", "leave it"), answer)

    def action_undo(self) -> None:
        """Take the last step back."""
        words = self.desk.undo()
        self.notify(f"taken back: {words}" if words else "nothing to take back")
        self._resolve()

    def action_redo(self) -> None:
        """Do again what was taken back."""
        words = self.desk.redo()
        self.notify(f"done again: {words}" if words else "nothing to do again")
        self._resolve()

    # -- files ---------------------------------------------------------------------------------------
    def action_save(self) -> None:
        """Write the files."""
        self.run_worker(self._save(), exclusive=True, group="save")

    async def _save(self) -> None:
        if not self.desk.edits.unsaved:
            self.notify("nothing to save")
            return
        try:
            conflicts = await asyncio.to_thread(self.desk.save)
        except (JobFolderError, UnreadableError) as error:
            self.app.push_screen(message("The plan was not saved", str(error)))
            return
        if conflicts:
            self._ask(conflicts)
            return
        self.notify(f"saved in {self.desk.folder.path.name}")
        self.host.plan_changed()
        self._resolve()

    def _ask(self, conflicts: list[Conflict]) -> None:
        body = Text("The files were changed by somebody else too, in the same places:\n\n", PAPER)
        for conflict in conflicts[:8]:
            body.append(f"  {conflict}\n", VIOLET)
        body.append("\nNothing is written before you decide.", DIM)

        def answer(ours: bool | None) -> None:
            try:
                self.desk.decide(bool(ours))
            except (JobFolderError, UnreadableError) as error:
                self.app.push_screen(message("Nothing was decided", str(error)))
            self._resolve()

        self.app.push_screen(Dialog("Changed here and outside", body, "mine", "theirs"), answer)

    async def _look_outside(self) -> None:
        try:
            changed, conflicts = await asyncio.to_thread(self.desk.look_outside)
        except (JobFolderError, UnreadableError) as error:
            self.notify(str(error), severity="warning")
            return
        if conflicts:
            self._ask(conflicts)
        elif changed:
            kept = "; your changes are kept" if self.desk.edits.unsaved else ""
            self.notify(f"the files were changed outside and are read again{kept}")
            self._resolve()

    # -- moving about --------------------------------------------------------------------------------
    def action_turn(self, by: int) -> None:
        """The next pane."""
        panes: list[Any] = [self.query_one(Tree), self.query_one(Values), self.query_one(Findings)]
        at = next((i for i, pane in enumerate(panes) if pane.has_focus), 0)
        self.set_focus(panes[(at + by) % 3])

    def action_add(self) -> None:
        """A new row in the sheet, like the device under the cursor."""
        tree = self.query_one(Tree)
        try:
            self._new_row = self.desk.add(tree.site, tree.device)
        except JobFolderError as error:
            self.notify(str(error), severity="warning")
            return
        self._resolve()
        self.notify("a new device; give it its values")

    def action_choose(self) -> None:
        """Select the device for a bulk edit."""
        self.query_one(Tree).choose()
        self._say_note()

    def action_everything(self) -> None:
        """All settings that the family takes, or only those that are planned."""
        values = self.query_one(Values)
        values.everything = not values.everything
        self._turn_to_device()

    def action_filter(self) -> None:
        """Filter by typing."""
        box = self.query_one("#filter", Input)
        box.display = True
        self.set_focus(box)

    def back(self) -> bool:
        """Escape closes the filter first."""
        return self.close_filter()

    def close_filter(self) -> bool:
        """Clear and hide the filter; whether there was one."""
        box = self.query_one("#filter", Input)
        was = bool(box.display)
        box.value = ""
        box.display = False
        if was:
            self.query_one(Tree).focus()
        return was

    def action_card(self) -> None:
        """The factory card of the device's family."""
        device = self.query_one(Tree).device
        if device:
            self.host.open_card(device.family)

    def action_import(self) -> None:
        """Bring in another sheet."""
        self.host.open_import()
