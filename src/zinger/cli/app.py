"""The program: which commands there are, and how every error ends in a sentence and a meaningful exit code."""

from __future__ import annotations

import os
import sys
import time
import traceback
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from zinger import __version__
from zinger.cli import allow, family, forecast, hands, importing, job, papers, plan, ports, steering, terms, vault, wire
from zinger.cli.common import USAGE, CommandError
from zinger.cli.plain import make_plain
from zinger.errors import ZingerError

FAULT_OF_OURS = 70
"""The exit code of a fault of ours (EX_SOFTWARE of sysexits)."""

app = typer.Typer(
    add_completion=False,
    pretty_exceptions_enable=False,
    no_args_is_help=False,
    rich_markup_mode=None,
    help="Carries new network devices from factory state to a proved baseline.",
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110},
)
_COMMANDS: dict[str, Callable[..., None]] = {
    "check": plan.check,
    "import": importing.import_,
    "export": plan.export,
    "numbers": plan.numbers,
    "welcome": job.welcome,
    "plan": job.plan,
    "open": job.open_,
    "demo": job.demo,
    "preview": job.preview,
    "run": job.run,
    "prove": job.prove,
    "accept": job.accept,
    "aside": steering.aside,
    "pass-over": steering.pass_over,
    "note": steering.note,
    "allow": allow.allow,
    "accept-terms": terms.accept_terms,
    "hands": hands.hands,
    "handover": papers.handover,
    "forecast": forecast.forecast,
    "swap": steering.swap,
    "by-hand": steering.by_hand,
    "practice": job.practice,
    "secret": vault.secret,
    "backup": vault.backup,
    "ports": ports.ports,
    "wire": wire.wire,
}
for _name, _command in _COMMANDS.items():
    app.command(_name)(_command)
app.add_typer(family.family, name="family")


@app.command("script", hidden=True, context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def _script() -> None:
    raise CommandError("script is now called preview; the rest is as it was")


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"zinger {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def begin(
    ctx: typer.Context,
    version: Annotated[
        bool, typer.Option("--version", is_eager=True, callback=_version, help="print the version and leave")
    ] = False,
) -> None:
    """Open the last job; without one, the welcome; without a terminal, say how to begin."""
    if ctx.invoked_subcommand is not None:
        return
    from zinger.desk.jobs import last_job

    path = last_job()
    if sys.stdin.isatty() and sys.stdout.isatty():
        from zinger.cli.common import open_job, show
        from zinger.run.options import Options

        show(partial(open_job, path) if path is not None else None, Options(), start=False)
    else:
        last = f"The last job is {path}." if path else "No job was opened yet."
        typer.echo(
            f"{last}\n\n  zinger demo         a made-up job on simulated devices\n"
            "  zinger open JOB     a folder with job.yaml and devices.csv\n  zinger --help       all commands"
        )


def main() -> None:
    """Entry point: every expected error is a sentence and an exit code, never a traceback."""
    make_plain()
    os.umask(0o077)  # a job's files are for its owner only, whichever part of the program makes them
    try:
        app(args=folder_to_open(sys.argv[1:]), standalone_mode=True)
    except ZingerError as error:
        print(f"zinger: {error}", file=sys.stderr)
        sys.exit(USAGE)
    except (KeyboardInterrupt, BrokenPipeError):
        sys.exit(130)
    except Exception as error:
        sys.exit(_own_fault(error))


def folder_to_open(args: list[str]) -> list[str]:
    """A job's folder in the place of a command means to open it."""
    named = [arg for arg in args[:1] if arg not in (*_COMMANDS, "family")]
    return ["open", *args] if named and not named[0].startswith("-") and Path(named[0]).is_dir() else args


def _own_fault(error: BaseException) -> int:
    """A fault of ours: the traceback goes to a file (without values of variables), a sentence to the screen."""
    import platformdirs

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
    return FAULT_OF_OURS
