"""Sending a step: its lines, and the answers to the questions that they bring."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import Deed
from zinger.phrasebook.pages import Submit
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
    unless = frozenset({step.how.unless_at} - {""})
    at = yield from arrive(book.map, step.at, keys, stop=unless)
    if at.name in unless:
        return Answer((), at)
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


def joined(steps: Sequence[Step]) -> Deed | None:
    """What all of these do, in one: forms that are filled and submitted together; None where that can't be."""
    deed: Deed | None = None
    for step in steps:
        what = step.what
        if not isinstance(what, Lines) or len(what.lines) != 1 or what.lines[0].to or what.replies:
            return None
        if step.at != steps[0].at or step.how.confirm is not None:
            return None
        deed = what.lines[0].deed if deed is None else deed.joined(what.lines[0].deed)
        if deed is None:
            return None
    return deed


def send_together(book: Phrasebook, steps: Sequence[Step], keys: Keyring, refused: dict[str, str]) -> Errand[Answer]:
    """Submit what these steps fill in on one page, at once.

    What the device refuses beside a field is left out, put into `refused` by setting, and the rest is submitted again;
    a refusal that is about none of them is about all.
    """
    left = list(steps)
    ends = frozenset({steps[0].at}).union(*(step.how.through for step in steps))
    patience = max(step.how.patience for step in steps)
    while True:
        at = yield from arrive(book.map, steps[0].at, keys)
        if not left:
            return Answer((), at)
        deed = joined(left)
        assert deed is not None, "they were joined before"
        answer = yield from do(deed, ends, _titles(left), patience)
        if answer.refusal is None:
            break
        culprits = [step for step in left if answer.beside and _fills(step, answer)] or left
        refused.update({step.setting: answer.refusal for step in culprits})
        left = [step for step in left if step not in culprits]
    if answer.at.name not in ends:
        raise Strayed(f"after sending {_titles(left)} it stood at {answer.at.place.words}")
    for step in left:
        if step.how.expect and not any(step.how.expect.search(line) for line in answer.lines):
            refused[step.setting] = "it showed nothing to confirm it"
    return answer


def _fills(step: Step, answer: Answer) -> bool:
    """Whether a step fills the field beside which the refusal stands."""
    page = answer.page
    deed = step.what.lines[0].deed if isinstance(step.what, Lines) else None
    if page is None or not isinstance(deed, Submit):
        return False
    return any(field is not None and field.name == answer.beside for field in (page.field(n) for n, _ in deed.fills))


def _titles(steps: Sequence[Step]) -> str:
    return ", ".join(step.title for step in steps)
