"""Jobs on this machine: the recent ones, a fresh demo, a new one from nothing."""

from __future__ import annotations

import csv
import io
import json
import re
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from importlib import resources
from ipaddress import ip_address
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
    counts: Mapping[str, int] = field(default_factory=dict)
    """How many of its devices stood how when it was left, as the board counts them."""


def _file() -> Path:
    return platformdirs.user_state_path("zinger") / "recent-jobs.json"


def _recorded() -> list[dict[str, object]]:
    try:
        found = json.loads(_file().read_text("utf-8"))
        return [entry for entry in found if isinstance(entry, dict) and "path" in entry]
    except (OSError, ValueError, TypeError):
        return []


def remember_job(path: Path, devices: int, counts: Mapping[str, int] | None = None) -> None:
    """Put a job at the head of the list, with how it stands; a convenience, so that a full disk stops nothing."""
    before = {str(entry["path"]): entry for entry in _recorded()}
    known = before.pop(str(path), {}).get("counts", {}) if counts is None else dict(counts)
    before.pop(str(path), None)
    entries = [{"path": str(path), "devices": devices, "at": time.time(), "counts": known}, *before.values()]
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
                    _counts(entry.get("counts")),
                )
            )
        except (OSError, ValueError):
            continue
    return found


def _counts(found: object) -> dict[str, int]:
    rows = found.items() if isinstance(found, dict) else ()
    return {str(name): count for name, count in rows if isinstance(count, int)}


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


def lay_out_copies(where: Path, count: int) -> None:
    """A job of so many devices, to see how a long day goes: copies of the demo's devices that have a console.

    Raises JobFolderError.
    """
    demo = resources.files("zinger") / "demo"
    rows = list(csv.DictReader(io.StringIO((demo / "devices.csv").read_text("utf-8"))))
    kinds = [row for row in rows if row["family"] in ("Quern S2", "Quern S9", "Hollin G4", "Hollin M1", "Sallow W5")]
    columns = ("site", "role", "hostname", "family", "address", "serial", "mac", "label", "location")
    out = io.StringIO()
    sheet = csv.DictWriter(out, columns, lineterminator="\n")
    sheet.writeheader()
    for number in range(1, count + 1):
        row = kinds[number % len(kinds)]
        host, address = f"kvr-ll-{row['role'][:2]}{number}", ip_address("10.44.64.10") + number
        serial = f"{row['serial'].partition('-')[0]}-{number:05}"
        mac = f"02-4b-57-00-{number >> 8:02x}-{number & 255:02x}"
        cells = ("ll", row["role"], host, row["family"], address, serial, mac, f"KVR-{30000 + number}", f"km {number}")
        sheet.writerow(dict(zip(columns, cells, strict=True)))
    job = (demo / "job.yaml").read_text("utf-8")
    site = "sites:\n  ll: {name: Long Line, subnet: 10.44.64.0/21, management: {gateway: 10.44.64.1}}\n"
    job = re.sub(r"^sites:\n(?:  .*\n)+", site, job, flags=re.MULTILINE)
    create_job(where, re.sub(r"^addresses:.*\n", "", job, flags=re.MULTILINE), out.getvalue().encode())


def fresh_copies(count: int) -> Path:
    """A new folder with a job of so many devices, at most 1,900: what its one subnet has room for."""
    where = platformdirs.user_data_path("zinger") / time.strftime(f"copies-{count}-%Y%m%d-%H%M%S")
    lay_out_copies(where, count)
    return where


def begin_empty(folder: Path, title: str) -> None:
    """Make a job with headings and no devices; raises JobFolderError."""
    headings = ("site", "role", "hostname", "family", "address", "serial", "mac", "label", "location")
    empty = Imported(headings, headings, (), ())
    create_job(folder, job_text(title, empty, {}), empty.to_csv())
