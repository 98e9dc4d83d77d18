"""The application: opens screens over a job's board, and forwards what a person wants to the run room."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Iterable
from typing import ClassVar

from textual.app import App, SystemCommand
from textual.binding import Binding, BindingType
from textual.screen import Screen

from zinger.keep import JobFolderError, JournalError, VaultError
from zinger.link import LinkError
from zinger.run import Line, Mark, OnWire, OpenJob, Options, Run, RunError
from zinger.tui.dialogs import help_dialog, leaving, message
from zinger.tui.lineup import LineUp
from zinger.tui.proof import Proof
from zinger.tui.readthrough import ReadThrough
from zinger.tui.wire import Wire


class ZingerApp(App[None]):
    """The full-screen application."""

    CSS_PATH = "zinger.tcss"
    TITLE = "Zinger"
    ENABLE_COMMAND_PALETTE = True
    VERTICAL_BREAKPOINTS: ClassVar[list[tuple[int, str]] | None] = [(0, "-short"), (32, "-tall")]
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("ctrl+q", "leave", "quit", show=False, priority=True),
        Binding("ctrl+c", "leave", "quit", show=False),
    ]

    def __init__(self, job: OpenJob, options: Options, start: bool) -> None:
        super().__init__()
        self.job, self.options, self._start = job, options, start
        self.run_: Run | None = None
        self.fault: Exception | None = None
        """A fault of our own that ended the application; the command line tells of it."""

    def _handle_exception(self, error: Exception) -> None:
        """End on a fault, loudly, but never print the values of variables, as the toolkit would: some are secret."""
        self._return_code = 1
        if self._exception is None:
            self._exception = error
            self._exception_event.set()
        self.fault = self.fault or error
        self._close_messages_no_wait()

    def on_mount(self) -> None:
        """Show the line-up, and begin when that is wanted."""
        self.push_screen(LineUp())
        if self._start:
            self.action_go()

    # -- what screens ask --------------------------------------------------------------------------
    def noise(self, line: Line | None) -> re.Pattern[str] | None:
        """How noise looks on a device's console."""
        return self.job.books[line.device.family].noise if line else None

    def wire(self, device: str) -> OnWire | None:
        """The device on its wire, if a run was begun."""
        return self.run_.carriers[device].wire if self.run_ and device in self.run_.carriers else None

    def resume(self, device: str) -> None:
        """Send a device on its way again."""
        if self.run_ and device in self.run_.carriers:
            self.run_.again(device)
        else:
            self.notify("press g on the line-up to begin")

    def open_wire(self, device: str) -> None:
        """Open a device's wire."""
        line = self.job.board.lines[device]
        self.push_screen(Wire(line, self.job.books[line.device.family]))

    def open_proof(self, device: str) -> None:
        """Open a device's proof."""
        self.push_screen(Proof(self.job.board.lines[device]))

    def open_read_through(self, device: str) -> None:
        """Open a device's read-through."""
        self.push_screen(ReadThrough(self.job.board.lines[device]))

    def _here(self) -> str | None:
        device = getattr(self.screen, "device", None)
        return device if isinstance(device, str) else None

    # -- actions -----------------------------------------------------------------------------------
    def action_proof_of_this(self) -> None:
        """The proof of the device on the screen."""
        if device := self._here():
            self.open_proof(device)

    def action_script_of_this(self) -> None:
        """The read-through of the device on the screen."""
        if device := self._here():
            self.open_read_through(device)

    def action_wire_of_this(self) -> None:
        """The wire of the device on the screen."""
        if device := self._here():
            self.pop_screen()
            if not isinstance(self.screen, Wire):
                self.open_wire(device)

    async def action_back(self) -> None:
        """One screen back; on the line-up, clear the filter."""
        if isinstance(self.screen, LineUp):
            self.screen.close_filter()
        elif len(self.screen_stack) > 2:
            self.pop_screen()

    def action_help(self) -> None:
        """Keys and shapes."""
        self.push_screen(help_dialog())

    def action_go(self) -> None:
        """Begin the run; once begun, send on what stopped."""
        if self.run_ is None:
            self.run_worker(self._begin(), exclusive=True, name="run")
            return
        for name, task in self.run_.tasks.items():
            if task.done() and self.job.board.lines[name].mood is not Mark.PROVED:
                self.run_.again(name)

    async def _begin(self) -> None:
        run = Run(self.job, self.options)
        try:
            await run.start()
        except (RunError, JobFolderError, JournalError, VaultError, LinkError) as error:
            await run.stop()
            self.push_screen(message("The run did not begin", str(error)))
            return
        self.run_ = run
        for news in run.news:
            self.notify(news)
        self._watch_tasks()

    def _watch_tasks(self) -> None:
        """A device's task that ended in an error is told: the world's as a message, our own loudly."""
        assert self.run_ is not None

        def look(task: asyncio.Task[None]) -> None:
            error = None if task.cancelled() else task.exception()
            if isinstance(error, JournalError):
                self.push_screen(message("The journal can't be written", f"{error}. Nothing more is said to any "
                                         "device that is not written down first; make room and start again."))
            elif isinstance(error, Exception):
                self._handle_exception(error)

        for task in self.run_.tasks.values():
            task.add_done_callback(look)

    def action_handover(self) -> None:
        """Write the papers, away from the interface's loop."""
        self.run_worker(self._write_papers(), exclusive=True, name="handover")

    async def _write_papers(self) -> None:
        from zinger.handover import write_papers  # here, since the drawing library takes long to load

        try:
            written = await asyncio.to_thread(write_papers, self.job.folder, self.job.plan, self.job.scripts)
        except (OSError, JournalError) as error:
            self.push_screen(message("The papers could not be written", str(error)))
            return
        self.notify(f"{len(written)} papers in {self.job.folder.handover}", title="handover")

    def action_leave(self) -> None:
        """Quit; asks first when devices are in mid-conversation."""
        busy = {name: c.state_in_words() for name, c in self.run_.carriers.items()
                if self.job.board.lines[name].active} if self.run_ else {}
        if busy:
            self.push_screen(leaving(busy, self.job.board.practice), self._leave_if)
        else:
            self._leave_if(True)

    def _leave_if(self, yes: bool | None) -> None:
        if yes:
            self.run_worker(self._leave(), exclusive=True, name="leave")

    async def _leave(self) -> None:
        if self.run_:
            await self.run_.stop(end_yard=True)
        self.exit()

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """What the command palette offers."""
        yield SystemCommand("Go", "carry the devices to a proved baseline", self.action_go)
        yield SystemCommand("Write the papers", "drawing, timeline, proof sheet, as-built table", self.action_handover)
        yield SystemCommand("Keys and shapes", "help", self.action_help)
        yield SystemCommand("Quit", "leave the devices as they are", self.action_leave)
        for name in self.job.board.lines:
            yield SystemCommand(f"Wire of {name}", "the device, live", lambda n=name: self.open_wire(n))
            yield SystemCommand(f"Proof of {name}", "planned and read back", lambda n=name: self.open_proof(n))
            yield SystemCommand(f"Read-through of {name}", "what will be said",
                                lambda n=name: self.open_read_through(n))


def show(job: OpenJob, options: Options, start: bool) -> None:
    """Run the application until the person leaves."""
    app = ZingerApp(job, options, start)
    app.run()
    if app.fault is not None:
        raise app.fault
