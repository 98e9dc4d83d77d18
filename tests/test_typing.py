"""Typing on a slow wire, in simulated time: as fast as the wire, and no damaged line is ever carried out."""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.terminal import typed
from zinger.practice.core.wire import BITS
from zinger.talk.conversation import Conversation
from zinger.talk.driver import Ended
from zinger.talk.errands.ask import do, look
from zinger.talk.errors import Interrupted, Stuck
from zinger.talk.terminal.buffer import LineBuffer
from zinger.talk.terminal.surface import Send
from zinger.talk.timing import Timing

CHAR = BITS / 9600
"""Seconds a character takes on the wire."""
PROMPT = "kvr-wj-sw1 in base, do: "
AT_ENTER = (24, 59, 105)
"""Which of its characters are the first Enters of the lines below."""
LINES = [f"let port {n} carry vlan {n % 60 + 2}" + " and a note" * (n % 4) for n in range(300)]


class Wire:
    """A device that echoes and edits lines, behind a 9600-baud wire in both directions; nothing sleeps.

    `loses` says of the n-th character in a direction (`in` or `out`) whether it is lost on the way. With `fifo`, the
    device's UART holds so many characters and its processor takes `eats` of them a second. `log` comes behind every
    prompt and pushes it away. After `stays` characters it signs whoever types out, and asks who is there.
    """

    def __init__(
        self,
        book: Phrasebook,
        loses: Callable[[str, int], bool] = lambda way, n: False,
        fifo: int = 0,
        eats: float = 0.0,
        log: str = "",
        stays: int = 1 << 30,
    ) -> None:
        self.talk = Conversation(book.terminal, Timing())
        self.loses, self.fifo, self.eats, self.log = loses, fifo, eats, log
        self.stays, self.prompt = stays, PROMPT
        self.now = 0.0
        self.carried_out: list[str] = []
        self.buffer = ""
        self.free = {"in": 0.0, "out": 0.0}
        self.count = {"in": 0, "out": 0}
        self.level = self.drained = 0.0
        self.queue: list[tuple[float, int, str, str]] = []
        self.number = itertools.count()

    def send(self, way: str, text: str) -> None:
        for char in text:
            self.free[way] = max(self.free[way], self.now) + CHAR
            self.count[way] += 1
            if not self.loses(way, self.count[way]):
                heapq.heappush(self.queue, (self.free[way], next(self.number), way, char))

    def key(self, char: str) -> None:
        """The device takes a character."""
        if self.fifo:
            self.level = max(0.0, self.level - (self.now - self.drained) * self.eats)
            self.drained = self.now
            if self.level >= self.fifo:
                return
            self.level += 1
        self.stays -= 1
        if self.stays == 0:
            self.buffer, self.prompt = "", "who is there? "
            self.send("out", f"\r\nsigned out\r\n\r\n{self.prompt}")
        if char == "\r":
            if self.buffer:
                self.carried_out.append(self.buffer)
            self.buffer = ""
            self.send("out", f"\r\n{self.prompt}{self.log}")
        elif char == "\x12":
            self.send("out", f"\r\n{self.prompt}{self.buffer}")
        elif char == "\x18":
            self.buffer = ""
            self.send("out", f"\r\n{self.prompt}")
        elif char == "\b":
            if self.buffer:
                self.buffer = self.buffer[:-1]
                self.send("out", "\b \b")
        else:
            self.buffer += char
            self.send("out", char)

    def run(self, errand: Any) -> Any:
        running = self.talk.begin(errand, self.now)
        self.send("out", PROMPT + self.log)
        for _ in range(2_000_000):
            action = self.talk.turn(self.now)
            if isinstance(action, Send):
                self.send("in", "".join(map(str, action.words)))
            elif isinstance(action, Ended):
                return running
            elif self.queue and self.queue[0][0] <= action.until:
                self.now, _, way, char = heapq.heappop(self.queue)
                if way == "in":
                    self.key(char)
                else:
                    self.talk.receive(char.encode(), self.now)
            else:
                self.now = max(self.now, action.until)
        raise AssertionError("it never ended")


def many(lines: list[str]) -> Iterator[Any]:
    at = yield from look(30.0)
    for line in lines:
        answer = yield from do(typed(line), frozenset({at.name}), "typing")
        if answer.at.name != at.name:
            return


def test_three_hundred_lines_take_hardly_longer_than_the_wire_itself(quern: Phrasebook) -> None:
    wire = Wire(quern)
    assert wire.run(many(LINES)).error is None and wire.carried_out == LINES
    itself = sum(len(line) + 1 + len(f"\r\n{PROMPT}") for line in LINES) * CHAR
    assert wire.now <= 1.10 * itself, f"{wire.now / itself:.3f} of the wire's own time"


@pytest.mark.parametrize("eats", [300.0, 600.0, 900.0])
def test_with_a_uart_that_overruns_at_forty_characters_no_damaged_line_is_carried_out(
    quern: Phrasebook, eats: float
) -> None:
    lines = [line + " " + "x" * 90 for line in LINES[:40]]
    wire = Wire(quern, fifo=40, eats=eats)
    assert wire.run(many(lines)).error is None
    assert wire.carried_out == lines


def test_a_damaged_line_is_mended_where_a_log_line_has_pushed_the_prompt_away(quern: Phrasebook) -> None:
    wire = Wire(quern, lambda way, n: way == "in" and n % 61 == 5, log="\r\n@10:37:48 port 6: carrier lost\r\n")
    assert wire.run(many(LINES[:12])).error is None and wire.carried_out == LINES[:12]


@pytest.mark.parametrize("log", ["", "\r\n@10:37:48 port 6: carrier lost\r\n"])
def test_signed_out_in_the_middle_of_a_line_is_no_damage(quern: Phrasebook, log: str) -> None:
    """It is to be looked at anew; nothing of the line is given as the answer to the question that stands there now."""
    for stays in range(2, 110):
        wire = Wire(quern, log=log, stays=stays)
        error = wire.run(many(LINES[:6])).error
        assert wire.carried_out == LINES[: len(wire.carried_out)], stays
        assert error is None or isinstance(error, Interrupted), (stays, error)
        assert error is not None or stays in AT_ENTER, stays


@example(chance=128, every=60)  # one showing of the line lost just what was wrong
@settings(max_examples=60)
@given(st.integers(0, 2**32), st.sampled_from([7, 23, 60, 200]))
def test_whatever_is_lost_in_either_direction_a_line_is_carried_out_whole_or_not_at_all(
    quern: Phrasebook, chance: int, every: int
) -> None:
    def loses(way: str, n: int) -> bool:
        return (n * 2654435761 + chance + (way == "in") * 977) % 4294967296 // 7 % every == 0

    wire = Wire(quern, loses)
    ended = wire.run(many(LINES[:12]))
    carried_out = [line for n, line in enumerate(wire.carried_out) if line not in wire.carried_out[:n]]
    assert carried_out == LINES[: len(carried_out)]
    assert ended.error is None or isinstance(ended.error, Stuck), "done, or a person is asked; never quiet"


def test_a_line_that_wraps_in_the_devices_own_way_is_still_compared(quern: Phrasebook) -> None:
    """A blank and a return behind a full row go on in the next one; any other return goes to the row's beginning."""
    buffer = LineBuffer(wraps=24)
    buffer.feed(b"sw in base, do: tell all \r the ports and the bundl \res")
    assert buffer.tail == "sw in base, do: tell all the ports and the bundles"
    buffer.feed(b"\n12 of 100\r34")
    assert buffer.tail == "34 of 100"
