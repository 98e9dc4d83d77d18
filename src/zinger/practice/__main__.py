"""Run a yard: `python -m zinger.practice YARD.json`.

YARD.json says which boxes stand there; the process writes `{"port": ..., "pid": ..., "token": ...}` into the file named
by `ready` once it can be spoken to. It stops when told, or when nobody has spoken to it for `linger` seconds.
"""

from __future__ import annotations

import asyncio
import json
import os
import signal
import sys
from pathlib import Path
from typing import Any

from zinger.practice.core.box import Body
from zinger.practice.core.clock import Clock
from zinger.practice.core.pages_box import PagesBox
from zinger.practice.core.yard import WIRE_FAULTS, Yard
from zinger.practice.families import FAMILIES

GIVES_WAY = 5
"""Steps of the scheduler's priority (POSIX nice) by which it stands back: real devices take no time of this machine."""


async def run(spec: dict[str, Any]) -> None:
    """Build the yard and let it live."""
    bodies = [
        Body(d["key"], d["serial"], d["mac"], model=d.get("model", "Quern S2-24"), family=d.get("family", "quern-s2"))
        for d in spec["devices"]
    ]
    flash = Path(spec["flash"]) if spec.get("flash") else None
    yard = Yard(bodies, FAMILIES, Clock(float(spec["pace"])), flash, int(spec.get("chance", 0)), spec.get("token", ""))
    port = await yard.start()
    for device in spec["devices"]:
        if device["key"] not in yard.boxes:
            continue  # a family that nobody simulates yet is planned only
        box = yard.boxes[device["key"]]
        box.cabled = bool(device.get("cabled", False))
        box.offered_lease = device.get("lease")
        for fault in WIRE_FAULTS.values():
            setattr(box.uart, fault, int(device.get(fault, 0)))
        if isinstance(box, PagesBox):
            if device.get("used"):
                box.used_by_somebody()
            box.page_faults = {int(number): str(kind) for number, kind in (device.get("pages") or {}).items()}
        if device.get("powered"):
            box.power(True)
    ready = Path(spec["ready"])
    draft = ready.with_suffix(".new")
    draft.write_text(json.dumps({"port": port, "pid": os.getpid(), "pace": spec["pace"], "token": yard.token}))
    draft.replace(ready)
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, yard.stopped.set)
    linger = float(spec.get("linger", 600))
    while not yard.stopped.is_set():
        try:
            async with asyncio.timeout(1):
                await yard.stopped.wait()
        except TimeoutError:
            yard.save()
            idle = (yard.clock.now() - yard.last_heard_from) / yard.clock.pace
            if yard.clients == 0 and idle > linger:
                break
    yard.save()
    ready.unlink(missing_ok=True)


def main() -> None:
    """Entry point of the yard's process."""
    if len(sys.argv) != 2:
        sys.exit("usage: python -m zinger.practice YARD.json")
    os.nice(GIVES_WAY)
    asyncio.run(run(json.loads(Path(sys.argv[1]).read_text())))


if __name__ == "__main__":
    main()
