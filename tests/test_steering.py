"""One device at any time: started, stopped, left out, a setting passed over, another plan while others are in work."""

from __future__ import annotations

import asyncio
import itertools
import json
from collections.abc import Callable
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import ONE_DEVICE, lay_out, program, zinger
from tests.terminal import Terminal
from tests.test_run import carried
from tests.test_screen import THREE_SWITCHES
from zinger.run.accepting import accepted
from zinger.run.board import Mark
from zinger.run.hands import RunError
from zinger.run.laterchange import changed_devices
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.run.steering import Manner, aside, not_done, noted, passed_over, take_in
from zinger.store import entries
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal

ONE, TWO, THREE = "kvr-wj-sw1", "kvr-wj-sw2", "kvr-wj-sw3"


async def until(holds: Callable[[], bool]) -> None:
    async with asyncio.timeout(60):
        while not holds():
            await asyncio.sleep(0.02)


def has_begun(run: Run, name: str) -> bool:
    """Whether something was sent already, and more is to come."""
    return any(row.mark is Mark.SENT for row in run.job.board.lines[name].steps)


async def test_single_devices_are_started_stopped_left_out_and_gone_on_with(job: Callable[..., Path]) -> None:
    folder = JobFolder(job(devices_csv=THREE_SWITCHES, practice_yaml="pace: 150\n"))
    run = Run(OpenJob(folder), Options())
    await run.begin()
    lines = run.job.board.lines
    assert run.tasks == {} and not_done(run.job) == [ONE, TWO, THREE]
    assert await run.set_off([ONE], Manner(power_cut=False)) == [ONE]
    assert await run.set_off([ONE, TWO]) == [TWO], "who is on the way goes on"
    await until(lambda: has_begun(run, TWO))
    await run.halt(TWO)
    assert lines[TWO].sentence.startswith("stopped by you · ") and not lines[TWO].active
    await run.steer(THREE, aside("absent"))
    assert (lines[THREE].sentence, not_done(run.job)) == ("absent: left out", [ONE, TWO])
    await until(lambda: run.tasks[ONE].done())
    assert lines[ONE].mood is Mark.PROVED
    assert not_done(run.job) == [TWO]
    await run.steer(TWO, passed_over(run.job, TWO, "banner"))
    await run.set_off(not_done(run.job))
    await until(lambda: run.tasks[TWO].done())
    assert [f.setting for f in lines[TWO].differing] == ["banner"] * 3, "running, startup, after a power cut"
    assert next(row.note for row in lines[TWO].steps if row.setting == "banner") == "passed over by you"
    await run.steer(TWO, noted("the label is torn"))
    await run.steer(TWO, accepted(run.job, TWO, "banner", "as the station wants it"))
    assert lines[TWO].sentence.endswith("accepted: prove it again")
    await run.set_off([TWO], Manner(sends=False, power_cut=False))
    await until(lambda: run.tasks[TWO].done())
    assert lines[TWO].sentence.endswith("but for 1 accepted"), lines[TWO].sentence
    assert "the label is torn" in lines[TWO].kept["your notes"][0], "a new run keeps it in sight"
    await run.steer(TWO, accepted(run.job, TWO, "banner", ""))
    assert lines[TWO].outcome is not None and [f.setting for f in lines[TWO].outcome.differing] == ["banner"] * 3
    with pytest.raises(RunError, match="hostname is neither different nor owed"):
        accepted(run.job, TWO, "hostname", "because")
    with pytest.raises(RunError, match=r"U\+001B"):
        noted("torn \x1b[31m")
    await run.stop(end_yard=False)
    # the journal knows it all: another process shows it, and begins with what is not done
    again = OpenJob(folder)
    assert again.memories[TWO].passed_over == {"banner"} and again.memories[THREE].aside == "absent"
    assert "the label is torn" in again.board.lines[TWO].kept["your notes"][0]
    assert again.board.lines[THREE].sentence == "absent: left out" and not_done(again) == [TWO]
    with pytest.raises(RunError, match="no device that can be spoken to is called kvr-wj-sw9"):
        passed_over(again, "kvr-wj-sw9", "banner")
    assert zinger("pass-over", folder.path, TWO, "banner", "--back").stdout == f"{TWO}: nothing is passed over\n"
    done = await asyncio.to_thread(program, "run", folder.path, "--headless", "--not-done")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout
    assert zinger("aside", folder.path, THREE, "--back").stdout == f"{THREE}: not started\n"
    assert not_done(OpenJob(folder)) == [THREE]


async def test_a_plan_that_is_saved_meanwhile_is_for_the_devices_that_are_not_in_work(job: Callable[..., Path]) -> None:
    folder = JobFolder(job(devices_csv=THREE_SWITCHES, practice_yaml="pace: 150\n"))
    run = Run(OpenJob(folder), Options(power_cut=False))
    await run.begin()
    await run.set_off([ONE])
    await until(lambda: has_begun(run, ONE))
    text = (folder.path / "job.yaml").read_text()
    (folder.path / "job.yaml").write_text(text.replace("banner: ", "banner: Halt. ", 1))
    run.adopt(OpenJob(folder))
    lines = run.job.board.lines
    assert lines[ONE].active and "Halt" not in str(lines[ONE].device.values["banner"].value)
    await run.set_off([TWO])
    await until(lambda: all(task.done() for task in run.tasks.values()))
    lines = run.job.board.lines
    assert lines[ONE].sentence == "plan changed · run it again"
    marks = {row.setting: row.mark for row in lines[ONE].steps}
    assert (marks["banner"], marks["hostname"]) == (Mark.AHEAD, Mark.PROVED), "nobody saw the new banner"
    assert "Halt" in str(lines[ONE].device.values["banner"].value)
    (found,) = [f for f in lines[TWO].findings.values() if f.setting == "banner" and f.source.value == "running"]
    assert found.holds and found.read.startswith("Halt.")
    await run.set_off(not_done(run.job))
    await until(lambda: run.tasks[ONE].done())
    said = [e.data["setting"] for e in run.journal.entries(ONE) if e.kind == "sent"] if run.journal else []
    assert said.count("banner") == 2 and said.count("hostname") == 1, "only what became another value is sent"
    await run.set_off([TWO])
    await until(lambda: run.carriers[TWO].line.active)
    sheet = folder.path / "devices.csv"
    sheet.write_text(sheet.read_text().replace(TWO, "called-new"))
    run.adopt(OpenJob(folder))
    assert run.job.board.lines[TWO].active, "it stays in sight"
    assert run.job.board.lines["called-new"].sentence == f"in work still, as {TWO}"
    with pytest.raises(RunError, match=f"{TWO} is in work under its old name"):
        await run.set_off(["called-new"])
    assert await run.set_off([ONE, "called-new"]) == [ONE], "others need not wait for it"
    await until(lambda: run.tasks[TWO].done())
    assert TWO not in run.job.board.lines and TWO not in run.job.plan.by_name
    assert run.job.board.lines["called-new"].sentence == "plan changed · run it again"
    await run.set_off(["called-new"])
    await until(lambda: run.tasks["called-new"].done())
    assert TWO not in run.carriers and run.job.memories["called-new"].accepted[0][1].startswith("called-new/")
    assert run.carriers["called-new"].owed.is_proved() or "survival" in run.carriers["called-new"].line.sentence
    await run.stop(end_yard=True)


async def test_what_is_steered_is_refused_where_it_makes_no_sense(job: Callable[..., Path]) -> None:
    folder = JobFolder(job(devices_csv=THREE_SWITCHES, practice_yaml="pace: 150\n"))
    run, opened = await carried(folder, only=[ONE], power_cut=False)
    with pytest.raises(RunError, match="nothing sends wireless"):
        passed_over(opened, ONE, "wireless.country")
    with pytest.raises(RunError, match="absent or spare, not 'lost'"):
        aside("lost")
    busy = zinger("aside", folder.path, TWO, "--spare")
    assert busy.returncode == 2 and "another zinger works on" in busy.stderr, busy.stderr
    await run.stop(end_yard=True)
    assert zinger("aside", folder.path, TWO).returncode == 2, "it must say how"
    journal = Journal(folder.journal)
    assert not any(isinstance(entries.read(e), entries.SetAside) for e in journal.entries())
    journal.close()


def test_what_can_be_done_with_a_device_is_one_key_away(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=THREE_SWITCHES)
    term = start(folder, "open", str(folder), "--pace", "60")
    term.until("0 of 3 proved", "g go")
    term.keys("o")
    term.until("run: look, send what differs", "absent: leave it out")
    term.keys("Down", "Enter")
    term.until("booting", "1 under way")
    term.keys("Down", "space", "Down", "space", "o")
    term.until("2 devices", "kvr-wj-sw2, kvr-wj-sw3", "spare: leave it out")
    term.keys(*["Down"] * 7, "Enter")
    term.until("spare: left out")
    term.keys("o")
    term.until("kvr-wj-sw3", "here again: take part in runs")
    term.escape("here again")
    term.keys("Home")
    term.until("1 of 3 proved", seconds=60)
    term.keys("g")
    term.until("nothing is left to do")
    term.keys("o")
    term.until("write a note")
    term.keys(*["Down"] * 9, "Enter")
    term.until("A note on kvr-wj-sw1")
    term.keys("-l", "the fan rattles")
    term.keys("Enter")
    term.until("note saved; the proof")
    term.keys("p")
    term.until("proof of kvr-wj-sw1", "findings hold")
    term.keys("x")
    term.until("administrator (accounts.administrator) is neither")
    term.keys("End")
    term.until("the fan rattles")
    sheet = folder / "devices.csv"  # who changes the plan changes what is shown on this screen
    sheet.write_text(sheet.read_text().replace("10.44.8.11", "10.44.8.41"))
    term.until("taken in", "plan changed · run it again")
    term.keys("o")
    term.until("prove only")
    term.keys(*["Down"] * 4, "Enter")
    term.until("differ", "reads back 10.44.8.11 len 24", seconds=60)
    term.keys("Home", "c")
    term.until("- 10.44.8.41 len 24", "+ 10.44.8.11/24")
    term.keys("y")
    term.until("plan changed · run it again")
    assert "10.44.8.11/24" in sheet.read_text()
    term.keys("o")
    term.until("swap the box")
    term.keys("End", "Enter")
    term.until("Another box for kvr-wj-sw1")
    for bad, told in (("QS2-1 02-zz", "'02-zz' is not a valid MAC"), ("QS2-0412", "planned as kvr-wj-sw2 already")):
        term.keys("C-u")
        term.keys("-l", bad)
        term.keys("Enter")
        term.until("Another box for kvr-wj-sw1", told)
    term.keys("C-u")
    term.keys("-l", "QS2-0999 02-4b-56-10-33-99")
    term.keys("Enter")
    term.until("kvr-wj-sw1 is QS2-0999 now", "0 of 0 findings hold")
    assert "QS2-0999" in sheet.read_text()
    term.escape("0 of 0 findings hold")
    term.keys("q")
    term.until("ended with 0")


async def test_boxes_with_one_console_cable_are_carried_one_after_the_other(job: Callable[..., Path]) -> None:
    head, *rows = THREE_SWITCHES.strip().splitlines()
    sheet = "\n".join([f"{head},console", *(f"{row},serial:///dev/ttyUSB0" for row in rows), ""])
    folder = JobFolder(job(devices_csv=sheet, practice_yaml="pace: 300\n"))
    run, opened = await carried(folder)
    await run.stop(end_yard=True)
    assert [line.mood for line in opened.board.lines.values()] == [Mark.PROVED] * 3
    journal = Journal(folder.journal)
    spans = [
        (min(e.at for e in journal.entries(name) if e.kind == "hands asked" and e.data["verb"] == "plug"),
         next(e.at for e in journal.entries(name) if e.kind == "proved"))
        for name in (ONE, TWO, THREE)
    ]  # fmt: skip
    asked = [e.data["do"] for e in journal.entries() if e.kind == "hands asked" and e.data["verb"] == "plug"]
    journal.close()
    assert all(one[1] <= other[0] for one, other in itertools.pairwise(sorted(spans)))
    assert len(asked) == 3 and sum("take the console cable out of kvr-wj-sw" in words for words in asked) == 2


def test_a_later_change_is_shown_before_and_nothing_else_is_sent(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=THREE_SWITCHES, practice_yaml="pace: 300\nlinger: 90\n")
    only_one = ("run", folder, "--headless", "--keep-yard", "--no-power-cut", "--only", ONE)
    first = zinger(*only_one, "--stop-after", "send")
    assert "stopped after send, as wanted" in first.stdout and first.returncode == 1
    second = zinger(*only_one, "--from", "save", "--json")
    assert second.returncode == 0 and zinger(*only_one, "--from", "boot").returncode == 2, second.stdout
    assert zinger("run", folder, "--headless", "--keep-yard", "--no-power-cut").returncode == 0
    assert zinger("run", folder, "--dry").stdout.count("nothing, as far as is known") == 3
    back = json.loads(zinger("forecast", folder, "--back", "--json").stdout)
    assert back["devices"] == 3 and back["slowest"] <= back["forced"] <= 1.05 * back["took"], back
    sheet = folder / "devices.csv"
    sheet.write_text(sheet.read_text().replace("10.44.8.12,", "10.44.8.19,"))
    changed = OpenJob(JobFolder(folder))
    assert (changed_devices(changed), not_done(changed)) == ([TWO], [TWO])
    dry = zinger("run", folder, "--dry", "--not-done").stdout.splitlines()
    assert dry[0] == f"{TWO}: management address: 10.44.8.12 len 24 -> 10.44.8.19/24", dry
    assert "address fixed 10.44.8.19 len 24" in dry[1] and "back by" in dry[2]
    log = folder / "events.jsonl"
    done = zinger("run", folder, "--headless", "--not-done", "--no-power-cut", "--events", "--log", log)
    assert done.returncode == 0, done.stdout + done.stderr
    *events, last = [json.loads(line) for line in done.stdout.splitlines()]
    assert (last["event"], last["proved"], last["of"]) == ("summary", 1, 1)
    assert {e["setting"] for e in events if e["event"] == "send" and not e["setting"].startswith("save")} == {
        "management.address"
    }
    logged = [json.loads(line)["event"] for line in log.read_text().splitlines()]
    assert "proved" in logged and "proved" in [e["event"] for e in events]


def test_another_box_takes_the_place_of_a_device_and_nothing_of_the_old_one_counts(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=THREE_SWITCHES, practice_yaml="pace: 300\nlinger: 90\n")
    assert zinger("run", folder, "--headless", "--only", ONE, "--no-power-cut").returncode == 0
    refused = zinger("swap", folder, ONE, "--serial", "QS2-0999", "--mac", "not a mac")
    assert refused.returncode == 2 and "QS2-0411" in (folder / "devices.csv").read_text(), refused.stderr
    done = zinger("swap", folder, ONE, "--serial", "QS2-0999", "--mac", "02-4b-56-10-33-99")
    assert done.returncode == 0, done.stderr
    opened = OpenJob(JobFolder(folder))
    device, memory = opened.plan.device(ONE), opened.memories[ONE]
    assert (device.serial, device.mac) == ("QS2-0999", "02-4b-56-10-33-99")
    assert (memory.accepted, memory.findings, opened.board.lines[ONE].sentence) == ([], {}, "not started")
    assert ONE not in (folder / "known_hosts").read_text()
    swapped = OpenJob(JobFolder(folder))
    swapped.board.lines[ONE].step("hostname", Mark.PROVED)
    take_in(swapped, ONE, entries.Swapped("QS2-0999", ""))
    assert {mark for mark in swapped.board.lines[ONE].stops.values()} == {Mark.AHEAD, Mark.NONE}
    again = zinger("run", folder, "--headless", "--only", ONE, "--no-power-cut")
    assert again.returncode == 0, again.stdout + again.stderr


def test_files_that_others_change_are_taken_in_while_the_application_is_open(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=THREE_SWITCHES)
    term = start(folder, "open", str(folder))
    term.until("kvr-wj-sw3", "g go")
    sheet = folder / "devices.csv"
    sheet.write_text(sheet.read_text().replace("kvr-wj-sw3", "kvr-wj-sw7"))
    term.until("kvr-wj-sw7", "taken in")
    (folder / "job.yaml").write_text("job: [")
    term.until("errors in the plan")


def test_a_run_goes_on_while_another_job_is_shown(start: Callable[..., Terminal], tmp_path: Path) -> None:
    titled = (resources.files("zinger") / "demo" / "job.yaml").read_text("utf-8").replace("Kettlestone Valley", "Upper")
    one = lay_out(tmp_path / "one", devices_csv=ONE_DEVICE, practice_yaml="pace: 60\n", job_yaml=titled)
    two = lay_out(tmp_path / "two", devices_csv=THREE_SWITCHES)
    term = start(one, "open", str(one))
    term.until("not started", "g go")
    term.keys("g")
    term.until("1 under way")

    def welcome() -> None:
        term.keys("C-p")
        term.until("what do you want to do?")
        term.keys("-l", "welcome")
        term.keys("Enter")  # at once: it means what is typed, not what the list still shows
        term.until("plan, plug in, watch", "Upper Railway")

    welcome()
    term.keys("o")
    term.until("Enter opens it")
    term.keys("-l", str(two))
    term.keys("Enter")
    term.until("kvr-wj-sw3", "0 of 3 proved")
    sheet = one / "devices.csv"
    another = ONE_DEVICE.splitlines()[1].replace("sw1", "sw2").replace("8.11", "8.12").replace("0411", "0412")
    sheet.write_text(sheet.read_text() + another.replace("33-01", "33-02") + "\n")
    welcome()
    term.keys("Down", "Enter")
    term.until("Upper Railway", "kvr-wj-sw2", "1 of 2 proved", seconds=60)
    term.keys("q")
    term.until("ended with 0")


async def test_a_cable_that_could_not_be_plugged_is_asked_for_again(job: Callable[..., Path]) -> None:
    run = Run(OpenJob(JobFolder(job(devices_csv=ONE_DEVICE, practice_yaml="pace: 150\n"))), Options(by_person=True))
    await run.begin()
    line = run.job.board.lines[ONE]
    await run.set_off([ONE])
    await until(lambda: bool(run.hands.asked))
    run.hands.cannot(run.hands.in_order()[0].act, "no cable fits")
    await until(lambda: run.tasks[ONE].done())
    assert line.mood is Mark.NEEDS_YOU and "no cable fits" in line.sentence
    run.again(ONE)
    await until(lambda: bool(run.hands.asked))
    assert run.hands.in_order()[0].act.do.startswith("plug the console cable"), "a cable was found meanwhile"
    run.hands.leave_to(False)
    await until(lambda: run.tasks[ONE].done())
    assert line.mood is Mark.PROVED, line.sentence
    await run.stop(end_yard=True)
