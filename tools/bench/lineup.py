"""The line-up while 200 practice devices talk: how soon a key is answered, and memory a device.

The yard is a process of its own, as in every run. A key's time is from its coming to the screen that shows where the
cursor is now; beside it stands the longest stretch in which nothing could run while no key was pressed.
"""

from __future__ import annotations

import asyncio
import tempfile
import time
from functools import partial
from pathlib import Path

import psutil
from textual.message import Message
from tools.bench.plans import watch_gaps

from zinger.cli.common import open_job
from zinger.desk.jobs import lay_out_copies
from zinger.run.options import Options
from zinger.tui.app import ZingerApp
from zinger.tui.linemap import LineMap
from zinger.tui.rows import Rows

DEVICES, PACE, KEYS = 200, 2.0, 60
SPELL = 0.2
"""Seconds from one key to the next."""
KEYS_TRIED = (("line by line", ["down"] * KEYS), ("page by page", (["pagedown"] * 10 + ["pageup"] * 10) * (KEYS // 20)))
"""No key at an end of the list: nothing would move, and nothing be shown."""


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
            print(f"\nthe line-up while {talking} devices are under way, at {PACE:g} times hardware's speed")
            longest = [0.0]
            watch = asyncio.create_task(watch_gaps(longest))
            _tell("no key, the longest stretch in 0.2 s", [await _stretch(longest) for _ in range(KEYS)])
            watch.cancel()
            answered = _told_when_shown(app.screen.query_one(LineMap))
            for words, keys in KEYS_TRIED:
                _tell(f"{words}, until it is shown", [await _answer(app, key, answered) for key in keys])
            memory = psutil.Process().memory_info().rss / 2**20
            print(f"{'memory of the application':<44} {memory / DEVICES:>7.2f} MB a device  (aim under 1)")
            await app.running.stop()


def _tell(words: str, times: list[float]) -> None:
    times.sort()
    middle, most = times[len(times) // 2], times[len(times) * 9 // 10]
    print(f"{words:<44} {middle:>7.1f} ms median, {most:.1f} p90, {times[-1]:.1f} at most (aim 50)")


async def _stretch(longest: list[float]) -> float:
    """Milliseconds of the longest stretch in a spell in which nothing could run."""
    longest[0] = 0.0
    await asyncio.sleep(SPELL)
    return longest[0] * 1000


def _told_when_shown(lines: LineMap) -> asyncio.Event:
    """Set whenever the screen shows where the cursor went: asked for as it goes, so that no later picture counts."""
    answered, post = asyncio.Event(), lines.post_message

    def told(message: Message) -> bool:
        if isinstance(message, Rows.Moved):
            lines.call_after_refresh(answered.set)
        return post(message)

    setattr(lines, "post_message", told)  # noqa: B010 a method of this one list
    return answered


async def _answer(app: ZingerApp, key: str, answered: asyncio.Event) -> float:
    """Milliseconds from a key to the screen that shows it; raises TimeoutError where none does."""
    answered.clear()
    began = time.perf_counter()
    app.simulate_key(key)
    async with asyncio.timeout(5):
        await answered.wait()
    took = time.perf_counter() - began
    await asyncio.sleep(max(0.0, SPELL - took))
    return took * 1000
