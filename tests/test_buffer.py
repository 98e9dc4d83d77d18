"""The line buffer: whatever way the bytes are cut, the same lines and the same tail come out."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zinger.talk.terminal.buffer import KEPT, LONGEST_TAIL, LineBuffer
from zinger.talk.terminal.emulation import Emulation
from zinger.talk.terminal.screen import Screen
from zinger.tui.console import Emulator

CASES = [
    (b"one\r\ntwo\r\nsw in base, do: ", ["one", "two"], "sw in base, do: "),
    (b"one\ntwo", ["one"], "two"),
    (b"a\r\n\r\nb\r\n", ["a", "", "b"], ""),
    (b"\x1b[1;32mgreen\x1b[0m\r\n\x1b[2J\x1b[H> ", ["green"], "> "),
    (b"\x1b]0;title\x07shown\r\nx", ["shown"], "x"),
    (b"typo\b\b\b\bfine\r\n", ["fine"], ""),
    (b".. 12 lines below ..\r                    \r   next line\r\n", ["   next line"], ""),
    (b".. 3 lines below ..\r                   \rsw in base, do: ", [], "sw in base, do: "),
    (b"progress 10%\rprogress 99%\r\nok> ", ["progress 99%"], "ok> "),
    ("caf\u00e9 \u2022\r\nn\u00f6> ".encode(), ["caf\u00e9 \u2022"], "n\u00f6> "),
    (b"bell\x07 nul\x00\r\nend\x07", ["bell nul"], "end"),
    (b"ready in 10 s\rready in 9 s\x1b[K\r\n> ", ["ready in 9 s"], "> "),
    (b"wait ...\x1b[2K\rkept as startup\r\n> ", ["kept as startup"], "> "),
    (b"abXcd\x1b[3D\x1b[P\x1b[2CY\r\n> ", ["abcdY"], "> "),
    (b"left \x1b[10Gright\r\n\x1b[1;5Hx", ["left     right"], "x"),
    (b"bad \xff utf8\r\n> ", ["bad \ufffd utf8"], "> "),
]


def heard(pieces: list[bytes]) -> tuple[list[str], str]:
    buffer = LineBuffer()
    for piece in pieces:
        buffer.feed(piece)
    return buffer.take(), buffer.tail


@pytest.mark.parametrize(("data", "lines", "tail"), CASES)
def test_every_split_in_two_and_byte_by_byte(data: bytes, lines: list[str], tail: str) -> None:
    for at in range(len(data) + 1):
        assert heard([data[:at], data[at:]]) == (lines, tail), f"cut at {at}"
    assert heard([bytes([byte]) for byte in data]) == (lines, tail)


HOSTILE = [
    b"\x1b[?1m",
    b"\x1b[?5n",
    b"\x1b[1;2;3H",
    b"\x1b[",
    b"\x1b[99999999999999999999A",
    b"\x1b]0;",
    b"\x1bP",
    b"\x1b[?3h",
    b"\x1b(0",
    b"\x9b5;5r",
    b"\xcc\x81",
    b"\x0e",
    b"x",
    b"\r\n",
    b"\x1b[1;1r",
    b"\x1b[38;2;1m",
    b"\x1b%G",
    b"\x1b#8",
]
FRAGMENTS = st.sampled_from(
    [
        b"text",
        b"\r\n",
        b"\r",
        b"\n",
        b"\b",
        b" ",
        b"\x1b[31m",
        b"\x1b]0;t\x07",
        b"\xc3\xa9",
        b"sw in base, do: ",
        b"@09:41:12 port 7: carrier up\r\n",
        b"\x1b(B",
        b"\x1b[K",
        b"\x1b[2D",
        b"\x00",
    ]
)


@given(st.lists(FRAGMENTS, max_size=20).map(b"".join), st.lists(st.integers(1, 7), min_size=1, max_size=8))
def test_any_split_gives_the_same(data: bytes, sizes: list[int]) -> None:
    pieces, at = [], 0
    while at < len(data):
        size = sizes[len(pieces) % len(sizes)]
        pieces.append(data[at : at + size])
        at += size
    assert heard(pieces) == heard([data])


@given(st.binary(max_size=200) | st.lists(st.sampled_from(HOSTILE), max_size=30).map(b"".join))
def test_nothing_that_a_device_can_send_ends_a_buffer_or_a_screen(data: bytes) -> None:
    """What comes behind a whole line is read, whatever came before it."""
    drawn, console = Screen(80, 24), Emulator(200)
    drawn.feed(data)
    Emulation(console).feed(data.decode("utf-8", "replace"))
    assert heard([data + b"\x1b\\\x07\x18\r\nfine\r\n> "])[1] == "> "
    drawn.feed(b"\x1b\\\x07\x18\x1bc\x1b[2J\x1b[1;1Hfine")
    assert "fine" in drawn.text


def test_an_endless_code_is_read_in_linear_time() -> None:
    times = []
    for size in (20_000, 80_000):
        buffer, began = LineBuffer(), time.process_time()
        for _ in range(size // 50):
            buffer.feed(b"\x1b[" + b"1" * 48)
        buffer.feed(b"\x1b[" + b"1" * size)
        times.append(time.process_time() - began)
    assert times[1] < max(0.05, times[0]) * 40, "four times as much takes about four times as long, not sixteen"


def test_a_flood_is_bounded_and_told() -> None:
    buffer = LineBuffer()
    for _ in range(3 * KEPT // 65536):
        buffer.feed(b"x" * 65534 + b"\r\n")
    assert buffer.clipped and sum(map(len, buffer.take())) <= KEPT + 65536
    buffer.feed(b"y" * 1_000_000)
    assert len(buffer.tail) == LONGEST_TAIL
