"""The one way in which errands ask: each helper yields a request and returns its reply, typed."""

from __future__ import annotations

import re

from zinger.phrasebook.map import Deed
from zinger.talk.events import Event
from zinger.talk.requests import Answer, At, Do, Errand, Look, Reply, Tell


def look(patience: float) -> Errand[At]:
    """Where the device is now."""
    reply = yield Look(patience)
    if not isinstance(reply, At):
        raise _wrong("Look", reply)
    return reply


def do(
    deed: Deed, expect: frozenset[str], purpose: str, patience: float = 30.0, progress: re.Pattern[str] | None = None
) -> Errand[Answer]:
    """Do something, and see what follows."""
    reply = yield Do(deed, expect, purpose, patience, progress)
    if not isinstance(reply, Answer):
        raise _wrong("Do", reply)
    return reply


def tell(event: Event) -> Errand[None]:
    """Tell onlookers."""
    reply = yield Tell(event)
    if reply is not None:
        raise _wrong("Tell", reply)


def _wrong(request: str, reply: Reply) -> TypeError:
    return TypeError(f"a {request} was answered with {reply!r}")
