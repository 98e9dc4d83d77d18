"""Benchmarks of one run on this machine, printed as ratios: `make bench`.

Recognition: MB/s with 40 places, at 0.1 to 50 MB of output, in pieces of 64 KiB and of 1,460 bytes; each row
is shown against the best of its piece size (flat is good: cost must not grow with the output).
Round trips: prompts a second through conversation and pump, against a bare asyncio loop on a socket pair.
Conversations: 200 at once in one process against the slowest alone, and memory for each.
Plans: load, resolve and check, in microseconds a device, for 1,000 and 10,000 devices (alike is good).
Keys: how long the Plan screen of 10,000 devices is busy with a key, from key to drawn, in its own event loop.
First paint: time until the line-up is drawn, against an empty application of the same toolkit.
"""

from __future__ import annotations

import asyncio
import gc
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

import psutil

from zinger.link.tcp import TcpLink
from zinger.phrasebook import Families, Kind, Phrasebook, Place, shipped_families
from zinger.plan.files.editing import Files
from zinger.run.pump import Pump
from zinger.store.mask import Masker
from zinger.store.recording import Recording
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


class Thinking(asyncio.Protocol):
    """A device that echoes at once and takes its time for an answer, as boxes do."""

    def __init__(self, thinks: float) -> None:
        self.thinks = thinks

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        echo, enter, _ = data.partition(b"\r")
        if echo:
            self.transport.write(echo)  # type: ignore[attr-defined]
        if enter:
            answer = b"\r\n   name ............ sw1\r\n<sw : base> "
            asyncio.get_running_loop().call_later(self.thinks, self.transport.write, answer)  # type: ignore[attr-defined]


CONVERSATIONS, SAID, THINKS = 200, 60, 0.05


def _sixty_lines() -> object:
    at = yield from look(5.0)
    for _ in range(SAID):
        yield Line(("tell mgmt",), False, frozenset({at.name}), "bench")


async def _converse(book: Phrasebook, folder: Path, number: int) -> tuple[float, Pump]:
    """One conversation with echo check and recording; seconds that it took."""
    near, far = socket.socketpair()
    await asyncio.get_running_loop().create_connection(lambda: Thinking(THINKS), sock=far)
    pump = Pump(Conversation(book), lambda ref: "", Masker(["a-secret-of-the-job"]))
    link = TcpLink("bench")
    await asyncio.get_running_loop().create_connection(lambda: link, sock=near)
    pump.join(link, Recording(folder / f"{number}.cast", "bench"))
    link.heard(b"<sw : base> ")
    began = time.perf_counter()
    await pump.do(_sixty_lines())
    return time.perf_counter() - began, pump


async def many_conversations() -> None:
    """200 conversations at once in this process, against the slowest of some alone; and what each keeps in memory."""
    books = list(Families().books.values())
    book = next(b for b in books if b.family == "quern-s2")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        alone = [(await _converse(book, folder, n))[0] for n in range(3)]
        gc.collect()
        before = psutil.Process().memory_info().rss
        began = time.perf_counter()
        done = await asyncio.gather(*(_converse(book, folder, n) for n in range(CONVERSATIONS)))
        whole = time.perf_counter() - began
        gc.collect()
        each = (psutil.Process().memory_info().rss - before) / CONVERSATIONS
        for _, pump in done:
            pump.leave()
    print(
        f"\n{CONVERSATIONS} conversations at once, {SAID} lines each, {THINKS * 1000:.0f} ms of thinking a line "
        f"({len(books)} families loaded)"
    )
    print(f"{'the slowest alone':<44} {max(alone):>8.2f} s")
    print(f"{'all of them':<44} {whole:>8.2f} s  {whole / max(alone):.2f} of the slowest alone")
    print(f"{'memory a conversation':<44} {each / 1024:>8.0f} KiB (sockets of both ends and the recording included)")


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
    process = subprocess.Popen(
        [sys.executable, "-c", program],
        stdin=child,
        stdout=child,
        stderr=child,
        env={**os.environ, "COLUMNS": "142", "LINES": "44", "TERM": "xterm-256color"},
    )
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


def large_job(count: int) -> tuple[str, bytes]:
    """A job with so many devices: 200 of them a site, each with ten columns of its own."""
    sites = -(-count // 200)
    job = [
        "job: large",
        "roles: {access: {}}",
        "baseline:",
        "  accounts: {administrator: {name: kettle-admin, secret: each device}}",
        "  management: {vlan: 44, stations: [10.0.0.0/8]}",
        "  dns: {servers: [10.44.8.20, 10.44.8.21]}",
        "  ntp: {servers: [10.44.8.22, 10.44.8.23]}",
        "  clock: {zone: Europe/Vienna}",
        "  services: {ssh: on, telnet: off, http: off}",
        "sites:",
    ]
    job += [f"  s{n}: {{name: Halt {n}, subnet: 10.{50 + n // 200}.{n % 200}.0/24}}" for n in range(sites)]
    rows = ["site,role,hostname,family,address,serial,mac,label,location,remarks"]
    for number in range(count):
        n, host = divmod(number, 200)
        address = f"10.{50 + n // 200}.{n % 200}.{host + 2}"
        rows.append(
            f"Halt {n},access,kvr-{n}-sw{host},Quern S2,{address},QS2-{number:06},"
            f"02-4b-56-{number >> 16:02x}-{number >> 8 & 255:02x}-{number & 255:02x},KVR-{number},box {host},-"
        )
    return "\n".join(job), "\n".join(rows).encode()


def plans() -> None:
    """Five rounds of both sizes, one after the other; medians."""
    rules = Families().rules
    jobs = {count: large_job(count) for count in (1000, 10000)}
    Files(*jobs[1000], "devices.csv").plan(rules)
    rounds = []
    for _ in range(5):
        times = {}
        for count, (job, sheet) in jobs.items():
            gc.collect()
            began = time.perf_counter()
            plan = Files(job, sheet, "devices.csv").plan(rules)
            times[count] = (time.perf_counter() - began) / count * 1e6
            assert len(plan.devices) == count and not plan.problems
        rounds.append(times)
    print("\nload, resolve and check a plan")
    for count in jobs:
        print(f"{count:>8} devices {sorted(r[count] for r in rounds)[2]:>8.0f} us a device  (aim under 150)")
    ratio = sorted(r[10000] / r[1000] for r in rounds)[2]
    print(f"{'10,000 against 1,000, a device':<44} {ratio:>7.2f}  (aim 0.85 to 1.15)")


async def _plan_keys() -> None:
    from zinger.run.job import OpenJob, Options
    from zinger.store.folder import JobFolder
    from zinger.tui.app import ZingerApp

    with tempfile.TemporaryDirectory() as folder:
        job, sheet = large_job(10000)
        (Path(folder) / "job.yaml").write_text(job)
        (Path(folder) / "devices.csv").write_bytes(sheet)
        app = ZingerApp(OpenJob(JobFolder(Path(folder))), Options(), False, "plan")
        async with app.run_test(size=(142, 44)) as pilot:
            await pilot.pause(1)
            busy = [0.0]
            watch = asyncio.create_task(_watch_gaps(busy))
            print("\nthe Plan screen with 10,000 devices: how long it is busy with a key")
            for words, keys in (
                ("line by line", ["down"] * 40),
                ("page by page", ["pagedown"] * 40),
                ("filter by typing", ["slash", *"sw199", *["backspace"] * 5, *"halt 4"]),
            ):
                times = []
                for key in keys:
                    busy[0] = 0.0
                    app.simulate_key(key)
                    await asyncio.sleep(0.15)
                    times.append(busy[0] * 1000)
                times.sort()
                middle, late = times[len(times) // 2], times[len(times) * 9 // 10]
                print(f"{words:<44} {middle:>7.1f} ms median, {late:.1f} p90 (aim 50)")
            watch.cancel()


async def _watch_gaps(longest: list[float]) -> None:
    """Note the longest time in which nothing else could run."""
    last = time.perf_counter()
    while True:
        await asyncio.sleep(0.001)
        now = time.perf_counter()
        longest[0] = max(longest[0], now - last)
        last = now


if __name__ == "__main__":
    if sys.argv[1:] == ["plans"]:
        plans()
        asyncio.run(_plan_keys())
        sys.exit()
    recognition()
    ear_alone()
    round_trips()
    asyncio.run(many_conversations())
    plans()
    asyncio.run(_plan_keys())
    first_paint()
