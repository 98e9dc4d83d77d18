"""Configurations that devices gave: kept in the job, each sealed like the vault, since they can hold secrets."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from pathlib import Path

from zinger.errors import ZingerError
from zinger.files import write_whole
from zinger.store.vault import Vault

SEALED = ".age"


class BackupError(ZingerError):
    """A configuration that is not there; the message says which are."""


@dataclass(frozen=True)
class Kept:
    """One configuration: whose, as which file, since when (seconds since 1970)."""

    device: str
    file: Path
    at: float


def keep(folder: Path, device: str, suffix: str, data: bytes, vault: Vault) -> Path:
    """Seal a configuration into a file of its own; it is on disk, whole, when this returns. Raises FileError."""
    folder.mkdir(exist_ok=True, mode=0o700)
    stem = f"{device}-{time.strftime('%Y%m%d-%H%M%S')}"
    file, count = folder / f"{stem}{suffix}{SEALED}", 1
    while file.exists():
        count += 1
        file = folder / f"{stem}-{count}{suffix}{SEALED}"
    write_whole(file, vault.seal(data), 0o600)
    return file


def kept_in(folder: Path, devices: list[str]) -> list[Kept]:
    """The configurations of these devices, the latest first."""
    found = [
        Kept(device, file, file.stat().st_mtime)
        for device in devices
        for file in folder.glob(f"*{SEALED}")
        if re.fullmatch(rf"{re.escape(device)}-\d{{8}}-\d{{6}}(-\d+)?\.\S+", file.name)
    ]
    return sorted(found, key=lambda one: -one.at)


def opened(kept: Kept, vault: Vault) -> bytes:
    """What a device gave. Raises VaultError."""
    return vault.unseal(kept.file)
