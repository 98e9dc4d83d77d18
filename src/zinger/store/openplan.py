"""A job's folder, read: its families, its vault and its plan; enough to check, list and export without a device."""

from __future__ import annotations

from zinger.plan.model import Plan
from zinger.plan.problems import Spot, error_at
from zinger.store.folder import JobFolder
from zinger.store.vault import Vault, VaultError


class OpenPlan:
    """What a job plans; raises JobFolderError where a file can't be read at all."""

    def __init__(self, folder: JobFolder, sheet: str = "") -> None:
        self.folder = folder
        self.families, problems = folder.families()
        self.books = self.families.books
        self.vault: Vault | None = None
        if folder.vault.exists():
            try:
                self.vault = Vault(folder.vault)
            except VaultError as error:
                problems.append(
                    error_at(
                        "vault-closed",
                        Spot(folder.vault.name),
                        str(error),
                        "The plan can be read, but no device can be spoken to",
                    )
                )
        traits = self.vault.traits() if self.vault else {}
        self.plan: Plan = folder.plan(self.families, traits, tuple(problems), sheet)
