"""Plans of 1,000 and 10,000 devices: microseconds a device, the `check` command, and the Plan screen's keys."""

from __future__ import annotations

import asyncio
import gc
import tempfile
import time
from pathlib import Path

from zinger.phrasebook.load import Families
from zinger.plan.files.editing import Files


def large_job(count: int) -> tuple[str, bytes]:
    """A job with so many devices: 200 of them a site, each with ten columns of its own."""
    sites = -(-count // 200)
    job = [
        "job: large",
        "roles: {access: {}}",
        "baseline:",
        "  accounts: {administrator: {name: kettle-admin, secret: each device}}",
        "  management: {vlan: 44, stations: [10.0.0.0/8]}",
        "  dns: {servers: [10.44.8.20, 10.44.8.21]}",
        "  ntp: {servers: [10.44.8.22, 10.44.8.23]}",
        "  clock: {zone: Europe/Vienna}",
        "  services: {ssh: on, telnet: off, http: off}",
        "sites:",
    ]
    job += [f"  s{n}: {{name: Halt {n}, subnet: 10.{50 + n // 200}.{n % 200}.0/24}}" for n in range(sites)]
    rows = ["site,role,hostname,family,address,serial,mac,label,location,remarks"]
    for number in range(count):
        n, host = divmod(number, 200)
        address = f"10.{50 + n // 200}.{n % 200}.{host + 2}"
        rows.append(
            f"Halt {n},access,kvr-{n}-sw{host},Quern S2,{address},QS2-{number:06},"
            f"02-4b-56-{number >> 16:02x}-{number >> 8 & 255:02x}-{number & 255:02x},KVR-{number},box {host},-"
        )
    return "\n".join(job), "\n".join(rows).encode()


def plans() -> None:
    """Five rounds of both sizes, one after the other; medians."""
    rules = Families().rules
    jobs = {count: large_job(count) for count in (1000, 10000)}
    Files(*jobs[1000], "devices.csv").plan(rules)
    rounds = []
    for _ in range(5):
        times = {}
        for count, (job, sheet) in jobs.items():
            gc.collect()
            began = time.perf_counter()
            plan = Files(job, sheet, "devices.csv").plan(rules)
            times[count] = (time.perf_counter() - began) / count * 1e6
            assert len(plan.devices) == count and not plan.problems
        rounds.append(times)
    print("\nload, resolve and check a plan")
    for count in jobs:
        print(f"{count:>8} devices {sorted(r[count] for r in rounds)[2]:>8.0f} us a device  (aim under 150)")
    ratio = sorted(r[10000] / r[1000] for r in rounds)[2]
    print(f"{'10,000 against 1,000, a device':<44} {ratio:>7.2f}  (aim 0.85 to 1.15)")


async def plan_keys() -> None:
    from zinger.run.openjob import OpenJob
    from zinger.run.options import Options
    from zinger.store.folder import JobFolder
    from zinger.tui.app import ZingerApp
    from zinger.tui.plan import PlanScreen

    with tempfile.TemporaryDirectory() as folder:
        job, sheet = large_job(10000)
        (Path(folder) / "job.yaml").write_text(job)
        (Path(folder) / "devices.csv").write_bytes(sheet)
        app = ZingerApp(lambda: OpenJob(JobFolder(Path(folder))), Options(), False, "plan")
        async with app.run_test(size=(142, 44)) as pilot:
            while not isinstance(app.screen, PlanScreen):
                await pilot.pause(0.1)
            await pilot.pause(1)
            busy = [0.0]
            watch = asyncio.create_task(watch_gaps(busy))
            print("\nthe Plan screen with 10,000 devices: how long it is busy with a key")
            for words, keys in (
                ("line by line", ["down"] * 40),
                ("page by page", ["pagedown"] * 40),
                ("filter by typing", ["slash", *"sw199", *["backspace"] * 5, *"halt 4"]),
            ):
                times = []
                for key in keys:
                    busy[0] = 0.0
                    app.simulate_key(key)
                    await asyncio.sleep(0.15)
                    times.append(busy[0] * 1000)
                times.sort()
                middle, late = times[len(times) // 2], times[len(times) * 9 // 10]
                print(f"{words:<44} {middle:>7.1f} ms median, {late:.1f} p90 (aim 50)")
            watch.cancel()


async def watch_gaps(longest: list[float]) -> None:
    """Note the longest time in which nothing else could run."""
    last = time.perf_counter()
    while True:
        await asyncio.sleep(0.001)
        now = time.perf_counter()
        longest[0] = max(longest[0], now - last)
        last = now
