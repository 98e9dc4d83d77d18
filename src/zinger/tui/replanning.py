"""The open job's files: the plan on the desk, and what is shown and sent when the files change.

Files are read again on a thread, beside everything else that goes on. What happens to a device meanwhile is not lost.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Protocol

from textual.app import App

from zinger.errors import ZingerError
from zinger.tui.host import Host
from zinger.tui.openjobs import Behind
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.desk.editing import Desk
    from zinger.run.openjob import OpenJob

LOOKS_AT_FILES_EVERY = 2.0
"""Seconds between two looks whether somebody else changed the job's files."""

Then = Callable[[list[str]], None]
"""What is done once the files were read; it gets the devices that were set up under another plan."""


class Holder(Host, Protocol):
    """The application, as screens see it, and when a key was pressed last."""

    @property
    def last_key(self) -> float:
        """When that was, as events tell the time."""


class Replanning:
    """Follows the files of the job that is open."""

    def __init__(self, app: App[None], holder: Holder, behind: Behind) -> None:
        self._app, self._holder, self._behind = app, holder, behind
        self.desk: Desk | None = None
        """The plan as it is edited, once somebody wanted to."""
        self.stamps: object = None
        """How the files were when they were read last."""

    def begin(self, desk: Desk | None = None, stamps: object = None) -> None:
        """Another job is open from now on; one that was open before comes with its desk and stamps."""
        self.desk, self.stamps = desk, stamps or self._holder.job.folder.stamps()

    @property
    def unsaved(self) -> list[str]:
        """The changes that are not saved yet, in words."""
        return self.desk.edits.unsaved if self.desk is not None else []

    # -- what others change --------------------------------------------------------------------------
    def look(self) -> None:
        """What somebody changed in the job's files or phrasebooks is taken in; not while the plan here is not saved."""
        if not self._holder.has_job or self.unsaved:
            return
        stamps = self._holder.job.folder.stamps()
        if stamps != self.stamps:
            self.stamps = stamps

            def tell(changed: list[str]) -> None:
                errors = len(self._holder.job.plan.errors())
                more = f"; {counted(errors, 'error')} in the plan, e shows them" if errors else ""
                self._app.notify(f"the job's files were changed on disk and are taken in{more}")

            self._read_again(tell)

    # -- what is changed here ------------------------------------------------------------------------
    def saved(self) -> None:
        """The plan's files were saved: what is shown and sent follows them; devices that it changes are offered."""
        before = self._holder.last_key

        def offer(changed: list[str]) -> None:
            if changed and self._holder.last_key == before:
                self._offer(changed)
            elif changed:  # who is typing again did not mean this question with the next key
                words = f"{counted(len(changed), 'device')} set up before can take the change: g or o sends it"
                self._app.notify(words)

        self._read_again(offer)

    def at_desk(self) -> Desk | None:
        """The plan on the desk, which is laid out when it is first wanted; None, and told, where that can't be."""
        from zinger.desk.editing import Desk

        job = self._holder.job
        try:
            if self.desk is None:
                self.desk = Desk(job.folder, job.families.rules, job.vault.traits() if job.vault else {})
        except ZingerError as error:
            self._holder.tell("The plan can't be edited", str(error))
        return self.desk

    def plan_value(self, device: str, setting: str, text: str) -> None:
        """Another value in a device's own row of the sheet, saved at once."""
        from zinger.proof.outcome import title_of

        what = f"{title_of(setting)} of {device}"
        if self._write_row(device, {setting: text}, f"{what} as shown"):
            words = f"{what} is planned as {text}; g carries it on"
            self._read_again(lambda changed: self._app.notify(words))

    def swap_box(self, device: str, numbers: Mapping[str, str]) -> None:
        """Another box, by serial number and MAC, in a device's place: into the sheet, out of the journal's belief."""
        from zinger.run.swap import forget_box

        if not self._write_row(device, numbers, f"another box for {device}"):
            return
        try:
            event = forget_box(self._holder.job, device)
        except ZingerError as error:
            self._holder.tell("What is known of the box before was not dropped", str(error))
            return
        self._holder.running.steer([(device, event)])
        words = f"{device} is {numbers['serial']} now; nothing is known of this box yet"
        self._read_again(lambda changed: self._app.notify(words))

    def _write_row(self, device: str, cells: Mapping[str, str], words: str) -> bool:
        """Write cells of a device's own row of the sheet, and save; False, and told, where that can't be."""
        desk = self.at_desk()
        if desk is None:
            return False
        if desk.edits.unsaved:
            self._app.notify("save the plan first (s)")
            return False
        try:
            desk.write_row(device, cells, words)
        except ZingerError as error:
            self._holder.tell("The plan was not changed", str(error))
            return False
        return True

    # -- following it --------------------------------------------------------------------------------
    def _read_again(self, then: Then) -> None:
        self._app.run_worker(self._read(then), name="plan")

    async def _read(self, then: Then) -> None:
        """Show and send what the files say now.

        Files that can't be read change nothing, and the person is told. A run that is started meanwhile waits for this.
        """
        from zinger.run.openjob import open_again

        holder = self._holder
        async with holder.running.reading:
            self.stamps, shown, running = holder.job.folder.stamps(), holder.job, holder.running
            try:
                job = await open_again(shown, lambda: running.busy())
            except ZingerError as error:
                holder.tell("The plan can't be read again", str(error))
                return
            if holder.running is not running:
                self._behind.adopt(running, job)  # another job is shown by now
            elif holder.job is shown:
                then(self._adopt(job))
            else:
                then([])  # it was read by somebody else meanwhile, and later than this

    def _adopt(self, job: OpenJob) -> list[str]:
        """Show and send under this plan from now on; returns the devices that were set up under another."""
        from zinger.run.laterchange import changed_devices
        from zinger.tui.parts import ZingerScreen

        holder = self._holder
        if holder.running.run is not None:
            holder.running.run.adopt(job)
            busy = holder.running.busy()
            if busy:
                go = "goes" if len(busy) == 1 else "go"
                words = f"{counted(len(busy), 'device')} in work {go} on as begun; the others are under the new plan"
                self._app.notify(words)
        before, holder.job, holder.running.job = set(changed_devices(holder.job)), job, job
        for screen in self._app.screen_stack:
            if isinstance(screen, ZingerScreen):
                screen.take_board(job.board)
        return [name for name in changed_devices(job) if name not in before]

    def _offer(self, changed: list[str]) -> None:
        """Devices that were set up are planned otherwise now: show what would be sent, and send it if wanted."""
        from zinger.run.laterchange import told
        from zinger.tui.choosing import ChoiceDialog

        def chosen(now: bool | None) -> None:
            if now:
                self._holder.running.set_off(changed)

        them = changed[0] if len(changed) == 1 else counted(len(changed), "device")
        choices = [(True, f"apply to {them}: send this, save and prove it"), (False, "not now; g or o does it later")]
        body = "\n".join(told(self._holder.job, changed, most=400))
        self._app.push_screen(ChoiceDialog(f"Saved. Apply to {them}?", choices, body), chosen)
