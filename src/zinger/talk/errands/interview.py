"""Question scripts: begun, held, and their summary compared before it is taken."""

from __future__ import annotations

from collections import Counter

from zinger.phrasebook.book import Interview, Phrasebook
from zinger.phrasebook.map import Deed
from zinger.proof.facts import gather
from zinger.script.compile import Script, ScriptInterview
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do, look
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.send import BLIND_REFUSALS
from zinger.talk.errors import Interrupted, RefusedByDevice, Stuck
from zinger.talk.requests import Answer, At, Errand

ASKED_AGAIN = 3
"""How often one question of a script may be asked before it is called endless."""


def begin_interview(book: Phrasebook, interview: Interview, keys: Keyring) -> Errand[At]:
    """Come to the first question of a script: it is begun, or begun anew if somebody left it half answered."""
    at = yield from look(30.0)
    if at.name in interview.questions:
        if at.name == interview.first or interview.again is None:
            return at
        answer = yield from do(interview.again, frozenset({interview.first}), "beginning the questions anew", 10.0)
        return answer.at
    if interview.begin is None:
        raise Stuck(f"the questions of {interview.name} are asked at first contact only; reset the device to be asked")
    yield from arrive(book.map, interview.at, keys)
    answer = yield from do(interview.begin, interview.questions, "beginning the questions")
    if answer.refusal or answer.at.name not in interview.questions:
        raise Stuck(f"the questions can't be begun: {answer.refusal or 'it stands at ' + answer.at.name}")
    return answer.at


def hold_interview(
    book: Phrasebook, script: Script, held: ScriptInterview, keys: Keyring, wanted: frozenset[str] | None = None
) -> Errand[Answer]:
    """Hold a question script: each question is answered by what it asks, in whatever order they come.

    Of a device that was set up before only the `wanted` settings are said; what else is planned stands, and is kept.

    The summary, if it shows one, must be as planned before it is taken. What a plan does not say and the phrasebook
    has no answer for is a person's. A script that somebody left half answered, where no key begins it anew, is
    answered through to its summary, refused there, and answered anew: nothing that they answered is taken.
    """
    interview = held.interview
    at = yield from begin_interview(book, interview, keys)
    half = at.name != interview.first
    asked: Counter[str] = Counter()
    turns: Counter[str] = Counter()
    lines: tuple[str, ...] = ()
    expect = interview.questions | frozenset(interview.ends)
    while at.name in interview.questions:
        asked[at.name] += 1
        if asked[at.name] > ASKED_AGAIN + len(held.answers.get(at.name, ())):
            raise Stuck(f"it asks {at.place.words} again and again, whatever is answered")
        if at.name == interview.first:
            turns.clear()
            half = False
        deed = _reply(script, held, Answer(lines, at), asked[at.name], turns[at.name], half, wanted)
        turns[at.name] += 1
        purpose = f"answering {at.place.words}"
        answer = yield from do(deed, expect, purpose, interview.patience)
        if answer.refusal:
            if asked[answer.at.name] > BLIND_REFUSALS + len(held.answers.get(answer.at.name, ())):
                raise RefusedByDevice(_setting_of(script, at), answer.refusal)
            turns[answer.at.name] -= turns[answer.at.name] > 0
        lines, at = answer.rows, answer.at
    if at.name not in interview.ends:
        raise Interrupted(f"the questions ended at {at.place.words}")
    return Answer(lines, at)


def leave_interview(held: ScriptInterview, patience: float) -> Errand[At]:
    """Leave a script in which the plan has nothing to say: keep what stands there, and refuse its summary.

    Raises Stuck where there is nothing to keep, or no summary that could be refused.
    """
    interview, at = held.interview, (yield from look(patience))
    asked: Counter[str] = Counter()
    while at.name in interview.questions:
        asked[at.name] += 1
        summary = interview.summary
        if summary is None or asked[at.name] > ASKED_AGAIN:
            raise Stuck(f"The plan has nothing for the questions of {interview.name}. Leave them by hand.")
        if at.name == summary.at:
            deed = summary.no
        elif at.captured.get("default"):
            deed = interview.keep
        elif at.name in held.answers:
            deed = held.answers[at.name][-1]
        else:
            raise Stuck(f"The plan has no answer at {at.place.words}, and it shows none to keep. Answer it by hand.")
        expect = interview.questions | frozenset(interview.ends)
        at = (yield from do(deed, expect, f"leaving the questions of {interview.name}", interview.patience)).at
    return at


def _reply(
    script: Script,
    held: ScriptInterview,
    shown: Answer,
    time: int,
    turn: int,
    half: bool,
    wanted: frozenset[str] | None,
) -> Deed:
    """What to answer at a question; what stands there already is kept where it is as planned."""
    summary, at = held.interview.summary, shown.at
    if summary and at.name == summary.at:
        if half:
            return summary.no
        wrong = _wrong_in_summary(script, held, shown)
        if wrong and time > 1:
            raise Stuck(
                f"its summary shows {', '.join(wrong)} otherwise than planned, also when asked again",
                "\n".join(shown.lines),
            )
        return summary.no if wrong else summary.yes
    if at.name not in held.answers:
        raise Stuck(f"the plan does not say what to answer at {at.place.words}")
    answers = held.answers[at.name]
    if held.keeps(at.name, wanted):
        if at.captured.get("default"):
            return held.interview.keep
        if at.page is not None:
            answers = held.otherwise.get(at.name, answers)
    if half and summary is None and not answers[0].shown and at.captured.get("default"):
        raise Stuck(
            f"Somebody left these questions half answered, and {at.captured['default']!r} at {at.place.words} may be "
            "theirs. The plan does not say it. Begin the questions anew by hand, or give it an answer under otherwise."
        )
    return answers[min(turn, len(answers) - 1)].unless(at.captured.get("default"))


def _wrong_in_summary(script: Script, held: ScriptInterview, shown: Answer) -> list[str]:
    """What the summary shows to be otherwise than planned."""
    assert held.interview.summary is not None
    taken = held.interview.summary.take
    facts = gather(taken, shown.rows, held.interview.summary.sections, page=shown.page)
    return [
        step.title
        for step in script.steps
        if step.setting in held.settings
        and step.shows is not None
        and step.fact in taken
        and tuple(fact.value for fact in facts.get(step.fact, ())) != step.shows.expected
    ]


def _setting_of(script: Script, at: At) -> str:
    return next((s.setting for s in script.steps if s.interview and at.name in s.what.replies), at.place.words)
