"""What came of it all."""

from __future__ import annotations

import time

from zinger.plan.revision import revision_of
from zinger.plan.setting import Stop
from zinger.proof.outcome import Outcome, State
from zinger.run.board import Mark
from zinger.run.stages.stage import Pass
from zinger.store import entries


class Conclude:
    """Say how the device stands, on the board and in the journal."""

    def wanted(self, on: Pass) -> bool:
        return True

    async def carry(self, on: Pass) -> None:
        wire, line, came = on.wire, on.wire.line, on.owed.outcome()
        line.outcome = came
        if came.state is State.DIFFERS:
            line.stop(Stop.PROOF, Mark.DIFFERS)
            line.say(came.sentence, Mark.DIFFERS)
            wire.note(entries.Differs(came.sentence, revision_of(wire.device)))
        elif came.state is State.CONFIGURED:
            line.stop(Stop.PROOF, Mark.CONFIGURED)
            line.say(f"configured · {came.sentence}", Mark.CONFIGURED)
            wire.note(entries.Configured.of((*came.owed, *came.forgiven), revision_of(wire.device)))
        else:
            self._proved(on, came)

    @staticmethod
    def _proved(on: Pass, came: Outcome) -> None:
        wire, line = on.wire, on.wire.line
        line.stop(Stop.PROOF, Mark.PROVED)
        for step in wire.script.saves:
            line.step(step.setting, Mark.PROVED)
        for stop, mark in line.stops.items():
            if mark is Mark.SENT:
                line.stop(stop, Mark.PROVED)
        words = [f"proved {time.strftime('%H:%M')}", "holds after a power cut" if wire.world.power_cut else ""]
        line.say(" · ".join(filter(None, [*words, came.sentence])), Mark.PROVED)
        wire.note(entries.Proved.of(came.forgiven, revision_of(wire.device)))
