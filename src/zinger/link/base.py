"""What every link is: something to write to, that calls back with bytes and with its end."""

from __future__ import annotations

import os
import socket
from collections.abc import Callable

from zinger.errors import ZingerError


class LinkError(ZingerError):
    """A way that does not lead there; the message says what and where, for a person."""


class Refused(LinkError):
    """Somebody is there, and nobody listens on that port."""


class Unreachable(LinkError):
    """Nobody is there, or no way leads there."""


class AuthRefused(LinkError):
    """The far end listens, and does not accept this sign-in."""


class OtherKey(LinkError):
    """Another host key than the one that is pinned: trying again helps nothing, a person is needed."""


class KeyChanged(OtherKey):
    """Another one than this very session began with: who was spoken to is gone, and who answers now is to be seen."""


def why(error: OSError) -> str:
    """What the system says of it: asyncio puts words and addresses of its own where the system's reason belongs."""
    if isinstance(error, socket.gaierror) or not error.errno:
        return error.strerror or str(error) or type(error).__name__
    return os.strerror(error.errno)


def _unheard(why: str) -> None:
    """Until somebody listens."""


class Link:
    """One open link. `on_data` gets every piece of bytes; `on_lost` is called once, with a reason.

    Both are set by whoever takes the link over; what arrived before is handed over then.
    """

    def __init__(self, name: str) -> None:
        self.name = name
        self._early: list[bytes] = []
        self._on_data: Callable[[bytes], None] | None = None
        self._on_lost: Callable[[str], None] = _unheard
        self._lost: str | None = None

    def attach(self, on_data: Callable[[bytes], None], on_lost: Callable[[str], None]) -> None:
        """Take the link over."""
        self._on_data, self._on_lost = on_data, on_lost
        early, self._early = self._early, []
        for data in early:
            on_data(data)
        if self._lost is not None:
            on_lost(self._lost)

    def write(self, data: bytes) -> None:
        """Send bytes; what can't be sent any more is dropped, the loss is told by `on_lost`."""
        raise NotImplementedError

    def send_break(self) -> None:
        """Send a break; raises LinkError where the way carries none."""
        raise LinkError("this way carries no break")

    def close(self) -> None:
        """End the link; `on_lost` is not called for it."""
        raise NotImplementedError

    def heard(self, data: bytes) -> None:
        """For implementations: bytes came."""
        if self._on_data is None:
            self._early.append(data)
        else:
            self._on_data(data)

    def ended(self, why: str) -> None:
        """For implementations: the far end is gone."""
        if self._lost is None:
            self._lost = why
            self._on_lost(why)
