"""Ways that differ from the usual one: a lease, a slow boot, a second run from flash, a sheet elsewhere."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import ONE_DEVICE, Practice, zinger
from tests.test_run import carried
from zinger.proof.findings import Source
from zinger.run.board import Mark
from zinger.run.memory import remember
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder, Locked
from zinger.store.journal import Journal


async def test_a_dhcp_client_is_said_and_proved_from_its_console(practice: Practice) -> None:
    """A lease must be found elsewhere, so nothing is owed from the network; all else is proved."""
    sheet = ONE_DEVICE.replace("10.44.8.11", "dhcp")
    (practice.folder.path / "devices.csv").write_text(sheet)
    job = OpenJob(practice.folder)
    assert job.plan.errors() == ()
    script = job.scripts[practice.device]
    assert [p.shown for p in script.steps if p.setting == "management.address"] == ["address lease"]
    assert not any(p.setting == "management.gateway" for p in script.steps)
    await practice.yard.ask("lease", device=practice.device, address="10.44.8.131/24")
    run, job = await carried(practice.folder)
    assert run.proved() == [practice.device]
    findings = job.board.lines[practice.device].findings
    assert findings["management.address", Source.RUNNING].read == "by lease"
    assert not [s for s, source in findings if source is Source.OUTSIDE]
    await run.stop()


async def test_a_restart_by_command_is_proof_too_and_what_was_not_saved_is_gone(practice: Practice) -> None:
    run, job = await carried(practice.folder, power_cut=False, restart=True)
    assert run.proved() == [practice.device]
    sources = {source for _, source in job.board.lines[practice.device].findings}
    assert Source.AFTER_RESTART in sources and Source.AFTER_POWER_CUT not in sources
    assert sum(line.endswith("base: restart") for line in await practice.heard()) == 1
    await run.stop()


async def test_a_boot_that_takes_longer_is_waited_for_and_remembered(practice: Practice) -> None:
    await practice.yard.ask("fault", device=practice.device, kind="slow boot", amount=6)
    run, _ = await carried(practice.folder, power_cut=False)
    assert run.proved() == [practice.device]
    await run.stop()
    journal = Journal(practice.folder.journal)
    memory = remember(journal.entries(practice.device))
    journal.close()
    assert memory.boots_in and memory.boots_in > 1.2


def test_flash_outlives_the_yard_and_a_second_run_says_nothing(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n")
    first = zinger("run", folder, "--headless", "--no-power-cut")
    assert first.returncode == 0, first.stdout
    again = zinger("run", folder, "--headless", "--no-power-cut")
    assert again.returncode == 0 and again.stdout.splitlines()[-1] == "1 of 1 devices proved"
    journal = Journal(folder / "journal.db")
    entries = list(journal.entries("kvr-wj-sw1"))
    journal.close()
    began = [i for i, e in enumerate(entries) if e.kind == "run began"]
    assert len(began) == 2 and not [e for e in entries[began[1] :] if e.kind in ("send", "renewed")]


async def test_a_device_that_restarts_while_it_is_told_things_is_taken_up_again(practice: Practice) -> None:
    from zinger.run.options import Options
    from zinger.run.run import Run

    job = OpenJob(practice.folder)
    run = Run(job, Options(power_cut=False))
    await run.start()
    line = job.board.lines[practice.device]
    while line.place != "names":
        await asyncio.sleep(0.002)
    await practice.yard.ask("power", device=practice.device, on=False)
    await practice.yard.ask("power", device=practice.device, on=True)
    await asyncio.wait_for(run.wait(), 40)
    assert run.proved() == [practice.device] and line.mood is Mark.PROVED, (line.sentence, line.shown, line.outcome)
    assert sum("renewed" in heard for heard in await practice.heard()) == 2  # running was lost with its new secret
    await run.stop()


def test_a_sheet_outside_the_job_is_not_read(job: Callable[..., Path]) -> None:
    text = (Path(__file__).parent.parent / "src/zinger/demo/job.yaml").read_text()
    folder = job(job_yaml=text + "devices: ../elsewhere.csv\n")
    (folder.parent / "elsewhere.csv").write_text(ONE_DEVICE)
    done = zinger("check", folder)
    assert done.returncode == 1 and "is not in the job folder" in done.stdout


def test_one_zinger_at_a_time_in_one_folder(job: Callable[..., Path]) -> None:
    folder = job()
    first, second = JobFolder(folder), JobFolder(folder)
    first.lock()
    with pytest.raises(Locked, match="another zinger works on"):
        second.lock()
    first.unlock()
    second.lock()
    second.unlock()


def test_a_secret_is_shown_only_when_asked_for(job: Callable[..., Path]) -> None:
    folder = job()
    zinger("secret", folder, "kvr-wj-sw1/viewer", stdin="a-fine-secret-77\n")
    assert "a-fine-secret-77" not in zinger("secret", folder).stdout
    assert zinger("secret", folder, "kvr-wj-sw1/viewer", "--show").stdout == "a-fine-secret-77\n"
    missing = zinger("secret", folder, "nobody/nothing", "--show")
    assert missing.returncode == 2 and "the vault has no entry nobody/nothing" in missing.stderr


async def test_a_fault_of_ours_ends_loudly_and_tells_no_values(
    job: Callable[..., Path], capfd: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from zinger.cli.app import _own_fault
    from zinger.run.options import Options
    from zinger.tui import ZingerApp
    from zinger.tui.lineup import LineUp

    app = ZingerApp(lambda: OpenJob(JobFolder(job())), Options(), start=False)

    def break_it() -> None:
        password = "a-secret-in-a-variable"
        raise RuntimeError(f"broken after {len(password)} characters")

    monkeypatch.setattr(app, "action_handover", break_it)
    with pytest.raises(RuntimeError, match="broken after 22"):
        async with app.run_test() as pilot:
            while not isinstance(app.screen, LineUp):
                await pilot.pause(0.05)
            await pilot.pause()
            await pilot.press("h")
            await pilot.pause()
    assert isinstance(app.fault, RuntimeError)
    assert _own_fault(app.fault) == 70
    shown = "".join(capfd.readouterr())
    faults = (Path.home() / "state" / "zinger").glob("fault-*.txt")
    told = max(faults, key=lambda file: file.stat().st_mtime).read_text()
    assert "a fault of Zinger's own (RuntimeError)" in shown and "broken after 22" in told
    assert "a-secret-in-a-variable" not in shown + told
