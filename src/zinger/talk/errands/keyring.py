"""What to sign in with, in the order of belief."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from zinger.phrasebook.map import TERMS, AsksFor
from zinger.plan.values.secrets import SecretRef

TRIES_EACH = 2
"""Tries a credential, since devices lock out."""


@dataclass
class Keyring:
    """Credentials in the order of belief, and new passwords for forced changes."""

    credentials: Sequence[tuple[str, SecretRef]]
    renewals: Mapping[str, SecretRef] = field(default_factory=dict)
    device: str = ""
    """The device's name, for menus in which it must be chosen."""
    passwords: Mapping[AsksFor, SecretRef] = field(default_factory=dict)
    """Passwords that are no account's: of the console, of network sessions, for privileged work; those planned."""
    terms_accepted: bool = False
    """Whether a person accepted the terms that stand there now."""
    renewal_refusals: int = 0
    """Refusals of a new password so far: one is forgiven, since a question may stand half answered."""
    let_in: str | None = None
    """The account that was let in last."""
    _at: int = 0
    _tries: int = 0

    def bound(self, place_user: str | None) -> dict[str, object]:
        """The names that moves may use now, with what they mean."""
        names: dict[str, object] = {"device": self.device} if self.device else {}
        if self._at < len(self.credentials):
            names[AsksFor.USER.word], names[AsksFor.PASSWORD.word] = self.credentials[self._at]
        if place_user in self.renewals:
            names[AsksFor.NEW_PASSWORD.word] = self.renewals[place_user or ""]
        if self.terms_accepted:
            names[TERMS] = "yes"
        names.update((credential.word, secret) for credential, secret in self.passwords.items())
        return names

    @property
    def only_renewal(self) -> str | None:
        """Whose new password is meant where the device does not say."""
        return next(iter(self.renewals)) if len(self.renewals) == 1 else None

    @property
    def known(self) -> frozenset[str]:
        """Names that a way may count on, before its places are reached."""
        return frozenset(self.bound(self.only_renewal or next(iter(self.renewals), None)))

    @property
    def user(self) -> str | None:
        """The account of the present credential."""
        return self.credentials[self._at][0] if self._at < len(self.credentials) else None

    def turn_to(self, user: str | None) -> bool:
        """Take up the first credential of an account that was not refused yet; returns whether there is one."""
        if user is None or user == self.user:
            return user is not None
        left = list(self.credentials[self._at :])
        pair = next((pair for pair in left if pair[0] == user), None)
        if pair is None:
            return False
        left.remove(pair)
        self.credentials = [*self.credentials[: self._at], pair, *left]
        self._tries = 0
        return True

    def refused(self) -> None:
        """The present credential was not accepted; after two tries the next one is taken."""
        self._tries += 1
        if self._tries >= TRIES_EACH:
            self._at, self._tries = self._at + 1, 0

    def forget_refusals(self) -> None:
        """It was brought back to factory state, or a person sends it on its way again: all may be tried anew."""
        self._at = self._tries = 0

    def accepted(self) -> tuple[str, SecretRef]:
        """The present credential was accepted: it comes first from now on."""
        current = self.credentials[self._at]
        self.let_in = current[0]
        self._first(current)
        return current

    def accept(self, user: str, secret: SecretRef) -> None:
        """This credential was accepted elsewhere (at the door of the way in): it comes first from now on."""
        self._first((user, secret))

    def renewed(self, user: str) -> SecretRef:
        """A forced change was accepted: the new password comes first from now on."""
        secret = self.renewals[user]
        self._first((user, secret))
        return secret

    def _first(self, pair: tuple[str, SecretRef]) -> None:
        self.credentials = [pair, *(c for c in self.credentials if c != pair)]
        self._at = self._tries = 0
