"""kill -9 of a headless run at a random instant, resumed until it ends: `make kills N=500 SEED=1`.

Each row is a device of the demo. *right*: as after a clean run, by the yard's own witness. *said twice*: lines that
were said more often than in a clean run; a run that is begun again signs in and reads again, so some are.
"""

from __future__ import annotations

import asyncio
import random
import shutil
import sys
from asyncio.subprocess import DEVNULL
from contextlib import suppress

from tools.trials import FAMILIES, ON_PAGES, ZINGER, Bench, carry_out, run_job


async def killed(bench: Bench, name: str, chance: random.Random) -> tuple[str, str, int]:
    """One run, killed once or twice, and carried to its end then."""
    folder = await bench.fresh(name)
    for _ in range(chance.choice((1, 1, 2))):
        run = await asyncio.create_subprocess_exec(
            *ZINGER, "run", str(folder), "--headless", "--keep-yard", stdout=DEVNULL, stderr=DEVNULL
        )
        await asyncio.sleep(chance.uniform(0.5, bench.clean[name]["took"]))
        with suppress(ProcessLookupError):  # it was through before
            run.kill()
        await run.wait()
    mood = await asyncio.to_thread(run_job, folder)
    end, twice = await bench.judge(name, folder, mood)
    if end not in ("WRONG", "LOST", "hung"):
        shutil.rmtree(folder)
    return name, end, twice


if __name__ == "__main__":
    many, seed = (int(word) for word in (*sys.argv[1:], "60", "1")[:2])
    asyncio.run(carry_out(killed, many, seed, (*FAMILIES, *ON_PAGES)))
