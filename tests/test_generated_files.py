"""Files that are generated from the plan: checked before they go, compared after, and refused as a whole."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import lay_out
from tests.test_real_pages import Bench, laid_out, needs
from tests.test_run import carried
from zinger.phrasebook.load import load_phrasebook, shipped_source
from zinger.phrasebook.source import PhrasebookError
from zinger.proof.findings import Source
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder

DEMO = (resources.files("zinger") / "demo/devices.csv").read_text("utf-8").splitlines(keepends=True)
GATEWAY = DEMO[0] + next(row for row in DEMO if "Marrable V6" in row)
FAST = "pace: 300\n"


async def test_a_file_that_is_refused_leaves_the_one_before_in_force_and_says_its_line(tmp_path: Path) -> None:
    folder = JobFolder(lay_out(tmp_path / "job", devices_csv=GATEWAY, practice_yaml=FAST))
    run, _ = await carried(folder, power_cut=False)
    await run.stop()
    (folder.path / "devices.csv").write_text(GATEWAY.replace(",60,first 40000 last 40399,", ",600,40000-42999,"))
    run, job = await carried(folder, power_cut=False)
    line, refused = job.board.lines["kvr-uk-vg1"], run.carriers["kvr-uk-vg1"].memory.deeds.refused
    await run.stop(end_yard=True)
    assert refused["voice.sessions"].startswith("line 7 of tables.txt, 'calls at once: 600'")
    assert "refused for its line 7 (sessions allowed)" in refused["voice.media"]
    assert line.findings["voice.sessions", Source.RUNNING].read == "60"
    assert line.findings["file.tables", Source.RUNNING].read == "10 lines: 2 not planned, 2 missing"
    assert line.kept["tables.txt, after a refusal"] == (
        "after the refusal the device shows the same 10 lines as before",
    )
    assert "-calls at once: 60" in line.kept["tables.txt, what changes"]


def test_a_line_that_the_file_can_not_hold_stays_out_and_is_owed(job: Callable[..., Path]) -> None:
    text, name = shipped_source("marrable-v6") or ("", "")
    folder = job(devices_csv=GATEWAY)
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks" / name).write_text(text.replace(r"calls at once: \d+|", r"calls at once: \d|"))
    script = OpenJob(JobFolder(folder)).scripts["kvr-uk-vg1"]
    (left,) = [left for left in script.not_sent if left.owed]
    assert (left.setting, left.why) == ("voice.sessions", "'calls at once: 60' is not a line that tables.txt can hold")
    assert "calls at once: 60" not in script.files["tables"].shown


@pytest.mark.parametrize(
    ("wrong", "right", "why"),
    [
        ("'{{ file }}'", "'{{ device }}'", "nothing of it is sent"),
        ("pulled: in_force", "pulled: in_farce", "no reading is called 'in_farce'"),
        ("file: tables, send: 'calls", "file: table, send: 'calls", "no generated file is called 'table'"),
        ("named: tables.txt", "named: ../tables.txt", "is not the name of a file"),
        ("(?P<line>", "(?P<row>", "no group named line"),
        (
            "  settings:\n    voice.profiles:",
            "  settings:\n    hostname: {read: image}\n    voice.profiles:",
            "first part",
        ),
    ],
)
def test_what_is_wrong_with_a_generated_file_is_told_with_its_place(wrong: str, right: str, why: str) -> None:
    text, _ = shipped_source("marrable-v6") or ("", "")
    assert wrong in text
    with pytest.raises(PhrasebookError, match=why):
        load_phrasebook(text.replace(wrong, right), "v6.yaml")


class RulePost(Bench):
    """A program that takes its rules as one text, in one request."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        (folder / "owner").write_text("porter:front-door")

    def starts(self) -> list[str]:
        return [sys.executable, str(Path(__file__).parent / "rule_post.py"), str(self.folder), "10.66.0.2"]


@pytest.fixture
def post(tmp_path: Path) -> Iterator[RulePost]:
    needs()
    (tmp_path / "post").mkdir()
    made = RulePost(tmp_path / "post")
    yield made
    made.end()


POST = """job: A post
mode: live
baseline:
  accounts: {administrator: {name: porter, secret: each device}}
  edge: {forwards: [8443 10.66.0.20 their 443, 5060 10.66.0.30 protocol udp]}
sites: {wj: {subnet: 10.66.0.0/24}}
roles: {post: {short: p}}
"""


def test_a_family_of_somebody_else_takes_its_file_in_one_request(post: RulePost, tmp_path: Path) -> None:
    sheet = "site,role,hostname,family,address,serial\nwj,post,kvr-post,rule-post,10.66.0.2,RP-77\n"
    folder = laid_out(tmp_path / "job", "rule-post", POST, sheet)
    post.switch(True)
    post.is_proved(folder, "run", "--headless")
    assert (
        tmp_path / "post/rules"
    ).read_text() == "open 8443 tcp to 10.66.0.20 443   \nopen 5060 udp to 10.66.0.30 5060   \n"
    (folder / "job.yaml").write_text(POST.replace("8443 10.66.0.20 their 443", "25 10.66.0.20"))
    again = post.zinger("run", str(folder), "--headless", "--hands-done", "--no-power-cut")
    assert "line 2 of rules.txt, 'open 25 tcp to 10.66.0.20 25': error: row 2" in again.stdout, again.stdout
    assert "0 of 1 devices proved" in again.stdout and "8443" in (tmp_path / "post/rules").read_text()
