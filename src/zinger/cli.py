"""The commands. Each opens the job, asks a room, prints what comes back, and ends with a meaningful code:
0 done, 1 findings, 2 usage, 3 needs a person.
"""

from __future__ import annotations

import asyncio
import getpass
import json
import sys
import time
import traceback
from pathlib import Path
from typing import Annotated

import platformdirs
import typer

from zinger import cli_family, cli_plan, cli_ports, headless
from zinger.headless import USAGE
from zinger.keep import JobFolder, JobFolderError, JournalError, RecordingError, Vault, VaultError
from zinger.link import LinkError
from zinger.phrasebook import PhrasebookError, masked
from zinger.plan import SecretRef, UnreadableError, did_you_mean
from zinger.run import OpenJob, Options, RunError
from zinger.run.jobs import fresh_demo, last_job, lay_out_demo, remember_job

app = typer.Typer(
    add_completion=False,
    pretty_exceptions_enable=False,
    no_args_is_help=False,
    help="Carries new network devices from factory state to a proved baseline.",
    context_settings={"help_option_names": ["-h", "--help"]},
)

cli_plan.register(app)
app.add_typer(cli_family.family, name="family")
app.command()(cli_ports.ports)

JobArg = Annotated[Path, typer.Argument(help="the job's folder", metavar="JOB")]
Json = Annotated[bool, typer.Option("--json", help="print JSON, for a program")]
Only = Annotated[list[str] | None, typer.Option("--only", metavar="DEVICE", help="only these devices; repeat it")]
Pace = Annotated[
    float | None,
    typer.Option("--pace", min=0.1, max=1000, metavar="N", help="how much faster than hardware the practice yard goes"),
]

_EXPECTED = (
    JobFolderError,
    JournalError,
    RecordingError,
    VaultError,
    LinkError,
    PhrasebookError,
    RunError,
    UnreadableError,
)


def _open(job: Path) -> OpenJob:
    opened = OpenJob(JobFolder(job))
    remember_job(opened.folder.path, len(opened.plan.devices))
    return opened


@app.callback(invoke_without_command=True)
def welcome(ctx: typer.Context) -> None:
    """Open the last job; without one, the welcome; without a terminal, say how to begin."""
    if ctx.invoked_subcommand is not None:
        return
    path = last_job()
    if sys.stdin.isatty() and sys.stdout.isatty():
        _show(_open(path) if path is not None else None, Options(), start=False)
    else:
        last = f"The last job is {path}." if path else "No job was opened yet."
        typer.echo(
            f"{last}\n\n  zinger demo         a made-up job on simulated switches\n"
            "  zinger open JOB     a folder with job.yaml and devices.csv\n  zinger --help       all commands"
        )


@app.command("welcome")
def welcome_() -> None:
    """Recent jobs, a new job, the demo."""
    _show(None, Options(), start=False)


@app.command()
def plan(job: JobArg) -> None:
    """Open the plan of a job, to look at and to change."""
    _show(_open(job), Options(), start=False, first="plan")


@app.command("open")
def open_(job: JobArg, pace: Pace = None) -> None:
    """Open a job on the screen."""
    _show(_open(job), Options(pace=pace), start=False)


@app.command()
def demo(
    pace: Pace = None,
    folder: Annotated[Path | None, typer.Option("--in", help="put the demo job into this folder")] = None,
    without_screen: Annotated[bool, typer.Option("--headless", help="without a screen")] = False,
    as_json: Json = False,
) -> None:
    """The Kettlestone Valley Railway: a made-up job; its simulated switches go from factory state to proved."""
    where = folder or fresh_demo()
    if not (where / "job.yaml").exists():
        lay_out_demo(where)
    opened = _open(where)
    options = Options(pace=pace, nobody=without_screen)
    if not without_screen:
        _show(opened, options, start=True)
        typer.echo(f"The demo job is in {where}; its sessions are in records/, its papers in handover/.")
        if opened.folder.journal.exists():
            _write_handover(opened)
        return
    raise typer.Exit(
        headless.carry_out(opened, options, as_json, afterwards=lambda: _write_handover(opened, quiet=as_json))
    )


@app.command()
def script(job: JobArg, device: str, as_json: Json = False) -> None:
    """Print what will be said to a device, secrets masked."""
    opened = _open(job)
    known = opened.scripts
    if device not in known:
        raise RunError(
            f"there is no script for {device}{did_you_mean(device, known)}; "
            f"the plan has {', '.join(known) or 'no device that can be spoken to'}"
        )
    found = known[device]
    if as_json:
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
        print(
            json.dumps(
                {
                    "device": device,
                    "family": found.family,
                    "phrases": rows,
                    "unsaid": [{"setting": u.setting, "value": u.value, "why": u.why} for u in found.unsaid],
                },
                indent=1,
            )
        )
        return
    then = f", then {', '.join(p.title for p in found.keep)}" if found.keep else ""
    print(f"{device}, {opened.books[found.family].title}: {len(found.phrases)} phrases{then}\n")
    print(f"{'stop':<6} {'at':<12} {'say':<58} effect / undo")
    for p in found.everything:
        effect = "" if p.effect == "none" else p.effect
        first, *others = p.every_line or (f"answers of {p.interview}",)
        undo = " / ".join(p.undo.splitlines())
        print(
            f"{p.stop.value:<6} {p.at.replace('_', ' '):<12} {first:<58} {effect}"
            + (f"{' · ' if effect else ''}undo: {undo}" if undo else "")
        )
        for line in others:
            print(f"{'':<6} {'':<12} {line}")
        for place, words in p.replies.items():
            print(f"{'':<6} {'':<12}   {place.replace('_', ' ')}? {', '.join(masked(w) or '(Enter)' for w in words)}")
    for u in found.unsaid:
        print(f"\nnot said: {u.setting} {u.value}, {u.why}")


@app.command()
def run(
    job: JobArg,
    only: Only = None,
    without_screen: Annotated[bool, typer.Option("--headless", help="without a screen")] = False,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="prove that it holds after a power cut")] = True,
    restart: Annotated[bool, typer.Option(help="prove it after a restart by command, too")] = False,
    keep_yard: Annotated[bool, typer.Option("--keep-yard", help="leave the practice yard running")] = False,
) -> None:
    """Carry the devices to a proved baseline; an interrupted run is taken up where it was."""
    opened = _open(job)
    options = Options(only=only or (), pace=pace, nobody=without_screen, power_cut=power_cut, restart=restart)
    if not without_screen:
        _show(opened, options, start=True)
        return
    raise typer.Exit(headless.carry_out(opened, options, as_json, keep_yard))


@app.command()
def prove(
    job: JobArg,
    only: Only = None,
    pace: Pace = None,
    as_json: Json = False,
    power_cut: Annotated[bool, typer.Option(help="cut the power too")] = False,
) -> None:
    """Read everything back and look in from the network, without changing anything."""
    opened = _open(job)
    options = Options(only=only or (), pace=pace, nobody=True, power_cut=power_cut, speak=False)
    raise typer.Exit(headless.carry_out(opened, options, as_json))


@app.command()
def handover(job: JobArg, as_json: Json = False) -> None:
    """Write the papers: site drawing, run timeline, proof sheet, as-built table."""
    written = _write_handover(_open(job), quiet=as_json)
    if as_json:
        print(json.dumps([str(p) for p in written], indent=1))


@app.command()
def practice(
    job: Annotated[Path | None, typer.Argument(metavar="JOB", help="default: a fresh demo job")] = None,
    pace: Pace = None,
    powered: Annotated[bool, typer.Option(help="plugged and switched on")] = True,
    as_json: Json = False,
) -> None:
    """Open the practice yard to any telnet or ssh client, until Ctrl-C."""
    from zinger.run.practice import open_to_all

    if job is None:
        job = fresh_demo("practice")
    opened = OpenJob(JobFolder(job))
    logins = [
        f"{book.title}: "
        + (
            f"signs in as {book.factory.user} with {book.factory.password}, as its label says"
            if book.factory.password
            else book.factory.first
        )
        for book in (
            opened.books[name] for name in dict.fromkeys(d.family for d in opened.plan.devices) if name in opened.books
        )
    ]
    asyncio.run(open_to_all(opened.folder, opened.plan.devices, pace, powered, logins, as_json))


@app.command()
def secret(
    job: JobArg,
    entry: Annotated[str | None, typer.Argument(help="such as kvr-wj-sw1/administrator")] = None,
    show: Annotated[bool, typer.Option("--show", help="print the secret itself")] = False,
) -> None:
    """List the vault's entries; with an entry, set it (typed blind, or from standard input) or show it."""
    folder = JobFolder(job)
    vault = Vault(folder.vault)
    if entry is None:
        for name in vault.names():
            print(name)
        return
    ref = SecretRef(entry)
    if show:
        print(vault.get(ref))
        return
    if sys.stdin.isatty():
        new = getpass.getpass(f"secret for {entry}: ")
        if new != getpass.getpass("the same again: "):
            raise RunError("the two differ; nothing was changed")
    else:
        new = sys.stdin.readline().rstrip("\n")
    if not new or not new.isprintable() or new != new.strip():
        raise RunError(
            "a secret must not be empty, begin or end with a blank, or hold control characters; nothing was changed"
        )
    vault.put({ref: new})
    typer.echo(f"{entry} is in {folder.vault.name}")


def _show(opened: OpenJob | None, options: Options, start: bool, first: str = "") -> None:
    from zinger.tui import show

    show(opened, options, start, first)


def _write_handover(opened: OpenJob, quiet: bool = False) -> list[Path]:
    from zinger.handover import write_papers

    written: list[Path] = write_papers(opened.folder, opened.plan, opened.scripts)
    if not quiet:
        print(f"handover: {opened.folder.handover}")
        for path in written:
            print(f"  {path.name}")
    return written


def main() -> None:
    """Entry point: every expected error is a sentence and an exit code, never a traceback."""
    try:
        app(standalone_mode=True)
    except _EXPECTED as error:
        print(f"zinger: {error}", file=sys.stderr)
        sys.exit(USAGE)
    except (KeyboardInterrupt, BrokenPipeError):
        sys.exit(130)
    except Exception as error:
        sys.exit(_own_fault(error))


def _own_fault(error: BaseException) -> int:
    """A fault of ours: the traceback goes to a file (without values of variables), a sentence to the screen."""
    file = platformdirs.user_state_path("zinger") / f"fault-{time.strftime('%Y%m%d-%H%M%S')}.txt"
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text("".join(traceback.format_exception(error)))
        where = f"; what happened is in {file}"
    except OSError:
        where = ""
    print(
        f"zinger: a fault of Zinger's own ({type(error).__name__}){where}. The job's journal is complete; "
        "start again to go on.",
        file=sys.stderr,
    )
    return 70


if __name__ == "__main__":
    main()
