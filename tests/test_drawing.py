"""What screens draw, without a terminal: the emulated console with its margin, the track, the map."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pyte
import pytest
from textual.app import App, ComposeResult

from tests.conftest import ONE_DEVICE, ZINGER, zinger
from zinger.phrasebook.book import Phrasebook
from zinger.run.board import DeviceLine, Mark
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder
from zinger.talk.events import Waiting
from zinger.tui.console import A_TICK, Console, Emulator
from zinger.tui.linemap import STOPS, Track, sentence
from zinger.tui.look import SHAPE, fit, minutes
from zinger.tui.wire import spine_and_branches


@pytest.fixture
def opened(job: Callable[..., Path]) -> OpenJob:
    return OpenJob(JobFolder(job()))


def test_the_emulator_keeps_what_scrolls_away_and_counts_lines() -> None:
    screen = Emulator(40, history=10)
    stream = pyte.Stream(screen)
    for number in range(50):
        stream.feed(f"line {number}\r\n")
    assert screen.row == 50 and screen.text(49) == "line 49" and screen.text(20) == "line 20"
    assert screen.text(3) == ""
    screen.skip(["skimmed"])
    assert screen.text(50) == "skimmed" and screen.row == 51


@pytest.mark.parametrize("lines", [10, 3 * A_TICK // 20])
def test_marks_stand_beside_their_lines_emulated_or_skimmed(opened: OpenJob, quern: Phrasebook, lines: int) -> None:
    line = opened.board.lines["kvr-wj-sw1"]
    console = Console()
    console._terminal = quern.terminal
    console._line = line
    for number in range(lines):
        line.transcript.add(f"sw in base, do: say {number}".encode())
        if number in (3, lines - 2):
            line.transcript.annotate("sent")
        line.transcript.add(b"\r\n")
    line.transcript.add(b"@09:41:12 fan turns\r\n")
    line.evidence.add("sw in base, do: say 5")
    while console._feed(line):
        pass
    shown = {n: (console._emulator.text(n), console._kind(n, console._emulator.text(n))) for n in range(lines + 1)}
    assert shown[3] == ("sw in base, do: say 3", "sent") and shown[lines - 2][1] == "sent"
    assert shown[5] == ("sw in base, do: say 5", "evidence") and shown[4][1] == ""
    assert shown[lines] == ("@09:41:12 fan turns", "noise")


class OnlyAConsole(App[None]):
    """A console that is filled as it comes onto the screen, before it has a size."""

    CSS = "Console { height: 10; overflow-x: hidden; }"

    def __init__(self, line: DeviceLine, book: Phrasebook) -> None:
        super().__init__()
        self.line, self.book, self.wire = line, book, Console()

    def compose(self) -> ComposeResult:
        yield self.wire

    def on_mount(self) -> None:
        self.show()

    def show(self) -> None:
        self.wire.show(self.line, self.book.terminal)


@pytest.mark.parametrize("before", [3, 9, 11, 40])
async def test_a_wire_shows_its_end_until_somebody_looks_further_up(
    opened: OpenJob, quern: Phrasebook, before: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    line = opened.board.lines["kvr-wj-sw1"]

    def say(count: int) -> None:
        line.transcript.add(b"".join(b"row %d\r\n" % n for n in range(count)))

    say(before)
    app = OnlyAConsole(line, quern)
    async with app.run_test(size=(60, 12)) as pilot:

        async def ticks(count: int) -> None:
            for _ in range(count):
                app.show()
                await pilot.pause()

        for more in (0, 1, 4, 30):
            if more == 4:  # a scroll that comes to nothing, as it does while the pane is laid out anew
                monkeypatch.setattr(app.wire, "scroll_end", lambda **_: monkeypatch.undo())
            say(more)
            await ticks(3)
            assert app.wire.count() == before + {0: 0, 1: 1, 4: 5, 30: 35}[more] + 1
            assert app.wire.scroll_offset.y == app.wire.max_scroll_y
        app.wire.scroll_to(y=2, animate=False)
        await pilot.pause()
        say(5)
        await ticks(3)
        assert app.wire.scroll_offset.y == 2, "who looks further up is not taken away from there"


@pytest.mark.parametrize("width", [60, 80, 110, 142, 220])
def test_a_track_leaves_room_for_its_sentence(opened: OpenJob, width: int) -> None:
    track = Track(width, opened.board)
    line = opened.board.lines["kvr-wj-sw1"]
    drawn = track.draw(line)
    assert drawn.cell_len == track.pitch * (len(STOPS) - 1) + 1
    assert width - track.sentence >= 10
    labels = track.labels().plain
    for index, stop in enumerate(STOPS):
        if labels.strip():
            middle = track.start + index * track.pitch
            assert stop.short in labels[middle - 4 : middle + 5] or stop.value in labels[middle - 4 : middle + 5]


def test_every_mark_has_a_shape_and_no_two_share_one() -> None:
    assert set(SHAPE) == set(Mark)
    assert len({shape for shape, _ in SHAPE.values()}) == len(Mark)


def test_the_map_shows_the_way_in_and_every_context(quern: Phrasebook) -> None:
    spine, branches = spine_and_branches(quern)
    assert spine == ["booting", "sign_in", "secret", "renew", "confirm", "look", "base"]
    assert [
        "doors",
        "door_ssh",
        "door_telnet",
        "door_http",
        "door_https",
        "door_tftp",
        "door_usb",
        "door_load",
        "door_lldp",
    ] in branches
    assert {b[0] for b in branches} >= {"people", "mgmt", "names", "clock", "log", "doors", "vlans", "bindings"}


def test_sentences_tell_the_time_left(opened: OpenJob) -> None:
    line = opened.board.lines["kvr-wj-sw1"]
    assert sentence(line, 40) == "not started"
    line.began = time.time()
    line.say("booting")
    line.wait("booting", time.time() + 70.5, Waiting.BOOT)
    assert sentence(line, 40) == "booting · about 1:10 left"
    assert [sentence(line, room) for room in (20, 6)] == ["booting · 1:10 left", "booti…"], "what matters least goes"
    line.expected_end = time.time() - 1
    line.waits_since = time.time() - 5
    assert sentence(line, 40) == "booting · any moment now"
    line.expected_end = time.time() - 90
    assert sentence(line, 40) == "booting · longer than usual"
    assert minutes(-5) == "0:00" and fit("abcdef", 4) == "abc…" and fit("abc", 0) == ""


def test_a_live_run_waits_for_hands_without_a_screen(job: Callable[..., Path]) -> None:
    """LIVE over a Telnet console: all is said and saved, then it needs a person for the laptop's address.

    What hands say that they can't do, and would only prove something, is owed: with their reason, and asked once.
    """
    yard = subprocess.Popen(
        [*ZINGER, "practice", str(job("bench", devices_csv=ONE_DEVICE, practice_yaml="pace: 200\n"))],
        stdout=subprocess.PIPE,
        text=True,
    )
    assert yard.stdout
    try:
        row = next(line for line in yard.stdout if line.startswith("kvr-wj-sw1"))
        head, device, *_ = ONE_DEVICE.splitlines()
        text = (Path(__file__).parent.parent / "src/zinger/demo/job.yaml").read_text()
        folder = job(
            "live",
            job_yaml=text.replace("mode: practice", "mode: live"),
            devices_csv=f"{head},console\n{device},telnet://127.0.0.1:{row.split()[2]}\n",
        )
        done = subprocess.run([*ZINGER, "run", str(folder), "--headless"], capture_output=True, text=True, timeout=60)
        assert done.returncode == 3, done.stdout + done.stderr
        assert "32 of 32 findings hold" in done.stdout
        assert "needs a person's hands: give this laptop the address 10.44.8.254/24" in done.stdout
        waits = subprocess.Popen(
            [*ZINGER, "run", str(folder), "--headless", "--wait-for-hands", "60 s"], stdout=subprocess.PIPE, text=True
        )
        asked, bad = list[str](), ("hands", folder, "--cannot", "7")
        while waits.poll() is None:
            listed = zinger("hands", folder, "--json")
            for act in json.loads(listed.stdout) if listed.returncode == 0 else ():
                if act["verb"] not in asked:
                    assert zinger(*bad).returncode == 2, "there is no such act"
                    asked.append(act["verb"])
                    both = zinger("hands", folder, "--done", str(act["number"]), "--cannot", str(act["number"]))
                    assert both.returncode == 2 and "say one of them" in both.stderr
                    zinger("hands", folder, "--cannot", str(act["number"]), "--why", f"no {act['verb']} here")
        assert waits.stdout is not None
        told = waits.stdout.read()
        assert (waits.returncode, asked) == (1, ["laptop", "power cut"]), told
        assert "configured" in told and "services.http: not seen: nothing was read from the network" in told
        papers = zinger("handover", folder, "--print", "mail.txt").stdout
        assert "no laptop here" in papers and "cut the power of kvr-wj-sw1, give it back after 5 s" in papers, papers
    finally:
        os.kill(yard.pid, signal.SIGTERM)
        yard.wait(10)


def test_a_recalled_board_shows_the_earlier_run(job: Callable[..., Path]) -> None:
    folder = job("recall", devices_csv=ONE_DEVICE, practice_yaml="pace: 200\n")
    subprocess.run([*ZINGER, "run", str(folder), "--headless", "--no-power-cut"], capture_output=True, timeout=60)
    line = OpenJob(JobFolder(folder)).board.lines["kvr-wj-sw1"]
    assert line.mood is Mark.PROVED and "in an earlier run" in line.sentence
    assert {m for s, m in line.stops.items() if m is not Mark.NONE} == {Mark.PROVED} and line.findings
