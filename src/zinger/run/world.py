"""What all devices of a run share: vault, journal, ways in, hands, and the claims on a world with one of each."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field
from pathlib import Path

from zinger.link.dial import Dialer
from zinger.phrasebook import Phrasebook
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import needed_secrets
from zinger.plan.values.secrets import SecretRef
from zinger.run.hands import Hands
from zinger.run.laptop import Laptop
from zinger.run.memory import FACTORY_PREFIX, factory_secret
from zinger.run.turns import Turns
from zinger.run.whose import whose
from zinger.store.journal import Journal
from zinger.store.mask import Masker
from zinger.store.vault import Vault

AT_ONCE_FROM_OUTSIDE = 2


@dataclass
class World:
    """One run's surroundings."""

    vault: Vault
    journal: Journal
    unspeakable: tuple[str, ...]
    dialer: Dialer
    hands: Hands
    laptop: Laptop
    records: Path
    pace: float = 1.0
    practice: bool = True
    power_cut: bool = True
    restart: bool = False
    """Whether a restart by command is part of the proof, where the family has one."""
    speak: bool = True
    devices: tuple[Device, ...] = ()
    """Every device of the plan: what a console shows can be another's."""
    turns: Turns = field(default_factory=Turns)
    from_outside: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(AT_ONCE_FROM_OUTSIDE))
    """A claim: key exchanges cost this machine work, so only a few sign in from the network at a time."""

    def whose(self, shown: str) -> str:
        """The planned device with this serial number, MAC or hostname; empty when there is none."""
        return next((d.name for d, _ in whose(shown, self.devices)), "")

    def masker(self) -> Masker:
        """A masker that knows every secret of the job."""
        return Masker(self.unspeakable)

    def masker_for(self, device: Device, book: Phrasebook) -> Masker:
        """A masker for one device's stream: what can be said to it; a person's typing makes it know all."""
        wanted = [
            ref
            for ref in (*needed_secrets(device), factory_secret(device, book))
            if ref in self.vault or _is_public(book, ref)
        ]
        return Masker(secret for ref in wanted if (secret := self.secret(book, ref)))

    def secret(self, book: Phrasebook, ref: SecretRef) -> str:
        """Resolve a reference at the moment of saying; raises VaultError for an entry that is not there."""
        return book.factory.password if _is_public(book, ref) else self.vault.get(ref)


def _is_public(book: Phrasebook, ref: SecretRef) -> bool:
    return ref.name == f"{FACTORY_PREFIX}{book.family}"
