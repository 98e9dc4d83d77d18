"""The phases of a request on a terminal, as one table: (state, what is seen) -> (what is done, next state).

What is seen is worked out without changing anything; what is done may send, wait, or end the request. What stands in
no row is a fault of ours, and the error names both. This file holds only the table; `surface` sees and does.

A flat table was chosen over a class for each state: seven states and their thirty inputs fit on one screen, and a
missing row shows.
"""

from __future__ import annotations

from enum import Enum


class State(Enum):
    """What is being done for the present request."""

    __hash__ = object.__hash__  # members are singletons, and the enum's own hash is slow: it is asked for every turn

    IDLE = "idle"
    LOOKING = "looking where it is"
    TYPING = "typing, comparing the echo"
    CHECKING = "looking at the line as the device has it"
    CANCELLED = "waiting for the prompt after a cancelled line"
    ANSWERING = "waiting for the answer"


class Input(Enum):
    """What is seen at a turn."""

    __hash__ = object.__hash__

    # the request that begins
    WANTS_LOOK = "a look is wanted"
    WANTS_LINE = "a line is wanted"
    WANTS_BLIND_LINE = "a line that does not echo is wanted"
    WANTS_KEY = "a key is wanted"
    STOPPED = "the request was given up"
    # where the device stands
    PLACE = "a place"
    OTHER_PLACE = "another place than before"
    PAGER = "a pager"
    NOTICE = "a notice"
    NOTICES_WITHOUT_END = "one notice after the other"
    HALF_TYPED = "somebody's half-typed line"
    NOT_STILL = "something that must hold still first"
    NEVER_STILL = "something that never holds still"
    UNKNOWN = "something unknown, for not long"
    UNKNOWN_FOR_LONG = "something unknown, for long"
    AT_WORK = "a long answer that says how far it has come"
    SILENCE = "silence"
    SILENT_FOR_LONG = "silence, for long"
    TALKS_WITHOUT_END = "output without end"
    NUDGE_IS_DUE = "silence in which Enter may be pressed"
    BLIND_LINE_LOST = "silence after a line that did not echo"
    BLIND_PLACE = "the question again whose answer was lost"
    KEY_WAS_LOST = "silence after a key that passes a page"
    # booting
    BOOTS = "it boots"
    BOOTS_FOR_LONG = "it boots and never comes up"
    RESTARTED = "it began to boot"
    # the echo of a line
    ECHO_WHOLE = "the whole line came back"
    ECHO_WHOLE_AFTER_RESUMING = "the rest of a resumed line came back"
    ECHO_SO_FAR = "what was typed so far came back"
    ECHO_COMING = "an echo that may still be coming"
    ECHO_DAMAGED = "a damaged echo"
    ECHO_DAMAGED_SHOWABLE = "a damaged echo of a line that can be shown again"
    ECHO_HOPELESS = "every echo is damaged"
    LINE_WHOLE_ONCE = "the line is shown whole, once"
    LINE_WHOLE = "the device has the whole line"
    LINE_DAMAGED = "the device has a part of the line"
    LINE_PUSHED_AWAY = "a log line pushed the line away"
    LINE_GONE = "the prompt of the line is gone"


class Action(Enum):
    """What is done; the surface has a function for each."""

    __hash__ = object.__hash__

    WAIT = "wait"
    REPORT_PLACE = "report_place"
    ANSWER = "answer"
    TYPE = "type"
    TYPE_ON = "type_on"
    TYPE_AGAIN = "type_again"
    RESUME = "resume"
    SHOW_AGAIN = "show_again"
    CANCEL = "cancel"
    ENTER = "enter"
    SEND_WHOLE = "send_whole"
    PRESS = "press"
    PASS = "pass"
    NUDGE = "nudge"
    TAKE_AWAY = "take_away"
    REST = "rest"
    FAIL = "fail"


_I, _L, _T, _C, _X, _A = (State.IDLE, State.LOOKING, State.TYPING, State.CHECKING, State.CANCELLED, State.ANSWERING)
_STANDS_STILL: dict[Input, tuple[Action, State | None]] = {
    Input.NOTICE: (Action.PASS, None),
    Input.NOTICES_WITHOUT_END: (Action.FAIL, _I),
    Input.HALF_TYPED: (Action.CANCEL, None),
    Input.NOT_STILL: (Action.WAIT, None),
    Input.UNKNOWN: (Action.WAIT, None),
    Input.UNKNOWN_FOR_LONG: (Action.FAIL, _I),
    Input.AT_WORK: (Action.WAIT, None),
    Input.SILENCE: (Action.WAIT, None),
    Input.SILENT_FOR_LONG: (Action.FAIL, _I),
    Input.TALKS_WITHOUT_END: (Action.FAIL, _I),
    Input.NUDGE_IS_DUE: (Action.NUDGE, None),
    Input.KEY_WAS_LOST: (Action.PASS, None),
    Input.STOPPED: (Action.REST, _I),
}
"""What holds wherever a place is waited for; no next state stands for the same one."""

_ROWS: dict[State, dict[Input, tuple[Action, State | None]]] = {
    _I: {
        Input.WANTS_LOOK: (Action.REST, _L),
        Input.WANTS_LINE: (Action.TYPE, _T),
        Input.WANTS_BLIND_LINE: (Action.SEND_WHOLE, _A),
        Input.WANTS_KEY: (Action.PRESS, _A),
        Input.STOPPED: (Action.REST, _I),
        Input.SILENCE: (Action.WAIT, _I),
    },
    _L: {
        **_STANDS_STILL,
        Input.PLACE: (Action.REPORT_PLACE, _I),
        Input.NEVER_STILL: (Action.FAIL, _I),
        Input.BOOTS: (Action.WAIT, _L),
        Input.BOOTS_FOR_LONG: (Action.FAIL, _I),
    },
    _T: {
        Input.ECHO_WHOLE: (Action.ENTER, _A),
        Input.ECHO_WHOLE_AFTER_RESUMING: (Action.SHOW_AGAIN, _C),
        Input.ECHO_SO_FAR: (Action.TYPE_ON, _T),
        Input.ECHO_COMING: (Action.WAIT, _T),
        Input.ECHO_DAMAGED: (Action.CANCEL, _X),
        Input.ECHO_DAMAGED_SHOWABLE: (Action.SHOW_AGAIN, _C),
        Input.ECHO_HOPELESS: (Action.FAIL, _I),
        Input.RESTARTED: (Action.FAIL, _I),
        Input.STOPPED: (Action.REST, _I),
    },
    _C: {
        Input.NOT_STILL: (Action.WAIT, _C),
        Input.LINE_WHOLE_ONCE: (Action.SHOW_AGAIN, _C),
        Input.LINE_WHOLE: (Action.ENTER, _A),
        Input.LINE_DAMAGED: (Action.RESUME, _T),
        Input.LINE_PUSHED_AWAY: (Action.SHOW_AGAIN, _C),
        Input.LINE_GONE: (Action.CANCEL, _X),
        Input.RESTARTED: (Action.FAIL, _I),
        Input.STOPPED: (Action.REST, _I),
    },
    _X: {
        **_STANDS_STILL,
        Input.PLACE: (Action.TYPE_AGAIN, _T),
        Input.OTHER_PLACE: (Action.FAIL, _I),
        Input.RESTARTED: (Action.FAIL, _I),
    },
    _A: {
        **_STANDS_STILL,
        Input.PLACE: (Action.ANSWER, _I),
        Input.PAGER: (Action.PASS, _A),
        Input.BLIND_LINE_LOST: (Action.TAKE_AWAY, _A),
        Input.BLIND_PLACE: (Action.SEND_WHOLE, _A),
        Input.RESTARTED: (Action.FAIL, _I),
    },
}
TABLE: dict[tuple[State, Input], tuple[Action, State]] = {
    (state, seen): (action, state if after is None else after)
    for state, row in _ROWS.items()
    for seen, (action, after) in row.items()
}


class NoRow(RuntimeError):
    """Something was seen in a state in which nothing says what to do: a fault of ours."""

    def __init__(self, state: State, seen: Input) -> None:
        super().__init__(f"no row of the table says what to do about {seen.name} while {state.name}")
