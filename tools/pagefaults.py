"""Something going wrong at one request of a run over pages, drawn by a seed: `make pagefaults N=200 SEED=1`.

A row is what goes wrong; it comes at a request of which a clean run has as many. Judged as in `faults`.
"""

from __future__ import annotations

import asyncio
import random
import shutil
import sys

from tools.trials import ON_PAGES, Bench, carry_out, run_job

from zinger.practice.core.web import FAULTS


async def faulted(bench: Bench, name: str, chance: random.Random) -> tuple[str, str, int]:
    """One run in which one request goes wrong."""
    folder = await bench.fresh(name)
    fault, at = chance.choice(FAULTS), chance.randint(1, max(1, bench.clean[name]["asked"]))
    await bench.yard.ask("fault", device=name, kind=f"page {fault}", amount=at)
    mood = await asyncio.to_thread(run_job, folder)
    end, twice = await bench.judge(name, folder, mood)
    if end != "right":
        print(f"{end}: {name}, {fault} at request {at}", file=sys.stderr, flush=True)
    if end in ("WRONG", "LOST", "hung"):
        print(f"kept in {folder}", file=sys.stderr)
    else:
        shutil.rmtree(folder)
    return fault, end, twice


if __name__ == "__main__":
    many, seed = (int(word) for word in (*sys.argv[1:], "60", "1")[:2])
    asyncio.run(carry_out(faulted, many, seed, ON_PAGES))
