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

from zinger.phrasebook import Interview, Move, Phrasebook, Reading, Words, masked, render
from zinger.plan.values.secrets import SecretRef
from zinger.proof import gather
from zinger.script import Script, ScriptInterview, ScriptPhrase
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
JOIN_PATIENCE = 6.0
"""Seconds to wait for what a menu leads to; a console that it joins is often silent until Enter is pressed."""
BLIND_REFUSALS = 1
"""Refusals forgiven while questions are answered, since blind typing may be damaged unseen."""
ROUNDS = 4
"""How often one move may be taken in one errand before it is called a circle."""
READ_AGAIN = 4
"""How often a reading is asked while log lines burst into its answers."""
ASKED_AGAIN = 3
"""How often one question of a script may be asked before it is called endless."""


@dataclass
class Keyring:
    """What to sign in with: credentials in the order of belief, and new secrets for forced changes."""

    credentials: Sequence[tuple[str, SecretRef]]
    renewals: Mapping[str, SecretRef] = field(default_factory=dict)
    device: str = ""
    """The device's name, for menus in which it must be chosen."""
    renewal_refusals: int = 0
    """Refusals of a new secret so far: one is forgiven, since a question may stand half answered."""
    _at: int = 0
    _tries: int = 0

    def bound(self, place_user: str | None) -> dict[str, object]:
        """The names that moves may use now."""
        names: dict[str, object] = {"device": self.device} if self.device else {}
        if self._at < len(self.credentials):
            names["user"], names["password"] = self.credentials[self._at]
        if place_user in self.renewals:
            names["new_password"] = self.renewals[place_user or ""]
        return names

    @property
    def only_renewal(self) -> str | None:
        """Whose new secret is meant where the device does not say."""
        return next(iter(self.renewals)) if len(self.renewals) == 1 else None

    @property
    def known(self) -> frozenset[str]:
        """Names that a way may count on, before its places are reached."""
        return (
            frozenset({"user", "password"} if self._at < len(self.credentials) else ())
            | (frozenset({"new_password"}) if self.renewals else frozenset())
            | (frozenset({"device"}) if self.device else frozenset())
        )

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

    def accept(self, user: str, secret: SecretRef) -> None:
        """This credential was accepted elsewhere (at the door of the way in): it comes first from now on."""
        self.credentials = [(user, secret), *(c for c in self.credentials if c != (user, secret))]
        self._at = self._tries = 0

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


def arrive(
    book: Phrasebook, goal: str, keys: Keyring, patience: float = 30.0, stop: frozenset[str] = frozenset()
) -> Errand[At]:
    """Find the way to a place from wherever the device is, signing in when a sign-in stands on the way.

    It ends earlier where it comes to one of the places `stop`.
    """
    taken: Counter[Move] = Counter()
    at = yield from look(patience)
    while at.name != goal and at.name not in stop:
        move = book.next_move(at.name, goal, keys.known)
        if move is None:
            needs = "no way is known" if "password" in keys.known else "no password that Zinger knows was accepted"
            raise Stuck(f"{needs} at {at.name.replace('_', ' ')} on the way to {goal}")
        taken[move] += 1
        if taken[move] > ROUNDS * max(1, len(keys.credentials)):
            raise Stuck(f"it goes round in circles at {at.name} on the way to {goal}")
        at = yield from _take(book, move, at, keys)
    return at


def _take(book: Phrasebook, move: Move, at: At, keys: Keyring) -> Errand[At]:
    purpose = f"to {move.outcomes[0].replace('_', ' ')}" if len(move.outcomes) == 1 else "to go on"
    expect = frozenset(move.outcomes)
    user = at.captured.get("user") or (keys.only_renewal if "new_password" in move.uses else None)
    if move.press is not None:
        answer = yield Key(move.press, expect, purpose)
    else:
        bound = keys.bound(user)
        if not move.uses <= set(bound):
            raise Stuck(f"no new secret is planned for {user}, which the device asks for")
        used = {name: value for name, value in bound.items() if name in move.uses}
        words = render(move.say, **used) if move.say is not None else (_choice(move, at, used),)
        signs_in = bool(move.uses & {"user", "password", "new_password"})
        answer = yield Line(
            words,
            at.place.blind,
            expect,
            "signing in" if signs_in else purpose,
            SIGN_IN_PATIENCE if signs_in else JOIN_PATIENCE if move.choose else 30.0,
        )
    assert isinstance(answer, Answer)
    yield from _judge(book, move, answer, keys, user)
    return answer.at


def _choice(move: Move, at: At, names: Mapping[str, object]) -> str:
    """What is typed for the choice that a menu must offer."""
    wanted = masked(render(move.choose or "", **names))
    if wanted not in at.choices:
        offered = ", ".join(at.choices) or "nothing"
        raise Stuck(f"the menu at {at.name.replace('_', ' ')} does not offer {wanted}; it offers {offered}")
    return at.choices[wanted]


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
    """Go where the phrase belongs, say its lines, and answer the questions that it declares."""
    at = yield from arrive(book, phrase.at, keys)
    shown: tuple[str, ...] = ()
    warned: tuple[str, ...] = ()
    answer = Answer((), at)
    for line in phrase.lines:
        answer = yield from _say_line(phrase, line.words, line.to, answer.at)
        shown, warned = shown + answer.lines, warned + answer.warnings
    if phrase.expect and not any(phrase.expect.search(line) for line in shown):
        raise RefusedByDevice(phrase.setting, shown[-1] if shown else "it said nothing to confirm it")
    return Answer(shown, answer.at, warnings=warned)


def _say_line(phrase: ScriptPhrase, words: Words, to: str, at: At) -> Errand[Answer]:
    """One line of a phrase, with the questions that it brings; where it ends must be known."""
    ends = frozenset({to}) if to else frozenset({phrase.at}) | phrase.through
    expect = ends | frozenset(phrase.replies)
    answer = yield Line(words, at.place.blind, expect, phrase.title, phrase.patience, phrase.progress)
    assert isinstance(answer, Answer)
    lines, warned, refusals = answer.lines, answer.warnings, 0
    turns: Counter[str] = Counter()
    for _ in range(3 * sum(map(len, phrase.replies.values()))):
        reply = phrase.replies.get(answer.at.name)
        refusals += answer.refusal is not None
        if reply is None or refusals > BLIND_REFUSALS:
            break
        turn = turns[answer.at.name] - (answer.refusal is not None and turns[answer.at.name] > 0)
        turns[answer.at.name] = turn + 1
        answer = yield Line(
            reply[min(turn, len(reply) - 1)],
            answer.at.place.blind,
            expect,
            phrase.title,
            phrase.patience,
            phrase.progress,
        )
        assert isinstance(answer, Answer)
        lines, warned = lines + answer.lines, warned + answer.warnings
    if answer.refusal:
        raise RefusedByDevice(phrase.setting, answer.refusal)
    if answer.at.name not in ends:
        raise Interrupted(f"after saying the {phrase.title} it stood at {answer.at.name.replace('_', ' ')}")
    return Answer(lines, answer.at, warnings=warned)


def begin_interview(book: Phrasebook, interview: Interview, keys: Keyring) -> Errand[At]:
    """Come to the first question of a script: it is begun, or begun anew if somebody left it half answered."""
    at = yield from look(30.0)
    if at.name in interview.questions:
        if at.name == interview.first or not interview.again:
            return at
        answer = yield Key(interview.again, frozenset({interview.first}), "beginning the questions anew")
        assert isinstance(answer, Answer)
        return answer.at
    if not interview.at:
        raise Stuck(f"the questions of {interview.name} are asked at first contact only; reset the device to be asked")
    at = yield from arrive(book, interview.at, keys)
    answer = yield Line((interview.say,), at.place.blind, interview.questions, "beginning the questions")
    assert isinstance(answer, Answer)
    if answer.refusal or answer.at.name not in interview.questions:
        raise Stuck(f"the questions can't be begun: {answer.refusal or 'it stands at ' + answer.at.name}")
    return answer.at


def hold_interview(book: Phrasebook, script: Script, held: ScriptInterview, keys: Keyring) -> Errand[Answer]:
    """Hold a question script: each question is answered by what it asks, in whatever order they come.

    The summary, if it shows one, must be as planned before it is taken. What a plan does not say and the phrasebook
    has no answer for is a person's.
    """
    interview = held.interview
    at = yield from begin_interview(book, interview, keys)
    asked: Counter[str] = Counter()
    turns: Counter[str] = Counter()
    lines: tuple[str, ...] = ()
    expect = interview.questions | frozenset(interview.ends)
    while at.name in interview.questions:
        asked[at.name] += 1
        if asked[at.name] > ASKED_AGAIN + len(held.answers.get(at.name, ())):
            raise Stuck(f"it asks {at.name.replace('_', ' ')} again and again, whatever is answered")
        if at.name == interview.first:
            turns.clear()
        words = _reply(script, held, at, lines, asked[at.name], turns[at.name])
        turns[at.name] += 1
        answer = yield Line(
            words,
            at.place.blind,
            expect,
            f"question {sum(asked.values())}, {at.name.replace('_', ' ')}",
            interview.patience,
        )
        assert isinstance(answer, Answer)
        if answer.refusal:
            if asked[answer.at.name] > BLIND_REFUSALS + len(held.answers.get(answer.at.name, ())):
                raise RefusedByDevice(_setting_of(script, at.name), answer.refusal)
            turns[answer.at.name] -= turns[answer.at.name] > 0
        lines, at = answer.lines, answer.at
    if at.name not in interview.ends:
        raise Interrupted(f"the questions ended at {at.name.replace('_', ' ')}")
    return Answer(lines, at)


def _reply(script: Script, held: ScriptInterview, at: At, lines: tuple[str, ...], time: int, turn: int) -> Words:
    """What to answer at a question; Enter alone where what stands there is already as planned."""
    summary = held.interview.summary
    if summary and at.name == summary.at:
        wrong = _wrong_in_summary(script, held, lines)
        if wrong and time > 1:
            raise Stuck(
                f"its summary shows {', '.join(wrong)} otherwise than planned, also when asked again", "\n".join(lines)
            )
        return (summary.no if wrong else summary.yes,)
    if at.name not in held.answers:
        raise Stuck(f"the plan does not say what to answer at {at.name.replace('_', ' ')}")
    answers = held.answers[at.name]
    words = answers[min(turn, len(answers) - 1)]
    return () if masked(words) == at.captured.get("default") else words


def _wrong_in_summary(script: Script, held: ScriptInterview, lines: tuple[str, ...]) -> list[str]:
    """What the summary shows to be otherwise than planned."""
    assert held.interview.summary is not None
    taken = held.interview.summary.take
    facts = gather(taken, lines)
    return [
        p.title
        for p in script.phrases
        if p.setting in held.settings
        and p.fact is not None
        and p.fact in taken
        and tuple(fact.value for fact in facts.get(p.fact, ())) != p.expected
    ]


def _setting_of(script: Script, place: str) -> str:
    return next((p.setting for p in script.phrases if p.interview and place in p.replies), place.replace("_", " "))


def confirm(book: Phrasebook, phrase: ScriptPhrase, keys: Keyring) -> Errand[Answer]:
    """Say that a change which would go back by itself is to stay."""
    assert phrase.confirm is not None
    at = yield from arrive(book, phrase.confirm.at, keys)
    answer = yield Line(
        (phrase.confirm.say,), at.place.blind, frozenset({phrase.confirm.at}), f"confirming the {phrase.title}"
    )
    assert isinstance(answer, Answer)
    if answer.refusal:
        raise RefusedByDevice(phrase.setting, answer.refusal)
    return answer


def take_reading(book: Phrasebook, reading: Reading, keys: Keyring, startup: bool = False) -> Errand[tuple[str, ...]]:
    """Ask a reading, of the running or the startup state; returns the answer's lines.

    A refusal is an answer too (there may be no startup state yet): it gives no facts. An answer into which log lines
    burst may have torn rows, so it is asked again a few times.
    """
    ask = reading.startup if startup and reading.startup else reading.ask
    for _ in range(READ_AGAIN):
        yield from arrive(book, reading.at, keys)
        answer = yield Line((ask,), False, frozenset({reading.to}), f"reading {'startup' if startup else 'running'}")
        assert isinstance(answer, Answer)
        if answer.at.name != reading.to:
            raise Interrupted(f"while reading it went to {answer.at.name.replace('_', ' ')}")
        if answer.clipped:
            raise Stuck("it showed far more than a reading can be; the answer was cut")
        if not answer.disturbed:
            break
    assert isinstance(answer, Answer)
    return answer.lines
