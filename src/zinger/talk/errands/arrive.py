"""Going to a place from wherever the device is; signing in where a sign-in stands on the way."""

from __future__ import annotations

from collections import Counter

from zinger.phrasebook.map import AsksFor, Map, Move
from zinger.phrasebook.words import WordsError
from zinger.talk.errands.ask import do, look
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.sign_in import SIGN_IN_PATIENCE, credential_of, draw_from
from zinger.talk.errors import NotLetIn, Silent, Stuck
from zinger.talk.requests import At, Errand

JOINED = 15.0
"""Seconds in which what a line was joined to is to show life; one that boots is waited for as long as that takes."""
ROUNDS = 4
"""How often one move may be taken in one errand before it is called a circle."""


def arrive(
    ways: Map, goal: str, keys: Keyring, patience: float = 30.0, stop: frozenset[str] = frozenset()
) -> Errand[At]:
    """Find the way to a place from wherever the device is, signing in when a sign-in stands on the way.

    It ends earlier where it comes to one of the places `stop`.
    """
    taken: Counter[Move] = Counter()
    refused: Counter[Move] = Counter()
    named: str | None = None
    at = yield from look(patience)
    while at.name != goal and at.name not in stop:
        move = ways.next_move(at.name, goal, keys.known)
        if move is None:
            where = f"at {at.place.words} on the way to {goal}"
            if AsksFor.PASSWORD.word not in keys.known:
                raise NotLetIn(f"no password that Zinger knows was accepted {where}")
            raise Stuck(f"no way is known {where}")
        taken[move] += 1
        if taken[move] > ROUNDS * max(1, len(keys.credentials)):
            raise Stuck(f"it goes round in circles at {at.place.words} on the way to {goal}")
        names = keys.user if AsksFor.USER.word in move.act.uses else None
        at = yield from _take(ways, move, at, keys, named, refused, patience)
        named = names
    return at


def _take(
    ways: Map, move: Move, at: At, keys: Keyring, named: str | None, refused: Counter[Move], patience_to_look: float
) -> Errand[At]:
    """Make one move, and draw from what follows what it means; `named` is the account that was named just before."""
    credential = credential_of(ways, move)
    user = at.captured.get("user") or (keys.only_renewal if credential is AsksFor.NEW_PASSWORD else None)
    if AsksFor.USER.word in move.act.uses:
        named = keys.user  # a page asks for both at once
    # somebody else may have left the question for a password standing: then it is another's, or nobody knows whose;
    # of whom was named just now it is believed, however the device writes the name
    counts = credential is AsksFor.PASSWORD and keys.turn_to(named or user)
    bound = keys.bound(user)
    if not move.act.uses <= set(bound):
        raise Stuck(f"no new password is planned for {user}, which the device asks for")
    try:
        deed = move.act.fill(bound, at.choices)
    except WordsError as error:
        raise Stuck(f"at {at.place.words}, {error}") from None
    purpose = f"to {ways.places[move.outcomes[0]].words}" if len(move.outcomes) == 1 else "to go on"
    patience = SIGN_IN_PATIENCE if credential else move.act.patience
    try:
        answer = yield from do(deed, frozenset(move.outcomes), "signing in" if credential else purpose, patience)
    except Silent:
        if not move.act.joins:
            raise
        return (yield from look(min(JOINED, patience_to_look)))  # what it was joined to may boot, or sleep
    yield from draw_from(credential, answer, keys, user, counts)
    if answer.refusal and credential is None:
        refused[move] += 1
        if refused[move] > 1:  # once it can be what somebody else typed between
            raise Stuck(f"on the way the device said: {answer.refusal}")
    return answer.at
