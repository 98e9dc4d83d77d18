"""The application: opens screens over a job's board, and forwards what a person wants to the run room.

It is there at once: this module loads nothing but the toolkit. A job is opened on another thread behind the first
picture, and what each screen needs is loaded with it.
"""

from __future__ import annotations

import asyncio
import os
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from textual.binding import Binding, BindingType

from zinger.errors import ZingerError
from zinger.plan.values.secrets import SecretRef
from zinger.tui.calling import Calling
from zinger.tui.collecting import collect_while_nobody_types
from zinger.tui.opening import Opening
from zinger.tui.openjobs import Behind, Opened
from zinger.tui.replanning import LOOKS_AT_FILES_EVERY, Replanning
from zinger.tui.running import HUNG_UP, RunControl, leave_with_the_terminal, leaves_nobody
from zinger.tui.typing_guard import GuardedApp

if TYPE_CHECKING:
    from zinger.desk.incoming import Incoming
    from zinger.phrasebook.terminal import Terminal
    from zinger.run.board import DeviceLine
    from zinger.run.openjob import OpenJob
    from zinger.run.options import Options


class ZingerApp(GuardedApp):
    """The full-screen application."""

    CSS_PATH = "zinger.tcss"
    TITLE = "Zinger"
    HORIZONTAL_BREAKPOINTS = [(0, "-narrow"), (100, "-broad")]
    VERTICAL_BREAKPOINTS = [(0, "-short"), (32, "-tall"), (50, "-high")]
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("ctrl+q", "leave", "quit", show=False, priority=True),
        Binding("ctrl+c", "leave", "quit", show=False),
    ]

    job: OpenJob
    """The job that is open; until there is one, only the welcome and what it leads to are shown."""

    def __init__(
        self, opening: Callable[[], OpenJob] | None, options: Options, start: bool = False, first: str = ""
    ) -> None:
        super().__init__()
        self._opening, self._start, self._first = opening, start, first
        self._behind = Behind()
        self.replanning = Replanning(self, self, self._behind)
        self.running = RunControl(self, self, options, self.turns)
        self.fault: Exception | None = None
        """What ended the application: a job that can't be opened, or a fault of our own. The command line tells it."""

    def tell(self, title: str, text: str) -> None:
        """Show a message that stays until it was read."""
        from zinger.tui.dialogs import message

        self.push_screen(message(title, text))

    def end_on(self, fault: Exception) -> None:
        """End the application: a fault of our own came up outside the toolkit's own handling."""
        self._handle_exception(fault)

    def _handle_exception(self, error: Exception) -> None:
        """End on a fault, loudly, but never print the values of variables, as the toolkit would: some are secret."""
        self._return_code = 1
        if self._exception is None:
            self._exception = error
            self._exception_event.set()
        self.fault = self.fault or error
        self._close_messages_no_wait()

    def on_mount(self) -> None:
        """Open the job that is wanted; without one, the welcome."""
        leave_with_the_terminal(self, lambda: self._leave_if(True))
        collect_while_nobody_types(self, lambda: self.last_key)
        self.set_interval(LOOKS_AT_FILES_EVERY, self.replanning.look)
        self.calling = Calling(self, lambda: [*([self.job.board] if self.has_job else []), *self._behind.boards()])
        if self._opening is None:
            from zinger.tui.welcome import Welcome

            self.push_screen(Welcome())
            return
        self.push_screen(Opening(self._opening, self._begin_with, self._end_with))

    def _begin_with(self, job: OpenJob) -> None:
        """Show the line-up, and begin when that is wanted."""
        self._take_job(job)
        if self._first == "plan":
            self.action_plan()
        if self._start:
            self.action_go()

    def _end_with(self, error: Exception) -> None:
        if isinstance(error, ZingerError):
            self.fault = error
            self.exit()
        else:
            self.end_on(error)

    @property
    def has_job(self) -> bool:
        """Whether a job is open."""
        return hasattr(self, "job")

    # -- jobs ----------------------------------------------------------------------------------------
    def open_job(self, path: Path, then: Callable[[], None] = lambda: None) -> None:
        """Show a job in place of another, whose run goes on; a job with errors shows its plan first."""
        from zinger.run.openjob import OpenJob
        from zinger.store.folder import JobFolder

        try:
            folder = JobFolder(path)
        except ZingerError as error:
            self.tell("The job was not opened", str(error))
            return
        if self.has_job and self.job.folder.path == folder.path and self.running.run is not None:
            self._show_line_up()
        elif again := self._behind.take(folder.path):
            self._show_job(again.job, again)
        else:

            def opened(job: OpenJob) -> None:
                self._show_job(job)
                then()

            self.push_screen(Opening(lambda: OpenJob(folder), opened, self._not_opened))

    def _not_opened(self, error: Exception) -> None:
        if not isinstance(error, ZingerError):
            self.end_on(error)
            return
        if isinstance(self.screen, Opening):
            self.pop_screen()
        self.tell("The job was not opened", str(error))

    def _show_job(self, job: OpenJob, again: Opened | None = None) -> None:
        if self.has_job:
            self._behind.put(Opened(self.job, self.running, self.replanning.desk, self.replanning.stamps))
        self.running = again.running if again else self.running.of_another_job()
        self._take_job(job)
        if again:
            self.replanning.begin(again.desk, again.stamps)
        Opened(job, self.running).remember()
        if job.plan.errors():
            self.action_plan()

    def _take_job(self, job: OpenJob) -> None:
        self.job = self.running.job = job
        self.replanning.begin()
        self._show_line_up()
        if self.running.run is None and job.folder.is_at_work:
            words = "another zinger works on this job now; what is shown is how it stood when it was opened here"
            self.notify(words, severity="warning", timeout=10)

    def standing(self, path: Path) -> dict[str, int]:
        """How many devices of an open job stand how; nothing for one that is not open."""
        boards = {opened.job.folder.path: opened.job.board for opened in self._behind}
        if self.has_job:
            boards[self.job.folder.path] = self.job.board
        return boards[path].counts() if path in boards else {}

    def _show_line_up(self) -> None:
        from zinger.tui.lineup import LineUp

        while len(self.screen_stack) > 1:
            self.pop_screen()
        self.push_screen(LineUp())

    def open_demo(self) -> None:
        """A fresh demo job."""
        from zinger.desk.jobs import fresh_demo

        try:
            self.open_job(fresh_demo())
        except ZingerError as error:
            self.tell("The demo was not opened", str(error))

    def open_import(self, incoming: Incoming | None = None) -> None:
        """Bring a sheet in: into the open job, or into a new one."""
        from zinger.desk.incoming import Incoming
        from zinger.tui.importing import ImportScreen

        if incoming is None:
            if self.replanning.unsaved:
                self.notify("save the plan first (s), then import")
                return
            incoming = Incoming(self.job.folder.path, self.job.plan.title)
        self.push_screen(ImportScreen(incoming))

    def arrived(self, folder: Path, words: list[str]) -> None:
        """A sheet was taken into a job: open it, and show its plan."""

        def show_what_came() -> None:
            self.action_plan()
            self.notify("\n".join(words[-6:]), title="import", timeout=8)

        self.open_job(folder, show_what_came)

    def plan_changed(self) -> None:
        """The plan's files were saved: what is shown and sent follows them; devices that it changes are offered."""
        self.replanning.saved()

    def plan_value(self, device: str, setting: str, text: str) -> None:
        """Another value in a device's own row of the sheet, saved at once."""
        self.replanning.plan_value(device, setting, text)

    def swap_box(self, device: str, numbers: Mapping[str, str]) -> None:
        """Another box, by serial number and MAC, in a device's place: into the sheet, out of the journal's belief."""
        self.replanning.swap_box(device, numbers)

    def action_plan(self) -> None:
        """The plan, to look at and to change."""
        from zinger.tui.plan import PlanScreen

        if isinstance(self.screen, PlanScreen):
            return
        if (desk := self.replanning.at_desk()) is not None:
            self.push_screen(PlanScreen(desk, self._here()))

    def keep_secret(self, entry: str, secret: str) -> None:
        """Put a password into the vault, and have it masked from now on. Raises ZingerError."""
        from zinger.store.vault import Vault

        vault = self.job.vault = self.job.vault or Vault(self.job.folder.vault)
        vault.put({SecretRef(entry): secret})
        world = self.running.run.world if self.running.run else None
        if world is not None:
            world.secrets = (*world.secrets, secret)

    def open_bare_wire(self, device: str, find_speed: bool = False) -> None:
        """Open the wire of a device that no phrasebook speaks to, in the place of this screen until it is left."""
        console = self.job.plan.device(device).console
        if not console or console == "yard":
            self.notify(f"the plan names no console for {device}; write one into its row, like serial:///dev/ttyUSB0")
            return
        words = ["wire", console, "--job", str(self.job.folder.path), "--device", device]
        words += ["--find-speed"] if find_speed else []
        self.run_worker(self._leave_the_terminal_to(words), name="bare wire", exclusive=True)

    async def _leave_the_terminal_to(self, words: list[str]) -> None:
        """Another zinger has the terminal until it ends; nothing is drawn meanwhile, and all conversations go on."""
        with self.batch_update(), self.suspend():
            other = await asyncio.create_subprocess_exec(sys.executable, "-m", "zinger.cli", *words)
            try:
                await other.wait()
            finally:
                if other.returncode is None:  # this application is told to end
                    other.terminate()
        self.screen.refresh(layout=True)

    def open_credentials(self, device: str = "") -> None:
        """Accounts and passwords, at a device's."""
        from zinger.tui.credentials import CredentialsScreen

        if not isinstance(self.screen, CredentialsScreen):
            self.push_screen(CredentialsScreen(device))

    def open_card(self, family: str) -> None:
        """A family's factory card."""
        from zinger.tui.card import CardScreen

        if family in self.job.families:
            self.push_screen(CardScreen(family))
        else:
            self.notify(f"nothing is known of the family {family or '(none)'}")

    # -- what screens ask --------------------------------------------------------------------------
    def terminal(self, line: DeviceLine | None) -> Terminal | None:
        """How a device's terminal looks."""
        book = self.job.books.get(line.device.family) if line else None
        return book.terminal if book else None

    def open_wire(self, device: str) -> None:
        """Open a device's wire: by hand, where it can't be spoken to; its factory card, where no console is planned."""
        from zinger.tui.wire import Wire

        if device not in self.job.board.lines:
            planned = self.job.plan.device(device)
            if planned.family in self.job.families and not planned.console:
                self.open_card(planned.family)
            else:
                self.open_bare_wire(device)
            return
        line = self.job.board.lines[device]
        self.push_screen(Wire(line, self.job.books[line.device.family]))

    def open_proof(self, device: str) -> None:
        """Open a device's proof."""
        from zinger.tui.proof import Proof

        if device not in self.job.board.lines:
            self.notify(f"{device} can't be proved: its family has no phrasebook yet")
            return
        self.push_screen(Proof(self.job.board.lines[device]))

    def open_preview(self, device: str) -> None:
        """Open the preview of what will be sent to a device."""
        from zinger.tui.preview import Preview

        if device not in self.job.board.lines:
            self.notify(f"nothing is sent to {device}: its family has no phrasebook yet")
            return
        self.push_screen(Preview(self.job.board.lines[device]))

    def action_open(self, screen: str, name: str) -> None:
        """Open a device's wire, proof or preview, or a family's card, by name."""
        opens = {"wire": self.open_wire, "proof": self.open_proof, "preview": self.open_preview, "card": self.open_card}
        opens[screen](name)

    def action_forecast(self) -> None:
        """When the bench is done, and who waits for what."""
        from zinger.tui.forecast import ForecastScreen

        if not isinstance(self.screen, ForecastScreen):
            self.push_screen(ForecastScreen())

    def action_credentials(self) -> None:
        """Accounts and passwords."""
        self.open_credentials()

    def action_import(self) -> None:
        """Bring a sheet into the open job."""
        self.open_import()

    def _here(self) -> str | None:
        device = getattr(self.screen, "device", None)
        return device if isinstance(device, str) else None

    # -- actions -----------------------------------------------------------------------------------
    def action_proof_of_this(self) -> None:
        """The proof of the device on the screen."""
        if device := self._here():
            self.open_proof(device)

    def action_preview_of_this(self) -> None:
        """The preview of the device on the screen."""
        if device := self._here():
            self.open_preview(device)

    def action_steer_this(self) -> None:
        """What can be done with the device on the screen."""
        from zinger.tui.parts import ZingerScreen
        from zinger.tui.steering import steer

        if (device := self._here()) and isinstance(self.screen, ZingerScreen):
            steer(self.screen, [device], lambda: None)

    def action_wire_of_this(self) -> None:
        """The wire of the device on the screen."""
        from zinger.tui.lineup import LineUp

        if device := self._here():
            self.pop_screen()
            if self._here() != device or isinstance(self.screen, LineUp):
                self.open_wire(device)

    async def action_back(self) -> None:
        """One screen back, unless the screen in front has a use for Escape."""
        from zinger.tui.parts import ZingerScreen

        if isinstance(self.screen, ZingerScreen) and self.screen.back():
            return
        if len(self.screen_stack) > 2:
            self.pop_screen()

    def action_welcome(self) -> None:
        """Recent jobs and the ways to begin; a run that is under way goes on."""
        from zinger.tui.welcome import Welcome

        if self.replanning.unsaved:
            self.notify("save the plan first (s)")
        elif not isinstance(self.screen, Welcome):
            self.push_screen(Welcome())

    def action_command_palette(self) -> None:
        """The key of the palette; its name is the toolkit's."""
        from zinger.tui.palette import Commands, Palette

        if not isinstance(self.screen, Palette):
            self.push_screen(Palette([Commands], placeholder="what do you want to do?", id="--command-palette"))

    def action_help(self) -> None:
        """Keys and shapes."""
        from zinger.tui.dialogs import help_dialog

        self.push_screen(help_dialog(self.screen))

    def action_go(self) -> None:
        """Begin the run; once begun, send on what stopped."""
        self.running.go()

    def action_ring(self) -> None:
        """Ring the bell when a device needs somebody, or no more."""
        self.notify(self.calling.turn())

    def action_handover(self) -> None:
        """The papers, to look at and to write."""
        from zinger.tui.handover import HandoverScreen

        if not isinstance(self.screen, HandoverScreen):
            self.push_screen(HandoverScreen())

    def action_leave(self) -> None:
        """Quit; asks first when devices are in mid-conversation."""
        from zinger.tui.dialogs import leaving, not_saved

        busy = self.running.busy() | self._behind.busy()
        unsaved = self.replanning.unsaved
        if unsaved and not busy:
            self.push_screen(not_saved(unsaved), self._leave_if)
        elif busy:
            self.push_screen(leaving(busy, self.job.board.practice), self._leave_if)
        else:
            self._leave_if(True)

    def _leave_if(self, yes: bool | None) -> None:
        if yes:
            self.run_worker(self._leave(), exclusive=True, name="leave")

    async def _leave(self) -> None:
        await self.running.stop()
        await self._behind.stop()
        if self.has_job:
            Opened(self.job, self.running).remember()
        if leaves_nobody():
            os._exit(HUNG_UP)  # all is written and closed; the toolkit would wait for ever to restore a terminal
        self.exit()


def show(opening: Callable[[], OpenJob] | None, options: Options, start: bool, first: str = "") -> OpenJob | None:
    """Run the application until the person leaves; without a job to open it begins with the welcome.

    Returns the job that was open at the end. Raises ZingerError when the job can't be opened, and any fault of ours.
    """
    app = ZingerApp(opening, options, start, first)
    app.run()
    if app.fault is not None:
        raise app.fault
    return app.job if app.has_job else None
