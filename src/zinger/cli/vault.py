"""`zinger secret`: the vault's entries."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError, JobArg

if TYPE_CHECKING:
    from zinger.plan.values.secrets import SecretRef
    from zinger.store.folder import JobFolder
    from zinger.store.vault import Vault


def secret(
    job: JobArg,
    entry: Annotated[str | None, typer.Argument(help="such as kvr-wj-sw1/administrator")] = None,
    show: Annotated[bool, typer.Option("--show", help="print the password itself")] = False,
) -> None:
    """List the vault's entries; with an entry, set it (typed blind, or from standard input) or show it."""
    from zinger.plan.values.secrets import SecretRef
    from zinger.store.folder import JobFolder
    from zinger.store.vault import Vault

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
    new = _asked(entry)
    _put(folder, vault, ref, new)
    typer.echo(f"{entry} is in {folder.vault.name}")


def backup(
    job: JobArg,
    device: Annotated[str | None, typer.Argument(help="only this device", metavar="[DEVICE]")] = None,
    out: Annotated[Path | None, typer.Option("--out", metavar="FILE", help="write its latest one here, opened")] = None,
) -> None:
    """List the configurations that devices gave, or open the latest one of a device."""
    from zinger.files import write_whole
    from zinger.store.backups import kept_in, opened
    from zinger.store.folder import JobFolder
    from zinger.store.openplan import OpenPlan
    from zinger.store.vault import Vault

    folder = JobFolder(job)
    names = [d.name for d in OpenPlan(folder).plan.devices]
    if device is not None and device not in names:
        raise CommandError(f"the plan has no device {device}; it has {', '.join(names) or 'none'}")
    found = kept_in(folder.backups, [device] if device else names)
    if out is None:
        for kept in found:
            print(f"{kept.device:<18} {time.strftime('%Y-%m-%d %H:%M', time.localtime(kept.at))}  {kept.file}")
        if not found:
            print("no configuration is kept yet")
        return
    if device is None or not found:
        raise CommandError("name a device of which a configuration is kept: zinger backup JOB lists them")
    write_whole(out, opened(found[0], Vault(folder.vault)), 0o600)
    print(out)


def _put(folder: JobFolder, vault: Vault, ref: SecretRef, new: str) -> None:
    """A new entry any time; one that is there only while no run counts on it."""
    from zinger.store.folder import Locked

    try:
        folder.lock()
    except Locked as locked:
        if ref in vault:
            raise CommandError(
                f"{ref.name} is not changed: {locked}, and its devices may be signed in to with what is there now. "
                "Wait until it has ended"
            ) from None
        vault.put({ref: new})
        return
    try:
        vault.put({ref: new})
    finally:
        folder.unlock()


def _asked(entry: str) -> str:
    """A new password, asked twice of a person or read from standard input; raises CommandError."""

    if sys.stdin.isatty():
        import getpass

        new = getpass.getpass(f"password for {entry}: ")
        if new != getpass.getpass("the same again: "):
            raise CommandError("the two differ; nothing was changed")
    else:
        new = sys.stdin.readline().rstrip("\n")
    if not new or not new.isprintable() or new != new.strip():
        raise CommandError(
            "a password must not be empty, begin or end with a blank, or hold control characters; nothing was changed"
        )
    return new
