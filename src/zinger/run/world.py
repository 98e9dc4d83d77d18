"""What all devices of a run share: vault, journal, ways in, hands, and the claims on a world with one of each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from zinger.link.dial import Dialer
from zinger.link.leases import LeaseLists
from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.owners import owners_of
from zinger.plan.subjects.accounts.credentials import needed_secrets
from zinger.plan.values.secrets import SecretRef
from zinger.run.claims import Claims
from zinger.run.hands import Hands
from zinger.run.memory import FACTORY_PREFIX, factory_secret
from zinger.run.terms import Terms
from zinger.run.turns import Turns
from zinger.store.entries import Happened
from zinger.store.mask import Masker
from zinger.store.vault import Vault
from zinger.talk.terminal.surface import Trace

if TYPE_CHECKING:
    from zinger.store.journal import Journal


@dataclass
class World:
    """One run's surroundings."""

    vault: Vault
    journal: Journal
    secrets: tuple[str, ...]
    """Every password of the job, for maskers only."""
    dialer: Dialer
    hands: Hands
    terms: Terms
    claims: Claims
    records: Path
    backups: Path
    pace: float = 1.0
    practice: bool = True
    power_cut: bool = True
    brings_back: bool = False
    """Whether the configuration that was kept last is brought back first."""
    stop_after: str = ""
    """The stage after which a device is left as it is."""
    restart: bool = False
    """Whether a restart by command is part of the proof, where the family has one."""
    sends: bool = True
    only_saves: bool = False
    """Whether each device is taken up at saving: no setting is sent."""
    leases: LeaseLists = field(default_factory=LeaseLists)
    """Lease lists of DHCP servers, in which devices are found by their MAC."""
    devices: tuple[Device, ...] = ()
    """Every device of the plan: what a console shows can be another's."""
    turns: Turns = field(default_factory=Turns)
    tell_of: Callable[[str, Happened], None] = lambda device, event: None
    """Takes in what one device's wire told of another one."""
    trace_of: Callable[[str], Trace | None] = lambda device: None
    """Where the turns of a device's conversation are traced, if they are."""

    def owner(self, shown: str) -> str:
        """The planned device with this serial number, MAC or hostname; empty when there is none."""
        return next((device.name for device, _ in owners_of(shown, self.devices)), "")

    def masker(self) -> Masker:
        """A masker that knows every secret of the job."""
        return Masker(self.secrets)

    def masker_for(self, device: Device, book: Phrasebook) -> Masker:
        """A masker for one device's stream: what can be sent to it; a person's typing makes it know all."""
        return Masker(self.secrets_of(device, book))

    def secrets_of(self, device: Device, book: Phrasebook) -> list[str]:
        """The passwords and keys that can be sent to a device."""
        wanted = [ref for ref in (*needed_secrets(device), factory_secret(device, book)) if ref in self.vault]
        return [secret for secret in (*map(self.vault.get, wanted), book.factory.hidden) if secret]

    def secret(self, book: Phrasebook, ref: SecretRef) -> str:
        """Resolve a reference at the moment of sending; raises VaultError for an entry that is not there."""
        return book.factory.password if _is_public(book, ref) else self.vault.get(ref)


def _is_public(book: Phrasebook, ref: SecretRef) -> bool:
    return ref.name == f"{FACTORY_PREFIX}{book.family}"
