"""Keeping the configuration that the device itself gives, where its family has a way."""

from __future__ import annotations

import asyncio
import hashlib

from zinger.run.stages.stage import Pass
from zinger.store import entries
from zinger.store.backups import keep


class Backup:
    """Fetch it once everything is as planned, and seal it into the job."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.book.backup is not None and not on.done.backed_up

    async def carry(self, on: Pass) -> None:
        wire, backup = on.wire, on.wire.book.backup
        assert backup is not None
        async with wire.stage("backup", None, "fetching its configuration"):
            data = await wire.fetch(backup.reading)
            world = wire.world
            file = await asyncio.to_thread(keep, world.backups, wire.name, backup.suffix, data, world.vault)
        on.done.backed_up = True
        wire.note(entries.BackedUp(file.name, len(data), hashlib.sha256(data).hexdigest()))
