"""The Wire and Recordings screens: paste, break, scrolling, search, and recordings played back."""

from __future__ import annotations

import asyncio
import json
import os
import shutil
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from tests.conftest import ONE_DEVICE, lay_out
from tests.terminal import Terminal
from tests.test_run_parts import Loop, pump
from tests.test_screen import THREE_SWITCHES
from zinger.desk.lastseen import recordings_of
from zinger.desk.playback import LONGEST_PAUSE, Playback
from zinger.handover.record import DeviceRecord
from zinger.phrasebook.book import Phrasebook
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Device
from zinger.plan.owners import owners_of
from zinger.plan.resolve import resolve
from zinger.run.byhand import ByHand
from zinger.run.openjob import OpenJob
from zinger.run.paste import Paste
from zinger.store.folder import JobFolder
from zinger.store.recording import RecordingError

tmux = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")


@tmux
def test_recordings_are_those_of_the_very_device_and_of_its_bare_wire(tmp_path: Path) -> None:
    mine = ["sw1-20261129-091135-console.cast", "bare-sw1-20261129-090709-1.cast", "sw1-20261128-091135-pages.har"]
    others = ["sw1-2-20261129-091135-console.cast", "sw10-20261129-091135-console.cast", "sw1-20261129-091135-x.txt"]
    for age, name in enumerate([*mine, *others]):
        (tmp_path / name).touch()
        os.utime(tmp_path / name, (1000 - age, 1000 - age))
    assert [file.name for file in recordings_of(tmp_path, "sw1")] == mine
    assert recordings_of(tmp_path / "none", "sw1") == []


def test_a_paste_goes_line_by_line_and_what_was_shown_is_found_again(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=ONE_DEVICE, practice_yaml="pace: 100\n")
    term = start(folder, "open", str(folder))
    term.until("not started", "g go")
    term.keys("g")
    term.until("proved", "holds after a power cut")
    term.keys("Enter")
    term.until("map", "find", "recordings")
    term.keys("F2")
    term.until("YOU HAVE THE WIRE", "F3 sends a break")
    term.keys("C-x")
    time.sleep(0.3)  # a key that arrives behind a paste would stop it
    subprocess.run([*term.tmux, "set-buffer", "tell names\ntell clock\ndescend vlans\nascend\n"], check=True)
    subprocess.run([*term.tmux, "paste-buffer", "-p"], check=True)
    term.until("Europe/Vienna", "in base/vlans, do:")
    term.keys("F4")
    term.until("Which password is typed?", "kvr-wj-sw1/administrator")
    term.escape("Which password is typed?")
    term.keys("F3", "F2")
    term.until("base", "scroll")
    term.gone("YOU HAVE THE WIRE")
    term.until("You had the wire of kvr-wj-sw1")
    term.keys("Down", "Enter")
    term.until("● proved", "holds after a power cut", seconds=60)  # it looked again; its recording ends at a prompt
    term.keys("/")
    term.until("find in what it showed")
    term.keys("-l", "quern loader")
    term.keys("Enter")
    term.until("quern loader 1.4", "line ")
    term.escape("Esc closes")
    term.keys("Home")
    term.until("line 1 of")
    term.keys("v")
    term.until("recordings of kvr-wj-sw1", "console", "KB")
    term.keys("Enter")
    term.until("▶", "×1")
    term.keys("+", "+", "+", "+", "+")
    term.until("×32")
    term.keys("n", "n", "n")
    term.until("‖", "kvr-wj-sw1 in base", seconds=40)
    term.keys("q")


ACCOUNT = "{accounts: {administrator: {name: kettle-admin, secret: each device}}}"


async def test_whose_password_was_chosen_by_hand_is_known_though_log_lines_come_between(quern: Phrasebook) -> None:
    link = Loop([])
    (device, _) = resolve(
        read_job(f"job: t\nbaseline: {ACCOUNT}\nsites: {{wj: {{subnet: 10.44.8.0/24}}}}\n"),
        read_sheet(DEVICES)[0],
        {"quern-s2": quern.rules},
    ).devices
    carried = pump(quern, link, None)
    noted: list[Any] = []
    by_hand = ByHand(None, device, quern, carried, noted.append)  # type: ignore[arg-type]  # no vault is used

    async def shows(text: bytes) -> None:
        link.heard(text)
        await asyncio.sleep(0.005)

    await shows(b"sw in base/people, do: ")
    carried.take()
    by_hand.type("add signal-view as watcher\r")
    await shows(b"\r\nsecret to give signal-view: \r\n@12:00:01 port 7: carrier lost\r\n")
    for key in "by-hand-77\r":
        by_hand.type(key)
    await shows(b"\r\nthe same again: ")
    by_hand.type("by-hand-77\r")
    await shows(b"\r\nsw in base/people, do: ")
    by_hand.type("ascend\r")
    assert by_hand.take_changed() == ["signal-view"] and by_hand.take_changed() == []
    assert [event.what for event in noted] == ["typed on its wire"], "written down at the first key, and once"
    assert by_hand.entry_of("nobody") is None
    keeper = by_hand.entry_of("kettle-admin")
    assert keeper is not None
    by_hand.world = SimpleNamespace(vault={keeper, device.factory_account_secret})  # type: ignore[assignment]
    await shows(b"\r\nsecret of kettle-admin: ")
    assert by_hand.entries()[0] == keeper, "whose password is asked for comes first"


async def test_a_paste_waits_for_each_answer_and_a_key_stops_it(quern: Phrasebook) -> None:
    link = Loop([b"one", b"\r\nsw in base, do: ", b"two", b"\r\nsw in base, do: ", b"three"])
    carried = pump(quern, link, None)
    link.heard(b"sw in base, do: ")
    carried.take()
    paste = Paste(carried, "one\r\ntwo\nthree")
    await asyncio.wait_for(paste.go(), 5)
    assert bytes(link.sent) == b"one\rtwo\rthree" and paste.done == 3 and not paste.going
    silent = Paste(carried, "a\nb\nc")
    going = asyncio.create_task(silent.go())
    await asyncio.sleep(0.1)
    silent.stopped = True
    await asyncio.wait_for(going, 5)
    assert silent.done == 0


def cast(path: Path, *events: Any) -> Path:
    path.write_text("\n".join(json.dumps(e) for e in ({"version": 2}, *events)) + "\n")
    return path


def test_a_recording_is_played_at_any_speed_from_any_moment(tmp_path: Path) -> None:
    played = Playback.of(
        cast(
            tmp_path / "a.cast",
            [0.5, "o", "a"],
            [1.0, "m", "hostname"],
            [1.1, "o", "b"],
            [90.0, "o", "c"],
            [91.0, "m", "keep"],
            [91.5, "o", "d"],
        )
    )
    assert played.length == pytest.approx(1.1 + LONGEST_PAUSE + 1.5)
    played.faster(1)
    played.pass_time(0.6)
    assert played.transcript.since(0)[1] == b"ab" and played.doing == "hostname" and played.speed == 2.0
    played.step_marker(1)
    assert played.doing == "keep" and played.transcript.since(0)[1] == b"abc"
    played.pass_time(60)
    assert not played.playing and played.transcript.since(0)[1] == b"abcd"
    played.seek(0.7)
    assert played.transcript.since(0)[1] == b"a" and [m.text for m in played.transcript.annotations] == []
    cut_off = tmp_path / "a.cast"
    cut_off.write_text(cut_off.read_text() + '[92.0, "o", "half a li')
    assert Playback.of(cut_off).length == played.length, "a crash leaves a half line; the rest can be played"
    with pytest.raises(RecordingError, match="not an asciicast"):
        (tmp_path / "no.cast").write_text("{}\n")
        Playback.of(tmp_path / "no.cast")


DEVICES = b"""hostname,site,family,address,serial,mac
kvr-wj-sw1,wj,quern-s2,10.44.8.11,QS2-0411,02-4b-56-10-33-01
kvr-wj-sw11,wj,quern-s2,10.44.8.12,QS2-04110,02-4b-56-10-33-02
"""


@pytest.mark.parametrize(
    ("shown", "found"),
    [
        ("box QS2-0411 up", ["kvr-wj-sw1 serial QS2-0411"]),
        ("mac 024b.5610.3302", ["kvr-wj-sw11 MAC 02-4b-56-10-33-02"]),
        ("02:4B:56:10:33:01", ["kvr-wj-sw1 MAC 02-4b-56-10-33-01"]),
        ("kvr-wj-sw11 in look, do: ", ["kvr-wj-sw11 hostname"]),
        ("nothing of ours 02-4b-56-10-33-0", []),
    ],
)
def test_whose_console_it_is_by_what_it_shows(shown: str, found: list[str], quern: Phrasebook) -> None:
    job = read_job("job: t\nsites: {wj: {subnet: 10.44.8.0/24}}\n")
    devices: tuple[Device, ...] = resolve(job, read_sheet(DEVICES)[0], {"quern-s2": quern.rules}).devices
    assert [
        f"{d.name} {what}".startswith(f) for (d, what), f in zip(owners_of(shown, devices), found, strict=True)
    ] == [True] * len(found)


BROKER = "site,role,hostname,family,address,serial,mac\nCorbel Bridge,broker,kvrcbtb3,Quern T1,10.44.16.23,QT1-0003,"


@tmux
def test_a_page_is_filled_in_by_hand_and_a_password_chosen_there_comes_into_the_vault(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(
        tmp_path / "job", devices_csv=f"{BROKER}02-4b-56-91-00-03\n", practice_yaml="pace: 100\nlinger: 60\n"
    )
    term = start(folder, "open", str(folder))
    term.until("not started", "g go")
    term.keys("g", "g")  # pressed twice, it is begun once
    term.until("proved", "holds after a power cut")
    term.keys("Enter")
    term.until("at broker", "Address and length")
    term.keys("F2")
    term.until("YOU HAVE THE WIRE", "space as planned")
    term.keys("Enter")
    term.until(" Name  kvrcbtb3")
    term.keys("no good", "Enter")
    term.until("✎ Name", "kvrcbtb3  no good")
    term.keys("End", "Enter")
    term.until("! a name is 1 to 20 letters")  # the device's own words, under the field
    term.keys("Space")
    term.until("✎ Name", "no good  kvrcbtb3")  # as planned
    for field, below in (("Keeper, new password", 14), ("Keeper, the same again", 1)):
        term.keys(*["Down"] * below)
        term.keys("Enter")
        term.until(f"{field}  Enter takes it")
        term.keys("-l", "Chosen-by-4-hand")
        term.keys("Enter")
        term.until(f"✎ {field}")
    assert "Chosen-by-4-hand" not in term.screen()
    term.keys("End", "Enter")
    term.until("401")  # the old password counts no more
    term.keys("F2")
    term.until("A password was chosen by hand (Keeper, new password)", "kvrcbtb3/administrator")
    term.keys("Enter")
    term.gone("A password was chosen by hand")
    term.until("You had the wire of kvrcbtb3")
    term.keys("Down", "Enter")
    term.until("● proved", "holds after a power cut", seconds=60)
    term.keys("q")
    kept = b"".join(file.read_bytes() for file in folder.rglob("*") if file.is_file())
    assert b"Chosen-by-4-hand" not in kept


@tmux
def test_who_had_the_wire_of_a_device_at_rest_is_asked_what_comes_next(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=THREE_SWITCHES)
    term = start(folder, "open", str(folder), "--pace", "60")
    term.until("0 of 3 proved", "g go")
    term.keys("o")
    term.until("run without a power cut")
    term.keys("Down", "Enter")
    term.until("1 of 3 proved", seconds=60)
    sheet = folder / "devices.csv"  # the job is read anew: the wire is still there to be taken
    sheet.write_text(sheet.read_text().replace("10.44.8.12", "10.44.8.42"))
    term.until("taken in")
    term.keys("Enter")
    term.until("f2 take / hand back", "proved")
    term.keys("F2")
    term.until("YOU HAVE THE WIRE")
    term.keys("F2")
    assert "You had" not in term.gone("YOU HAVE THE WIRE"), "who only looked is asked nothing"
    term.keys("F2")
    term.until("YOU HAVE THE WIRE")
    term.keys("Enter")
    term.until("kvr-wj-sw1 in base, do:")
    term.keys("F2")
    term.until("You had the wire of kvr-wj-sw1", "prove only")
    term.keys("End", "Enter")
    term.until("you had its wire since", "0 of 3 proved")
    opened = OpenJob(JobFolder(folder))
    record = DeviceRecord(opened.plan.device("kvr-wj-sw1"), opened.scripts["kvr-wj-sw1"], opened.memories["kvr-wj-sw1"])
    assert record.state == "not proved since", "the papers say so too"
    term.keys("F2")
    term.until("YOU HAVE THE WIRE")
    term.keys("Enter", "F2")
    term.until("prove only: read everything back")
    term.keys("Enter")
    term.until("configured · owes 1 thing: save not saved", seconds=60)  # what was typed may not be saved
    term.keys("a")
    term.until("1 of 3 proved", seconds=60)  # it was only proved before; again sends and saves
    term.keys("q")
