"""Carries one device from factory state to a proved baseline: reach, sign in, say, keep, prove.

Every stage looks before it acts, so the whole can be begun again after any interruption (a cut, a crash, a
restart, a person's typing) and says only what is not so. What it can't decide it hands to a person.
"""

from __future__ import annotations

import time

from zinger.link.base import LinkError
from zinger.phrasebook import Effect
from zinger.plan.setting import Stop
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.subjects.accounts.settings import ADMINISTRATOR
from zinger.plan.values.secrets import SecretRef
from zinger.proof import Facts, to_say
from zinger.run.board import Mark
from zinger.run.hands import HandsNeeded
from zinger.run.memory import Memory
from zinger.run.onwire import OnWire
from zinger.run.prover import Prover
from zinger.run.pump import TakenOver
from zinger.script import ScriptPhrase
from zinger.store.vault import VaultError
from zinger.talk import (
    Answer,
    At,
    Interrupted,
    RefusedByDevice,
    Stuck,
    TalkError,
    arrive,
    begin_interview,
    hold_interview,
    look,
    say_phrase,
)

INTERRUPTIONS = 12
"""How often a device may be interrupted in one run before a person is asked."""
FIRST_LOOK = 12.0
"""Seconds to wait for a first sign of life before asking whether it is plugged in."""
SECOND_LOOK = 60.0


class Carrier:
    """One device's way through the stages."""

    def __init__(self, wire: OnWire, memory: Memory) -> None:
        self.wire, self.memory = wire, memory
        self.line, self.script = wire.line, wire.script
        self.prover = Prover(wire)
        self.held: set[str] = set()
        """The question scripts that were held in this run."""

    async def carry(self) -> None:
        """Go through all stages; returns when the device is proved, differs, or needs a person."""
        self.line.began, self.line.ended = time.time(), None
        left = INTERRUPTIONS
        try:
            while True:
                try:
                    await self._through()
                    return
                except TakenOver:
                    await self._while_a_person_has_it()
                except Interrupted as error:
                    left -= 1
                    if left == 0:
                        raise Stuck(f"it was interrupted {INTERRUPTIONS} times, last because {error}") from None
                    self.line.say(f"{error}; looks again")
        except (TalkError, LinkError, VaultError, HandsNeeded) as error:
            self._needs_you(error)
        finally:
            self.line.ended = time.time()

    async def _through(self) -> None:
        await self._reach()
        facts = await self._sign_in()
        if self.wire.world.speak:
            said = await self._say(facts)
            await self._keep(said)
        await self.prover.prove()

    def _needs_you(self, error: Exception) -> None:
        mask = self.wire.world.masker().text
        self.line.shown = mask(getattr(error, "shown", "") or self.wire.pump.conversation.ear.tail)
        why = mask(str(error))
        for stop, mark in self.line.stops.items():
            if mark in (Mark.NOW, Mark.AHEAD):
                self.line.stop(stop, Mark.NEEDS_YOU)
                break
        self.line.say(f"needs you · {why}", Mark.NEEDS_YOU)
        self.line.wait("you")
        self.wire.note("needs you", why=why, shown=self.line.shown)

    async def _while_a_person_has_it(self) -> None:
        self.line.person_has_it = True
        self.line.say("you have the wire", Mark.NEEDS_YOU)
        self.wire.note("person", what="took the wire")
        await self.wire.pump.handed_back()
        self.line.person_has_it = False
        self.line.say("handed back; looks where it is")
        self.wire.note("person", what="handed the wire back")

    def state_in_words(self) -> str:
        """What a person must know when Zinger leaves this device now."""
        line = self.line
        keeping = {p.setting for p in self.script.keep}
        unkept = any(p.mark is Mark.SAID for p in line.phrases if p.setting not in keeping)
        kept = bool(keeping) and all(p.mark in (Mark.SAID, Mark.PROVED) for p in line.phrases if p.setting in keeping)
        if line.mood is Mark.PROVED:
            return "proved"
        if kept:
            return "saved to startup, proof not finished"
        if unkept:
            return "changed, not saved: a power cut takes it back" if keeping else "changed, proof not finished"
        if line.began is None or not line.place:
            return "not touched yet"
        return (
            "booting, nothing changed yet"
            if line.place == "booting"
            else f"stands at {line.place.replace('_', ' ')}, nothing changed yet"
        )

    # -- stages ------------------------------------------------------------------------------------
    async def _reach(self) -> None:
        wire = self.wire
        async with wire.stage("reach", Stop.REACH, "reaching its console"):
            await wire.connect()
            try:
                await wire.do(look(FIRST_LOOK))
            except Stuck as error:
                if error.shown.strip():
                    raise
                await wire.plug("nothing answers on its console")
                await wire.do(look(SECOND_LOOK))

    async def _sign_in(self) -> Facts:
        wire = self.wire
        async with wire.stage("sign in", Stop.SIGN_IN, "signing in"):
            await wire.know_the_label()
            await self._may_sign_in(wire.book.factory.user, wire.device.factory_account_secret)
            questions = frozenset(wire.book.interview_of)
            at = await wire.do(arrive(wire.book, wire.book.home, wire.keys, SECOND_LOOK, questions))
            if at.name in questions:
                await self._hold(wire.book.interview_of[at.name].name)
                await wire.do(arrive(wire.book, wire.book.home, wire.keys))
            facts = await wire.read(startup=False)
            self._check_box(facts)
        return facts

    async def _may_sign_in(self, user: str, secret: SecretRef) -> None:
        """An intent, on disk before anything that could make this sign-in count."""
        if user and (user, secret.name) not in (*self.memory.accepted, *self.memory.intended):
            self.memory.intended.insert(0, (user, secret.name))
            await self.wire.write("may sign in", user=user, secret=secret.name)

    def _check_box(self, facts: Facts) -> None:
        """Is this the box that the plan means? Compared before the first phrase is said."""
        device, shown = self.wire.device, self.wire.pump.conversation.standing.marks
        known = False
        for what, planned in (("serial", device.serial), ("mac", device.mac)):
            fact = facts.get(self.wire.book.identity.get(what, ""))
            seen = fact[0].value if fact else shown.get(what, "")
            known |= bool(planned and seen)
            if planned and seen and _plain(seen) != _plain(planned):
                other = self.wire.world.whose(seen)
                raise Stuck(
                    f"this is another box: its {what} is {seen}{f', planned as {other}' if other else ''}; "
                    f"the plan says {planned}; is the cable in the right one?",
                    fact[0].line if fact else seen,
                )
        other = self.wire.world.whose(shown.get("hostname", ""))
        if not known and other not in ("", device.name):
            raise Stuck(
                f"it calls itself {other}, which is another device of the plan, and neither serial number nor "
                "MAC tells otherwise; is the cable in the right one?",
                shown["hostname"],
            )

    async def _say(self, facts: Facts) -> bool:
        todo = to_say(self.script, facts)
        for phrase in self.script.phrases:
            if phrase not in todo:
                self.line.phrase(phrase.setting, Mark.SAID, "was so already")
        async with self.wire.stage("say", None, "saying the settings"):
            for phrase in todo:
                if not phrase.interview:
                    await self._say_one(phrase)
            asked = [phrase for phrase in todo if phrase.interview]
            for name in dict.fromkeys(phrase.interview for phrase in asked):
                if name not in self.held and self.script.interviews[name].interview.at:
                    await self._hold(name)
            if asked:
                await self._say_what_was_not_made(asked)
        return bool(todo)

    async def _hold(self, name: str) -> None:
        """Hold a question script with this device's answers."""
        wire, held = self.wire, self.script.interviews[name]
        await wire.do(begin_interview(wire.book, held.interview, wire.keys))
        self._check_box({})
        for setting in held.settings:
            self.line.phrase(setting, Mark.NOW)
        self.line.say("answering its questions")
        for _, account in accounts_of(wire.device):
            await self._may_sign_in(account.name, account.secret)
        await wire.write("say", setting=f"questions of {name}", words=f"{len(held.answers)} answers")
        try:
            await wire.do(hold_interview(wire.book, self.script, held, wire.keys))
        except RefusedByDevice as refusal:
            raise Stuck(f"{refusal.setting} was refused in its questions: {refusal.words}") from None
        except Interrupted:
            if held.interview.effect is not Effect.RESTARTS or not wire.restarts:
                raise
            self.line.say("restarting after its questions")
            at = await wire.do(arrive(wire.book, wire.book.home, wire.keys, SECOND_LOOK, held.interview.questions))
            if at.name in held.interview.questions:
                raise Interrupted("it restarted in the middle of its questions") from None
        self.held.add(name)
        for setting in held.settings:
            self.line.phrase(setting, Mark.SAID)
            wire.note("said", setting=setting)

    async def _say_what_was_not_made(self, asked: list[ScriptPhrase]) -> None:
        """A question script can do less than it seems to: read, and say by itself what is still not so."""
        await self.wire.do(arrive(self.wire.book, self.wire.book.home, self.wire.keys))
        still = to_say(self.script, await self.wire.read(startup=False))
        for phrase in asked:
            if phrase in still and phrase.also is not None:
                await self._say_one(phrase.also)
            elif phrase in still and phrase.fact:
                self.line.phrase(phrase.setting, Mark.DIFFERS, "its questions did not make it so")
                self.wire.note("refused", setting=phrase.setting, words="its questions did not make it so")

    async def _say_one(self, phrase: ScriptPhrase) -> None:
        wire = self.wire
        self.line.phrase(phrase.setting, Mark.NOW)
        self.line.say(f"saying {phrase.title}" if phrase not in self.script.keep else phrase.title)
        for setting, account in accounts_of(wire.device):
            if setting.name == phrase.setting == ADMINISTRATOR.name:
                await self._may_sign_in(account.name, account.secret)
        moves = phrase.effect is Effect.LINK_MOVES and wire.over_network
        if moves:
            await self._way_back(phrase)
        await wire.write("say", setting=phrase.setting, words=phrase.shown)
        try:
            answer = await self._said(phrase, moves)
            if phrase.confirm is not None:
                await wire.confirm(phrase)
        except RefusedByDevice as refusal:
            self.line.phrase(phrase.setting, Mark.DIFFERS, refusal.words)
            wire.note("refused", setting=phrase.setting, words=refusal.words)
        except Interrupted:
            if phrase.effect is not Effect.RESTARTS or not wire.restarts:
                raise
            self.line.phrase(phrase.setting, Mark.SAID)
        else:
            warned = "; ".join(answer.warnings)
            self.line.phrase(phrase.setting, Mark.SAID, warned)
            wire.note("said", setting=phrase.setting, **({"warned": warned} if warned else {}))

    async def _way_back(self, phrase: ScriptPhrase) -> None:
        """Before the very link that is spoken over moves, it must be sure how one comes back."""
        if phrase.confirm is None:
            raise Stuck(
                f"saying the {phrase.title} would cut the link over which it is said, and nothing takes it "
                "back if that goes wrong; give it a console, or the phrase a confirm"
            )
        await self.wire.world.laptop.be_near(self.wire.device, self.line.wait)

    async def _said(self, phrase: ScriptPhrase, moves: bool) -> Answer:
        """Say a phrase; where it moves the link, the silence or loss that follows is what was wanted."""
        try:
            answer: Answer = await self.wire.do(say_phrase(self.wire.book, phrase, self.wire.keys))
        except (Interrupted, Stuck) as error:
            if not moves or isinstance(error, TakenOver):
                raise
            return Answer((), At(self.wire.book.places[phrase.at]))
        return answer

    async def _keep(self, said: bool) -> None:
        if not self.script.keep:
            return
        if not said and not await self._unkept():
            for phrase in self.script.keep:
                self.line.phrase(phrase.setting, Mark.SAID, "was so already")
            return
        async with self.wire.stage("keep", Stop.SAVE, "saving to startup"):
            for phrase in self.script.keep:
                await self._say_one(phrase)

    async def _unkept(self) -> bool:
        """Whether the startup state, where it can be read, is otherwise than planned."""
        shown = self.wire.book.startup_facts
        if not shown:
            return False
        still = to_say(self.script, await self.wire.read(startup=True))
        return any(phrase.fact in shown for phrase in still)


def _plain(identity: str) -> str:
    return "".join(c for c in identity.lower() if c.isalnum())
