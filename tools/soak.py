"""The demo in real time, at paces 1 and 2 at once: one table of how each device ended, and how long it took.

Sped up, waits that a device really needs shrink with everything else, and a key that comes too early never shows. A row
is good when its device is proved, or configured and owing only what its family is known not to be told.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from zinger.store.journal import Journal

PACES = tuple(sys.argv[1:]) or ("1", "2")
KNOWN_TO_OWE = ("voice.",)
"""What comes with a file, which is not sent yet."""

ENDS = ("proved", "configured", "differs", "needs you")
"""Entries with which a device's way ends."""


def begin(pace: str, folder: Path) -> subprocess.Popen[str]:
    """The demo at this pace, without a screen."""
    words = [sys.executable, "-m", "zinger.cli", "demo", "--headless", "--json", "--pace", pace, "--in", str(folder)]
    return subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)


def rows(pace: str, folder: Path, ended: dict[str, Any]) -> list[tuple[bool, str]]:
    """Whether each device is as it should be, and its row."""
    journal = Journal(folder / "journal.db")
    found = []
    for device in ended["devices"]:
        entries = list(journal.entries(device["device"]))
        ends = [entry.at for entry in entries if entry.kind in ENDS]
        minutes, seconds = divmod(int((ends or [entries[-1].at])[-1] - entries[0].at), 60)
        owes_only_known = all(debt["setting"].startswith(KNOWN_TO_OWE) for debt in device["owed"])
        good = device["proved"] or (owes_only_known and device["state"].startswith("configured"))
        state = device["state"].partition(" · ")[0]
        found.append((good, f"{pace:>4}  {device['device']:<14} {minutes:>3}:{seconds:02}  {state}"))
    journal.close()
    return found


def main() -> None:
    """Run them beside each other, and print the table."""
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as name:
        folders = {pace: Path(name) / pace for pace in PACES}
        running = {pace: begin(pace, folder) for pace, folder in folders.items()}
        table = []
        for pace, process in running.items():
            out, _ = process.communicate()
            table += rows(pace, folders[pace], json.loads(out))
    print("pace  device          time  ended as")
    for _, row in table:
        print(row)
    good = sum(good for good, _ in table)
    print(f"{good} of {len(table)} as they should be, in {(time.monotonic() - began) / 60:.0f} min")
    sys.exit(good < len(table))


if __name__ == "__main__":
    main()
