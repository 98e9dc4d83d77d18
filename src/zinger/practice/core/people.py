"""Accounts of simulated devices; a secret is kept as a salted hash, as on real ones."""

from __future__ import annotations

import hashlib
import os
from dataclasses import dataclass


@dataclass
class Person:
    """An account and its level, in its family's word. `must_renew`: its secret is printed on a label."""

    level: str
    salt: str
    digest: str
    must_renew: bool = False

    @classmethod
    def with_secret(cls, level: str, secret: str, must_renew: bool = False) -> Person:
        salt = os.urandom(8).hex()
        return cls(level, salt, _digest(salt, secret), must_renew)

    def knows(self, secret: str) -> bool:
        """Whether this is the account's secret."""
        return _digest(self.salt, secret) == self.digest


def _digest(salt: str, secret: str) -> str:
    return hashlib.sha256(f"{salt}:{secret}".encode()).hexdigest()


def label_secret(serial: str) -> str:
    """What the factory printed on the label of the box with this serial number."""
    return f"label-{hashlib.sha256(serial.encode()).hexdigest()[:8]}"
