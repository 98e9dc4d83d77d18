"""Saving running to startup: owed from the first thing sent until a save succeeds, across runs and crashes."""

from __future__ import annotations

from zinger.plan.setting import Stop
from zinger.proof.findings import Source, judge, unsaved_by
from zinger.run.board import Mark
from zinger.run.stages.send import send_one
from zinger.run.stages.stage import Pass
from zinger.store import entries


class Save:
    """Save what was sent, or what the startup state does not show yet."""

    def wanted(self, on: Pass) -> bool:
        return on.wire.world.sends and bool(on.wire.script.saves)

    async def carry(self, on: Pass) -> None:
        wire = on.wire
        if not wire.memory.unsaved and not await self._is_open(on):
            for step in wire.script.saves:
                wire.line.step(step.setting, Mark.SENT, "already saved")
            return
        async with wire.stage("save", Stop.SAVE, "saving to startup"):
            saved = [await send_one(on, step) for step in wire.script.saves]
        if all(saved):
            wire.note(entries.Saved())

    @staticmethod
    async def _is_open(on: Pass) -> bool:
        """Whether the device shows that something is unsaved, or its startup state is otherwise than planned."""
        tells = any(step.shows for step in on.wire.script.saves)
        if tells and unsaved_by(on.wire.script, await on.wire.read(startup=False)):
            return True
        shown = on.wire.book.startup_facts
        if not shown:
            return False
        findings = judge(on.wire.script, await on.wire.read(startup=True), Source.STARTUP, shown)
        return not all(finding.holds for finding in findings)
