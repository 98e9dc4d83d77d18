"""Bringing back the configuration that was kept last, where a person asked for it; then the rest is sent as always."""

from __future__ import annotations

import asyncio
import hashlib

from zinger.run.stages.send import send_one
from zinger.run.stages.stage import Pass
from zinger.script.compile import bringing_back
from zinger.store import entries
from zinger.store.backups import SEALED, BackupError, kept_in, opened
from zinger.talk.errors import Stuck


class Restore:
    """Once in a run, before anything else is sent."""

    def wanted(self, on: Pass) -> bool:
        world = on.wire.world
        return world.brings_back and world.sends and on.wire.book.restore is not None and not on.done.restored

    async def carry(self, on: Pass) -> None:
        wire, template = on.wire, on.wire.book.restore
        assert template is not None
        kept = kept_in(wire.world.backups, [wire.name])
        if not kept:
            raise BackupError(f"no configuration of {wire.name} is kept in this job, so none can be brought back")
        data = await asyncio.to_thread(opened, kept[0], wire.world.vault)
        try:
            lines = data.decode().splitlines()
        except UnicodeDecodeError:
            raise BackupError(f"{kept[0].file.name} is not text, and only text can be brought back") from None
        named = kept[0].file.name.removesuffix(SEALED)
        step = bringing_back(template, wire.name, named, lines)
        on.done.restored = True
        async with wire.stage("restore", None, f"bringing back {named}"):
            wire.pump.masker.know(wire.spellings(wire.world.secrets))
            if not await send_one(on, step):
                raise Stuck(f"{named} was refused: {wire.memory.deeds.refused.get(step.setting, 'it did not say why')}")
        wire.note(entries.Restored(kept[0].file.name, len(data), hashlib.sha256(data).hexdigest()))
