"""Import: what each heading of somebody's sheet is taken to mean, to be looked at and corrected before it counts."""

from __future__ import annotations

import asyncio
from collections.abc import Hashable
from pathlib import Path
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Input, Static

from zinger.desk.incoming import Effect, Incoming
from zinger.files import FileError
from zinger.plan.files.headings import IDENTITY, Match, holds_passwords, known_headings
from zinger.plan.files.merging import Fate, Laid
from zinger.plan.files.transfer import BadCell, Proposal
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.settings import SETTINGS
from zinger.store.folder import JobFolderError
from zinger.tui.choosing import ChoiceDialog, LineDialog, PathSuggester
from zinger.tui.dialogs import Dialog, message
from zinger.tui.footer import KeysFooter
from zinger.tui.import_rows import LeftOut, Outcome, cell_dialog, who_dialog
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, INK, PAPER, ROSE, SLATE, fit, home_short
from zinger.tui.parts import PlainScreen
from zinger.tui.rows import Rows
from zinger.wording import counted

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
                values = dict.fromkeys(v for v in part.devices.column(index)[:40] if v)
                shown = "(passwords, for all to read)" if holds_passwords(heading) else ", ".join(list(values)[:6])
                self.samples.setdefault(heading, shown)
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


def meaning_dialog(heading: str) -> ChoiceDialog:
    """Asks what a heading means: a setting, an identity, or nothing; found by any heading that is known for it."""
    aliases: dict[str, str] = {}
    for alias, name in known_headings().items():
        aliases[name] = f"{aliases.get(name, '')} {alias}"
    choices = [("", "only keep this column as it is")]
    choices += [(name, f"{title if name in SETTINGS else name:<32}{name}") for name, title in _MEANINGS.items()]
    found_by = [aliases.get(name, "") for name, _ in choices]
    return ChoiceDialog(f"What does {heading!r} mean?", choices, aliases=found_by)


class ImportScreen(PlainScreen):
    """A sheet on its way into a job."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("t", "take", "take it"),
        Binding("m", "meant", "correct what is likely"),
        Binding("tab", "other_pane", "headings or rows"),
        Binding("o", "other", "another file"),
        Binding("escape", "app.back", "back"),
        Binding("question_mark", "app.help", "help"),
    ]

    def __init__(self, incoming: Incoming) -> None:
        super().__init__("import", incoming.words)
        self.incoming = incoming
        self._proposal: Proposal | None = None
        self._effect: Effect | None = None

    def compose(self) -> ComposeResult:
        yield self.title_line()
        hint = "the sheet: a file ending in .csv, .xlsx, .yaml or .json; Enter reads it"
        yield Input(placeholder=hint, id="path", suggester=PathSuggester())
        yield Static(id="import-note")
        yield Headings()
        yield Static(id="import-effect")
        yield Outcome()
        yield KeysFooter()

    def on_mount(self) -> None:
        if self.incoming.sheet:
            self.query_one("#path", Input).value = home_short(self.incoming.sheet)
            self._read()
        else:
            self.query_one("#path", Input).focus()
            self._note(Text(" Nothing is written before you take it.", DIM))

    def _note(self, text: Text) -> None:
        self.query_one("#import-note", Static).update(text)

    def _say_effect(self, text: Text) -> None:
        self.query_one("#import-effect", Static).update(text)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self._read()

    def _read(self) -> None:
        if not self.query_one("#path", Input).value.strip():
            return
        self.run_worker(self._look(Path(self.query_one("#path", Input).value.strip()).expanduser()), exclusive=True)

    async def _look(self, path: Path) -> None:
        self._note(Text(f" reading {path.name} ...", DIM))
        try:
            self._proposal = await asyncio.to_thread(self.incoming.look, path)
        except (UnreadableError, JobFolderError) as error:
            self._proposal = self._effect = None
            if self._was_left:
                return
            self._note(Text(f" {error}", ROSE))
            self._say_effect(Text())
            self.query_one(Outcome).empty()
            return
        if self._was_left:
            return
        self.incoming.answers.clear()
        await self._show()
        if not self._was_left:
            self.query_one(Headings).focus()

    @property
    def _was_left(self) -> bool:
        """Whether the screen was left while something was read for it."""
        return not self.query(Headings)

    async def _show(self) -> None:
        assert self._proposal is not None
        proposal = self._proposal
        self.query_one(Headings).take(proposal)
        self._note(_told(proposal))
        self._effect = None
        try:
            imported = await asyncio.to_thread(self.incoming.read, proposal)
            self._effect = await asyncio.to_thread(self.incoming.effect, imported)
        except ValueError as error:
            if not self._was_left:
                self._say_effect(Text(f" {error}", ROSE))
            return
        if self._was_left:
            return
        left_out = [LeftOut(str(row), why) for part in proposal.parts for row, why in part.left_out]
        self.query_one(Outcome).show(self._effect, left_out)
        self._say_effect(_promised(self._effect))

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        if event.rows.id == "headings":
            self.action_meaning()
        elif isinstance(event.key, BadCell):
            self._correct(event.key)
        elif isinstance(event.key, Laid):
            self._answer(event.key)

    def _decided(self, proposal: Proposal | None = None) -> None:
        """Something was decided: show what comes of it."""
        self._proposal = proposal or self._proposal
        self.run_worker(self._show(), exclusive=True)

    def _correct(self, cell: BadCell) -> None:
        def typed(text: str | None) -> None:
            if text is not None and self._proposal is not None:
                try:
                    self._decided(self._proposal.correct({cell.cell: text}))
                except ValueError as error:
                    self.notify(str(error))

        self.app.push_screen(cell_dialog(cell), typed)

    def _answer(self, laid: Laid) -> None:
        if laid.fate is Fate.KEPT or laid.fate is Fate.REMOVED:
            self.incoming.remove = set(self.incoming.remove or ()) ^ {laid.name}
            self._decided()
        elif laid.fate is Fate.ASKED or laid.answered:

            def answered(answer: str | None) -> None:
                if answer is not None:
                    self.incoming.answers[laid.key] = answer
                    self._decided()

            self.app.push_screen(who_dialog(laid), answered)

    def action_meant(self) -> None:
        """Correct every cell of which it is likely what was meant."""
        if self._proposal is None or self._effect is None:
            return
        likely = [cell for cell in self._effect.imported.bad if cell.meant]
        if not likely:
            self.notify("no cell that can't be read has a likely meaning")
            return
        self._decided(self._proposal.correct({cell.cell: cell.meant for cell in likely}))

    def action_meaning(self) -> None:
        """Decide what the heading under the cursor means."""
        headings = self.query_one(Headings)
        if not headings.matches:
            return
        heading = headings.matches[headings.cursor].heading

        def decided(meaning: str | None) -> None:
            if meaning is not None and self._proposal is not None:
                self._decided(self._proposal.decide(heading, meaning))

        self.app.push_screen(meaning_dialog(heading), decided)

    def action_other(self) -> None:
        """Another file."""
        self.query_one("#path", Input).focus()

    def action_other_pane(self) -> None:
        """From the headings to the rows, and back."""
        headings, outcome = self.query_one(Headings), self.query_one(Outcome)
        (outcome if headings.has_focus and outcome.count() else headings).focus()

    def action_take(self) -> None:
        """Take the sheet into the job."""
        if self._proposal is None:
            return
        effect = self._effect
        if effect is not None and effect.unsaid:
            self._ask_for_all(effect.unsaid[0])
            return
        if effect is None or not (effect.takes or effect.of(Fate.REMOVED)):
            self.notify("there is no row that can be taken")
            return
        open_rows = effect.counts[Fate.ASKED] + effect.counts[Fate.BAD]
        if open_rows:
            body = Text(f"{counted(open_rows, 'row')} can't be taken as they are and will be left out.\n", PAPER)
            body.append(
                "Devices that the job has already stay as they are. Correct the sheet and import it again.", DIM
            )
            title = f"Take {counted(effect.takes, 'row')}, leave out {open_rows}?"
            self.app.push_screen(Dialog(title, body, "take the others", "back"), self._take_if)
        else:
            self._take_if(True)

    def _ask_for_all(self, meaning: str) -> None:
        def said(text: str | None) -> None:
            if text and self._proposal is not None:
                self._decided(self._proposal.say_for_all(meaning, text))

        title = f"The sheet does not say the {meaning} of new devices"
        self.app.push_screen(LineDialog(title, placeholder=f"the {meaning} of all of them"), said)

    def _take_if(self, yes: bool | None) -> None:
        if not yes or self._proposal is None or self._effect is None:
            return
        try:
            folder = self.incoming.take(self._proposal, self._effect)
        except (JobFolderError, UnreadableError, FileError) as error:
            self.app.push_screen(message("Nothing was taken", str(error)))
            return
        self.host.arrived(folder, [self._effect.summary, "back: zinger import --undo"])


def _told(proposal: Proposal) -> Text:
    """What the sheet is taken for, in a line."""
    unsure = len([m for m in proposal.matches.values() if m.meaning and not m.sure])
    kept = len([m for m in proposal.matches.values() if m.heading and not m.meaning])
    text = Text().append(f" {counted(proposal.devices, 'device')}", Style(color=PAPER, bold=True))
    for part in proposal.parts:
        if part.table.name:
            text.append(f" · sheet {part.table.name}" + (f" is site {part.site}" if part.site else ""), DIM)
        elif part.table.encoding not in ("", "utf-8"):
            text.append(f" · read as {part.table.encoding}", DIM)
    for meaning, said in proposal.for_all.items():
        text.append(f" · {meaning} of all: {said}", DIM)
    if proposal.filled:
        text.append(f" · {counted(proposal.filled, 'blank site')} filled from above", DIM)
    text.append(f"    {unsure} to confirm" if unsure else "    every heading is known", BRASS if unsure else GREEN)
    return text.append(f"   {counted(kept, 'column')} kept" if kept else "", DIM)


def _promised(effect: Effect) -> Text:
    """What taking it would do, in a line."""
    text = Text()
    if effect.unsaid:
        text.append(" t ", Style(color=INK, bgcolor=BRASS, bold=True))
        text.append(f" asks for the {effect.unsaid[0]} of new devices, which the sheet does not say · ", BRASS)
    elif effect.takes or effect.of(Fate.REMOVED):
        text.append(" t ", Style(color=INK, bgcolor=BRASS, bold=True)).append(" takes it: ", PAPER)
    text.append(effect.summary, PAPER)
    if effect.sites:
        text.append(f" · makes {counted(len(effect.sites), 'site')} {', '.join(effect.sites.values())}", SLATE)
    if effect.roles:
        text.append(f" · makes {counted(len(effect.roles), 'role')} {', '.join(effect.roles)}", SLATE)
    if any(cell.meant for cell in effect.imported.bad):
        text.append("   m", Style(color=BRASS, bold=True)).append(" corrects what is likely", DIM)
    return text
