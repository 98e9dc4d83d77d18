"""A clean run of each family against what the device itself needed of it, told by the yard's clock; aim 1.25.

What the device needs is all the time in which it does not wait for a key: boots, its own waits, hands. The rest is
ours: typing, settling, deciding, and signing in from the network while its console rests.
"""

from __future__ import annotations

import asyncio
import os
import shutil

from tools import trials

from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder

PACE = float(os.environ.get("ZINGER_PACE", "4"))
"""How much faster than hardware; our own time is not sped up, so the ratio is best told at 1."""


async def families() -> None:
    """All families on one bench, in one run."""
    rows = trials.devices((*trials.FAMILIES, *trials.ON_PAGES))
    head = (trials.DEMO / "devices.csv").read_text("utf-8").splitlines()[0]
    folder = trials.laid_out("\n".join((head, *rows.values())), PACE)
    job = OpenJob(JobFolder(folder))
    run = Run(job, Options())
    await run.start()
    assert run.yard is not None
    ended: dict[str, tuple[float, float]] = {}
    going = asyncio.create_task(run.wait())
    while len(ended) < len(rows):
        await asyncio.sleep(0.1)
        status = (await run.yard.ask("status"))["devices"]
        for name, line in job.board.lines.items():
            if line.ended and line.began and name not in ended:
                ended[name] = (line.ended - line.began, status[name]["idle"])
    await going
    await run.stop(end_yard=True)
    print(f"\na clean run, at pace {PACE:g} (aim 1.25 of what the device needs)")
    for name, (took, idle) in ended.items():
        needs = took - idle
        print(f"{job.board.lines[name].family:<16} {took:>8.1f} s  needs {needs:>6.1f} s  {took / needs:.2f}")
    shutil.rmtree(folder)
