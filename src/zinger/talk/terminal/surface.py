"""A dialogue on a terminal: always knows where it is from what the device last showed, never from what it typed.

Two requests are fulfilled, each by its phases (see the table in `phases`):

    Look  find out where the device is; Enter is pressed only where Enter is harmless
    Do    a line is typed first, its echo compared, and only then Enter; a damaged line is looked at and resumed where
          the family can show it again, else cancelled and typed again. Then what stands between Enter and the next
          place is the answer; pagers are turned on the way

Where the device stands is the `Locator`'s to say, how a line is typed the `Typist`'s; `Sight` looks, this file acts.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from zinger.phrasebook.classify import LineKind, classify
from zinger.phrasebook.terminal import PressKey, Terminal, TypeLine
from zinger.phrasebook.words import Words, masked
from zinger.talk.errors import TalkError
from zinger.talk.events import Event, Mended, Nudged, Recognised, Sent, Waiting, Waits
from zinger.talk.requests import Answer, At, Do, Look
from zinger.talk.surface import Wait
from zinger.talk.terminal.locator import Boot, Locator
from zinger.talk.terminal.phases import TABLE, Action, Input, NoRow, State
from zinger.talk.terminal.sight import Blind, Sight, View
from zinger.talk.terminal.typist import Typist
from zinger.talk.timing import Timing

_FIRST_SIGN = 0.25
"""The part of its boot within which a device that was just switched on shows something."""
_DAMAGED = (Input.ECHO_DAMAGED, Input.ECHO_DAMAGED_SHOWABLE, Input.ECHO_HOPELESS)


class Send(NamedTuple):
    """Write these words to the link, secrets resolved at that moment; `pace` in characters a second, 0 is at once."""

    words: Words
    pace: float = 0.0


Turn = Send | Wait | At | Answer | TalkError
Trace = Callable[[float, State, Input, Action, State], None]
"""Told of every row of the table that is taken: the time, the state, what is seen, what is done, the next state."""


class TerminalSurface:
    """One device's terminal over one link at a time."""

    def __init__(self, terminal: Terminal, timing: Timing | None = None, trace: Trace | None = None) -> None:
        self.terminal, self.timing = terminal, timing or Timing()
        self.state = State.IDLE
        self.sight = Sight(Locator(terminal, self.timing), Typist())
        self._trace = trace
        self._events: list[Event] = []
        self._told = ""
        self._acts: dict[Action, Callable[[View, float], Turn | None]] = {
            Action.WAIT: lambda view, now: Wait(view.until, view.why),
            Action.REST: self._rest,
            Action.REPORT_PLACE: lambda view, now: view.at,
            Action.FAIL: self._fail,
            Action.ANSWER: self._answer,
            Action.TYPE: self._type,
            Action.TYPE_ON: lambda view, now: self._typed(self.sight.typist.next_words()),
            Action.TYPE_AGAIN: self._type_again,
            Action.RESUME: self._resume,
            Action.SHOW_AGAIN: self._show_again,
            Action.CANCEL: self._cancel,
            Action.ENTER: lambda view, now: self._enter((), now),
            Action.SEND_WHOLE: self._send_whole,
            Action.PRESS: self._press_wanted,
            Action.PASS: self._pass,
            Action.NUDGE: self._nudge,
            Action.TAKE_AWAY: self._take_away,
        }

    def __repr__(self) -> str:
        locator = self.locator
        return f"<terminal {self.state.name}, at {locator.at and locator.at.name}, tail {locator.buffer.tail!r}>"

    @property
    def locator(self) -> Locator:
        """Where the device stands, and what it showed."""
        return self.sight.locator

    # -- the carrier's side ------------------------------------------------------------------------
    def receive(self, data: bytes, now: float) -> None:
        """Bytes from the device."""
        sight = self.sight
        for told in sight.locator.receive(data, now):
            if told is Boot.UP:
                sight.up = now
                continue
            sight.boot_shown = now
            if sight.begins_to_boot(now, asked=self.state is not State.IDLE):
                self._boots_from(now)
                sight.restarted = self.state not in (State.LOOKING, State.IDLE)

    def _boots_from(self, now: float) -> None:
        self.sight.boot_began, self.sight.up, self.locator.at = now, 0.0, None
        self._tell_of_boot()

    def _tell_of_boot(self) -> None:
        assert self.sight.boot_began is not None
        self._tell("booting", self.sight.boot_began + self.timing.boots_in, Waiting.BOOT)

    @property
    def boots(self) -> bool:
        """Whether it boots: it showed that, or is to, and neither stood at a known place nor said it is up since."""
        return self.sight.boot_began is not None and not self.sight.up

    def expect_boot(self, now: float, certain: bool) -> None:
        """It boots from now on, whether it shows it yet or not; where that is not certain, nothing is pressed for long.

        A key that is pressed while it boots waits in its line, and answers a question later.
        """
        if certain:
            self._boots_from(now)
        else:
            self.sight.quiet_until = now + _FIRST_SIGN * self.timing.boots_in

    def begin(self, request: Look | Do, now: float) -> None:
        """Fulfil this request from now on."""
        self.sight.begin(request, now)
        if isinstance(request, Do):
            self._tell_of(request)
        elif self.boots:
            self._told = ""  # whoever looks anew is told anew what is waited for
            self._tell_of_boot()

    def turn(self, now: float) -> Turn:
        """What to do now: send, wait, or the reply to the request. Raises NoRow for a fault of ours."""
        while True:
            view = self.sight.view(self.state, now)
            row = TABLE.get((self.state, view.seen))
            if row is None:
                raise NoRow(self.state, view.seen)
            action, after = row
            if self._trace is not None:
                self._trace(now, self.state, view.seen, action, after)
            self.state = after
            self._note(view)
            result = self._acts[action](view, now)
            if result is not None:
                return result

    def stop(self) -> None:
        """The request is given up, or over: then what stands there still counts, until something else comes."""
        if self.state is not State.IDLE:
            self.locator.look_anew()
        self.state = TABLE[self.state, Input.STOPPED][1]
        self.sight.pending, self.sight.restarted = None, False

    def forget(self) -> None:
        """The world changes behind the line (its power is cut): look anew; a boot of before counts no more."""
        self.locator.forget()
        self.sight.boot_began, self.sight.up = None, 0.0

    def forget_place(self) -> None:
        """Somebody else used the line: where the device was counts no more; what it shows does, once it holds still."""
        self.locator.at = None
        self.locator.look_anew()

    def reset(self) -> None:
        """The link is gone; what stood half-heard will never be completed."""
        self.stop()
        self.sight.locator, self.sight.woken = Locator(self.terminal, self.timing), False

    def take_events(self) -> list[Event]:
        """What happened since the last call."""
        events, self._events = self._events, []
        return events

    # -- what is told ------------------------------------------------------------------------------
    def _note(self, view: View) -> None:
        """Tell of a place that the device has come to, and of what is waited for."""
        if view.tell:
            self._tell(view.tell)
        if view.at is not None:
            self.sight.boot_began = None
            self.sight.pressed = 0
            if view.at is not self.sight.last_seen:
                self.sight.last_seen = view.at
                self._events.append(Recognised(view.at.name, view.at.captured))

    def _tell(self, why: str, expected_end: float | None = None, what: Waiting = Waiting.OTHER) -> None:
        if why != self._told:
            self._told = why
            self._events.append(Waits(why, expected_end, what))

    def _tell_of(self, request: Do) -> None:
        if isinstance(request.deed, TypeLine):
            at = self.locator.at
            shown = "" if self.sight.blind else masked(request.deed.words)
            self._events.append(Sent(shown, at.name if at else "", request.purpose))
        self._tell(request.purpose)

    # -- actions -----------------------------------------------------------------------------------
    def _rest(self, view: View, now: float) -> None:
        self.sight.pending = None

    def _fail(self, view: View, now: float) -> TalkError:
        assert view.error is not None
        self._damage(view)
        self.sight.restarted = False
        return view.error

    def _damage(self, view: View) -> None:
        """Count a damaged echo, and tell of it."""
        if view.seen in _DAMAGED:
            self._events.append(Mended(self.sight.typist.text, self.sight.echo()))
            self.sight.typist.came_back_damaged()

    def _press(self, key: str, now: float) -> Send:
        """Send a key; what stands there now is no answer to it."""
        self.locator.buffer.take()
        self.locator.buffer.cut()
        self.locator.sent_to(now)
        return Send((key,))

    def _press_wanted(self, view: View, now: float) -> Send:
        assert isinstance(self.sight.request, Do) and isinstance(self.sight.request.deed, PressKey)
        self.sight.pending = None
        return self._press(self.sight.request.deed.key, now)

    def _words(self) -> Words:
        assert isinstance(self.sight.request, Do) and isinstance(self.sight.request.deed, TypeLine)
        return self.sight.request.deed.words

    def _type(self, view: View, now: float) -> Send:
        self.sight.pending = None
        self.sight.typist.begin(self._words())
        return self._from_the_beginning(now)

    def _type_again(self, view: View, now: float) -> Send:
        assert isinstance(self.sight.request, Do)
        self._tell_of(self.sight.request)
        return self._from_the_beginning(now)

    def _from_the_beginning(self, now: float) -> Send:
        sight = self.sight
        sight.locator.buffer.take()
        sight.prompt = sight.locator.buffer.tail
        sight.locator.sent_to(now)
        sight.typist.anew()
        return self._typed(sight.typist.next_words())

    def _resume(self, view: View, now: float) -> Send:
        """Go on from where the line is good."""
        sight = self.sight
        rubs = sight.typist.resume(sight.line_shown)
        sight.resumed = True
        sight.locator.sent_to(now)
        return Send((self.terminal.rub * rubs,) if rubs else sight.typist.next_words())

    def _show_again(self, view: View, now: float) -> Send:
        """Have the prompt and the line shown again, as the device has it: an echo can be damaged on its way too."""
        self._damage(view)
        return self._press(self.terminal.redraw, now)

    def _cancel(self, view: View, now: float) -> Send:
        """Have a line taken away."""
        self._damage(view)
        self.locator.doubtful = True
        return self._press(self.terminal.cancel, now)

    def _take_away(self, view: View, now: float) -> Send:
        """What was typed blind may stand there without its Enter: it goes, and is typed again, slower, if asked for."""
        self.sight.blind_lost = Blind.TAKEN_AWAY
        self.sight.typist.lost()
        self.locator.sent_to(now)
        return Send((self.terminal.cancel,))

    def _send_whole(self, view: View, now: float) -> Send:
        self.sight.pending = None
        if view.seen is Input.BLIND_PLACE:
            self.sight.blind_lost = Blind.TYPED_AGAIN
        return self._enter(self._words(), now)

    def _enter(self, words: Words, now: float) -> Send:
        self._press("", now)
        self.locator.doubtful = False
        self.sight.began = now
        return self._typed((*words, self.terminal.enter))

    def _typed(self, words: Words) -> Send:
        """At the pace that the line takes, as far as it is known; what does not come back goes slowly anyway."""
        pace, blind, slowness = self.terminal.pace, self.timing.blind_pace, self.sight.typist.slowness
        if self.sight.blind:
            slowness = max(slowness, 2 if self.sight.typist.slowed else 1)
        if slowness and blind:
            pace = min(pace or blind, blind / 2 ** (slowness - 1))
        return Send(words, pace)

    def _pass(self, view: View, now: float) -> Send:
        """Go on at a pager or a notice; what was shown so far stays kept."""
        assert view.at is not None
        self.sight.notices += view.seen is Input.NOTICE
        self.locator.buffer.cut()
        self.locator.sent_to(now)
        return Send((self.terminal.signs[view.at.name].press,))

    def _nudge(self, view: View, now: float) -> Send:
        sight = self.sight
        sight.nudged, sight.gap = now, min(sight.gap * 2, self.timing.longest_nudge)
        sight.presses(now)
        self.locator.doubtful = True
        self._events.append(Nudged())
        first, sight.woken = not sight.woken and self.locator.at is None, True
        return Send((self.terminal.wake if first and self.terminal.wake else self.terminal.enter,))

    def _answer(self, view: View, now: float) -> Answer:
        """The answer, less noise, echo that was not compared, and blank lines at its ends."""
        assert view.at is not None and isinstance(self.sight.request, Do)
        clipped = self.locator.buffer.clipped
        heard = self.locator.buffer.take()
        kinds = [classify(self.terminal, line.rstrip()) for line in heard]
        disturbed = LineKind.NOISE in kinds
        lines, torn = _without_noise(heard, kinds) if disturbed else (list(heard), set())
        deed = self.sight.request.deed
        first, last = 0, len(lines)
        if not self.timing.echo_check and lines and isinstance(deed, TypeLine) and lines[0] == masked(deed.words):
            first = 1
        while first < last and not lines[first].strip():
            first += 1
        while first < last and not lines[last - 1].strip():
            last -= 1
        told = dict.fromkeys(line.rstrip() for line, kind in zip(heard, kinds, strict=True) if kind is LineKind.REFUSAL)
        warned = tuple(line for line, kind in zip(heard, kinds, strict=True) if kind is LineKind.WARNING)
        if self.sight.typed_blind and (told or view.at.name == self.sight.begun_name):
            self.sight.typist.doubted()
        rows = tuple(lines[first:last])
        gaps = frozenset(at - first for at in torn if first <= at < last - 1)
        return Answer(rows, view.at, next(iter(told), None), clipped, warned, disturbed, gaps)


def _without_noise(lines: list[str], kinds: list[LineKind]) -> tuple[list[str], set[int]]:
    """Log lines taken out, and the blank line that each leaves before it when it comes at a line's beginning.

    Also the indices of the rows that were shown just before one: it may have torn them.
    """
    kept: list[str] = []
    torn: set[int] = set()
    for line, kind in zip(lines, kinds, strict=True):
        if kind is not LineKind.NOISE:
            kept.append(line)
        elif kept and not kept[-1]:
            kept.pop()
        elif kept:
            torn.add(len(kept) - 1)
    return kept, torn
