"""The end of a device's last recording, for a screen on which nothing is on its wire now."""

from __future__ import annotations

import os
import time
from pathlib import Path

from zinger.store.har import SUFFIX, shown_in
from zinger.store.recording import RecordingError, events_of
from zinger.store.transcript import Transcript

LARGEST = 8_000_000
"""Bytes of a recording that are read for a look; of a longer one nothing is shown here (v plays it)."""
SHOWN = 6_000
"""Characters of its end."""


def last_recording(records: Path, device: str) -> Path | None:
    """The newest recording of a device; None where there is none."""
    try:
        with os.scandir(records) as found:
            begins = (f"{device}-", f"bare-{device}-")
            mine = [e for e in found if e.name.startswith(begins) and e.name.endswith((".cast", SUFFIX))]
            return Path(max(mine, key=lambda entry: entry.stat().st_mtime)) if mine else None
    except OSError:
        return None


def end_of(file: Path, transcript: Transcript) -> str:
    """Put the end of a recording into a transcript; returns when it was recorded, in words. Raises RecordingError."""
    if file.stat().st_size > LARGEST:
        raise RecordingError(f"{file.name} is too long to be shown here")
    events = shown_in(file) if file.suffix == SUFFIX else events_of(file)
    shown = "".join(text for _, code, text in events if code == "o")[-SHOWN:]
    _, _, whole = shown.partition("\n") if len(shown) == SHOWN else ("", "", shown)
    transcript.add(whole.encode())
    return time.strftime("%d %b %H:%M", time.localtime(file.stat().st_mtime))
