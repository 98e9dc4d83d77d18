"""The pump: joins a sans-IO conversation to a link. It is small, and the only place where secrets are sent.

It is driven by callbacks, not by a task per device: bytes or a timer lead to one turn, in which actions
are carried out until the conversation waits. A secret is resolved at the moment of writing; what comes
back is masked before anybody, the conversation included, hears it.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import TypeVar

from zinger.errors import ZingerError
from zinger.link.base import Link
from zinger.plan.values.secrets import SecretRef
from zinger.run.turns import Turns
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.store.transcript import Transcript
from zinger.talk.conversation import Conversation
from zinger.talk.driver import Ended, Running
from zinger.talk.errors import Interrupted
from zinger.talk.events import Event, Mended, Nudged, Sent
from zinger.talk.requests import Errand
from zinger.talk.terminal.surface import Send
from zinger.talk.terminal.typed import Typed

T = TypeVar("T")


class TakenOver(Interrupted):
    """A person took the wire; wait for it to be handed back, then look again."""


class Pump:
    """One conversation on one link at a time."""

    def __init__(
        self,
        conversation: Conversation,
        secret: Callable[[SecretRef], str],
        masker: Masker,
        transcript: Transcript | None = None,
        onlooker: Callable[[Event], None] | None = None,
        turns: Turns | None = None,
    ) -> None:
        self.conversation = conversation
        self.link: Link | None = None
        self.recording: Recording | None = None
        self.transcript = transcript or Transcript()
        self._secret, self.masker = secret, masker
        self._onlooker = onlooker
        self._turns = turns or Turns()
        self._loop = asyncio.get_running_loop()
        self._ended: asyncio.Future[None] | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._due = 0.0
        self._person = asyncio.Event()
        self._person.set()
        self._in_turn = False
        self._fault: ZingerError | None = None
        """What an onlooker could not do while no errand was under way."""
        self._typed = Typed()
        self._slow: deque[tuple[str, float]] = deque()
        """Characters that wait for the pace of the line, each with the pause behind it."""
        self._next_char: asyncio.TimerHandle | None = None

    # -- the link ----------------------------------------------------------------------------------
    def join(self, link: Link, recording: Recording | None = None) -> None:
        """Carry the conversation over this link from now on."""
        self.link, self.recording = link, recording
        link.attach(self._heard, self._lost)

    def leave(self) -> None:
        """Close the link, if there is one."""
        if self.link:
            self.link.close()
            self.link = None
        self._slow.clear()  # the rest of a line that was typed at a pace is not for the next link
        if self._timer:
            self._timer.cancel()
            self._timer = None
        self.conversation.lost(self._loop.time())
        self._turn()
        self._record(self._typed.ended())
        if self.recording:
            self.recording.close()
            self.recording = None

    def _heard(self, data: bytes) -> None:
        self._turns.soon(partial(self._take_in, data))

    def _take_in(self, data: bytes) -> None:
        data = self.masker(data)
        if not data:
            return
        self.transcript.add(data)
        if self.recording:
            self._record(self._typed.shown(data.decode("utf-8", "replace")))
            self.recording.shown(data)
        self.conversation.receive(data, self._loop.time())
        self._turn()

    def _lost(self, why: str) -> None:
        self._turns.soon(self._after_the_loss)

    def _after_the_loss(self) -> None:
        self.link = None
        self.conversation.lost(self._loop.time())
        self._turn()

    # -- errands -----------------------------------------------------------------------------------
    async def do(self, errand: Errand[T]) -> T:
        """Carry out one errand; raises what it failed with, TakenOver when a person took the wire."""
        if not self._person.is_set():
            raise TakenOver("the wire is in a person's hands")
        if self._fault is not None:
            raise self._fault
        if self.link is None:
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
                if isinstance(action, Send):
                    self._send(action)
                elif isinstance(action, Ended):
                    self._ended.set_result(None)
                else:
                    self._wake_at(action.until, now)
                    break
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

    def _send(self, action: Send) -> None:
        if self.link is None:
            return
        raw = "".join(self._secret(p) if isinstance(p, SecretRef) else p for p in action.words)
        if self.recording:
            self.recording.typed("".join(str(part) for part in action.words))
        self._write(raw, action.pace)

    def _write(self, text: str, pace: float) -> None:
        """At a pace, a character at a time; what comes meanwhile waits behind it."""
        if pace or self._slow:
            self._slow.extend((char, 1 / pace if pace else 0.0) for char in text)
            if self._next_char is None:
                self._write_on()
        elif self.link:
            self.link.write(text.encode())

    def _write_on(self) -> None:
        self._next_char = None
        if not self._slow or self.link is None:
            self._slow.clear()
            return
        char, pause = self._slow.popleft()
        self.link.write(char.encode())
        self._next_char = self._loop.call_later(pause, self._write_on)

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
        self._turns.soon(self._turn)

    def _pass_on_events(self) -> None:
        events = self.conversation.take_events()
        if not events:
            return
        for event in events:
            if isinstance(event, Sent):
                self.transcript.annotate("sent", event.purpose)
                if self.recording:
                    self.recording.marker(event.purpose)
            elif isinstance(event, Mended):
                self.transcript.annotate("mended", event.line)
            elif isinstance(event, Nudged):
                self.transcript.annotate("nudged")
            if self._onlooker:
                self._onlooker(event)

    def expect_boot(self, certain: bool = True) -> None:
        """It boots now, or may, before it shows anything: nothing is pressed meanwhile."""
        self.conversation.expect_boot(self._loop.time(), certain)

    # -- a person on the wire ----------------------------------------------------------------------
    @property
    def person_has_it(self) -> bool:
        """Whether a person's typing goes to the device now."""
        return not self._person.is_set()

    def take(self) -> None:
        """A person takes the wire; the errand under way ends with TakenOver."""
        if self._person.is_set():
            self._person.clear()
            self.transcript.annotate("person", "you have the wire")
            if self.recording:
                self.recording.marker("a person takes the wire")
            self.conversation.interrupt(TakenOver("a person took the wire"), self._loop.time())
            self._turn()

    def type(self, data: bytes) -> None:
        """What the person types goes to the device; only while they have the wire."""
        if self.person_has_it and self.link:
            self._record(self._typed.typed(data.decode("utf-8", "replace")))
            self.link.write(data)

    def type_secret(self, ref: SecretRef) -> None:
        """Type an entry of the vault for the person; recorded as a mask, whatever comes back of it."""
        if self.person_has_it and self.link:
            secret = self._secret(ref)
            self.masker.know([secret])
            if self.recording:
                self.recording.typed(str(ref))
            self.link.write(secret.encode())

    def _record(self, text: str) -> None:
        """What a person typed, once it is known whether it was echoed."""
        if text and self.recording:
            self.recording.typed(self.masker.text(text))

    def send_break(self) -> None:
        """A break on the line; raises LinkError where the way carries none."""
        if self.link:
            self.link.send_break()
            self.transcript.annotate("person", "break sent")
            if self.recording:
                self.recording.marker("break sent")

    def hand_back(self) -> None:
        """The person is done: whoever waits goes on, and looks where the device is."""
        if self.person_has_it:
            self._record(self._typed.ended())
            self.transcript.annotate("person", "handed back")
            if self.recording:
                self.recording.marker("the wire is handed back")
            self.conversation.somebody_typed()
            self._person.set()

    async def handed_back(self) -> None:
        """Wait until no person has the wire."""
        await self._person.wait()
