"""The line-up while 200 practice devices talk: how long the interface is busy with a key, and memory a device.

The yard is a process of its own, as in every run. A key is timed as the longest stretch in which nothing else could run
after it was pressed, beside as long a stretch in which none was.
"""

from __future__ import annotations

import asyncio
import tempfile
from functools import partial
from pathlib import Path

import psutil
from tools.bench.plans import watch_gaps

from zinger.cli.common import open_job
from zinger.desk.jobs import lay_out_copies
from zinger.run.options import Options
from zinger.tui.app import ZingerApp

DEVICES, PACE, KEYS = 200, 2.0, 60
SPELL = 0.2
"""Seconds that are watched for each key."""


async def lineup() -> None:
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "job"
        lay_out_copies(folder, DEVICES)
        app = ZingerApp(partial(open_job, folder), Options(pace=PACE, power_cut=False), start=True)
        async with app.run_test(size=(142, 44)) as pilot:
            while not app.has_job or app.running.run is None:
                await pilot.pause(0.2)
            await asyncio.sleep(45)
            talking = sum(line.active for line in app.job.board.lines.values())
            longest = [0.0]
            watch = asyncio.create_task(watch_gaps(longest))
            print(f"\nthe line-up while {talking} devices are under way, at {PACE:g} times hardware's speed")
            for words, key in (
                ("no key", ""),
                ("line by line", "down"),
                ("page by page", "pagedown"),
                ("back", "pageup"),
            ):
                times = [await _busy(app, key, longest) for _ in range(KEYS)]
                times.sort()
                print(f"{words:<44} {times[KEYS // 2]:>7.1f} ms median, {times[KEYS * 9 // 10]:.1f} p90 (aim 50)")
            watch.cancel()
            memory = psutil.Process().memory_info().rss / 2**20
            print(f"{'memory of the application':<44} {memory / DEVICES:>7.2f} MB a device  (aim under 1)")
            await app.running.stop()


async def _busy(app: ZingerApp, key: str, longest: list[float]) -> float:
    """Milliseconds of the longest stretch in a spell in which nothing else could run."""
    longest[0] = 0.0
    if key:
        app.simulate_key(key)
    await asyncio.sleep(SPELL)
    return longest[0] * 1000
