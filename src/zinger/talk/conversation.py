"""The conversation: always knows where it is from what the device last showed, never from what it typed.

Sans-IO: `receive(data, now)` takes bytes, `next_action(now)` says what to do next. It carries one errand
at a time and fulfils three requests of it, each a phase with its own rule for what counts as an answer:

    LOOK    find out where the device is; Enter is pressed only where Enter is harmless
    TYPE    characters first, echo compared, only then Enter; a damaged line is cancelled and said again
    ANSWER  what stands between Enter and the next place; pagers are turned on the way

A place that can follow counts at once; any other must hold still for a moment.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from enum import Enum
from typing import Any

from zinger.phrasebook import Kind, Phrasebook, Words, has_secret, masked
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

_BOOT_GLANCE = 2048
_MEND_TRIES = 8
_WHOLE_LINE, _FIRST_STRIDE, _TRUST_AFTER = 4096, 32, 20
_QUESTION_ENDS = "?:>])"


@dataclass(frozen=True)
class Manner:
    """How patient a conversation is, in seconds of the pump's clock.

    `boots_in` is what this family (or this very device, before) took to boot.
    """

    settle: float = 0.25
    nudge: float = 0.5
    longest_nudge: float = 5.0
    strange: float = 5.0
    echo: float = 1.0
    longest_answer: float = 900.0
    boots_in: float = 90.0
    echo_check: bool = True


class _Phase(Enum):
    IDLE = "idle"
    LOOK = "look"
    TYPE = "type"
    MEND = "mend"
    ANSWER = "answer"


class Conversation:
    """One device's dialogue over one link at a time."""

    def __init__(self, book: Phrasebook, manner: Manner | None = None) -> None:
        self.book, self.manner = book, manner or Manner()
        self.ear = Ear()
        self.stride = _WHOLE_LINE
        """Characters typed before their echo is awaited; shrinks when lines come back damaged."""
        self.boot_began: float | None = None
        self.at: At | None = None
        """Where the device last was known to be."""
        self._stands: At | None = None
        self._errand: Any = None
        self._request: Request | None = None
        self._phase = _Phase.IDLE
        self._outbox: deque[Say] = deque()
        self._ending: Done | Failed | None = None
        self._events: list[Event] = []
        self._began = self._heard = self._nudged = 0.0
        self._gap = self.manner.nudge
        self._doubtful = False
        self._lines: list[str] = []
        self._mark, self._sent, self._mends = "", 0, 0
        self._why = ""
        self._whole_lines = 0

    # -- the pump's side ---------------------------------------------------------------------------
    def begin(self, errand: Any, now: float) -> None:
        """Start an errand; whatever was under way is forgotten."""
        self._errand, self._ending, self._request = errand, None, None
        self._outbox.clear()
        self._advance(None, now)

    def receive(self, data: bytes, now: float) -> None:
        """Bytes from the device."""
        lines = self.ear.hear(data)
        self._stands = None
        if not self._only_noise(lines):
            self._heard = now
        if lines and self.book.boot.search(lines[-_BOOT_GLANCE:]):
            self._boots(now)

    def _only_noise(self, lines: str) -> bool:
        """Log lines don't count as a sign that the device is still at it, however many come."""
        return (bool(lines) and len(lines) < _BOOT_GLANCE and not self.ear.tail.strip()
                and all(self.book.noise.search(line) for line in lines.split("\n") if line.strip()))

    def next_action(self, now: float) -> Action:
        """What to do now: say something, wait, or report how the errand ended."""
        while not self._outbox and self._ending is None:
            pause = self._step(now)
            if pause is not None:
                return pause
        if self._outbox:
            return self._outbox.popleft()
        assert self._ending is not None
        return self._ending

    def interrupt(self, error: TalkError, now: float) -> None:
        """End the errand from outside: the link is lost, a person takes the wire."""
        self._outbox.clear()
        if self._ending is None and self._errand is not None:
            self._throw(error, now)
        self._stands = None

    def forget(self) -> None:
        """The world changed behind the line (power was cut): what stood there counts no more."""
        self.ear.take()
        self.ear.cut()
        self.at = self._stands = None

    def lost(self, now: float) -> None:
        """The link is gone; what stood half-heard will never be completed."""
        self.interrupt(Interrupted("the link was lost"), now)
        self.ear = Ear()
        self.at = self._stands = None

    def take_events(self) -> list[Event]:
        """What happened since the last call, for onlookers."""
        events, self._events = self._events, []
        return events

    # -- driving the errand ------------------------------------------------------------------------
    def _advance(self, reply: At | Answer | None, now: float) -> None:
        try:
            wanted = self._errand.send(reply)
            while isinstance(wanted, (SignedIn, Renewed)):
                self._events.append(wanted)
                wanted = self._errand.send(None)
        except StopIteration as stop:
            self._finish(Done(stop.value))
        except TalkError as error:
            self._finish(Failed(error))
        else:
            self._enter(wanted, now)

    def _throw(self, error: TalkError, now: float) -> None:
        try:
            wanted = self._errand.throw(error)
        except StopIteration as stop:
            self._finish(Done(stop.value))
        except TalkError as raised:
            self._finish(Failed(raised))
        else:
            self._enter(wanted, now)

    def _finish(self, ending: Done | Failed) -> None:
        self._ending, self._phase, self._errand = ending, _Phase.IDLE, None

    def _enter(self, request: Request, now: float) -> None:
        self._request, self._began, self._doubtful = request, now, False
        self._gap, self._nudged, self._mends = self.manner.nudge, now, 0
        if isinstance(request, Look):
            self._phase = _Phase.LOOK
        elif isinstance(request, Key):
            self._press(request.press, now)
            self._phase = _Phase.ANSWER
            self._tell(request.purpose)
        else:
            self._type(request, now)

    def _step(self, now: float) -> Wait | None:
        """One step of the present phase: a Wait, or None when something changed."""
        if self._phase is _Phase.LOOK:
            return self._look(now)
        if self._phase is _Phase.TYPE:
            return self._compare_echo(now)
        if self._phase is _Phase.MEND:
            return self._mend(now)
        if self._phase is _Phase.ANSWER:
            return self._answer(now)
        return Wait(float("inf"), "nothing to do")

    # -- recognising -------------------------------------------------------------------------------
    def _place(self, expect: frozenset[str], now: float) -> At | Wait | None:
        """The place that stands there, or how long to wait before deciding; None: nothing known stands there."""
        if self._stands is not None:
            return self._stands
        tail = self.ear.tail
        found = self.book.recognise(tail, expect) if tail else None
        if found is None:
            return self._pushed_away(now)
        place, match = found
        groups = match.groupdict()
        half_typed = groups.pop("half_typed", "") or ""
        at = At(place, {k: v for k, v in groups.items() if v is not None})
        if half_typed.strip():
            if now - self._heard < self.manner.settle:
                return Wait(self._heard + self.manner.settle, "a half-typed line stands there")
            self._press(self.book.cancel, now)
            self._doubtful = True
            return Wait(now + self.manner.settle, "a half-typed line was cancelled")
        if (place.name in expect and not self._doubtful) or now - self._heard >= self.manner.settle:
            return self._recognised(at)
        return Wait(self._heard + self.manner.settle, "it must hold still")

    def _pushed_away(self, now: float) -> At | Wait | None:
        """A prompt or question that a log line pushed up still counts, once all is quiet."""
        if self.ear.tail.strip() or self._heard == 0.0:
            return None
        for line in reversed(self.ear.recent()):
            if not line.strip() or self.book.noise.search(line):
                continue
            found = self.book.recognise(f"{line.rstrip()} ") or self.book.recognise(line)
            if found is None or found[1].groupdict().get("half_typed", "").strip():
                return None
            if now - self._heard < self.manner.settle:
                return Wait(self._heard + self.manner.settle, "a log line came between")
            return self._recognised(At(found[0], {
                k: v for k, v in found[1].groupdict().items() if v and k != "half_typed"}))
        return None

    def _recognised(self, at: At) -> At:
        if self.at is None or (at.name, at.captured) != (self.at.name, self.at.captured):
            self._events.append(Recognised(at.name, at.captured))
        self.at = self._stands = at
        self.boot_began = None
        return at

    # -- LOOK --------------------------------------------------------------------------------------
    def _look(self, now: float) -> Wait | None:
        assert isinstance(self._request, Look)
        found = self._place(frozenset(), now)
        if isinstance(found, At):
            self._lines.clear()
            self._advance(found, now)
            return None
        if isinstance(found, Wait):
            if now - self._began > 2 * self._request.patience + 3 * self.manner.boots_in:
                self._throw(Stuck("it never holds still", self.ear.tail), now)
                return None
            return found
        if self.boot_began is not None:
            return self._wait_for_boot(now)
        tail = self.ear.tail
        self._tell("waits for it to answer")
        if tail.strip():
            return self._stare(tail, self._request.patience, now)
        end = self._began + self._request.patience
        if now >= end:
            self._throw(Stuck("nothing answers on this line; is it plugged in and switched on?"), now)
            return None
        return self._nudge(end, now)

    def _nudge(self, end: float, now: float) -> Wait | None:
        """Press Enter now and then, unless it could accept a default."""
        if self.at is not None and not self.at.place.enter_is_harmless and self._began < self._heard:
            return Wait(end, "Enter is not harmless here")
        due = max(self._heard, self._nudged) + self._gap
        if now < due:
            return Wait(min(due, end), "waits for it to answer")
        self._nudged, self._gap = now, min(self._gap * 2, self.manner.longest_nudge)
        self._doubtful = True
        self._outbox.append(Say((self.book.enter,)))
        self._events.append(Nudged())
        return None

    def _boots(self, now: float) -> None:
        if self.boot_began is None:
            self.boot_began, self.at = now, None
            self._tell("booting", now + self.manner.boots_in)
            if self._phase in (_Phase.TYPE, _Phase.MEND, _Phase.ANSWER):
                self._outbox.clear()
                self._throw(Interrupted("it restarted"), now)

    def _wait_for_boot(self, now: float) -> Wait | None:
        """Leave a booting device alone until it should be up, then nudge; give up after three times as long."""
        assert self.boot_began is not None
        quiet_until = self.boot_began + 0.8 * self.manner.boots_in
        end = self.boot_began + 3 * self.manner.boots_in + 20
        if now >= end:
            self.boot_began = None
            self._throw(Stuck("it began to boot and never came up", self.ear.tail), now)
            return None
        if now < quiet_until:
            return Wait(quiet_until, "booting")
        return self._nudge(end, now)

    def _stare(self, tail: str, patience: float, now: float) -> Wait | None:
        """Something unknown stands there: wait for it to go on, then ask a person."""
        limit = self.manner.strange if tail.rstrip()[-1] in _QUESTION_ENDS else patience
        if now - self._heard < limit:
            return Wait(self._heard + limit, "something unknown stands there")
        self._throw(Stuck("it shows something that this phrasebook does not know", tail), now)
        return None

    # -- TYPE --------------------------------------------------------------------------------------
    def _type(self, line: Line, now: float) -> None:
        """Begin a line: blind ones go out whole, others a stride at a time with the echo compared."""
        place = self.at.name if self.at else ""
        if not self._mends:
            self._events.append(Typed("" if line.blind else masked(line.words), place, line.purpose))
            self._tell(line.purpose)
        self.ear.take()
        if line.blind or not self.manner.echo_check:
            self._stands = None
            self._enter_key(line.words, now)
            return
        self._phase, self._mark, self._sent = _Phase.TYPE, self.ear.tail, 0
        self._heard = now
        self._send_stride(line.words)

    def _send_stride(self, words: Words) -> None:
        self._stands = None
        if has_secret(words):
            self._sent = len(masked(words))
            self._outbox.append(Say(words))
            return
        text = masked(words)
        piece = text[self._sent : self._sent + self.stride]
        self._sent += len(piece)
        if piece:
            self._outbox.append(Say((piece,)))

    def _compare_echo(self, now: float) -> Wait | None:
        assert isinstance(self._request, Line)
        text = masked(self._request.words)
        echoed, sent = self._echo(), text[: self._sent]
        if echoed == sent:
            if self._sent < len(text):
                self._send_stride(self._request.words)
            else:
                self._grow_stride()
                self._enter_key((), now)
            return None
        damaged = not sent.startswith(echoed)
        limit = self.manner.settle if damaged else self.manner.echo
        if now - self._heard < limit:
            return Wait(self._heard + limit, "the echo is not complete")
        self._events.append(Mended(text, echoed))
        self._mends += 1
        if self._mends > _MEND_TRIES:
            self._throw(Stuck("every line comes back damaged; look at the cable and the speed", echoed), now)
            return None
        self.stride = max(1, min(self.stride, 2 * _FIRST_STRIDE) // 2)
        self._whole_lines = 0
        self._press(self.book.cancel, now)
        self._phase, self._doubtful = _Phase.MEND, True
        return None

    def _grow_stride(self) -> None:
        """Lines that came back whole earn a longer stride, slowly."""
        self._whole_lines += 1
        if self._whole_lines >= _TRUST_AFTER and self.stride < _WHOLE_LINE:
            self.stride, self._whole_lines = self.stride * 2, 0

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
        assert isinstance(self._request, Line)
        was = self.at
        found = self._place(frozenset(), now)
        if isinstance(found, At):
            if was is None or found.name != was.name:
                self._throw(Interrupted(f"after a damaged line it stood at {found.name}"), now)
            else:
                self._type(self._request, now)
            return None
        if isinstance(found, Wait):
            return found
        return self._run_out(now, 10.0)

    def _enter_key(self, words: Words, now: float) -> None:
        self.ear.take()
        self.ear.cut()
        self._stands, self._heard = None, now
        self._outbox.append(Say((*words, self.book.enter)))
        self._phase, self._began, self._doubtful = _Phase.ANSWER, now, False
        self._lines.clear()

    def _press(self, key: str, now: float) -> None:
        self.ear.take()
        self.ear.cut()
        self._stands, self._heard = None, now
        self._lines.clear()
        self._outbox.append(Say((key,)))

    # -- ANSWER ------------------------------------------------------------------------------------
    def _answer(self, now: float) -> Wait | None:
        assert isinstance(self._request, (Line, Key))
        request = self._request
        if now - self._began > self.manner.longest_answer:
            self._throw(Stuck("it talks and talks and no known place comes", self.ear.tail), now)
            return None
        found = self._place(request.expect, now)
        if isinstance(found, Wait):
            return found
        if isinstance(found, At):
            if found.place.kind is Kind.PAGER and isinstance(request, Line):
                self._turn_page(found, now)
                return None
            clipped = self.ear.clipped
            lines = self._answer_lines(request)
            refusal = next((line for line in lines if self.book.refused(line)), None)
            self._advance(Answer(lines, found, refusal, clipped), now)
            return None
        return self._run_out(now, request.patience)

    def _turn_page(self, pager: At, now: float) -> None:
        """Go on at a pager; what it showed so far stays kept in the ear."""
        self.ear.cut()
        self._stands, self._heard = None, now
        self._outbox.append(Say((pager.place.press,)))

    def _answer_lines(self, request: Line | Key) -> tuple[str, ...]:
        lines = [line for line in self.ear.take() if not self.book.noise.search(line)]
        if isinstance(request, Line) and not self.manner.echo_check and lines and lines[0] == masked(request.words):
            del lines[0]
        while lines and not lines[0]:
            del lines[0]
        while lines and not lines[-1]:
            del lines[-1]
        return tuple(lines)

    def _run_out(self, now: float, patience: float) -> Wait | None:
        """Nothing known stands there: stare at what does, or nudge once it has been silent for long."""
        tail = self.ear.tail
        if tail.strip():
            return self._stare(tail, patience, now)
        end = self._heard + patience
        if now >= end:
            self._throw(Stuck("it stopped answering in the middle of a line"), now)
            return None
        prompt_before = self.at is not None and self.at.place.kind is Kind.PROMPT
        half = self._heard + patience / 2
        if prompt_before and now >= half and not self._doubtful:
            self._doubtful = True
            self._outbox.append(Say((self.book.enter,)))
            self._events.append(Nudged())
            return None
        return Wait(half if prompt_before and not self._doubtful else end, "waits for the answer")

    def _tell(self, why: str, expected_end: float | None = None) -> None:
        if why != self._why:
            self._why = why
            self._events.append(Told(why, expected_end))
