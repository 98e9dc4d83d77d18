"""The job folder: where its files are, one Zinger at a time, and reading the plan out of it."""

from __future__ import annotations

import fcntl
import os
from io import TextIOWrapper
from pathlib import Path

from zinger.phrasebook import Families, PhrasebookError, load_family
from zinger.plan import JOB_FILE, SHEET_FILE, Plan, Problem, Spot, mend, read_job, read_sheet, resolve
from zinger.plan.jobfile import RawRow
from zinger.plan.secrets import Vaulted


class JobFolderError(Exception):
    """The folder is no job, or can't be used; the message says what to do."""


class Locked(JobFolderError):
    """Another Zinger works on this job."""


class JobFolder:
    """A job on disk."""

    def __init__(self, path: Path) -> None:
        self.path = path.expanduser().absolute()
        if not self.path.is_dir():
            raise JobFolderError(f"{path} is no folder; give the job's folder, or `zinger demo` for a made-up one")
        if not (self.path / JOB_FILE).is_file():
            raise JobFolderError(f"{path} has no {JOB_FILE}; a job is a folder with {JOB_FILE} and {SHEET_FILE}")
        self._lock: TextIOWrapper | None = None

    @property
    def vault(self) -> Path:
        """The age file with the secrets."""
        return self.path / "vault.age"

    @property
    def journal(self) -> Path:
        """The SQLite file with what happened."""
        return self.path / "journal.db"

    @property
    def records(self) -> Path:
        """The folder of recordings."""
        return self.path / "records"

    @property
    def handover(self) -> Path:
        """The folder of papers."""
        return self.path / "handover"

    @property
    def yard(self) -> Path:
        """The practice yard's own folder: its description, control port and flash memory."""
        return self.path / ".yard"

    def lock(self) -> None:
        """Be the only one who works on this job; raises Locked, or JobFolderError when nothing can be written."""
        try:
            handle = (self.path / ".lock").open("a+")
        except OSError as error:
            raise JobFolderError(f"nothing can be written in {self.path} ({error.strerror}); "
                                 "a run needs its journal and vault there") from None
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            handle.close()
            raise Locked(f"another zinger works on {self.path}; close it first") from None
        handle.truncate(0)
        handle.write(f"{os.getpid()}\n")
        handle.flush()
        self._lock = handle

    def unlock(self) -> None:
        """Let others work on it."""
        if self._lock:
            self._lock.close()
            self._lock = None

    def families(self) -> tuple[Families, list[Problem]]:
        """The shipped families, and the job's own, which take precedence; broken ones become problems."""
        families, problems = Families(), []
        for file in sorted((self.path / "phrasebooks").glob("*.yaml")):
            try:
                families.add(*load_family(file.read_text("utf-8"), f"phrasebooks/{file.name}"))
            except PhrasebookError as error:
                problems += error.problems
            except (OSError, UnicodeDecodeError) as error:
                spot = Spot(f"phrasebooks/{file.name}")
                problems.append(mend("family-unreadable", spot, str(error), "Mend the file"))
        return families, problems

    def plan(self, families: Families, vaulted: Vaulted | None = None,
             problems: tuple[Problem, ...] = (), sheet: str = "") -> Plan:
        """Read, resolve and check the plan, with another build sheet of the folder if wanted.

        Raises JobFolderError when a file can't be read at all.
        """
        try:
            job = read_job((self.path / JOB_FILE).read_text("utf-8"))
        except (OSError, UnicodeDecodeError) as error:
            raise JobFolderError(f"{JOB_FILE} can't be read: {error}") from None
        name = sheet or job.sheet
        found: list[Problem] = list(problems)
        rows: list[RawRow] = []
        file = self.path / name
        if file.resolve().parent != self.path.resolve():
            found.append(mend("sheet-elsewhere", Spot(JOB_FILE, None, "devices"),
                              f"{name} is not in the job folder", "Copy the sheet into the folder"))
        elif not file.is_file():
            found.append(mend("sheet-missing", Spot(name), "the build sheet is missing",
                              f"Put it into {self.path.name}/, or name it in {JOB_FILE} as devices:"))
        else:
            try:
                rows, trouble = read_sheet(file.read_bytes(), name, job.columns)
            except OSError as error:
                raise JobFolderError(f"{name} can't be read: {error.strerror}") from None
            found += trouble
        return resolve(job, rows, families.rules, vaulted, tuple(found))
