"""`zinger family`: list, look at, begin, examine and try phrasebooks."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import DONE, FINDINGS, CommandError, Json, print_json
from zinger.wording import counted

if TYPE_CHECKING:
    from collections.abc import Iterator

    from zinger.phrasebook.begin import Start
    from zinger.phrasebook.book import Card, Phrasebook
    from zinger.phrasebook.document import Document
    from zinger.plan.problems import Problem
    from zinger.talk.replay import Heard


family = typer.Typer(help="Families: list, show, check, begin and try phrasebooks.", no_args_is_help=True)


def _found(name: str) -> tuple[Card, Phrasebook | None, str]:
    """A family by the name of a shipped one or by its file; raises CommandError or PhrasebookError."""
    from zinger.files import read_text
    from zinger.phrasebook.load import Families, load_family
    from zinger.wording import did_you_mean

    path = Path(name)
    if path.suffix in (".yaml", ".yml") or path.is_file():
        return *load_family(read_text(path), path.name), path.name
    families = Families()
    if name not in families:
        known = ", ".join(families)
        raise CommandError(f"no family is called {name}{did_you_mean(name, families)}; give one of {known}, or a file")
    return *families.both(name), f"{name}.yaml"


def _spoken(name: str) -> tuple[Phrasebook, str]:
    card, book, file = _found(name)
    if book is None:
        raise CommandError(f"{card.title} has a factory card only; there is no map yet")
    return book, file


@family.command("list")
def list_(as_json: Json = False) -> None:
    """The families that ship with Zinger."""
    from zinger.phrasebook.load import Families

    families = Families()
    if as_json:
        print_json(
            [
                {"family": name, "title": card.title, "kind": card.kind, "spoken": name in families.books}
                for name, card in families.items()
            ]
        )
        return
    for name, card in families.items():
        state = f"{len(families.books[name].told)} settings" if name in families.books else "factory card only"
        print(f"{name:<14} {card.title:<14} {card.kind:<26} {state}")


@family.command()
def show(
    name: Annotated[str, typer.Argument(help="a family, or a phrasebook's file", metavar="FAMILY")],
    svg: Annotated[Path | None, typer.Option(help="draw the map as SVG")] = None,
    pdf: Annotated[Path | None, typer.Option(help="draw the map as PDF")] = None,
) -> None:
    """Draw the map of a family: its places, and the moves between them."""
    from zinger.phrasebook.outline import outline

    book, _ = _spoken(name)
    if svg or pdf:
        from zinger.handover.map import write_map

        for file in write_map(book, svg, pdf):
            print(file)
        return
    print(f"{book.title}: {len(book.places)} places, {len(book.map.moves)} moves, {len(book.told)} settings\n")
    for part in book.parts:
        if part is not book:
            print(f"\nthen, on its pages: {len(part.places)} places, {len(part.map.moves)} moves\n")
        for line in outline(part):
            print(line)


@family.command()
def check(
    name: Annotated[str, typer.Argument(help="a family, or a phrasebook's file", metavar="FAMILY")],
    as_json: Json = False,
    recordings: Annotated[
        list[Path] | None,
        typer.Option("--har", metavar="FILE", help="and required fields of these recorded pages that nothing fills"),
    ] = None,
    rewrite: Annotated[
        bool, typer.Option("--rewrite", help="first put the file into today's words of the language")
    ] = False,
) -> None:
    """Find dead ends, places that look alike, patterns that run away, and what nothing sends or reads."""
    from zinger.phrasebook.examine import examine
    from zinger.plan.problems import Severity
    from zinger.script.coverage import uncovered

    if rewrite:
        _rewrite(Path(name))
    book, file = _spoken(name)
    problems = [*examine(book, file), *uncovered(book, file), *_never_filled(book, file, recordings or [])]
    if as_json:
        print_json(
            [
                {"id": p.id, "severity": p.severity.value, "key": p.spot.key, "what": p.what, "do": p.do}
                for p in problems
            ]
        )
    else:
        for problem in problems:
            print(f"{problem.severity.value:<6} {problem}  [{problem.id}]")
        errors = sum(p.severity is Severity.ERROR for p in problems)
        print(f"{book.title}: {counted(errors, 'error')}, {counted(len(problems) - errors, 'warning')}")
    raise typer.Exit(FINDINGS if any(p.severity is Severity.ERROR for p in problems) else DONE)


def _never_filled(book: Phrasebook, file: str, recordings: list[Path]) -> list[Problem]:
    from zinger.phrasebook.unfilled import never_filled

    pages = [page for recording in recordings for _, _, page in _pages_of(book, recording) if page is not None]
    return never_filled(on_pages(book), file, pages) if pages else []


@family.command()
def words(
    setting: Annotated[str, typer.Argument(metavar="[SETTING]", help="only this one, and how it is written")] = "",
    table: Annotated[bool, typer.Option("--table", help="as a table of Markdown")] = False,
    as_json: Json = False,
) -> None:
    """What each shipped family can be told, shows and is owed, setting by setting."""
    from zinger.phrasebook.load import Families
    from zinger.plan.settings import SETTINGS
    from zinger.script.coverage import coverage, in_markdown
    from zinger.wording import did_you_mean

    books = Families().books
    if setting and setting not in SETTINGS:
        raise CommandError(f"no setting is called {setting!r}{did_you_mean(setting, SETTINGS)}")
    if table:
        print(in_markdown(books), end="")
        return
    found = {
        name: {row.setting: row.words for row in coverage(books[name]) if setting in ("", row.setting)}
        for name in books
    }
    if as_json:
        print_json(found)
        return
    if setting:
        from zinger.plan.reference import of_setting

        print(of_setting(SETTINGS[setting]), end="\n\n")
        for name, rows in found.items():
            print(f"{books[name].title:<16} {rows.get(setting, 'does not have it')}")
        return
    for name, rows in found.items():
        print(f"{books[name].title}")
        for setting, cell in rows.items():
            print(f"  {setting:<28} {cell}")


def _rewrite(file: Path) -> None:
    """Put a phrasebook's file into today's words, whole or not at all."""
    from zinger.files import read_text, write_whole
    from zinger.phrasebook.renamed import rewritten

    text = read_text(file)
    new = rewritten(text, file.name)
    if new == text:
        print(f"{file} is in today's words already", file=sys.stderr)
    else:
        write_whole(file, new.encode())
        print(f"{file} is in today's words now", file=sys.stderr)


@family.command("new")
def new(
    name: Annotated[str, typer.Argument(help="such as quern-s4", metavar="FAMILY")],
    file: Annotated[Path | None, typer.Option(help="default: FAMILY.yaml here")] = None,
    prompt: Annotated[
        str | None, typer.Option(help="the prompt as it stands on the screen, with HOSTNAME in it")
    ] = None,
    login: Annotated[str | None, typer.Option(help="the question for the name at sign-in")] = None,
    password: Annotated[str | None, typer.Option(help="the question for the password at sign-in")] = None,
    pages: Annotated[
        str | None, typer.Option(metavar="ADDRESS", help="it has pages: its factory address, such as 192.0.2.5/24")
    ] = None,
    har: Annotated[
        Path | None,
        typer.Option("--from-har", metavar="FILE", help="a draft from a set-up by hand, which a browser saved as HAR"),
    ] = None,
    wire: Annotated[
        Path | None,
        typer.Option("--from-wire", metavar="FILE", help="a draft from a recording of `zinger wire`, by its marks"),
    ] = None,
    job: Annotated[Path | None, typer.Option(metavar="FOLDER", help="with --from-har: the job that plans it")] = None,
    device: Annotated[str, typer.Option(metavar="NAME", help="with --from-har: the device that was set up")] = "",
) -> None:
    """Write a commented start of a phrasebook, which can be loaded and examined at once; asks for what is not given."""
    from zinger.files import write_whole
    from zinger.phrasebook.begin import commented_start, start_of_pages
    from zinger.store.folder import JobFolderError

    where = file or Path(f"{name}.yaml")
    if where.exists():
        raise JobFolderError(f"{where} is there already; give another name, or --file")
    if har is not None:
        _draft(name, har, job, device, where)
        return
    try:
        if wire is not None:
            text = _from_wire(name, wire)
        elif pages is not None:
            text = start_of_pages(name, pages)
        else:
            text = commented_start(name, _asked(prompt, login, password))
    except ValueError as error:
        raise CommandError(str(error)) from None
    write_whole(where, text.encode())
    print(f"{where} is begun; next: zinger family check {where}")


def _from_wire(name: str, file: Path) -> str:
    """A start from what a person marked at a wire; raises ValueError and RecordingError."""
    from zinger.phrasebook.learn.wire import draft_of_wire, notes_of
    from zinger.store.recording import events_of

    found = notes_of(events_of(file))
    what = {"prompt": found.prompts, "line of noise": found.noise, "line that saves": found.saves}
    marked = ", ".join(f"{word}: {len(lines)}" for word, lines in what.items())
    print(f"marked: {marked}; seen: {counted(len(found.blind), 'question')} without an echo, "
          f"{counted(len(found.pagers), 'pager')}")  # fmt: skip
    return draft_of_wire(name, found)


def _draft(name: str, har: Path, job: Path | None, device: str, where: Path) -> None:
    """A draft from a recording, and the questions that are left, most valuable first."""
    from zinger.desk.learning import learned
    from zinger.files import write_whole
    from zinger.phrasebook.begin import check_name
    from zinger.store.folder import JobFolder

    if job is None or not device:
        raise CommandError("a draft from a recording needs the plan: give --job FOLDER and --device NAME")
    try:
        check_name(name)
    except ValueError as error:
        raise CommandError(str(error)) from None
    draft = learned(name, har, JobFolder(job), device)
    write_whole(where, draft.text.encode())
    print(f"{where}: {len(draft.text.splitlines())} lines, {counted(draft.pages, 'place')}")
    print(f"of {device}'s {counted(draft.planned, 'planned setting')}, {draft.said} are set and {draft.shown} shown")
    if draft.ignored:
        print(f"{counted(draft.ignored, 'request')} of other hosts, pictures and scripts left out")
    if draft.questions:
        print(f"\n{counted(len(draft.questions), 'question')}, most valuable first; they stand in the draft, marked ?:")
    for number, question in enumerate(draft.questions, 1):
        print(f"{number:3}  {question.where}: {question.text}")
    print(f"\nnext: zinger family check {where}, and zinger family try {where} {har}")


def _asked(prompt: str | None, login: str | None, password: str | None) -> Start:
    """What stands on a terminal, as given or asked for."""
    from zinger.phrasebook.begin import Start

    return Start(
        [_fact(prompt, "the prompt, with HOSTNAME where the name is", "HOSTNAME in base, do: ")],
        _fact(login, "the question for the name at sign-in", "name: "),
        _fact(password, "the question for the password at sign-in", "password: "),
    )


def _fact(given: str | None, question: str, example: str) -> str:
    """A fact as given, or as a person at the terminal says; elsewhere an example of it."""
    if given is not None or not sys.stdin.isatty():
        return example if given is None else given
    said = str(typer.prompt(f"{question} [{example!r}]", default="", show_default=False))
    return f"{said.rstrip()} " if said.strip() else example


@family.command("try")
def try_(
    name: Annotated[str, typer.Argument(help="a family, or a phrasebook's file", metavar="FAMILY")],
    recording: Annotated[Path, typer.Argument(help="an asciicast v2 or HAR recording", metavar="RECORDING")],
    only_unknown: Annotated[bool, typer.Option("--unknown", help="only lines that nothing recognises")] = False,
) -> None:
    """Replay a recording through the map, and say line by line what was recognised."""
    book, _ = _spoken(name)
    unknown = 0
    for heard in _heard_of_pages(book, recording) if recording.suffix == ".har" else _heard(book, recording):
        unknown += heard.kind in ("", "unknown")
        if not only_unknown or heard.kind in ("", "unknown"):
            print(f"{heard.at:8.2f}  {heard.kind or '-':<8} {heard.name:<34} {heard.text}")
    print(f"{unknown} lines that nothing recognises")


def _heard(book: Phrasebook, recording: Path) -> Iterator[Heard]:
    from zinger.store.recording import events_of
    from zinger.talk.replay import replay

    return replay(events_of(recording), book)


def _heard_of_pages(book: Phrasebook, recording: Path) -> Iterator[Heard]:
    from zinger.talk.replay import replay_pages

    return replay_pages(_pages_of(book, recording), on_pages(book))


def on_pages(book: Phrasebook) -> Phrasebook:
    """The part of a family that stands on pages; raises CommandError where none does."""
    found = next((part for part in book.parts if part.pages is not None), None)
    if found is None:
        raise CommandError(f"{book.title} has no pages; a HAR recording tells nothing of it")
    return found


def _pages_of(book: Phrasebook, recording: Path) -> Iterator[tuple[float, str, Document | None]]:
    """What was asked in a recording, when (seconds), and the page that came; pictures and scripts left out."""
    from zinger.desk.learning import seen_of
    from zinger.phrasebook.learn.deeds import without_static
    from zinger.store.har import exchanges_of
    from zinger.talk.pages.surface import parsed

    on_pages(book)
    exchanges = list(exchanges_of(recording))
    kept = {seen.number for seen in without_static(seen_of(number, one) for number, one in enumerate(exchanges))}
    for number, one in enumerate(exchanges):
        if number in kept:
            yield one.at, one.asked, parsed(one.answer) if one.answer else None


@family.command("schema")
def schema_() -> None:
    """The JSON Schema of phrasebooks, for completion in an editor."""
    from zinger.phrasebook.load import schema

    print_json(schema())
