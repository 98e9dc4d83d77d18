"""What a stage is, and what the stages of one pass know of each other's work."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import Protocol

from zinger.plan.owners import same_identity
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.values.addresses import ManagementAddress
from zinger.proof.facts import Facts
from zinger.run.memory import Memory
from zinger.run.onwire import OnWire
from zinger.run.verdict import Owed
from zinger.script.compile import Step
from zinger.store import entries
from zinger.talk.errors import Stuck


@dataclass
class Done:
    """What was done in this run, over all its passes."""

    held: set[str] = field(default_factory=set)
    """The question scripts that were held."""
    asked: dict[str, frozenset[str]] = field(default_factory=dict)
    """The question scripts that were begun again on a device that was set up before, with the settings to be said."""
    sent: Counter[str] = field(default_factory=Counter)
    """How often each setting was sent and taken."""
    strayed: Counter[str] = field(default_factory=Counter)
    """How often each setting's step ended at another place than it should."""
    refused: Counter[str] = field(default_factory=Counter)
    """How often each setting was refused."""
    impossible: set[type] = field(default_factory=set)
    """The stages that hands could not help with: what they would prove is owed."""
    backed_up: bool = False
    """Whether its configuration was fetched and kept."""
    restored: bool = False
    """Whether its kept configuration was brought back in this run."""
    brought_back: bool = False
    """Whether it was brought back to factory state by hand in this run."""
    missed_a_restart: bool = False
    """Whether a restart went unseen, since the link was lost."""


@dataclass
class Pass:
    """One pass through the stages; an interruption begins a new one, which looks anew."""

    wire: OnWire
    memory: Memory
    owed: Owed
    done: Done
    parts: tuple[Pass, ...] = ()
    """The passes over all parts of its dialogue, this one among them."""
    facts: Facts = field(default_factory=dict)
    """What was read when it was signed in to."""

    async def may_sign_in(self, user: str, secret: str) -> None:
        """An intent, on disk before anything that could make this sign-in count."""
        if user and (user, secret) not in (*self.memory.accepted, *self.memory.intended):
            self.memory.intended.insert(0, (user, secret))
            await self.wire.write(entries.MaySignIn(user, secret))

    def knows_secrets_of(self, step: Step) -> bool:
        """Whether the passwords of a step are this very device's, for all that is known: they were accepted, or sent.

        One that was sent and with which nobody was let in is not.
        """
        mine = [(a.name, a.secret.name) for a in accounts_of(self.wire.device) if a.setting.name == step.setting]
        if self.done.sent[step.setting] or any(pair in self.memory.accepted for pair in mine):
            return True
        return step.setting in self.memory.begun and not any(name in self.memory.kept_out for name, _ in mine)

    def check_device(self, facts: Facts) -> None:
        """Is this the device that the plan means? Compared before the first step is sent. Raises Stuck."""
        wire = self.wire
        device, shown = wire.device, wire.pump.conversation.identity
        known, box = False, {"serial": "", "mac": ""}
        for what, planned in (("serial", device.serial), ("mac", device.mac)):
            fact = facts.get(wire.book.identity.get(what, ""))
            seen = fact[0].value if fact else shown.get(what, "")
            known, box[what] = known or bool(planned and seen), seen
            if planned and seen and not same_identity(seen, planned):
                other = wire.world.owner(seen)
                whose = f" of {other}" if other else ""
                shows = fact[0].line if fact else seen
                raise self._wrong_device(f"{what} {seen}{whose}, expected {planned}", other, shows)
        other = wire.world.owner(shown.get("hostname", ""))
        if not known and other not in ("", device.name):
            neither = "which is another device of the plan, and shows neither serial number nor MAC"
            raise self._wrong_device(f"it calls itself {other}, {neither}", other, shown["hostname"])
        self.wire.is_told_apart(known)
        self._met(entries.Met(**box))
        self._stands(device.fixed)

    def _wrong_device(self, why: str, other: str, shows: str) -> Stuck:
        """What a person is told; with what the box let Zinger in before it was told apart, its own device is tried."""
        told, keys = f"Wrong device: {why}. Check the console cable.", self.wire.keys
        if keys.let_in is not None and keys.credentials[0][1] in self.wire.world.vault:
            user, secret = keys.credentials[0][0], keys.credentials[0][1].name
            self.wire.note(entries.TookAnothers(user, secret, other))
            if other:
                self.wire.world.tell_of(other, entries.MaySignIn(user, secret))
            told += f" It let Zinger in as {user} with {secret}."
        return Stuck(told, shows)

    def _met(self, box: entries.Met) -> None:
        """Note which box it is, where it is not the one of before; of that one nothing counts any more."""
        before = self.memory.box
        if box == before or not str(box):
            return
        self.wire.note(box)
        if box.another_than(before):
            self.wire.line.findings.clear()
            self.wire.line.say(f"another box: {before} before, now {box}")

    def _stands(self, planned: ManagementAddress | None) -> None:
        """Note that it answers at its planned address, so that it is found when another one is planned."""
        if planned is None or planned.interface is None or self.wire.answers_at != str(planned.ip):
            return
        if planned.interface != self.memory.stands_at:
            self.wire.note(entries.Stands(str(planned.interface)))


class Stage(Protocol):
    """One stage of a device's way."""

    def wanted(self, on: Pass) -> bool:
        """Whether this device goes through it in this run."""

    async def carry(self, on: Pass) -> None:
        """Go through it; raises what stops the device, Interrupted where all is to be looked at anew."""
