"""400 practice devices from carton to proof in one run, against what no order could beat; aim 1.10, memory under 1 MB.

The run is held against the slowest device's way and what the claims force (consoles, factory addresses, hands), with
the very durations that were seen: `zinger forecast --back` says the same of any run.
"""

from __future__ import annotations

import asyncio
import os
import tempfile
from collections import Counter
from pathlib import Path

import psutil

from zinger.desk.jobs import lay_out_copies
from zinger.run.lookback import look_back
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder

DEVICES = int(os.environ.get("ZINGER_DEVICES", "400"))
PACE = float(os.environ.get("ZINGER_PACE", "4"))


async def crowd() -> None:
    """One run, without a screen and without power cuts: 400 of them are one person's afternoon."""
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "job"
        lay_out_copies(folder, DEVICES)
        job = OpenJob(JobFolder(folder))
        run = Run(job, Options(pace=PACE, power_cut=False))
        await run.start()
        process, most = psutil.Process(), 0
        going = asyncio.create_task(run.wait())
        while not going.done():
            most = max(most, process.memory_info().rss)
            await asyncio.wait({going}, timeout=2)
        await run.stop(end_yard=True)
        moods = Counter(line.mood.value for line in job.board.lines.values())
        found = look_back(OpenJob(JobFolder(folder)))
    assert found is not None
    print(f"\n{found.devices} devices in one run, at {PACE:g} times hardware's speed")
    print(f"{'how they ended':<44} {', '.join(f'{count} {mood}' for mood, count in moods.most_common())}")
    print(f"{'the whole run':<44} {found.took:>7.0f} s  (the slowest alone {found.slowest:.0f} s, {found.slowest_of})")
    print(f"{'what the claims force at best':<44} {found.forced:>7.0f} s  {found.ratio:.2f} of it (aim 1.10)")
    print(f"{'memory of this process at most':<44} {most / 2**20 / DEVICES:>7.2f} MB a device  (aim under 1)")
