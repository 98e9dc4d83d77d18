"""The pump of a terminal: bytes to a link, at the pace that its line takes, and bytes from it.

A secret is resolved at the moment of writing; what comes back is masked before anybody, the conversation included,
hears it.
"""

from __future__ import annotations

import asyncio
from collections import deque
from functools import partial

from zinger.link.base import Link
from zinger.plan.values.secrets import SecretRef
from zinger.run.pump import Pump
from zinger.store.recording import Recording
from zinger.talk.conversation import Conversation
from zinger.talk.events import Event, Mended, Nudged, Sent
from zinger.talk.terminal.surface import Send
from zinger.talk.terminal.typed import Typed

_AT_MOST = 16
"""Pieces that are taken in before the conversation has its turn, where more of them wait."""


class ConsolePump(Pump[Conversation]):
    """One conversation on one link at a time."""

    def _set_up(self) -> None:
        self.link: Link | None = None
        self.recording: Recording | None = None
        self._typed = Typed()
        self._slow: deque[tuple[str, float]] = deque()
        """Characters that wait for the pace of the line, each with the pause behind it."""
        self._next_char: asyncio.TimerHandle | None = None

    @property
    def is_joined(self) -> bool:
        return self.link is not None

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
        self._stop_timer()
        self.conversation.lost(self._loop.time())
        self._turn()
        self._record(self._typed.ended())
        if self.recording:
            self.recording.close()
            self.recording = None

    def _heard(self, data: bytes) -> None:
        self._unread += 1
        self._turns.soon(partial(self._take_in, data))

    def _take_in(self, data: bytes) -> None:
        self._unread -= 1
        if data := self.masker(data):
            self._show(data)
        if self._unread % _AT_MOST == 0:
            self._turn()

    def _show(self, data: bytes) -> None:
        """To whoever looks on, and to the conversation."""
        self.transcript.add(data)
        if self.recording:
            self._record(self._typed.shown(data.decode("utf-8", "replace")))
            self.recording.shown(data)
        self.conversation.receive(data, self._loop.time())

    def _lost(self, why: str) -> None:
        self._turns.soon(self._after_the_loss)

    def _after_the_loss(self) -> None:
        self.link = None
        self.conversation.lost(self._loop.time())
        self._turn()

    # -- what is sent ------------------------------------------------------------------------------
    def _carry_out(self, action: object) -> None:
        assert isinstance(action, Send)
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

    def _note(self, event: Event) -> None:
        if isinstance(event, Sent):
            self.transcript.annotate("sent", event.purpose)
            self._mark(event.purpose)
        elif isinstance(event, Mended):
            self.transcript.annotate("mended", event.line)
        elif isinstance(event, Nudged):
            self.transcript.annotate("nudged")

    def _mark(self, text: str) -> None:
        if self.recording:
            self.recording.marker(text)

    def _person_ended(self) -> None:
        self._record(self._typed.ended())

    # -- a person on the wire ----------------------------------------------------------------------
    def type(self, data: bytes) -> None:
        """What the person types goes to the device; only while they have the wire."""
        if self.person_has_it and self.link:
            self.acted = True
            self._record(self._typed.typed(data.decode("utf-8", "replace")))
            self.link.write(data)

    def type_secret(self, ref: SecretRef) -> None:
        """Type an entry of the vault for the person; recorded as a mask, whatever comes back of it."""
        if self.person_has_it and self.link:
            self.acted = True
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
