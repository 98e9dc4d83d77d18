"""The real interface in a real terminal: keys in by tmux, the screen read back as a person sees it."""

from __future__ import annotations

import re
import shutil
import subprocess
import time
from collections.abc import Callable
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import ONE_DEVICE, lay_out
from tests.terminal import Terminal
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal

pytestmark = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")


SHEET = (resources.files("zinger") / "demo" / "devices.csv").read_text("utf-8")
SHEET = re.sub(r"2\d(-2\d)? kvr-wj-cs1 their [^,]*", "", SHEET)  # the switch that they lead to is not among them
THREE_SWITCHES = "\n".join(line for line in SHEET.splitlines() if "Quern S2" in line or line.startswith("site,")) + "\n"


def test_from_start_to_proved_with_the_wire_taken_once(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=THREE_SWITCHES)
    term = start(folder, "demo", "--in", str(folder), "--pace", "45")
    shown = term.until("PRACTICE YARD", "kvr-wj-sw1", "kvr-wj-sw3", "hands", "g go")
    assert "LIVE" not in shown
    term.until("booting", "3 under way")
    term.keys("Enter")
    term.until("administrator", "map", "f2")
    term.until("descend mgmt")
    term.keys("F2")
    term.until("YOU HAVE THE WIRE", "F2 hands it back")
    time.sleep(0.3)
    term.keys("C-x")
    term.keys("-l", "words")
    term.keys("Enter")
    term.until("   tell")
    term.keys("F2")
    term.until("17 of 17 steps", seconds=40)
    term.keys("p")
    term.until("proof of kvr-wj-sw1", "53 of 53 findings hold", "evidence", seconds=40)
    term.keys("Down", "Down")
    term.until("after a power cut", "name ............ kvr-wj-sw1")
    term.keys("Escape")
    term.until("booting", "sign in")
    term.keys("Escape")
    term.until("g go", "3 of 3 proved", "holds after a power cut", seconds=40)
    term.keys("h")
    term.until("Handover", "site-wheal-junction.svg", "╔═", "kvr-wj-sw1")
    term.keys("s")
    term.until("papers in")
    term.keys("Escape")
    term.until("g go")
    term.keys("q")
    term.until("ended with 0")
    assert (folder / "handover" / "proof-sheet.pdf").read_bytes().startswith(b"%PDF")
    journal = Journal(folder / "journal.db")
    assert {"person", "proved"} <= {e.kind for e in journal.entries("kvr-wj-sw1")}
    journal.close()


def test_a_terminal_that_is_gone_ends_the_run_and_the_yard(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=ONE_DEVICE)
    term = start(folder, "demo", "--in", str(folder), "--pace", "20")
    term.until("booting", "1 under way")
    program = subprocess.run(["pgrep", "-f", str(folder)], capture_output=True, text=True).stdout.split()
    term.close()
    end = time.monotonic() + 20
    while (folder / ".yard" / "ready.json").exists() or JobFolder(folder).is_at_work:
        assert time.monotonic() < end, "it went on without a terminal"
        time.sleep(0.1)
    journal = Journal(folder / "journal.db")
    assert [e.kind for e in journal.entries()][-1] == "run ended"
    journal.close()
    while any(Path(f"/proc/{pid}").exists() for pid in program):
        assert time.monotonic() < end, "its process stays"
        time.sleep(0.1)


def test_leaving_in_mid_conversation_asks_and_says_the_state(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=ONE_DEVICE, practice_yaml="pace: 8\n")
    term = start(folder, "open", str(folder))
    term.until("not started", "g go")
    term.keys("g")
    term.until("booting · about")
    term.keys("q")
    term.until("Leave now?", "nothing changed yet", "y leave", "n stay")
    term.keys("n")
    term.until("booting")
    term.keys("C-q")
    term.until("Leave now?")
    term.keys("y")
    term.until("ended with 0")


def test_filter_help_palette_and_preview(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "open", str(folder))
    term.until("kvr-wj-sw1", "not started")
    term.keys("/")
    term.until("Escape clears")
    term.keys("-l", "sw2")
    term.until(" sw2\n")
    term.keys("Enter")
    term.gone("kvr-wj-cs1")
    assert "kvr-wj-sw3" not in term.screen().split("hands")[0]
    term.keys("Escape")
    term.until("kvr-wj-sw3")
    term.keys("?")
    term.until("Keys and shapes", "who needs you longest, then what differs", "under way")
    term.escape("Keys and shapes")
    term.keys("r")
    term.until("preview of kvr-wj-sw2", "address fixed 10.44.8.12 len 24", "undo")
    term.keys("=")
    term.until("Compare kvr-wj-sw2 with which device?", "kvr-wj-sw1")
    term.keys("Enter")
    shown = term.until("only where they differ", "kvr-wj-sw1")
    assert "address fixed 10.44.8.11 len 24" in shown and "vlan 44" not in shown
    term.keys("C-p")
    term.keys("-l", "proof of kvr-wj-sw3")
    term.until("what was planned, and what was read back")
    term.keys("Enter")
    term.until("nothing was read back yet")
    term.keys("C-q")
    term.until("ended with 0")


@pytest.mark.parametrize(("columns", "rows"), [(80, 24), (60, 15), (220, 60)])
def test_every_size_can_be_used(start: Callable[..., Terminal], tmp_path: Path, columns: int, rows: int) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "open", str(folder), columns=columns, rows=rows)
    shown = term.until("ZINGER", "kvr-wj-sw3", "not started", "g go")
    assert ("is small" in shown) == (columns < 80)
    assert all(len(line) <= columns for line in shown.splitlines())
    term.keys("Enter")
    term.until("map", "where it is", "take / hand back")
    term.keys("Escape")
    term.until("g go")


def test_a_plan_with_faults_is_said_and_not_run(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=ONE_DEVICE.replace("10.44.8.11", "10.44.8.255"))
    term = start(folder, "run", str(folder))
    term.until("The run did not begin", "is the broadcast address")
    term.keys("Escape")
    term.until("not started")


def test_live_can_not_be_taken_for_practice(start: Callable[..., Terminal], tmp_path: Path) -> None:
    job = (Path(__file__).parent.parent / "src/zinger/demo/job.yaml").read_text()
    folder = lay_out(tmp_path / "job", job_yaml=job.replace("mode: practice", "mode: live"))
    term = start(folder, "open", str(folder))
    assert "PRACTICE" not in term.until("LIVE: real devices", "not started")
    term.keys("g")
    term.until("needs you", "the plan names no console; add a column")


def test_a_job_on_which_another_zinger_works_says_so_when_it_is_opened(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = JobFolder(lay_out(tmp_path / "job", devices_csv=ONE_DEVICE))
    folder.lock()
    term = start(folder.path, "open", str(folder.path))
    term.until("not started", "another zinger works on this job now")
    term.keys("g")
    term.until("The run did not begin", "close it first")
    folder.unlock()
