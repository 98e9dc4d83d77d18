"""Benchmarks of one run on this machine, printed as ratios: `make bench`.

Recognition: MB/s with 40 places, at 0.1 to 50 MB of output, in pieces of 64 KiB and of 1,460 bytes; each row
is shown against the best of its piece size (flat is good: cost must not grow with the output).
Round trips: prompts a second through conversation and pump, against a bare asyncio loop on a socket pair.
First paint: time until the line-up is drawn, against an empty application of the same toolkit.
"""

from __future__ import annotations

import asyncio
import os
import pty
import re
import select
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from importlib import resources
from pathlib import Path

from zinger.keep import Masker, Recording
from zinger.link import TcpLink
from zinger.phrasebook import Kind, Phrasebook, Place, shipped_families
from zinger.run import Pump
from zinger.talk import Conversation, Ear, Manner, look
from zinger.talk.events import Line

SIZES = (0.1, 1, 10, 50)
PIECES = (65536, 1460)
TRIPS = 4000


def forty_places() -> Phrasebook:
    """The shipped family with as many more prompts as make forty places."""
    book = shipped_families()["quern-s2"]
    places = dict(book.places)
    for number in range(40 - len(places)):
        name = f"extra{number}"
        pattern = re.compile(rf"^<(?P<hostname>\S+) : extra/{number}> (?P<half_typed>.*)$")
        places[name] = Place(name, Kind.PROMPT, pattern)
    return replace(book, places=places)


def recognition() -> None:
    """Output flows through the ear, and the tail is held against all places after every piece."""
    book = forty_places()
    line = b"   port 1/17 ....... access 20, carrier up, 1000 full, 48211 in 32177 out\r\n"
    print(f"recognition, {len(book.places)} places\n{'piece':>8} {'output':>8} {'MB/s':>8} {'of best':>8}")
    for piece in PIECES:
        rows = []
        for size in SIZES:
            data = (line * (int(size * 1e6) // len(line) + 1))[: int(size * 1e6)]
            best = min(_recognise(book, data, piece) for _ in range(max(2, round(20 / size))))
            rows.append((size, len(data) / 1e6 / best))
        top = max(speed for _, speed in rows)
        for size, speed in rows:
            print(f"{piece:>8} {size:>6g} MB {speed:>8.1f} {speed / top:>8.2f}")


def _recognise(book: Phrasebook, data: bytes, piece: int) -> float:
    conversation = Conversation(book)
    conversation.begin(look(1e9), 0.0)
    conversation.next_action(0.0)
    began = time.perf_counter()
    for at in range(0, len(data), piece):
        conversation.receive(data[at : at + piece], 0.001)
        conversation.next_action(0.001)
    return time.perf_counter() - began


class Echo(asyncio.Protocol):
    """The far end: echoes characters, answers Enter with a prompt."""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        self.transport.write(data.replace(b"\r", b"\r\n<sw : base> "))  # type: ignore[attr-defined]


async def _pair() -> tuple[socket.socket, asyncio.BaseTransport]:
    near, far = socket.socketpair()
    transport, _ = await asyncio.get_running_loop().create_connection(Echo, sock=far)
    return near, transport


async def bare(wait_for_echo: bool = False) -> float:
    """Round trips a second of a loop that writes a line and reads until the prompt, and does nothing else.

    With `wait_for_echo` it sends Enter only when the characters came back, which is one exchange more.
    """
    near, far = await _pair()
    reader, writer = await asyncio.open_connection(sock=near)
    began = time.perf_counter()
    for _ in range(TRIPS):
        if wait_for_echo:
            writer.write(b"tell mgmt")
            await reader.readexactly(9)
        writer.write(b"\r" if wait_for_echo else b"tell mgmt\r")
        await reader.readuntil(b"<sw : base> ")
    speed = TRIPS / (time.perf_counter() - began)
    writer.close()
    far.close()
    return speed


def _many_lines() -> object:
    at = yield from look(5.0)
    for _ in range(TRIPS):
        yield Line(("tell mgmt",), False, frozenset({at.name}), "bench")


async def carried(echo_check: bool, recording: bool) -> float:
    """The same through pump, masker, conversation and, if wanted, echo check and recording."""
    near, far = await _pair()
    book = shipped_families()["quern-s2"]
    pump = Pump(Conversation(book, Manner(echo_check=echo_check)), lambda ref: "", Masker(["a-secret-of-the-job"]))
    link = TcpLink("bench")
    await asyncio.get_running_loop().create_connection(lambda: link, sock=near)
    with tempfile.TemporaryDirectory() as folder:
        pump.join(link, Recording(Path(folder) / "bench.cast", "bench") if recording else None)
        far.write(b"<sw : base> ")  # type: ignore[attr-defined]
        await pump.do(look(5.0))
        began = time.perf_counter()
        await pump.do(_many_lines())
        speed = TRIPS / (time.perf_counter() - began)
        pump.leave()
    far.close()
    return speed


def round_trips() -> None:
    """Five rounds of all four, one after the other, so that a busy machine slows all alike; medians of ratios."""
    rows: list[tuple[str, Callable[[], float], str]] = [
        ("bare asyncio loop", lambda: asyncio.run(bare()), ""),
        ("bare loop that waits for the echo", lambda: asyncio.run(bare(True)), ""),
        ("conversation and pump, no echo check", lambda: asyncio.run(carried(False, False)), "(aim 0.6)"),
        ("with echo check and recording", lambda: asyncio.run(carried(True, True)), "(aim 0.3)"),
    ]
    rounds = [[measure() for _, measure, _ in rows] for _ in range(5)]
    print("\nround trips a second (a line said, its prompt recognised)")
    for column, (words, _, aim) in enumerate(rows):
        speed = sorted(r[column] for r in rounds)[2]
        ratio = sorted(r[column] / r[0] for r in rounds)[2]
        print(f"{words:<44} {speed:>8.0f}  {ratio:.2f} of bare {aim}".rstrip())


EMPTY = "from textual.app import App\nApp().run()"
HERE = "from zinger.cli import main; import sys; sys.argv = ['zinger', 'open', {job!r}]; main()"


def first_paint() -> None:
    """Seconds from starting Python until the program has drawn its first full screen."""
    with tempfile.TemporaryDirectory() as folder:
        for entry in (resources.files("zinger") / "demo").iterdir():
            (Path(folder) / entry.name).write_text(entry.read_text("utf-8"))
        empty = sorted(_paint(EMPTY, b"\x1b[") for _ in range(3))[1]
        ours = sorted(_paint(HERE.format(job=folder), b"kvr-wj-sw3") for _ in range(3))[1]
    print(f"\nfirst paint\n{'empty application':<44} {empty:>7.2f} s")
    print(f"{'the line-up of the demo job':<44} {ours:>7.2f} s  {ours / empty:.2f} of empty")


def _paint(program: str, sign: bytes) -> float:
    parent, child = pty.openpty()
    began = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-c", program], stdin=child, stdout=child, stderr=child,
                               env={**os.environ, "COLUMNS": "142", "LINES": "44", "TERM": "xterm-256color"})
    os.close(child)
    seen = b""
    painted = 0.0
    while time.perf_counter() - began < 20:
        ready, _, _ = select.select([parent], [], [], 0.3)
        if not ready:
            if painted:
                break
            continue
        try:
            seen += os.read(parent, 65536)
        except OSError:
            break
        if sign in seen and len(seen) > 4000:
            painted = painted or time.perf_counter() - began
            break
    process.kill()
    process.wait()
    os.close(parent)
    return painted or time.perf_counter() - began


def ear_alone() -> None:
    """For orientation: the ear without recognition."""
    data = b"x" * 78 + b"\r\n"
    data *= 125_000
    began = time.perf_counter()
    ear = Ear()
    for at in range(0, len(data), 65536):
        ear.hear(data[at : at + 65536])
    print(f"\nthe ear alone, 64 KiB pieces {len(data) / 1e6 / (time.perf_counter() - began):>8.0f} MB/s")


if __name__ == "__main__":
    recognition()
    ear_alone()
    round_trips()
    first_paint()
