"""The commands that open a job, carry its devices, and write its papers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import (
    CommandError,
    JobArg,
    Json,
    Leases,
    Only,
    Pace,
    Trace,
    open_job,
    print_json,
    show,
    write_handover,
)
from zinger.cli.hands import DoneAhead, WaitForHands, hands_within

if TYPE_CHECKING:
    from zinger.run.openjob import OpenJob
    from zinger.script.compile import Script

WithoutScreen = Annotated[bool, typer.Option("--headless", help="without a screen")]


def welcome() -> None:
    """Recent jobs, a new job, the demo."""
    from zinger.run.options import Options

    show(None, Options(), start=False)


def plan(job: JobArg) -> None:
    """Open the plan of a job, to look at and to change."""
    from zinger.run.options import Options

    show(partial(open_job, job), Options(), start=False, first="plan")


def open_(job: JobArg, pace: Pace = None) -> None:
    """Open a job on the screen."""
    from zinger.run.options import Options

    show(partial(open_job, job), Options(pace=pace), start=False)


def demo(
    pace: Pace = None,
    folder: Annotated[Path | None, typer.Option("--in", help="put the demo job into this folder")] = None,
    without_screen: WithoutScreen = False,
    hands: Annotated[bool, typer.Option("--hands", help="you do what hands must do, and say so by its number")] = False,
    as_json: Json = False,
) -> None:
    """The Kettlestone Valley Railway: a made-up job; its simulated devices go from factory state to proved."""
    from zinger.desk.jobs import fresh_demo, lay_out_demo
    from zinger.run.options import Options

    where = folder or fresh_demo()
    if not (where / "job.yaml").exists():
        lay_out_demo(where)
    if hands and without_screen:
        raise CommandError("--hands wants a screen, on which you say what is done; without one the yard's hands do it")
    options = Options(pace=pace, hands_within=0 if without_screen else None, by_person=hands)
    if not without_screen:
        shown = show(partial(open_job, where), options, start=True)
        typer.echo(f"The demo job is in {where}; its sessions are in records/, its papers in handover/.")
        if shown is not None and shown.folder.journal.exists():
            write_handover(shown)
        return
    from zinger.cli.headless import Printed, carry_out

    opened = open_job(where)
    printed = Printed.wanted(as_json)
    raise typer.Exit(carry_out(opened, options, printed, afterwards=lambda: write_handover(opened, quiet=as_json)))


def run(
    job: JobArg,
    only: Only = None,
    without_screen: WithoutScreen = False,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="prove that it holds after a power cut")] = True,
    restart: Annotated[bool, typer.Option(help="prove it after a restart by command, too")] = False,
    restore: Annotated[
        bool, typer.Option("--restore", help="first bring back the configuration that each gave last (--only)")
    ] = False,
    not_done: Annotated[bool, typer.Option("--not-done", help="only those that are not proved or configured")] = False,
    keep_yard: Annotated[bool, typer.Option("--keep-yard", help="leave the practice yard running")] = False,
    hands_done: DoneAhead = False,
    leases: Leases = None,
    wait: WaitForHands = "",
    trace: Trace = None,
    dry: Annotated[
        bool, typer.Option("--dry", help="print what would be sent, as far as is known; send nothing")
    ] = False,
    stop_after: Annotated[
        str, typer.Option(metavar="STAGE", help="leave each device after this stage, such as save")
    ] = "",
    begin_with: Annotated[
        str, typer.Option("--from", metavar="STAGE", help="sign in, and go on with send, save or read-back")
    ] = "",
    log: Annotated[
        Path | None, typer.Option("--log", metavar="FILE", help="add every event to this file, as JSON lines")
    ] = None,
    events: Annotated[bool, typer.Option("--events", help="print every event as it happens, as JSON lines")] = False,
) -> None:
    """Carry the devices to a proved baseline; an interrupted run is taken up where it was."""
    from zinger.run.options import Options

    if stop_after:
        from zinger.run.stages import STOPS_AFTER

        if stop_after not in STOPS_AFTER:
            raise CommandError(f"--stop-after {stop_after}: there is no such stage; there are {', '.join(STOPS_AFTER)}")
    if begin_with:
        from zinger.run.stages import BEGINS_WITH

        if begin_with not in BEGINS_WITH:
            raise CommandError(f"--from {begin_with}: a run goes on with one of {', '.join(BEGINS_WITH)}")
    if (events or log) and not without_screen:
        raise CommandError("--events and --log go with --headless")

    if not_done and only:
        raise CommandError("--not-done and --only both say which devices; give one of them")
    if restore and not only:
        raise CommandError("--restore overwrites what a device has; say of which: --only DEVICE")
    options = Options(
        only=only or (),
        pace=pace,
        hands_within=hands_within(wait) if without_screen else None,
        hands_done=hands_done,
        leases=leases or (),
        power_cut=power_cut,
        restart=restart,
        brings_back=restore,
        trace=trace,
        stop_after=stop_after,
        only_saves=begin_with == "save",
        sends=begin_with != "read-back",
    )
    if dry:
        _dry(open_job(job), only or (), not_done)
        return
    if not without_screen:
        show(partial(open_job, job), options, start=True)
        return
    from zinger.cli.headless import Printed, carry_out

    opened = open_job(job)
    if not_done:
        from zinger.run.steering import not_done as left

        if not (names := left(opened)):
            print("nothing is left to do")
            return
        options = replace(options, only=names)
    from zinger.cli.eventlog import teller

    printed = Printed.wanted(as_json, as_lines=events)
    raise typer.Exit(carry_out(opened, options, printed, keep_yard, tell=teller(events, log)))


def _dry(opened: OpenJob, only: Sequence[str], not_done: bool) -> None:
    """Print what a run would send to these devices, and touch none."""
    from zinger.run.laterchange import told
    from zinger.run.steering import known
    from zinger.run.steering import not_done as left

    names = left(opened) if not_done else known(opened, only) or [n for n, m in opened.memories.items() if not m.aside]
    for line in told(opened, names):
        print(line)


def prove(
    job: JobArg,
    only: Only = None,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="cut the power too")] = False,
    hands_done: DoneAhead = False,
    leases: Leases = None,
    wait: WaitForHands = "",
    trace: Trace = None,
) -> None:
    """Read everything back and look in from the network, without changing anything."""
    from zinger.cli.headless import Printed, carry_out
    from zinger.run.options import Options

    options = Options(
        only=only or (),
        pace=pace,
        hands_within=hands_within(wait),
        hands_done=hands_done,
        leases=leases or (),
        power_cut=power_cut,
        sends=False,
        trace=trace,
    )
    raise typer.Exit(carry_out(open_job(job), options, Printed.wanted(as_json)))


def practice(
    job: Annotated[Path | None, typer.Argument(metavar="JOB", help="default: a fresh demo job")] = None,
    pace: Pace = None,
    powered: Annotated[bool, typer.Option(help="plugged and switched on")] = True,
    copies: Annotated[int, typer.Option(metavar="N", min=0, max=1900, help="a fresh job of so many devices")] = 0,
    as_json: Json = False,
) -> None:
    """Open the practice yard to any telnet or ssh client, until Ctrl-C."""
    import asyncio

    from zinger.desk.jobs import fresh_copies, fresh_demo
    from zinger.run.openjob import OpenJob
    from zinger.run.practice import open_to_all
    from zinger.store.folder import JobFolder

    if job is not None and copies:
        raise CommandError("--copies makes a job of its own; leave JOB out")
    fresh = fresh_copies(copies) if copies else None
    opened = OpenJob(JobFolder(job or fresh or fresh_demo("practice")))
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
def preview(job: JobArg, device: str, as_json: Json = False) -> None:
    """Print what will be sent to a device, passwords masked."""
    from zinger.wording import did_you_mean

    opened = open_job(job)
    known = opened.scripts
    if device not in known:
        raise CommandError(
            f"there is no preview for {device}{did_you_mean(device, known)}; "
            f"the plan has {', '.join(known) or 'no device that can be talked to'}"
        )
    if as_json:
        print_json(_as_data(device, known[device]))
    else:
        _print_script(opened, device, known[device])


def _as_data(device: str, found: Script) -> dict[str, object]:
    rows = [
        {
            "setting": step.setting,
            "value": step.value,
            "at": step.at,
            "send": list(step.every_line),
            "replies": {place: [deed.shown for deed in turns] for place, turns in step.what.replies.items()},
            "effect": step.effect,
            "undo": step.undo,
        }
        for step in found.everything
    ]
    not_sent = [{"setting": n.setting, "value": n.value, "why": n.why} for n in found.not_sent]
    return {"device": device, "family": found.family, "steps": rows, "not_sent": not_sent}


def _print_script(opened: OpenJob, device: str, found: Script) -> None:
    from zinger.script.text import script_text

    for line in script_text(opened.books[found.family].title, device, found):
        print(line)


def accept(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE")],
    settings: Annotated[list[str], typer.Argument(metavar="SETTING...", help="what differs or is owed")],
    why: Annotated[str, typer.Option("--why", help="your reason; it goes into the papers; empty takes it back")],
) -> None:
    """Accept that a setting differs or is owed, with a reason: proved, but for what was accepted."""
    from zinger.run.accepting import accept as accepted

    print(accepted(open_job(job), device, settings, why.strip()))
