"""What kills and faults share: a practice yard with the demo's devices, a fresh job for one of them, and a judge.

The judge asks the yard, not Zinger: after a clean run a device is in some state; what is *proved* after a kill or a
fault must be in the same, and some password of the vault must still let somebody in.
"""

from __future__ import annotations

import asyncio
import csv
import io
import json
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import AsyncIterator, Callable, Coroutine, Sequence
from contextlib import AsyncExitStack, asynccontextmanager
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any

from zinger.link.yard import Yard
from zinger.plan.values.secrets import SecretRef
from zinger.run.openjob import OpenJob
from zinger.run.practice import find_or_start
from zinger.store.folder import JobFolder
from zinger.store.vault import Vault

DEMO = resources.files("zinger") / "demo"
PACE = 300
BENCHES = 4
"""Yards that are worked on at a time: most of a run is waiting."""
FAMILIES = ("Quern S2", "Quern S9", "Hollin G4", "Hollin M1", "Sallow W5", "Marrable V6")
ON_PAGES = ("Quern T1", "Pennant P1", "Hollin E3", "Sallow W8", "Pennant R3", "Pennant I7", "Tarn B2")
FOR_TWO = ("bridge", "uplinks")
"""The columns of what wants another device, which a trial of one does not have."""
ZINGER = [sys.executable, "-m", "zinger.cli"]
TRIAL_ENDS = 150.0
"""Seconds after which a run is called hung."""
ENDS = ("right", "owes", "differs", "needs you", "hung", "WRONG", "LOST")
"""How a trial ends; the last two must never be seen."""


def devices(families: Sequence[str] = FAMILIES) -> dict[str, str]:
    """The rows of the demo's sheet of these families, by the device's name."""
    head, *rows = (DEMO / "devices.csv").read_text("utf-8").splitlines()
    for column in FOR_TWO:
        rows = [_without(row, head.split(",").index(column)) for row in rows]
    folder = laid_out("\n".join((head, *rows)))
    names = {device.serial: device.name for device in OpenJob(JobFolder(folder)).plan.devices}
    shutil.rmtree(folder)
    mine = [row for row in rows if any(f",{family}," in row for family in families)]
    return {next(name for serial, name in names.items() if f",{serial}," in row): row for row in mine}


def _without(row: str, at: int) -> str:
    """A row of the sheet with one cell empty."""
    (cells,) = csv.reader([row])
    out = io.StringIO()
    csv.writer(out, lineterminator="").writerow([cell if n != at else "" for n, cell in enumerate(cells)])
    return out.getvalue()


def laid_out(sheet: str, pace: float = PACE) -> Path:
    """The demo with this sheet, in a folder of its own."""
    folder = Path(tempfile.mkdtemp(prefix="trial-"))
    for entry in DEMO.iterdir():
        (folder / entry.name).write_text(entry.read_text("utf-8"), "utf-8")
    (folder / "devices.csv").write_text(sheet + "\n")
    (folder / "practice.yaml").write_text(f"pace: {pace:g}\nlinger: 60\n")
    return folder


@dataclass
class Bench:
    """One yard, and the clean state of each device on it."""

    yard: Yard
    home: JobFolder
    rows: dict[str, str]
    clean: dict[str, dict[str, Any]] = field(default_factory=dict)
    """What is said to each device in a clean run, what state it is in then, and how long that took."""

    async def fresh(self, name: str) -> Path:
        """A job for this device, which is as delivered."""
        await self.yard.ask("deliver")
        head = (DEMO / "devices.csv").read_text("utf-8").splitlines()[0]
        folder = laid_out("\n".join((head, self.rows[name])))
        (folder / ".yard").symlink_to(self.home.yard)
        return folder

    async def learn(self, name: str) -> None:
        """What a run that nothing disturbs leaves; twice, since what differs then says nothing."""
        states, began = [], time.monotonic()
        for _ in range(2):
            folder = await self.fresh(name)
            await asyncio.to_thread(run_job, folder)
            states.append(await self.state(name))
            heard = Counter((await self.yard.ask("heard", device=name))["lines"])
            shutil.rmtree(folder)
        took = (time.monotonic() - began) / 2
        asked = (await self.yard.ask("status"))["devices"][name]["asked"]
        steady = {key for key in states[0] if states[0][key] == states[1][key]}
        self.clean[name] = {"state": states[0], "steady": steady, "heard": heard, "took": took, "asked": asked}

    async def state(self, name: str) -> dict[str, Any]:
        state = await self.yard.ask("state", device=name)
        flat = {key: json.dumps(value, sort_keys=True) for key, value in state["running"].items()}
        return {**flat, "saved": state["saved"]}

    async def judge(self, name: str, folder: Path, mood: str) -> tuple[str, int]:
        """How it ended, by the yard's witness, and how many lines were said more often than in a clean run."""
        clean, state = self.clean[name], await self.state(name)
        heard = Counter((await self.yard.ask("heard", device=name))["lines"])
        twice = sum((heard - clean["heard"]).values())
        if not await self._somebody_gets_in(name, folder):
            return "LOST", twice
        same = all(state[key] == clean["state"][key] for key in clean["steady"])
        if mood in ("proved", "configured"):
            return ("right" if same else "WRONG" if mood == "proved" else "owes"), twice
        return mood, twice

    async def _somebody_gets_in(self, name: str, folder: Path) -> bool:
        if not (await self.yard.ask("state", device=name))["running"]["people"]:
            return True  # it is as delivered, and lets everybody in
        job = OpenJob(JobFolder(folder))
        book = job.books[job.plan.devices[0].family]
        pairs = [(book.factory.user, book.factory.password)]
        vault = Vault(folder / "vault.age") if (folder / "vault.age").exists() else None
        for entry in vault.names() if vault else ():
            for user in (book.factory.user, "kettle-admin", "admin", "keeper"):
                pairs.append((user, vault.get(SecretRef(entry))))  # type: ignore[union-attr]
        label = (await self.yard.ask("label", device=name))["secret"]
        pairs.append((book.factory.user, label or ""))
        return any([(await self.yard.ask("knows", device=name, user=u, secret=s))["knows"] for u, s in pairs if s])


def run_job(folder: Path, timeout: float = TRIAL_ENDS) -> str:
    """A whole headless run of a job; returns the word for its device, `hung` where it never ended."""
    try:
        done = subprocess.run(
            [*ZINGER, "run", str(folder), "--headless", "--json", "--keep-yard"],
            capture_output=True,
            text=True,
            timeout=timeout,
        )
    except subprocess.TimeoutExpired:
        return "hung"
    device = json.loads(done.stdout)["devices"][0]
    if device["needs_you"] or device["proved"]:
        return "needs you" if device["needs_you"] else "proved"
    return "configured" if device["state"].startswith("configured") else "differs"


@asynccontextmanager
async def bench(rows: dict[str, str]) -> AsyncIterator[Bench]:
    """A yard with all these devices."""
    head = (DEMO / "devices.csv").read_text("utf-8").splitlines()[0]
    home = JobFolder(laid_out("\n".join((head, *rows.values()))))
    yard, _ = await find_or_start(home, home.plan(home.families()[0]).devices, PACE)
    try:
        yield Bench(yard, home, rows)
    finally:
        await yard.ask("stop")
        yard.close()
        shutil.rmtree(home.path, ignore_errors=True)


Trial = Callable[[Bench, str, random.Random], Coroutine[Any, Any, tuple[str, str, int]]]
"""Carries out one trial on one device; returns which row of the table it is of, its end, and lines said twice."""


async def carry_out(trial: Trial, many: int, seed: int, families: Sequence[str] = FAMILIES) -> None:
    """So many trials, device after device, on several benches; prints the table, and each that must never be."""
    rows = devices(families)
    names, numbers = list(rows), iter(range(many))
    unknown = iter(names)
    ends: list[tuple[str, str, int]] = []
    bad: list[str] = []

    async def learn(made: Bench) -> None:
        for name in unknown:
            await made.learn(name)
            for other in benches:
                other.clean.update(made.clean)
            print(f"a clean run of {name}: {made.clean[name]['took']:.0f} s", file=sys.stderr, flush=True)

    async def work(made: Bench) -> None:
        for number in numbers:
            name = names[number % len(names)]
            row, end, more = await trial(made, name, random.Random(f"{seed}:{number}"))
            ends.append((row, end, more))
            if end in ENDS[-3:]:
                bad.append(f"trial {number} of seed {seed}: {name}, {row}: {end}")
                print(bad[-1], file=sys.stderr, flush=True)
            if len(ends) % 10 == 0:
                print(f"{len(ends)} of {many} trials", file=sys.stderr, flush=True)

    async with AsyncExitStack() as open_benches:
        benches = [await open_benches.enter_async_context(bench(rows)) for _ in range(BENCHES)]
        await asyncio.gather(*(learn(made) for made in benches))
        await asyncio.gather(*(work(made) for made in benches))
    show(ends)
    print(*bad, sep="\n")
    sys.exit(bool(bad))


def show(ends: list[tuple[str, str, int]]) -> None:
    """The table: a row for each kind of trial, a column for each end."""
    table = Counter((row, end) for row, end, _ in ends)
    rows = sorted({row for row, *_ in ends})
    wide = max(map(len, rows), default=0) + 2
    print(f"{'':<{wide}}" + "".join(f"{end:>11}" for end in ENDS) + f"{'said twice':>12}")
    for row in rows:
        twice = sum(more for other, _, more in ends if other == row)
        print(f"{row:<{wide}}" + "".join(f"{table[row, end] or '·':>11}" for end in ENDS) + f"{twice:>12}")
    print(f"{'all':<{wide}}" + "".join(f"{sum(table[r, end] for r in rows) or '·':>11}" for end in ENDS))
