"""`zinger secret`: the vault's entries."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError, JobArg, Json

if TYPE_CHECKING:
    from zinger.plan.values.secrets import SecretRef
    from zinger.store.folder import JobFolder
    from zinger.store.vault import Vault


def secret(
    job: JobArg,
    entry: Annotated[str | None, typer.Argument(help="such as kvr-wj-sw1/administrator")] = None,
    show: Annotated[bool, typer.Option("--show", help="print the password itself")] = False,
    rotate: Annotated[bool, typer.Option("--rotate", help="make a new one; the next run sends and proves it")] = False,
    key: Annotated[bool, typer.Option("--key", help="print your public key, for a colleague to share with")] = False,
    share: Annotated[str, typer.Option(metavar="KEY", help="have this age key open the vault too")] = "",
    name: Annotated[str, typer.Option(metavar="NAME", help="whose key it is")] = "",
    unshare: Annotated[str, typer.Option(metavar="KEY", help="seal it without this key from now on")] = "",
    sealed: Annotated[bool, typer.Option("--sealed", help="write all of them as a PDF inside an age file")] = False,
    as_json: Json = False,
) -> None:
    """List the vault's entries; with an entry, set it (typed blind, or from standard input), show it, or change it."""
    from zinger.plan.values.secrets import SecretRef
    from zinger.store.folder import JobFolder
    from zinger.store.vault import Vault

    of_all = {"--key": key, "--share": share, "--unshare": unshare, "--sealed": sealed}
    of_one = {"--show": show, "--rotate": rotate}
    if entry is not None and (said := next((option for option, given in of_all.items() if given), "")):
        raise CommandError(f"{said} is about the whole vault; leave {entry} out")
    if entry is None and (said := next((option for option, given in of_one.items() if given), "")):
        raise CommandError(f"{said} is about one entry; name it, such as kvr-wj-sw1/administrator")
    folder = JobFolder(job)
    vault = Vault(folder.vault)
    if key:
        print(vault.own_key())
    elif share:
        vault.add_recipient(share, name or "unnamed")
        print(f"{name or share} can open {folder.vault.name} from now on")
    elif unshare:
        vault.remove_recipient(unshare)
        print(f"{unshare} can't open what is written from now on. What they saw they know: change it with --rotate")
    elif sealed:
        _seal(job, vault)
    elif entry is None:
        _list(job, vault, as_json)
    elif rotate:
        _rotate(job, vault, entry)
    elif show:
        print(vault.get(SecretRef(entry)))
    else:
        _put(folder, vault, SecretRef(entry), _asked(entry))
        typer.echo(f"{entry} is in {folder.vault.name}")


def _list(job: Path, vault: Vault, as_json: bool) -> None:
    """Every entry with the device and account that use it, when it was proved, and how old it is."""
    from dataclasses import asdict

    from zinger.cli.common import open_job, print_json
    from zinger.run.credentials import credentials_of
    from zinger.wording import short

    found = credentials_of(open_job(job), vault)
    if as_json:
        print_json([asdict(row) for row in found])
        return
    now = time.time()
    for row in found:
        age = short(now - row.since) if row.since is not None else "unknown age" if row.kept else "not made yet"
        seen, at = row.seen
        when = time.strftime(" %Y-%m-%d %H:%M", time.localtime(at)) if at else ""
        state = "being changed" if row.rotating else f"{seen}{when}"
        who = row.account or row.what or "used by no device"
        print(f"{row.entry:<34} {row.device:<16} {who:<24} {row.address:<15} {age:<13} {state}")
    for key, who in vault.recipients().items():
        print(f"also opened by {who}: {key}")


def _rotate(job: Path, vault: Vault, entry: str) -> None:
    from zinger.cli.common import open_job
    from zinger.run.credentials import rotate
    from zinger.run.steering import keep

    opened = open_job(job)
    opened.folder.lock()
    try:
        events = rotate(opened, vault, entry)
    finally:
        opened.folder.unlock()
    keep(opened, events)
    devices = " ".join(f"--only {name}" for name, _ in events)
    print(f"{entry} has a new password; the old one is kept until it is proved. Send it: zinger run {job} {devices}")


def _seal(job: Path, vault: Vault) -> None:
    """Apart from all other papers: whoever finds the folder can't read it."""
    from zinger.cli.common import open_job
    from zinger.handover.credentials import seal_paper
    from zinger.store.vault import identity_file

    file = seal_paper(open_job(job), vault)
    print(f"{file}\nPrint it: age -d -i {identity_file()} {file.name} | lp, or with any age tool")


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
