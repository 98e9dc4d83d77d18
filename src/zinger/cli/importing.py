"""`zinger import`: somebody's build sheet looked at, corrected, answered for, and only then taken into a job."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import FINDINGS, PERSON, CommandError
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.desk.incoming import Effect, Incoming
    from zinger.plan.files.transfer import Imported, Proposal

_LINES = 40
Several = list[str] | None


def import_(
    sheet: Annotated[Path, typer.Argument(help="CSV, XLSX, YAML or JSON; with --undo the job", metavar="SHEET")],
    job: Annotated[Path | None, typer.Argument(help="the job's folder, there or new", metavar="JOB")] = None,
    yes: Annotated[bool, typer.Option("--yes", "-y", help="take it; without, it is only shown")] = False,
    whole: Annotated[bool, typer.Option("--whole", help="take nothing if a row can't be taken")] = False,
    column: Annotated[
        Several, typer.Option("--column", metavar="HEADING=SETTING", help="what a heading means; empty only keeps it")
    ] = None,
    cell: Annotated[Several, typer.Option("--set", metavar="G12=TEXT", help="another text in one cell")] = None,
    row: Annotated[
        Several, typer.Option("--row", metavar="ROW=DEVICE", help="which device a row is; or ROW=new, ROW=skip")
    ] = None,
    for_all: Annotated[
        Several, typer.Option("--all", metavar="site=NAME", help="the site, role or family of all rows")
    ] = None,
    remove: Annotated[
        Several, typer.Option("--remove", metavar="DEVICE", help="a device that is not in the sheet goes; `all`: each")
    ] = None,
    only: Annotated[str, typer.Option("--sheet", metavar="NAME", help="one sheet of a workbook")] = "",
    everything: Annotated[bool, typer.Option("--long", help=f"list all, not {_LINES} of a kind")] = False,
    undo: Annotated[bool, typer.Option("--undo", help="take the last import back")] = False,
    force: Annotated[bool, typer.Option("--force", help="with --undo: even what was changed since")] = False,
) -> None:
    """Bring somebody's build sheet into a job: a new one, or one that has devices already. Shown first, always."""
    if undo:
        _undo(job or sheet, force)
        return
    if job is None:
        raise CommandError("give the job's folder too: zinger import SHEET JOB")
    from zinger.desk.incoming import Incoming

    incoming = Incoming(job, sheet.stem.replace("_", " "), sheet)
    incoming.answers = dict(_pair(text, "--row") for text in row or [])
    incoming.remove = None if remove and "all" in remove else tuple(remove or ())
    proposal = _decided(incoming.look(sheet, only), column, cell, for_all)
    lines = None if everything else _LINES
    _print_proposal(proposal, lines)
    imported = incoming.read(proposal)
    _print_bad(imported, lines)
    try:
        effect = incoming.effect(imported)
    except ValueError as error:
        raise CommandError(str(error)) from None
    _print_effect(effect, lines)
    _ask_for_all(proposal, effect)
    _take(incoming, proposal, effect, yes=yes, whole=whole)


def _pair(text: str, option: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals or not name:
        raise CommandError(f"{option} {text} says nothing; write it like {option} NAME=VALUE")
    return name.strip(), value.strip()


def _decided(proposal: Proposal, column: Several, cell: Several, for_all: Several) -> Proposal:
    """The proposal with what a person said on the command line."""
    try:
        for decision in column or []:
            heading, _, meaning = decision.rpartition("=") if "=" in decision else (decision, "", "")
            proposal = proposal.decide(heading, meaning)
        for text in for_all or []:
            proposal = proposal.say_for_all(*_pair(text, "--all"))
        proposal = proposal.correct(dict(_pair(text, "--set") for text in cell or []))
    except ValueError as error:
        raise CommandError(str(error)) from None
    return proposal


def _ask_for_all(proposal: Proposal, effect: Effect) -> None:
    """Refuse what does not say where its new devices are, or what they are."""
    for meaning in effect.unsaid:
        names = [part.table.name for part in proposal.parts if part.table.name and meaning == "site"]
        hint = f" (it is called {', '.join(names)})" if names else ""
        print(f"\nthe sheet{hint} does not say the {meaning} of new devices: give --all '{meaning}=NAME'")
    if effect.unsaid:
        raise typer.Exit(PERSON)


def _take(incoming: Incoming, proposal: Proposal, effect: Effect, *, yes: bool, whole: bool) -> None:
    from zinger.plan.files.merging import Fate

    asked, bad = effect.counts[Fate.ASKED], effect.counts[Fate.BAD]
    print(f"\n{effect.summary}")
    if whole and (asked or bad):
        raise CommandError(f"{counted(asked + bad, 'row')} can't be taken; nothing was written, as --whole says")
    if not effect.takes and not effect.of(Fate.REMOVED):
        raise CommandError("there is no row that can be taken; nothing was written")
    if not yes and not _agreed():
        raise typer.Exit(PERSON)
    there = (incoming.target / "job.yaml").exists()
    folder = incoming.take(proposal, effect)
    left = f"; {counted(asked + bad, 'row')} left out, listed above" if asked or bad else ""
    print(f"{counted(effect.takes, 'device')} taken into {folder}{left}")
    print(f"next: zinger check {folder}" + (f"    back: zinger import --undo {folder}" if there else ""))
    if asked or bad:
        raise typer.Exit(PERSON if asked else FINDINGS)


def _agreed() -> bool:
    if not sys.stdin.isatty():
        print("zinger: look at it, then give --yes. Nothing was written.", file=sys.stderr)
        return False
    return typer.confirm("take it?")


def _undo(job: Path, force: bool) -> None:
    from zinger.store.folder import JobFolder
    from zinger.store.undo import take_back

    before = take_back(JobFolder(job), force)
    at = time.strftime("%d %B %H:%M", time.localtime(before.at))
    print(f"the files of {job} are as they were before the import of {at} ({before.words})")


# -- what is printed -----------------------------------------------------------------------------------
def _print_proposal(proposal: Proposal, lines: int | None) -> None:
    from zinger.plan.files.headings import holds_passwords

    for part in proposal.parts:
        table = part.table
        where = f"{proposal.file}{', sheet ' + table.name if table.name else ''}"
        code = f", read as {table.encoding}" if table.encoding not in ("", "utf-8") else ""
        site = f", all of site {part.site}" if part.site else ""
        print(f"{where}: {counted(len(part.devices.rows), 'device')}{code}{site}")
        for match in part.matches:
            if match.heading:
                mark = " " if match.sure else "?" if match.meaning else "-"
                sure = f", {match.score:.0%}" if match.meaning and not match.sure else ""
                print(f"  {mark} {match.heading:<28} {match.meaning or '(kept)':<24} {match.how}{sure}")
        for match in part.matches:
            if not match.meaning and holds_passwords(match.heading):
                print(f"  {match.heading!r} has passwords for all to read: put them into the vault, remove the column")
        for text, count in part.no_values.items():
            print(f"  {counted(count, 'cell')} with {text!r}: no value")
        _print_list((f"  row {number} is not a device: {why}" for number, why in part.left_out), lines)
    for meaning, text in proposal.for_all.items():
        print(f"  the {meaning} of all: {text}")
    if proposal.filled:
        print(f"  {counted(proposal.filled, 'blank site cell')} filled from the site above")
    if proposal.left_out:
        print(f"  left out, no devices in them: {', '.join(proposal.left_out)}")


def _print_bad(imported: Imported, lines: int | None) -> None:
    if imported.bad:
        print(f"\n{counted(len(imported.bad), 'cell')} can't be read:")
        _print_list((f"  {problem}{_as_option(bad)}" for bad, problem in _bad_cells(imported)), lines)


def _bad_cells(imported: Imported) -> Iterable[tuple[tuple[str, str], str]]:
    for cell in imported.bad:
        yield (cell.cell, cell.meant), str(cell.problem)


def _as_option(bad: tuple[str, str]) -> str:
    cell, meant = bad
    return f" --set '{cell}={meant}'" if meant and "'" not in meant else ""


def _print_effect(effect: Effect, lines: int | None) -> None:
    from zinger.plan.files.merging import NEW, SKIP, Fate

    for fate in (Fate.NEW, Fate.CHANGED, Fate.KEPT, Fate.REMOVED, Fate.SKIPPED):
        found = effect.of(fate)
        if found:
            print(f"\n{fate}:" if fate is not Fate.KEPT else "\nkept, since the sheet does not have them (--remove):")
        if found and fate is Fate.NEW and not effect.of(Fate.CHANGED, Fate.SAME, Fate.KEPT, Fate.ASKED):
            print(f"  {counted(len(found), 'device')}")
            continue
        rows = []
        for laid in found:
            row = f"row {laid.key}" if laid.key else ""
            by = f"by {laid.by}" if laid.by else ""
            first = f"  {row:<9} {laid.name:<20} {by:<14}"
            changes = [f"{c.heading:<20} {c.before or '(empty)':<22} -> {c.after or '(empty)'}" for c in laid.changes]
            rows += [f"{first if not i else ' ' * len(first)} {change}" for i, change in enumerate(changes or [""])]
        _print_list(rows, lines)
    asked = effect.of(Fate.ASKED)
    if asked:
        print("\nasked:")
    for laid in asked[:lines]:
        print(f"  row {laid.key}, {laid.name}: {laid.question}")
        for choice in (*laid.choices, NEW, SKIP):
            print(f"      --row '{laid.key}={choice}'")
    for key, name in effect.sites.items():
        print(f"\nthe job gets the site {name} as {key}")
    if effect.roles:
        print(f"\nthe job gets the {'role' if len(effect.roles) == 1 else 'roles'} {', '.join(effect.roles)}")


def _print_list(found: Iterable[str], lines: int | None) -> None:
    """At most so many lines, and how many more there are."""
    listed = list(found)
    print("".join(f"{line.rstrip()}\n" for line in listed[:lines]), end="")
    if lines is not None and len(listed) > lines:
        print(f"  and {len(listed) - lines} more; --long lists all")
