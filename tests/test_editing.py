"""Editing in place: what is not touched stays letter by letter; undo, merging with changes from outside, saving."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import lay_out
from zinger.desk import jobparts
from zinger.desk.editing import Desk
from zinger.files import FileError
from zinger.phrasebook.load import Families
from zinger.plan.files.documents import JobDocument
from zinger.plan.files.editing import Edits, Files
from zinger.plan.files.sheetdocs import open_sheet
from zinger.plan.problems import Change
from zinger.store.folder import ChangedOutside, JobFolder

RULES = Families().rules
SHEET = (
    'site;"host name";family;address;"what; for"\r\n'
    'wj;sw1;Quern S2;10.44.8.11;"the ""old"" one"\r\n\r\n'
    "wj;sw2;Quern S2;10.44.8.12;\r\n"
).encode("cp1252")
JOB = """\
# the winter job
job:   "Winter"      # quoted, oddly spaced
baseline:
    idle: {timeout: 10 min}    # as the rules want
    dns:
        servers:
        - 10.44.8.20     # the old one
        - 10.44.8.21
sites:
    wj: {name: Wheal Junction, subnet: 10.44.8.0/24}
"""


def test_a_cell_of_a_csv_changes_and_nothing_else_does() -> None:
    sheet = open_sheet(SHEET, "devices.csv", {})
    sheet.set(4, "management.address", "10.44.8.22")
    assert sheet.dump() == SHEET.replace(b"8.12", b"8.22")
    sheet.set(4, "management.address", "10.44.8.12")
    assert sheet.dump() == SHEET
    sheet.set(2, "management.gateway", "10.44.8.1")
    lines = sheet.dump().decode("cp1252").split("\r\n")
    assert lines[0].endswith(";gateway") and lines[1].endswith(";10.44.8.1") and lines[3].endswith(";")
    assert '"the ""old"" one"' in lines[1]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.sampled_from([2, 4]),
            st.sampled_from(["management.address", "hostname", "label", "domain"]),
            st.none() | st.text(st.sampled_from('ab;", 1'), min_size=1, max_size=5).map(str.strip).filter(bool),
        ),
        max_size=8,
    )
)
def test_any_edits_are_read_back_and_undone_to_the_byte(changes: list[tuple[int, str, str | None]]) -> None:
    files = Files(JOB, SHEET, "devices.csv")
    edits = Edits(files)
    wanted: dict[tuple[int, str], str | None] = {}
    for row, meaning, text in changes:
        edits.make([Change((meaning,), text, row)], "an edit")
        wanted[row, meaning] = text
    again = open_sheet(edits.files.sheet, "devices.csv", {})
    assert {key: again.get(*key) for key in wanted} == wanted
    made = edits.files
    while edits.undo():
        pass
    assert edits.files == files
    while edits.redo():
        pass
    assert edits.files == made


def test_job_yaml_keeps_comments_order_and_its_own_way_of_writing() -> None:
    job = JobDocument(JOB)
    job.set(("baseline", "idle", "timeout"), "5 min")
    assert job.dump().replace("}     #", "}    #") == JOB.replace("10 min", "5 min")  # a comment keeps its column
    job.set(("baseline", "management", "stations"), "10.44.0.0/16")
    job.set(("sites", "wj", "subnet"), None)
    empty = JobDocument("job: x\nsites:\n  # none yet\nroles:\n")
    empty.set(("sites", "wj", "name"), "Wheal Junction")
    assert JobDocument(empty.dump()).get(("sites", "wj", "name")) == "Wheal Junction"
    text = job.dump()
    for kept in ("# the winter job", '"Winter"      # quoted, oddly spaced', "# as the rules want", "# the old one"):
        assert kept in text, text
    assert JobDocument(text).get(("baseline", "management", "stations")) == "10.44.0.0/16" and "subnet" not in text


def test_yaml_json_and_workbook_sheets_are_changed_in_place() -> None:
    yaml = b"# ours\n- hostname: sw1   # the first\n  management: {address: 10.44.8.11}\n"
    sheet = open_sheet(yaml, "devices.yaml", {})
    sheet.set(2, "management.address", "10.44.8.12")
    assert sheet.dump() == yaml.replace(b"8.11", b"8.12")
    json = open_sheet(b'[{"hostname": "sw1", "x": 1}]', "devices.json", {})
    json.set(1, "hostname", "sw2")
    assert b'"hostname": "sw2"' in json.dump() and b'"x": 1' in json.dump()
    book = openpyxl.Workbook()
    book.active.append(["hostname", "family"])
    book.active.append(["sw1", "Quern S2"])
    book.create_sheet("notes").append(["keep me"])
    out = io.BytesIO()
    book.save(out)
    workbook = open_sheet(out.getvalue(), "devices.xlsx", {})
    workbook.set(2, "hostname", "sw2")
    workbook.set(2, "label", "K1")
    made = openpyxl.load_workbook(io.BytesIO(workbook.dump()))
    assert [c.value for c in made["Sheet"][2]] == ["sw2", "Quern S2", "K1"] and made["notes"]["A1"].value == "keep me"


def edited(files: Files) -> Edits:
    edits = Edits(files)
    edits.make(
        [Change(("management.address",), "10.44.8.50", 4), Change(("baseline", "idle", "timeout"), "7 min")], "mine"
    )
    return edits


def test_what_others_changed_elsewhere_is_merged_even_when_rows_moved() -> None:
    files = Files(JOB, SHEET, "devices.csv")
    lines = SHEET.split(b"\r\n")
    outside = Files(
        JOB.replace("8.21", "8.29"), b"\r\n".join([lines[0], b"wj;new;Quern S2;10.44.8.9;", *lines[1:]]), "devices.csv"
    )
    edits = edited(files)
    assert edits.merge(outside) == []
    assert b"sw2;Quern S2;10.44.8.50" in edits.files.sheet and b"wj;new;" in edits.files.sheet
    assert "7 min" in edits.files.job and "8.29" in edits.files.job
    assert len(edits.unsaved) == 1


def test_the_same_place_changed_twice_is_asked_about_and_never_overwritten() -> None:
    edits = edited(Files(JOB, SHEET, "devices.csv"))
    outside = Files(JOB, SHEET.replace(b"8.12", b"8.77"), "devices.csv")
    (conflict,) = edits.merge(outside)
    assert conflict.theirs == "10.44.8.77" and conflict.change.text == "10.44.8.50"
    assert b"8.50" in edits.files.sheet and b"8.77" not in edits.files.sheet
    assert edits.merge(outside, ours=True) == [] and b"8.50" in edits.files.sheet


@pytest.fixture
def desk(job: Callable[..., Path]) -> Desk:
    return Desk(JobFolder(job()), RULES, {})


def test_the_desk_saves_whole_merges_and_refuses_to_overwrite(desk: Desk) -> None:
    folder = desk.folder
    sheet = folder.path / "devices.csv"
    device = desk.plan.device("kvr-wj-sw1")
    desk.make(
        desk.changes([device], "management.gateway", "10.44.8.9", desk.targets([device], "management.gateway")[0]), "x"
    )
    assert desk.resolved().device("kvr-wj-sw1").values["management.gateway"].shown == "10.44.8.9"
    sheet.write_text(sheet.read_text().replace("signal box", "lamp room"))
    assert desk.save() == []
    assert "lamp room" in sheet.read_text() and "10.44.8.9" in sheet.read_text()
    assert not list(folder.path.glob("*.new")) and desk.edits.unsaved == []
    before = folder.files()
    sheet.write_text(sheet.read_text() + "\n")
    with pytest.raises(ChangedOutside):
        folder.write(before, before)


def test_a_value_that_is_written_where_it_held_already_changes_no_finding(desk: Desk) -> None:
    assert desk.plan.problems, "there is something that could come and go"
    for device in desk.plan.devices:
        for setting in ("dns.servers", "banner", "management.vlan"):
            here = desk.targets([device], setting)[0]
            after = desk.tried(desk.changes([device], setting, desk.text(device, setting), here))
            assert set(after.problems) == set(desk.plan.problems), (device.name, setting)


def test_a_full_disk_leaves_the_files_as_they_were(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    before = desk.folder.files()
    device = desk.plan.device("kvr-wj-sw1")
    desk.make(desk.changes([device], "banner", "Hello", desk.targets([device], "banner")[0]), "x")
    monkeypatch.setattr("os.fsync", lambda _: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(FileError, match="is as it was before"):
        desk.save()
    assert desk.folder.files() == before and desk.edits.unsaved == ["x"]


def test_a_new_row_is_added_undone_and_survives_a_merge(desk: Desk) -> None:
    site = desk.plan.sites[1]
    desk.add(site, desk.plan.device("kvr-wj-sw1"))
    assert [d.name for d in desk.resolved().devices][-1] == "kvr-cb-sw1" and len(desk.plan.devices) == 17
    desk.undo()
    assert len(desk.resolved().devices) == 16
    desk.redo()
    sheet = desk.folder.path / "devices.csv"
    sheet.write_text(sheet.read_text().replace("signal box", "lamp room"))
    assert desk.look_outside() == (True, []) and len(desk.resolved().devices) == 17
    assert desk.plan.device("kvr-wj-sw1").location == "lamp room"


def test_a_row_is_removed_put_back_and_its_neighbours_keep_their_numbers() -> None:
    edits = Edits(Files(JOB, SHEET, "devices.csv"))
    edits.remove_rows([2], "sw1 removed")
    assert b"sw1" not in edits.files.sheet and edits.unsaved == ["sw1 removed"]
    (device,) = edits.numbered.plan(RULES).devices
    assert (device.name, device.spot.line) == ("sw2", 4)
    edits.make([Change(("management.address",), "10.44.8.99", 4)], "moved")
    assert edits.files.sheet == b'site;"host name";family;address;"what; for"\r\n\r\nwj;sw2;Quern S2;10.44.8.99;\r\n'
    outside = Files(JOB, SHEET + b"wj;sw3;Quern S2;10.44.8.13;\r\n", "devices.csv")
    assert edits.merge(outside) == [] and [d.name for d in edits.numbered.plan(RULES).devices] == ["sw2", "sw3"]
    edits.undo()
    assert [d.name for d in edits.numbered.plan(RULES).devices] == ["sw1", "sw2", "sw3"]
    edits.redo()
    assert b"sw1" not in edits.files.sheet
    with pytest.raises(KeyError):
        edits.remove_rows([2], "again")


def workbook(*rows: list[str]) -> bytes:
    book = openpyxl.Workbook()
    book.active.title = "wj"
    for row in rows:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "sheet"),
    [
        ("devices.csv", b"hostname,site,family,address\nsw1,wj,Quern S2,10.44.8.11\nsw2,wj,Quern S2,10.44.8.12\n"),
        (
            "devices.yaml",
            b"# ours\n- hostname: sw1   # the first\n  site: wj\n  family: Quern S2\n  address: 10.44.8.11\n"
            b"- {hostname: sw2, site: wj, family: Quern S2, address: 10.44.8.12}\n",
        ),
        (
            "devices.yaml",
            b"devices:\n  sw1: {site: wj, family: Quern S2, management: {address: 10.44.8.11}}\n"
            b"  sw2: {site: wj, family: Quern S2, management: {address: 10.44.8.12}}\n",
        ),
        (
            "devices.json",
            b'[\n  {\n    "hostname": "sw1",\n    "site": "wj",\n    "family": "Quern S2",\n'
            b'    "address": "10.44.8.11"\n  },\n  {\n    "hostname": "sw2",\n    "site": "wj",\n'
            b'    "family": "Quern S2",\n    "address": "10.44.8.12"\n  }\n]\n',
        ),
        (
            "devices.xlsx",
            workbook(
                ["hostname", "site", "family", "address"],
                ["sw1", "wj", "Quern S2", "10.44.8.11"],
                ["sw2", "wj", "Quern S2", "10.44.8.12"],
            ),
        ),
    ],
)
def test_rows_of_every_kind_of_sheet_are_changed_copied_removed_and_put_back(
    name: str, sheet: bytes, tmp_path: Path
) -> None:
    (tmp_path / "job.yaml").write_text(JOB + f"devices: {name}\n")
    (tmp_path / name).write_bytes(sheet)
    desk = Desk(JobFolder(tmp_path), RULES, {})

    def devices() -> list[tuple[str, str, object]]:
        found = desk.resolved().devices
        return [(d.name, str(d.address), d.values["idle.timeout"].value) for d in found]

    before = devices()
    for device, idle in (("sw1", "5 min"), ("sw2", "6 min")):  # the first one's makes the lines below it move
        (row,) = [d.spot.line for d in desk.plan.devices if d.name == device]
        desk.make([Change(("idle.timeout",), idle, row)], device)
        desk.resolved()
    desk.copy(desk.plan.device("sw2"), 2)
    assert devices() == [
        ("sw1", "10.44.8.11/24", 5),
        ("sw2", "10.44.8.12/24", 6),
        ("sw3", "10.44.8.13/24", 6),
        ("sw4", "10.44.8.14/24", 6),
    ]
    desk.remove([desk.plan.device("sw1"), desk.plan.device("sw3")])
    desk.resolved()
    (row,) = [d.spot.line for d in desk.plan.devices if d.name == "sw4"]
    desk.make([Change(("idle.timeout",), "7 min", row)], "sw4")
    after = [("sw2", "10.44.8.12/24", 6), ("sw4", "10.44.8.14/24", 7)]
    assert devices() == after
    again = Desk(JobFolder(tmp_path), RULES, {})
    desk.save()
    assert devices() == after and [d.name for d in again.resolved().devices] == ["sw1", "sw2"]
    assert [d.name for d in Desk(JobFolder(tmp_path), RULES, {}).plan.devices] == ["sw2", "sw4"]
    again.make([Change(("idle.timeout",), "5 min", again.plan.devices[0].spot.line)], "one")
    again.copy(again.plan.device("sw1"), 1)
    again.remove([again.resolved().device("sw2")])
    while again.undo():
        pass
    assert [(d.name, str(d.address)) for d in again.resolved().devices] == [one[:2] for one in before]
    if name != "devices.xlsx":
        assert again.edits.files.sheet == sheet


def desk_with(tmp_path: Path, rows: str, job: str = JOB) -> Desk:
    (tmp_path / "job.yaml").write_text(job)
    (tmp_path / "devices.csv").write_text("site,role,hostname,family,address,serial,idle timeout,remarks\n" + rows)
    return Desk(JobFolder(tmp_path), RULES, {})


def test_a_device_is_copied_with_counted_names_and_free_addresses(tmp_path: Path) -> None:
    desk = desk_with(tmp_path, "wj,a,sw08,Quern S2,10.44.8.11,A1,5 min,mine\nwj,a,sw10,Quern S2,10.44.8.13,A2,,\n")
    desk.copy(desk.resolved().device("sw08"), 3)
    made = desk.resolved().devices[2:]
    assert [(d.name, str(d.address), d.serial, d.role) for d in made] == [
        ("sw09", "10.44.8.12/24", "", "a"),
        ("sw11", "10.44.8.14/24", "", "a"),
        ("sw12", "10.44.8.15/24", "", "a"),
    ]
    assert b"sw12,Quern S2,10.44.8.15,,5 min,mine" in desk.edits.files.sheet
    desk.remove([made[0]])
    assert [d.name for d in desk.resolved().devices] == ["sw08", "sw10", "sw11", "sw12"]
    desk.save()
    assert b"sw09" not in (tmp_path / "devices.csv").read_bytes()


def test_whoever_calls_a_device_by_its_name_goes_on_to(tmp_path: Path) -> None:
    lay_out(tmp_path / "job")
    desk = Desk(JobFolder(tmp_path / "job"), RULES, {})
    core = desk.plan.device("kvr-wj-cs1")
    changes = desk.changes([core], "hostname", "core", desk.targets([core], "hostname")[0])
    assert [change.text for change in changes] == [
        "core", "23-24 core their 2/11-2/12", "24 core their 2/13", "24 core their 2/14"
    ]  # fmt: skip
    desk.make(changes, "renamed")
    assert not [p for p in desk.resolved().problems if "not in the plan" in str(p)]
    desk.undo()
    assert not desk.edits.unsaved, "one step"
    desk.write_row("kvr-uk-br1", {"hostname": "mast"}, "as shown")
    sheet = (tmp_path / "job" / "devices.csv").read_text()
    assert "mast,Tarn B2" in sheet and ",mast station channel 100" in sheet and "kvr-uk-br1" not in sheet


def test_a_value_is_lifted_to_a_layer_or_dropped_for_that_of_one(tmp_path: Path) -> None:
    job = JOB + "roles: {a: {}}\n"
    rows = "".join(f"wj,a,sw{n},Quern S2,10.44.8.1{n},A{n},{idle},\n" for n, idle in ((1, 5), (2, 5), (3, ""), (4, 7)))
    desk = desk_with(tmp_path, rows, job)
    moves = desk.moves(desk.plan.device("sw1"), "idle.timeout")
    assert [move.words for move in moves] == [
        "lift it to role a, for 2 devices that say the same; 1 that says nothing gets it too",
        "lift it to Wheal Junction, for 2 devices that say the same; 1 that says nothing gets it too",
        "lift it to the baseline, for 2 devices that say the same; 1 that says nothing gets it too",
        "drop it here: baseline says 10 min",
    ]
    desk.make(moves[0].changes, "lifted")
    after = desk.resolved()
    assert [d.values["idle.timeout"].value for d in after.devices] == [5, 5, 5, 7]
    assert after.device("sw1").values["idle.timeout"].origin.label == "role a"
    desk.undo()
    desk.make(desk.moves(desk.resolved().device("sw4"), "idle.timeout")[-1].changes, "dropped")
    assert desk.resolved().device("sw4").values["idle.timeout"].value == 10


def test_sites_and_roles_are_made_renamed_and_removed_as_steps(tmp_path: Path) -> None:
    job = JOB + "roles: {a: {idle: {timeout: 5 min}, dns: {servers: [10.44.8.30, 10.44.8.31]}}}\n"
    desk = desk_with(tmp_path, "wj,a,sw1,Quern S2,10.44.8.11,A1,,\n", job)

    def text() -> str:
        return desk.edits.files.job

    baseline, site, role = jobparts.parts_of(text(), desk.plan)
    assert baseline.settings == (("idle.timeout", "10 min"), ("dns.servers", "10.44.8.20; 10.44.8.21"))
    assert (site.name, site.subnet, site.devices) == ("Wheal Junction", "10.44.8.0/24", 1)
    assert (role.name, role.settings, role.devices) == (
        "a",
        (("idle.timeout", "5 min"), ("dns.servers", "10.44.8.30; 10.44.8.31")),
        1,
    )
    desk.make(jobparts.renamed(text(), desk.plan, role, "access"), "renamed")
    desk.make(jobparts.renamed(text(), desk.resolved(), site, "Upper Kettle"), "renamed")
    desk.make(jobparts.new_site(text(), "Corbel Bridge", "10.44.16.0/24"), "made")
    desk.make(jobparts.new_role(text(), "core"), "made")
    plan = desk.resolved()
    (device,) = plan.devices
    assert (device.role, device.site.name, plan.errors()) == ("access", "Upper Kettle", desk.plan.errors())
    assert device.values["idle.timeout"].value == 5 and len(device.values["dns.servers"].value) == 2  # type: ignore[arg-type]
    assert [(p.kind, p.name) for p in jobparts.parts_of(text(), plan)[1:]] == [
        ("site", "Upper Kettle"),
        ("site", "Corbel Bridge"),
        ("role", "access"),
        ("role", "core"),
    ]
    parts = jobparts.parts_of(text(), plan)[1:]
    with pytest.raises(ValueError, match="1 device has the role access"):
        jobparts.removed(parts[2])
    for name, words in (("corbel bridge", "already"), (" ", "needs a name"), ("a\x1bb", "U\\+001B")):
        with pytest.raises(ValueError, match=words):
            jobparts.new_site(text(), name, "")
    desk.make(jobparts.removed(parts[3]), "removed")
    assert "core" not in text()
    while desk.undo():
        pass
    assert text() == job


def test_a_role_is_a_template_made_of_a_device_copied_and_edited(tmp_path: Path) -> None:
    rows = "wj,,sw1,Quern S2,10.44.8.11,A1,5 min,mine\nwj,desks,sw2,Quern S2,10.44.8.12,A2,,\n"
    desk = desk_with(tmp_path, rows)
    desk.make(desk.as_role(desk.plan.device("sw1"), "desks"), "saved as a role")
    plan = desk.resolved()
    assert [(d.role, d.values["idle.timeout"].origin.label) for d in plan.devices] == [("desks", "role desks")] * 2
    assert b"wj,desks,sw1,Quern S2,10.44.8.11,A1,,mine" in desk.edits.files.sheet
    *_, role = jobparts.parts_of(desk.edits.files.job, plan)
    assert (role.settings, role.devices) == ((("idle.timeout", "5 min"),), 2)
    desk.make(jobparts.copied(desk.edits.files.job, role, "signals"), "copied")
    *_, other = jobparts.parts_of(desk.edits.files.job, desk.resolved())
    desk.make([other.change("idle.timeout", "7 min"), other.change("banner", "Halt")], "edited")
    *_, role, other = jobparts.parts_of(desk.edits.files.job, desk.resolved())
    assert other.settings == (("idle.timeout", "7 min"), ("banner", "Halt")) and other.devices == 0
    assert role.settings == (("idle.timeout", "5 min"),)
    with pytest.raises(ValueError, match="sw2 has no values of its own"):
        desk.as_role(desk.plan.device("sw2"), "desks")
    while desk.undo():
        pass
    assert (desk.edits.files.job, desk.edits.files.sheet.decode()) == (JOB, desk.folder.files().sheet.decode())
