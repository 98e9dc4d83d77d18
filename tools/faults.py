"""Each fault of the yard, at each stage of a run, on each family, drawn by a seed: `make faults N=500 SEED=1`.

A row is a fault; how a device ended is judged by the yard's own witness, as for kills. *owes*, *differs* and *needs
you* are honest ends; *WRONG* is a device that is called proved and is not as planned.
"""

from __future__ import annotations

import asyncio
import random
import shutil
import sys
from typing import Any

from tools.trials import TRIAL_ENDS, Bench, carry_out

from zinger.link.yard import YardError
from zinger.run.board import Mark
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder

FAULTS: dict[str, dict[str, Any]] = {
    "burst of log lines": {"do": "fault", "kind": "burst", "amount": 5},
    "console cut": {"do": "fault", "kind": "cut"},
    "restart": {"do": "fault", "kind": "restart"},
    "characters lost": {"do": "fault", "kind": "drop", "amount": 97},
    "output broken at 80": {"do": "fault", "kind": "wrap", "amount": 80},
    "output in pieces": {"do": "fault", "kind": "trickle", "amount": 60},
    "slow line": {"do": "fault", "kind": "baud", "amount": 4800},
    "slow boot": {"do": "fault", "kind": "slow boot", "amount": 3},
    "much shown": {"do": "fault", "kind": "show", "amount": 200},
    "power cut": {"do": "power", "on": False},
    "somebody types Enter": {"do": "type", "text": "\r"},
    "somebody half types": {"do": "type", "text": "half a li"},
    "somebody types a word": {"do": "type", "text": "leave\r"},
    "somebody's odd keys": {"do": "type", "text": "\x1b[A\x00\x07q "},
}
STAGES = ("reach", "sign", "answer", "send", "sav", "read", "from the network", "again", "hands: cut", "boot")
"""How a stage is told by the device's sentence; a fault comes a moment after it is shown first."""


async def faulted(bench: Bench, name: str, chance: random.Random) -> tuple[str, str, int]:
    """One run with one fault at one stage; where the stage never comes, no fault does."""
    folder = await bench.fresh(name)
    fault, stage = chance.choice(sorted(FAULTS)), chance.choice(STAGES)
    job = OpenJob(JobFolder(folder))
    run = Run(job, Options())
    await run.start()
    line = job.board.lines[name]
    going = asyncio.create_task(run.wait())
    disturbing = asyncio.create_task(_disturb(bench, name, fault, lambda: stage in line.sentence, chance))
    mood = "hung"
    try:
        await asyncio.wait_for(asyncio.shield(going), TRIAL_ENDS)
        mood = {Mark.PROVED: "proved", Mark.CONFIGURED: "configured", Mark.DIFFERS: "differs"}.get(
            line.mood, "needs you"
        )
    except TimeoutError:
        going.cancel()
    finally:
        disturbing.cancel()
        await run.stop()
    end, twice = await bench.judge(name, folder, mood)
    if end != "right":
        print(f"{end}: {name}, {fault} at {stage!r}: {line.sentence}", file=sys.stderr, flush=True)
    if end in ("WRONG", "LOST", "hung"):
        print(f"kept in {folder}", file=sys.stderr)
    else:
        shutil.rmtree(folder)
    return fault, end, twice


async def _disturb(bench: Bench, name: str, fault: str, it_is_time: Any, chance: random.Random) -> None:
    while not it_is_time():  # noqa: ASYNC110 - what is watched is a text on the board, which has no event
        await asyncio.sleep(0.003)
    await asyncio.sleep(chance.uniform(0, 0.4))
    ask = dict(FAULTS[fault])
    try:
        await bench.yard.ask(ask.pop("do"), device=name, **ask)
        if fault == "power cut":
            await asyncio.sleep(chance.uniform(0.1, 1))
            await bench.yard.ask("power", device=name, on=True)
    except YardError:  # no terminal is on it just now
        return


if __name__ == "__main__":
    many, seed = (int(word) for word in (*sys.argv[1:], "60", "1")[:2])
    asyncio.run(carry_out(faulted, many, seed))
