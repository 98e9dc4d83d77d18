"""The commands that steer single devices: leave them out of runs, pass a setting over."""

from __future__ import annotations

from typing import Annotated

import typer

from zinger.cli.common import CommandError, JobArg, open_job


def aside(
    job: JobArg,
    devices: Annotated[list[str] | None, typer.Argument(metavar="DEVICE...", help="none: list them")] = None,
    absent: Annotated[bool, typer.Option("--absent", help="they did not come")] = False,
    spare: Annotated[bool, typer.Option("--spare", help="they are boxes in reserve")] = False,
    back: Annotated[bool, typer.Option("--back", help="they take part again")] = False,
) -> None:
    """Leave devices out of runs, since they are absent or spare; or take that back. The papers say so."""
    from zinger.run.steering import aside as set_aside
    from zinger.run.steering import keep, known

    opened = open_job(job)
    if not devices:
        for name, memory in opened.memories.items():
            if memory.aside:
                print(f"{name}: {memory.aside}")
        return
    if absent + spare + back != 1:
        raise CommandError("say which: --absent, --spare or --back")
    event = set_aside("absent" if absent else "spare" if spare else "")
    keep(opened, [(name, event) for name in known(opened, devices)])
    for name in devices:
        print(f"{name}: {opened.board.lines[name].sentence}")


def pass_over(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE")],
    settings: Annotated[list[str] | None, typer.Argument(metavar="SETTING...", help="none: list them")] = None,
    back: Annotated[bool, typer.Option("--back", help="send it again")] = False,
) -> None:
    """Do not send a setting to a device; what it has is still read back and compared."""
    from zinger.run.steering import keep, known, passed_over

    opened = open_job(job)
    known(opened, [device])
    keep(opened, [(device, passed_over(opened, device, setting, back)) for setting in settings or ()])
    still = sorted(opened.memories[device].passed_over)
    for setting in still:
        print(f"{device}: {setting} is passed over")
    if not still:
        print(f"{device}: nothing is passed over")


def note(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE")],
    text: Annotated[str, typer.Argument(metavar="TEXT", help="empty: list them")] = "",
) -> None:
    """Write a note about a device. Its proof and the papers show it."""
    import time

    from zinger.run.steering import keep, known, noted

    opened = open_job(job)
    known(opened, [device])
    if text:
        keep(opened, [(device, noted(text))])
    for at, words in opened.memories[device].notes:
        print(f"{time.strftime('%Y-%m-%d %H:%M', time.localtime(at))}  {words}")


def swap(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE")],
    serial: Annotated[str, typer.Option(metavar="NUMBER", help="the serial number on the new box")],
    mac: Annotated[str, typer.Option(metavar="MAC", help="its MAC")] = "",
) -> None:
    """Another box came out of the carton: its numbers go into the sheet, what was known of the other is dropped."""
    from zinger.desk.editing import Desk
    from zinger.run.steering import keep, known
    from zinger.run.swap import forget_box

    opened = open_job(job)
    known(opened, [device])
    cells = {"serial": serial, **({"mac": mac} if mac else {})}
    Desk(opened.folder, opened.families.rules, {}).write_row(device, cells, f"another box for {device}")
    event = forget_box(opened, device)
    keep(opened, [(device, event)])
    print(f"{device}: serial number {serial}{f', MAC {mac}' if mac else ''}; nothing is known of this box yet")


def by_hand(
    job: JobArg,
    device: Annotated[str, typer.Argument(metavar="DEVICE", help="one that no phrasebook speaks to")],
    settings: Annotated[list[str] | None, typer.Argument(metavar="SETTING...", help="none: list them")] = None,
    everything: Annotated[bool, typer.Option("--all", help="every planned setting")] = False,
    back: Annotated[bool, typer.Option("--back", help="it is not set after all")] = False,
) -> None:
    """Say what you set by hand on a device of an unknown family; the papers say so, and never that it is proved."""
    from zinger.run.steering import keep, set_by_hand

    opened = open_job(job)
    values = opened.plan.device(device).values if device in opened.plan.by_name else {}
    wanted = list(values) if everything else settings or []
    keep(opened, [(device, set_by_hand(opened, device, setting, back)) for setting in wanted])
    if device not in opened.unspoken:
        set_by_hand(opened, device, "")
    done = opened.unspoken[device].by_hand
    for setting, value in values.items():
        said = "set by hand" if done.get(setting) == value.shown else "another value was set" if setting in done else ""
        print(f"{setting:<28} {value.shown:<40} {said}")
