"""What all devices of a run share: vault, journal, ways in, hands, and the claims on a world with one of each."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field
from pathlib import Path

from zinger.keep import Journal, Masker, Vault
from zinger.link import Dialer
from zinger.phrasebook import Phrasebook
from zinger.plan import Device, SecretRef, needed_secrets
from zinger.run.hands import Hands
from zinger.run.laptop import Laptop
from zinger.run.memory import factory_secret
from zinger.run.turns import Turns

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
    speak: bool = True
    turns: Turns = field(default_factory=Turns)
    from_outside: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(AT_ONCE_FROM_OUTSIDE))
    """A claim: key exchanges cost this machine work, so only a few sign in from the network at a time."""

    def masker(self) -> Masker:
        """A masker that knows every secret of the job."""
        return Masker(self.unspeakable)

    def masker_for(self, device: Device, book: Phrasebook) -> Masker:
        """A masker for one device's stream: what can be said to it; a person's typing makes it know all."""
        own = (self.secret(book, ref) for ref in (*needed_secrets(device), factory_secret(book)))
        return Masker(own)

    def secret(self, book: Phrasebook, ref: SecretRef) -> str:
        """Resolve a reference at the moment of saying."""
        return book.factory.password if ref == factory_secret(book) else self.vault.get(ref)
