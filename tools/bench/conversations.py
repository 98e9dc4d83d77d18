"""Round trips a second against a bare asyncio loop, and 200 conversations at once against the slowest alone."""

from __future__ import annotations

import asyncio
import gc
import multiprocessing
import socket
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil

from zinger.link.tcp import TcpLink
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.load import Families, shipped_families
from zinger.phrasebook.terminal import TypeLine
from zinger.run.consolepump import ConsolePump
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.talk.conversation import Conversation
from zinger.talk.errands.ask import do, look
from zinger.talk.requests import Errand
from zinger.talk.timing import Timing

TRIPS = 4000
CONVERSATIONS, SENT, THINKS = 200, 60, 0.05


class Echo(asyncio.Protocol):
    """The far end: echoes characters, answers Enter with a prompt."""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        self.transport.write(data.replace(b"\r", b"\r\nsw in base, do: "))  # type: ignore[attr-defined]


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
        await reader.readuntil(b"sw in base, do: ")
    speed = TRIPS / (time.perf_counter() - began)
    writer.close()
    far.close()
    return speed


def lines(count: int) -> Errand[None]:
    at = yield from look(5.0)
    for _ in range(count):
        yield from do(TypeLine(("tell mgmt",)), frozenset({at.name}), "bench")


async def carried(echo_check: bool, recording: bool) -> float:
    """The same through pump, masker, conversation and, if wanted, echo check and recording."""
    near, far = await _pair()
    book = shipped_families()["quern-s2"]
    timing = Timing(echo_check=echo_check, blind_pace=0)  # its line loses nothing
    pump = ConsolePump(Conversation(book.terminal, timing), lambda ref: "", Masker(["a-secret-of-the-job"]))
    link = TcpLink("bench")
    await asyncio.get_running_loop().create_connection(lambda: link, sock=near)
    with tempfile.TemporaryDirectory() as folder:
        pump.join(link, Recording(Path(folder) / "bench.cast", "bench") if recording else None)
        far.write(b"sw in base, do: ")  # type: ignore[attr-defined]
        await pump.do(look(5.0))
        began = time.perf_counter()
        await pump.do(lines(TRIPS))
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


class Thinking(asyncio.Protocol):
    """A device that echoes at once and takes its time for an answer, as boxes do."""

    def __init__(self, thinks: float) -> None:
        self.thinks = thinks

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport
        transport.write(b"sw in base, do: ")  # type: ignore[attr-defined]

    def data_received(self, data: bytes) -> None:
        echo, enter, _ = data.partition(b"\r")
        if echo:
            self.transport.write(echo)  # type: ignore[attr-defined]
        if enter:
            answer = b"\r\n   name ............ sw1\r\nsw in base, do: "
            asyncio.get_running_loop().call_later(self.thinks, self.transport.write, answer)  # type: ignore[attr-defined]


def _devices(address: str) -> None:
    """The far ends: another process, as devices are; else the bench would measure them too."""

    async def serve() -> None:
        server = await asyncio.get_running_loop().create_unix_server(lambda: Thinking(THINKS), address, backlog=512)
        await server.serve_forever()

    asyncio.run(serve())


@contextmanager
def devices(folder: Path) -> Iterator[str]:
    """Where they listen, while they run."""
    address = str(folder / "devices")
    process = multiprocessing.get_context("spawn").Process(target=_devices, args=(address,), daemon=True)
    process.start()
    while not Path(address).exists():
        time.sleep(0.02)
    yield address
    process.terminate()
    process.join()


class Bare(asyncio.Protocol):
    """What a conversation can't do without: the line, its echo, Enter, the prompt."""

    def __init__(self, done: asyncio.Future[None]) -> None:
        self.done, self.left, self.heard = done, SENT, b""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        self.heard += data
        if self.heard == b"tell mgmt":
            self.transport.write(b"\r")  # type: ignore[attr-defined]
        elif self.heard.endswith(b"do: "):
            self.heard, self.left = b"", self.left - 1
            if self.left < 0:
                self.done.set_result(None)
            else:
                self.transport.write(b"tell mgmt")  # type: ignore[attr-defined]


async def _bare(address: str) -> None:
    loop = asyncio.get_running_loop()
    done = loop.create_future()
    transport, _ = await loop.create_unix_connection(lambda: Bare(done), address)
    await done
    transport.close()


async def _converse(book: Phrasebook, folder: Path, address: str, number: int) -> tuple[float, ConsolePump]:
    """One conversation with echo check and recording; seconds that it took."""
    pump = ConsolePump(Conversation(book.terminal), lambda ref: "", Masker(["a-secret-of-the-job"]))
    link = TcpLink("bench")
    await asyncio.get_running_loop().create_unix_connection(lambda: link, address)
    pump.join(link, Recording(folder / f"{number}.cast", "bench"))
    await pump.do(look(5.0))
    began = time.perf_counter()
    await pump.do(lines(SENT))
    return time.perf_counter() - began, pump


async def many_conversations() -> None:
    """200 conversations at once in this process, against the slowest of some alone; and what each keeps in memory."""
    books = list(Families().books.values())
    book = next(b for b in books if b.family == "quern-s2")
    with tempfile.TemporaryDirectory() as name, devices(Path(name)) as address:
        folder = Path(name)
        alone = [(await _converse(book, folder, address, n))[0] for n in range(3)]
        began = time.perf_counter()
        await asyncio.gather(*(_bare(address) for _ in range(CONVERSATIONS)))
        bare = time.perf_counter() - began
        gc.collect()
        before, spent = psutil.Process().memory_info().rss, time.process_time()
        began = time.perf_counter()
        done = await asyncio.gather(*(_converse(book, folder, address, n) for n in range(CONVERSATIONS)))
        whole, spent = time.perf_counter() - began, time.process_time() - spent
        gc.collect()
        each = (psutil.Process().memory_info().rss - before) / CONVERSATIONS
        for _, pump in done:
            pump.leave()
    print(
        f"\n{CONVERSATIONS} conversations at once, {SENT} lines each, {THINKS * 1000:.0f} ms of thinking a line "
        f"({len(books)} families loaded)"
    )
    print(f"{'the slowest alone':<44} {max(alone):>8.2f} s")
    print(f"{'a bare loop with as many':<44} {bare:>8.2f} s  {bare / max(alone):.2f} of the slowest alone")
    print(f"{'all of them':<44} {whole:>8.2f} s  {whole / max(alone):.2f} of the slowest alone")
    print(f"{'processor time a line':<44} {spent / CONVERSATIONS / SENT * 1e6:>8.0f} µs")
    print(f"{'memory a conversation':<44} {each / 1024:>8.0f} KiB (socket and recording included)")
