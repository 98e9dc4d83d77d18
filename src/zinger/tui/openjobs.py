"""The jobs that are open: one is shown, and the runs of others go on behind it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from zinger.desk.editing import Desk
    from zinger.run.board import Board
    from zinger.run.openjob import OpenJob
    from zinger.tui.running import RunControl


@dataclass
class Opened:
    """A job, its run if it was begun, its plan on the desk, and its files as they were when they were read last."""

    job: OpenJob
    running: RunControl
    desk: Desk | None = None
    stamps: object = None

    def remember(self) -> None:
        """Keep how it stands for the list of recent jobs."""
        from zinger.desk.jobs import remember_job  # here, since the application is there before anything of a job

        remember_job(self.job.folder.path, len(self.job.plan.devices), self.job.board.counts())


class Behind:
    """Jobs that are not shown, and whose runs go on."""

    def __init__(self) -> None:
        self._jobs: list[Opened] = []

    def __iter__(self) -> Iterator[Opened]:
        return iter(self._jobs)

    def put(self, opened: Opened) -> None:
        """Another job is shown from now on; one without a run is closed."""
        opened.remember()
        if opened.running.run is not None:
            self._jobs.append(opened)

    def take(self, path: Path) -> Opened | None:
        """The job of this folder, to be shown again; None for one that is not open."""
        found = next((opened for opened in self._jobs if opened.job.folder.path == path), None)
        if found is not None:
            self._jobs.remove(found)
        return found

    def adopt(self, running: RunControl, job: OpenJob) -> None:
        """The job of this run was read again while another one was shown."""
        for opened in self._jobs:
            if opened.running is running and running.run is not None:
                running.run.adopt(job)
                opened.job = running.job = job

    def boards(self) -> list[Board]:
        """How they stand."""
        return [opened.job.board for opened in self._jobs]

    def busy(self) -> dict[str, str]:
        """Their devices in mid-conversation, with the name of the job, and the state each is in."""
        return {
            f"{name}, {opened.job.plan.title}": state
            for opened in self._jobs
            for name, state in opened.running.busy().items()
        }

    async def stop(self) -> None:
        """End their runs."""
        for opened in self._jobs:
            await opened.running.stop()
            opened.remember()
