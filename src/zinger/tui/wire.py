"""Wire: one device, live: the script as it is carried out, the console itself, and the map of places."""

from __future__ import annotations

import time
from collections.abc import Hashable
from typing import TYPE_CHECKING, Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual import events
from textual.app import ComposeResult, RenderResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.markup import escape
from textual.widget import Widget
from textual.widgets import Input

from zinger.link.base import LinkError
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.outline import spine_and_branches
from zinger.run.board import DeviceLine, Mark, StepRow
from zinger.run.paste import Paste
from zinger.tui import decide
from zinger.tui.console import Console
from zinger.tui.footer import KeysFooter
from zinger.tui.linemap import sentence
from zinger.tui.look import (
    BRASS,
    DIM,
    FAINT,
    GREEN,
    INK,
    MOOD,
    PAPER,
    RAISED,
    ROSE,
    SLATE,
    VIOLET,
    fit,
    minutes,
    shape,
    turn,
)
from zinger.tui.pageview import PagePane, PageView
from zinger.tui.parts import ABOUT_ONE, COMMON, DeviceScreen, Headline, Watcher
from zinger.tui.recordings import Recordings
from zinger.tui.rows import Rows
from zinger.tui.termkeys import key_as_bytes
from zinger.tui.vault import AskPassword, PickEntry

if TYPE_CHECKING:
    from zinger.plan.values.secrets import SecretRef
    from zinger.run.byhand import ByHand
    from zinger.run.onwire import OnWire
    from zinger.run.pagesbyhand import Chosen, PagesByHand


UNDER_CONSOLE = " F2 hands it back · F4 types a password · F3 sends a break "
UNDER_PAGES = " F2 hands it back · Enter fills, presses · space as planned · F4 password "


class ScriptView(Rows):
    """The steps, each with its stop, setting and state; the device's words where it refused."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="script")
        self.line = line
        self._items: list[tuple[str, StepRow | None, str]] = []

    def lay_out(self) -> None:
        """Work out the rows: a step, and under it what the device said if it refused."""
        self._items = []
        for step in self.line.steps:
            self._items.append(("step", step, ""))
            if step.note and step.mark is Mark.DIFFERS:
                self._items.append(("note", step, step.note))
        if self.line.script.not_sent:
            self._items += [("blank", None, "")]
            self._items += [("not sent", None, f"{u.setting}: {u.why}") for u in self.line.script.not_sent]
        self.redraw()

    def count(self) -> int:
        return len(self._items)

    def key(self, index: int) -> Any:
        kind, step, _ = self._items[index]
        return step.setting if step and kind == "step" else None

    def stamp(self, index: int) -> Hashable:
        kind, step, text = self._items[index]
        turning = turn() if step and step.mark is Mark.NOW else 0
        return (kind, text, step and (step.setting, step.mark, step.note), turning)

    def draw(self, index: int, width: int) -> Text:
        kind, step, text = self._items[index]
        if kind == "not sent":
            return Text(f"  not sent  {fit(text, width - 12)}", DIM)
        if step is None:
            return Text()
        if kind == "note":
            return Text(f"          {fit(text, width - 10)}", ROSE)
        before = self._items[index - 1][1] if index else None
        stop = step.stop.short if before is None or before.stop is not step.stop else ""
        row = Text.assemble(" ", shape(step.mark), (f" {stop:<6}", DIM))
        quiet = step.mark in (Mark.AHEAD, Mark.NONE)
        room = width - 29
        if room < 8:  # too narrow for values: the whole of the title instead
            return row.append(fit(step.title, width - 9), DIM if quiet else PAPER)
        row.append(f"{fit(step.title, 19):<20}", DIM if quiet else PAPER)
        return row.append(fit(step.value, room), DIM if quiet else MOOD[step.mark])


class ConsoleFrame(Vertical, can_focus=True):
    """The console; with the person's hands on it, a clear frame, and every key goes to the device."""

    def on_key(self, event: events.Key) -> None:
        screen = self.screen
        if not isinstance(screen, Wire) or not screen.types or event.key in ("f2", "f3", "f4", "ctrl+q"):
            return
        if data := key_as_bytes(event):
            event.stop()
            event.prevent_default()
            screen.send(data)

    def on_paste(self, event: events.Paste) -> None:
        if isinstance(self.screen, Wire) and self.screen.types:
            event.stop()
            self.screen.paste(event.text)


class MapView(Watcher):
    """The places of the family, the present one lit: the way in from the left, the contexts as branches."""

    def __init__(self, line: DeviceLine, book: Phrasebook) -> None:
        super().__init__(id="map")
        self.line, self.book = line, book
        self._lay_out(0)

    def _lay_out(self, part: int) -> None:
        """The map of one part of the dialogue."""
        self.part, book = part, self.book.parts[part]
        self.spine, self.branches = spine_and_branches(book)
        self.questions = [name for name in book.places if name in book.interview_of]

    def stamp(self) -> Hashable:
        return (self.line.version, int(time.time() - self.line.waits_since), self.size)

    def render(self) -> RenderResult:
        if self.part != self.line.part:
            self._lay_out(self.line.part)
        place = self.line.place
        text = Text.assemble(("map", Style(color=GREEN, bold=True)), (" · where it is", DIM))
        known = {*self.spine, *(x for branch in self.branches for x in branch), *self.questions}
        if place and place not in known:
            text.append("   at ", DIM).append(f" {_words(place)} ", Style(color=INK, bgcolor=BRASS, bold=True))
        if self.line.waits_for and self.line.active:
            text.append(f"   {self.line.waits_for}, {minutes(time.time() - self.line.waits_since)}", DIM)
        text.append("\n" if self.size.height < 6 else "\n\n")
        text.append(" ")
        for index, name in enumerate(self.spine):
            text.append("──" if index and self.size.width >= 110 else "─" if index else "", FAINT)
            text.append_text(self._box(name, place))
        if self.questions:
            text.append("\n ").append_text(self._strip(place))
        return text.append_text(self._contexts(place))

    def _strip(self, place: str) -> Text:
        """A question script as a strip: a cell for each question, the present one lit and named."""
        at = self.questions.index(place) if place in self.questions else -1
        asked = at >= 0 or bool(self.line.trail and set(self.line.trail) & set(self.questions))
        text = Text("└ questions ", FAINT)
        for index in range(len(self.questions)):
            now = index == at
            done = (at < 0 and asked) or index < at
            text.append("◆" if now else "●" if done else "○", BRASS if now else SLATE if done else FAINT)
        if at >= 0:
            text.append(f"  {_words(place)}", Style(color=BRASS, bold=True))
        return text

    def _contexts(self, place: str) -> Text:
        """The contexts that leave the home place, as many to a row as there is room; inner ones where they are used."""
        text = Text()
        width = self.size.width - 4
        column = width + 1
        for branch in self.branches:
            cells = Text().append_text(self._box(branch[0], place))
            if place in branch[1:]:
                cells.append("─", FAINT).append_text(self._box(place, place))
            elif len(branch) > 1:
                cells.append(f"+{len(branch) - 1}", FAINT)
            if column + cells.cell_len + 1 > width:
                text.append("\n  └ " if not text.plain else "\n    ", FAINT)
                column = 4
            text.append_text(cells).append(" ")
            column += cells.cell_len + 1
        return text

    @staticmethod
    def _box(name: str, place: str) -> Text:
        style = Style(color=INK, bgcolor=BRASS, bold=True) if name == place else Style(color="#b9b9b0", bgcolor=RAISED)
        return Text(f" {_words(name)} ", style)


def _words(name: str) -> str:
    return name.replace("_", " ")


class Wire(DeviceScreen):
    """One device."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("f2", "take", "take / hand back", priority=True, tooltip="type yourself; again: hand it back"),
        Binding("space", "hold", "hold", tooltip="hold before the next step; again: go on"),
        Binding("a", "again", "again", tooltip="look again where it is, and go on from there"),
        Binding("tab", "look_back", "scroll", priority=False, tooltip="through what it showed; what each line was for"),
        Binding("slash", "find", "find", tooltip="find in what it showed"),
        Binding("v", "recordings", "recordings", tooltip="what was recorded of it, played back"),
        Binding("f4", "type_entry", "type a password", priority=True, tooltip="an entry of the vault, while you type"),
        Binding("f3", "send_break", "send break", priority=True, show=False, tooltip="a serial break, while you type"),
        Binding("p", "app.proof_of_this", "proof", tooltip="what was planned, and what was read back"),
        Binding("r", "app.preview_of_this", "preview", tooltip="what will be sent to it, before it is sent"),
        *ABOUT_ONE,
        *COMMON,
    ]

    def __init__(self, line: DeviceLine, book: Phrasebook) -> None:
        super().__init__(line)
        self.whole = book
        self._noted = ""
        self._paste: Paste | None = None

    def beside(self, line: DeviceLine) -> DeviceScreen:
        return Wire(line, self.host.job.books[line.device.family])

    @property
    def book(self) -> Phrasebook:
        """The part of the dialogue that is under way."""
        return self.whole.parts[self.line.part]

    @property
    def taken(self) -> bool:
        """Whether the person has the wire."""
        wire = self.host.running.wire(self.device)  # whose line may be of an earlier plan than the one shown
        return wire is not None and wire.line.person_has_it

    @property
    def types(self) -> bool:
        """Whether every key goes to the device, as on a console; a page is filled in with keys of our own."""
        return self.taken and self.book.pages is None

    def compose(self) -> ComposeResult:
        yield Headline(
            self.host.job.board, self.device, f"{self.line.family}, {self.line.device.location}".rstrip(", ")
        )
        yield State(self.line)
        with Horizontal(id="wire-body"):
            yield ScriptView(self.line)
            with ConsoleFrame(id="frame"):
                for part in self.whole.parts:
                    if part.pages is not None:
                        yield PagePane(part, lambda: self.host.running.pages(self.device))
                yield Console(id="console")
                yield Input(id="find", placeholder="find in what it showed; Enter goes up, Esc closes")
        yield MapView(self.line, self.whole)
        yield KeysFooter()

    def on_mount(self) -> None:
        self.query_one(ScriptView).focus()
        super().on_mount()

    def follow(self) -> None:
        self.headline().look()
        self.query_one(State).look()
        self.query_one(MapView).look()
        for pane in self.query(PagePane):
            pane.display = self.book.pages is not None
        for page in self.query(PageView):
            page.look()
        script = self.query_one(ScriptView)
        notes = str([(p.mark, p.note) for p in self.line.steps])
        if notes != self._noted:
            self._noted = notes
            script.lay_out()
        else:
            script.redraw_changed()
        self.query_one("#console", Console).show(self.line, self.book.terminal)
        frame = self.query_one(ConsoleFrame)
        if frame.has_class("taken") != self.taken:
            frame.set_class(self.taken, "taken")
            (self._typed_into if self.taken else script).focus()
        frame.border_title = escape(self._taken_title()) if self.taken else ""
        frame.border_subtitle = escape(self._under_the_console())  # a phrasebook's words are a stranger's

    @property
    def _typed_into(self) -> Widget:
        """What has the keys while a person has the wire."""
        frame = self.query_one(ConsoleFrame)
        return frame if self.book.pages is None else next(iter(self.query(PageView)), frame)

    def _taken_title(self) -> str:
        what = "what you press" if self.book.pages is not None else "what you type"
        return f" YOU HAVE THE WIRE · {what} goes to {self.device} "

    def _under_the_console(self) -> str:
        if self._paste is not None and self._paste.going:
            return f" pasting line {self._paste.done + 1} of {len(self._paste.lines)} · any key stops it "
        if self.taken:
            return UNDER_PAGES if self.book.pages is not None else UNDER_CONSOLE
        console = self.query_one("#console", Console)
        return f" {console.about()} " if console.has_focus or self.query_one("#find").has_focus else ""

    def paste(self, text: str) -> None:
        """Type what was pasted at the device's own pace."""
        wire = self.host.running.console(self.device)
        if wire is not None:
            self._paste = Paste(wire.pump, text)
            self.run_worker(self._paste.go(), exclusive=True, group="paste")

    def send(self, data: str) -> None:
        """What the person types goes to the device; it stops a paste that is under way."""
        if self._paste is not None:
            self._paste.stopped = True
        if wire := self.host.running.console(self.device):
            wire.by_hand.type(data)

    def action_take(self) -> None:
        """Take the wire, or hand it back."""
        wire = self.host.running.wire(self.device)
        if wire is None or not wire.pump.is_joined:
            self.notify("there is no link to this device now")
        elif self.taken:
            self.run_worker(self._hand_back(wire), exclusive=True, group="hand back")
        else:
            wire.take()
        self.follow()

    async def _hand_back(self, wire: OnWire) -> None:
        """Hand it back, once the vault has what was chosen by hand."""
        console = self.host.running.console(self.device)
        if console is not None:
            for user in console.by_hand.take_changed():
                await self._ask_for(console.by_hand, user)
        pages = self.host.running.pages(self.device)
        if pages is not None:
            for chosen in pages.by_hand.take_chosen():
                await self._keep(pages.by_hand, chosen)
        acted = wire.pump.acted
        wire.hand_back()
        if self.line.active or self.line.mood is Mark.NEEDS_YOU:
            self.host.running.resume(self.device)
        elif acted:
            decide.after_your_hands(self, self.device)
        self.follow()

    async def _ask_for(self, by_hand: ByHand, user: str) -> None:
        whose = f"The password of {user}" if user else f"A password of {self.device}"
        title = f"{whose} was chosen by hand"
        entry = by_hand.entry_of(user)
        if entry is None:
            picking = PickEntry(f"{title}. Which entry is it?", by_hand.entries(), "this one", "none of these")
            entry = await self.app.push_screen_wait(picking)
        secret = await self.app.push_screen_wait(AskPassword(title, entry)) if entry else None
        if entry and secret:
            by_hand.file(entry, secret)
        else:
            by_hand.leave_out(user)

    async def _keep(self, by_hand: PagesByHand, chosen: Chosen) -> None:
        """A password that was chosen on a page goes into the vault, if the person says as what."""
        title = f"A password was chosen by hand ({chosen.label}). Which entry is it from now on?"
        refs = by_hand.entries_for(chosen)
        entry = await self.app.push_screen_wait(PickEntry(title, refs, "this one", "none of these"))
        if entry:
            by_hand.file(chosen, entry)
        else:
            by_hand.leave_out(chosen)

    def action_type_entry(self) -> None:
        """Have an entry of the vault typed or filled in, while a person has the wire."""
        console, pages = self.host.running.console(self.device), self.host.running.pages(self.device)
        wire = console or pages
        if wire is None or not wire.pump.is_joined or not self.taken:
            self.notify("take the wire first (F2), then F4 types a password from the vault")
            return

        def type_it(entry: SecretRef | None) -> None:
            if entry is not None and console is not None:
                console.by_hand.type_entry(entry)
            elif entry is not None:
                self.query_one(PageView).fill_entry(entry)

        title = "Which password is filled in?" if pages else "Which password is typed? Enter after it is yours."
        self.app.push_screen(PickEntry(title, wire.by_hand.entries(), "takes it", "nothing"), type_it)

    def action_hold(self) -> None:
        """Pause before the next thing that is sent, or go on."""
        wire = self.host.running.wire(self.device)
        if wire is None or not self.line.active:
            self.notify("nothing is under way here")
        elif wire.held:
            wire.go_on()
        else:
            wire.hold()

    def action_send_break(self) -> None:
        """Send a break, as some devices want while they boot; only while a person has the wire."""
        wire = self.host.running.console(self.device)
        if wire is None or not wire.pump.is_joined or not self.taken:
            self.notify("take the wire first (F2), then F3 sends a break")
            return
        try:
            wire.pump.send_break()
        except LinkError as error:
            self.notify(str(error))

    def action_look_back(self) -> None:
        """Go through what the console showed, line by line, and back to the script."""
        console = self.query_one("#console", Console)
        if console.has_focus:
            self.query_one(ScriptView).focus()
        else:
            console.action_ends(-1)
            console.focus()

    def action_find(self) -> None:
        """Look for a text in what the console showed."""
        field = self.query_one("#find", Input)
        field.add_class("open")
        self.set_focus(field)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if not self.query_one("#console", Console).find(event.value):
            self.notify(f"{event.value!r} was not shown" if event.value else "type what to find")

    def on_key(self, event: events.Key) -> None:
        field = self.query_one("#find", Input)
        if event.key == "escape" and field.has_class("open") and not self.taken:
            event.stop()
            event.prevent_default()
            field.remove_class("open")
            self.query_one("#console", Console).focus()

    def action_recordings(self) -> None:
        """What was recorded of this device, to be played back."""
        self.app.push_screen(Recordings(self.line, self.host.job.folder.records))

    def action_again(self) -> None:
        """Look again and go on, after it needed you or differed."""
        self.host.running.resume(self.device)


class State(Watcher):
    """One row: how this device stands, on which link, for how long."""

    def __init__(self, line: DeviceLine) -> None:
        super().__init__(id="state")
        self.line = line

    def stamp(self) -> Hashable:
        ticking = turn() if self.line.mood is Mark.NOW else 0
        return (self.line.version, ticking, self.size)

    def render(self) -> RenderResult:
        line = self.line
        sent = sum(p.mark in (Mark.SENT, Mark.PROVED) for p in line.steps)
        text = Text(" ").append_text(shape(line.mood)).append(" ")
        text.append(sentence(line, self.size.width), Style(color=MOOD[line.mood], bold=True))
        text.append(f"   {sent} of {len(line.steps)} steps", SLATE)
        if line.began:
            text.append(f"   {minutes((line.ended or time.time()) - line.began)} in all", DIM)
        if line.link:
            text.append(f"   {line.link}", DIM)
        if line.mood is Mark.NEEDS_YOU and line.shown and not line.person_has_it:
            text.append(f"   it shows: {line.shown.strip()}", VIOLET)
        return text
