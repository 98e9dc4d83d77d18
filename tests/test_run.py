"""Whole ways through pump and yard: from the box to proved, from any place, through cuts, crashes and damage."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import subprocess
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ONE_DEVICE, ZINGER, Practice, lay_out, stop_yard, zinger
from zinger.plan.values.secrets import SecretRef
from zinger.proof.findings import Source
from zinger.run.board import Mark
from zinger.run.credentials import credentials_of
from zinger.run.hands import Verb
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.practice import find_or_start
from zinger.run.run import Run
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal
from zinger.store.vault import Vault

FAST = "pace: 300\nlinger: 60\n"


async def carried(folder: JobFolder, **options: Any) -> tuple[Run, OpenJob]:
    """Carry a job to its end in this process, against a yard that may run already."""
    job = OpenJob(folder)
    run = Run(job, Options(**options))
    await run.start()
    await asyncio.wait_for(run.wait(), 120)  # a bound for a machine that is busy, not a measure
    return run, job


def its_own(folder: JobFolder, change: tuple[str, str]) -> None:
    """Give the job its own phrasebook of the switch, in which one thing is written differently."""
    source = (resources.files("zinger.phrasebook") / "families" / "quern-s2.yaml").read_text()
    assert source.count(change[0]) == 1, change
    (folder.path / "phrasebooks").mkdir()
    (folder.path / "phrasebooks" / "quern-s2.yaml").write_text(source.replace(*change))


def test_the_demo_from_factory_state_to_proved_leaks_nothing(tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "demo")
    done = zinger("demo", "--headless", "--pace", "300", "--in", folder)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.splitlines()[-1] == "16 of 16 devices proved"
    papers = {p.name for p in (folder / "handover").iterdir()}
    sites = {f"site-{name}.svg" for name in ("wheal-junction", "corbel-bridge", "upper-kettle")}
    assert papers >= {*sites, "sites.pdf", "timeline.pdf", "proof-sheet.pdf", "labels.pdf", "as-built.csv", "exports"}
    vault = Vault(folder / "vault.age")
    assert len(vault.names()) == 57
    everything = {p: p.read_bytes() for p in folder.rglob("*") if p.is_file() and p.name != "flash.json"}
    everything[Path("output")] = (done.stdout + done.stderr).encode()
    for secret in [*vault.secrets(), "unpack-me"]:
        assert [str(p) for p, data in everything.items() if secret.encode() in data] == []
    casts = sorted((folder / "records").glob("*-console.cast"))
    assert len(casts) == 8
    for cast in casts:
        head, *events = [json.loads(line) for line in cast.read_text().splitlines()]
        assert head["version"] == 2 and {code for _, code, _ in events} == {"o", "i", "m"}
    # a second look changes nothing and still proves everything, from the startup state in flash
    again = zinger("prove", folder, "--json", "--pace", "300")
    summary = json.loads(again.stdout)
    assert again.returncode == 0 and summary["proved"] == 16
    assert all(f["evidence"] for d in summary["devices"] for f in d["findings"])


@pytest.mark.parametrize(
    "typed",
    [
        [],
        ["\r"],
        ["\r", "installer\r"],
        ["\r", "installer\r", "unpack-me\r", "{new}\r"],
        ["\r", "installer\r", "unpack-me\r", "{new}\r", "{new}\r", "take charge\r", "descend doors\r", "descend ssh\r"],
        ["\r", "installer\r", "unpack-me\r", "{new}\r", "{new}\r", "take charge\r", "tell all\r"],
        [
            "\r",
            "installer\r",
            "unpack-me\r",
            "{new}\r",
            "{new}\r",
            "take charge\r",
            "descend people\r",
            "add kettle-admin as keeper\r",
        ],
        ["\r", "installer\r", "unpack-me\r", "{new}\r", "{new}\r", "take charge\r", "rename half-ty"],
    ],
    ids=[
        "just booted",
        "signed out",
        "at the secret",
        "half-way through the change",
        "deep in a context",
        "at the pager",
        "at a blind question",
        "half-typed line",
    ],
)
async def test_it_starts_in_any_place(practice: Practice, typed: list[str]) -> None:
    vault = Vault(practice.folder.vault)
    job = OpenJob(practice.folder)
    device = job.plan.devices[0]
    vault.ensure([(device.factory_account_secret, job.books["quern-s2"].rules)])
    new = vault.get(device.factory_account_secret)
    await practice.on()
    while not (await practice.yard.ask("status"))["devices"][practice.device]["up"]:
        await asyncio.sleep(0.02)
    port = (await practice.yard.ask("console", device=practice.device))["port"]
    _, writer = await asyncio.open_connection("127.0.0.1", port)
    for line in typed:
        await asyncio.sleep(0.05)
        writer.write(line.format(new=new).encode())
    await asyncio.sleep(0.1)
    writer.close()
    await asyncio.sleep(0.05)
    run, _ = await carried(practice.folder, power_cut=False)
    assert run.proved() == [practice.device]
    await run.stop()
    heard = await practice.heard()
    assert sum("renewed" in line for line in heard) == 1
    assert [line for line in heard if line.endswith("add kettle-admin as keeper")] != []


async def test_dropped_characters_and_bursts_never_execute_a_damaged_line(practice: Practice) -> None:
    await practice.yard.ask("fault", device=practice.device, kind="drop", amount=211)
    run, job = await carried(practice.folder)
    assert run.proved() == [practice.device]
    said = {line for p in job.scripts[practice.device].steps for line in p.every_line} | {
        "keep",
        "tell all",
        "tell all startup",
    }
    moves = {m.act.shown for m in job.books["quern-s2"].map.moves}
    await run.stop()
    for line in await practice.heard():
        if ": " in line and "signed" not in line:
            words = line.split(": ", 1)[1]
            assert words in said | moves, f"a damaged line was executed: {line}"


async def test_a_cut_console_is_found_again(practice: Practice) -> None:
    job = OpenJob(practice.folder)
    run = Run(job, Options(power_cut=False))
    await run.start()
    line = job.board.lines[practice.device]
    while line.stops[job.scripts[practice.device].steps[3].stop] is not Mark.SENT:
        await asyncio.sleep(0.005)
    await practice.yard.ask("fault", device=practice.device, kind="cut")
    await asyncio.wait_for(run.wait(), 30)
    assert run.proved() == [practice.device]
    await run.stop()


async def test_a_device_that_falls_silent_is_looked_at_again_and_switched_on(practice: Practice) -> None:
    """Somebody pulled its plug in the middle of a line; nothing on its console tells so, and nothing answers there."""
    its_own(practice.folder, ("'rename {{ value }}', undo", "'rename {{ value }}', patience: 2 s, undo"))
    job = OpenJob(practice.folder)
    run = Run(job, Options(power_cut=False))
    await run.start()
    line = job.board.lines[practice.device]
    while line.sentence != "sending hostname":
        await asyncio.sleep(0.001)
    await practice.yard.ask("power", device=practice.device, on=False)
    await asyncio.wait_for(run.wait(), 120)  # a bound for a machine that is busy, not a measure
    assert run.proved() == [practice.device]
    plugged = [act.why for act, *_ in run.world.hands.log if act.verb is Verb.PLUG]
    assert len(plugged) == 2 and plugged[1] == "nothing answers on its console", plugged
    await run.stop()


async def test_a_person_takes_the_wire_and_hands_it_back(practice: Practice) -> None:
    job = OpenJob(practice.folder)
    run = Run(job, Options(power_cut=False))
    await run.start()
    line, wire = job.board.lines[practice.device], run.carriers[practice.device].wire
    while line.place != "mgmt":
        await asyncio.sleep(0.002)
    wire.take()
    await asyncio.sleep(0.3)
    said_before = len(await practice.heard())
    wire.pump.type(b"\x18ascend\rrename by-hand\r")
    await asyncio.sleep(0.3)
    heard = await practice.heard()
    assert line.person_has_it and heard[-1].endswith("rename by-hand") and len(heard) == said_before + 2
    wire.hand_back()
    await asyncio.wait_for(run.wait(), 30)
    assert run.proved() == [practice.device]
    assert any(line.endswith("rename kvr-wj-sw1") for line in (await practice.heard())[len(heard) :])
    await run.stop()


async def test_live_what_the_console_shows_need_not_be_told(job: Callable[..., Path]) -> None:
    """A person switches it on, and cuts its power later, and presses nothing on the laptop."""
    home = JobFolder(job("yard", devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n"))
    yard, _ = await find_or_start(home, home.plan(home.families()[0]).devices, None)
    await yard.ask("plug", device="kvr-wj-sw1")
    port = (await yard.ask("console", device="kvr-wj-sw1"))["port"]
    head, row, _ = ONE_DEVICE.split("\n")
    said = (home.path / "job.yaml").read_text().replace("mode: practice", "mode: live")
    live = job("live", devices_csv=f"{head},console\n{row},telnet://127.0.0.1:{port}\n", job_yaml=said)
    opened = OpenJob(JobFolder(live))
    run = Run(opened, Options())
    await run.start()
    line, hands, asked = opened.board.lines["kvr-wj-sw1"], run.world.hands, []
    async with asyncio.timeout(120):  # a bound for a machine that is busy, not a measure
        while line.ended is None:
            for act in [item.act for item in hands.in_order() if item.act.verb not in asked]:
                asked.append(act.verb)
                if act.verb is Verb.LAPTOP:
                    hands.cannot(act, "the port is sealed")
                    continue
                assert line.sentence.startswith("hands: "), line.sentence
                if act.verb is Verb.POWER_CUT:
                    await yard.ask("power", device="kvr-wj-sw1", on=False)
                await yard.ask("power", device="kvr-wj-sw1", on=True)
            await asyncio.sleep(0.05)
    await run.stop()
    assert asked == [Verb.PLUG, Verb.LAPTOP, Verb.POWER_CUT] and not hands.asked
    survived = [f for (_, source), f in line.findings.items() if source is Source.AFTER_POWER_CUT]
    assert survived and line.mood is Mark.CONFIGURED, (line.sentence, survived)
    await yard.ask("stop")
    yard.close()


async def test_two_cables_mixed_up_lock_nobody_out_once_they_are_plugged_right(job: Callable[..., Path]) -> None:
    """Each box took the password of the other's first account before it could be told that it was the wrong one."""
    row = ONE_DEVICE.splitlines()[1]
    other = row.replace("sw1", "sw2").replace("8.11", "8.12").replace("0411", "0412").replace("33-01", "33-02")
    head = ONE_DEVICE.splitlines()[0]
    home = JobFolder(job("yard", devices_csv=f"{head}\n{row}\n{other}\n", practice_yaml="pace: 300\n"))
    yard, _ = await find_or_start(home, home.plan(home.families()[0]).devices, None)
    ports = []
    for name in ("kvr-wj-sw1", "kvr-wj-sw2"):
        await yard.ask("plug", device=name)
        await yard.ask("power", device=name, on=True)
        ports.append((await yard.ask("console", device=name))["port"])

    def plugged(first: int, second: int) -> JobFolder:
        rows = (f"{row},telnet://127.0.0.1:{first}", f"{other},telnet://127.0.0.1:{second}")
        said = (home.path / "job.yaml").read_text().replace("mode: practice", "mode: live")
        return JobFolder(job("live", devices_csv="\n".join((f"{head},console", *rows, "")), job_yaml=said))

    run, wrong = await carried(plugged(ports[1], ports[0]), stop_after="sign-in")
    told = [line.sentence for line in wrong.board.lines.values()]
    assert all("Wrong device: serial" in words and "It let Zinger in as installer" in words for words in told), told
    right = OpenJob(plugged(*ports))  # the sheet is corrected while the job is open
    run.adopt(right)
    assert not any(run.carriers[name].line is line for name, line in right.board.lines.items()), (
        "a console is the plan's"
    )
    await run.set_off(list(right.board.lines))
    await asyncio.wait_for(run.wait(), 60)
    await run.stop()
    assert {line.sentence for line in right.board.lines.values()} == {"stopped after sign-in, as wanted"}
    rows = {row.device: row.entry for row in credentials_of(right, right.vault) if row.what.startswith("the first")}
    assert rows == {"kvr-wj-sw1": "kvr-wj-sw2/factory account", "kvr-wj-sw2": "kvr-wj-sw1/factory account"}
    for name, entry in rows.items():
        secret = right.vault.get(SecretRef(entry))  # type: ignore[union-attr]
        assert (await yard.ask("knows", device=name, user="installer", secret=secret))["knows"]
    await yard.ask("stop")
    yard.close()


async def test_a_box_that_calls_itself_another_of_the_plan_is_not_spoken_to(practice: Practice) -> None:
    """Without a serial number or MAC in the plan, the name that it shows is all there is to go by."""
    run, _ = await carried(practice.folder, power_cut=False)
    await run.stop()
    head, row, _ = ONE_DEVICE.split("\n")
    second = row.replace("QS2-0411,02-4b-56-10-33-01", ",").replace("kvr-wj-sw1", "kvr-wj-sw2").replace(".11", ".12")
    port = (await practice.yard.ask("console", device=practice.device))["port"]
    (practice.folder.path / "devices.csv").write_text(f"{head},console\n{row},\n{second},telnet://127.0.0.1:{port}\n")
    text = (practice.folder.path / "job.yaml").read_text()
    (practice.folder.path / "job.yaml").write_text(text.replace("mode: practice", "mode: live"))
    vault = Vault(practice.folder.vault)
    vault.put({SecretRef("kvr-wj-sw2/administrator"): vault.get(SecretRef("kvr-wj-sw1/administrator"))})
    before = len(await practice.heard())
    run, job = await carried(practice.folder, only=["kvr-wj-sw2"], power_cut=False)
    assert not [said for said in (await practice.heard())[before:] if "rename" in said or "address" in said]
    line = job.board.lines["kvr-wj-sw2"]
    assert line.mood is Mark.NEEDS_YOU and "it calls itself kvr-wj-sw1" in line.sentence, line.sentence
    await run.stop()


async def test_a_password_that_a_person_types_in_is_tried_when_it_is_sent_on_its_way_again(practice: Practice) -> None:
    run, _ = await carried(practice.folder, power_cut=False)
    await run.stop()
    vault = Vault(practice.folder.vault)
    right = {SecretRef(name): vault.get(SecretRef(name)) for name in vault.names()}
    vault.put({entry: f"never-this-one-{n}" for n, entry in enumerate(right)})
    run, job = await carried(practice.folder, power_cut=False, sends=False)
    line = job.board.lines[practice.device]
    assert line.mood is Mark.NEEDS_YOU and "no password that Zinger knows" in line.sentence
    vault.put(right)
    run.again(practice.device)
    await asyncio.wait_for(run.wait(), 60)
    assert line.mood is Mark.PROVED, line.sentence
    await run.stop()


async def test_the_wrong_box_is_not_spoken_to(practice: Practice) -> None:
    swapped = ONE_DEVICE.replace("QS2-0411", "QS2-0999")
    (practice.folder.path / "devices.csv").write_text(swapped)
    run, job = await carried(practice.folder)
    line = job.board.lines[practice.device]
    assert line.mood is Mark.NEEDS_YOU and "Wrong device: serial QS2-0411, expected QS2-0999" in line.sentence
    assert not any("base/" in heard for heard in await practice.heard())
    await run.stop()


async def test_a_refused_secret_is_said_with_the_devices_words(practice: Practice) -> None:
    """The job's own phrasebook promises more than the device takes: its refusal stands beside the phrase."""
    its_own(practice.folder, ("shortest: 12", "shortest: 4"))
    done = zinger("secret", practice.folder.path, f"{practice.device}/administrator", stdin="tiny1\n")
    assert done.returncode == 0
    run, job = await carried(practice.folder, power_cut=False)
    line = job.board.lines[practice.device]
    administrator = next(p for p in line.steps if p.setting == "accounts.administrator")
    assert administrator.mark is Mark.DIFFERS and administrator.note == "refused: shorter than 12"
    assert line.mood is Mark.DIFFERS and run.proved() == []
    await run.stop()


def crash_at(kind: str, folder: Path) -> None:
    """Start a run and kill it, without any warning, as soon as the journal has an entry of this kind."""
    process = subprocess.Popen(
        [*ZINGER, "run", str(folder), "--headless", "--keep-yard"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        for _ in range(3000):
            if (folder / "journal.db").exists() and _has(folder, kind):
                break
            if process.poll() is not None:
                raise AssertionError("it ended before it could be killed")
    finally:
        os.kill(process.pid, signal.SIGKILL)
        process.wait()


def _has(folder: Path, kind: str) -> bool:
    import sqlite3
    import time

    time.sleep(0.004)
    try:
        with sqlite3.connect(f"file:{folder / 'journal.db'}?mode=ro", uri=True) as db:
            return bool(db.execute("select 1 from entries where kind = ? limit 1", (kind,)).fetchall())
    except sqlite3.OperationalError:
        return False


@pytest.mark.parametrize("kind", ["may sign in", "renewed", "send", "sent", "finding"])
def test_killed_at_any_point_it_finishes_and_says_nothing_twice(job: Callable[..., Path], kind: str) -> None:
    folder = job("crash", devices_csv=ONE_DEVICE, practice_yaml=FAST)
    crash_at(kind, folder)
    done = zinger("run", folder, "--headless", "--keep-yard")
    try:
        assert done.returncode == 0, done.stdout + done.stderr
        assert done.stdout.splitlines()[-1] == "1 of 1 devices proved"
        heard = asyncio.run(_heard(folder))
        assert sum("renewed" in line for line in heard) == 1
        assert sum("add kettle-admin" in line for line in heard) <= 2, heard
        secrets = Vault(folder / "vault.age").secrets()
        assert len(set(secrets)) == 3
    finally:
        stop_yard(folder)
    journal = Journal(folder / "journal.db")
    assert [e.kind for e in journal.entries("kvr-wj-sw1")].count("proved") == 1
    journal.close()


async def _heard(folder: Path) -> list[str]:
    from zinger.link.yard import Yard

    yard = Yard.from_file(folder / ".yard" / "ready.json")
    lines = (await yard.ask("heard", device="kvr-wj-sw1"))["lines"]
    yard.close()
    return list(lines)
