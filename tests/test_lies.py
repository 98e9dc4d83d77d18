"""A proof that cannot fail proves nothing: devices that are not as they seem must be found out."""

from __future__ import annotations

import asyncio
from importlib import resources

from tests.conftest import Practice, zinger
from tests.test_run import carried
from zinger.plan.values.secrets import SecretRef
from zinger.proof.findings import Source, Verdict
from zinger.run.board import Mark
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.vault import Vault

SOURCE = (resources.files("zinger.phrasebook") / "families" / "quern-s2.yaml").read_text("utf-8")


async def by_hand(practice: Practice, *lines: str) -> None:
    """Somebody types on the console, which stands where the last session left it."""
    port = (await practice.yard.ask("console", device=practice.device))["port"]
    _, writer = await asyncio.open_connection("127.0.0.1", port)
    for line in lines:
        writer.write(f"{line}\r".encode())
        await asyncio.sleep(0.1)
    writer.close()
    await asyncio.sleep(0.1)


def own_phrasebook(practice: Practice, *changes: tuple[str, str]) -> None:
    """A phrasebook of the job's own that is wrong about the device."""
    text = SOURCE
    for right, wrong in changes:
        assert right in text
        text = text.replace(right, wrong)
    (practice.folder.path / "phrasebooks").mkdir()
    (practice.folder.path / "phrasebooks" / "quern-s2.yaml").write_text(text)


async def test_a_door_opened_by_hand_is_found_from_inside_and_outside(practice: Practice) -> None:
    run, _ = await carried(practice.folder, power_cut=False)
    assert run.proved() == [practice.device]
    await run.stop()
    secret = Vault(practice.folder.vault).get(SecretRef(f"{practice.device}/administrator"))
    await by_hand(
        practice,
        "",
        "kettle-admin",
        secret,
        "take charge",
        "descend doors",
        "descend telnet",
        "open",
        "ascend",
        "ascend",
    )
    run, job = await carried(practice.folder, power_cut=False, sends=False)
    line = job.board.lines[practice.device]
    assert run.proved() == [] and line.mood is Mark.DIFFERS
    verdicts = {f.source: (f.read, f.verdict) for f in line.findings.values() if f.setting == "services.telnet"}
    assert verdicts[Source.RUNNING] == ("open", Verdict.DIFFERS)
    assert verdicts[Source.STARTUP] == ("shut", Verdict.HOLDS)
    assert verdicts[Source.OUTSIDE] == ("accepts connections", Verdict.DIFFERS)
    await run.stop()
    # a run says what is not so, and nothing else
    before = len(await practice.heard())
    run, _ = await carried(practice.folder, power_cut=False)
    assert run.proved() == [practice.device]
    await run.stop()
    said = [line.split(": ", 1)[1] for line in (await practice.heard())[before:] if ": " in line]
    assert [
        w for w in said if w not in ("tell all", "tell all startup", "ascend", "take charge", "kettle-admin", secret)
    ] == ["descend doors", "descend telnet", "shut", "keep"]


async def test_what_was_never_saved_is_found(practice: Practice) -> None:
    own_phrasebook(
        practice,
        (
            "replies: {keep_sure: 'yes'}\n  expect: '^kept as startup'",
            "replies: {keep_sure: 'no'}\n  expect: '^not kept'",
        ),
    )
    run, job = await carried(practice.folder)
    findings = job.board.lines[practice.device].findings.values()
    assert run.proved() == []
    for source, holds in ((Source.RUNNING, True), (Source.STARTUP, False), (Source.AFTER_POWER_CUT, False)):
        own = [f.holds for f in findings if f.source is source and f.setting == "management.address"]
        assert own == [holds], source
    await run.stop()


async def test_a_device_that_nods_and_does_nothing_is_found(practice: Practice) -> None:
    """The phrase is accepted without a word, and the setting is not made."""
    own_phrasebook(practice, ("'suffix {{ value }}'", "'tell names'"))
    run, job = await carried(practice.folder, power_cut=False)
    line = job.board.lines[practice.device]
    assert run.proved() == []
    assert {f.setting for f in line.differing} == {"dns.search"}
    assert line.sentence == "search domain: nothing shown in running, planned kettlestone.example"
    await run.stop()
    done = zinger("handover", practice.folder.path)
    assert done.returncode == 0
    assert "differs" in (practice.folder.handover / "as-built.csv").read_text()


async def test_an_account_with_another_secret_is_found_from_outside(practice: Practice) -> None:
    run, _ = await carried(practice.folder, power_cut=False)
    await run.stop()
    zinger("secret", practice.folder.path, f"{practice.device}/viewer", stdin="another-secret-99\n")
    run, job = await carried(practice.folder, power_cut=False, sends=False)
    wrong = job.board.lines[practice.device].differing
    assert [(f.setting, f.source) for f in wrong] == [("sign-in.signal-view", Source.OUTSIDE)]
    assert "sign-in of signal-view was refused" in wrong[0].evidence and "another-secret" not in wrong[0].evidence
    await run.stop()


async def test_a_held_device_is_told_nothing_until_it_may_go_on(practice: Practice) -> None:
    job = OpenJob(practice.folder)
    run = Run(job, Options(power_cut=False))
    await run.start()
    line, wire = job.board.lines[practice.device], run.carriers[practice.device].wire
    while line.place != "people":
        await asyncio.sleep(0.002)
    wire.hold()
    await asyncio.sleep(0.3)
    held = await practice.heard()
    await asyncio.sleep(0.5)
    assert await practice.heard() == held and wire.held and "held by you" in line.sentence
    wire.go_on()
    await asyncio.wait_for(run.wait(), 30)
    assert run.proved() == [practice.device]
    await run.stop()
