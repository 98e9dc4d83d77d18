"""From one finding of the plan to the next, and the repairs that they offer."""

from __future__ import annotations

from collections.abc import Callable

from zinger.desk.editing import Desk
from zinger.plan.problems import Problem
from zinger.tui.parts import ZingerScreen
from zinger.tui.plan_files import repair_dialog
from zinger.tui.plan_findings import Findings


class FindingSteps:
    """`go_to` shows a finding's device and value; `changed` is called when a repair has made the plan another one."""

    def __init__(
        self, screen: ZingerScreen, desk: Desk, go_to: Callable[[Problem], None], changed: Callable[[], None]
    ) -> None:
        self._screen, self._desk, self._go_to, self._changed = screen, desk, go_to, changed

    @property
    def _findings(self) -> Findings:
        return self._screen.query_one(Findings)

    def here(self) -> None:
        """Go to the finding under the cursor."""
        if (problem := self._findings.problem) is not None:
            self._go_to(problem)

    def next(self) -> None:
        """Go to the next one; at first to the one under the cursor."""
        findings = self._findings
        if not findings.problems:
            self._screen.notify("no errors, no warnings")
            return
        if findings.has_class("-visited"):
            findings.select((findings.selected + 1) % len(findings.problems))
        findings.add_class("-visited")
        self.here()

    def repair(self) -> None:
        """Show what the repair of the finding under the cursor would change, and make it if that is wanted."""
        problem = self._findings.problem
        if problem is None or problem.repair is None:
            self._screen.notify("there is no safe repair for this finding; edit the value")
            return

        def answer(yes: bool | None) -> None:
            if yes and self._desk.repair(problem):
                self._changed()

        self._screen.app.push_screen(repair_dialog(self._desk, problem, problem.repair), answer)
