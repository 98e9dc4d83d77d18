"""Editing a plan: changes that are tried, undone, saved, and laid over what others wrote meanwhile.

An `Edits` holds the job's two files as documents. After every change the plan is read anew from what would be
written, so what a person sees is what they will get. Every change is kept as the pair before and after; undo
and the merge with changes from outside need nothing else.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from zinger.plan.families import FamilyRules
from zinger.plan.files.documents import JobDocument
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheetdocs import Sheet, open_sheet
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Plan
from zinger.plan.problems import AddRow, Change
from zinger.plan.resolve import resolve
from zinger.plan.values.secrets import Vaulted

_WHO = ("hostname", "serial", "mac")


@dataclass(frozen=True)
class Files:
    """What the job's files hold: the text of job.yaml, and the name and bytes of the build sheet."""

    job: str
    sheet: bytes
    sheet_name: str
    rows: tuple[int, ...] = ()
    """The numbers of its rows while it is edited, where they are not as a reader would count them."""

    def plan(self, families: Mapping[str, FamilyRules], vaulted: Vaulted | None = None) -> Plan:
        """The plan that these files mean."""
        job = read_job(self.job)
        rows, problems = read_sheet(self.sheet, self.sheet_name, job.columns, self.rows)
        return resolve(job, rows, families, vaulted, tuple(problems))


@dataclass(frozen=True)
class Conflict:
    """A place that was changed here and outside, differently."""

    change: Change
    theirs: str | None

    def __str__(self) -> str:
        return f"{self.change}; outside it became {self.theirs if self.theirs is not None else '(nothing)'}"


class _Before(NamedTuple):
    """A change, and what stood where it went; `place` of a value of job.yaml, that it comes back in its old order."""

    change: Change
    value: Any
    place: tuple[int, int] = (0, 0)


@dataclass
class _Done:
    """One step: its words, what stood there before, the rows that it added, and those that it removed."""

    words: str
    before: tuple[_Before, ...]
    added: tuple[AddRow, ...] = ()
    removed: tuple[int, ...] = ()
    who: tuple[Mapping[str, str], ...] = ()
    """Who the devices of the removed rows are."""


@dataclass
class _Place:
    """A cell by who its device is, so that it is found again when rows were moved outside."""

    change: Change
    base: Any
    who: Mapping[str, str] = field(default_factory=dict)


class Edits:
    """The files as they would be written; raises UnreadableError when they can't be read at all."""

    def __init__(self, files: Files) -> None:
        self._open(files)
        self._undo: list[_Done] = []
        self._redo: list[_Done] = []

    def _open(self, files: Files) -> None:
        self.base = files
        self._job = JobDocument(files.job)
        self._sheet: Sheet = open_sheet(files.sheet, files.sheet_name, read_job(files.job).columns)
        self._base_job = JobDocument(files.job)
        self._base_sheet: Sheet = open_sheet(files.sheet, files.sheet_name, read_job(files.job).columns)

    @property
    def files(self) -> Files:
        """The files as they would be written now."""
        return Files(self._job.dump(), self._sheet.dump() if self._sheet_changed else self.base.sheet, self._name)

    @property
    def numbered(self) -> Files:
        """The files as they would be read now, each row by the number that it has here: removed ones leave a gap."""
        if not self._sheet_changed:
            return Files(self._job.dump(), self.base.sheet, self._name)
        sheet, rows = self._sheet.dump_numbered()
        return Files(self._job.dump(), sheet, self._name, rows)

    @property
    def _name(self) -> str:
        return self.base.sheet_name

    @property
    def _sheet_changed(self) -> bool:
        return any(step.added or step.removed or any(was.change.row for was in step.before) for step in self._undo)

    @property
    def unsaved(self) -> list[str]:
        """The steps since the files were last read or saved, in words."""
        return [step.words for step in self._undo]

    # -- changing ------------------------------------------------------------------------------------
    def current(self, change: Change) -> str | None:
        """The text that stands now where a change would go."""
        if change.row:
            return self._sheet.get(change.row, change.path[0])
        return self._job.get(change.path)

    def cells(self, row: int) -> dict[str, str]:
        """The cells of a row by meaning, else by heading. Raises KeyError."""
        return self._sheet.cells(row)

    def make(self, changes: Iterable[Change], words: str) -> None:
        """Make changes as one step; raises KeyError when a row is not there."""
        self._undo.append(_Done(words, self._apply(list(changes))))
        self._redo.clear()

    def add_rows(self, rows: Iterable[Mapping[str, str]], words: str) -> list[int]:
        """New rows at the end of the sheet, as one step; returns their numbers."""
        sheet = self._sheet
        added = tuple(AddRow(tuple(cells.items()), sheet.add_row(cells)) for cells in rows)
        self._undo.append(_Done(words, (), added))
        self._redo.clear()
        return [one.row for one in added]

    def remove_rows(self, rows: Iterable[int], words: str) -> None:
        """Take rows out of the sheet, as one step. Raises KeyError for a row that is not there."""
        sheet, wanted = self._sheet, list(rows)
        who = tuple({key: text for key in _WHO if (text := sheet.get(row, key))} for row in wanted)
        for row in wanted:
            sheet.take_out(row)
        self._undo.append(_Done(words, (), (), tuple(wanted), who))
        self._redo.clear()

    def _apply(self, changes: list[Change]) -> tuple[_Before, ...]:
        before: list[_Before] = []
        for change in changes:
            if change.row:
                before.append(_Before(change, self._sheet.get(change.row, change.path[0])))
                self._sheet.set(change.row, change.path[0], change.text)
            else:
                before.append(_Before(change, self._job.raw(change.path), self._job.place(change.path)))
                self._job.set(change.path, change.text)
        return tuple(before)

    def _take_back(self, step: _Done) -> None:
        for one in reversed(step.added):
            self._sheet.remove_row(one.row)
        for row in reversed(step.removed):
            self._sheet.put_back(row)
        for change, value, place in reversed(step.before):
            if change.row:
                self._sheet.set(change.row, change.path[0], value)
            else:
                self._job.set_back(change.path, value, place)

    def undo(self) -> str | None:
        """Take the last step back; returns its words."""
        if not self._undo:
            return None
        step = self._undo.pop()
        self._take_back(step)
        self._redo.append(step)
        return step.words

    def redo(self) -> str | None:
        """Do the step again that was undone last; returns its words."""
        if not self._redo:
            return None
        step = self._redo.pop()
        if step.added:
            for one in step.added:
                self._sheet.add_row(dict(one.cells))
        elif step.removed:
            for row in step.removed:
                self._sheet.take_out(row)
        else:
            self._apply([was.change for was in step.before])
        self._undo.append(step)
        return step.words

    def preview(self, changes: Iterable[Change]) -> Files:
        """The files as they would be read after changes, which are not made; rows by their numbers here."""
        step = _Done("", self._apply(list(changes)))
        self._undo.append(step)
        after = self.numbered
        self._undo.pop()
        self._take_back(step)
        return after

    # -- saving and merging --------------------------------------------------------------------------
    def saved(self) -> None:
        """The files were written: begin anew from them."""
        self._open(self.files)
        self._undo.clear()
        self._redo.clear()

    def _net(self) -> list[_Place]:
        """Where the files would differ from what was read, each place once."""
        places: dict[tuple[int | None, tuple[str, ...]], _Place] = {}
        gone = {row for step in self._undo for row in step.removed}
        for step in self._undo:
            for change in [was.change for was in step.before]:
                now = self.current(change)
                if change.row in self._added() or change.row in gone:
                    continue
                if change.row:
                    base = self._base_sheet.get(change.row, change.path[0])
                    who = {key: text for key in _WHO if (text := self._base_sheet.get(change.row, key))}
                else:
                    base, who = self._base_job.get(change.path), {}
                places[change.row, change.path] = _Place(Change(change.path, now, change.row), base, who)
        return [place for place in places.values() if place.change.text != place.base]

    def merge(self, files: Files, ours: bool = False) -> list[Conflict]:
        """Lay what was changed here over files that were changed outside.

        Where both changed one place differently that is returned, and nothing is done, unless `ours` decides:
        then what was changed here wins. Raises UnreadableError when the new files can't be read.
        """
        fresh = Edits(files)
        changes: list[Change] = []
        conflicts: list[Conflict] = []
        for place in self._net():
            change = fresh._found(place)
            if change is None:
                conflicts.append(Conflict(place.change, None))
                continue
            theirs = fresh.current(change)
            if theirs not in (place.base, change.text) and not ours:
                conflicts.append(Conflict(change, theirs))
            elif theirs != change.text:
                changes.append(change)
        if conflicts and not ours:
            return conflicts
        added = self._added()
        gone = [who for step in self._undo for who in step.who]
        changes = [c for c in changes if c.row not in added]
        self._open(files)
        self._undo.clear()
        self._redo.clear()
        if changes:
            self.make(changes, "changes from before the files changed outside")
        for cells in added.values():
            self.add_rows([cells], "a new device")
        for row in self._rows_of(gone):
            self.remove_rows([row], "a device removed before the files changed outside")
        return []

    def _rows_of(self, who: Iterable[Mapping[str, str]]) -> list[int]:
        """The rows of these devices, of those that are still there and can be told apart."""
        found = []
        for one in who:
            for key, text in one.items():
                rows = [row for row in self._sheet.rows() if self._sheet.get(row, key) == text]
                if len(rows) == 1:
                    found += rows
                    break
        return found

    def _added(self) -> dict[int, dict[str, str]]:
        """The rows that were added here, each with what stands in it now."""
        sheet = self._sheet
        gone = {row for step in self._undo for row in step.removed}
        rows = [one.row for step in self._undo for one in step.added if one.row not in gone]
        return {row: sheet.cells(row) for row in rows}

    def _found(self, place: _Place) -> Change | None:
        """The change in these files, its row found by who the device is."""
        change = place.change
        if not change.row:
            return change
        for key in _WHO:
            wanted = place.who.get(key)
            rows = [row for row in self._sheet.rows() if wanted and self._sheet.get(row, key) == wanted]
            if len(rows) == 1:
                return Change(change.path, change.text, rows[0])
        return change if not place.who and change.row in self._sheet.rows() else None
