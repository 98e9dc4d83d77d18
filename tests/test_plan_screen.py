"""The plan in a real terminal: findings, repairs, editing in place, saving, a sheet brought in, a new job."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import lay_out
from tests.terminal import Terminal

pytestmark = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")
MISTAKES = (resources.files("zinger") / "demo" / "mistakes.csv").read_text("utf-8")


def test_a_finding_is_repaired_undone_and_saved(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=MISTAKES)
    term = start(folder, "plan", str(folder))
    term.until("40 devices", "40 errors", "saved", "gateway 10.44.61.1 is not in 10.44.8.0/24", "e edit")
    term.keys("n")
    term.until("wj-sw1", "(over Wheal")
    term.keys("m")
    term.until("Repair: use 10.44.8.1, as Wheal Junction says", "- 10.44.61.1", "+ 10.44.8.1")
    term.keys("y")
    term.until("39 errors", "1 not saved")
    term.keys("u")
    term.until("40 errors", "saved", "taken back")
    term.keys("y")
    term.until("39 errors", "1 not saved")
    assert (folder / "devices.csv").read_text() == MISTAKES
    term.keys("s")
    term.until("39 errors", "saved in job")
    assert (folder / "devices.csv").read_text() == MISTAKES.replace("10.44.61.1", "10.44.8.1")
    (folder / "devices.csv").write_text((folder / "devices.csv").read_text().replace("KVR-cb-sw2", "kvr-cb-sw2"))
    term.until("38 errors", "read again")


def test_a_word_that_is_typed_at_a_list_changes_nothing(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job", devices_csv=MISTAKES)
    term = start(folder, "plan", str(folder))
    term.until("40 devices", "e edit")
    term.keys("n", "m")
    term.until("Repair: use 10.44.8.1")
    term.keys("y")
    term.until("39 errors", "1 not saved")
    for pause in (0.0, 0.12):  # as a program types, and as a person does
        for char in "us":
            term.keys(char)
            time.sleep(pause)
        term.until("looked like typing", "39 errors", "1 not saved")
        time.sleep(0.3)  # nothing comes later either
        term.until("39 errors", "1 not saved")
    term.keys("u")
    term.until("40 errors", "saved", "taken back")


def test_editing_in_place_shows_what_would_change(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder))
    term.until("16 devices", "0 errors", "kvr-wj-sw1")
    term.until("next finding")
    term.keys("Tab", *["Down"] * 6)
    term.keys("e")
    term.until("this device", "role access", "the baseline", " 10.44.8.11/24")
    term.keys("C-u")
    term.keys("-l", "10.44.8.300")
    term.until("is not a valid address; write it like")
    term.keys("C-u")
    term.keys("-l", "10.44.8.12")
    term.until("new: address 10.44.8.12 stands in rows 2 and 3", "1 error")
    term.keys("C-u")
    term.keys("-l", "10.44.8.19")
    term.until("nothing else changes", "0 errors")
    term.keys("Enter")
    term.until("1 not saved", ".19")
    term.keys("C-q")
    term.until("Leave without saving?", "management address of kvr-wj-sw1")
    term.keys("n")
    term.until("1 not saved")


def test_a_selection_is_edited_at_once_and_a_layer_by_tab(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder), columns=160)
    term.until("16 devices", "kvr-wj-sw1")
    term.keys("Space", "Down", "Space")
    term.until("2 selected")
    term.keys("Tab", *["Down"] * 11)
    term.keys("e")
    term.until("these 2 devices")
    term.keys("C-u")
    term.keys("-l", "Signals")
    term.until(" → Signals on 2 devices")
    term.keys("Enter")
    term.gone("these 2 devices")
    term.until("1 not saved", "Signals")
    term.keys("e")
    term.until("these 2 devices")
    term.keys("Tab", "Tab", "C-u")
    term.keys("-l", "Halt")
    term.keys("Enter")
    term.until("2 not saved")
    term.keys("s")
    term.until("saved in job")
    assert (folder / "devices.csv").read_text().count("Signals") == 2
    job = (folder / "job.yaml").read_text()
    assert "    banner: Halt\n" in job and "# The Kettlestone" in job and "# where the sheet names no host" in job
    term.keys("/")
    term.until("Escape clears")
    term.keys("-l", "tarn")
    term.gone("kvr-wj-sw3")
    term.keys("Enter")
    time.sleep(0.5)  # Enter closes the line in its own time, and nothing on the screen tells that it has
    for _ in range(40):
        term.keys("Down")
        if "kvr-uk-br2  Tarn B2" in term.screen():
            break
    term.keys("f")
    term.until("Tarn B2", "give the laptop", "ip address add 192.0.2.", "ip address del 192.0.2.", "netsh", "ifconfig")


def test_welcome_new_job_import_and_its_plan(start: Callable[..., Terminal], tmp_path: Path) -> None:
    sheet = tmp_path / "stations.csv"
    sheet.write_text("Station;Dev name;Dev Type;Mgmt IP;Ordered by\nWheal Junction;sw1;Quern S2;10.44.8.11/24;A\n")
    folder = tmp_path / "new" / "job"
    term = start(tmp_path, "welcome", columns=150)
    term.until("begin", "a new job", "the demo")
    term.keys("n")
    term.until("What it is called")
    term.keys("-l", "Winter")
    term.keys("Enter")
    term.until("Empty takes the folder")
    term.keys("-l", str(folder))
    term.keys("Enter")
    term.until("Enter makes the job")
    term.keys("-l", str(sheet))
    term.keys("Enter")
    term.until("Mgmt IP", "management address", "2 to confirm", "kept as it is", "takes it: 1 new")
    assert not folder.exists()
    term.keys("Down", "Enter")
    term.until("What does 'Dev name' mean?")
    term.keys("-l", "hostname")
    term.until("hostname")
    term.keys("Enter")
    term.until("decided by you", "1 to confirm")
    term.keys("t")
    term.until("1 new, 0 changed", "sw1", "plan  Winter")
    assert "Dev name: hostname" in (folder / "job.yaml").read_text()
    term.keys("i")
    term.until("into job")
    term.keys("-l", str(tmp_path / "nothing.csv"))
    term.keys("Enter")
    term.until("can't be read: No such file")


def test_a_job_from_nothing_gets_a_device_and_its_site(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = tmp_path / "empty"
    term = start(tmp_path, "welcome")
    term.until("a new job")
    term.keys("n")
    term.until("What it is called")
    term.keys("-l", "Empty")
    term.keys("Enter")
    term.until("Empty takes the folder")
    term.keys("-l", str(folder))
    term.keys("Enter")
    term.until("Enter makes the job")
    term.keys("Enter")
    term.until("0 devices", "the sheet has headings but no rows")
    term.keys("+")
    term.until("1 device ", "new1", "its site is missing")
    term.keys("Tab", "Home", "e")
    term.until("Tab, Enter, Esc")
    term.keys("-l", "Wheal Junction")
    term.keys("Enter")
    term.until("no site is called Wheal Junction", "describe it in job.yaml as wj")
    term.keys("n")
    term.keys("m")
    term.until("Repair: describe it in job.yaml as wj")
    term.keys("y")
    term.gone("no site is called")
    term.keys("s")
    term.until("saved in empty")
    assert "    name: Wheal Junction\n" in (folder / "job.yaml").read_text()
    assert (folder / "devices.csv").read_text().endswith("Wheal Junction,,new1,,,,,,\n")


def test_the_same_cell_changed_here_and_outside_is_asked_about(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder))
    term.until("16 devices", "kvr-wj-sw1")
    term.keys("Tab", "e")
    term.until("Tab, Enter, Esc")
    term.keys("C-u")
    term.keys("-l", "kvr-wj-swa")
    term.keys("Enter")
    term.until("1 not saved")
    sheet = folder / "devices.csv"
    sheet.write_text(sheet.read_text().replace("kvr-wj-sw1", "kvr-wj-swb"))
    term.until("Changed here and outside", "kvr-wj-swa", "kvr-wj-swb", "y mine", "n theirs")
    term.keys("n")
    term.until("kvr-wj-swb", "saved")
    assert "kvr-wj-swb" in sheet.read_text() and "kvr-wj-swa" not in sheet.read_text()


def test_a_broken_plan_is_told_and_small_screens_work(start: Callable[..., Terminal], tmp_path: Path) -> None:
    broken = lay_out(tmp_path / "broken", job_yaml="job: [\n")
    term = start(broken, "plan", str(broken))
    term.until("The plan can't be edited", "job.yaml:2: not valid YAML")
    folder = lay_out(tmp_path / "small")
    term = start(folder, "plan", str(folder), columns=80, rows=24)
    term.until("kvr-wj-sw1", "hostname", "addresses", "findings", "e edit")
    term.keys("f")
    term.until("Quern S2", "CONSOLE", "lights")
    term.keys("]")
    term.until("Quern S9", "LEADS green")


def test_devices_are_copied_compared_removed_a_value_lifted_and_a_site_made(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder))
    term.until("16 devices", "kvr-wj-sw1", "next finding")
    term.keys("c")
    term.until("How many devices like kvr-wj-sw1?")
    term.keys("C-u")
    term.keys("-l", "2")
    term.keys("Enter")
    term.until("18 devices", "kvr-wj-sw4", "kvr-wj-sw5", "1 not saved")
    term.keys("u")
    term.until("16 devices")
    term.keys("y")
    term.until("18 devices")
    term.keys("=")
    term.until("Compare kvr-wj-sw1 with which device?")
    term.keys("-l", "sw4")
    term.keys("Enter")
    term.until(" differ, ", " alike", "≠ hostname")
    term.keys("Escape")
    term.until("findings ·")
    term.keys("j")
    term.until("the job", "Wheal Junction", "10.44.8.0/24", "role", "new site")
    term.keys("s")
    term.until("What is the new site called?")
    term.keys("-l", "Open Moor")
    term.keys("Enter")
    term.until("Which subnet has Open Moor?")
    term.keys("-l", "10.44.32.0/24")
    term.keys("Enter")
    term.until("Open Moor", "10.44.32.0/24")
    term.keys("Escape")
    term.until("findings ·")
    term.keys("DC")
    term.until("Remove 1 device from the plan?")
    term.keys("y")
    term.until("17 devices")
    term.keys("s")
    term.until("saved in job")
    assert (
        "kvr-wj-sw1," not in (folder / "devices.csv").read_text() and "Open Moor" in (folder / "job.yaml").read_text()
    )


SECOND = (
    "Name;Family;Role;IP;Serial\nkvr-wj-sw1;Quern S2;acces;10.44.8.21;QS2-0411\n"
    "kvr-wj-new;Quern S2;access;10.44.8.12;QS2-0412\nTotal;2;;;\n"
)


def test_an_imports_rows_are_corrected_answered_and_taken(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    sheet = tmp_path / "second.csv"
    sheet.write_text(SECOND)
    term = start(folder, "plan", str(folder))
    term.until("16 devices", "next finding")
    term.keys("i")
    term.until("into job")
    term.keys("-l", str(sheet))
    term.keys("Enter")
    term.until("2 devices", "access?", "(so the job calls it)", "its serial is that of kvr-wj-sw2", "a sum: 'Total'")
    term.keys("m")
    term.until("1 changed", "1 to be asked", "10.44.8.11", "10.44.8.21")
    term.keys("Tab")
    term.until("correct or answer")
    term.keys("Home", "Enter")
    term.until("Which device is row 3, kvr-wj-new?", "it is another device")
    term.keys("Enter")
    term.until("2 changed", "kvr-wj-new", "14 not in the sheet, kept")
    assert "kvr-wj-new" not in (folder / "devices.csv").read_text()
    term.keys("t")
    term.until("plan  Kettlestone", "kvr-wj-new")
    rows = (folder / "devices.csv").read_text()
    assert "kvr-wj-new,Quern S2,10.44.8.12,QS2-0412" in rows and "kvr-wj-sw1,Quern S2,10.44.8.21,QS2-0411" in rows


def test_what_a_role_says_is_shown_and_edited_in_the_job(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    term = start(folder, "plan", str(folder))
    term.until("16 devices", "next finding")
    term.keys("j")
    term.until("practice: simulated devices only", "role     core")
    term.keys(*["Down"] * 6)
    term.until("what role core says", "spanning-tree priority")
    term.keys("Tab", "Down", "e")
    term.until("ports of role core", "1/1-1/12 access vlan 20")  # a value that is longer than its line is shown
    term.keys("C-u")
    term.keys("-l", "1/1-1/12 acess vlan 20")
    term.keys("Enter")
    term.until("'acess' is not one of")
    term.keys("C-u")
    term.keys("-l", "1/1-1/4 access vlan 30")
    term.keys("Enter")
    term.until("1/1-1/4 access vlan 30", "what role core says")
    term.escape("what role core says")
    term.keys("s")
    term.until("saved in job")
    assert "1/1-1/4" in (folder / "job.yaml").read_text()
