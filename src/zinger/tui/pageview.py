"""The page that a device shows now: what stands in each field, what is planned for it, and what the device says."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from typing import TYPE_CHECKING

from rich.style import Style
from rich.text import Text
from textual.app import RenderResult

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.document import Document, Form
from zinger.plan.values.secrets import MASK
from zinger.run.planned import FieldRow, pressed, rows_of
from zinger.tui.look import BRASS, DIM, GREEN, PAPER, ROSE, SLATE, fit
from zinger.tui.parts import Watcher

if TYPE_CHECKING:
    from zinger.run.pageswire import PagesWire


class PageView(Watcher):
    """One page; nothing while there is none."""

    def __init__(self, book: Phrasebook, wire: Callable[[], PagesWire | None]) -> None:
        super().__init__(id="page")
        self.book, self._wire = book, wire
        self._last: Document | None = None

    @property
    def page(self) -> Document | None:
        """The page that stands there; while the device is away, the last one that did."""
        wire = self._wire()
        if wire is not None and (now := wire.pump.conversation.pages.page) is not None:
            self._last = now
        return self._last

    def stamp(self) -> Hashable:
        page = self.page
        return (id(page), page.url if page else "", self._is_away, self.size)

    @property
    def _is_away(self) -> bool:
        wire = self._wire()
        return wire is None or wire.pump.conversation.pages.page is None

    def render(self) -> RenderResult:
        page, wire = self.page, self._wire()
        if page is None or wire is None:
            return Text(" no page stands there now", DIM)
        rows = list(self._rows(page, wire))
        room = max(3, self.size.height)
        if len(rows) > room:
            rows = [*rows[: room - 1], Text(f"   … {len(rows) - room + 1} rows more", DIM)]
        return Text("\n").join(rows)

    def _rows(self, page: Document, wire: PagesWire) -> Iterator[Text]:
        place = self.book.pages.recognise(page) if self.book.pages else None
        width = self.size.width
        title = Text.assemble(
            (f" {page.title or 'untitled'} ", Style(color=PAPER, bold=True)), (page.path, SLATE), ("  ", DIM)
        )
        if self._is_away:
            title.append("the last page before it went away; ", DIM)
        if page.status != 200:
            title.append(f"{page.status} ", ROSE)
        title.append(f"at {place[0].words}" if place else "unknown page", BRASS if place else ROSE)
        yield title
        refusal = self.book.pages.refusal(page) if self.book.pages else None
        for form in page.forms:
            yield from self._form(form, page, wire, place[0].name if place else "", refusal, width)
        if refusal and not refusal[1]:
            yield Text(f" ! {fit(refusal[0], width - 4)}", ROSE)
        labels = {field.label for form in page.forms for field in form.fields}
        for line in page.lines:
            if line.rstrip(" :*") not in labels:
                yield Text(f"   {fit(line, width - 4)}", DIM)

    def _form(
        self, form: Form, page: Document, wire: PagesWire, place: str, refusal: tuple[str, str] | None, width: int
    ) -> Iterator[Text]:
        button = pressed(form, wire.script, place)
        text = Text("   ")
        for each in form.buttons:
            mine = each is button
            text.append(f"( {each.label or each.name} )", Style(color=BRASS if mine else DIM, bold=mine)).append("  ")
        yield text
        rows = rows_of(form, page, wire.script, place)
        label = min(max((len(row.field.words) for row in rows), default=0), max(12, width // 2 - 8))
        shown = min(max((len(_shown(row)) for row in rows), default=1), max(6, (width - label) // 2 - 6))
        for row in rows:
            yield _field(row, label, shown, width)
            if refusal and refusal[1] == row.field.name:
                yield Text(f"     ! {fit(refusal[0], width - 8)}", ROSE)


def _shown(row: FieldRow) -> str:
    """What stands in a field."""
    if row.field.kind == "password":
        return MASK if row.field.value else "·"
    return row.field.shown.replace("\n", " / ") or "·"


def _field(row: FieldRow, label: int, shown: int, width: int) -> Text:
    """Its sign, what it is called, what stands in it, and what is planned where that is another thing."""
    sign, colour = ("●", GREEN) if row.is_as_planned else (("→", BRASS) if row.planned is not None else (" ", DIM))
    text = Text.assemble((f" {sign} ", colour), (fit(row.field.words, label).ljust(label), PAPER))
    if row.planned is None or row.is_as_planned:
        text.append(f"  {fit(_shown(row), max(6, width - label - 8))}", DIM)
    else:
        text.append(f"  {fit(_shown(row), shown).ljust(shown)}", DIM)
        text.append(f"  {fit(row.planned or '(empty)', max(6, width - label - shown - 8))}", BRASS)
    return text
