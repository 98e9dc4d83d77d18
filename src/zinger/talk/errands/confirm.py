"""Confirming a change that would go back by itself."""

from __future__ import annotations

from zinger.phrasebook.book import Phrasebook
from zinger.script.compile import Step
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import RefusedByDevice
from zinger.talk.requests import Answer, Errand


def confirm(book: Phrasebook, step: Step, keys: Keyring) -> Errand[Answer]:
    """Say that a change which would go back by itself is to stay. Raises RefusedByDevice."""
    where = step.how.confirm
    assert where is not None and where.deed is not None, "a step without a confirm is not confirmed"
    yield from arrive(book.map, where.at, keys)
    answer = yield from do(where.deed, frozenset({where.at}), f"confirming the {step.title}")
    if answer.refusal:
        raise RefusedByDevice(step.setting, answer.refusal)
    return answer
