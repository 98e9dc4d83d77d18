"""The commands that open a job, carry its devices, and write its papers."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError, JobArg, Json, Only, Pace, Trace, open_job, print_json, show, write_handover

if TYPE_CHECKING:
    from zinger.run.job import OpenJob
    from zinger.script import Script

WithoutScreen = Annotated[bool, typer.Option("--headless", help="without a screen")]


def welcome() -> None:
    """Recent jobs, a new job, the demo."""
    from zinger.run.job import Options

    show(None, Options(), start=False)


def plan(job: JobArg) -> None:
    """Open the plan of a job, to look at and to change."""
    from zinger.run.job import Options

    show(open_job(job), Options(), start=False, first="plan")


def open_(job: JobArg, pace: Pace = None) -> None:
    """Open a job on the screen."""
    from zinger.run.job import Options

    show(open_job(job), Options(pace=pace), start=False)


def demo(
    pace: Pace = None,
    folder: Annotated[Path | None, typer.Option("--in", help="put the demo job into this folder")] = None,
    without_screen: WithoutScreen = False,
    as_json: Json = False,
) -> None:
    """The Kettlestone Valley Railway: a made-up job; its simulated devices go from factory state to proved."""
    from zinger.desk.jobs import fresh_demo, lay_out_demo
    from zinger.run.job import Options

    where = folder or fresh_demo()
    if not (where / "job.yaml").exists():
        lay_out_demo(where)
    opened = open_job(where)
    options = Options(pace=pace, nobody=without_screen)
    if not without_screen:
        show(opened, options, start=True)
        typer.echo(f"The demo job is in {where}; its sessions are in records/, its papers in handover/.")
        if opened.folder.journal.exists():
            write_handover(opened)
        return
    from zinger.cli.headless import carry_out

    raise typer.Exit(carry_out(opened, options, as_json, afterwards=lambda: write_handover(opened, quiet=as_json)))


def run(
    job: JobArg,
    only: Only = None,
    without_screen: WithoutScreen = False,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="prove that it holds after a power cut")] = True,
    restart: Annotated[bool, typer.Option(help="prove it after a restart by command, too")] = False,
    keep_yard: Annotated[bool, typer.Option("--keep-yard", help="leave the practice yard running")] = False,
    trace: Trace = None,
) -> None:
    """Carry the devices to a proved baseline; an interrupted run is taken up where it was."""
    from zinger.run.job import Options

    opened = open_job(job)
    options = Options(
        only=only or (), pace=pace, nobody=without_screen, power_cut=power_cut, restart=restart, trace=trace
    )
    if not without_screen:
        show(opened, options, start=True)
        return
    from zinger.cli.headless import carry_out

    raise typer.Exit(carry_out(opened, options, as_json, keep_yard))


def prove(
    job: JobArg,
    only: Only = None,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="cut the power too")] = False,
    trace: Trace = None,
) -> None:
    """Read everything back and look in from the network, without changing anything."""
    from zinger.cli.headless import carry_out
    from zinger.run.job import Options

    options = Options(only=only or (), pace=pace, nobody=True, power_cut=power_cut, speak=False, trace=trace)
    raise typer.Exit(carry_out(open_job(job), options, as_json))


def handover(job: JobArg, as_json: Json = False) -> None:
    """Write the papers: site drawing, run timeline, proof sheet, as-built table."""
    written = write_handover(open_job(job), quiet=as_json)
    if as_json:
        print_json([str(path) for path in written])


def practice(
    job: Annotated[Path | None, typer.Argument(metavar="JOB", help="default: a fresh demo job")] = None,
    pace: Pace = None,
    powered: Annotated[bool, typer.Option(help="plugged and switched on")] = True,
    as_json: Json = False,
) -> None:
    """Open the practice yard to any telnet or ssh client, until Ctrl-C."""
    import asyncio

    from zinger.desk.jobs import fresh_demo
    from zinger.run.job import OpenJob
    from zinger.run.practice import open_to_all
    from zinger.store.folder import JobFolder

    opened = OpenJob(JobFolder(job or fresh_demo("practice")))
    books = [
        opened.books[name] for name in dict.fromkeys(d.family for d in opened.plan.devices) if name in opened.books
    ]
    logins = [
        f"{book.title}: "
        + (
            f"signs in as {book.factory.user} with {book.factory.password}, as its label says"
            if book.factory.password
            else book.factory.first
        )
        for book in books
    ]
    asyncio.run(open_to_all(opened.folder, opened.plan.devices, pace, powered, logins, as_json))


# -- preview ---------------------------------------------------------------------------------------------
def script(job: JobArg, device: str, as_json: Json = False) -> None:
    """Print what will be said to a device, secrets masked."""
    from zinger.wording import did_you_mean

    opened = open_job(job)
    known = opened.scripts
    if device not in known:
        raise CommandError(
            f"there is no script for {device}{did_you_mean(device, known)}; "
            f"the plan has {', '.join(known) or 'no device that can be spoken to'}"
        )
    if as_json:
        print_json(_as_data(device, known[device]))
    else:
        _print_script(opened, device, known[device])


def _as_data(device: str, found: Script) -> dict[str, object]:
    from zinger.phrasebook import masked

    rows = [
        {
            "setting": p.setting,
            "value": p.value,
            "at": p.at,
            "say": list(p.every_line),
            "replies": {k: [masked(w) for w in turns] for k, turns in p.replies.items()},
            "effect": p.effect,
            "undo": p.undo,
        }
        for p in found.everything
    ]
    unsaid = [{"setting": u.setting, "value": u.value, "why": u.why} for u in found.unsaid]
    return {"device": device, "family": found.family, "phrases": rows, "unsaid": unsaid}


def _print_script(opened: OpenJob, device: str, found: Script) -> None:
    from zinger.phrasebook import masked

    then = f", then {', '.join(p.title for p in found.keep)}" if found.keep else ""
    print(f"{device}, {opened.books[found.family].title}: {len(found.phrases)} phrases{then}\n")
    print(f"{'stop':<9} {'at':<12} {'say':<58} effect / undo")
    for p in found.everything:
        effect = "" if p.effect == "none" else p.effect
        first, *others = p.every_line or (f"answers of {p.interview}",)
        undo = " / ".join(p.undo.splitlines())
        print(
            f"{p.stop.value:<9} {p.at.replace('_', ' '):<12} {first:<58} {effect}"
            + (f"{' · ' if effect else ''}undo: {undo}" if undo else "")
        )
        for line in others:
            print(f"{'':<9} {'':<12} {line}")
        for place, words in p.replies.items():
            print(f"{'':<9} {'':<12}   {place.replace('_', ' ')}? {', '.join(masked(w) or '(Enter)' for w in words)}")
    for u in found.unsaid:
        print(f"\nnot said: {u.setting} {u.value}, {u.why}")
