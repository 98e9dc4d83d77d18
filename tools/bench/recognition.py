"""Recognition: MB/s with 40 places, at 0.1 to 50 MB of output, in pieces of 64 KiB and of 1,460 bytes.

Each row is shown against the best of its piece size (flat is good: cost must not grow with the output).
"""

from __future__ import annotations

import re
import time
from dataclasses import replace

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.load import Families, shipped_families
from zinger.phrasebook.map import Kind, Map, Place
from zinger.phrasebook.terminal import Sign
from zinger.talk.conversation import Conversation
from zinger.talk.errands.ask import look
from zinger.talk.terminal.buffer import LineBuffer

SIZES = (0.1, 1, 10, 50)
PIECES = (65536, 1460)


def forty_places() -> Phrasebook:
    """The shipped family with as many more prompts as make forty places."""
    book = shipped_families()["quern-s2"]
    places, signs = dict(book.places), dict(book.terminal.signs)
    for number in range(40 - len(places)):
        name = f"extra{number}"
        places[name] = Place(name, Kind.PROMPT)
        signs[name] = Sign(re.compile(rf"^(?P<hostname>\S+) in extra/{number}, do: (?P<half_typed>.*)$"))
    return replace(book, map=Map(places, book.map.moves), terminal=replace(book.terminal, places=places, signs=signs))


def recognition() -> None:
    """Output flows through the line buffer, and the tail is held against all places after every piece."""
    assert len(Families().books) >= 7, "all families are loaded"
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
    conversation = Conversation(book.terminal)
    conversation.begin(look(1e9), 0.0)
    conversation.turn(0.0)
    began = time.perf_counter()
    for at in range(0, len(data), piece):
        conversation.receive(data[at : at + piece], 0.001)
        conversation.turn(0.001)
    return time.perf_counter() - began


def buffer_alone() -> None:
    """For orientation: the line buffer without recognition."""
    data = b"x" * 78 + b"\r\n"
    data *= 125_000
    began = time.perf_counter()
    buffer = LineBuffer()
    for at in range(0, len(data), 65536):
        buffer.feed(data[at : at + 65536])
    print(f"\nthe line buffer alone, 64 KiB pieces {len(data) / 1e6 / (time.perf_counter() - began):>8.0f} MB/s")
