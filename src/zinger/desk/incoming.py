"""A sheet on its way into a job, new or old: looked at, read, and only then written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from zinger.plan.files.documents import JobDocument
from zinger.plan.files.editing import Files
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import Table, read_tables
from zinger.plan.files.transfer import Imported, Merged, Proposal, job_text, merge, propose, take
from zinger.plan.raw import SHEET_FILE
from zinger.store.folder import JobFolder, JobFolderError, create_job


@dataclass
class Incoming:
    """Where a sheet goes: into a job that is there, or into a new folder with a title."""

    target: Path
    title: str = ""
    sheet: Path | None = None

    @property
    def _job(self) -> JobFolder | None:
        return JobFolder(self.target) if (self.target / "job.yaml").exists() else None

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
        return propose(data, sheet.name, read_job(job.files().job).columns if job else {}, only)

    @staticmethod
    def read(proposal: Proposal) -> Imported:
        """Every cell by what its heading means."""
        return take(proposal)

    def effect(self, imported: Imported, where: str) -> str:
        """What taking it would do, in words; `where` is the target as people write it."""
        job = self._job
        if job is None:
            return f"a new job in {where} with {len(imported.rows)} devices"
        merged = self._merged(job.files(), imported, {})
        if merged is None:
            return f"{len(imported.rows)} devices into {self.target.name}"
        text = f"{len(merged.added)} new, {len(merged.changed)} changed, {merged.same} as they were"
        return text + (f"; {len(merged.missing)} that are not in it stay" if merged.missing else "")

    def _merged(self, files: Files, imported: Imported, remembered: dict[str, str]) -> Merged | None:
        own = own_table(files)
        columns = {**read_job(files.job).columns, **remembered}
        return merge(own, columns, imported) if own else None

    def take(self, proposal: Proposal, imported: Imported) -> tuple[Path, list[str]]:
        """Write it; returns the job's folder and what was done, a sentence a line. Raises JobFolderError."""
        remembered = proposal.remembered()
        job = self._job
        if job is None:
            create_job(self.target, job_text(self.title or self.target.name, imported, remembered), imported.to_csv())
            return self.target, [f"{len(imported.rows)} devices are in {self.target}"]
        files = job.files()
        merged = self._merged(files, imported, remembered)
        document = JobDocument(files.job)
        for heading, meaning in remembered.items():
            document.set(("columns", heading), meaning)
        if files.sheet_name != SHEET_FILE:
            document.set(("devices",), SHEET_FILE)
        job.write(Files(document.dump(), merged.to_csv() if merged else imported.to_csv(), SHEET_FILE), files)
        if merged is None:
            return self.target, [f"{len(imported.rows)} devices are in {self.target}"]
        words = [f"  changed  {change}" for change in merged.changed]
        words += [f"  new      {name}" for name in merged.added]
        words += [f"  kept     {name}, which is not in {proposal.file}" for name in merged.missing]
        words.append(f"{len(merged.added)} new, {len(merged.changed)} changed, {merged.same} as they were")
        return self.target, words


def own_table(files: Files) -> Table | None:
    """The table of a job's own sheet, if it has one."""
    tables = read_tables(files.sheet, files.sheet_name) if files.sheet.strip() else []
    return next((t for t in tables if t.headings), None)
