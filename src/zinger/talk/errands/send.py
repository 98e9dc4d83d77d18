"""Sending a step: its lines, and the answers to the questions that they bring."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise

from zinger.phrasebook.book import Phrasebook
from zinger.script.compile import Lines, Step, StepLine
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errors import RefusedByDevice, Strayed
from zinger.talk.requests import Answer, At, Errand

BLIND_REFUSALS = 1
"""Refusals forgiven while questions are answered, since blind typing may be damaged unseen."""


def send_step(book: Phrasebook, step: Step, keys: Keyring) -> Errand[Answer]:
    """Go where the step belongs, send its lines, and answer the questions that it declares.

    Raises RefusedByDevice for the device's no, Strayed where it ends elsewhere than it should.
    """
    assert isinstance(step.what, Lines), "answers in a question script are given by hold_interview"
    at = yield from arrive(book.map, step.at, keys)
    shown: tuple[str, ...] = ()
    warned: tuple[str, ...] = ()
    answer, disturbed = Answer((), at), False
    for line in step.what.lines:
        answer = yield from _send_line(step, step.what, line, answer.at)
        shown, warned = shown + answer.lines, warned + answer.warnings
        disturbed |= answer.disturbed
    expect = step.how.expect
    torn = [a + b for a, b in pairwise(shown)] if disturbed else []  # a log line can come inside a line
    if expect and not any(expect.search(line) for line in (*shown, *torn)):
        raise RefusedByDevice(step.setting, shown[-1] if shown else "it showed nothing to confirm it")
    return Answer(shown, answer.at, warnings=warned)


def _send_line(step: Step, what: Lines, line: StepLine, at: At) -> Errand[Answer]:
    """One line of a step, with the questions that it brings; where it ends must be known."""
    how = step.how
    ends = frozenset({line.to}) if line.to else frozenset({how.at}) | how.through
    expect = ends | frozenset(what.replies)
    answer = yield from do(line.deed, expect, step.title, how.patience, how.progress)
    lines, warned, refusals, disturbed = answer.lines, answer.warnings, 0, answer.disturbed
    turns: Counter[str] = Counter()
    for _ in range(3 * sum(map(len, what.replies.values()))):
        replies = what.replies.get(answer.at.name)
        refusals += answer.refusal is not None
        if replies is None or refusals > BLIND_REFUSALS:
            break
        turn = turns[answer.at.name] - (answer.refusal is not None and turns[answer.at.name] > 0)
        turns[answer.at.name] = turn + 1
        deed = replies[min(turn, len(replies) - 1)]
        answer = yield from do(deed, expect, step.title, how.patience, how.progress)
        lines, warned = lines + answer.lines, warned + answer.warnings
        disturbed |= answer.disturbed
    if answer.refusal:
        raise RefusedByDevice(step.setting, answer.refusal)
    if answer.at.name not in ends:
        raise Strayed(f"after sending the {step.title} it stood at {answer.at.place.words}")
    return Answer(lines, answer.at, warnings=warned, disturbed=disturbed)
