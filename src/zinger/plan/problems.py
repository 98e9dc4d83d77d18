"""What is wrong with a plan: one sentence, the place it stands in, what to do, and a repair where one is safe."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum


class Severity(StrEnum):
    """An error blocks the device; a warning does not."""

    ERROR = "error"
    WARNING = "warning"


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a value was written: file, line (1-based) and the column heading or key path."""

    file: str
    line: int | None = None
    key: str = ""

    def __str__(self) -> str:
        line = f":{self.line}" if self.line else ""
        return f"{self.file}{line}" + (f" ({self.key})" if self.key else "")


@dataclass(frozen=True, slots=True)
class Change:
    """One edit of the job's files, not yet made.

    With a `row` (its line, 1-based) it is a cell of the build sheet, and `path` is the one setting or identity
    that the column means; without, it is the entry of `job.yaml` at that path. `text` None takes the value away.
    """

    path: tuple[str, ...]
    text: str | None
    row: int | None = None

    def __str__(self) -> str:
        where = f"row {self.row}, " if self.row else "job.yaml, "
        return f"{where}{'.'.join(self.path)}: {self.text if self.text is not None else '(nothing)'}"


@dataclass(frozen=True, slots=True)
class AddRow:
    """One more row of the build sheet; `row` is its line once it stands there."""

    cells: tuple[tuple[str, str], ...]
    row: int


@dataclass(frozen=True, slots=True)
class Repair:
    """A safe way out of a problem: in words, and as changes that can be looked at, made and undone."""

    words: str
    changes: tuple[Change, ...]


@dataclass(frozen=True)
class Problem:
    """One error or warning, as `zinger check` and the screens show it.

    `id` is stable and documented; `devices` are hostnames (or `row N` where there is none yet).
    """

    id: str
    severity: Severity
    spot: Spot
    what: str
    do: str
    devices: tuple[str, ...] = ()
    setting: str | None = None
    repair: Repair | None = field(default=None, compare=False)

    @property
    def who(self) -> str:
        """The devices in words: three names at most, and how many more."""
        if len(self.devices) <= 4:
            return ", ".join(self.devices)
        return f"{', '.join(self.devices[:3])} and {len(self.devices) - 3} more"

    def __str__(self) -> str:
        who = f"{self.who}: " if self.devices else ""
        return f"{self.spot}: {who}{self.what}. {self.do}."


GROUPED_FROM = 5
"""So many problems of one kind are told as one."""


@dataclass(frozen=True)
class Cause:
    """Problems of one kind, told as one where there are many: of the same check, about the same setting."""

    problems: tuple[Problem, ...]

    @property
    def first(self) -> Problem:
        """The one that is told in full."""
        return self.problems[0]

    def __str__(self) -> str:
        more = len(self.problems) - 1
        return f"{self.first} {more} more of this kind." if more else str(self.first)


def causes(problems: Iterable[Problem]) -> list[Cause]:
    """Problems by their kind, in their order; few of one kind stay apart."""
    kinds: dict[tuple[str, Severity, str | None], list[Problem]] = {}
    for problem in problems:
        kinds.setdefault((problem.id, problem.severity, problem.setting), []).append(problem)
    found: list[Cause] = []
    for several in kinds.values():
        found += [Cause(tuple(several))] if len(several) >= GROUPED_FROM else [Cause((one,)) for one in several]
    return found


def error_at(
    id: str, spot: Spot, what: str, do: str, *devices: str, setting: str | None = None, repair: Repair | None = None
) -> Problem:
    """A problem that blocks the device."""
    return Problem(id, Severity.ERROR, spot, what, do, devices, setting, repair)


def warning_at(
    id: str, spot: Spot, what: str, do: str, *devices: str, setting: str | None = None, repair: Repair | None = None
) -> Problem:
    """A problem that only a person can weigh; it blocks nothing."""
    return Problem(id, Severity.WARNING, spot, what, do, devices, setting, repair)
