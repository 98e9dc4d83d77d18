"""What an answer means for the credentials: accepted, refused, renewed."""

from __future__ import annotations

from zinger.phrasebook.map import AsksFor, Map, Move
from zinger.talk.errands.ask import tell
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import Stuck
from zinger.talk.events import Renewed, SignedIn
from zinger.talk.requests import Answer, Errand

SIGN_IN_PATIENCE = 90.0
"""Seconds to wait at a sign-in: after wrong tries devices let a line rest."""


def credential_of(ways: Map, move: Move) -> AsksFor | None:
    """The credential that a move sends to the place that asks for it; None for every other move."""
    asked = ways.places[move.origin].asks_for
    return asked if asked is not None and asked.word in move.act.uses else None


def draw_from(
    credential: AsksFor | None, answer: Answer, keys: Keyring, user: str | None, counts: bool
) -> Errand[None]:
    """Draw from an answer what it means: a question that comes again is a refusal, never an acceptance.

    A password that was asked for of another account, or when nobody knew of which, does not count as tried.
    """
    asks = answer.at.place.asks_for
    if credential is AsksFor.PASSWORD:
        if answer.refusal or asks in (AsksFor.USER, AsksFor.PASSWORD):
            if counts:
                keys.refused()
        else:
            name, secret = keys.accepted()
            yield from tell(SignedIn(name, secret.name))
    elif credential is AsksFor.NEW_PASSWORD:
        if answer.refusal:
            keys.renewal_refusals += 1
            if keys.renewal_refusals > 1:
                raise Stuck(f"the new password for {user} was not taken: {answer.refusal}")
        elif asks is not AsksFor.NEW_PASSWORD:
            yield from tell(Renewed(user or "", keys.renewed(user or "").name))
    elif credential is AsksFor.USER and asks is AsksFor.USER:
        keys.refused()  # it knows no such account, and asks for no password
    elif credential is not None and credential is not AsksFor.USER and asks is credential:
        raise Stuck(f"the {credential.value} was not taken: {answer.refusal or 'it is asked for again'}")
