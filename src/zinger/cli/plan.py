"""The commands about the plan: check, export, numbers. Each asks a room and prints what comes back."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import DONE, FINDINGS, CommandError, JobArg, Json, print_json
from zinger.wording import counted

if TYPE_CHECKING:
    from zinger.plan.model import Plan
    from zinger.plan.problems import Problem


def check(
    job: JobArg,
    as_json: Json = False,
    sheet: Annotated[str, typer.Option(metavar="FILE", help="another build sheet in the job's folder")] = "",
    repairs: Annotated[bool, typer.Option("--repairs", help="show what each repair would change")] = False,
    only: Annotated[list[str] | None, typer.Option("--only", metavar="ID", help="findings of this kind only")] = None,
    everything: Annotated[bool, typer.Option("--long", help="each finding, however many there are of a kind")] = False,
    explain: Annotated[
        tuple[str, str] | None, typer.Option("--explain", metavar="DEVICE SETTING", help="where one value comes from")
    ] = None,
) -> None:
    """Say everything that is wrong with the plan, before a cable is touched."""
    from zinger.plan.problems import Cause, Severity, causes
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan

    plan = OpenPlan(JobFolder(job), sheet).plan
    if explain is not None:
        _explain(plan, *explain, as_json=as_json)
        return
    problems = _of_kind(plan.problems, only)
    if as_json:
        print_json([_as_data(problem) for problem in problems])
    else:
        told = [Cause((problem,)) for problem in problems] if everything or only else causes(problems)
        for cause in told:
            problem, more = cause.first, len(cause.problems) > 1
            every = f"; all: zinger check {job} --only {problem.id}" if more else ""
            print(f"{problem.severity.value:<7} {cause}  [{problem.id}{every}]")
            if repairs and problem.repair:
                print(f"       repair: {problem.repair.words}")
                for change in problem.repair.changes:
                    print(f"               {change}")
        errors = sum(p.severity is Severity.ERROR for p in problems)
        devices, warnings = len(plan.devices), len(problems) - errors
        print(f"{counted(devices, 'device')}, {counted(errors, 'error')}, {counted(warnings, 'warning')}")
    raise typer.Exit(FINDINGS if plan.errors() else DONE)


def _of_kind(problems: tuple[Problem, ...], ids: list[str] | None) -> tuple[Problem, ...]:
    if not ids:
        return problems
    from zinger.plan.handbook import known_ids
    from zinger.wording import did_you_mean

    for id in ids:
        if id not in known_ids() and all(p.id != id for p in problems):
            raise CommandError(f"no check is called {id}{did_you_mean(id, known_ids())}; docs/checks.md lists them")
    return tuple(problem for problem in problems if problem.id in ids)


def _as_data(problem: Problem) -> dict[str, object]:
    repair = problem.repair
    return {
        "id": problem.id,
        "severity": problem.severity.value,
        "file": problem.spot.file,
        "line": problem.spot.line,
        "key": problem.spot.key,
        "devices": problem.devices,
        "setting": problem.setting,
        "what": problem.what,
        "do": problem.do,
        "repair": repair
        and {
            "words": repair.words,
            "changes": [{"path": c.path, "row": c.row, "text": c.text} for c in repair.changes],
        },
    }


def _explain(plan: Plan, device: str, name: str, as_json: bool) -> None:
    from zinger.plan.settings import SETTINGS
    from zinger.wording import did_you_mean

    names = [d.name for d in plan.devices]
    if device not in names:
        raise CommandError(f"the plan has no device {device}{did_you_mean(device, names)}")
    if name not in SETTINGS:
        by_title = {s.title.lower(): s.name for s in SETTINGS.values()}
        if name.lower() not in by_title:
            raise CommandError(f"no setting is called {name}{did_you_mean(name, [*SETTINGS, *by_title])}")
        name = by_title[name.lower()]
    setting, value = SETTINGS[name], plan.device(device).values.get(name)
    said = [] if value is None else [(value.value, value.origin), *value.overrode]
    if as_json:
        print_json(
            [
                {
                    "value": setting.text(v),
                    "origin": o.label,
                    "layer": o.layer.value,
                    "file": o.spot.file,
                    "line": o.spot.line,
                    "key": o.spot.key,
                }
                for v, o in said
            ]
        )
        return
    print(f"{device}, {setting.title} ({name}{', ' + setting.reference if setting.reference else ''})")
    if not said:
        print("  is not planned: no layer says it, and nothing tells it")
    for number, (typed, origin) in enumerate(said):
        print(f"  {'overrode ' if number else '':<9}{setting.show(typed):<32} {origin.label:<34} {origin.spot}")


def export(
    job: JobArg,
    file: Annotated[Path, typer.Argument(help="a file ending in .csv or .xlsx", metavar="FILE")],
    full: Annotated[bool, typer.Option("--full", help="every resolved value, wherever it comes from")] = False,
    force: Annotated[bool, typer.Option("--force", help="write over a file that is there")] = False,
) -> None:
    """Write the build sheet as CSV or XLSX, with every column that came in."""
    from zinger.desk.incoming import own_table
    from zinger.files import write_whole
    from zinger.plan.files.documents import table_to_csv, table_to_workbook
    from zinger.plan.files.jobfile import read_job
    from zinger.plan.files.transfer import full_table
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan

    folder = JobFolder(job)
    kind = file.suffix.lower()
    if kind not in (".csv", ".xlsx"):
        raise CommandError(f"{file} ends in neither .csv nor .xlsx; name the file so")
    if file.exists() and not force:
        raise CommandError(f"{file} is there already; give another name, or --force")
    if full:
        headings, rows = full_table(OpenPlan(folder).plan)
    else:
        files = folder.files()
        table = own_table(files)
        if table is None:
            raise CommandError("the job's sheet has no devices; there is nothing to write")
        headings = list(table.headings)
        rows = [[str(c) for c in cells] + [""] * (len(headings) - len(cells)) for _, cells in table.rows]
    title = read_job(folder.files().job).title
    write_whole(file, table_to_csv(headings, rows) if kind == ".csv" else table_to_workbook(headings, rows, title))
    print(f"{len(rows)} devices, {len(headings)} columns in {file}")


def numbers(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE")],
    number: Annotated[str, typer.Argument(metavar="NUMBER")],
    side: Annotated[str, typer.Option(help="local, upstream or both")] = "both",
) -> None:
    """Try a dialled number against a voice gateway's rewriting rules."""
    from zinger.plan.subjects.voice.models import rewritten
    from zinger.plan.subjects.voice.settings import REWRITES
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan
    from zinger.wording import did_you_mean

    plan = OpenPlan(JobFolder(job)).plan
    if device not in [d.name for d in plan.devices]:
        raise CommandError(f"the plan has no device {device}{did_you_mean(device, [d.name for d in plan.devices])}")
    rules = plan.device(device)[REWRITES] or ()
    if not rules:
        raise CommandError(f"{device} has no number rewriting in the plan")
    result, taken = rewritten(number, rules, side)
    for index, rule in enumerate(rules):
        print(f"{'>' if index == taken else ' '} {index + 1:>3}  {rule}")
    print(f"{number} becomes {result}" if taken is not None else f"{number} stays as it is: no rule takes it")
