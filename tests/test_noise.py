"""Noise on the console: whatever comes between, a device is as planned in the end, or a person is asked and told why.

Faults are drawn by Hypothesis and ordered from the yard while a run goes on; the yard's own witness says what came
of it. Never wrong and quiet.
"""

from __future__ import annotations

import asyncio
import tempfile
from importlib import resources
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.conftest import ONE_DEVICE, lay_out
from zinger.run.board import Mark
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal

JOB = (resources.files("zinger") / "demo" / "job.yaml").read_text("utf-8")
NAME = "kvr-wj-sw1"
PRACTICE = "pace: 300\nlinger: 30\n"
FAULTS: list[dict[str, Any]] = [
    {"do": "fault", "kind": "burst", "amount": 3},
    {"do": "fault", "kind": "cut"},
    {"do": "fault", "kind": "restart"},
    {"do": "fault", "kind": "drop", "amount": 331},
    {"do": "fault", "kind": "drop", "amount": 0},
    {"do": "fault", "kind": "wrap", "amount": 80},
    {"do": "fault", "kind": "trickle", "amount": 100},
    {"do": "fault", "kind": "trickle", "amount": 0},
    {"do": "fault", "kind": "show", "amount": 70},
    {"do": "fault", "kind": "show", "amount": 300},
    {"do": "type", "text": "tell all\r"},
    {"do": "type", "text": "half a li"},
    {"do": "type", "text": "descend bindings\r"},
    {"do": "type", "text": "\x1b[A\x1b[A\r"},
    {"do": "type", "text": "leave\r"},
    {"do": "type", "text": "\x00\x07q "},
]


async def through(faults: list[tuple[int, int]], devices: str = ONE_DEVICE, name: str = NAME) -> tuple[Any, Any, Any]:
    """One run with these faults, each (which, after so many hundredths of a second): line, what runs, journal kinds."""
    with tempfile.TemporaryDirectory() as folder:
        job = OpenJob(JobFolder(lay_out(Path(folder) / "job", devices_csv=devices, practice_yaml=PRACTICE)))
        run = Run(job, Options(power_cut=False))
        await run.start()
        going = asyncio.create_task(run.wait())
        for which, after in faults:
            await asyncio.sleep(after / 100)
            if going.done():
                break
            ask = dict(FAULTS[which])
            try:
                await run.yard.ask(ask.pop("do"), device=name, **ask)  # type: ignore[union-attr]
            except Exception:  # no terminal is on it just now
                continue
        await asyncio.wait_for(going, 150)
        line = job.board.lines[name]
        state = await run.yard.ask("state", device=name)  # type: ignore[union-attr]
        await run.stop(end_yard=True)
        journal = Journal(job.folder.journal)
        kinds = [e.kind for e in journal.entries(name)]
        journal.close()
        casts = [p.read_text().splitlines() for p in job.folder.records.glob("*.cast")]
        assert casts and all(row.startswith(("{", "[")) and row.endswith(("}", "]")) for rows in casts for row in rows)
        return line, state, kinds


def right(state: Any) -> bool:
    running = state["running"]
    return bool(
        state["saved"]
        and running["name"] == NAME
        and running["address"] == "10.44.8.11/24"
        and running["gateway"] == "10.44.8.1"
        and running["resolver"] == ["10.44.8.20", "10.44.8.21"]
        and running["people"] == {"installer": "keeper", "kettle-admin": "keeper", "signal-view": "watcher"}
        and list(running["source"]) == ["10.44.8.22", "10.44.8.23"]
        and running["zone"] == "Europe/Vienna"
        and list(running["receiver"]) == ["10.44.8.24"]
        and running["doors"]["ssh"]
        and not running["doors"]["telnet"]
    )


@pytest.mark.timeout(300)
@settings(max_examples=4, phases=[Phase.explicit, Phase.generate], suppress_health_check=list(HealthCheck))
@given(st.lists(st.tuples(st.integers(0, len(FAULTS) - 1), st.integers(1, 60)), min_size=2, max_size=7))
def test_whatever_comes_between_the_end_is_right_or_a_person_is_asked(faults: list[tuple[int, int]]) -> None:
    line, state, kinds = asyncio.run(through(faults))
    if line.mood is Mark.PROVED:
        assert right(state) and kinds[-2:].count("proved") == 1, (faults, state)
    else:
        assert line.mood in (Mark.NEEDS_YOU, Mark.DIFFERS, Mark.CONFIGURED), (faults, line.sentence)
        assert len(line.sentence) > 12, line.sentence
        assert {"needs you", "differs", "configured"} & set(kinds)


@pytest.mark.parametrize("family", ["Hollin G4", "Sallow W5"])
def test_a_cut_and_a_restart_in_the_middle_of_a_commit_or_a_question_end_right(family: str) -> None:
    from tests.test_screen import SHEET

    rows = [row for row in SHEET.splitlines() if family in row or row.startswith("site,")]
    name = rows[1].split(",")[2]
    faults = [(1, 160), (0, 40), (1, 40)] if family == "Hollin G4" else [(2, 210), (0, 20)]
    line, state, _ = asyncio.run(through(faults, "\n".join(rows) + "\n", name))
    # no power was cut here, and neither family shows its startup state: that it survives is owed, and nothing else
    assert line.mood is Mark.CONFIGURED, (faults, line.sentence, line.shown)
    assert [debt.setting for debt in line.outcome.owed] == ["survival"]
    assert state["running"]["values"]["name"] == name


# -- devices that are not what they should be ---------------------------------------------------------
class Odd(asyncio.Protocol):
    """A console that behaves in one wrong way."""

    def __init__(self, way: str) -> None:
        self.way = way
        self.sent = 0

    def connection_made(self, transport: Any) -> None:
        self.transport = transport
        if self.way == "flood":
            asyncio.get_running_loop().create_task(self.flood())
        elif self.way == "closes":
            transport.write(b"who is there? ")
            asyncio.get_running_loop().call_later(0.4, transport.close)
        else:
            transport.write("\r\n\u0412\u0432\u0435\u0434\u0438\u0442\u0435 \u0438\u043c\u044f: ".encode())

    def connection_lost(self, exc: Exception | None) -> None:
        self.way = "gone"

    def data_received(self, data: bytes) -> None:
        if self.way == "tongue":
            self.transport.write("\r\n\u0412\u0432\u0435\u0434\u0438\u0442\u0435 \u0438\u043c\u044f: ".encode())

    async def flood(self) -> None:
        """100 MB, as fast as it is taken."""
        line = b"kernel: table full, dropping; table full, dropping; table full, dropping 0123456789\r\n" * 760
        while self.way == "flood" and self.sent < 100e6:
            self.transport.write(line)
            self.sent += len(line)
            while self.transport.get_write_buffer_size() > 1 << 18 and self.way == "flood":
                await asyncio.sleep(0.001)
            await asyncio.sleep(0)


@pytest.mark.parametrize(
    ("way", "why"),
    [
        ("flood", "never holds still|does not know|line after line"),
        ("closes", "interrupted 12 times|link was lost"),
        ("tongue", "Unknown prompt: no pattern of this phrasebook matches"),
    ],
)
async def test_a_flood_a_closing_line_and_another_tongue_end_at_a_person(tmp_path: Path, way: str, why: str) -> None:
    import re
    import resource

    server = await asyncio.get_running_loop().create_server(lambda: Odd(way), "127.0.0.1", 0)
    console = f"tcp://127.0.0.1:{server.sockets[0].getsockname()[1]}"
    head, row, _ = ONE_DEVICE.split("\n")
    book = tmp_path / "job" / "phrasebooks"
    folder = lay_out(
        tmp_path / "job",
        job_yaml=JOB.replace("mode: practice", "mode: live"),
        devices_csv=f"{head},console\n{row.replace('Quern S2', 'quern-s2x')},{console}\n",
    )
    book.mkdir()
    (book / "quern-s2x.yaml").write_text(
        "family: quern-s2x\nlike: quern-s2\ntitle: Quern S2x\nfactory: {boots_in: 1 s}\n"
    )
    job = OpenJob(JobFolder(folder))
    run = Run(job, Options(power_cut=False, hands_within=0))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    await run.start()
    await asyncio.wait_for(run.wait(), 110)
    line = job.board.lines[NAME]
    assert line.mood is Mark.NEEDS_YOU and re.search(why, line.sentence), line.sentence
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 120_000, "kilobytes: it must not keep it all"
    await run.stop()
    for cast in folder.glob("records/*.cast"):
        with cast.open() as rows:
            assert all(row.startswith(("{", "[")) for row in rows)
    server.close()
