"""`zinger secret`: the vault's entries."""

from __future__ import annotations

import sys
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
