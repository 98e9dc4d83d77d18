"""What a device owes in this run, and whether it is proved: counted from the findings and nothing else."""

from __future__ import annotations

from zinger.plan.settings import SETTINGS
from zinger.proof.findings import Source, Verdict, proved
from zinger.run.onwire import OnWire
from zinger.run.outside import Outside


class Owed:
    """The findings without which one device is not proved."""

    def __init__(self, wire: OnWire) -> None:
        self.wire = wire
        self.outside = Outside(wire.world.dialer, wire.device, wire.book, wire.world)

    @property
    def restarts(self) -> bool:
        """Whether a restart by command is part of the proof."""
        return self.wire.world.restart and self.wire.script.restart is not None

    def everything(self) -> list[tuple[str, Source]]:
        """Every (setting, source) without which the device is not proved."""
        wire = self.wire
        sources = [
            Source.RUNNING,
            *([Source.AFTER_POWER_CUT] if wire.world.power_cut else []),
            *([Source.AFTER_RESTART] if self.restarts else []),
        ]
        steps = [step for step in wire.script.steps if step.shows is not None]
        owed = [(step.setting, source) for step in steps for source in sources]
        owed += [(step.setting, Source.STARTUP) for step in steps if step.fact in wire.book.startup_facts]
        return owed + [(setting, Source.OUTSIDE) for setting in self.outside.owed()]

    def is_proved(self) -> bool:
        """Whether everything owed was found and holds."""
        blocked = any(left_out.blocks for left_out in self.wire.script.not_sent)
        return not blocked and proved(self.wire.line.findings.values(), self.everything())

    def what_differs(self) -> str:
        """The first thing that keeps it from being proved, as a sentence."""
        differing = self.wire.line.differing
        blocked = [left_out for left_out in self.wire.script.not_sent if left_out.blocks]
        if not differing and blocked:
            return f"{SETTINGS[blocked[0].setting].title} can't be sent: {blocked[0].why}"
        if not differing:
            return "not all that is owed was found"
        first = differing[0]
        if first.verdict is Verdict.ABSENT:
            return f"{first.title}: nothing shown {_where(first.source)}, planned {first.planned}"
        return f"{first.title} reads back {first.read}, planned {first.planned}"


def _where(source: Source) -> str:
    return f"in {source.value}" if source in (Source.RUNNING, Source.STARTUP) else source.value
