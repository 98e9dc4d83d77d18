"""What the commands share: exit codes, options, and opening a job.

Command modules import only the standard library and the toolkit at their top: `zinger --help` needs nothing of the
rest, and each command brings in what it uses when it is called.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from zinger.errors import ZingerError

if TYPE_CHECKING:
    from zinger.handover.papers import Part
    from zinger.run.openjob import OpenJob
    from zinger.run.options import Options

DONE, FINDINGS, USAGE, PERSON = 0, 1, 2, 3
"""Exit codes: all is done; something is owed or differs; the command can't be carried out; a person is needed."""


class CommandError(ZingerError):
    """A command that can't be carried out as it was given; the message says what to give instead."""


JobArg = Annotated[Path, typer.Argument(help="the job's folder", metavar="JOB")]
Json = Annotated[bool, typer.Option("--json", help="print JSON, for a program")]
Only = Annotated[list[str] | None, typer.Option("--only", metavar="DEVICE", help="only these devices; repeat it")]
Pace = Annotated[
    float | None,
    typer.Option("--pace", min=0.1, max=1000, metavar="N", help="how much faster than hardware the practice yard runs"),
]
Leases = Annotated[
    list[str] | None,
    typer.Option(
        "--leases",
        metavar="FILE",
        help="a DHCP server's lease list (dnsmasq, Kea, ISC), or ssh://USER@HOST/FILE: devices are found by their MAC",
    ),
]
Trace = Annotated[
    Path | None, typer.Option("--trace", metavar="FILE", help="write every turn of the conversations into a file")
]


def print_json(data: Any) -> None:
    """Data for a program."""
    print(json.dumps(data, indent=1))


def open_job(job: Path) -> OpenJob:
    """Open a job and remember it among the recent ones; raises ZingerError."""
    from zinger.desk.jobs import remember_job
    from zinger.run.openjob import OpenJob
    from zinger.store.folder import JobFolder

    opened = OpenJob(JobFolder(job))
    remember_job(opened.folder.path, len(opened.plan.devices), opened.board.counts())
    return opened


def show(opening: Callable[[], OpenJob] | None, options: Options, start: bool, first: str = "") -> OpenJob | None:
    """Open the screen, and the job behind it; returns the job that was open at the end. Raises ZingerError."""
    from zinger.tui.app import show

    return show(opening, options, start, first)


def write_handover(opened: OpenJob, quiet: bool = False, part: Part | None = None) -> list[Path]:
    """Write the papers and, unless it is to be quiet, say where they are."""
    from zinger.handover.papers import left_out, write_papers

    written: list[Path] = write_papers(opened.folder, opened.plan, opened.scripts, opened.books, part)
    if not quiet:
        print(f"handover: {opened.folder.handover}")
        for path in written:
            print(f"  {path.relative_to(opened.folder.handover)}")
        for why in left_out(opened.folder, [device.name for device in opened.plan.devices]):
            print(f"left out: {why}")
    return written
