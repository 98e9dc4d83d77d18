"""The run under the screens: begun once, its devices sent on again, and its faults told."""

from __future__ import annotations

import asyncio
import os
import signal
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Protocol

from textual.app import App

from zinger.errors import ZingerError

HUNG_UP = 129
"""The exit code of a program whose terminal hung up (128 and the number of the signal, as shells count)."""
LOOKS_EVERY = 1.0
"""Seconds between two looks whether the terminal is still there."""

if TYPE_CHECKING:
    from zinger.run.consolewire import ConsoleWire
    from zinger.run.onwire import OnWire
    from zinger.run.openjob import OpenJob
    from zinger.run.options import Options
    from zinger.run.pageswire import PagesWire
    from zinger.run.run import Run
    from zinger.run.steering import Manner
    from zinger.run.turns import Turns
    from zinger.store.entries import Happened


class Teller(Protocol):
    """The application over which a run is begun, as far as the run has something to tell it."""

    def tell(self, title: str, text: str) -> None:
        """Show a message that stays until it was read."""

    def end_on(self, fault: Exception) -> None:
        """End the application: a fault of our own."""


_HAD_A_TERMINAL = os.isatty(0)


def leaves_nobody() -> bool:
    """Whether there was a terminal, and it is gone."""
    return _HAD_A_TERMINAL and not os.isatty(0)


def leave_with_the_terminal(app: App[None], leave: Callable[[], None]) -> None:
    """Have the application leave when it is told to (SIGTERM), or when its terminal is gone.

    The toolkit reads on from a terminal that ended, without an end. A hang-up signal can be ignored by whoever started
    us, so the terminal itself is looked at too.
    """
    left = asyncio.Event()

    def once() -> None:
        if not left.is_set():
            left.set()
            leave()

    for number in (signal.SIGHUP, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, once)
    app.set_interval(LOOKS_EVERY, lambda: once() if leaves_nobody() else None)


class RunControl:
    """At most one run of a job; `run` is None until it is begun."""

    job: OpenJob
    """The job as its plan is now; its run may have been begun under an earlier one."""

    def __init__(self, app: App[None], teller: Teller, options: Options, turns: Turns) -> None:
        self._app, self._teller, self._options, self._turns = app, teller, options, turns
        self.run: Run | None = None
        self._begins = False
        """Whether it is being begun now: a key pressed meanwhile begins no second one."""
        self.reading = asyncio.Lock()
        """Held while the plan is read again: what is begun waits for it."""

    def wire(self, device: str) -> OnWire | None:
        """The device on its wire, if the run was begun."""
        return self.run.carriers[device].wire if self.run and device in self.run.carriers else None

    def console(self, device: str) -> ConsoleWire | None:
        """The same for a device on a terminal, where one can type; None for one on pages."""
        from zinger.run.consolewire import ConsoleWire

        wire = self.wire(device)
        return wire if isinstance(wire, ConsoleWire) else None

    def pages(self, device: str) -> PagesWire | None:
        """The same for a device on pages; None for one on a terminal."""
        from zinger.run.pageswire import PagesWire

        wire = self.wire(device)
        return wire if isinstance(wire, PagesWire) else None

    def leave_hands(self) -> str:
        """In practice, hands are the person's or the yard's by turns; returns whose they are now."""
        if not self.job.board.practice:
            return "this is no practice: hands are yours"
        self._options.by_person = not self._options.by_person
        if self.run is not None:
            self.run.hands.leave_to(self._options.by_person)
        return (
            "hands are yours now: press a number when it is done"
            if self._options.by_person
            else "the yard's hands do it"
        )

    @property
    def pace(self) -> float | None:
        """How much faster than hardware the yard goes, or would go; None for a live job."""
        from zinger.run.practice import yard_settings

        job = self.job
        if not job.board.practice:
            return None
        return job.board.pace or self._options.pace or float(yard_settings(job.folder).get("pace", 20))

    def resume(self, device: str) -> None:
        """Send a device on its way again; one that differed when it was only proved is sent what differs now."""
        from zinger.run.board import Mark  # a job is open: it is loaded already

        line, carrier = self.job.board.lines.get(device), self.run.carriers.get(device) if self.run else None
        only_proved = carrier is not None and not carrier.wire.world.sends and carrier.line.mood is not Mark.NEEDS_YOU
        if self.run and carrier and carrier.line is line and not only_proved:  # else its plan may be another now
            self.run.again(device)
        else:
            self.set_off([device])

    def go(self) -> None:
        """Send on its way what is not done, and nothing else."""
        from zinger.run.steering import not_done

        only = list(self._options.only)
        left = [name for name in not_done(self.job) if not only or name in only]
        names = only if only and self.run is None else left  # who is named is wanted, done or not
        if not names:
            self._app.notify("nothing is left to do; o on a device runs it again")
            return
        self.set_off(names)

    def set_off(self, names: Sequence[str], manner: Manner | None = None) -> None:
        """Send these devices on their way; those that are on it already go on."""
        if self._begins:
            return
        self._begins = True
        self._app.run_worker(self._set_off(names, manner), name="run")

    def halt(self, names: Sequence[str]) -> None:
        """Stop these devices wherever they are."""

        async def stop() -> None:
            for name in names:
                if self.run is not None:
                    await self.run.halt(name)

        self._app.run_worker(stop(), name="halt")

    def steer(self, events: Sequence[tuple[str, Happened]]) -> None:
        """Write down what a person decided about devices, and follow it."""
        self._app.run_worker(self._steer(events), name="steer")

    async def _steer(self, events: Sequence[tuple[str, Happened]]) -> None:
        from zinger.run.steering import keep

        try:
            if self.run is None:
                keep(self.job, events)
                return
            for name, event in events:
                await self.run.steer(name, event)
        except ZingerError as error:
            self._teller.tell("That was not written down", str(error))

    def busy(self) -> dict[str, str]:
        """The devices in mid-conversation, and the state each is in."""
        if self.run is None:
            return {}
        return {name: c.state_in_words() for name, c in self.run.carriers.items() if c.line.active}

    def of_another_job(self) -> RunControl:
        """For another job: hands and pace are the same, what was wanted of the first job alone is not."""
        options = replace(
            self._options, only=(), brings_back=False, stop_after="", only_saves=False, sends=True, trace=None
        )
        return RunControl(self._app, self._teller, options, self._turns)

    async def stop(self) -> None:
        """End the run, and the yard that it started."""
        if self.run:
            await self.run.stop(end_yard=True)

    async def _set_off(self, names: Sequence[str], manner: Manner | None) -> None:
        try:
            async with self.reading:
                run = self.run or await self._begun()
                await run.set_off(names, manner)
        except ZingerError as error:
            self._teller.tell("The run did not begin", str(error))
            return
        finally:
            self._begins = False
        for news in run.news:
            self._app.notify(news)
        run.news.clear()

    async def _begun(self) -> Run:
        """The run, opened; raises ZingerError where that can't be."""
        from zinger.run.run import Run

        run = Run(self.job, self._options, self._turns)
        run.ended = self._task_ended
        try:
            await run.begin()
        except ZingerError:
            await run.stop()
            raise
        self.run = run
        return run

    def _task_ended(self, task: asyncio.Task[None]) -> None:
        """A device's task that ended in an error is told: the world's as a message, our own loudly."""
        from zinger.store.entries import JournalError

        error = None if task.cancelled() else task.exception()
        if isinstance(error, JournalError):
            words = f"{error}. Nothing more is sent to any device before it is written down. Make room and start again."
            self._teller.tell("The journal can't be written", words)
        elif isinstance(error, Exception):
            self._teller.end_on(error)
