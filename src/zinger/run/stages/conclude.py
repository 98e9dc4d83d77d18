"""What came of it all."""

from __future__ import annotations

import time

from zinger.plan.setting import Stop
from zinger.run.board import Mark
from zinger.run.stages.stage import Pass
from zinger.store import entries


class Conclude:
    """Say whether the device is proved, on the board and in the journal."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire, line = on.wire, on.wire.line
        if not on.owed.is_proved():
            sentence = on.owed.what_differs()
            line.stop(Stop.PROOF, Mark.DIFFERS)
            line.say(sentence, Mark.DIFFERS)
            wire.note(entries.Differs(sentence))
            return
        line.stop(Stop.PROOF, Mark.PROVED)
        for step in wire.script.saves:
            line.step(step.setting, Mark.PROVED)
        for stop, mark in line.stops.items():
            if mark is Mark.SENT:
                line.stop(stop, Mark.PROVED)
        held = " · holds after a power cut" if wire.world.power_cut else ""
        line.say(f"proved {time.strftime('%H:%M')}{held}", Mark.PROVED)
        wire.note(entries.Proved())
