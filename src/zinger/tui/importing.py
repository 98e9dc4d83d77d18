"""Import: what each heading of somebody's sheet is taken to mean, to be looked at and corrected before it counts."""

from __future__ import annotations

import asyncio
from collections.abc import Hashable
from pathlib import Path
from typing import Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Footer, Input, Static

from zinger.desk.incoming import Incoming
from zinger.plan.files.headings import IDENTITY, Match, known_headings
from zinger.plan.files.transfer import Imported, Proposal
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.settings import SETTINGS
from zinger.store.folder import JobFolderError
from zinger.tui.dialogs import message
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, INK, PAPER, ROSE, SLATE, fit, home_short
from zinger.tui.parts import PlainScreen
from zinger.tui.rows import Rows

_MEANINGS = {**dict.fromkeys(IDENTITY, "who it is"), **{name: s.title for name, s in SETTINGS.items()}}


class Headings(Rows):
    """The headings of the sheet with their proposed meaning and what stands below them."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "choose", "what it means")]

    def __init__(self) -> None:
        super().__init__(id="headings")
        self.matches: list[Match] = []
        self.samples: dict[str, str] = {}
        self._version = 0

    def take(self, proposal: Proposal) -> None:
        """Show this proposal; the cursor stays."""
        self.matches = [m for m in proposal.matches.values() if m.heading]
        self.samples = {}
        for part in proposal.parts:
            for index, heading in enumerate(part.table.headings):
                values = dict.fromkeys(v for v in part.table.column(index)[:40] if v)
                self.samples.setdefault(heading, ", ".join(list(values)[:6]))
        self._version += 1
        self.redraw()

    def count(self) -> int:
        return len(self.matches)

    def stamp(self, index: int) -> Hashable:
        return (self._version, index)

    def draw(self, index: int, width: int) -> Text:
        match = self.matches[index]
        sign, colour = ("●", GREEN) if match.sure and match.meaning else ("?", BRASS) if match.meaning else ("·", DIM)
        name = 24 if width >= 100 else 18
        text = Text(" ").append(f"{sign} ", Style(color=colour, bold=True))
        text.append(f"{fit(match.heading, name - 1):<{name}}", PAPER)
        text.append("→ " if match.meaning else "  ", FAINT)
        words = SETTINGS[match.meaning].title if match.meaning in SETTINGS else match.meaning or "kept as it is"
        text.append(f"{fit(words, 21):<22}", Style(color=colour, bold=bool(match.meaning)))
        how = match.how if match.meaning else ""
        if width >= 100:
            text.append(f"{fit(how, 33):<34}", DIM)
        return text.append(fit(self.samples.get(match.heading, ""), width - text.cell_len - 1), SLATE)


class Meanings(Rows):
    """Everything that a heading can mean, filtered by typing."""

    def __init__(self) -> None:
        super().__init__(id="meanings")
        self.wanted = ""
        self._names: list[str] = []
        self.lay_out()

    def lay_out(self) -> None:
        """Show what has all the words."""
        known = {**{name: "" for name in _MEANINGS}}
        for alias, name in known_headings().items():
            known[name] = f"{known.get(name, '')} {alias}"
        words = self.wanted.lower().split()
        self._names = [""] if not words else []
        self._names += [n for n in _MEANINGS if all(w in f"{n} {_MEANINGS[n]} {known[n]}".lower() for w in words)]
        self.cursor = 0
        if self.is_mounted:
            self.redraw()

    def count(self) -> int:
        return len(self._names)

    def key(self, index: int) -> Any:
        return self._names[index]

    def stamp(self, index: int) -> Hashable:
        return self._names[index] or "nothing"

    def draw(self, index: int, width: int) -> Text:
        name = self._names[index]
        if not name:
            return Text(" only keep this column as it is", DIM)
        return Text(f" {_MEANINGS[name] if name in SETTINGS else name:<32}", PAPER).append(name, DIM)


class MeaningDialog(ModalScreen[str | None]):
    """Choose what a heading means; returns the meaning, nothing for a column that is only kept, None when left."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "leave", "leave", priority=True),
        Binding("up", "step(-1)", show=False, priority=True),
        Binding("down", "step(1)", show=False, priority=True),
    ]

    def __init__(self, heading: str) -> None:
        super().__init__()
        self.heading = heading

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(Text(f"What does {self.heading!r} mean?", Style(color=BRASS, bold=True)))
            yield Input(placeholder="type to find it; Enter takes it", id="meaning-words")
            yield Meanings()

    def on_mount(self) -> None:
        self.query_one(Input).focus()

    def on_input_changed(self, event: Input.Changed) -> None:
        meanings = self.query_one(Meanings)
        meanings.wanted = event.value
        meanings.lay_out()

    def on_input_submitted(self) -> None:
        meanings = self.query_one(Meanings)
        if meanings.count():
            self.dismiss(meanings.key(meanings.cursor))

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        self.dismiss(event.key)

    def action_step(self, by: int) -> None:
        """Move in the list while the cursor stays in the line."""
        self.query_one(Meanings).action_step(by)

    def action_leave(self) -> None:
        """Leave it as it was."""
        self.dismiss(None)


class ImportScreen(PlainScreen):
    """A sheet on its way into a job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("t", "take", "take it so"),
        Binding("o", "other", "another file"),
        Binding("escape", "app.back", "back"),
        Binding("question_mark", "app.help", "help"),
    ]

    def __init__(self, incoming: Incoming) -> None:
        super().__init__("import", incoming.words)
        self.incoming = incoming
        self._proposal: Proposal | None = None
        self._imported: Imported | None = None

    def compose(self) -> ComposeResult:
        yield self.title_line()
        yield Input(placeholder="the sheet: a file ending in .csv, .xlsx, .yaml or .json; Enter reads it", id="path")
        yield Static(id="import-note")
        yield Headings()
        yield Static(id="import-problems")
        yield Footer()

    def on_mount(self) -> None:
        if self.incoming.sheet:
            self.query_one("#path", Input).value = home_short(self.incoming.sheet)
            self._read()
        else:
            self.query_one("#path", Input).focus()
            self._note(Text(" Nothing is written before you take it.", DIM))

    def _note(self, text: Text) -> None:
        self.query_one("#import-note", Static).update(text)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self._read()

    def _read(self) -> None:
        if not self.query_one("#path", Input).value.strip():
            return
        self.run_worker(self._look(Path(self.query_one("#path", Input).value.strip()).expanduser()), exclusive=True)

    async def _look(self, path: Path) -> None:
        try:
            self._proposal = await asyncio.to_thread(self.incoming.look, path)
        except (UnreadableError, JobFolderError) as error:
            self._proposal = None
            self._note(Text(f" {error}", ROSE))
            return
        await self._show()
        self.query_one(Headings).focus()

    async def _show(self) -> None:
        assert self._proposal is not None
        proposal = self._proposal
        self.query_one(Headings).take(proposal)
        self._imported = await asyncio.to_thread(self.incoming.read, proposal)
        unsure = len([m for m in proposal.matches.values() if not m.sure])
        kept = len([m for m in proposal.matches.values() if m.heading and not m.meaning])
        text = Text().append(f" {proposal.devices} devices", Style(color=PAPER, bold=True))
        for part in proposal.parts:
            if part.table.name:
                text.append(f" · sheet {part.table.name}" + (f" is site {part.site}" if part.site else ""), DIM)
            elif part.table.encoding not in ("", "utf-8"):
                text.append(f" · read as {part.table.encoding}", DIM)
        if proposal.filled:
            text.append(f" · {proposal.filled} blank sites take the one above", DIM)
        text.append(f"    {unsure} to confirm" if unsure else "    every heading is known", BRASS if unsure else GREEN)
        text.append(f"   {kept} kept as they are", DIM)
        self._note(text)
        self._say_problems()

    def _say_problems(self) -> None:
        problems = self._imported.problems if self._imported else ()
        text = Text()
        if problems:
            count = len(problems)
            text.append(
                f" {count} cell{'s' * (count > 1)} can't be read; correct the sheet and read it again\n",
                Style(color=ROSE, bold=True),
            )
        for problem in problems[:6]:
            text.append(f"  {problem}\n", PAPER)
        if not problems and self._imported:
            text.append(" t ", Style(color=INK, bgcolor=BRASS, bold=True))
            text.append(f" takes it: {self.incoming.effect(self._imported, home_short(self.incoming.target))}", PAPER)
        self.query_one("#import-problems", Static).update(text)

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if event.rows.id == "headings":
            self.action_meaning()

    def action_meaning(self) -> None:
        """Decide what the heading under the cursor means."""
        headings = self.query_one(Headings)
        if not headings.matches:
            return
        heading = headings.matches[headings.cursor].heading

        def decided(meaning: str | None) -> None:
            if meaning is not None and self._proposal is not None:
                self._proposal = self._proposal.decide(heading, meaning)
                self.run_worker(self._show(), exclusive=True)

        self.app.push_screen(MeaningDialog(heading), decided)

    def action_other(self) -> None:
        """Another file."""
        self.query_one("#path", Input).focus()

    def action_take(self) -> None:
        """Take the sheet into the job."""
        if self._imported is None or self._proposal is None:
            return
        if self._imported.problems:
            self.notify("some cells can't be read; nothing is taken before they can")
            return
        try:
            folder, words = self.incoming.take(self._proposal, self._imported)
        except (JobFolderError, UnreadableError) as error:
            self.app.push_screen(message("Nothing was taken", str(error)))
            return
        self.host.arrived(folder, words)
