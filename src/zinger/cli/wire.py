"""`zinger wire`: a console of a device that no phrasebook knows, in a person's hands."""

from __future__ import annotations

import re
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError

if TYPE_CHECKING:
    from zinger.link.base import Link
    from zinger.plan.model import Device
    from zinger.store.openplan import OpenPlan
    from zinger.store.vault import Vault

_SSH = re.compile(
    r"ssh://(?P<user>[^@\s]+)@(?P<host>\[[0-9a-fA-F:.]+\]|[^/:?\s]+)(?::(?P<port>\d{1,5}))?(?P<old>\?old)?"
)


def wire(
    targets: Annotated[
        list[str],
        typer.Argument(
            metavar="WIRE...",
            help="serial:///dev/ttyUSB0?115200-8N1, telnet://HOST:PORT, tcp://HOST:PORT, rfc2217://HOST:PORT, "
            "ssh://USER@HOST, command:NAME of the job; several stand side by side",
        ),
    ],
    listen: Annotated[bool, typer.Option("--listen", help="listen only: nothing is sent")] = False,
    find_speed: Annotated[
        bool, typer.Option("--find-speed", help="find speed and framing of serial ports first; may press Enter")
    ] = False,
    job: Annotated[Path | None, typer.Option("--job", help="its vault and plan can be typed by a key")] = None,
    device: Annotated[str, typer.Option("--device", help="whose passwords and values of the job")] = "",
    records: Annotated[Path | None, typer.Option("--records", metavar="FOLDER", help="where it is recorded")] = None,
) -> None:
    """Open the console of a device that no phrasebook knows: typing goes to it, all is recorded, nothing is guessed."""
    from zinger.run.barewire import BareWire
    from zinger.store.recording import Recording
    from zinger.tui.barewire import WireApp

    if find_speed:
        if listen:
            raise CommandError("--listen sends nothing, and --find-speed may press Enter; give one of them")
        found = [_with_speed(target) for target in targets]
        targets, heard = [target for target, _ in found], [what for _, what in found]
    else:
        heard = [""] * len(targets)
    plan = _plan(job)
    planned = _device(plan, device) if plan and device else None
    vault = _its_vault(plan, planned) if plan and planned else plan.vault if plan else None
    entries = vault.names() if vault else []
    offered = []
    if planned is not None:
        from zinger.plan.subjects.accounts.credentials import secrets_of
        from zinger.plan.writings import writings_of

        own = {ref.name for _, _, ref in secrets_of(planned)}
        entries = [entry for entry in entries if entry in own or entry.startswith(f"{device}/")]
        offered = list(writings_of(planned))
    folder = records or (plan.folder.records if plan else Path.cwd())
    stamp = time.strftime("%Y%m%d-%H%M%S")
    wires = []
    for number, (target, shown) in enumerate(zip(targets, heard, strict=True), 1):
        opening = _opening(target, plan)
        file = folder / f"bare-{device or re.sub('[^A-Za-z0-9]+', '-', target).strip('-')}-{stamp}-{number}.cast"
        recording = Recording(file, f"bare wire {target}", lambda why: print(why))
        wires.append(BareWire(target, opening, recording, vault, entries, listen, shown))
    try:
        WireApp(wires, offered).run()
    finally:
        for one in wires:
            one.close()
    for one in wires:
        print(f"recorded in {one.recording.file}")


def _with_speed(target: str) -> tuple[str, str]:
    """A serial port with the speed and framing that were found, and what it showed then; others as they are."""
    import asyncio

    from zinger.cli.ports import tries
    from zinger.link.serial import find_settings

    if not target.startswith("serial://") or "?" in target:
        return target, ""
    found = asyncio.run(find_settings(target.removeprefix("serial://"), tell=tries))
    if found is None:
        raise CommandError(f"nothing legible came from {target} at any speed; is the device on?")
    print(f"{target}: {found[0]}")
    return f"{target}?{str(found[0]).replace(' ', '-')}", found[1]


def _plan(job: Path | None) -> OpenPlan | None:
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan

    return OpenPlan(JobFolder(job)) if job else None


def _device(plan: OpenPlan, name: str) -> Device:
    device = next((d for d in plan.plan.devices if d.name == name), None)
    if device is None:
        raise CommandError(f"the plan has no device {name}")
    return device


def _its_vault(plan: OpenPlan, device: Device) -> Vault:
    """The job's vault with every password that is planned for a device: what is lacking is made, before it is typed."""
    from zinger.plan.families import FamilyRules
    from zinger.plan.subjects.accounts.credentials import secrets_of
    from zinger.store.vault import Vault

    vault = plan.vault or Vault(plan.folder.vault)
    rules = FamilyRules(device.family, device.family).asked_of_passwords(plan.plan.password_rules)
    vault.ensure((ref, rules) for _, _, ref in secrets_of(device))
    return vault


def _opening(target: str, plan: OpenPlan | None) -> Callable[[], Awaitable[Link]]:
    """How a wire is dialled; raises CommandError for what is none, or for another machine where the job is practice."""
    from zinger.link.dial import open_console
    from zinger.plan.values.bad import BadValue
    from zinger.plan.values.console import Console
    from zinger.store.allowed import is_allowed

    found = _SSH.fullmatch(target)
    host = found["host"] if found else ""
    if not found:
        try:
            console = Console.read(target)
        except BadValue as error:
            raise CommandError(f"{error.what}. {error.repair}") from None
        if console.kind == "ssh":
            raise CommandError(f"{target} does not say who signs in; write ssh://USER@HOST")
        host = console.host if console.kind not in ("serial", "command") else ""
        commands = plan.plan.commands if plan else {}
        command = commands.get(console.host, "") if console.kind == "command" else ""
        if command and plan and not is_allowed(plan.folder.path, command):
            raise CommandError(
                f"the job starts {command!r} for it. Look at it, and allow it once: zinger allow {plan.folder.path}"
            )
    if plan and plan.plan.mode == "practice" and host and host not in ("127.0.0.1", "localhost", "::1"):
        raise CommandError(f"the job is practice: nothing but this machine is dialled, and {host} is another one")
    if found is None:
        return lambda: open_console(target, commands=plan.plan.commands if plan else {})
    return _ssh(found["user"], found["host"].strip("[]"), int(found["port"] or 22), bool(found["old"]))


def _ssh(user: str, host: str, port: int, old: bool) -> Callable[[], Awaitable[Link]]:
    """A shell over SSH; the password is asked for here, the host key pinned at first sight."""
    import getpass

    import platformdirs

    from zinger.link.hostkeys import HostKeys
    from zinger.link.ssh import Endpoint, open_ssh

    password = getpass.getpass(f"password of {user} at {host}: ")
    keys = HostKeys(platformdirs.user_state_path("zinger") / "bare-known-hosts")
    endpoint = Endpoint(host, port, old, (host if port == 22 else f"[{host}]:{port}",))  # as OpenSSH writes it
    return lambda: open_ssh(host, port, user, password, f"ssh {user}@{host}", endpoint, keys)
