"""The verdict: proved is said of what was sent, shown, used and saved, in every part; all else is owed."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ONE_DEVICE, Practice, zinger
from tests.test_run import carried
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.load import Families, load_family, shipped_families
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Device
from zinger.plan.resolve import resolve
from zinger.plan.revision import revision_of
from zinger.proof.findings import Finding, Source, Verdict
from zinger.proof.outcome import Debt, Deeds, Lacking, State, outcome, settle
from zinger.run.memory import Memory
from zinger.run.openjob import OpenJob
from zinger.script.compile import compile_script
from zinger.script.coverage import coverage, in_markdown, uncovered
from zinger.store import entries
from zinger.store.folder import JobFolder

BOOKS = Path(__file__).parent.parent / "src" / "zinger" / "phrasebook" / "families"
JOB = """\
job: t
baseline:
  accounts: {administrator: ada}
  services: {ssh: on, https: on}
sites: {wj: {subnet: 10.44.8.0/24}}
"""


def planned(family: Phrasebook, **cells: str) -> Device:
    """A device of a family with these cells in its row."""
    if "wireless" in family.rules.sections and len(family.rules.sections) < 4:
        cells = {"wireless.country": "AT", **cells}
    row = {"hostname": "sw1", "site": "wj", "family": family.family, "address": "10.44.8.11", **cells}
    cells_in_quotes = ",".join('"' + cell.replace('"', '""') + '"' for cell in row.values())
    sheet = f"{','.join(row)}\n{cells_in_quotes}\n".encode()
    plan = resolve(read_job(JOB), read_sheet(sheet)[0], {family.family: family.rules})
    assert plan.errors() == (), plan.errors()
    return plan.devices[0]


# -- parts of values ---------------------------------------------------------------------------------
Edit = tuple[str, str]


def edited(family: str, *edits: Edit) -> Phrasebook:
    """A shipped family with something in its text put otherwise, wherever it is found."""
    text = (BOOKS / f"{family}.yaml").read_text()
    for old, new in edits:
        assert old in text, f"{family} has no {old}"
        text = text.replace(old, new)
    book = load_family(text, f"{family}.yaml")[1]
    assert book is not None
    return book


BAND = ("        {{ s.band }}\n", "        all\n")
POLL = "{{ ' every %d s' % server.poll if server.poll }}"
OWED_PARTS: list[tuple[str, list[Edit], dict[str, str], str, list[str], list[str]]] = [
    ("quern-s2", [], {"ntp servers": "10.44.8.22 preferred poll 256 s"}, "ntp.servers", [], []),
    ("quern-s2", [(POLL, "")], {"ntp servers": "10.44.8.22 poll 64 s"}, "ntp.servers", ["poll of 10.44.8.22"], []),
    (
        "marrable-v6",
        [],
        {"syslog": "10.44.8.24 port 6514"},
        "syslog.servers",
        ["port of 10.44.8.24"],
        ["port of 10.44.8.24"],
    ),
    ("sallow-w5", [], {"ssids": "staff psk secret wifi vlan 20 band 5"}, "wireless.ssids", [], []),
    ("sallow-w5", [BAND], {"ssids": "staff open band 5"}, "wireless.ssids", ["band of staff"], []),
    ("quern-s2", [("'rename {{ value }}'", "rename sw1")], {}, "hostname", ["value"], []),
    (
        "quern-s2",
        [("read: suffix", "read: suffix, shows: a.example")],
        {"domain": "a.example"},
        "dns.search",
        [],
        ["value"],
    ),
    (
        "quern-s2",
        [("summer {{ value | flag }}", "summer {% if value %}on{% else %}on{% endif %}")],
        {"dst": "on"},
        "clock.summer",
        ["value"],
        [],
    ),
]


@pytest.mark.parametrize(("family", "edits", "cells", "setting", "unsent", "unshown"), OWED_PARTS)
def test_a_part_that_no_template_touches_is_named(
    family: str, edits: list[Edit], cells: dict[str, str], setting: str, unsent: list[str], unshown: list[str]
) -> None:
    book = edited(family, *edits)
    script = compile_script(
        planned(book, **{"daylight saving" if k == "dst" else k: v for k, v in cells.items()}), book
    )
    step = next(step for step in script.steps if step.setting == setting)
    assert [str(part) for part in step.unsent] == unsent
    assert [str(part) for part in step.unshown] == unshown


ONE_FOR_ALL = ("source {{ server.host }}", "source {{ value | map(attribute='poll') | same }} {{ server.host }}")


@pytest.mark.parametrize(
    ("family", "edits", "cells", "why"),
    [
        (
            "sallow-w5",
            [(", '802.1x': '802.1x'", "")],
            {"ssids": "staff 802.1x", "radius": "10.44.8.26 secret radius"},
            "it has no word for 802.1x; it knows open, psk",
        ),
        (
            "quern-s2",
            [ONE_FOR_ALL],
            {"ntp servers": "10.44.8.22 poll 256 s; 10.44.8.23 poll 64 s"},
            "it takes one for all",
        ),
    ],
)
def test_what_the_family_has_no_words_for_is_never_written_as_something_else(
    family: str, edits: list[Edit], cells: dict[str, str], why: str
) -> None:
    book = edited(family, *edits)
    script = compile_script(planned(book, **cells), book)
    assert any(why in left_out.why and left_out.owed for left_out in script.not_sent), script.not_sent


def test_a_choice_that_is_written_like_another_is_owed() -> None:
    """The template looks at the part and writes the same for two of its values."""
    exact = " | in_words({'open': 'open', 'psk': 'key', '802.1x': '802.1x'})"
    book = edited("sallow-w5", (f"security{exact}", "security == 'open'"))
    script = compile_script(planned(book, ssids="staff psk secret wifi"), book)
    step = next(step for step in script.steps if step.setting == "wireless.ssids")
    for parts in (step.unsent, step.unshown):
        assert [(str(part), part.like) for part in parts] == [("security of staff", "802.1x")]


def test_what_only_the_undo_uses_is_not_sent() -> None:
    undo = "undo: '{% for s in value %}receiver none {{ s.port }}{% endfor %}'"
    port = ("{{ ' port %d' % log.port if log.port }}", "")
    book = edited("quern-s2", ("undo: receiver none", undo), port)
    script = compile_script(planned(book, syslog="10.44.8.24 port 6514"), book)
    step = next(step for step in script.steps if step.setting == "syslog.servers")
    assert step.undo == "receiver none 6514" and [str(part) for part in step.unsent] == ["port of 10.44.8.24"]


def test_no_shipped_family_has_a_setting_whose_parts_could_not_be_examined() -> None:
    assert [row for book in Families().books.values() for row in coverage(book) if row.unfilled] == []


def test_a_family_says_which_parts_it_neither_sends_nor_shows() -> None:
    book = shipped_families()["marrable-v6"]
    rows = {row.setting: row for row in coverage(book)}
    assert (
        rows["syslog.servers"].unsent
        == rows["syslog.servers"].unshown
        == ("port", "transport", "severity", "preference")
    )
    assert rows["hostname"].words == "sent, shown" and rows["edge.rules"].words == "not for this kind"
    assert rows["update.image"].words == "only looked at" and rows["voice.legs"].words == "sent, shown"
    told = [f"{problem.spot.key} {problem.id}" for problem in uncovered(book, "marrable-v6.yaml")]
    assert "settings.syslog.servers part-not-sent" in told and "settings.hostname part-not-shown" not in told


def test_a_family_says_that_a_step_ignores_its_value() -> None:
    book = edited("quern-s2", ("send: 'rename {{ value }}'", "send: 'rename left'"))
    row = next(row for row in coverage(book) if row.setting == "hostname")
    assert row.unsent == ("value",) and row.unshown == ()


def test_the_table_of_families_is_that_of_the_code_and_leaves_nothing_blank() -> None:
    table = (Path(__file__).parent.parent / "docs" / "families.md").read_text()
    assert table == in_markdown(Families().books), "run `make docs`"
    assert "| |" not in table and "|  |" not in table


# -- what comes of it ----------------------------------------------------------------------------------
def found(setting: str, verdict: Verdict = Verdict.HOLDS, source: Source = Source.STARTUP) -> Finding:
    return Finding("sw1", setting, setting, source, "a", "b", "line", verdict)


OWED = Debt("syslog.servers", Lacking.NOT_SHOWN, "port: no reading shows it")


@pytest.mark.parametrize(
    ("findings", "debts", "accepted", "state", "words"),
    [
        ([found("banner")], [], {}, State.PROVED, ""),
        ([found("banner")], [OWED], {}, State.CONFIGURED, "owes 1 thing: syslog receivers not shown"),
        ([found("banner")], [OWED], {"syslog.servers": "seen at the receiver"}, State.PROVED, "but for 1 accepted"),
        ([found("banner", Verdict.DIFFERS)], [], {}, State.DIFFERS, "banner reads back b, planned a"),
        ([found("banner", Verdict.ABSENT)], [], {}, State.DIFFERS, "banner: nothing shown in startup, planned a"),
        ([found("banner", Verdict.DIFFERS)], [], {"banner": "as it is"}, State.PROVED, "but for 1 accepted"),
        ([], [Debt("hostname", Lacking.NOT_SENT, "x")], {"hostname": "no"}, State.CONFIGURED, "owes 1 thing: hostname"),
    ],
)
def test_the_worst_decides_and_what_was_accepted_is_counted(
    findings: list[Finding], debts: list[Debt], accepted: dict[str, str], state: State, words: str
) -> None:
    came = settle(findings, debts, accepted)
    assert came.state is state and came.sentence.startswith(words), came.sentence


def test_what_was_refused_untried_unsaved_or_never_seen_again_is_owed(quern: Phrasebook) -> None:
    script = compile_script(planned(quern), quern)
    seen = [found(step.setting, source=source) for step in script.steps for source in (Source.RUNNING, Source.STARTUP)]
    tried = [*seen, found("sign-in.ada", source=Source.OUTSIDE)]
    assert outcome(script, tried, (), Deeds()).state is State.PROVED

    def owed(findings: list[Finding], missing: Any = (), deeds: Deeds = Deeds()) -> list[tuple[str, Lacking]]:
        return [(debt.setting, debt.lacking) for debt in outcome(script, findings, missing, deeds).owed]

    assert owed(seen) == [("accounts.administrator", Lacking.NOT_TRIED)], "a name in a list proves no password"
    assert owed(tried, deeds=Deeds(refused={"hostname": "no"})) == [("hostname", Lacking.REFUSED)]
    assert owed(tried, deeds=Deeds(unsaved=True)) == [("save", Lacking.NOT_SAVED)]
    assert owed(tried, [("hostname", Source.AFTER_POWER_CUT)]) == [("hostname", Lacking.NOT_SEEN)]
    only_running = [finding for finding in tried if finding.source is not Source.STARTUP]
    assert owed(only_running) == [("survival", Lacking.NOT_SEEN)]


SENT = [entries.RunBegan(), entries.WillSend("hostname", "rename sw1"), entries.WasSent("hostname")]


@pytest.mark.parametrize(
    ("events", "unsaved"),
    [
        ([entries.RunBegan()], False),
        (SENT, True),
        ([*SENT, entries.WillSend("save", "keep", changes=False), entries.WasRefused("save", "no room")], True),
        ([*SENT, entries.WillSend("save", "keep", changes=False), entries.WasSent("save"), entries.Saved()], False),
        ([*SENT, entries.Saved(), entries.PersonActed("took the wire")], True),
        (
            [entries.WillSend("hostname", "x"), entries.RunBegan()],
            True,
        ),  # killed in between: carried out, for all we know
        ([entries.Renewed("installer", "sw1/factory account")], True),
    ],
)
def test_saving_is_owed_across_runs_until_a_save_succeeds(events: list[entries.Happened], unsaved: bool) -> None:
    memory = Memory()
    for event in events:
        memory.take_in(event, "sw1", 0.0)
    assert memory.unsaved is unsaved


def test_what_was_found_of_another_box_counts_no_more() -> None:
    memory = Memory()
    held = entries.Found.of(found("banner", source=Source.AFTER_POWER_CUT))
    for event in (entries.Met("QS2-0411", ""), held, entries.Met("QS2-0411", "02-4b-56-10-33-01")):
        memory.take_in(event, "sw1", 0.0)
    assert memory.findings and not memory.unsaved, "the same box, of which more is known"
    memory.take_in(entries.Met("QS2-0999", "02-4b-56-10-33-99"), "sw1", 0.0)
    assert not memory.findings and memory.unsaved


def test_a_proof_is_of_a_revision_of_the_plan(quern: Phrasebook) -> None:
    before = planned(quern, banner="one")
    assert revision_of(before) == revision_of(planned(quern, banner="one"))
    assert revision_of(before) != revision_of(planned(quern, banner="two"))
    assert revision_of(before) != revision_of(planned(quern, serial="QS2-0412", banner="one"))


# -- whole ways ----------------------------------------------------------------------------------------
BROKEN = {
    "a step that does something else": ("send: 'rename {{ value }}'", "send: tell names", "hostname"),
    "a reading that is missing": ("    read: receiver\n", "", "syslog.servers"),
    "a step that the device refuses": ("send: 'greet", "send: 'greeet", "banner"),
    "a save that is none": (
        "  send: keep\n  replies: {keep_sure: 'yes'}\n  expect: '^kept as startup'",
        "  send: tell names",
        "",
    ),
}


@pytest.mark.parametrize("way", BROKEN)
async def test_a_phrasebook_that_is_wrong_never_makes_a_device_proved(practice: Practice, way: str) -> None:
    """One step, reading or save of the family is broken; the device's own state agrees with the verdict."""
    old, new, setting = BROKEN[way]
    text = (BOOKS / "quern-s2.yaml").read_text()
    assert old in text, f"the family has no {old}"
    (practice.folder.path / "phrasebooks").mkdir()
    (practice.folder.path / "phrasebooks" / "quern-s2.yaml").write_text(text.replace(old, new, 1))
    run, _ = await carried(JobFolder(practice.folder.path), power_cut=False)
    came = run.carriers[practice.device].owed.outcome()
    assert run.proved() == [] and came.state is not State.PROVED
    named = {finding.setting for finding in came.differing} | {debt.setting for debt in came.owed}
    assert setting in named if setting else named, named
    state = await practice.yard.ask("state", device=practice.device)
    if way == "a save that is none":
        assert not state["saved"]
    await run.stop()


def test_what_is_owed_is_accepted_with_a_reason_and_taken_back(job: Callable[..., Path]) -> None:
    text = (BOOKS / "quern-s2.yaml").read_text().replace("    read: receiver\n", "", 1)
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n")
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks" / "quern-s2.yaml").write_text(text)
    early = zinger("accept", folder, "kvr-wj-sw1", "syslog.servers", "--why", "x")
    assert early.returncode == 2 and "Run it first" in early.stderr
    first = zinger("run", folder, "--headless", "--no-power-cut")
    assert first.returncode == 1 and "owed       syslog.servers: not shown" in first.stdout
    wrong = zinger("accept", folder, "kvr-wj-sw1", "banner", "--why", "x")
    assert wrong.returncode == 2 and "neither different nor owed" in wrong.stderr and "syslog.servers" in wrong.stderr
    taken = zinger("accept", folder, "kvr-wj-sw1", "syslog.servers", "--why", "seen at the receiver")
    assert taken.stdout == "kvr-wj-sw1: proved, but for 1 accepted\n"
    assert (
        OpenJob(JobFolder(folder)).board.lines["kvr-wj-sw1"].sentence.endswith("but for 1 accepted, in an earlier run")
    )
    assert zinger("handover", folder).returncode == 0
    mail = (folder / "handover" / "mail.txt").read_text().splitlines()[0]
    assert mail.endswith("1 of 1 device proved, 1 of them but for what was accepted"), mail
    again = zinger("run", folder, "--headless", "--no-power-cut", "--json")
    device = json.loads(again.stdout)["devices"][0]
    assert again.returncode == 0 and device["accepted"] == {"syslog.servers": "seen at the receiver"}
    third = zinger("run", folder, "--headless", "--no-power-cut").stdout
    assert third.endswith("1 of 1 devices proved, 1 of them but for what was accepted\n"), third
    back = zinger("accept", folder, "kvr-wj-sw1", "syslog.servers", "--why", "")
    assert "configured · owes 1 thing" in back.stdout
    sheet = ONE_DEVICE.replace("10.44.8.11", "10.44.8.15")
    (folder / "devices.csv").write_text(sheet)
    assert "plan changed" in OpenJob(JobFolder(folder)).board.lines["kvr-wj-sw1"].sentence


async def test_an_administrator_with_the_factory_accounts_name_has_one_password(practice: Practice) -> None:
    """The forced change and the plan mean the same account: what it was changed to is what signs in afterwards."""
    text = (practice.folder.path / "job.yaml").read_text()
    assert "name: kettle-admin" in text
    (practice.folder.path / "job.yaml").write_text(text.replace("name: kettle-admin", "name: installer"))
    run, job = await carried(JobFolder(practice.folder.path), power_cut=False)
    line = job.board.lines[practice.device]
    assert run.proved() == [practice.device], (line.sentence, [f.evidence for f in line.differing])
    assert line.findings["sign-in.installer", Source.OUTSIDE].holds
    state = await practice.yard.ask("state", device=practice.device)
    assert state["running"]["people"] == {"installer": "keeper", "signal-view": "watcher"}
    await run.stop()
