"""The pump: carries out an errand of a sans-IO dialogue over a link, and is the only place that sends secrets.

It is driven by callbacks, not by a task per device: what comes, or a timer, leads to one turn, in which actions are
carried out until the dialogue waits. What a surface asks its carrier for, bytes to write or a page to fetch, is each
pump's own (`ConsolePump`, `PagePump`).
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Generic, Protocol, TypeVar

from zinger.errors import ZingerError
from zinger.plan.values.secrets import SecretRef
from zinger.run.turns import Turns
from zinger.store.mask import Masker
from zinger.store.transcript import Transcript
from zinger.talk.driver import Ended, Running
from zinger.talk.errors import Interrupted, TalkError
from zinger.talk.events import Event
from zinger.talk.requests import Errand
from zinger.talk.surface import Wait

A = TypeVar("A", covariant=True)
T = TypeVar("T")
D = TypeVar("D", bound="Dialogue[object]")


class TakenOver(Interrupted):
    """A person took the wire; wait for it to be handed back, then look again."""


class Dialogue(Protocol[A]):
    """The driver of one device's errands, on whatever surface, as the run handles it."""

    def begin(self, errand: Errand[T], now: float) -> Running[T]:
        """Start an errand."""

    def turn(self, now: float) -> A | Wait | Ended:
        """What to do now."""

    def interrupt(self, error: TalkError, now: float) -> None:
        """End the errand from outside."""

    def take_events(self) -> list[Event]:
        """What happened since the last call."""

    @property
    def identity(self) -> dict[str, str]:
        """What the device showed of itself anywhere: serial number, MAC, hostname."""

    @property
    def tail(self) -> str:
        """What it showed last, for people."""

    @property
    def boots(self) -> bool:
        """Whether it shows that it boots, and neither stood at a known place nor said that it is up yet."""

    @property
    def boot_shown(self) -> float:
        """When it last showed that it boots; 0 where it never did."""

    def expect_boot(self, now: float, certain: bool = True) -> None:
        """It was switched on, or told to restart."""

    def forget(self) -> None:
        """The world changed behind it (power was cut): look anew."""

    def somebody_typed(self) -> None:
        """Somebody else used it: where the device was counts no more."""

    def lost(self, now: float) -> None:
        """The link is gone."""


class Pump(Generic[D]):
    """One dialogue, over one link at a time."""

    def __init__(
        self,
        conversation: D,
        secret: Callable[[SecretRef], str],
        masker: Masker,
        transcript: Transcript | None = None,
        onlooker: Callable[[Event], None] | None = None,
        turns: Turns | None = None,
    ) -> None:
        self.conversation: D = conversation
        self.transcript = transcript or Transcript()
        self.masker = masker
        self._secret = secret
        self._onlooker = onlooker
        self._turns = turns or Turns()
        self._loop = asyncio.get_running_loop()
        self._ended: asyncio.Future[None] | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._due = 0.0
        self._person = asyncio.Event()
        self._person.set()
        self.acted = False
        """Whether the person did anything to the device since they took the wire, and not only looked."""
        self._in_turn = False
        self._unread = 0
        """How much of what came waits for its turn to be taken in: till then nothing is concluded from silence."""
        self._fault: ZingerError | None = None
        """What an onlooker could not do while no errand was under way."""
        self._set_up()

    # -- what each surface's pump does in its own way ----------------------------------------------
    def _set_up(self) -> None:
        """The pump's own state, at its beginning."""
        raise NotImplementedError

    @property
    def is_joined(self) -> bool:
        """Whether there is a link."""
        raise NotImplementedError

    def leave(self) -> None:
        """Close the link, if there is one."""
        raise NotImplementedError

    def _carry_out(self, action: object) -> None:
        """What the surface asks for."""
        raise NotImplementedError

    def _note(self, event: Event) -> None:
        """What of an event goes into transcript and recording."""

    def _mark(self, text: str) -> None:
        """Mark the recording, if there is one."""

    def _person_ended(self) -> None:
        """A person gave it back."""

    # -- errands -----------------------------------------------------------------------------------
    async def do(self, errand: Errand[T]) -> T:
        """Carry out one errand; raises what it failed with, TakenOver when a person took the wire."""
        if not self._person.is_set():
            raise TakenOver("the wire is in a person's hands")
        return await self._carry(errand)

    async def _carry(self, errand: Errand[T]) -> T:
        """Carry out an errand, whoever has the wire."""
        if self._fault is not None:
            raise self._fault
        if not self.is_joined:
            raise Interrupted("there is no link")
        self._ended = self._loop.create_future()
        running: Running[T] = self.conversation.begin(errand, self._loop.time())
        self._turn()
        try:
            await self._ended
        finally:
            self._ended = None
        return running.result()

    def _turn(self) -> None:
        """Do what the conversation wants until it waits or its errand ends."""
        if self._in_turn:
            return
        self._in_turn = True
        try:
            while self._ended is not None and not self._ended.done():
                now = self._loop.time()
                action = self.conversation.turn(now)
                if isinstance(action, Wait):
                    self._wake_at(action.until, now)
                    break
                if isinstance(action, Ended):
                    self._ended.set_result(None)
                    self._turns.woke_somebody()
                else:
                    self._carry_out(action)
        except Exception as fault:  # of ours: it ends the device's task, loudly, not the link's callback
            if self._ended is None or self._ended.done():
                raise
            self._ended.set_exception(fault)
        finally:
            self._in_turn = False
            self._tell_onlookers()

    def _tell_onlookers(self) -> None:
        """What an onlooker can't do (a journal on a full disk) ends the errand, or the next one."""
        try:
            self._pass_on_events()
        except ZingerError as fault:
            if self._ended is not None and not self._ended.done():
                self._ended.set_exception(fault)
            else:
                self._fault = fault

    def _wake_at(self, when: float, now: float) -> None:
        if self._timer and self._due <= when and self._due > now:
            return
        if self._timer:
            self._timer.cancel()
            self._timer = None
        if when != float("inf"):
            self._due = when
            self._timer = self._loop.call_at(when, self._woken)

    def _woken(self) -> None:
        self._timer = None
        self._turns.soon(self._turn_after_silence)

    def _turn_after_silence(self) -> None:
        if not self._unread:  # else its turn comes behind this one
            self._turn()

    def _stop_timer(self) -> None:
        if self._timer:
            self._timer.cancel()
            self._timer = None

    def _pass_on_events(self) -> None:
        for event in self.conversation.take_events():
            self._note(event)
            if self._onlooker:
                self._onlooker(event)

    def expect_boot(self, certain: bool = True) -> None:
        """It boots now, or may, before it shows anything: nothing is pressed meanwhile."""
        self.conversation.expect_boot(self._loop.time(), certain)

    # -- a person on the wire ----------------------------------------------------------------------
    @property
    def person_has_it(self) -> bool:
        """Whether what a person does goes to the device now."""
        return not self._person.is_set()

    def take(self) -> None:
        """A person takes the wire; the errand under way ends with TakenOver."""
        if self._person.is_set():
            self._person.clear()
            self.acted = False
            self.transcript.annotate("person", "you have the wire")
            self._mark("a person takes the wire")
            self.conversation.interrupt(TakenOver("a person took the wire"), self._loop.time())
            self._turn()

    def hand_back(self) -> None:
        """The person is done: whoever waits goes on, and looks where the device is."""
        if self.person_has_it:
            self._person_ended()
            self.transcript.annotate("person", "handed back")
            self._mark("the wire is handed back")
            self.conversation.somebody_typed()
            self._person.set()

    async def handed_back(self) -> None:
        """Wait until no person has the wire."""
        await self._person.wait()
