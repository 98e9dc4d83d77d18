"""A sheet on its way into a job, new or old: looked at, read, laid over what is there, and only then written."""

from __future__ import annotations

import difflib
from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

from zinger.phrasebook.load import Families
from zinger.plan.files.documents import JobDocument
from zinger.plan.files.editing import Files
from zinger.plan.files.headings import Known, plain_name
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.merging import Fate, Laid, Merged, merge
from zinger.plan.files.newjob import job_text, site_key, subnet_of
from zinger.plan.files.sheets import read_sheet
from zinger.plan.files.tables import Table, read_tables
from zinger.plan.files.transfer import BadCell, Imported, Proposal, own_devices, propose, take
from zinger.plan.problems import Severity
from zinger.plan.raw import SHEET_FILE, RawJob
from zinger.store.folder import JobFolder, JobFolderError, create_job
from zinger.store.undo import keep_before
from zinger.wording import counted

_ALIKE = 0.85
"""From this likeness on a name that the job does not have is a slip of one that it has."""
_OFTEN = 3
"""In so many rows a name is meant, and one that is nearly so in one row is not."""


@dataclass(frozen=True)
class Effect:
    """What taking a sheet would do: what becomes of each device, the sites and roles that it makes."""

    imported: Imported
    merged: Merged
    sites: Mapping[str, str] = field(default_factory=dict)
    roles: tuple[str, ...] = ()
    unsaid: tuple[str, ...] = ()
    """What the sheet does not say of new devices and must: the site, the family."""

    def of(self, *fates: Fate) -> list[Laid]:
        """The devices of which this becomes."""
        return self.merged.of(*fates)

    @cached_property
    def counts(self) -> Counter[Fate]:
        """How many of each."""
        return Counter(laid.fate for laid in self.merged.laid)

    @property
    def summary(self) -> str:
        """In one line: `2 new, 3 changed, 10 the same; 1 asked`."""
        count = self.counts
        usual = ", ".join(f"{count[fate]} {fate}" for fate in (Fate.NEW, Fate.CHANGED, Fate.SAME))
        words = {
            Fate.ASKED: "to be asked",
            Fate.BAD: "with cells that can't be read",
            Fate.SKIPPED: "left out",
            Fate.KEPT: "not in the sheet, kept",
            Fate.REMOVED: "removed",
        }
        rest = [f"{count[fate]} {text}" for fate, text in words.items() if count[fate]]
        return "; ".join([usual, *rest])

    @property
    def takes(self) -> int:
        """How many rows would be taken."""
        return sum(self.counts[fate] for fate in (Fate.NEW, Fate.CHANGED, Fate.SAME))


@dataclass
class Incoming:
    """Where a sheet goes: into a job that is there, or into a new folder with a title.

    `answers` say which device a row is that was asked for; `remove` what goes that is in no row (None: all of it).
    """

    target: Path
    title: str = ""
    sheet: Path | None = None
    answers: dict[str, str] = field(default_factory=dict)
    remove: Collection[str] | None = ()

    @property
    def _job(self) -> JobFolder | None:
        return JobFolder(self.target) if (self.target / "job.yaml").exists() else None

    @property
    def _raw(self) -> RawJob:
        """What the job says, as written; nothing for a new one."""
        job = self._job
        return read_job(job.files().job) if job else RawJob()

    @property
    def words(self) -> str:
        """Where it goes, for a headline."""
        return f"into {self.target.name}" if self._job else f"a new job, {self.title}"

    def look(self, sheet: Path, only: str = "") -> Proposal:
        """What the sheet is taken to mean; raises JobFolderError or UnreadableError."""
        try:
            data = sheet.read_bytes()
        except OSError as error:
            raise JobFolderError(f"{sheet} can't be read: {error.strerror}") from None
        job = self._job
        families = job.families()[0] if job else Families()
        raw = self._raw
        names = {"family": list(families), "site": _site_names(raw), "role": list(raw.roles)}
        known = Known({meaning: frozenset(map(plain_name, words)) for meaning, words in names.items()})
        proposal = propose(data, sheet.name, raw.columns, only, known)
        if len(raw.sites) == 1 and not any("site" in part.columns.means or part.site for part in proposal.parts):
            proposal = proposal.say_for_all("site", next(iter(raw.sites.values())).name)
        return proposal

    def read(self, proposal: Proposal) -> Imported:
        """Every cell by what its heading means; names that are slips of the job's own are bad cells."""
        imported = take(proposal)
        raw = self._raw
        slips = [*_slips(imported, proposal, "site", _site_names(raw))]
        slips += _slips(imported, proposal, "role", list(raw.roles))
        return replace(imported, bad=(*imported.bad, *slips))

    def effect(self, imported: Imported) -> Effect:
        """What taking it would do, nothing written; raises ValueError for an answer that fits nothing."""
        job = self._job
        files = job.files() if job else Files("", b"", SHEET_FILE)
        raw = read_job(files.job) if job else RawJob()
        table = own_table(files)
        own = own_devices(table, raw.columns) if table else Imported((), (), (), ())
        merged = merge(own, imported, self.answers, self.remove)
        good = imported.good
        known = set(map(plain_name, _site_names(raw)))
        sites: dict[str, str] = {}
        for name in dict.fromkeys(filter(None, good.column("site"))):
            if plain_name(name) not in known:
                sites[site_key(name, {*raw.sites, *sites})] = name
        roles = dict.fromkeys(role for role in good.column("role") if role and role not in raw.roles)
        new = any(laid.fate is Fate.NEW for laid in merged.laid)
        unsaid = tuple(meaning for meaning in ("site", "family") if new and meaning not in imported.means)
        return Effect(imported, merged, sites, tuple(roles), unsaid)

    def take(self, proposal: Proposal, effect: Effect) -> Path:
        """Write what can be taken of it; returns the job's folder.

        Raises JobFolderError, then nothing was written: also where the job could not be read afterwards.
        """
        remembered = proposal.remembered()
        good = effect.imported.good
        job = self._job
        if job is None:
            text = job_text(self.title or self.target.name, good, remembered)
            _readable(Files(text, effect.merged.to_csv(), SHEET_FILE), len(effect.merged.rows))
            create_job(self.target, text, effect.merged.to_csv())
            return self.target
        files = job.files()
        document = JobDocument(files.job)
        for heading, meaning in remembered.items():
            document.set(("columns", heading), meaning)
        for key, name in effect.sites.items():
            document.set(("sites", key, "name"), name)
            if subnet := subnet_of(good, name):
                document.set(("sites", key, "subnet"), subnet)
        for role in effect.roles:
            document.set(("roles", role), {})
        if files.sheet_name != SHEET_FILE:
            document.set(("devices",), SHEET_FILE)
        after = Files(document.dump(), effect.merged.to_csv(), SHEET_FILE)
        _readable(after, len(effect.merged.rows), files)
        keep_before(job, files, after, f"{proposal.file}: {effect.summary}")
        job.write(after, files)
        return self.target


def _readable(files: Files, rows: int, before: Files | None = None) -> None:
    """That the job can be read with these files; raises JobFolderError if it can't, and could before."""
    job = read_job(files.job)
    found, problems = read_sheet(files.sheet, files.sheet_name, job.columns)
    known = set()
    if before is not None:
        known = {p.what for p in (*read_job(before.job).problems, *read_sheet(before.sheet, before.sheet_name)[1])}
    bad = [p for p in (*job.problems, *problems) if p.id in ("job-unreadable", "sheet-unreadable")]
    bad = [p for p in bad if p.what not in known]
    if bad:
        raise JobFolderError(f"nothing was written, since the job could not be read afterwards: {bad[0]}")
    told = sum(p.id == "sheet-shape" and p.severity is Severity.WARNING for p in problems)  # rows that are no devices
    if len(found) + told < rows:
        raise JobFolderError(
            f"nothing was written, since only {counted(len(found), 'device')} of {rows} could be read afterwards"
        )


def _site_names(raw: RawJob) -> list[str]:
    """The names and keys of a job's sites."""
    return [word for key, site in raw.sites.items() for word in (site.name, key)]


def _slips(imported: Imported, proposal: Proposal, meaning: str, known: list[str]) -> Iterator[BadCell]:
    """Cells with the name of a site or role that is nearly that of another: of one that the job has, or most rows."""
    near = _nearly(Counter(filter(None, imported.column(meaning))), known)
    tables = {part.table.name: part.table for part in proposal.parts if meaning in part.columns.means}
    columns = {p.table.name: p.columns.means.index(meaning) for p in proposal.parts if p.table.name in tables}
    for name, spot in zip(imported.column(meaning), imported.spots, strict=True):
        if name in near and spot.key in columns and spot.line:
            at, table = columns[spot.key], tables[spot.key]
            meant, why = near[name]
            what, do = f"no {meaning} is called {name}", f"Correct it, or describe the {meaning} in job.yaml first"
            cell = table.cell_name(spot.line, at)
            yield BadCell(table.spot(spot.line, at), cell, spot.line, meaning, name, what, do, meant, why)


def _nearly(names: Counter[str], known: list[str]) -> dict[str, tuple[str, str]]:
    """Of the names in a sheet those that are probably slips, with what is meant and why."""
    own = {plain_name(name): name for name in known}
    often = {plain_name(name): name for name, count in names.items() if count >= _OFTEN}
    slips: dict[str, tuple[str, str]] = {}
    for name, count in names.items():
        plain = plain_name(name)
        if plain in own or name in often.values():
            continue
        if found := difflib.get_close_matches(plain, own, 1, _ALIKE):
            slips[name] = own[found[0]], "so the job calls it"
            continue
        found = difflib.get_close_matches(plain, often, 1, _ALIKE) if count == 1 else []
        if found and _digits(found[0]) == _digits(plain):
            slips[name] = often[found[0]], f"so it is in {names[often[found[0]]]} rows"
    return slips


def _digits(text: str) -> str:
    return "".join(c for c in text if c.isdigit())


def own_table(files: Files) -> Table | None:
    """The table of a job's own sheet, if it has one."""
    tables = read_tables(files.sheet, files.sheet_name) if files.sheet.strip() else []
    return next((t for t in tables if t.headings), None)
