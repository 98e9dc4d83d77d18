"""Credentials: which account of which device has which entry of the vault, how old it is, when it was proved.

A password is shown for ten seconds and only when it is asked for; it is never drawn in the list.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Hashable
from typing import TYPE_CHECKING, Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widget import Widget
from textual.widgets import Static

from zinger.errors import ZingerError
from zinger.plan.values.secrets import SecretRef
from zinger.store.vault import Vault
from zinger.tui.choosing import ChoiceDialog
from zinger.tui.filter_box import FilterBox
from zinger.tui.footer import KeysFooter
from zinger.tui.look import BRASS, DIM, GREEN, PAPER, ROSE, VIOLET, first_fitting, fit
from zinger.tui.parts import COMMON, Headline, ZingerScreen
from zinger.tui.rows import Rows
from zinger.wording import counted, short

if TYPE_CHECKING:
    from zinger.run.credentials import Credential

SHOWN_FOR = 10
"""Seconds for which a password is on the screen."""


class CredentialRows(Rows):
    """One use of an entry a row."""

    def __init__(self) -> None:
        super().__init__(id="credentials")
        self.found: list[Credential] = []
        self.wanted = ""
        self._all: list[Credential] = []
        self._version = 0

    def show(self, found: list[Credential]) -> None:
        """Show these, those that the filter leaves."""
        self._all = found
        words = self.wanted.lower().split()
        self.found = [c for c in found if all(w in f"{c.device} {c.account} {c.what} {c.entry}".lower() for w in words)]
        self._version += 1
        self.redraw()

    def filter(self, words: str) -> None:
        """Show only those that have all these words."""
        self.wanted = words
        self.show(self._all)

    def count(self) -> int:
        return max(1, len(self.found))

    def key(self, index: int) -> Any:
        return self.found[index] if self.found else None

    def stamp(self, index: int) -> Hashable:
        return (self._version, index, int(time.time() / 60))

    def draw(self, index: int, width: int) -> Text:
        if not self.found:
            return Text(" the vault has no entry yet; a run makes what it needs", DIM)
        row = self.found[index]
        state, colour = _state(row)
        who = row.account or row.what or "used by no device"
        age = short(time.time() - row.since) if row.since is not None else "?" if row.kept else ""
        name, rest = max(14, min(22, width // 6)), width - 60
        text = Text(f" {fit(row.device, name - 1):<{name}}", PAPER)
        who = first_fitting(22, who, who.partition(",")[0])  # with which other entry is told by the entry
        text.append(f"{fit(who, 22):<24}", PAPER if row.account else DIM)
        if width >= 120:
            text.append(f"{row.address:<17}", DIM)
            rest -= 17
        if width >= 100:
            text.append(f"{fit(row.entry, rest - name):<{max(0, rest - name) + 1}}", DIM)
        return text.append(f"{age:>8}  ", DIM).append(state, colour)


def _state(row: Credential) -> tuple[str, str]:
    if not row.kept:
        return "not made yet", DIM
    if row.rotating:
        return "being changed", VIOLET
    seen, at = row.seen
    if at is None:
        return seen, ROSE if row.account else DIM
    return time.strftime(f"{seen} %d %b %H:%M", time.localtime(at)), GREEN if row.proved_at else DIM


class ShownSecret(ModalScreen[None]):
    """A password in clear, until a key is pressed or ten seconds are over."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape,enter,q,space", "dismiss", "hide")]

    def __init__(self, title: str, secret: str) -> None:
        super().__init__()
        self._title, self._secret, self._until = title, secret, time.monotonic() + SHOWN_FOR

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(self._title, Style(color=BRASS, bold=True)))
            yield _Clear(self._secret, self._until)

    def on_mount(self) -> None:
        self.set_timer(SHOWN_FOR, lambda: self.dismiss(None) if self.is_current else None)
        self.set_interval(0.5, self.query_one(_Clear).refresh)


class _Clear(Widget):
    def __init__(self, secret: str, until: float) -> None:
        super().__init__()
        self._secret, self._until = secret, until
        self.styles.height = 4

    def render(self) -> RenderResult:
        left = max(0, round(self._until - time.monotonic()))
        return Text.assemble("\n", (self._secret, Style(color=PAPER, bold=True)), "\n\n", (f"hidden in {left} s", DIM))


class CredentialsScreen(ZingerScreen):
    """Every account and key of the job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "reveal", "show", show=False, tooltip="the password, for ten seconds"),
        Binding("v", "reveal", "show", tooltip="the password, for ten seconds"),
        Binding("c", "copy", "copy", tooltip="to the terminal's clipboard (OSC 52), if you allow it"),
        Binding("t", "type", "type in", tooltip="a password that you know, typed twice"),
        Binding("r", "rotate", "change it", tooltip="make a new one, send it, prove it, drop the old one"),
        Binding("p", "paper", "sealed paper", tooltip="all of them as a PDF inside an age file"),
        Binding("slash", "filter", "filter", tooltip="by device, account or entry"),
        *COMMON,
    ]

    def __init__(self, device: str = "") -> None:
        super().__init__()
        self._begins_at = device
        self._may_copy = False
        self._seen: Hashable = None

    def compose(self) -> ComposeResult:
        yield Headline(self.host.job.board, "Credentials")
        yield FilterBox(CredentialRows, "device, account or entry")
        yield CredentialRows()
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one(CredentialRows).focus()
        super().on_mount()

    @property
    def _vault(self) -> Vault:
        job = self.host.job
        job.vault = job.vault or Vault(job.folder.vault)
        return job.vault

    def follow(self) -> None:
        from zinger.run.credentials import credentials_of

        headline = self.headline()
        headline.look()
        job = self.host.job
        kept = tuple((name, job.vault.since(name)) for name in job.vault.names()) if job.vault else ()
        seen = (kept, sum(line.version for line in job.board.lines.values()))
        if seen == self._seen:
            return
        self._seen = seen
        found = credentials_of(job, job.vault)
        others = job.vault.recipients() if job.vault else {}
        made = sum(row.kept for row in found)
        also = f" · also opened by {', '.join(others.values())}" if others else ""
        headline.detail = f"{counted(made, 'entry', 'entries')}{also}"
        rows = self.query_one(CredentialRows)
        rows.show(found)
        if self._begins_at:  # what hands typed in is likelier wrong than what Zinger made: it comes last
            rows.cursor = max((i for i, row in enumerate(rows.found) if row.device == self._begins_at), default=0)
            self._begins_at = ""

    @property
    def device(self) -> str | None:
        """The device of the row under the cursor."""
        row = self._row()
        return row.device or None if row else None

    def _row(self) -> Credential | None:
        return next((rows.selected for rows in self.query(CredentialRows)), None)

    def _secret(self) -> tuple[Credential, str] | None:
        row = self._row()
        if row is None or not row.kept:
            self.notify("it is not made yet; a run makes it")
            return None
        return row, self._vault.get(SecretRef(row.entry))

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.action_reveal()

    def action_reveal(self) -> None:
        """The password in clear, for ten seconds."""
        if (found := self._secret()) is not None:
            row, secret = found
            self.app.push_screen(ShownSecret(f"{row.entry}  {row.account}", secret))

    def action_copy(self) -> None:
        """Put the password into the terminal's clipboard, once the person allowed that."""
        found = self._secret()
        if found is None:
            return

        def allowed(yes: bool | None) -> None:
            if yes:
                self._may_copy = True
                self.app.copy_to_clipboard(found[1])
                self.notify(f"{found[0].entry} is in the clipboard, where other programs can read it")

        if self._may_copy:
            allowed(True)
            return
        body = (
            "The terminal is sent the password (OSC 52). Whatever reads the clipboard can read it until it is replaced."
        )
        choices = [(True, "copy, now and while this screen is open"), (False, "don't")]
        self.app.push_screen(ChoiceDialog("Copy passwords to the clipboard?", choices, body), allowed)

    def action_type(self) -> None:
        """A password that the person knows, such as one that was chosen by hand."""
        from zinger.tui.vault import AskPassword

        row = self._row()
        if row is None:
            return

        def typed(secret: str | None) -> None:
            if secret is not None:
                try:
                    self.host.keep_secret(row.entry, secret)
                except ZingerError as error:
                    self.host.tell("It was not kept", str(error))

        self.app.push_screen(AskPassword(f"Password for {row.entry}", SecretRef(row.entry)), typed)

    def action_rotate(self) -> None:
        """Make a new password, and have it sent and proved."""
        from zinger.run.credentials import sent_to

        row = self._row()
        if row is None:
            return
        try:
            sent_to(self.host.job, self._vault, row.entry)
        except ZingerError as error:
            self.host.tell("It can't be changed", str(error))
            return

        def chosen(answer: str | None) -> None:
            if answer is not None:
                self._rotate(row, answer == "now")

        body = "The new one is in the vault before it is sent. The old one is kept until the new one is proved."
        choices = [("now", "make it, send it and prove it now"), ("later", "make it; the next run sends it")]
        self.app.push_screen(ChoiceDialog(f"Change {row.entry}?", choices, body), chosen)

    def _rotate(self, row: Credential, now: bool) -> None:
        from zinger.run.credentials import rotate

        try:
            events = rotate(self.host.job, self._vault, row.entry)
        except ZingerError as error:
            self.host.tell("It was not changed", str(error))
            return
        self.host.running.steer(events)
        if now:
            self.host.running.set_off([name for name, _ in events])

    def action_paper(self) -> None:
        """Write all of them sealed."""
        self.run_worker(self._write_paper(), exclusive=True, name="credentials")

    async def _write_paper(self) -> None:
        from zinger.handover.credentials import seal_paper

        job = self.host.job
        try:
            file = await asyncio.to_thread(seal_paper, job, self._vault)
        except (OSError, ZingerError) as error:
            self.host.tell("The paper was not written", str(error))
            return
        self.notify(f"sealed in {file.name}; age -d opens it with your identity")

    def action_filter(self) -> None:
        """Filter by typing."""
        self.query_one(FilterBox).begin()

    def on_filter_box_wanted(self, event: FilterBox.Wanted) -> None:
        self.query_one(CredentialRows).filter(event.words)

    def back(self) -> bool:
        """Escape clears the filter first."""
        return self.query_one(FilterBox).end()
