"""What is seen at a turn: where the device stands, what came back of a line, how long it has been silent.

Looking changes nothing; what follows from it stands in the table (`phases`) and is done by the surface.
"""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

from zinger.phrasebook.map import Kind
from zinger.phrasebook.terminal import PressKey, TypeLine
from zinger.talk.errors import Interrupted, Restarted, Silent, Stuck, TalkError, Unanswered
from zinger.talk.requests import At, Do, Look
from zinger.talk.surface import Wait
from zinger.talk.terminal.locator import Locator, Seen, is_question
from zinger.talk.terminal.phases import Input, State
from zinger.talk.terminal.typist import TRIES, Echo, Typist

_WALL = 3
"""So many times its patience something unknown is waited for at most, however often it draws or ticks."""
_MEND_PATIENCE = 10.0
_KEY_LOST = 4
"""After so many times the patience with an echo, a key that turns a page is pressed again: it can be lost too."""
_NOTICES = 12
"""So many notices are passed in one request; more are a circle."""
_BLIND_LOST = 8.0
"""Seconds of silence after which a line that does not echo is taken to be lost; devices answer a password sooner."""
_PUSHED_AWAY = 5
"""So often a line that a log line pushed away is shown again, before it is cancelled."""
_WAKES = 2
"""So many keys wake a device that sleeps: one that takes away what somebody left, and Enter."""
_TALKS = "It shows line after line, and no known prompt: no pattern of this phrasebook matches."
_CLEARED = 2
"""So often somebody's half answer is taken away in one request."""
TWICE = 2
"""A line that was damaged is shown whole so often before Enter: one showing can itself lose just what is wrong."""


class Blind(Enum):
    """What became of the line that was typed blind in this request."""

    AWAITED = "its answer is waited for"
    TAKEN_AWAY = "nothing came of it, and the key that takes a line away was pressed"
    TYPED_AGAIN = "it was typed again"


class View(NamedTuple):
    """What is seen, and what belongs to it: the place, when to look again and why, the error it ends in."""

    seen: Input
    at: At | None = None
    until: float = float("inf")
    why: str = "nothing to do"
    error: TalkError | None = None
    tell: str = ""


class Sight:
    """Looks at one request on one terminal."""

    def __init__(self, locator: Locator, typist: Typist) -> None:
        self.locator, self.typist = locator, typist
        self.timing = locator.timing
        self.request: Look | Do | None = None
        self.began = 0.0
        self.begun_at: At | None = None
        """Where the device stood when the request began."""
        self.last_seen: At | None = None
        """The place that onlookers were told of last."""
        self.boot_began: float | None = None
        self.up = 0.0
        """When it said, while booting, that it is up; 0 until then."""
        self.boot_shown = 0.0
        """When it last showed that it boots; 0 where it never did."""
        self.restarted = False
        """Whether it began to boot in the middle of something."""
        self.pending: Input | None = None
        """The request that has not been begun yet."""
        self.nudged = self.grown = 0.0
        self.pressed = 0
        """How many keys were pressed into silence since it last stood at a known place."""
        self.pressed_at = 0.0
        """When the first of them was."""
        self.longest = 0
        """The length of the longest unknown text so far, and above since when."""
        self.quiet_until = 0.0
        """Until when nothing is pressed, since it may boot without showing it."""
        self.woken = False
        """Whether what somebody left half typed on this line was taken away."""
        self.gap = self.timing.nudge
        self.notices = 0
        self.cleared = 0
        """How often somebody's half answer was taken away in this request."""
        self.blind_lost = Blind.AWAITED
        self.pushed_away = 0
        """How often a log line pushed the present line away while it was looked at."""
        self.resumed = False
        self.shown_whole = 0
        self.prompt = ""
        """What stood before the line that is typed."""

    def begin(self, request: Look | Do, now: float) -> None:
        """A new request."""
        self.request, self.began, self.notices, self.cleared = request, now, 0, 0
        self.longest, self.grown = 0, now
        self.blind_lost, self.pushed_away = Blind.AWAITED, 0
        self.resumed, self.shown_whole = False, 0
        self.begun_at, self.locator.doubtful = self.locator.at, False
        if isinstance(request, Look):
            self.pending, self.nudged, self.gap = Input.WANTS_LOOK, now, self.timing.nudge
        elif isinstance(request.deed, PressKey):
            self.pending = Input.WANTS_KEY
        elif isinstance(request.deed, TypeLine):
            self.pending = Input.WANTS_BLIND_LINE if self.blind else Input.WANTS_LINE
        else:
            raise TypeError(f"{request.deed!r} can't be done on a terminal")

    @property
    def blind(self) -> bool:
        """Whether what is typed now does not come back, or is not compared."""
        at = self.locator.at
        return not self.timing.echo_check or (at is not None and self.locator.terminal.signs[at.name].blind)

    def view(self, state: State, now: float) -> View:
        """What is seen now."""
        if state is State.IDLE:
            return View(self.pending or Input.SILENCE)
        if self.restarted:
            return View(Input.RESTARTED, error=Restarted("it restarted"))
        if state is State.TYPING:
            return self._echo_view(now)
        if state is State.CHECKING:
            return self._line_view(now)
        request = self.request
        if state is State.LOOKING:
            assert isinstance(request, Look)
            return self._looking(request, now)
        assert isinstance(request, Do)
        return self._answering(request, now) if state is State.ANSWERING else self._cancelled(now)

    def presses(self, now: float) -> None:
        """A key is pressed into silence, to see whether anybody is there."""
        self.pressed, self.pressed_at = self.pressed + 1, self.pressed_at if self.pressed else now

    @property
    def keys_wait(self) -> bool:
        """Whether such keys may wait in the device's line, where each answers a question later.

        They do where it booted meanwhile, unseen; where it was awake, the last of them is what it answers.
        """
        return self.pressed > _WAKES or (self.pressed > 0 and self.boot_shown > self.pressed_at)

    # -- where it stands ---------------------------------------------------------------------------
    def _where(self, expect: frozenset[str], now: float) -> View | None:
        """The place, or what must be waited for or passed first; None when nothing known stands there."""
        found = self.locator.place(expect, now)
        if isinstance(found, At):
            until = self.locator.heard + self.timing.leftover
            if self.keys_wait and now < until:
                return View(Input.NOT_STILL, until=until, why="a key that was pressed before may still answer")
            if found.place.kind is not Kind.NOTICE:
                return View(Input.PLACE, found)
            if self.notices < _NOTICES:
                return View(Input.NOTICE, found)
            error = Stuck(f"{found.place.words} comes again and again", self.locator.buffer.tail)
            return View(Input.NOTICES_WITHOUT_END, found, error=error)
        if found is Seen.HALF_TYPED:
            return View(Input.HALF_TYPED)
        return View(Input.NOT_STILL, until=found.until, why=found.why) if isinstance(found, Wait) else None

    def _looking(self, look: Look, now: float) -> View:
        view = self._where(frozenset(), now)
        buffer = self.locator.buffer
        if view is not None:
            if view.seen is Input.NOT_STILL and now - self.began > 2 * look.patience + 3 * self.timing.boots_in:
                return View(Input.NEVER_STILL, error=Stuck("it never holds still", buffer.tail))
            return view
        if self.boot_began is not None:
            return self._booting(self.boot_began, look.patience, now)
        tell = "waits for it to answer"
        if self._half_answered_at:
            return self._half_answered(now)
        if self.locator.standing:
            return self._stare(look.patience, now, tell)
        end = max(self.began, self.quiet_until) + look.patience
        if self.locator.lined > self.began:  # it can be in the middle of a boot, past the lines by which that is known
            end = max(end, min(self.locator.lined + look.patience, self.began + self._boots_at_most))
        if now >= end:
            return View(Input.SILENT_FOR_LONG, error=self._nowhere())
        return self._silence(end, now, tell)

    def _nowhere(self) -> Stuck:
        """What it ends in where no known place came: it showed something meanwhile, or nothing at all."""
        lines = self.locator.buffer.recent() if self.locator.lined > self.began else []
        if said := next((line for line in reversed(lines) if line.strip()), ""):
            return Stuck(_TALKS, said)
        return Unanswered("Nothing answers on this line. Is the device plugged in and switched on?")

    @property
    def _half_answered_at(self) -> str:
        """The question behind which somebody's half answer stands; empty for none, or where it can't be taken away."""
        buffer = self.locator.buffer
        return self.locator.terminal.half_answered(buffer.tail, buffer.text) if self.cleared < _CLEARED else ""

    def _half_answered(self, now: float) -> View:
        """Somebody's answer without its Enter goes, once it holds still; where that does not help, it is stared at."""
        until = self.locator.heard + self.timing.settle
        if now < until:
            return View(Input.NOT_STILL, until=until, why="somebody's answer stands there")
        self.cleared += 1
        return View(Input.HALF_TYPED)

    def _silence(self, end: float, now: float, tell: str = "") -> View:
        """Enter may be pressed now and then, unless it could accept a default."""
        at, heard = self.locator.at, self.locator.heard
        if at is not None and not self.locator.terminal.signs[at.name].enter_is_harmless and self.began < heard:
            return View(Input.SILENCE, until=end, why="Enter is not harmless here", tell=tell)
        due = max(max(heard, self.nudged) + self.gap, self.quiet_until)
        if now < due:
            return View(Input.SILENCE, until=min(due, end), why="waits for it to answer", tell=tell)
        return View(Input.NUDGE_IS_DUE, tell=tell)

    @property
    def _boots_at_most(self) -> float:
        return 3 * self.timing.boots_in + 20

    def begins_to_boot(self, now: float, asked: bool) -> bool:
        """Whether a line of a boot that comes now begins one; `asked`, whether anything is wanted of it just now.

        A boot that nobody looked at may be over for long, and nothing said so.
        """
        if self.boot_began is None or self.up:
            return True
        return not asked and now >= self.boot_began + self.timing.boots_in

    def _booting(self, began: float, patience: float, now: float) -> View:
        """A booting device is left alone until it should be up; after three times as long it is given up.

        One that came up while nobody looked is asked nevertheless, and one that boots again and again is not for ever.
        """
        quiet_until = self.up or began + self.timing.boots_in
        end = max(began + self._boots_at_most, self.began + patience)
        end = min(end, self.began + patience + 2 * self._boots_at_most)
        if now >= end:
            error = Stuck("it began to boot and never came up", self.locator.buffer.tail)
            return View(Input.BOOTS_FOR_LONG, error=error)
        return View(Input.BOOTS, until=quiet_until, why="booting") if now < quiet_until else self._silence(end, now)

    def _stare(self, patience: float, now: float, tell: str = "") -> View:
        """Something unknown stands there: it may go on, or a person is needed."""
        tail = self.locator.standing
        if len(tail) > self.longest:  # a row of dots that grows is at work; a clock that ticks is not
            self.longest, self.grown = len(tail), now
        limit = self.timing.strange if self._asks(tail) else patience
        wall = max(self.began, self.grown, self.locator.lined) + _WALL * limit
        until, still = min(self.locator.heard + limit, wall), self.locator.heard + self.timing.settle
        if now < until:
            until = min(until, still) if now < still else until
            return View(Input.UNKNOWN, until=until, why="something unknown stands there", tell=tell)
        stood = max(1.0, now - max(self.began, self.grown))
        words = f"Unknown prompt: no pattern of this phrasebook matches. It has been there for {stood:.0f} s; "
        unknown = Stuck(f"{words}nothing was pressed.", tail)
        return View(Input.UNKNOWN_FOR_LONG, error=unknown, tell=tell)

    def _asks(self, standing: str) -> bool:
        """Whether it ends as a question; before log lines, a line of an answer can end so too, but without a blank."""
        is_tail = bool(self.locator.buffer.tail.strip())
        return is_question(standing) and (is_tail or standing.endswith(" "))

    # -- a line ------------------------------------------------------------------------------------
    def _echo_view(self, now: float) -> View:
        echoed = self.echo()
        verdict = self.typist.compare(echoed)
        if verdict is Echo.WHOLE:
            return View(Input.ECHO_WHOLE_AFTER_RESUMING if self.resumed else Input.ECHO_WHOLE)
        if verdict is Echo.STRIDE:
            return View(Input.ECHO_SO_FAR)
        limit = self.timing.settle if verdict is Echo.DAMAGED else self.timing.echo
        until = self.locator.heard + limit * (1 + self.typist.damaged)  # what looks damaged may only be late
        if now < until:
            return View(Input.ECHO_COMING, until=until, why="the echo is not complete")
        if self.typist.damaged >= TRIES:
            error = Stuck("Every line comes back damaged. Look at the cable and the speed.", echoed)
            return View(Input.ECHO_HOPELESS, error=error)
        terminal = self.locator.terminal
        showable = terminal.rub and terminal.redraw and self.typist.resumable
        return View(Input.ECHO_DAMAGED_SHOWABLE if showable else Input.ECHO_DAMAGED)

    def echo(self) -> str:
        """What came back since the line was begun, less log lines that burst into it."""
        buffer, prompt = self.locator.buffer, self.prompt
        tail = buffer.tail
        lines = buffer.recent(exact=True)
        if not lines:
            return tail[len(prompt) :] if tail.startswith(prompt) else tail
        noise = self.locator.terminal.noise
        pieces = [line for line in lines if line.strip() and not noise.search(line)]
        return "".join([*pieces, tail]).removeprefix(prompt)

    @property
    def line_shown(self) -> str:
        """What the device has of the line, shown again behind its prompt."""
        return self.locator.buffer.tail[len(self.prompt) :]

    def _line_view(self, now: float) -> View:
        until = self.locator.heard + self.timing.settle
        if now < until:
            return View(Input.NOT_STILL, until=until, why="the line is shown again")
        self._see_prompt_again()
        if not self.prompt or not self.locator.buffer.tail.startswith(self.prompt):
            if self.pushed_away < _PUSHED_AWAY and self.locator.only_log_lines:
                self.pushed_away += 1
                return View(Input.LINE_PUSHED_AWAY)
            return View(Input.LINE_GONE)
        if self.line_shown != self.typist.text:
            self.shown_whole = 0
            return View(Input.LINE_DAMAGED)
        self.shown_whole += 1
        return View(Input.LINE_WHOLE if self.shown_whole >= TWICE else Input.LINE_WHOLE_ONCE)

    def _see_prompt_again(self) -> None:
        """A log line can have pushed the prompt away when the line was begun; with the line shown again, it is back.

        Where another place's prompt stands there by now (it signed out, it restarted), none is found.
        """
        if self.prompt or self.begun_at is None:
            return
        sign, buffer = self.locator.terminal.signs[self.begun_at.name], self.locator.buffer
        tail = buffer.tail
        match = sign.match(tail, buffer.text)
        if match is not None and "half_typed" in match.groupdict():
            self.prompt = tail[: match.start("half_typed")]
        elif match is None:  # a question, with what was typed behind it
            ends = (end for end in range(1, len(tail)) if sign.match(tail[:end], buffer.text))
            self.prompt = tail[: next(ends, 0)]

    def _cancelled(self, now: float) -> View:
        view = self._where(frozenset(), now)
        if view is None:
            return self._run_out(_MEND_PATIENCE, now)
        if view.seen is not Input.PLACE or view.at is None:
            return view
        if self.begun_at is not None and view.at.name == self.begun_at.name:
            return view
        error = Interrupted(f"after a damaged line it stood at {view.at.place.words}")
        return View(Input.OTHER_PLACE, view.at, error=error)

    # -- an answer ---------------------------------------------------------------------------------
    def _answering(self, do: Do, now: float) -> View:
        buffer = self.locator.buffer
        if now - self.began > self.timing.longest_answer or buffer.clipped:
            error = Stuck(_TALKS, buffer.tail)
            return View(Input.TALKS_WITHOUT_END, error=error)
        view = self._where(do.expect | self.locator.terminal.pagers, now)
        if view is None:
            still = now >= self.locator.heard + self.timing.settle
            if still and self._half_answered_at not in ("", self.begun_name):  # what stands there is not our answer
                return self._half_answered(now)
            return self._at_work(do, now) or self._blind_silence(do, now) or self._run_out(do.patience, now)
        if view.seen is Input.PLACE and view.at is not None and self._is_asked_anew(view.at):
            return View(Input.BLIND_PLACE, view.at)
        typed = isinstance(do.deed, TypeLine)
        if view.seen is Input.PLACE and typed and view.at is not None and view.at.place.kind is Kind.PAGER:
            return View(Input.PAGER, view.at)
        return view

    @property
    def begun_name(self) -> str:
        """Where the request was begun; nothing where nobody knew."""
        return self.begun_at.name if self.begun_at else ""

    @property
    def typed_blind(self) -> bool:
        """Whether the request types something that does not come back."""
        deed, at = getattr(self.request, "deed", None), self.begun_at
        return isinstance(deed, TypeLine) and bool(deed.words) and at is not None and self._is_blind(at.name)

    def _is_blind(self, place: str) -> bool:
        return self.locator.terminal.signs[place].blind

    def _blind_silence(self, do: Do, now: float) -> View | None:
        """Nothing came of a line that does not echo: its Enter, or more of it, may have been lost on the way."""
        blind = self.typed_blind
        if not blind or self.blind_lost is not Blind.AWAITED or self.locator.standing:
            return None
        until = max(self.locator.heard, self.began) + _BLIND_LOST
        if now < until:
            return View(Input.SILENCE, until=until, why="waits for the answer")
        return View(Input.BLIND_LINE_LOST)

    def _is_asked_anew(self, at: At) -> bool:
        """Whether the question stands there again because its answer was taken away, and not because it was refused."""
        terminal = self.locator.terminal
        return (
            self.blind_lost is Blind.TAKEN_AWAY
            and at.name == self.begun_name
            and not any(pattern.search(line) for line in self.locator.buffer.recent() for pattern in terminal.refusals)
        )

    def _at_work(self, do: Do, now: float) -> View | None:
        """A long answer that says how far it has come."""
        match = do.progress.search(self.locator.buffer.tail) if do.progress is not None else None
        if match is None or now - self.locator.heard > do.patience:
            return None
        percent = match.groupdict().get("percent")
        tell = f"{do.purpose}, {percent} %" if percent else do.purpose
        return View(Input.AT_WORK, until=self.locator.heard + do.patience + 0.001, why="it is at work", tell=tell)

    def _run_out(self, patience: float, now: float) -> View:
        """Nothing known stands there: stare at what does, or nudge once it has been silent for long."""
        if self.locator.standing:
            return self._stare(patience, now)
        heard, at = self.locator.heard, self.locator.at
        if now >= heard + patience:
            return View(Input.SILENT_FOR_LONG, error=Silent("it stopped answering in the middle of a line"))
        if at is not None and at.place.passes:
            until = heard + _KEY_LOST * self.timing.echo
            lost = View(Input.KEY_WAS_LOST, at)
            return lost if now >= until else View(Input.SILENCE, until=until, why="waits for the next page")
        harmless = at is not None and self.locator.terminal.signs[at.name].enter_is_harmless
        may_nudge = harmless and not self.locator.doubtful
        if may_nudge and now >= heard + patience / 2:
            return View(Input.NUDGE_IS_DUE)
        until = heard + (patience / 2 if may_nudge else patience)
        return View(Input.SILENCE, until=until, why="waits for the answer")
