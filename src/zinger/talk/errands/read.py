"""Asking a reading."""

from __future__ import annotations

from zinger.phrasebook.book import Phrasebook, Reading
from zinger.phrasebook.pages import Open
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do, look
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Interrupted, Stuck
from zinger.talk.requests import Answer, Errand

READ_AGAIN = 4
"""How often a reading is asked while log lines burst into its answers."""


def take_reading(book: Phrasebook, reading: Reading, keys: Keyring, startup: bool = False) -> Errand[Answer]:
    """Ask a reading, of the running or the startup state; returns the answer.

    A refusal is an answer too (there may be no startup state yet): it gives no facts. An answer into which log lines
    burst may have torn rows, so it is asked again a few times.
    """
    ask = reading.startup if startup and reading.startup else reading.ask
    purpose = f"reading {'startup' if startup else 'running'}"
    for _ in range(READ_AGAIN):
        before = yield from look(30.0)
        at = yield from arrive(book.map, reading.at, keys)
        if at.page is not None and at is not before and ask == Open():
            return Answer(at.page.lines, at)  # the page was opened on the way here
        answer = yield from do(ask, frozenset({reading.to}), purpose)
        if answer.at.name != reading.to:
            raise Interrupted(f"while reading it went to {answer.at.place.words}")
        if answer.clipped:
            raise Stuck("it showed far more than a reading can be; the answer was cut")
        if not answer.disturbed:
            break
    return answer
