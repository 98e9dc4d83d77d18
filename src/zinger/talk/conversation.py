"""The conversation: always knows where it is from what the device last showed, never from what it typed.

Sans-IO: `receive(data, now)` takes bytes, `next_action(now)` says what to do next. It carries one errand
at a time and fulfils three requests of it, each a phase with its own rule for what counts as an answer:

    LOOK    find out where the device is; Enter is pressed only where Enter is harmless
    TYPE    characters first, echo compared, only then Enter; a damaged line is looked at and resumed (RESUME) where
            the family can show it again, else cancelled (MEND) and said again
    ANSWER  what stands between Enter and the next place; pagers are turned on the way

Where the device stands is `Standing`'s to say, how a line is typed `Typist`'s.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable
from enum import Enum
from typing import Any

from zinger.phrasebook import Kind, Phrasebook, Words, masked
from zinger.talk.ear import Ear
from zinger.talk.events import (
    Action,
    Answer,
    At,
    Done,
    Event,
    Failed,
    Interrupted,
    Key,
    Line,
    Look,
    Mended,
    Nudged,
    Recognised,
    Renewed,
    Request,
    Say,
    SignedIn,
    Stuck,
    TalkError,
    Told,
    Typed,
    Wait,
)
from zinger.talk.manner import Manner
from zinger.talk.standing import Seen, Standing
from zinger.talk.typist import Echo, Typist

_QUESTION_ENDS = "?:>])"
_MEND_PATIENCE = 10.0
_KEY_LOST = 4
"""After so many times the patience with an echo, a key that turns a page is pressed again: it can be lost too."""
_NOTICES = 12
"""So many notices are passed in one request; more are a circle."""


class _Phase(Enum):
    IDLE = "idle"
    LOOK = "look"
    TYPE = "type"
    RESUME = "resume"
    MEND = "mend"
    ANSWER = "answer"


class Conversation:
    """One device's dialogue over one link at a time."""

    def __init__(self, book: Phrasebook, manner: Manner | None = None) -> None:
        self.book, self.manner = book, manner or Manner()
        self.standing = Standing(book, self.manner)
        self.typist = Typist()
        self.boot_began: float | None = None
        self._errand: Any = None
        self._request: Request | None = None
        self._phase = _Phase.IDLE
        self._outbox: deque[Say] = deque()
        self._ending: Done | Failed | None = None
        self._events: list[Event] = []
        self._began = self._nudged = 0.0
        self._gap = self.manner.nudge
        self._mark = ""
        self._why = ""
        self._notices = 0
        self._resumed = False
        self._steps: dict[_Phase, Callable[[float], Wait | None]] = {
            _Phase.LOOK: self._look,
            _Phase.TYPE: self._compare_echo,
            _Phase.RESUME: self._resume,
            _Phase.MEND: self._mend,
            _Phase.ANSWER: self._answer,
            _Phase.IDLE: lambda now: Wait(float("inf"), "nothing to do"),
        }

    @property
    def ear(self) -> Ear:
        """What was heard."""
        return self.standing.ear

    # -- the pump's side ---------------------------------------------------------------------------
    def begin(self, errand: Any, now: float) -> None:
        """Start an errand; whatever was under way is forgotten."""
        self._errand, self._ending, self._request = errand, None, None
        self._outbox.clear()
        self._drive(errand.send, None, now)

    def receive(self, data: bytes, now: float) -> None:
        """Bytes from the device."""
        if self.standing.receive(data, now) and self.boot_began is None:
            self._boots(now)

    def next_action(self, now: float) -> Action:
        """What to do now: say something, wait, or report how the errand ended."""
        while not self._outbox and self._ending is None:
            pause = self._steps[self._phase](now)
            if pause is not None and not self._outbox and self._ending is None:
                return pause
        if self._outbox:
            return self._outbox.popleft()
        assert self._ending is not None
        return self._ending

    def interrupt(self, error: TalkError, now: float) -> None:
        """End the errand from outside: the link is lost, a person takes the wire."""
        self._outbox.clear()
        if self._ending is None and self._errand is not None:
            self._drive(self._errand.throw, error, now)
        self.standing.spoken_to(self.standing.heard)

    def forget(self) -> None:
        """The world changed behind the line (power was cut, a person typed): look anew."""
        self.standing.forget()

    def lost(self, now: float) -> None:
        """The link is gone; what stood half-heard will never be completed."""
        self.interrupt(Interrupted("the link was lost"), now)
        self.standing = Standing(self.book, self.manner)

    def take_events(self) -> list[Event]:
        """What happened since the last call, for onlookers."""
        events, self._events = self._events, []
        return events

    # -- driving the errand ------------------------------------------------------------------------
    def _drive(self, step: Callable[[Any], Any], reply: At | Answer | TalkError | None, now: float) -> None:
        """Give the errand a reply (or an error) and enter what it wants next."""
        try:
            wanted = step(reply)
            while isinstance(wanted, (SignedIn, Renewed)):
                self._events.append(wanted)
                wanted = self._errand.send(None)
        except StopIteration as stop:
            self._finish(Done(stop.value))
        except TalkError as error:
            self._finish(Failed(error))
        else:
            self._enter(wanted, now)

    def _fail(self, error: TalkError, now: float) -> None:
        self._drive(self._errand.throw, error, now)

    def _finish(self, ending: Done | Failed) -> None:
        self._ending, self._phase, self._errand = ending, _Phase.IDLE, None

    def _enter(self, request: Request, now: float) -> None:
        self._request, self._began, self._notices = request, now, 0
        self.standing.doubtful = False
        if isinstance(request, Line):
            self._say_line(request, now)
        elif isinstance(request, Look):
            self._gap, self._nudged = self.manner.nudge, now
            self._phase = _Phase.LOOK
        else:
            self._tell(request.purpose)
            self._press(request.press, now)
            self._phase = _Phase.ANSWER

    def _place(self, expect: frozenset[str], now: float) -> At | Wait | None:
        """Where it stands; half-typed lines of others are cancelled. None: nothing known stands there."""
        before = self.standing.at
        found = self.standing.place(expect, now)
        if isinstance(found, At):
            if found is not before:
                self._events.append(Recognised(found.name, found.captured))
            self.boot_began = None
            return self._pass_notice(found, now) if found.place.kind is Kind.NOTICE else found
        if found is Seen.HALF_TYPED:
            self._press(self.book.cancel, now)
            self.standing.doubtful = True
            return Wait(now + self.manner.settle, "a half-typed line was cancelled")
        return found if isinstance(found, Wait) else None

    def _pass_notice(self, at: At, now: float) -> At | Wait:
        """A notice wants a key before it goes on; a row of them that does not end is left standing."""
        self._notices += 1
        if self._notices > _NOTICES:
            self._fail(Stuck(f"{at.name.replace('_', ' ')} comes again and again", self.ear.tail), now)
            return Wait(now, "it ends")
        self._turn_page(at, now)
        return Wait(now + self.manner.settle, "a notice was passed")

    # -- LOOK --------------------------------------------------------------------------------------
    def _look(self, now: float) -> Wait | None:
        assert isinstance(self._request, Look)
        found = self._place(frozenset(), now)
        if isinstance(found, At):
            self._drive(self._errand.send, found, now)
            return None
        if isinstance(found, Wait):
            if now - self._began > 2 * self._request.patience + 3 * self.manner.boots_in:
                self._fail(Stuck("it never holds still", self.ear.tail), now)
                return None
            return found
        if self.boot_began is not None:
            return self._wait_for_boot(now)
        self._tell("waits for it to answer")
        if self.ear.tail.strip():
            return self._stare(self._request.patience, now)
        end = self._began + self._request.patience
        if now >= end:
            said = next((line for line in reversed(self.ear.recent()) if line.strip()), "")
            self._fail(
                Stuck("it talks and talks and no known place comes", said)
                if said
                else Stuck("nothing answers on this line; is it plugged in and switched on?"),
                now,
            )
            return None
        return self._nudge(end, now)

    def _nudge(self, end: float, now: float) -> Wait | None:
        """Press Enter now and then, unless it could accept a default."""
        at = self.standing.at
        if at is not None and not at.place.enter_is_harmless and self._began < self.standing.heard:
            return Wait(end, "Enter is not harmless here")
        due = max(self.standing.heard, self._nudged) + self._gap
        if now < due:
            return Wait(min(due, end), "waits for it to answer")
        self._nudged, self._gap = now, min(self._gap * 2, self.manner.longest_nudge)
        self._press_enter()
        return None

    def _press_enter(self) -> None:
        self.standing.doubtful = True
        self._outbox.append(Say((self.book.enter,)))
        self._events.append(Nudged())

    def _boots(self, now: float) -> None:
        self.boot_began, self.standing.at = now, None
        self._tell("booting", now + self.manner.boots_in)
        if self._phase not in (_Phase.LOOK, _Phase.IDLE):
            self._outbox.clear()
            self._fail(Interrupted("it restarted"), now)

    def _wait_for_boot(self, now: float) -> Wait | None:
        """Leave a booting device alone until it should be up, then nudge; give up after three times as long."""
        assert self.boot_began is not None
        quiet_until = self.boot_began + 0.8 * self.manner.boots_in
        end = self.boot_began + 3 * self.manner.boots_in + 20
        if now >= end:
            self.boot_began = None
            self._fail(Stuck("it began to boot and never came up", self.ear.tail), now)
            return None
        return Wait(quiet_until, "booting") if now < quiet_until else self._nudge(end, now)

    def _stare(self, patience: float, now: float) -> Wait | None:
        """Something unknown stands there: wait for it to go on, then ask a person."""
        tail = self.ear.tail
        limit = self.manner.strange if tail.rstrip()[-1] in _QUESTION_ENDS else patience
        if now < self.standing.heard + limit:
            return Wait(self.standing.heard + limit, "something unknown stands there")
        self._fail(Stuck("it shows something that this phrasebook does not know", tail), now)
        return None

    # -- TYPE and MEND -----------------------------------------------------------------------------
    def _say_line(self, line: Line, now: float) -> None:
        """Begin a line: blind ones go out whole, others a stride at a time with the echo compared."""
        self._typed(line)
        self._tell(line.purpose)
        if line.blind or not self.manner.echo_check:
            self._enter_key(line.words, now)
            return
        self.typist.begin(line.words)
        self._resumed = False
        self._type(now)

    def _typed(self, request: Request | None) -> None:
        assert isinstance(request, Line)
        at = self.standing.at
        shown = "" if request.blind else masked(request.words)
        self._events.append(Typed(shown, at.name if at else "", request.purpose))

    def _type(self, now: float) -> None:
        self.ear.take()
        self._mark, self._phase = self.ear.tail, _Phase.TYPE
        self.standing.spoken_to(now)
        self.typist.anew()
        self._outbox.append(Say(self.typist.next_words()))

    def _compare_echo(self, now: float) -> Wait | None:
        echoed = self._echo()
        verdict = self.typist.compare(echoed)
        if verdict is Echo.WHOLE:
            if self._resumed:
                self._show_again(now)
            else:
                self._enter_key((), now)
            return None
        if verdict is Echo.STRIDE:
            self._outbox.append(Say(self.typist.next_words()))
            return None
        limit = self.manner.settle if verdict is Echo.DAMAGED else self.manner.echo
        if now < self.standing.heard + limit:
            return Wait(self.standing.heard + limit, "the echo is not complete")
        self._events.append(Mended(self.typist.text, echoed))
        if not self.typist.came_back_damaged():
            self._fail(Stuck("every line comes back damaged; look at the cable and the speed", echoed), now)
        elif self.book.rub and self.book.redraw and self.typist.resumable:
            self._show_again(now)
        else:
            self._cancel(now)
        return None

    def _cancel(self, now: float) -> None:
        """Have the line taken away; it is typed again once its prompt stands there."""
        self._press(self.book.cancel, now)
        self._phase, self.standing.doubtful = _Phase.MEND, True

    def _show_again(self, now: float) -> None:
        """Have the prompt and the line shown again, as the device has it: an echo can be damaged on its way too."""
        self._press(self.book.redraw, now)
        self._phase = _Phase.RESUME

    def _resume(self, now: float) -> Wait | None:
        """What the device has of the line stands there: Enter if it is whole, else go on from where it is good."""
        if now < self.standing.heard + self.manner.settle:
            return Wait(self.standing.heard + self.manner.settle, "the line is shown again")
        if not self.ear.tail.startswith(self._mark):
            self._cancel(now)
            return None
        standing = self.ear.tail[len(self._mark) :]
        if standing == self.typist.text:
            self._enter_key((), now)
            return None
        rubs = self.typist.resume(standing)
        self._resumed, self._phase = True, _Phase.TYPE
        self.standing.spoken_to(now)
        self._outbox.append(Say((self.book.rub * rubs,) if rubs else self.typist.next_words()))
        return None

    def _echo(self) -> str:
        """What came back since the line was begun, less log lines that burst into it."""
        tail, mark = self.ear.tail, self._mark
        lines = self.ear.recent(exact=True)
        if not lines:
            return tail[len(mark) :] if tail.startswith(mark) else tail
        pieces = [line for line in lines if line.strip() and not self.book.noise.search(line)]
        return "".join([*pieces, tail]).removeprefix(mark)

    def _mend(self, now: float) -> Wait | None:
        """After a cancelled line: the same place must stand there again, then the line is said again."""
        was = self.standing.at
        found = self._place(frozenset(), now)
        if isinstance(found, At):
            if was is None or found.name != was.name:
                self._fail(Interrupted(f"after a damaged line it stood at {found.name}"), now)
            else:
                self._typed(self._request)
                self._type(now)
            return None
        return found or self._run_out(_MEND_PATIENCE, now)

    def _enter_key(self, words: Words, now: float) -> None:
        self.ear.take()
        self.ear.cut()
        self.standing.spoken_to(now)
        self.standing.doubtful = False
        self._outbox.append(Say((*words, self.book.enter)))
        self._phase, self._began = _Phase.ANSWER, now

    def _press(self, key: str, now: float) -> None:
        self.ear.take()
        self.ear.cut()
        self.standing.spoken_to(now)
        self._outbox.append(Say((key,)))

    # -- ANSWER ------------------------------------------------------------------------------------
    def _answer(self, now: float) -> Wait | None:
        request = self._request
        assert isinstance(request, (Line, Key))
        if now - self._began > self.manner.longest_answer or self.ear.clipped:
            self._fail(Stuck("it talks and talks and no known place comes", self.ear.tail), now)
            return None
        found = self._place(request.expect | self.book.pagers, now)
        if isinstance(found, At):
            if found.place.kind is Kind.PAGER and isinstance(request, Line):
                self._turn_page(found, now)
            else:
                self._drive(self._errand.send, self._answered(request, found), now)
            return None
        return found or self._run_out(request.patience, now)

    def _turn_page(self, pager: At, now: float) -> None:
        """Go on at a pager; what it showed so far stays kept in the ear."""
        self.ear.cut()
        self.standing.spoken_to(now)
        self._outbox.append(Say((pager.place.press,)))

    def _answered(self, request: Line | Key, at: At) -> Answer:
        """The answer, less noise, echo that was not compared, and blank lines at its ends."""
        clipped = self.ear.clipped
        heard = self.ear.take()
        lines = _without_noise(heard, self.book.noise)
        disturbed = len(lines) < len(heard)
        if isinstance(request, Line) and not self.manner.echo_check and lines and lines[0] == masked(request.words):
            del lines[0]
        while lines and not lines[0]:
            del lines[0]
        while lines and not lines[-1]:
            del lines[-1]
        refusal = next((line for line in lines if self.book.refused(line)), None)
        return Answer(
            tuple(lines), at, refusal, clipped, tuple(line for line in lines if self.book.warned(line)), disturbed
        )

    def _run_out(self, patience: float, now: float) -> Wait | None:
        """Nothing known stands there: stare at what does, or nudge once it has been silent for long."""
        if self.ear.tail.strip():
            return self._at_work(now) or self._stare(patience, now)
        heard, at = self.standing.heard, self.standing.at
        if now >= heard + patience:
            self._fail(Stuck("it stopped answering in the middle of a line"), now)
            return None
        if at is not None and at.place.passes and now >= heard + _KEY_LOST * self.manner.echo:
            self._turn_page(at, now)
            return None
        if at is not None and at.place.passes:
            return Wait(heard + _KEY_LOST * self.manner.echo, "waits for the next page")
        may_nudge = at is not None and at.place.enter_is_harmless and not self.standing.doubtful
        if may_nudge and now >= heard + patience / 2:
            self._press_enter()
            return None
        return Wait(heard + (patience / 2 if may_nudge else patience), "waits for the answer")

    def _at_work(self, now: float) -> Wait | None:
        """A long answer that says how far it has come."""
        request = self._request
        if not isinstance(request, Line) or request.progress is None:
            return None
        match = request.progress.search(self.ear.tail)
        if match is None or now - self.standing.heard > request.patience:
            return None
        percent = match.groupdict().get("percent")
        self._tell(f"{request.purpose}, {percent} %" if percent else request.purpose)
        return Wait(self.standing.heard + request.patience + 0.001, "it is at work")

    def _tell(self, why: str, expected_end: float | None = None) -> None:
        if why != self._why:
            self._why = why
            self._events.append(Told(why, expected_end))


def _without_noise(lines: list[str], noise: re.Pattern[str]) -> list[str]:
    """Log lines taken out, and the blank line that each leaves before it when it comes at a line's beginning."""
    kept: list[str] = []
    for line in lines:
        if not noise.search(line):
            kept.append(line)
        elif kept and not kept[-1]:
            kept.pop()
    return kept
