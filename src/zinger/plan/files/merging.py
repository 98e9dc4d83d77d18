"""An import laid over the devices that a job has: which row is which device, and what that changes.

Who is who is told by serial number, then MAC, then label, then hostname. Where these contradict each other, or one
device would be two rows, a person is asked; nothing is guessed. What the sheet does not have any more stays until
somebody says otherwise.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from zinger.plan.files.documents import table_to_csv
from zinger.plan.files.transfer import Imported
from zinger.wording import did_you_mean

WHO = ("serial", "mac", "label", "hostname")
"""What tells which device a row is, the surest first."""
_CONTRADICT = ("serial", "mac", "hostname")
_BY_A_PERSON = "your answer"
NEW, SKIP = "new", "skip"
"""Answers to a question beside the name of a device: it is another device, it is left out."""


class Fate(StrEnum):
    """What becomes of a row, or of a device that is in no row."""

    NEW = "new"
    CHANGED = "changed"
    SAME = "the same"
    ASKED = "asked"
    BAD = "not read"
    SKIPPED = "left out"
    KEPT = "kept"
    REMOVED = "removed"


@dataclass(frozen=True)
class CellChange:
    """One value before and after, by the heading under which the sheet has it."""

    heading: str
    before: str
    after: str

    def __str__(self) -> str:
        return f"{self.heading} {self.before or '(empty)'} -> {self.after or '(empty)'}"


@dataclass(frozen=True)
class Laid:
    """What becomes of one device: by which of its marks it was found, and every value that changes.

    `key` names the row of the sheet (`7`, `Sheet!7`; empty for a device that is in none); with a question, `choices`
    are the devices that it may be.
    """

    name: str
    fate: Fate
    key: str = ""
    by: str = ""
    changes: tuple[CellChange, ...] = ()
    question: str = ""
    choices: tuple[str, ...] = ()
    answered: bool = False
    """Whether a person said which device it is."""


@dataclass
class Merged:
    """The new table, and what becomes of each device."""

    headings: list[str]
    rows: list[list[str]]
    laid: list[Laid] = field(default_factory=list)

    def of(self, *fates: Fate) -> list[Laid]:
        """The devices of which this becomes."""
        return [laid for laid in self.laid if laid.fate in fates]

    def to_csv(self) -> bytes:
        """The table as CSV."""
        return table_to_csv(self.headings, self.rows)


def merge(
    own: Imported, new: Imported, answers: Mapping[str, str] | None = None, remove: Collection[str] | None = ()
) -> Merged:
    """Lay an import over the devices of a job.

    `answers` say of rows that were asked for which device they are, `NEW` or `SKIP`; `remove` names devices that are in
    no row and go (None: all such). Raises ValueError for an answer or a name that fits nothing.
    """
    return _Merger(own, new, dict(answers or {})).merged(remove)


class _Merger:
    def __init__(self, own: Imported, new: Imported, answers: Mapping[str, str]) -> None:
        self.own, self.new, self.answers = own, new, answers
        self.headings, self.place = _columns(own, new)
        self.rows = [[*row, *[""] * (len(self.headings) - len(row))] for row in own.rows]
        self.names = [_name(own, i) for i in range(len(own.rows))]
        self.keys = [f"{spot.key}!{spot.line}" if spot.key else str(spot.line) for spot in new.spots]
        self.known = {key: _index(own.column(key)) for key in WHO}
        self.marks = {key: new.column(key) for key in WHO if key in new.means}
        self.taken: set[int] = set()
        """The own devices that a row of the sheet is."""
        self.spoken: set[int] = set()
        """Those that a row speaks of which is not taken."""

    def merged(self, remove: Collection[str] | None) -> Merged:
        for key in self.answers:
            if key not in self.keys:
                raise ValueError(f"the sheet has no row {key} with a device")
        found = [self._hits(i) for i in range(len(self.new.rows))]
        asked = self._asked(found)
        laid = [self._lay(i, found[i], asked.get(i)) for i in range(len(self.new.rows))]
        before = set(range(len(self.own.rows))) - self.taken - self.spoken
        gone = self._gone(sorted(before), remove)
        laid += [Laid(self.names[i], Fate.REMOVED if i in gone else Fate.KEPT) for i in sorted(before)]
        rows = [row for i, row in enumerate(self.rows) if i not in gone]
        return Merged(self.headings, rows, laid)

    # -- who is who ----------------------------------------------------------------------------------
    def _hits(self, row: int) -> dict[str, list[int]]:
        """The own devices that a row may be, by the mark that says so."""
        hits = {}
        for key, texts in self.marks.items():
            if texts[row] and (devices := self.known[key].get(texts[row].lower())):
                hits[key] = devices
        return hits

    def _asked(self, found: Sequence[Mapping[str, list[int]]]) -> dict[int, tuple[str, list[int]]]:
        """The rows of which it can't be told which device they are: why, and which they may be."""
        asked: dict[int, tuple[str, list[int]]] = {}
        rows_of: dict[int, list[int]] = {}
        for row, hits in enumerate(found):
            if self.keys[row] in self.answers or row in self.new.wrong:
                continue
            devices = _devices(hits)
            if len(devices) > 1:
                each = "; ".join(f"its {key} is that of {self._list(several)}" for key, several in hits.items())
                asked[row] = each, devices
            elif devices:
                rows_of.setdefault(devices[0], []).append(row)
                if other := self._contradiction(row, devices[0]):
                    asked[row] = f"its {next(iter(hits))} is that of {self.names[devices[0]]}, but {other}", devices
        for device, rows in rows_of.items():
            if len(rows) > 1:
                which = " and ".join(self.keys[row] for row in rows)
                for row in rows:
                    asked[row] = f"rows {which} are both {self.names[device]}", [device]
        return asked

    def _contradiction(self, row: int, device: int) -> str:
        """What a row says otherwise of who it is than the device that it was found to be."""
        for key in _CONTRADICT:
            theirs, ours = self.marks[key][row] if key in self.marks else "", self._of_own(device, key)
            if theirs and ours and theirs.lower() != ours.lower():
                return f"its {key} is {theirs}, not {ours}"
        return ""

    def _of_own(self, device: int, key: str) -> str:
        return self.own.rows[device][self.own.means.index(key)] if key in self.own.means else ""

    def _list(self, devices: Sequence[int]) -> str:
        return " and ".join(self.names[device] for device in devices)

    # -- laying over -----------------------------------------------------------------------------------
    def _lay(self, row: int, hits: Mapping[str, list[int]], asked: tuple[str, list[int]] | None) -> Laid:
        name, key = _name(self.new, row), self.keys[row]
        if row in self.new.wrong:
            self.spoken |= set(_devices(hits))
            return Laid(name, Fate.BAD, key)
        if asked:
            why, devices = asked
            self.spoken |= set(devices)
            return Laid(name, Fate.ASKED, key, question=why, choices=tuple(self.names[d] for d in devices))
        answer = self.answers.get(key, "")
        if answer == SKIP:
            self.spoken |= set(_devices(hits))
            return Laid(name, Fate.SKIPPED, key, _BY_A_PERSON, answered=True)
        device, by = self._answered(answer) if answer else (next(iter(hits.values()), [None])[0], next(iter(hits), ""))
        if device is None:
            self.rows.append([""] * len(self.headings))
            self._put(self.rows[-1], row)
            return Laid(name, Fate.NEW, key, by, answered=bool(answer))
        if device in self.taken:
            raise ValueError(f"row {key} can't be {self.names[device]} too: another row is already")
        self.taken.add(device)
        changes = self._put(self.rows[device], row)
        fate = Fate.CHANGED if changes else Fate.SAME
        return Laid(self.names[device], fate, key, by, tuple(changes), answered=bool(answer))

    def _answered(self, answer: str) -> tuple[int | None, str]:
        if answer == NEW:
            return None, _BY_A_PERSON
        if answer not in self.names:
            hint = did_you_mean(answer, self.names)
            raise ValueError(f"the job has no device {answer}{hint}; give one, or {NEW}, or {SKIP}")
        return self.names.index(answer), _BY_A_PERSON

    def _put(self, into: list[str], row: int) -> list[CellChange]:
        """Write what the new row says, an empty cell too; returns what that changes."""
        changes = []
        for index in self.new.has[row]:
            at, text = self.place[index], self.new.rows[row][index]
            if into[at] != text:
                changes.append(CellChange(self.headings[at], into[at], text))
                into[at] = text
        return sorted(changes, key=lambda change: self.headings.index(change.heading))

    def _gone(self, there: Sequence[int], remove: Collection[str] | None) -> set[int]:
        """Those of the devices that are in no row that are to go."""
        if remove is None:
            return set(there)
        names = [self.names[i] for i in there]
        for name in remove:
            if name not in names:
                raise ValueError(f"{name} can't be removed: it is in the sheet, or not in the job")
        return {i for i in there if self.names[i] in remove}


def _columns(own: Imported, new: Imported) -> tuple[list[str], dict[int, int]]:
    """The headings of both, and for each column of the new one its place among them: by meaning, else by heading."""
    headings, means = list(own.headings), list(own.means)
    place: dict[int, int] = {}
    for index, (heading, meaning) in enumerate(zip(new.headings, new.means, strict=True)):
        same = [i for i, m in enumerate(means) if (m == meaning if meaning else not m and headings[i] == heading)]
        if not same:
            headings.append(heading)
            means.append(meaning)
            same = [len(headings) - 1]
        place[index] = same[0]
    return headings, place


def _devices(hits: Mapping[str, list[int]]) -> list[int]:
    """The devices that any mark of a row points at, each once, the surest first."""
    return list(dict.fromkeys(device for several in hits.values() for device in several))


def _index(texts: Sequence[str]) -> dict[str, list[int]]:
    """Where each text stands, in lower case."""
    found: dict[str, list[int]] = {}
    for row, text in enumerate(texts):
        if text:
            found.setdefault(text.lower(), []).append(row)
    return found


def _name(of: Imported, row: int) -> str:
    """How a row is called: its hostname, else another mark of it, else its number."""
    for key in ("hostname", "label", "serial", "mac"):
        if key in of.means and (text := of.rows[row][of.means.index(key)]):
            return text
    return f"row {of.spots[row].line}"
