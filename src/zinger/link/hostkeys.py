"""SSH host keys: pinned at first sight, in a file that OpenSSH can read too (its known_hosts form)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from zinger.files import write_whole


class HostKeys:
    """The keys of one job, by the name under which each device was met."""

    def __init__(self, file: Path | None = None) -> None:
        self.file = file
        self._keys: dict[str, str] = {}
        if file is not None and file.exists():
            for line in file.read_text("utf-8", "replace").splitlines():
                name, _, key = line.strip().partition(" ")
                if name and key and not name.startswith("#"):
                    self._keys[name] = " ".join(key.split()[:2])

    def pinned(self, names: Sequence[str]) -> str | None:
        """The key of the first of these names that was met, as `type base64`; None when none was."""
        return next((key for name in names if (key := self._keys.get(name))), None)

    def pin(self, names: Sequence[str], key: str) -> None:
        """Keep a key that was met, under each of these names; it is on disk when this returns. Raises FileError."""
        met = dict.fromkeys(names, " ".join(key.split()[:2]))
        if met.items() <= self._keys.items():
            return
        self._keep(self._keys | met)

    def carry_over(self, names: Mapping[str, str]) -> None:
        """Devices are called otherwise (the name now, the one before): so are their keys. Raises FileError."""
        met = {now: self._keys[before] for now, before in names.items() if before in self._keys}
        if met:
            before = names.values()
            self._keep({name: key for name, key in self._keys.items() if name not in before} | met)

    def forget(self, whose: Callable[[str], bool]) -> None:
        """Drop the keys under these names: another device is there now. Raises FileError."""
        left = {name: key for name, key in self._keys.items() if not whose(name)}
        if len(left) < len(self._keys):
            self._keep(left)

    def _keep(self, keys: dict[str, str]) -> None:
        self._keys = keys
        if self.file is not None:
            write_whole(self.file, "".join(f"{n} {k}\n" for n, k in sorted(keys.items())).encode())
