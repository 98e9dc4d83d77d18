"""Which lease lists a run looks into: those of its command line, and in live runs those that the job names."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from urllib.parse import urlsplit

from zinger.link.base import LinkError
from zinger.link.hostkeys import HostKeys
from zinger.link.leases import LARGEST, LeaseLists, is_served
from zinger.plan.model import Plan
from zinger.plan.values.secrets import SecretRef
from zinger.store.vault import Vault


def lease_lists(given: Sequence[str], plan: Plan, folder: Path, vault: Vault, keys: HostKeys) -> LeaseLists:
    """The lists, each read where it is.

    A server's password is the entry `user@host` of the vault, and its host key is pinned at first sight.
    """
    live = plan.mode == "live"
    named = [source if is_served(source) else str(folder / source) for source in plan.leases] if live else []

    async def fetch(source: str) -> str:
        from zinger.link.ssh import Endpoint, read_file

        parts = urlsplit(source)
        user, host = parts.username or "", parts.hostname or ""
        entry = SecretRef(f"{user}@{host}")
        if not live:
            raise LinkError(f"{source}: in practice no server is dialled; give a file")
        if entry not in vault:
            raise LinkError(f"{source}: its password is not in the vault; enter it: zinger secret JOB {entry.name}")
        where = Endpoint(host, parts.port or 22)
        where = Endpoint(host, where.port, known_as=(where.spelled,))
        return await read_file(user, vault.get(entry), where, parts.path, LARGEST // 10, keys)

    return LeaseLists([*given, *named], fetch)
