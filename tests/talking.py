"""A device played from a list of replies, in simulated time: for conversations without any I/O."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.words import masked
from zinger.talk.conversation import Conversation
from zinger.talk.driver import Ended, Running
from zinger.talk.surface import Wait
from zinger.talk.terminal.surface import Send
from zinger.talk.timing import Timing


class Player:
    """Plays the device: answers each thing sent with the next reply, cut into pieces; remembers what was sent."""

    def __init__(
        self,
        book: Phrasebook,
        replies: Iterable[bytes],
        sizes: Iterable[int] = (1 << 20,),
        timing: Timing | None = None,
    ) -> None:
        self.talk = Conversation(book.terminal, timing or Timing(boots_in=1.0))
        self.replies, self.sizes = iter(replies), list(sizes)
        self.now, self.sent, self.count = 100.0, [], 0

    def show(self, data: bytes) -> None:
        at = 0
        while at < len(data):
            size = self.sizes[self.count % len(self.sizes)]
            self.count += 1
            self.now += 0.001
            self.talk.receive(data[at : at + size], self.now)
            at += size
            self.poll()

    def poll(self) -> Wait | Ended:
        """Carry out what is wanted until it waits or ends."""
        while True:
            action = self.talk.turn(self.now)
            if not isinstance(action, Send):
                return action
            self.sent.append(masked(action.words))
            reply = next(self.replies, None)
            if reply is not None:
                self.show(reply)

    def run(self, errand: Any, shown: bytes = b"") -> Running[Any]:
        """Start an errand, show something, and let time pass until it ends."""
        running = self.talk.begin(errand, self.now)
        self.show(shown)
        return self.end(running)

    def end(self, running: Running[Any]) -> Running[Any]:
        """Let time pass until the errand ends."""
        for _ in range(5000):
            action = self.poll()
            if running.ended:
                return running
            assert isinstance(action, Wait)
            self.now = max(self.now + 0.01, action.until)
        raise AssertionError("it never ended")
