"""Events as they happen: JSON lines on standard output, or added to a file by structlog. The journal masks them."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from zinger.cli.common import CommandError

if TYPE_CHECKING:
    from zinger.store.entries import Entry

Tell = Callable[["Entry"], None]


def as_line(entry: Entry) -> str:
    """An event as one line of JSON; `at` in seconds since 1970."""
    return json.dumps({"at": entry.at, "device": entry.device, "event": entry.kind, **entry.data}, ensure_ascii=False)


def teller(to_stdout: bool, file: Path | None) -> Tell | None:
    """What is told of each event; None where nobody wants to know. Raises CommandError for a file it can't write."""
    told: list[Tell] = []
    if to_stdout:
        told.append(lambda entry: print(as_line(entry), file=sys.stdout, flush=True))
    if file is not None:
        told.append(_to_file(file))
    if not told:
        return None

    def tell(entry: Entry) -> None:
        for one in told:
            one(entry)

    return tell


def _to_file(file: Path) -> Tell:
    import structlog

    try:
        out = file.open("a", encoding="utf-8")
    except OSError as error:
        raise CommandError(f"--log {file}: {error.strerror}") from None
    log = structlog.wrap_logger(
        structlog.WriteLogger(out),
        processors=[structlog.processors.TimeStamper(fmt="iso", utc=True), structlog.processors.JSONRenderer()],
    )

    def tell(entry: Entry) -> None:
        log.info(
            entry.kind,
            device=entry.device,
            **{f"_{k}" if k in ("event", "device") else k: v for k, v in entry.data.items()},
        )
        out.flush()

    return tell
