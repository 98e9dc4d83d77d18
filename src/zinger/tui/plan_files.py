"""The plan's files under the Plan screen: saved, changed by somebody else, and what must be decided then."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from rich.text import Text

from zinger.desk.editing import Desk
from zinger.plan.files.editing import Conflict
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.problems import Problem, Repair
from zinger.store.folder import JobFolderError
from zinger.tui.dialogs import Dialog, message
from zinger.tui.look import DIM, GREEN, PAPER, ROSE, VIOLET, fit
from zinger.tui.parts import ZingerScreen


class PlanFiles:
    """Saves the desk's plan and watches its files; `changed` is called when the plan is another one afterwards."""

    def __init__(self, screen: ZingerScreen, desk: Desk, changed: Callable[[], None]) -> None:
        self._screen, self._desk, self._changed = screen, desk, changed

    async def save(self) -> None:
        """Write the files; asks first where somebody else changed the same places."""
        if not self._desk.edits.unsaved:
            self._screen.notify("nothing to save")
            return
        try:
            conflicts = await asyncio.to_thread(self._desk.save)
        except (JobFolderError, UnreadableError) as error:
            self._screen.app.push_screen(message("The plan was not saved", str(error)))
            return
        if conflicts:
            self._ask(conflicts)
            return
        self._screen.notify(f"saved in {self._desk.folder.path.name}")
        self._screen.host.plan_changed()
        self._changed()

    async def look_outside(self) -> None:
        """Take in what somebody else changed in the files."""
        try:
            changed, conflicts = await asyncio.to_thread(self._desk.look_outside)
        except (JobFolderError, UnreadableError) as error:
            self._screen.notify(str(error), severity="warning")
            return
        if conflicts:
            self._ask(conflicts)
        elif changed:
            kept = "; your changes are kept" if self._desk.edits.unsaved else ""
            self._screen.notify(f"the files were changed outside and are read again{kept}")
            self._changed()

    def _ask(self, conflicts: list[Conflict]) -> None:
        body = Text("The files were changed by somebody else too, in the same places:\n\n", PAPER)
        for conflict in conflicts[:8]:
            body.append(f"  {conflict}\n", VIOLET)
        body.append("\nNothing is written before you decide.", DIM)

        def answer(ours: bool | None) -> None:
            try:
                self._desk.decide(bool(ours))
            except (JobFolderError, UnreadableError) as error:
                self._screen.app.push_screen(message("Nothing was decided", str(error)))
            self._changed()

        self._screen.app.push_screen(Dialog("Changed here and outside", body, "mine", "theirs"), answer)


def repair_dialog(desk: Desk, problem: Problem, repair: Repair) -> Dialog:
    """What a repair would change, each place with what is there now and what would be; asks whether to make it."""
    body = Text(f"{problem.what}\n\n", PAPER)
    for change in repair.changes:
        now = desk.edits.current(change)
        where = f"row {change.row} of {desk.edits.base.sheet_name}" if change.row else "job.yaml"
        body.append(f"  {where}, {'.'.join(change.path)}\n", DIM)
        body.append(f"    - {fit(now or '(nothing)', 66)}\n", ROSE)
        body.append(f"    + {fit(change.text or '(nothing)', 66)}\n", GREEN)
    return Dialog(f"Repair: {repair.words}", body, "make it; u takes it back", "leave it")
