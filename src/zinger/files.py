"""Writing files so that they are there whole, or as they were before. The only place that drafts and renames."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from zinger.errors import ZingerError


class FileError(ZingerError):
    """A file that can't be read or written; the message says which and why."""


def write_whole(path: Path, data: bytes, mode: int | None = None) -> None:
    """Write a file by a draft that is on disk before it is renamed; raises FileError, then nothing was changed.

    `mode` are the permission bits, 0600 for a new file; a file that is there keeps its own unless they are given.
    """
    draft = path.with_name(f".{path.name}.new")
    try:
        if mode is None:
            mode = path.stat().st_mode & 0o777 if path.exists() else 0o600
        with os.fdopen(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, mode), "wb") as out:
            os.fchmod(out.fileno(), mode)
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        draft.replace(path)
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except OSError as error:
        with contextlib.suppress(OSError):
            draft.unlink(missing_ok=True)
        raise FileError(f"{path} can't be written: {error.strerror}. It is as it was before.") from None


def read_text(path: Path) -> str:
    """A text file in UTF-8; raises FileError."""
    try:
        return path.read_text("utf-8")
    except OSError as error:
        raise FileError(f"{path} can't be read: {error.strerror}.") from None
    except UnicodeDecodeError:
        raise FileError(f"{path} is not text in UTF-8. Save it as UTF-8.") from None
