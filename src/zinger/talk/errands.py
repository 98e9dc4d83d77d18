"""Errands: what a conversation is sent to do, written as straight-line generators over the map.

An errand yields requests and gets answers; it always looks where the device is before it says anything,
so an errand that is started again after any interruption does the right thing from wherever it finds
itself.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from zinger.phrasebook import Move, Phrasebook, Reading, render
from zinger.plan import SecretRef
from zinger.script import ScriptPhrase
from zinger.talk.events import (
    Answer,
    At,
    Event,
    Interrupted,
    Key,
    Line,
    Look,
    RefusedByDevice,
    Renewed,
    Request,
    SignedIn,
    Stuck,
)

T = TypeVar("T")
Errand = Generator[Request | Event, At | Answer | None, T]

TRIES_EACH = 2
"""Tries a credential, since devices lock out."""
SIGN_IN_PATIENCE = 90.0
"""Seconds to wait at a sign-in: after wrong tries devices let a line rest."""
BLIND_REFUSALS = 1
"""Refusals forgiven while questions are answered, since blind typing may be damaged unseen."""
ROUNDS = 4
"""How often one move may be taken in one errand before it is called a circle."""


@dataclass
class Keyring:
    """What to sign in with: credentials in the order of belief, and new secrets for forced changes."""

    credentials: Sequence[tuple[str, SecretRef]]
    renewals: Mapping[str, SecretRef] = field(default_factory=dict)
    renewal_refusals: int = 0
    """Refusals of a new secret so far: one is forgiven, since a question may stand half answered."""
    _at: int = 0
    _tries: int = 0

    def bound(self, place_user: str | None) -> dict[str, object]:
        """The names that moves may use now."""
        names: dict[str, object] = {}
        if self._at < len(self.credentials):
            names["user"], names["password"] = self.credentials[self._at]
        if place_user in self.renewals:
            names["new_password"] = self.renewals[place_user or ""]
        return names

    @property
    def known(self) -> frozenset[str]:
        """Names that a way may count on, before its places are reached."""
        return frozenset({"user", "password"} if self._at < len(self.credentials) else ()) | (
            frozenset({"new_password"}) if self.renewals else frozenset())

    def refused(self) -> None:
        """The present credential was not accepted; after two tries the next one is taken."""
        self._tries += 1
        if self._tries >= TRIES_EACH:
            self._at, self._tries = self._at + 1, 0

    def accepted(self) -> tuple[str, SecretRef]:
        """The present credential was accepted: it comes first from now on."""
        current = self.credentials[self._at]
        self.credentials = [current, *(c for c in self.credentials if c != current)]
        self._at = self._tries = 0
        return current

    def renewed(self, user: str) -> SecretRef:
        """A forced change was accepted: the new secret comes first from now on."""
        secret = self.renewals[user]
        self.credentials = [(user, secret), *(c for c in self.credentials if c != (user, secret))]
        self._at = self._tries = 0
        return secret


def look(patience: float) -> Errand[At]:
    """Only find out where the device is."""
    at = yield Look(patience)
    assert isinstance(at, At)
    return at


def arrive(book: Phrasebook, goal: str, keys: Keyring, patience: float = 30.0) -> Errand[At]:
    """Find the way to a place from wherever the device is, signing in when a sign-in stands on the way."""
    taken: Counter[Move] = Counter()
    at = yield from look(patience)
    while at.name != goal:
        move = book.next_move(at.name, goal, keys.known)
        if move is None:
            needs = "no password that Zinger knows was accepted" if not keys.known else "no way is known"
            raise Stuck(f"{needs} at {at.name.replace('_', ' ')} on the way to {goal}")
        taken[move] += 1
        if taken[move] > ROUNDS * max(1, len(keys.credentials)):
            raise Stuck(f"it goes round in circles at {at.name} on the way to {goal}")
        at = yield from _take(book, move, at, keys)
    return at


def _take(book: Phrasebook, move: Move, at: At, keys: Keyring) -> Errand[At]:
    purpose = f"to {move.outcomes[0].replace('_', ' ')}" if len(move.outcomes) == 1 else "to go on"
    expect = frozenset(move.outcomes)
    user = at.captured.get("user")
    if move.press is not None:
        answer = yield Key(move.press, expect, purpose)
    else:
        bound = keys.bound(user)
        if not move.uses <= set(bound):
            raise Stuck(f"no new secret is planned for {user}, which the device asks for")
        words = render(move.say or "", **bound)
        answer = yield Line(words, at.place.blind, expect, "signing in" if move.uses else purpose,
                            SIGN_IN_PATIENCE if move.uses else 30.0)
    assert isinstance(answer, Answer)
    yield from _judge(book, move, answer, keys, user)
    return answer.at


def _judge(book: Phrasebook, move: Move, answer: Answer, keys: Keyring, user: str | None) -> Errand[None]:
    """What an answer means for the credentials, or for the way."""
    at_the_start = any("user" in m.uses for m in book.moves_from(answer.at.name))
    if "password" in move.uses:
        if answer.refusal or at_the_start:
            keys.refused()
        else:
            name, secret = keys.accepted()
            yield SignedIn(name, secret.name)
    elif "new_password" in move.uses:
        if answer.refusal:
            keys.renewal_refusals += 1
            if keys.renewal_refusals > 1:
                raise Stuck(f"the new secret for {user} was not taken: {answer.refusal}")
        elif not any("new_password" in m.uses for m in book.moves_from(answer.at.name)):
            yield Renewed(user or "", keys.renewed(user or "").name)
    elif answer.refusal:
        raise Stuck(f"on the way the device said: {answer.refusal}")


def say_phrase(book: Phrasebook, phrase: ScriptPhrase, keys: Keyring) -> Errand[Answer]:
    """Go where the phrase belongs, say it, and answer the questions that it declares."""
    at = yield from arrive(book, phrase.at, keys)
    expect = frozenset({phrase.at, *phrase.replies})
    answer = yield Line(phrase.words, at.place.blind, expect, phrase.title)
    assert isinstance(answer, Answer)
    lines, refusals = answer.lines, 0
    for _ in range(3 * len(phrase.replies)):
        reply = phrase.replies.get(answer.at.name)
        refusals += answer.refusal is not None
        if reply is None or refusals > BLIND_REFUSALS:
            break
        answer = yield Line(reply, answer.at.place.blind, expect, phrase.title)
        assert isinstance(answer, Answer)
        lines += answer.lines
    if answer.refusal:
        raise RefusedByDevice(phrase.setting, answer.refusal)
    if answer.at.name != phrase.at:
        raise Interrupted(f"after saying the {phrase.title} it stood at {answer.at.name.replace('_', ' ')}")
    if phrase.expect and not any(phrase.expect.search(line) for line in lines):
        raise RefusedByDevice(phrase.setting, lines[-1] if lines else "it said nothing to confirm it")
    return Answer(lines, answer.at)


def take_reading(book: Phrasebook, reading: Reading, keys: Keyring, startup: bool = False) -> Errand[tuple[str, ...]]:
    """Ask a reading, of the running or the startup state; returns the answer's lines.

    A refusal is an answer too (there may be no startup state yet): it gives no facts.
    """
    ask = reading.startup if startup and reading.startup else reading.ask
    yield from arrive(book, reading.at, keys)
    answer = yield Line((ask,), False, frozenset({reading.at}), f"reading {'startup' if startup else 'running'}")
    assert isinstance(answer, Answer)
    if answer.at.name != reading.at:
        raise Interrupted(f"while reading it went to {answer.at.name.replace('_', ' ')}")
    if answer.clipped:
        raise Stuck("it showed far more than a reading can be; the answer was cut")
    return answer.lines
