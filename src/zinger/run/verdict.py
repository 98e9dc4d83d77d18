"""What is looked for on a device in this run, and what came of it; `proof.outcome` has the word for that."""

from __future__ import annotations

from collections.abc import Sequence

from zinger.phrasebook.map import AsksFor
from zinger.plan.subjects.accounts.credentials import PlannedAccount
from zinger.plan.subjects.accounts.settings import ACCOUNTS as ACCOUNT_SETTINGS
from zinger.proof.findings import Source
from zinger.proof.outcome import SIGN_IN, Outcome, State, outcome
from zinger.run.calls import PlannedCall, calls_to_make
from zinger.run.legs import LegToAsk, legs_to_ask
from zinger.run.memory import accounts_told
from zinger.run.onwire import OnWire
from zinger.run.outside import Outside
from zinger.script.compile import Trial

ACCOUNTS = frozenset(setting.name for setting in ACCOUNT_SETTINGS)


class Owed:
    """The findings that this run must bring for one device."""

    def __init__(self, wires: Sequence[OnWire]) -> None:
        self.wires, self.wire, last = wires, wires[0], wires[-1]
        self.script = last.line.script
        """The script of all parts."""
        self.outside = Outside(
            last.world.dialer, last.device, last.book, last.world, lambda: last.memory.box, lambda: last.answers_at
        )

    @property
    def restarts(self) -> bool:
        """Whether a restart by command is part of the proof."""
        return self.wire.world.restart and self.wire.script.restart is not None

    def everything(self) -> list[tuple[str, Source]]:
        """Every (setting, source) that is looked for."""
        wire = self.wire
        sources = [
            Source.RUNNING,
            *([Source.AFTER_POWER_CUT] if wire.world.power_cut else []),
            *([Source.AFTER_RESTART] if self.restarts else []),
        ]
        steps = [step for step in self.script.steps if step.shows is not None]
        owed = [
            (s.setting, source) for s in steps for source in sources if source is Source.RUNNING or not s.is_measured
        ]
        owed += [
            (step.setting, Source.STARTUP)
            for part in self.wires
            for step in part.script.steps
            if step.shows is not None and step.is_in_startup and step.fact in part.book.startup_facts
        ]
        owed += [(SIGN_IN + account.name, Source.CONSOLE) for part in self.wires for account in self.on_console(part)]
        owed += [(trial.name, Source.CONSOLE) for part in self.wires for trial in self.trials(part)]
        owed += [(SIGN_IN + name, source) for name in self.unshown_accounts() for source in sources[1:]]
        owed += [(leg.name, Source.OUTSIDE) for leg in self.legs()]
        owed += [(call.name, Source.OUTSIDE) for call in self.calls()]
        return owed + [(setting, Source.OUTSIDE) for setting in self.outside.owed()]

    def legs(self) -> list[LegToAsk]:
        """The legs that are asked whether they take calls."""
        return legs_to_ask(self.wire.device, self.wire.book)

    def calls(self) -> list[PlannedCall]:
        """The calls that are made through a voice gateway that shows them."""
        shown = any(part.book.active_call for part in self.wires)
        return calls_to_make(self.wire.device) if shown else []

    @staticmethod
    def trials(wire: OnWire) -> list[Trial]:
        """The passwords and keys that the device is made to use."""
        return [trial for step in wire.script.steps for trial in step.trials]

    def on_console(self, wire: OnWire) -> list[PlannedAccount]:
        """The accounts whose passwords are tried on the console: no other way in tries them, and it can be left."""
        ways = wire.book.map
        door = ways.asking(AsksFor.USER) or ways.asking(AsksFor.PASSWORD)
        if wire.over_network or door is None or ways.next_move(wire.book.home, door, wire.keys.known) is None:
            return []
        tried = self.outside.accounts_tried()
        return [account for account in accounts_told(wire.device, wire.book) if account.name not in tried]

    def unshown_accounts(self) -> frozenset[str]:
        """The accounts that no reading shows: only signing in with them tells that they are there, and survive."""
        unshown = {step.value for step in self.script.steps if step.shows is None and step.setting in ACCOUNTS}
        return self.outside.accounts_tried() & unshown

    def outcome(self) -> Outcome:
        """What came of it so far."""
        wire = self.wire
        missing = [key for key in self.everything() if key not in wire.line.findings]
        return outcome(self.script, wire.memory.findings.values(), missing, wire.memory.deeds)

    def is_proved(self) -> bool:
        """Whether the word may be said."""
        return self.outcome().state is State.PROVED
