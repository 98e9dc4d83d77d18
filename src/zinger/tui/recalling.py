"""What is shown of a wire on which nothing was seen in this session: the end of its last recording."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from textual.screen import Screen

from zinger.desk.lastseen import end_of, recordings_of
from zinger.errors import ZingerError
from zinger.run.board import DeviceLine
from zinger.run.openjob import OpenJob
from zinger.script.compile import Script
from zinger.store.transcript import Transcript


class Recalling:
    """Finds the line of a device, and fills its wire from its last recording, read away from the interface's loop."""

    def __init__(self, screen: Screen[None], job: Callable[[], OpenJob]) -> None:
        self._screen, self._job = screen, job
        self._by_hand: dict[str, DeviceLine] = {}
        """Lines of devices that no phrasebook speaks to; the board has none of them."""

    def forget(self) -> None:
        """Something may have been recorded of a wire that was worked on by hand."""
        self._by_hand.clear()

    def line(self, name: str) -> DeviceLine | None:
        """The line of a device; None where the plan has none of this name."""
        job = self._job()
        line = job.board.lines.get(name) or (self._line_by_hand(job, name) if name in job.unspoken else None)
        if line is not None and line.recorded is None:
            self._recall(line)
        return line

    def _line_by_hand(self, job: OpenJob, name: str) -> DeviceLine:
        device = job.plan.device(name)
        if name not in self._by_hand or self._by_hand[name].device is not device:
            script = Script(name, device.family, (), (), ())
            self._by_hand[name] = DeviceLine(device, device.family, lambda: script)
        return self._by_hand[name]

    def _recall(self, line: DeviceLine) -> None:
        line.recorded = ""
        if line.transcript.end or line.active:
            return
        records = self._job().folder.records

        async def read() -> None:
            files, fresh = await asyncio.to_thread(recordings_of, records, line.device.name), Transcript()
            if not files:
                return
            try:
                told = await asyncio.to_thread(end_of, files[0], fresh)
            except (OSError, ZingerError):
                return
            if not line.transcript.end and not line.active:
                line.transcript.add(fresh.since(0)[1])
                line.recorded = told
                line.version += 1

        self._screen.run_worker(read(), name="recall")
