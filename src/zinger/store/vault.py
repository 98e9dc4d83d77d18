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
import time
from collections.abc import Collection, Iterable, Iterator, Mapping
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


BEFORE = "/before"
"""What is added to the name of an entry for the password that it had before, while devices are told the new one."""


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
        self._since: dict[str, float] = {}
        self._recipients: dict[str, str] = {}
        """Whose keys open it beside this person's: a name by each."""
        self._carried = ""
        """What was carried over last."""
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
            self._kept, self._since, self._recipients, self._carried = self._read()
            self._stamp = stamp

    def _read(self) -> tuple[dict[str, str], dict[str, float], dict[str, str], str]:
        identity = _identity(self._identity_file)
        try:
            plain = json.loads(pyrage.decrypt(self.file.read_bytes(), [identity]))
            since = {str(k): float(v) for k, v in plain.get("since", {}).items()}
            others = {str(k): str(v) for k, v in plain.get("recipients", {}).items()}
            secrets = {str(k): str(v) for k, v in plain["secrets"].items()}
            return secrets, since, others, str(plain.get("carried", ""))
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
        self._refresh()
        return bytes(pyrage.encrypt(data, self._opened_by()))

    def _opened_by(self) -> list[pyrage.x25519.Recipient]:
        """Who can open what is sealed now: this person, and those who were added."""
        others = [pyrage.x25519.Recipient.from_str(key) for key in self._recipients]
        return [_identity(self._identity_file).to_public(), *others]

    def since(self, name: str) -> float | None:
        """When an entry got its present password, in seconds since 1970; None for one of an older vault."""
        self._refresh()
        return self._since.get(name)

    def recipients(self) -> dict[str, str]:
        """Names of the others who can open it, by their public keys."""
        self._refresh()
        own = self.own_key() if self._recipients else ""
        return {key: name for key, name in self._recipients.items() if key != own}

    def own_key(self) -> str:
        """This person's public key, for a colleague to add."""
        return str(_identity(self._identity_file).to_public())

    def add_recipient(self, key: str, name: str) -> None:
        """Have somebody else open it too, by their public age key. Raises VaultError for what is no such key."""
        try:
            pyrage.x25519.Recipient.from_str(key)
        except pyrage.RecipientError:
            raise VaultError(
                f"{key!r} is not a public age key; it begins with age1, and `zinger secret JOB --key` shows it"
            ) from None
        with self._writing():
            secrets = dict(self._secrets)
            # whoever writes it next must seal it for this person too
            self._recipients = {self.own_key(): "whoever shared it", **self._recipients, key: name}
            self._write(secrets)

    def remove_recipient(self, key: str) -> None:
        """Seal it without somebody from now on; what they opened before they know. Raises VaultError."""
        with self._writing():
            secrets = dict(self._secrets)
            if key not in self._recipients:
                raise VaultError(f"{key} is not among those who can open the vault")
            self._recipients = {other: name for other, name in self._recipients.items() if other != key}
            self._write(secrets)

    def rotate(self, ref: SecretRef, rules: FamilyRules | None) -> None:
        """A new password for an entry, on disk when this returns; the one before is kept beside it."""
        with self._writing():
            old = self.get(ref)
            new = make_secret(rules)
            self._write(self._secrets | {ref.name: new, ref.name + BEFORE: old})

    def drop(self, ref: SecretRef) -> None:
        """Forget an entry; nothing happens where there is none."""
        with self._writing():
            left = {name: secret for name, secret in self._secrets.items() if name != ref.name}
            if len(left) < len(self._kept):
                self._write(left)

    def carry_over(self, names: Mapping[str, str], needed: Collection[str], once: str) -> None:
        """Devices have other names (the name now, the one before): so have their entries, all at once.

        Those that are `needed` stay under the old name too. What stood under a new name of what is not there any more
        is kept as `kept/NAME`. `once` is what this carrying over is called: done again, it would exchange names back.
        """
        with self._writing():
            there = dict(self._secrets)
            if self._carried == once:
                return
            called = {
                entry: now + entry.removeprefix(before)
                for now, before in names.items()
                for entry in there
                if entry.startswith(f"{before}/")
            }
            if not called:
                return
            every = {new: there[old] for old, new in called.items()}
            stays = {old: there[old] for old in called if old in needed and old not in every}
            others = {old: secret for old, secret in there.items() if old not in called}
            displaced = {f"kept/{old}": secret for old, secret in others.items() if every.get(old, secret) != secret}
            ages = {new: self._since[old] for old, new in called.items() if old in self._since}
            self._carried = once
            self._write(displaced | others | stays | every, ages)

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

    def _write(self, every: Mapping[str, str], ages: Mapping[str, float] | None = None) -> None:
        """Put these on disk; `ages` tell since when some are what they are, if not since now."""
        now, ages = time.time(), ages or {}
        changed = {name for name, secret in every.items() if self._kept.get(name) != secret}
        since = {
            name: ages.get(name, now if name in changed else self._since[name])
            for name in every
            if name in changed or name in self._since
        }
        kept = {"secrets": every, "since": since, "recipients": self._recipients, "carried": self._carried}
        plain = json.dumps(kept, indent=1, sort_keys=True).encode()
        if not self.file.exists() and not self._identity_file.exists():
            _make_identity(self._identity_file)
        sealed = pyrage.encrypt(plain, self._opened_by())
        write_whole(self.file, sealed, 0o600)
