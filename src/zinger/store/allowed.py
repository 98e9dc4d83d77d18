"""Commands that a person has looked at and allowed: once for a job's folder on this machine, and for these very words.

A job folder comes from strangers too; that it is opened must not start a program that somebody else wrote into it. What
is allowed is kept beside the person's other state, never in the job, which would allow itself.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from pathlib import Path

import platformdirs

from zinger.files import write_whole


def _file() -> Path:
    return platformdirs.user_state_path("zinger") / "allowed-commands.json"


def _mark(folder: Path, command: str) -> str:
    return hashlib.sha256(f"{folder.resolve()}\0{command}".encode()).hexdigest()


def _known() -> list[str]:
    try:
        found = json.loads(_file().read_text("utf-8"))
    except (OSError, ValueError):
        return []
    return [mark for mark in found if isinstance(mark, str)] if isinstance(found, list) else []


def is_allowed(folder: Path, command: str) -> bool:
    """Whether this command was allowed for this job."""
    return _mark(folder, command) in _known()


def allow(folder: Path, commands: Iterable[str]) -> None:
    """Allow these; raises FileError when that can't be kept."""
    marks = dict.fromkeys([*_known(), *(_mark(folder, command) for command in commands)])
    _file().parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    write_whole(_file(), json.dumps(list(marks)).encode(), 0o600)
