"""Jobs on this machine: the recent ones, a fresh demo, a new one from nothing."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

import platformdirs

from zinger.files import FileError, write_whole
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.newjob import job_text
from zinger.plan.files.transfer import Imported
from zinger.plan.raw import JOB_FILE
from zinger.store.folder import JobFolderError, create_job

_KEEP = 12


@dataclass(frozen=True)
class RecentJob:
    """A job that was open lately; `at` in seconds since 1970."""

    path: Path
    title: str
    devices: int
    live: bool
    at: float


def _file() -> Path:
    return platformdirs.user_state_path("zinger") / "recent-jobs.json"


def _recorded() -> list[dict[str, object]]:
    try:
        found = json.loads(_file().read_text("utf-8"))
        return [entry for entry in found if isinstance(entry, dict) and "path" in entry]
    except (OSError, ValueError, TypeError):
        return []


def remember_job(path: Path, devices: int) -> None:
    """Put a job at the head of the list; a convenience, so that a full disk stops nothing."""
    entries = [{"path": str(path), "devices": devices, "at": time.time()}]
    entries += [entry for entry in _recorded() if entry["path"] != str(path)]
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_file(), json.dumps(entries[:_KEEP], indent=1).encode())
    except (OSError, FileError):
        return


def recent_jobs() -> list[RecentJob]:
    """The jobs that were open lately and are still there, the last one first."""
    found = []
    for entry in _recorded():
        path = Path(str(entry["path"]))
        try:
            job = read_job((path / JOB_FILE).read_text("utf-8"))
            found.append(
                RecentJob(
                    path,
                    job.title,
                    int(str(entry.get("devices", 0))),
                    job.mode == "live",
                    float(str(entry.get("at", 0))),
                )
            )
        except (OSError, ValueError):
            continue
    return found


def last_job() -> Path | None:
    """The job that was open last, if it is still there."""
    return next((job.path for job in recent_jobs()), None)


def lay_out_demo(where: Path) -> None:
    """Put the demo job into a folder; raises JobFolderError."""
    try:
        where.mkdir(parents=True, exist_ok=True)
        for entry in (resources.files("zinger") / "demo").iterdir():
            if entry.name.endswith((".yaml", ".csv")):
                (where / entry.name).write_text(entry.read_text("utf-8"), "utf-8")
    except OSError as error:
        raise JobFolderError(f"the demo can't be put into {where}: {error.strerror}") from None


def fresh_demo(word: str = "demo") -> Path:
    """A new folder with the demo job."""
    where = platformdirs.user_data_path("zinger") / time.strftime(f"{word}-%Y%m%d-%H%M%S")
    lay_out_demo(where)
    return where


def begin_empty(folder: Path, title: str) -> None:
    """Make a job with headings and no devices; raises JobFolderError."""
    headings = ("site", "role", "hostname", "family", "address", "serial", "mac", "label", "location")
    empty = Imported(headings, headings, (), ())
    create_job(folder, job_text(title, empty, {}), empty.to_csv())
