"""The whole file: the card, and the book if the family is spoken to."""

from __future__ import annotations

import re
from dataclasses import replace

from zinger.phrasebook.book import ActiveCall, Card, Phrasebook, Reading, Take
from zinger.phrasebook.compile.card import CardSection
from zinger.phrasebook.compile.pages import PagesSection
from zinger.phrasebook.compile.places import PlacesSection
from zinger.phrasebook.compile.readings import ReadingsSection
from zinger.phrasebook.compile.section import CALL_NAMES, IDENTITIES, Section
from zinger.phrasebook.compile.steps import StepsSection
from zinger.phrasebook.shapes import BookShape, CardShape
from zinger.phrasebook.source import FamilySource, PhrasebookError
from zinger.phrasebook.steps import FileTemplate, StepTemplate
from zinger.plan.problems import Problem


def compile_family(source: FamilySource, shape: CardShape) -> tuple[Card, Phrasebook | None]:
    """The card, and the book if there is one; raises PhrasebookError with every problem of the file."""
    problems: list[Problem] = []
    card = CardSection(source, shape, problems).card()
    book = _book(source, shape, card, problems) if isinstance(shape, BookShape) else None
    if problems:
        raise PhrasebookError(problems)
    return card, book


def _book(source: FamilySource, shape: BookShape, card: Card, problems: list[Problem]) -> Phrasebook:
    """The book of a file, and what follows in it."""
    book = _part(source, shape, card, problems)
    if shape.then is None:
        return replace(book, told=frozenset(book.steps))
    part = source.part("then")
    follows = BookShape.model_construct(**{**dict(shape), **dict(shape.then), "then": None})
    section = Section(part, follows, problems)
    if not any(place.page is not None for place in shape.then.places.values()):
        section.bad(["places"], "what follows goes over pages; give its places a page")
    for name in shape.settings.keys() & shape.then.settings.keys():
        section.bad(["settings", name], f"{name} is sent in the first part already; leave it out in one of the two")
    then = _part(part, follows, card, problems)
    told = frozenset((*book.steps, *then.steps))
    then = replace(then, saves=tuple(_named_apart(save) for save in then.saves), told=told)
    return replace(book, then=then, told=told)


def _named_apart(save: StepTemplate) -> StepTemplate:
    """What saves in the part that follows is another step than what saves in the first."""
    return replace(save, setting=f"then.{save.setting}")


def _part(source: FamilySource, shape: BookShape, card: Card, problems: list[Problem]) -> Phrasebook:
    facts = frozenset(fact for reading in shape.readings.values() for fact in reading.take)
    map_, terminal = PlacesSection(source, shape, problems).map_and_terminal(shape)
    readings = ReadingsSection(source, shape, problems)
    steps = StepsSection(source, shape, problems, facts=facts)
    settings = steps.settings(shape)
    files = {name: steps.file(name, f, shape) for name, f in shape.files.items()}
    _check_ends(Section(source, shape, problems), shape, facts)
    return Phrasebook(
        card=card,
        map=map_,
        terminal=terminal,
        pages=PagesSection(source, shape, problems).pages(shape, map_.places),
        home=shape.home,
        view=shape.view or shape.home,
        steps=settings,
        readings=_with_files({name: readings.reading(name, r) for name, r in shape.readings.items()}, files),
        saves=steps.saves(shape),
        identity=shape.identity,
        prepare=tuple(steps.step(["prepare", i], f"prepare.{i}", p) for i, p in enumerate(shape.prepare)),
        interviews={name: steps.interview(name, i, settings, readings) for name, i in shape.interviews.items()},
        administrator=shape.administrator or "",
        restart=steps.step(["restart"], "restart", shape.restart) if shape.restart else None,
        backup=readings.backup(shape.backup) if shape.backup else None,
        active_call=_active_call(Section(source, shape, problems), shape, facts),
        files=files,
        restore=steps.brings_back(shape.restore) if shape.restore else None,
    )


def _active_call(section: Section, shape: BookShape, facts: frozenset[str]) -> ActiveCall | None:
    call = shape.active_call
    if call is None:
        return None
    section.one_of(["active_call", "read"], "fact", call.read, facts)
    section.template(["active_call", "shows"], call.shows, CALL_NAMES)
    return ActiveCall(call.read, call.shows)


def _with_files(readings: dict[str, Reading], files: dict[str, FileTemplate]) -> dict[str, Reading]:
    """The readings, with the lines of generated files among what they take."""
    for file in files.values():
        if (reading := readings.get(file.pulled)) is not None:
            but = "".join(f"(?!.*?(?:{pattern.pattern}))" for pattern in file.ignores)
            whole = Take(file.fact, re.compile(rf"^{but}(?P<value>.*\S)"))
            readings[file.pulled] = replace(reading, take={**reading.take, file.fact: whole})
    return readings


def _check_ends(section: Section, shape: BookShape, facts: frozenset[str]) -> None:
    """The places where people end, and the facts that tell the right device, must exist."""
    for key, place in (
        ("home", shape.home),
        ("view", shape.view or shape.home),
        ("administrator", shape.administrator or shape.home),
    ):
        section.known_place([key], place)
    for what, fact in shape.identity.items():
        section.one_of(["identity", what], "mark of a device", what, IDENTITIES)
        section.one_of(["identity", what], "fact", fact, facts)
