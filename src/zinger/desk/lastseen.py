"""The end of a device's last recording, for a screen on which nothing is on its wire now."""

from __future__ import annotations

import os
import re
import time
from pathlib import Path

from zinger.store.har import SUFFIX, shown_in
from zinger.store.recording import RecordingError, events_of
from zinger.store.transcript import Transcript

LARGEST = 8_000_000
"""Bytes of a recording that are read for a look; of a longer one nothing is shown here (v plays it)."""
SHOWN = 6_000
"""Characters of its end."""


def recordings_of(records: Path, device: str) -> list[Path]:
    """The recordings of a device, of its bare wire too, the newest first."""
    named = re.compile(rf"(?:bare-)?{re.escape(device)}-\d{{8}}-.*(?:\.cast|{re.escape(SUFFIX)})")
    try:
        with os.scandir(records) as found:
            mine = [(entry.stat().st_mtime, Path(entry)) for entry in found if named.fullmatch(entry.name)]
    except OSError:
        return []
    return [path for _, path in sorted(mine, reverse=True)]


def end_of(file: Path, transcript: Transcript) -> str:
    """Put the end of a recording into a transcript; returns when it was recorded, in words. Raises RecordingError."""
    if file.stat().st_size > LARGEST:
        raise RecordingError(f"{file.name} is too long to be shown here")
    events = shown_in(file) if file.suffix == SUFFIX else events_of(file)
    shown = "".join(text for _, code, text in events if code == "o")[-SHOWN:]
    _, _, whole = shown.partition("\n") if len(shown) == SHOWN else ("", "", shown)
    transcript.add(whole.encode())
    return time.strftime("%d %b %H:%M", time.localtime(file.stat().st_mtime))
