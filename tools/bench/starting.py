"""How soon a command and the first screen are there, against an empty program of the same toolkit; medians of five.

`--help` against an empty Typer application (aim 1.5), the first picture against an empty Textual application (aim 2;
the demo's line-up, filled with its devices, beside it),
`check` of 10,000 devices against load, resolve and check in a process of their own (aim 2), and the line-up of 10,000
devices against the empty application and those (aim 3).
"""

from __future__ import annotations

import os
import pty
import select
import subprocess
import sys
import tempfile
import time
from importlib import resources
from pathlib import Path

from tools.bench.plans import large_job

ROUNDS = 5
EMPTY_TYPER = "import typer\napp = typer.Typer()\n@app.command()\ndef main(): pass\napp()"
EMPTY_TEXTUAL = "from textual.app import App\nApp().run()"
CHECK = """
from pathlib import Path
from zinger.phrasebook.load import Families
from zinger.plan.files.editing import Files
folder = Path({folder!r})
Files((folder / 'job.yaml').read_text(), (folder / 'devices.csv').read_bytes(), 'devices.csv').plan(Families().rules)
"""
OURS = "from zinger.cli.app import main; import sys; sys.argv = ['zinger', *{words!r}]; main()"


def starting() -> None:
    """Print the four ratios."""
    with tempfile.TemporaryDirectory() as name:
        demo, large = Path(name, "demo"), Path(name, "large")
        demo.mkdir()
        large.mkdir()
        for entry in (resources.files("zinger") / "demo").iterdir():
            (demo / entry.name).write_text(entry.read_text("utf-8"))
        job, sheet = large_job(10000)
        (large / "job.yaml").write_text(job)
        (large / "devices.csv").write_bytes(sheet)
        rows = _rounds(str(demo), str(large))
    print("\nstarting, medians of", ROUNDS)
    for words, seconds in rows.items():
        print(f"{words:<44} {seconds:>7.2f} s")
    empty_command, empty_screen = rows["an empty Typer application, --help"], rows["an empty Textual application"]
    plan = rows["load, resolve and check 10,000 devices"]
    aims = [
        ("--help", rows["zinger --help"] / empty_command, "of empty (aim 1.5)"),
        ("the first picture", rows["the first picture of the demo job"] / empty_screen, "of empty (aim 2)"),
        ("the line-up of the demo job, filled", rows["the line-up of the demo job"] / empty_screen, "of empty"),
        ("check of 10,000 devices", rows["zinger check, 10,000 devices"] / plan, "of the bare check (aim 2)"),
        (
            "the line-up of 10,000 devices",
            rows["the line-up of 10,000 devices"] / (empty_screen + plan),
            "of empty and bare check (aim 3)",
        ),
    ]
    for words, ratio, against in aims:
        print(f"{words:<44} {ratio:>7.2f} {against}")


def _rounds(demo: str, large: str) -> dict[str, float]:
    measures = {
        "an empty Typer application, --help": lambda: _command(EMPTY_TYPER, "--help"),
        "zinger --help": lambda: _command(OURS.format(words=["--help"])),
        "an empty Textual application": lambda: _paint(EMPTY_TEXTUAL, b"\x1b["),
        "the first picture of the demo job": lambda: _paint(OURS.format(words=["open", demo]), b"opening the job"),
        "the line-up of the demo job": lambda: _paint(OURS.format(words=["open", demo]), b"kvr-wj-sw3"),
        "load, resolve and check 10,000 devices": lambda: _command(CHECK.format(folder=large)),
        "zinger check, 10,000 devices": lambda: _command(OURS.format(words=["check", large])),
        "the line-up of 10,000 devices": lambda: _paint(OURS.format(words=["open", large]), b"kvr-0-sw3"),
    }
    rounds = [{words: measure() for words, measure in measures.items()} for _ in range(ROUNDS)]
    return {words: sorted(r[words] for r in rounds)[ROUNDS // 2] for words in measures}


def _command(program: str, *words: str) -> float:
    """Seconds of one process from start to end."""
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", program, *words], capture_output=True, check=False)
    return time.perf_counter() - began


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
