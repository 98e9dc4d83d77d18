"""`zinger ports`: serial ports, a new one, its speed and framing, and whose console it is."""

from __future__ import annotations

import asyncio
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError

if TYPE_CHECKING:
    from zinger.plan.values.console import LineSettings

Listen = Annotated[str | None, typer.Option(metavar="PORT", help="find its speed, and say whose console it is")]
Watch = Annotated[bool, typer.Option(help="wait for one that is plugged in now")]
Job = Annotated[Path | None, typer.Option(help="the job whose plan knows whose console it is")]


def ports(listen: Listen = None, watch: Watch = False, job: Job = None) -> None:
    """List serial ports; notice a new one; find speed and framing, and whose console it is."""
    if watch:
        listen = _wait_for_one()
    if listen is None:
        _list()
    else:
        _listen(listen, job)


def _list() -> None:
    from zinger.link.serial import serial_ports

    found = serial_ports()
    for port in found:
        print(f"{port.device:<20} {port.about}".rstrip())
    if not found:
        print("no serial port; plug the adapter in: zinger ports --watch")


def _wait_for_one() -> str:
    from zinger.link.serial import new_port, serial_ports

    before = serial_ports()
    print("plug the adapter in; waits for a minute", flush=True)
    fresh = asyncio.run(new_port(before, 60))
    if fresh is None:
        raise CommandError("no new serial port appeared within a minute")
    print(f"{fresh.device}  {fresh.about}".rstrip())
    return fresh.device


def tries(settings: LineSettings) -> None:
    """Say what is tried now, to a person and not to a program: finding a speed takes up to half a minute."""
    if sys.stderr.isatty():
        print(f"listens at {settings}", file=sys.stderr)


def _listen(port: str, job: Path | None) -> None:
    from zinger.link.serial import find_settings
    from zinger.plan.owners import owners_of
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan

    found = asyncio.run(find_settings(port, tell=tries))
    if found is None:
        raise CommandError(f"nothing legible came from {port} at any speed; is the device on, is it a console cable?")
    settings, shown = found[0], found[1].strip()
    print(f"{settings}   it shows: {shown.splitlines()[-1] if shown else '(nothing)'!r}")
    if job is not None:
        theirs = [f"{device.name} ({what})" for device, what in owners_of(shown, OpenPlan(JobFolder(job)).plan.devices)]
        print(f"this is the console of {', '.join(theirs)}" if theirs else "it shows nothing that the plan knows")
