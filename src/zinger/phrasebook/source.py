"""What a family's file says, laid over the family that it is like; and where each entry really stands.

Mappings are laid over each other key by key, and a key with nothing behind it is taken away. The lists of the
dialogue (moves, noise, refusals, warnings, boot, prepare) are added to; every other list is replaced.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from zinger.errors import ZingerError
from zinger.plan.files.yamlfile import UnreadableError, load_yaml, quick_yaml
from zinger.plan.problems import Problem, Spot, error_at

ADDED_TO = frozenset({"moves", "noise", "refusals", "warnings", "boot", "prepare"})
DEEPEST = 5
"""So many families may be like one another in a row."""

Lookup = Callable[[str], tuple[str, str] | None]
"""From a family's name to the text and the name of its file."""


class PhrasebookError(ZingerError):
    """A phrasebook that cannot be used; `problems` says all that is wrong with it."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("\n".join(map(str, problems)))
        self.problems = tuple(problems)


@dataclass(frozen=True)
class FamilySource:
    """A family's data as it counts, the text of its own file, and what it is like.

    Lines are looked for in the text only when something is wrong, since reading it with its lines takes long.
    """

    file: str
    data: Any
    text: str
    parent: FamilySource | None = None
    under: tuple[str, ...] = ()
    """Where in the file the part stands that is meant: paths are counted from there."""

    def part(self, key: str) -> FamilySource:
        """The same file, of which only what stands under a key is meant."""
        return replace(self, under=(*self.under, key))

    @cached_property
    def own(self) -> Any:
        """What its own file says, with its lines."""
        return load_yaml(self.text, self.file)

    def spot(self, path: Iterable[str | int]) -> Spot:
        """Where an entry stands: in this file, or in that of the family that it is like."""
        steps = [*self.under, *path]
        where = self._own_steps(steps)
        if self.parent is not None and steps and not _has(self.own, where):
            return self.parent.spot(steps)
        return Spot(self.file, _line(self.own, where), ".".join(map(str, steps)))

    def _own_steps(self, steps: list[str | int]) -> list[str | int]:
        """An index into a list that was added to counts from where this file's own part begins."""
        if self.parent is None or len(steps) < 2 or steps[0] not in ADDED_TO or not isinstance(steps[1], int):
            return steps
        before = len(self.parent.data.get(steps[0]) or ())
        return [steps[0], steps[1] - before, *steps[2:]] if steps[1] >= before else ["", *steps]


def parsed(text: str, file: str) -> Any:
    """The YAML of a file; raises PhrasebookError."""
    try:
        return quick_yaml(text, file)
    except UnreadableError as error:
        raise PhrasebookError([error_at("family-unreadable", error.spot, error.what, error.do)]) from None


def read_source(text: str, file: str, lookup: Lookup, depth: int = 0) -> FamilySource:
    """Read a file and what it is like; raises PhrasebookError."""
    own = parsed(text, file)
    like = own.get("like") if isinstance(own, dict) else None
    if not like:
        return FamilySource(file, own, text)
    found = lookup(str(like)) if depth < DEEPEST and str(like) != own.get("family") else None
    if found is None:
        what = f"no other family is called {like!r}" if depth < DEEPEST else "families are like each other in a circle"
        raise PhrasebookError(
            [
                error_at(
                    "family-broken",
                    Spot(file, _line(load_yaml(text, file), ["like"]), "like"),
                    what,
                    "Name a shipped family, or one in the job's phrasebooks",
                )
            ]
        )
    parent = read_source(*found, lookup, depth + 1)
    return FamilySource(file, laid_over(parent.data, own), text, parent)


def laid_over(under: Any, over: Any, key: str = "") -> Any:
    """One file's entry over another's."""
    if isinstance(under, dict) and isinstance(over, dict):
        names = [*under, *(name for name in over if name not in under)]
        return {
            name: laid_over(under.get(name), over[name], name) if name in over else under[name]
            for name in names
            if name not in over or over[name] is not None
        }
    if key in ADDED_TO and isinstance(under, list) and isinstance(over, list):
        return [*under, *over]
    return over


def _has(data: Any, path: Iterable[str | int]) -> bool:
    for step in path:
        try:
            data = data[step]
        except (KeyError, IndexError, TypeError):
            return False
    return True


def _line(data: Any, path: Iterable[str | int]) -> int | None:
    line = None
    for step in path:
        try:
            at = data.lc.key(step) if isinstance(step, str) else data.lc.item(step)
            line, data = at[0] + 1, data[step]
        except (KeyError, IndexError, AttributeError, TypeError):
            break
    return line
