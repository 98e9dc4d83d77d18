"""Plan: the build sheet as a tree, the values of a device with their origins, what is wrong, and editing in place.

The plan is resolved on another thread after every change, and while one types: a finding moves or vanishes before
the change is made. What is drawn never waits for it.
"""

from __future__ import annotations

import gc
import time
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.widgets import Static

from zinger.desk.editing import Desk
from zinger.plan.model import Device, Plan
from zinger.plan.problems import Problem
from zinger.run.board import Board
from zinger.tui.editor import ValueEditor
from zinger.tui.filter_box import FilterBox
from zinger.tui.finding_steps import FindingSteps
from zinger.tui.footer import KeysFooter
from zinger.tui.job_parts import JobScreen
from zinger.tui.look import DIM, ROSE, VIOLET
from zinger.tui.parts import COMMON, ZingerScreen
from zinger.tui.plan_files import PlanFiles
from zinger.tui.plan_findings import Findings
from zinger.tui.plan_moves import PlanMoves
from zinger.tui.plan_parts import Facts, LadderView, PlanHeadline, Tree, Values, problems_of
from zinger.tui.resolving import Resolving
from zinger.tui.rows import Rows

LOOK_EVERY = 2.0
"""Seconds between two looks whether the files changed outside."""


class PlanScreen(ZingerScreen):
    """The plan, to look at and to change."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("e", "edit", "edit", tooltip="the value; Tab: for the device, its role, its site or the baseline"),
        Binding("s", "save", "save", tooltip="write the plan's files"),
        Binding("m", "repair", "repair", tooltip="look at the repair of a finding, and make it"),
        Binding("n", "next", "next finding", tooltip="the next thing that is wrong or doubtful"),
        Binding("u", "undo", "undo", tooltip="take the last change back"),
        Binding("y", "redo", "redo", show=False, tooltip="make it again"),
        Binding("slash", "filter", "filter", tooltip="by name, family, site, role or finding"),
        Binding("space", "choose", "select", tooltip="several devices, to edit all of them at once"),
        Binding("f", "card", "factory card", tooltip="how its family comes out of its carton"),
        Binding("l", "move", "lift or drop", tooltip="say the value for the role, the site or all; or drop it here"),
        Binding("equals_sign", "compare", "compare", show=False, tooltip="with another device, or two selected ones"),
        Binding("plus", "add", "add a device", show=False, tooltip="a new row in the build sheet"),
        Binding("c", "copy", "copy", show=False, tooltip="devices like this one, names and addresses counting on"),
        Binding("delete", "remove", "remove", show=False, tooltip="the device, or the selected ones, from the sheet"),
        Binding("t", "role", "save as a role", show=False, tooltip="its own values, for the next devices of that role"),
        Binding("j", "job", "the job", show=False, tooltip="practice or live, baseline, sites, roles"),
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
        self._turned = self._filtered = False
        """Whether the device, or the findings, are still to be shown that the tree has now."""
        self._new_row: int | None = None
        self._looked = time.monotonic()
        self._resolving = Resolving(self, desk, self._resolved, self._tried)
        self._files = PlanFiles(self, desk, self._resolve)
        self._moves = PlanMoves(self, desk, self._resolve)
        self._steps = FindingSteps(self, desk, self.go_to, self._resolve)

    def compose(self) -> ComposeResult:
        yield PlanHeadline(self.host.job.board, "plan", self.host.job.plan.title)
        yield FilterBox(Tree, "name, family, site, role, address, error, a finding's id, state")
        with Horizontal(id="plan-body"):
            yield Tree()
            with Vertical(id="plan-right"):
                yield Facts(id="facts")
                yield Values()
        yield LadderView()
        yield Static(id="plan-note")
        yield Findings()
        yield ValueEditor(self.desk)
        yield KeysFooter()

    def on_mount(self) -> None:
        tree = self.query_one(Tree)
        self._take(self.desk.plan)
        tree.action_ends(0)
        if self._wanted:
            tree.select(self._wanted)
        elif tree.device is None:
            tree.action_step(1)
        tree.focus()
        super().on_mount()

    def take_board(self, board: Board) -> None:
        super().take_board(board)
        if self._shown is not None:
            self._resolve()  # how devices stand is another one under another plan

    # -- showing -------------------------------------------------------------------------------------
    def _take(self, plan: Plan) -> None:
        """Show a plan everywhere."""
        self._shown, self._problems = plan, problems_of(plan)
        self.query_one(PlanHeadline).take(plan, len(self.desk.edits.unsaved))
        known = {family: self.desk.rules.get(family) for family in {d.family for d in plan.devices}}
        states = {name: line.sentence for name, line in self.host.job.board.lines.items()}
        self.query_one(Tree).take(plan, {name: rules.title for name, rules in known.items() if rules}, states)
        self.query_one(Findings).take(plan)
        self._narrow()
        self._turn_to_device()
        self._say_note()
        gc.freeze()  # a plan and its rows are millions of objects in no cycles; looking through them stops the screen

    def _settle(self) -> None:
        """Show the device on which the cursor came to stand; done at the next tick, so that moving is never slow."""
        if self._filtered:
            self._filtered = False
            self._narrow()
        elif self._turned:
            self._turned = False
            self._turn_to_device()

    def _turn_to_device(self) -> None:
        if self._shown is None:
            return
        tree = self.query_one(Tree)
        device = tree.device
        rules = self.desk.rules.get(device.family) if device else None
        values = self.query_one(Values)
        values.show(device, self._problems.get(device.name, []) if device else [], rules.has if rules else None)
        self.query_one(Facts).take(device, rules, values.selected)
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
            self.query_one(Facts).turn_to(event.key)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if event.rows.id == "values":
            self.action_edit()
        elif event.rows.id == "problems":
            self._steps.here()
        elif self.query_one(Tree).device is None:
            self.query_one(Tree).fold()
        else:
            self.set_focus(self.query_one(Values))

    def on_resize(self) -> None:
        self._put_editor()

    def follow(self) -> None:
        """Try what is being typed, and look whether the files changed outside."""
        now = time.monotonic()
        self._settle()
        self.query_one(Values).see_cursor()
        editor = self.query_one(ValueEditor)
        changes = None if self._resolving.busy else editor.due(now)
        if changes is not None:
            self._resolving.attempt(changes)
        if now - self._looked > LOOK_EVERY and not editor.open:
            self._looked = now
            self.run_worker(self._files.look_outside(), exclusive=True, group="outside")

    # -- resolving -----------------------------------------------------------------------------------
    def _resolve(self) -> None:
        """Resolve on another thread and show what comes back; coalesces while one is under way."""
        self.query_one(PlanHeadline).unsaved = len(self.desk.edits.unsaved)
        self.query_one(PlanHeadline).look()
        self._resolving.again()

    def _resolved(self, plan: Plan) -> None:
        self._take(plan)
        new = next((d.name for d in plan.devices if self._new_row and d.spot.line == self._new_row), None)
        if new is not None:
            self._new_row = None
            self.query_one(Tree).select(new)
            self._turn_to_device()

    def _tried(self, plan: Plan) -> None:
        editor = self.query_one(ValueEditor)
        if not editor.open:
            self._resolve()
            return
        editor.say_what_it_changes(self.desk.plan, plan)
        self.query_one(Findings).take(plan)
        self.query_one(PlanHeadline).take(plan, len(self.desk.edits.unsaved))

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
        self._put_editor()
        self.query_one(ValueEditor).begin(devices, values.selected)

    def _put_editor(self) -> None:
        """Lay the editor over the value that is edited."""
        values = self.query_one(Values)
        region = values.region
        names, _ = values.columns(region.width - 1)
        self.query_one(ValueEditor).put(region, names, values.cursor - int(values.scroll_offset.y))

    def on_value_editor_closed(self, event: ValueEditor.Closed) -> None:
        if event.changes:
            self.desk.make(event.changes, event.words)
        self.set_focus(self.query_one(Values))
        self._resolve()

    def on_filter_box_wanted(self, event: FilterBox.Wanted) -> None:
        tree = self.query_one(Tree)
        tree.wanted = event.words
        tree.lay_out()
        self._turned = self._filtered = True

    def _narrow(self) -> None:
        """Leave the findings of what is filtered."""
        tree = self.query_one(Tree)
        if tree.wanted:
            self.query_one(Findings).narrow(tree.wanted, tree.shown)
        elif self._shown:
            self.query_one(Findings).take(self._shown)

    # -- findings and repairs ------------------------------------------------------------------------
    def action_next(self) -> None:
        """Go to the next finding: its device, its value."""
        self._steps.next()

    def action_repair(self) -> None:
        """Show what a repair would change, and make it if that is wanted."""
        self._steps.repair()

    def go_to(self, problem: Problem) -> None:
        """The device and the value of a finding."""
        if problem.devices:
            self.query_one(Tree).select(problem.devices[0])
            self._turn_to_device()
        if problem.setting:
            self.query_one(Values).select(problem.setting)

    def action_undo(self) -> None:
        """Take the last step back."""
        self._tell_step("taken back", self.desk.undo())

    def action_redo(self) -> None:
        """Do again what was taken back."""
        self._tell_step("done again", self.desk.redo())

    def _tell_step(self, done: str, words: str | None) -> None:
        self.notify(f"{done}: {words}" if words else f"nothing can be {done}")
        self._resolve()

    def action_save(self) -> None:
        """Write the files."""
        self.run_worker(self._files.save(), exclusive=True, group="save")

    # -- moving about --------------------------------------------------------------------------------
    def action_turn(self, by: int) -> None:
        """The next pane."""
        panes: list[Any] = [self.query_one(Tree), self.query_one(Values), self.query_one(Findings)]
        at = next((i for i, pane in enumerate(panes) if pane.has_focus), 0)
        self.set_focus(panes[(at + by) % 3])

    def action_add(self) -> None:
        """A new row in the sheet, like the device under the cursor."""
        tree = self.query_one(Tree)
        self._new_row = self.desk.add(tree.site, tree.device)
        self._resolve()
        self.notify("a new device; give it its values")

    def action_move(self) -> None:
        """Say the value under the cursor elsewhere, or no more."""
        self._settle()
        device, setting = self.query_one(Tree).device, self.query_one(Values).selected
        if device is None or setting is None:
            self.notify("choose a device and a value first")
        else:
            self._moves.move(device, setting)

    def action_copy(self) -> None:
        """Devices like the one under the cursor."""
        device = self.query_one(Tree).device
        if device:
            self._moves.copy(device)

    def action_role(self) -> None:
        """The device's own values as a role, for the next devices of it."""
        device = self.query_one(Tree).device
        if device:
            self._moves.as_role(device)

    def action_remove(self) -> None:
        """Take the device, or the selected ones, out of the sheet."""
        if devices := self._devices():
            self._moves.remove(devices)

    def action_compare(self) -> None:
        """Two devices beside each other."""
        devices = self._devices()
        if devices and self._shown:
            self._moves.compare(devices, self._shown)

    def action_job(self) -> None:
        """The job's mode, sites and roles."""
        self.app.push_screen(JobScreen(self.desk, self._resolve))

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
        self.query_one(FilterBox).begin()

    def back(self) -> bool:
        """Escape clears and hides the filter first, if there is one."""
        return self.query_one(FilterBox).end()

    def action_card(self) -> None:
        """The factory card of the device's family."""
        device = self.query_one(Tree).device
        if device:
            self.host.open_card(device.family)

    def action_import(self) -> None:
        """Bring in another sheet."""
        self.host.open_import()
