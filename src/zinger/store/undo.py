"""The plan's files as they were before each import, so that one can be taken back.

Each is a folder below `.before/` with the two files and `about.json`: the name of the sheet, what was done, and the
digest (SHA-256) of what the import wrote. The last ten are kept.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from zinger.files import write_whole
from zinger.plan.files.editing import Files
from zinger.plan.raw import JOB_FILE
from zinger.store.folder import JobFolder, JobFolderError

_KEEP = 10


@dataclass(frozen=True)
class Before:
    """The files before an import, and what that did; `at` in seconds since 1970."""

    path: Path
    files: Files
    words: str
    after: str
    at: float


def digest(files: Files) -> str:
    """What tells whether files are as an import left them."""
    return hashlib.sha256("\0".join((files.job, files.sheet_name)).encode() + b"\0" + files.sheet).hexdigest()


def keep_before(job: JobFolder, before: Files, after: Files, words: str) -> None:
    """Keep the files before an import is written; raises FileError, then nothing must be written."""
    home = job.path / ".before"
    path = home / time.strftime("%Y-%m-%dT%H%M%S")
    number = 2
    while path.exists():
        path = home / f"{path.name.partition('-again')[0]}-again{number}"
        number += 1
    path.mkdir(parents=True, mode=0o700)
    write_whole(path / JOB_FILE, before.job.encode())
    write_whole(path / "sheet", before.sheet)
    about = {"sheet": before.sheet_name, "words": words, "after": digest(after), "at": time.time()}
    write_whole(path / "about.json", json.dumps(about).encode())
    for old in sorted(home.iterdir())[:-_KEEP]:
        shutil.rmtree(old, ignore_errors=True)


def last_before(job: JobFolder) -> Before | None:
    """The files before the last import that was not taken back."""
    for path in sorted((job.path / ".before").glob("*"), reverse=True):
        try:
            about = json.loads((path / "about.json").read_text("utf-8"))
            files = Files((path / JOB_FILE).read_text("utf-8"), (path / "sheet").read_bytes(), str(about["sheet"]))
            return Before(path, files, str(about["words"]), str(about["after"]), float(about["at"]))
        except (OSError, ValueError, KeyError, TypeError):
            continue  # one that was cut off while it was kept: nothing was imported after it
    return None


def take_back(job: JobFolder, force: bool = False) -> Before:
    """Put the files back as they were before the last import; raises JobFolderError, then nothing was changed.

    What was changed by hand since then would be lost: that is refused unless it is forced.
    """
    before = last_before(job)
    if before is None:
        raise JobFolderError(f"no import into {job.path} can be taken back: none is kept")
    now = job.files()
    if digest(now) != before.after and not force:
        raise JobFolderError(
            "the plan's files were changed after the import, and that would be lost; give --force if it may be"
        )
    job.write(before.files, now)
    shutil.rmtree(before.path, ignore_errors=True)
    return before
