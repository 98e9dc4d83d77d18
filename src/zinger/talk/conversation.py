"""One device's dialogue on a terminal: the driver of errands over the terminal surface, as its carrier handles it."""

from __future__ import annotations

from zinger.phrasebook.terminal import Terminal
from zinger.talk.driver import Driver
from zinger.talk.errors import Interrupted
from zinger.talk.requests import At
from zinger.talk.terminal.locator import Locator
from zinger.talk.terminal.surface import Send, TerminalSurface, Trace
from zinger.talk.timing import Timing


class Conversation(Driver[Send]):
    """Sans-IO: `receive` takes bytes and the time in, `turn` says what to do next."""

    def __init__(self, terminal: Terminal, timing: Timing | None = None, trace: Trace | None = None) -> None:
        self.terminal = TerminalSurface(terminal, timing, trace)
        super().__init__(self.terminal)

    @property
    def locator(self) -> Locator:
        """Where the device stands, and what it showed."""
        return self.terminal.locator

    @property
    def identity(self) -> dict[str, str]:
        """What it showed of itself anywhere: serial number, MAC, hostname."""
        return self.locator.identity

    @property
    def tail(self) -> str:
        """What stands behind the last line end now."""
        return self.terminal.locator.buffer.tail

    @property
    def boots(self) -> bool:
        """Whether it boots: it showed that, or is to, and neither stood at a known place nor said it is up since."""
        return self.terminal.boots

    @property
    def boot_shown(self) -> float:
        """When it last showed that it boots, however soon it was through; 0 where it never did."""
        return self.terminal.sight.boot_shown

    @property
    def enter(self) -> str:
        """The key that ends a line."""
        return self.terminal.terminal.enter

    @property
    def heard(self) -> float:
        """When the device last showed something that is not a log line, or was last sent something."""
        return self.locator.heard

    @property
    def lined(self) -> float:
        """When it last showed a whole line that is not a log line; 0 where it never did."""
        return self.locator.lined

    def look_anew(self, now: float) -> None:
        """A person sent something: what stands there now is no answer to it."""
        self.locator.forget()
        self.locator.sent_to(now)

    def stands_at_a_place(self, now: float) -> bool:
        """Whether a known place stands there, holding still."""
        return isinstance(self.locator.place(frozenset(), now), At)

    def asks_to_sign_in(self, now: float) -> bool:
        """Whether it stands, holding still, where somebody is to sign in."""
        at = self.locator.place(frozenset(), now)
        return isinstance(at, At) and at.place.asks_for is not None

    def receive(self, data: bytes, now: float) -> None:
        """Bytes from the device."""
        self.terminal.receive(data, now)

    def expect_boot(self, now: float, certain: bool = True) -> None:
        """It was switched on, or told to restart: it may be a while until it shows that it boots."""
        self.terminal.expect_boot(now, certain)

    def forget(self) -> None:
        """The world changed behind the line (power was cut): look anew."""
        self.terminal.forget()

    def somebody_typed(self) -> None:
        """Somebody else used the line: where the device was counts no more."""
        self.terminal.forget_place()

    def lost(self, now: float) -> None:
        """The link is gone; what stood half-heard will never be completed."""
        self.interrupt(Interrupted("the link was lost"), now)
        self.terminal.reset()
