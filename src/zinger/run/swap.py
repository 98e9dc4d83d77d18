"""Another box in the place of a device: what was known of the one before counts no more, but for its notes."""

from __future__ import annotations

from zinger.link.hostkeys import HostKeys
from zinger.plan.values.secrets import SecretRef
from zinger.run.hands import RunError
from zinger.run.openjob import OpenJob
from zinger.store import entries
from zinger.store.vault import Vault


def forget_box(job: OpenJob, name: str) -> entries.Swapped:
    """Drop what belongs to the box alone: pinned keys, and the password on its label; returns the event to write.

    Raises RunError for a device that can't be spoken to.
    """
    if name not in job.memories:
        raise RunError(f"no device that can be spoken to is called {name}")
    device = job.board.lines[name].device
    at = str(device.fixed.ip) if device.fixed else name
    for file in (job.folder.host_keys, job.folder.certificates):
        if file.exists():
            HostKeys(file).forget(lambda known: known in (name, at) or known.startswith(f"[{at}]:"))
    if job.folder.vault.exists():
        (job.vault or Vault(job.folder.vault)).drop(SecretRef(f"{name}/label"))
    return entries.Swapped(device.serial, device.mac)
