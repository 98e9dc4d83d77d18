"""The vault: one age file (age-encryption.org/v1) with the job's secrets, opened by the person's identity.

The file is JSON inside, encrypted to an X25519 identity that lives outside the job, so that the job folder
can be copied without giving anything away and any age tool can open it. Every change is on disk, whole,
before `put` returns: a new password is in the vault before its first character is said.
"""

from __future__ import annotations

import fcntl
import hmac
import itertools
import json
import os
import secrets as entropy
import string
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path

import platformdirs
import pyrage

from zinger.errors import ZingerError
from zinger.files import write_whole
from zinger.plan.families import FamilyRules
from zinger.plan.values.secrets import SecretRef, SecretTraits

_WELL_KNOWN = frozenset("public private secret admin password default community read write snmp monitor cable".split())


def _counts(secret: str) -> bool:
    """Whether the characters count up, count down or repeat, like 12345678 or aaaaaaaa."""
    steps = {
        (ord(b) - ord(a)) % 10 if a.isdigit() and b.isdigit() else ord(b) - ord(a)
        for a, b in itertools.pairwise(secret)
    }
    return len(secret) > 3 and len(steps) == 1 and steps <= {0, 1, -1, 9}


class VaultError(ZingerError):
    """The vault can't be opened or written; the message says what to do."""


def make_secret(rules: FamilyRules | None = None, length: int = 20) -> str:
    """A random secret that begins with a letter, has letters and digits, and fits the rules; signs only if they ask."""
    if rules:
        length = max(rules.secret_shortest, min(length, rules.secret_longest))
    wanted = rules.secret_classes if rules else ()
    signs = string.ascii_letters + string.digits + ("-_.+" if "sign" in wanted else "")
    while True:
        secret = entropy.choice(string.ascii_letters) + "".join(entropy.choice(signs) for _ in range(length - 1))
        has = {"upper": any(c.isupper() for c in secret), "sign": any(not c.isalnum() for c in secret)}
        fits = all(has.get(name, True) for name in wanted)
        if fits and any(c.isdigit() for c in secret) and any(c.islower() for c in secret):
            return secret


def identity_file() -> Path:
    """Where this person's age identity lies: `ZINGER_IDENTITY`, else the user's configuration folder."""
    given = os.environ.get("ZINGER_IDENTITY")
    return Path(given) if given else platformdirs.user_config_path("zinger") / "identity.txt"


def _identity(file: Path) -> pyrage.x25519.Identity:
    """The identity in this file; raises VaultError when there is none."""
    try:
        text = file.read_text()
    except FileNotFoundError:
        raise VaultError(
            f"the age identity {file} is not there, and without it no vault can be opened; put it back, or set "
            "ZINGER_IDENTITY to where it is"
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        raise VaultError(f"the age identity {file} can't be used: {error}") from None
    line = next((line for line in text.splitlines() if line.startswith("AGE-SECRET-KEY-")), "")
    try:
        return pyrage.x25519.Identity.from_str(line)
    except pyrage.IdentityError:
        raise VaultError(f"{file} holds no age X25519 identity; put one there or move the file away") from None


def _make_identity(file: Path) -> None:
    """A new identity, on disk before any vault is sealed with it; one that is there is never replaced."""
    text = f"# zinger's age identity; whoever has it can open your vaults\n{pyrage.x25519.Identity.generate()}\n"
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
            out.write(text)
            out.flush()
            os.fsync(out.fileno())
    except FileExistsError:
        return
    except OSError as error:
        raise VaultError(f"the age identity {file} can't be made: {error.strerror}") from None


class Vault:
    """The secrets of one job, as they are on disk: what another process wrote is seen, and never lost.

    One writer at a time, by a lock beside the file; each change is made to what is on disk then, entry by entry.
    """

    def __init__(self, file: Path, identity: Path | None = None) -> None:
        self.file = file
        self._identity_file = identity or identity_file()
        self._salt = entropy.token_bytes(16)
        self._stamp: tuple[int, int, int] | None = None
        self._kept: dict[str, str] = {}
        self._refresh()

    @property
    def _secrets(self) -> dict[str, str]:
        self._refresh()
        return self._kept

    def _refresh(self) -> None:
        """Read the file again if it is another one than before."""
        try:
            stat = self.file.stat()
        except OSError:
            return
        stamp = (stat.st_ino, stat.st_mtime_ns, stat.st_size)
        if stamp != self._stamp:
            self._kept = self._read()
            self._stamp = stamp

    def _read(self) -> dict[str, str]:
        identity = _identity(self._identity_file)
        try:
            plain = pyrage.decrypt(self.file.read_bytes(), [identity])
            return {str(k): str(v) for k, v in json.loads(plain)["secrets"].items()}
        except OSError as error:
            raise VaultError(f"{self.file} can't be read: {error.strerror}") from None
        except (pyrage.DecryptError, ValueError, KeyError, TypeError, AttributeError):
            raise VaultError(
                f"the vault can't be opened with the identity {self._identity_file}; "
                "set ZINGER_IDENTITY to the one that made it, or move the file away"
            ) from None

    def get(self, ref: SecretRef) -> str:
        """The secret of an entry; raises VaultError when there is none."""
        try:
            return self._secrets[ref.name]
        except KeyError:
            raise VaultError(f"the vault has no entry {ref.name}") from None

    def __contains__(self, ref: SecretRef) -> bool:
        return ref.name in self._secrets

    def seal(self, data: bytes) -> bytes:
        """Data that whoever can open this vault can open, as an age file of its own. Raises VaultError."""
        return bytes(pyrage.encrypt(data, [_identity(self._identity_file).to_public()]))

    def unseal(self, file: Path) -> bytes:
        """What such a file holds; raises VaultError."""
        try:
            return bytes(pyrage.decrypt(file.read_bytes(), [_identity(self._identity_file)]))
        except (OSError, pyrage.DecryptError) as error:
            raise VaultError(f"{file} can't be opened: {error}") from None

    def put(self, entries: Mapping[SecretRef, str]) -> None:
        """Add or change entries; when this returns they are on disk."""
        with self._writing():
            self._write(self._secrets | {ref.name: secret for ref, secret in entries.items()})
            self._refresh()

    @contextmanager
    def _writing(self) -> Iterator[None]:
        """One writer at a time, across processes; the lock goes with its process."""
        try:
            lock = os.open(self.file.with_name(f".{self.file.name}.lock"), os.O_RDWR | os.O_CREAT, 0o600)
        except OSError as error:
            raise VaultError(f"{self.file} can't be written: {error.strerror}") from None
        try:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield
        finally:
            os.close(lock)

    def ensure(self, needed: Iterable[tuple[SecretRef, FamilyRules | None]]) -> list[str]:
        """Make what is missing, by each family's rules; returns the names of the new entries."""
        with self._writing():
            there = self._secrets
            new = {ref.name: make_secret(rules) for ref, rules in dict(needed).items() if ref.name not in there}
            if new:
                self._write(there | new)
        return list(new)

    def secrets(self) -> list[str]:
        """All secrets, for the masker only."""
        return list(self._secrets.values())

    def names(self) -> list[str]:
        """The names of all entries."""
        return sorted(self._secrets)

    def traits(self) -> dict[SecretRef, SecretTraits]:
        """What the checks may know of each entry."""
        return {SecretRef(name): self._traits(secret) for name, secret in self._secrets.items()}

    def _traits(self, secret: str) -> SecretTraits:
        import zxcvbn  # here, since its word lists take long to load

        random = len(secret) >= 20 and len(set(secret)) >= 10
        return SecretTraits(
            length=len(secret),
            letters=any(c.isalpha() for c in secret),
            digits=any(c.isdigit() for c in secret),
            score=4 if random else int(zxcvbn.zxcvbn(secret[:72])["score"]),
            sameness=hmac.new(self._salt, secret.encode(), sha256).hexdigest()[:16],
            sayable=secret.isprintable() and secret == secret.strip(),
            well_known=secret.lower() in _WELL_KNOWN,
            counts=_counts(secret),
            hex_digits=all(c in string.hexdigits for c in secret),
            lower=any(c.islower() for c in secret),
            upper=any(c.isupper() for c in secret),
            signs=any(not c.isalnum() for c in secret),
        )

    def _write(self, every: Mapping[str, str]) -> None:
        plain = json.dumps({"secrets": every}, indent=1, sort_keys=True).encode()
        if not self.file.exists() and not self._identity_file.exists():
            _make_identity(self._identity_file)
        sealed = pyrage.encrypt(plain, [_identity(self._identity_file).to_public()])
        write_whole(self.file, sealed, 0o600)
