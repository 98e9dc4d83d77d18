"""The job folder: where its files are, one Zinger at a time, and reading the plan out of it."""

from __future__ import annotations

import contextlib
import fcntl
import os
from io import TextIOWrapper
from pathlib import Path

from zinger.errors import ZingerError
from zinger.files import write_whole
from zinger.phrasebook.examine import examine
from zinger.phrasebook.load import Families, load_family, shipped_source
from zinger.phrasebook.source import PhrasebookError
from zinger.plan.files.editing import Files
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Plan
from zinger.plan.problems import Problem, Severity, Spot, error_at
from zinger.plan.raw import JOB_FILE, SHEET_FILE, RawRow
from zinger.plan.resolve import resolve
from zinger.plan.values.secrets import Vaulted


class JobFolderError(ZingerError):
    """The folder is not a job, or can't be used; the message says what to do."""


class Locked(JobFolderError):
    """Another Zinger works on this job."""


class ChangedOutside(JobFolderError):
    """Somebody else changed the plan's files meanwhile; `files` are as they are now."""

    def __init__(self, files: Files) -> None:
        super().__init__("the plan's files were changed by somebody else meanwhile; nothing was written")
        self.files = files


def create_job(path: Path, text: str, sheet: bytes, sheet_name: str = SHEET_FILE) -> None:
    """Make a job folder with these files; raises JobFolderError when there is one already, or it can't be made."""
    if (path / JOB_FILE).exists():
        raise JobFolderError(f"{path} is a job already; give another folder")
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise JobFolderError(f"{path} can't be made: {error.strerror}") from None
    write_whole(path / sheet_name, sheet)
    write_whole(path / JOB_FILE, text.encode())


class JobFolder:
    """A job on disk."""

    def __init__(self, path: Path) -> None:
        self.path = path.expanduser().absolute()
        if not self.path.is_dir():
            raise JobFolderError(f"{path} is not a folder; give the job's folder, or `zinger demo` for a made-up one")
        if not (self.path / JOB_FILE).is_file():
            raise JobFolderError(f"{path} has no {JOB_FILE}; a job is a folder with {JOB_FILE} and {SHEET_FILE}")
        self._lock: TextIOWrapper | None = None

    @property
    def vault(self) -> Path:
        """The age file with the secrets."""
        return self.path / "vault.age"

    @property
    def host_keys(self) -> Path:
        """The SSH host keys that were pinned, as OpenSSH's known_hosts writes them."""
        return self.path / "known_hosts"

    @property
    def certificates(self) -> Path:
        """The certificates of web servers that were pinned, in base64 by device."""
        return self.path / "certificates"

    @property
    def journal(self) -> Path:
        """The SQLite file with what happened."""
        return self.path / "journal.db"

    @property
    def records(self) -> Path:
        """The folder of recordings."""
        return self.path / "records"

    @property
    def backups(self) -> Path:
        """The folder of configurations that devices gave."""
        return self.path / "files"

    @property
    def handover(self) -> Path:
        """The folder of papers."""
        return self.path / "handover"

    @property
    def yard(self) -> Path:
        """The practice yard's own folder: its description, control port and flash memory."""
        return self.path / ".yard"

    def stamps(self) -> dict[str, tuple[int, int]]:
        """(last change in ns, size) of each file that makes the plan: the job, its sheets, its phrasebooks."""
        found: dict[str, tuple[int, int]] = {}
        for pattern in (JOB_FILE, "*.csv", "*.xlsx", "*.yaml", "*.json", "phrasebooks/*.yaml"):
            for file in self.path.glob(pattern):
                with contextlib.suppress(OSError):
                    stat = file.stat()
                    found[str(file)] = (stat.st_mtime_ns, stat.st_size)
        return found

    def lock(self) -> None:
        """Be the only one who works on this job; raises Locked, or JobFolderError when nothing can be written."""
        try:
            handle = (self.path / ".lock").open("a+")
        except OSError as error:
            raise JobFolderError(
                f"nothing can be written in {self.path} ({error.strerror}); a run needs its journal and vault there"
            ) from None
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            handle.close()
            raise Locked(f"another zinger works on {self.path}; close it first") from None
        handle.truncate(0)
        handle.write(f"{os.getpid()}\n")
        handle.flush()
        self._lock = handle

    @property
    def is_at_work(self) -> bool:
        """Whether somebody works on this job now."""
        try:
            with (self.path / ".lock").open() as handle:
                fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except OSError as error:
            return isinstance(error, BlockingIOError)
        return False

    def unlock(self) -> None:
        """Let others work on it."""
        if self._lock:
            self._lock.close()
            self._lock = None

    def families(self) -> tuple[Families, list[Problem]]:
        """The shipped families, and the job's own, which take precedence; what is wrong with them become problems."""
        families, problems = Families(), []
        for file in sorted((self.path / "phrasebooks").glob("*.yaml")):
            name = f"phrasebooks/{file.name}"
            try:
                card, book = load_family(file.read_text("utf-8"), name, self._family_source)
                families.add(card, book)
                problems += [p for p in examine(book, name) if p.severity is Severity.ERROR] if book else []
            except PhrasebookError as error:
                problems += error.problems
            except (OSError, UnicodeDecodeError) as error:
                spot = Spot(f"phrasebooks/{file.name}")
                problems.append(error_at("family-unreadable", spot, str(error), "Mend the file"))
        return families, problems

    def _family_source(self, name: str) -> tuple[str, str] | None:
        """The file of a family that one of the job's is like: the job's own, or a shipped one."""
        own = self.path / "phrasebooks" / f"{name}.yaml"
        return (own.read_text("utf-8"), f"phrasebooks/{own.name}") if own.is_file() else shipped_source(name)

    def files(self) -> Files:
        """The plan's two files as they are now, nothing for a sheet that is not there; raises JobFolderError."""
        try:
            text = (self.path / JOB_FILE).read_bytes().decode("utf-8")
            name = read_job(text).sheet
            sheet = self.path / name
            return Files(text, sheet.read_bytes() if sheet.exists() else b"", name)
        except (OSError, UnicodeDecodeError) as error:
            raise JobFolderError(f"the plan in {self.path} can't be read: {error}") from None

    def stamp(self) -> tuple[tuple[str, int, int], ...]:
        """Changes when one of the plan's files does: name, time in nanoseconds and size of each."""
        found = []
        for file in sorted(self.path.iterdir()):
            if file.suffix in (".yaml", ".csv", ".xlsx", ".json", ".yml"):
                with contextlib.suppress(OSError):
                    found.append((file.name, file.stat().st_mtime_ns, file.stat().st_size))
        return tuple(found)

    def write(self, files: Files, expected: Files) -> None:
        """Write the plan's files whole, unless one of them is not as expected any more.

        Raises ChangedOutside, with what is there now, or JobFolderError; then nothing was written.
        """
        now = self.files()
        if now != expected:
            raise ChangedOutside(now)
        if files.sheet != now.sheet or files.sheet_name != now.sheet_name:
            write_whole(self.path / files.sheet_name, files.sheet)
        if files.job != now.job:
            write_whole(self.path / JOB_FILE, files.job.encode())

    def plan(
        self, families: Families, vaulted: Vaulted | None = None, problems: tuple[Problem, ...] = (), sheet: str = ""
    ) -> Plan:
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
            found.append(
                error_at(
                    "sheet-elsewhere",
                    Spot(JOB_FILE, None, "devices"),
                    f"{name} is not in the job folder",
                    "Copy the sheet into the folder",
                )
            )
        elif not file.is_file():
            found.append(
                error_at(
                    "sheet-missing",
                    Spot(name),
                    "the build sheet is missing",
                    f"Bring one in with `zinger import SHEET {self.path.name}`, or name it in {JOB_FILE} as devices:",
                )
            )
        else:
            try:
                rows, trouble = read_sheet(file.read_bytes(), name, job.columns)
            except OSError as error:
                raise JobFolderError(f"{name} can't be read: {error.strerror}") from None
            found += trouble
        return resolve(job, rows, families.rules, vaulted, tuple(found))
