"""The page that a device shows now: what each field holds, what is planned for it, and what the device says.

With the wire in a person's hands it is filled in and its buttons are pressed here.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Coroutine, Hashable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

from rich.style import Style
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.suggester import SuggestFromList
from textual.widgets import Input, Static

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.document import Button, Document, Field, Form, Link
from zinger.phrasebook.words import masked
from zinger.plan.values.secrets import MASK, SecretRef
from zinger.run.planned import FieldRow, pressed, rows_of
from zinger.tui.look import BRASS, DIM, FAINT, GREEN, PAPER, ROSE, SLATE, VIOLET, fit
from zinger.tui.rows import Rows

if TYPE_CHECKING:
    from zinger.run.pagesbyhand import PagesByHand
    from zinger.run.pageswire import PagesWire


@dataclass(frozen=True)
class Row:
    """One row of the view: `what` is the thing that a person can do something with, None where there is nothing."""

    text: Callable[[int], Text]
    what: Field | tuple[Form, Button] | Link | str | None = None


class PageView(Rows):
    """One page; nothing while there is none. Only while a person has the wire does it have a cursor."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("left", "turn(-1)", "the offer before", show=False),
        Binding("right", "turn(1)", "the next offer", show=False),
        Binding("space", "fill_planned", "as planned", show=False),
        Binding("delete,backspace", "leave", "as it stands", show=False),
    ]

    def __init__(self, book: Phrasebook, wire: Callable[[], PagesWire | None]) -> None:
        super().__init__(id="page", cursor=False)
        self.book, self._wire = book, wire
        self._last: Document | None = None
        self._rows: list[Row] = []
        self._stamp: Hashable = None
        self.can_focus = False

    @property
    def page(self) -> Document | None:
        """The page that stands there; while the device is away, the last one that did."""
        wire = self._wire()
        if wire is not None and (now := wire.pump.conversation.pages.page) is not None:
            self._last = now
        return self._last

    @property
    def _is_away(self) -> bool:
        wire = self._wire()
        return wire is None or wire.pump.conversation.pages.page is None

    # -- as a list of rows -------------------------------------------------------------------------
    def look(self) -> None:
        """Take in another page, or what was filled in."""
        wire, page = self._wire(), self.page
        taken = wire is not None and wire.line.person_has_it
        filled = tuple(wire.by_hand.filled) if wire is not None and taken else ()
        stamp = (id(page), self._is_away, taken, filled, self.size)
        if stamp == self._stamp:
            return
        other = self._stamp is None or stamp[0] != self._stamp[0]  # type: ignore[index]
        self._stamp, self.shows_cursor, self.can_focus = stamp, taken, taken
        self._rows = list(self._laid_out(page, wire)) if page and wire else []
        self._drawn.clear()
        if other:
            self.scroll_home(animate=False)
            first = (i for i, row in enumerate(self._rows) if isinstance(row.what, (Field, tuple)))
            self.cursor = next(first, 0)
        self.redraw()

    def count(self) -> int:
        return max(1, len(self._rows))

    def key(self, index: int) -> Any:
        return self._rows[index].what if index < len(self._rows) else None

    def stamp(self, index: int) -> Hashable:
        return (self._stamp, index)

    def draw(self, index: int, width: int) -> Text:
        if not self._rows:
            return Text("no page is shown now", DIM)
        return self._rows[index].text(width)

    def _laid_out(self, page: Document, wire: PagesWire) -> Iterator[Row]:
        place = self.book.pages.recognise(page) if self.book.pages else None
        head = Text.assemble(
            (f"{page.title or 'untitled'} ", Style(color=PAPER, bold=True)), (page.path, SLATE), ("  ", DIM)
        )
        if self._is_away:
            head.append("the last page before it went away; ", DIM)
        if page.status != 200:
            head.append(f"{page.status} ", ROSE)
        head.append(f"at {place[0].words}" if place else "unknown page", BRASS if place else ROSE)
        yield Row(lambda width: head, page.path)
        refusal = self.book.pages.refusal(page) if self.book.pages else None
        if refusal and not refusal[1]:
            yield from self._told(refusal[0], "! ", ROSE)
        for form in page.forms:
            yield from self._form(form, page, wire, place[0].name if place else "", refusal)
        labels = {field.label for form in page.forms for field in form.fields}
        if wire.line.person_has_it:
            yield from (_link(link) for link in page.links if link.text)
        for line in page.lines:
            if line.rstrip(" :*") not in labels:
                yield from self._told(line, "  ", DIM)

    def _form(
        self, form: Form, page: Document, wire: PagesWire, place: str, refusal: tuple[str, str] | None
    ) -> Iterator[Row]:
        rows = rows_of(form, page, wire.script, place)
        label = max((len(row.field.words) for row in rows), default=0)
        for row in rows:
            given = wire.by_hand.given(row.field) if wire.line.person_has_it else None
            yield _field(row, label, masked(given) if given is not None else None)
            if refusal and refusal[1] == row.field.name:
                yield from self._told(refusal[0], "    ! ", ROSE)
        planned = pressed(form, wire.script, place)
        yield from (_button(form, button, button is planned) for button in form.buttons)

    def _told(self, words: str, before: str, colour: str) -> Iterator[Row]:
        """What the device says, whole: in as many rows as it needs."""
        for index, row in enumerate(textwrap.wrap(words, max(10, self.size.width - len(before) - 2))):
            text = Text(f"{before if index == 0 else ' ' * len(before)}{row}", colour)
            yield Row(lambda width, text=text: text)  # type: ignore[misc]

    # -- by hand -----------------------------------------------------------------------------------
    def fill_entry(self, entry: SecretRef) -> None:
        """Put an entry of the vault into the field at the cursor."""
        if isinstance(field := self.selected, Field):
            self.by_hand(lambda hand: hand.fill_entry(field, entry))
        else:
            self.notify("choose a field first")

    def action_turn(self, by: int) -> None:
        """The next offer of a choice, or a checkbox the other way."""
        if isinstance(field := self.selected, Field) and (field.is_choice or field.kind == "checkbox"):
            self.by_hand(lambda hand: hand.turn(field, by))

    def action_fill_planned(self) -> None:
        """Put in what is planned for this field."""
        if isinstance(field := self.selected, Field):
            self.by_hand(lambda hand: hand.fill_planned(field))

    def action_leave(self) -> None:
        """Leave this field as it is."""
        if isinstance(field := self.selected, Field):
            self.by_hand(lambda hand: hand.leave(field))

    def by_hand(self, act: Callable[[PagesByHand], None]) -> bool:
        """Do something that a person wants; returns whether it was done, and tells why it can't be."""
        from zinger.run.pagesbyhand import CannotDo

        if (wire := self._wire()) is None:
            return False
        try:
            act(wire.by_hand)
        except CannotDo as error:
            self.notify(str(error))
            return False
        self.look()
        return True


class FillLine(Horizontal):
    """The line in which a person types what goes into a field, or an address of the device."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "close", "leave it", priority=True, show=False)]

    def __init__(self) -> None:
        super().__init__(id="fill")
        self.field: Field | None = None

    def compose(self) -> ComposeResult:
        yield Static(id="fill-label")
        yield Input()

    def open_for(self, field: Field | None, stands: str) -> None:
        """Ask for what goes into a field, in which this stands; for none, for an address."""
        self.field, entry = field, self.query_one(Input)
        entry.password = field is not None and field.kind == "password"
        offers = [choice.label or choice.value for choice in field.choices] if field else []
        entry.suggester = SuggestFromList(offers, case_sensitive=False) if offers else None
        entry.placeholder = ", ".join(offers) if offers else "Enter takes it, Esc leaves it as it is"
        entry.value = "" if entry.password else stands
        self.query_one("#fill-label", Static).update(fit(field.words if field else "address", self.LABEL))
        self.add_class("open")
        entry.focus()

    LABEL = 30
    """Most characters of the label that are shown."""

    def action_close(self) -> None:
        """Leave the field as it is."""
        self.query_one(Input).value = ""
        self.remove_class("open")
        self.screen.query_one(PageView).focus()


class PagePane(Vertical):
    """The page, and what a person does on it while they have the wire."""

    def __init__(self, book: Phrasebook, wire: Callable[[], PagesWire | None]) -> None:
        super().__init__(id="page-pane")
        self.view, self.line, self._wire = PageView(book, wire), FillLine(), wire

    def compose(self) -> ComposeResult:
        yield self.view
        yield self.line

    def on_rows_chosen(self, event: Rows.Chosen) -> None:
        """Enter: a field is filled in, a button pressed, a link followed, an address opened."""
        wire, what = self._wire(), event.key
        if wire is None or not wire.line.person_has_it:
            return
        event.stop()
        if isinstance(what, Field) and what.kind == "checkbox":
            self.view.action_turn(1)
        elif isinstance(what, Field) and self.view.by_hand(lambda hand: hand.may_be_filled(what)):
            given = wire.by_hand.given(what)
            self.line.open_for(what, masked(given) if given is not None else what.shown)
        elif isinstance(what, Field):
            return
        elif isinstance(what, str):
            self.line.open_for(None, what)
        else:
            doing = wire.by_hand.follow(what) if isinstance(what, Link) else wire.by_hand.press(*what)
            self._send(doing)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        wire, field = self._wire(), self.line.field
        event.stop()
        text = event.value
        self.line.action_close()
        if wire is None:
            return
        if field is None:
            self._send(wire.by_hand.open(text.strip()))
        else:
            self.view.by_hand(lambda hand: hand.fill(field, text))

    def _send(self, doing: Coroutine[Any, Any, str]) -> None:
        async def send() -> None:
            if said := await doing:
                self.notify(said)
            self.view.look()

        self.run_worker(send(), exclusive=True, group="by hand")


def _link(link: Link) -> Row:
    return Row(lambda width: Text.assemble(("  ↗ ", FAINT), (fit(link.text, width - 4), SLATE)), link)


def _button(form: Form, button: Button, planned: bool) -> Row:
    style = Style(color=BRASS if planned else PAPER, bold=planned)
    return Row(
        lambda width: Text.assemble(("  ", DIM), (fit(f"( {button.label or button.name or 'submit'} )", width), style)),
        (form, button),
    )


def _shown(field: Field) -> str:
    """What a field holds."""
    if field.kind == "password":
        return MASK if field.value else "·"
    return field.shown.replace("\n", " / ") or "·"


def _field(row: FieldRow, longest: int, given: str | None) -> Row:
    """Its sign, what it is called, what it holds; what a person put in, else what is planned and differs."""

    def text(width: int) -> Text:
        label = min(longest, max(12, width // 2 - 8))
        room = max(6, width - label - 6)
        sign, colour = ("●", GREEN) if row.is_as_planned else (("→", BRASS) if row.planned is not None else (" ", DIM))
        new, new_colour = (given, VIOLET) if given is not None else (row.planned, BRASS)
        sign, colour = ("✎", VIOLET) if given is not None else (sign, colour)
        line = Text.assemble((f"{sign} ", colour), (fit(row.field.words, label).ljust(label), PAPER))
        if new is None or (given is None and row.is_as_planned):
            return line.append(f"  {fit(_shown(row.field), room)}", DIM)
        stands = min(len(_shown(row.field)), max(6, room // 2))
        line.append(f"  {fit(_shown(row.field), stands)}", DIM)
        return line.append(f"  {fit(new or '(empty)', room - stands - 2)}", new_colour)

    return Row(text, row.field)
