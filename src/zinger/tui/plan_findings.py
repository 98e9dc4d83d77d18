"""The findings of the Plan screen: what is wrong or doubtful, in words, each with its repair where one is safe."""

from __future__ import annotations

import textwrap
from collections.abc import Hashable, Iterator
from typing import Any

from rich.style import Style
from rich.text import Text
from textual import events

from zinger.plan.model import Plan
from zinger.plan.problems import Problem, Severity
from zinger.tui.look import DIM, GREEN, PAPER, fit
from zinger.tui.plan_parts import mark
from zinger.tui.rows import Rows

WRAPPED = 500
"""Findings up to which each is wrapped; of more, one row each must do, since all are laid out at every edit."""


def _has(problem: Problem, words: list[str]) -> bool:
    text = f"{problem.severity.value} {problem.id} {problem.what} {problem.spot}".lower()
    return all(word in text for word in words)


class Findings(Rows):
    """The problems in words an engineer would use; Enter goes there, m repairs."""

    def __init__(self) -> None:
        super().__init__(id="problems")
        self.problems: list[Problem] = []
        self._all: list[Problem] = []
        self._rows: list[tuple[int, Text]] = []
        """The rows, each with the number of its problem: what is wrong is wrapped, never cut."""
        self._version = 0

    def take(self, plan: Plan) -> None:
        """Show these problems, errors first; the cursor stays on its problem if that is still there."""
        self._all = sorted(plan.problems, key=lambda p: p.severity is not Severity.ERROR)
        self._lay_out(self._all)

    def narrow(self, wanted: str, devices: frozenset[str]) -> None:
        """Show only those that have these words, or that are of these devices alone."""
        words = wanted.lower().split()
        self._lay_out([p for p in self._all if _has(p, words) or (p.devices and devices.issuperset(p.devices))])

    def _lay_out(self, problems: list[Problem]) -> None:
        before = self.problem
        self.problems = problems
        self._wrap()
        self.select(problems.index(before) if before in problems else min(self.cursor, len(problems) - 1))
        self.redraw()

    def on_resize(self, event: events.Resize) -> None:
        here = self.selected
        self._wrap()
        self.select(here)
        super().on_resize(event)

    def _wrap(self) -> None:
        self._version += 1
        width = max(40, self.size.width - 2)
        self._rows = [(n, row) for n, problem in enumerate(self.problems) for row in self._rows_of(problem, width)]

    def _rows_of(self, problem: Problem, width: int) -> Iterator[Text]:
        repair = fit(f"m  {problem.repair.words}", 34) if problem.repair and width > 90 else ""
        room = width - 22 - (len(repair) + 2 if repair else 0)
        colour = DIM if problem.severity is Severity.WARNING else Style(color=PAPER)
        if len(problem.what) <= room or len(self.problems) > WRAPPED:
            first, more = fit(problem.what, room), []
        else:
            first, *more = textwrap.wrap(problem.what, room)
        who = Text(f" {fit(self._who(problem), 18):<19}", Style(color=PAPER))
        yield Text.assemble(mark(problem.severity), who, (f"{first:<{room}}", colour), (f" {repair}", GREEN))
        yield from (Text.assemble(" " * 21, (line, colour)) for line in more)

    def count(self) -> int:
        return max(1, len(self._rows))

    def key(self, index: int) -> Any:
        return self._rows[index][0] if index < len(self._rows) else None

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        if not self.problems:
            return Text(" none of this filter", DIM) if self._all else Text(" no errors, no warnings", GREEN)
        return self._rows[index][1]

    @staticmethod
    def _who(problem: Problem) -> str:
        if len(problem.devices) > 1:
            return (
                f"{problem.devices[0]} +{len(problem.devices) - 1}"
                if len(problem.devices) <= 4
                else f"{len(problem.devices)} devices"
            )
        return problem.devices[0] if problem.devices else problem.spot.file

    @property
    def problem(self) -> Problem | None:
        """The problem under the cursor."""
        return None if self.selected is None else self.problems[self.selected]
