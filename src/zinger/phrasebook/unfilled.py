"""Fields that a page requires and that nothing of a phrasebook fills: seen on a recording, before a device is."""

from __future__ import annotations

from collections.abc import Iterator

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.document import Document, Field, Form
from zinger.phrasebook.map import Act
from zinger.phrasebook.pages import FILLS, PageAct
from zinger.phrasebook.steps import AnswerTemplates, PageReply, PageTemplates, ReplyTemplate
from zinger.plan.problems import Problem, Spot, warning_at


def never_filled(book: Phrasebook, file: str, pages: list[Document]) -> list[Problem]:
    """A warning for every field of these pages that is required, is empty, and is filled by nothing; and for every
    page with a form that no place of the family is."""
    found: dict[tuple[str, str], Problem] = {}
    for page in pages:
        known = book.pages.recognise(page) if book.pages else None
        if known is None and page.forms:
            found["", page.words] = warning_at(
                "page-not-known",
                Spot(file, None, "places"),
                f"no place of the family is the page {page.words}, so its fields were not looked at",
                "Say in `places` what it shows, if anything is to be filled there",
            )
        for field in unfilled(book, page):
            place = known[0].name if known else ""
            found[place, field.words] = warning_at(
                "required-not-filled",
                Spot(file, None, f"places.{place}"),
                f"the page {page.words} requires {field.words!r}, and nothing fills it there",
                "Fill it in a setting, a move or a question script; else what is submitted there is refused",
            )
    return list(found.values())


def unfilled(book: Phrasebook, page: Document) -> Iterator[Field]:
    """The fields that a page requires, that stand empty, and that nothing fills: in forms that something submits."""
    known = book.pages.recognise(page) if book.pages else None
    acts = list(_acts_at(book, known[0].name)) if known else []
    for form in page.forms:
        mine = [act for act in acts if _is_about(act, form)]
        names = {name for act in mine for name in _names(act)}
        if not mine or any("{" in name for name in names):
            continue  # nothing submits it, or what it fills is known on a device only
        filled = [field for name in names if (field := form.find(name)) is not None]
        for field in form.shown_fields:
            empty = not field.value and field.kind not in ("checkbox", "radio", "select", "file")
            if field.required and empty and field not in filled:
                yield field


def _acts_at(book: Phrasebook, place: str) -> Iterator[PageAct]:
    """Everything that is submitted at a place."""
    for move in book.map.moves_from(place):
        yield from _page_acts(move.act)
    for _, step in book.every_step():
        if isinstance(step.what, PageTemplates):
            at = step.how.at
            for turn in step.what.turns:
                if at == place:
                    yield from _page_acts(turn.act)
                at = turn.to or at
        if isinstance(step.what, (PageTemplates, AnswerTemplates)):
            yield from _replied(step.what.replies.get(place))
    for interview in book.interviews.values():
        yield from _replied(interview.otherwise.get(place))


def _replied(reply: ReplyTemplate | None) -> Iterator[PageAct]:
    for turn in reply.turns if isinstance(reply, PageReply) else ():
        yield from _page_acts(turn.act)


def _page_acts(act: Act) -> Iterator[PageAct]:
    if isinstance(act, PageAct) and act.submits:
        yield act


def _names(act: PageAct) -> Iterator[str]:
    """The fields that an act fills, as templates."""
    for name in act.fields:
        yield name
    for row in act.rows.splitlines():
        name, between, _ = row.partition(FILLS)
        if between:
            yield name.strip()


def _is_about(act: PageAct, form: Form) -> bool:
    """Whether an act submits this form: it has the button, and one of the fields."""
    if act.button and form.button(act.button) is None:
        return False
    names = list(_names(act))
    return not names or any("{" in name or form.find(name) is not None for name in names)
