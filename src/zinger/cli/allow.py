"""`zinger allow`: the programs that a job starts on this machine, looked at and allowed once."""

from __future__ import annotations

from typing import Annotated

import typer

from zinger.cli.common import DONE, FINDINGS, JobArg

Yes = Annotated[bool, typer.Option("--yes", help="allow them without being asked")]


def allow(job: JobArg, yes: Yes = False) -> None:
    """Show the programs that the job starts to reach consoles, and allow them for this folder on this machine."""
    from zinger.store.allowed import allow, is_allowed
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan

    folder = JobFolder(job)
    commands = OpenPlan(folder).plan.commands
    if not commands:
        print("the job starts no programs")
        return
    for name, command in commands.items():
        print(f"{'allowed' if is_allowed(folder.path, command) else 'new':<8} {name:<16} {command!r}")
    wanted = [command for command in commands.values() if not is_allowed(folder.path, command)]
    if wanted and not yes and not typer.confirm("May they be started as you, on this machine?", default=False):
        print("nothing was allowed")
        raise typer.Exit(FINDINGS)
    allow(folder.path, wanted)
    raise typer.Exit(DONE)
