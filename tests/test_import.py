"""Sheets as people really make them: nothing of them is read wrong in silence, and who is who is never guessed."""

from __future__ import annotations

import datetime
import io
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import zinger
from zinger.plan.files.documents import table_to_csv, table_to_workbook
from zinger.plan.files.headings import Known, match_headings
from zinger.plan.files.meant import meant
from zinger.plan.files.merging import Fate, Merged, merge
from zinger.plan.files.tables import read_tables
from zinger.plan.files.transfer import own_devices, propose, take
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.settings import SETTINGS
from zinger.plan.values.mac import parse_mac
from zinger.plan.values.ports import parse_ports


def book(*rows: list[Any], title: str = "Sheet1", merged: tuple[str, ...] = (), hidden: str = "") -> bytes:
    made = openpyxl.Workbook()
    sheet = made.active
    sheet.title = title
    for row in rows:
        sheet.append(row)
    for cells in merged:
        sheet.merge_cells(cells)
    if hidden:
        sheet.column_dimensions[hidden].hidden = True
    sheet["J30"].number_format = "yyyy-mm-dd"
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


# -- eight sheets, and what each must become ----------------------------------------------------------------
APRIL = datetime.datetime(2026, 4, 1)
GROUPED = book(
    ["Network renewal, phase 2"],
    [],
    ["Device", None, None, "Network", None, None, None, "Order", None],
    ["Name", "Type", "Serial", "Address", "Mask", "Gateway", "NTP 1", "Date", "old IP"],
    ["sw1", "Quern  S2", "A1", "10.44.8.11", "255.255.254.0", "10.44.8.1", "10.44.8.22", APRIL, "10.9.9.1"],
    ["Spares"],
    ["sw2", "Quern S2", "tbd", "10.44.8.12", "/23", "10.44.8.1", "-", None, "10.9.9.2"],
    [],
    ["Total", None, 2],
    ["ask the shift leader before cabling"],
    title="Renewal",
    merged=("A3:C3", "D3:G3"),
    hidden="I",
)
TWO_LINES = (
    "Device;Device;Management;Default;Management\nname;type;address;gateway;VLAN\n"
    "sw1;Quern S2;10.44.8.11/24;10.44.8.1;8\n\nsw2;Quern S2;10.44.8.12/24;10.44.8.1;8\n"
)
GERMAN = (
    "Standort;Gerätename;Modell;Seriennr.;MAC-Adresse;IP-Adresse;Subnetzmaske;Standardgateway;DNS-Server 1;"
    "DNS-Server 2;Zeitzone;Sommerzeit;Telnet;Bemerkung\n"
    "Wheal Junction;sw1;Quern S2;A1;024b.5610.3301;10.44.8.11;255.255.255.0;10.44.8.1;10.44.8.20;10.44.8.21;"
    'Europe/Vienna;ja;nein;" vorn ein Blank\nund eine Zeile "\n'
    ";sw2;Quern S2;A2;024b.5610.3302;10.44.8.12;255.255.255.0;10.44.8.1;10.44.8.20;;Europe/Vienna;ja;aus;=1+1\n"
    "Summe;2;;;;;;;;;;;;\n"
)
FRENCH = (
    "Nom d'hôte\tModèle\tN° de série\tAdresse IP\tMasque\tPasserelle par défaut\tServeurs NTP\tHeure d'été\n"
    "sw1\tQuern S2\tA1\t10.44.8.11\t24\t10.44.8.1\t10.44.8.22, 10.44.8.23\toui\n"
)
SPANISH = (
    "Nombre del equipo,Modelo,Número de serie,Dirección IP,Máscara de red,Puerta de enlace,Servidor DNS primario,"
    "Servidor DNS secundario\nsw1,Quern S2,A1,10.44.8.11,255.255.255.0,10.44.8.1,10.44.8.20,10.44.8.21\n"
)
ITALIAN = (
    "Nome apparato|Modello|Matricola|Indirizzo IP|Maschera di rete|Gateway predefinito|Fuso orario|Ora legale|SSH\n"
    "sw1|Quern S2|A1|10.44.8.11|255.255.255.0|10.44.8.1|Europe/Rome|sì|attivo\n"
)
BARE = "".join(f"x{n},02-4b-56-10-33-0{n},10.44.8.1{n},255.255.255.0,10.44.8.1,quern s2\n" for n in (1, 2, 3, 4))
REPEATED = (
    "hostname,family,address,dst,time zone,bought\nsw1,Quern S2,10.44.8.11/24,yes,Europe/Vienna,2026-04-01\n"
    "hostname,family,address,dst,time zone,bought\nsw2,Quern S2,10.44.8.12/24,yes,Europe/Vienna,#N/A\n"
    "grand total: 2,,,,,\n"
)
A = "management.address"
WILD: list[tuple[str, bytes, list[dict[str, str]]]] = [
    (
        "grouped.xlsx",
        GROUPED,
        [
            {"hostname": "sw1", "family": "Quern S2", "serial": "A1", A: "10.44.8.11/23", "ntp.servers": "10.44.8.22"},
            {"hostname": "sw2", "family": "Quern S2", "serial": "", A: "10.44.8.12/23", "ntp.servers": ""},
        ],
    ),
    (
        "twolines.csv",
        TWO_LINES.encode(),
        [
            {"hostname": f"sw{n}", A: f"10.44.8.1{n}/24", "management.vlan": "8", "management.gateway": "10.44.8.1"}
            for n in (1, 2)
        ],
    ),
    (
        "german.csv",
        GERMAN.encode("cp1252"),
        [
            {
                "site": "Wheal Junction",
                "hostname": f"sw{n}",
                "mac": f"02-4b-56-10-33-0{n}",
                A: f"10.44.8.1{n}/24",
                "management.gateway": "10.44.8.1",
                "dns.servers": "10.44.8.20; 10.44.8.21" if n == 1 else "10.44.8.20",
                "clock.summer": "on",
                "services.telnet": "off",
            }
            for n in (1, 2)
        ],
    ),
    (
        "french.csv",
        FRENCH.encode("utf-16"),
        [{"hostname": "sw1", A: "10.44.8.11/24", "ntp.servers": "10.44.8.22; 10.44.8.23", "clock.summer": "on"}],
    ),
    (
        "spanish.csv",
        SPANISH.encode("utf-8-sig"),
        [{"hostname": "sw1", "serial": "A1", A: "10.44.8.11/24", "dns.servers": "10.44.8.20; 10.44.8.21"}],
    ),
    (
        "italian.csv",
        ITALIAN.encode(),
        [{"serial": "A1", A: "10.44.8.11/24", "clock.summer": "on", "services.ssh": "on", "clock.zone": "Europe/Rome"}],
    ),
    (
        "letters.csv",
        b"a,b,c,d,e,f\n" + BARE.encode(),
        [{"mac": f"02-4b-56-10-33-0{n}", A: f"10.44.8.1{n}/24", "family": "quern s2"} for n in (1, 2, 3, 4)],
    ),
    (
        "repeated.csv",
        REPEATED.encode(),
        [{"hostname": f"sw{n}", A: f"10.44.8.1{n}/24", "clock.summer": "on"} for n in (1, 2)],
    ),
]
KNOWN = Known({"family": frozenset({"quern s2"})})


@pytest.mark.parametrize(("name", "data", "devices"), WILD, ids=[w[0] for w in WILD])
def test_a_sheet_as_people_make_it(name: str, data: bytes, devices: list[dict[str, str]]) -> None:
    imported = take(propose(data, name, {}, known=KNOWN))
    assert [cell.cell for cell in imported.bad] == []
    read = [dict(zip(imported.means, row, strict=True)) for row in imported.rows]
    assert [
        {key: row.get(key, "(no column)") for key in want} for row, want in zip(read, devices, strict=True)
    ] == devices


def test_what_is_no_device_is_told_row_by_row() -> None:
    (part,) = propose(GROUPED, "g.xlsx", {}).parts
    assert [(row, why.partition(":")[0]) for row, why in part.left_out] == [
        (6, "only 'Spares'"),
        (9, "a sum"),
        (10, "only 'ask the shift leader before cabling'"),
    ]
    assert part.no_values == {"tbd": 1, "-": 1}
    assert [m.how for m in part.matches][-1] == "hidden in the workbook"


def test_what_a_spreadsheet_does_to_numbers_is_undone_or_told() -> None:
    made = openpyxl.Workbook()
    sheet = made.active
    for row in (
        ["name", "family", "serial", "asset", "MAC", "IP", "IP"],
        ["sw1", "Quern S2", 411, 12345678901234567, "02-4b-56-10-33-01\u200b", "10.44.8.11", "10.9.9.1"],
        ["sw2", "Quern S2", "4.11E+15", 42.0, "02-4b-56-10-33-02", "10.44.8.12", "10.9.9.2"],
    ):
        sheet.append(row)
    sheet["C2"].number_format = "000000"
    out = io.BytesIO()
    made.save(out)
    proposal = propose(out.getvalue(), "n.xlsx", {})
    first = next(m for m in proposal.parts[0].matches if m.heading == "IP")
    assert first.how == "by name, but another column is headed so too"
    imported = take(proposal)
    assert (imported.rows[0][2], imported.rows[1][3]) == ("000411", "42")
    told = {cell.cell.partition("!")[2]: (cell.what, cell.meant) for cell in imported.bad}
    assert told.keys() == {"C3", "D2", "E2"} and told["E2"][1] == "02-4b-56-10-33-01"
    assert "more than 15 digits" in told["D2"][0] and "shortened" in told["C3"][0]


# -- headings and values ------------------------------------------------------------------------------------
def test_what_contradicts_its_values_is_not_proposed() -> None:
    own, shared = [f"10.44.8.{n}" for n in range(11, 19)], ["10.44.8.1"] * 8
    found = match_headings(["Gateway-Adresse neu", "x"], [shared, own], {})
    assert [m.meaning for m in found] == ["management.gateway", A]
    (wrong,) = match_headings(["Hostname"], [["quern s2"] * 8], {})
    assert not wrong.sure and "can't be one" in wrong.how
    (twice,) = match_headings(["Serial"], [["A1"] * 8], {})
    assert not twice.sure and "1 different below it, in 8 rows" in twice.how


@pytest.mark.parametrize(
    ("parse", "text", "likely", "why"),
    [
        (SETTINGS[A].parse, "10.44.8.1O", "10.44.8.10", "the letter O"),
        (SETTINGS[A].parse, "10.44.8.l1", "10.44.8.11", "the letter l"),
        (SETTINGS[A].parse, "10.44.08.11", "10.44.8.11", "leading zeros"),
        (SETTINGS[A].parse, "10,44,8,11", "10.44.8.11", "commas"),
        (SETTINGS["hostname"].parse, "sw-\u0441b1", "sw-cb1", "CYRILLIC SMALL LETTER ES"),
        (parse_mac, "O2-4b-56-10-33-01", "02-4b-56-10-33-01", "the letter O"),
        (parse_ports, "04-Jan", "1-4", "made a date"),
        (parse_ports, "1. Okt", "1-10", "made a date"),
        (parse_ports, "8-5", "5-8", "made a date"),
        (SETTINGS["switch.ports"].parse, "8-5 access vlan 20", "5-8 access vlan 20", "made a date"),
        (SETTINGS[A].parse, "10.44.8.300", "", ""),
        (SETTINGS["hostname"].parse, "sw1.kettlestone.example", "sw1", "without its domain"),
        (SETTINGS["management.vlan"].parse, "VLAN 44", "44", "the number only"),
    ],
)
def test_what_was_probably_meant(parse: Callable[[object], object], text: str, likely: str, why: str) -> None:
    found = meant(text, parse)
    assert (found or ("", ""))[0] == likely and why in (found or ("", ""))[1]


@given(st.sampled_from([s for s in SETTINGS.values() if s.name != "clock.zone"]), st.text(max_size=20))
@settings(max_examples=200, deadline=None)
def test_what_is_said_to_be_meant_can_be_read(setting: Any, text: str) -> None:
    found = meant(text, setting.parse)
    if found:
        setting.parse(found[0])


# -- what a sheet may not do --------------------------------------------------------------------------------
@pytest.mark.parametrize("bad", ["\x1b[31mred", "a\u202eb", "a\x07", "a\u2028b", "\x9b2J"])
@pytest.mark.parametrize("column", [0, 3])
def test_no_sheet_brings_a_hostile_character_into_a_job(bad: str, column: int) -> None:
    cells = ["sw1", "Quern S2", "10.44.8.11", "note"]
    cells[column] = bad
    imported = take(propose(table_to_csv(["hostname", "family", "address", "note"], [cells]), "x.csv", {}))
    assert [cell.cell for cell in imported.bad] == [f"{'ABCD'[column]}2"]
    assert imported.good.rows == () and bad not in repr(imported.rows)


KEPT = st.text(st.sampled_from(" \r\n\t=@',;\"x\u00e4"), max_size=8)


@given(st.lists(st.tuples(KEPT, KEPT), min_size=1, max_size=4), st.sampled_from(["csv", "xlsx"]))
@settings(max_examples=150, deadline=None)
def test_what_is_only_kept_survives_byte_for_byte(cells: list[tuple[str, str]], kind: str) -> None:
    headings = ["hostname", "family", "one", "two"]
    rows = [[f"sw{n}", "Quern S2", *kept] for n, kept in enumerate(cells)]
    write = {"csv": lambda h, r: table_to_csv(h, r), "xlsx": lambda h, r: table_to_workbook(h, r, "x")}[kind]
    once = take(propose(write(headings, rows), f"a.{kind}", {}))
    again = take(propose(once.to_csv(), "a.csv", {}))
    assert [row[2:] for row in once.rows] == [row[2:] for row in again.rows] == cells


def with_damaged_parts(workbook: bytes) -> bytes:
    """What is compressed in a workbook overwritten, its directory left as it was."""
    data = bytearray(workbook)
    for entry in zipfile.ZipFile(io.BytesIO(workbook)).infolist():
        first = entry.header_offset + 30 + len(entry.filename)
        data[first + 4 : first + entry.compress_size - 4] = b"\xff" * max(0, entry.compress_size - 8)
    return bytes(data)


def test_sheets_of_one_workbook_head_the_same_thing_differently() -> None:
    sheets = openpyxl.Workbook()
    sheets.active.title = "Wheal Junction"
    for row in (["Host", "Family", "IP", "Bits"], ["sw1", "Quern S2", "10.44.8.11", 24]):
        sheets.active.append(row)
    other = sheets.create_sheet("Upper Kettle")
    for row in (["Netmask", "Management IP", "Name", "Model"], ["255.255.254.0", "10.44.9.11", "sw2", "Quern S2"]):
        other.append(row)
    buffer = io.BytesIO()
    sheets.save(buffer)
    taken = take(propose(buffer.getvalue(), "a.xlsx", {}))
    assert taken.column("hostname") == ["sw1", "sw2"]
    assert taken.column("management.address") == ["10.44.8.11/24", "10.44.9.11/23"]


def test_a_sheet_without_rows_and_broken_workbooks_say_so() -> None:
    good = book(["hostname", "family"], ["a", "b"])
    for data, name, words in (
        (b"hostname,family\n", "h.csv", "has headings but no rows"),
        (good[: len(good) // 2], "cut.xlsx", "it is cut off or damaged"),
        (good.replace(b"xl/workbook.xml", b"xl/wurkbook.xml"), "x.xlsx", "a ZIP archive without a workbook"),
        (good.replace(b"xl/worksheets/sheet1.xml", b"xl/worksheets/sheet9.xml"), "x.xlsx", "sheet1.xml is missing"),
        (with_damaged_parts(good), "x.xlsx", "can't be unpacked"),
    ):
        with pytest.raises(UnreadableError) as caught:
            propose(data, name, {})
        assert words in str(caught.value)


# -- who is who ---------------------------------------------------------------------------------------------
OWN = b"""hostname,site,family,serial,mac,asset,IP,remarks
sw1,wj,Quern S2,A1,02-4b-56-10-33-01,K1,10.44.8.11,mine
sw2,wj,Quern S2,A2,02-4b-56-10-33-02,K2,10.44.8.12,
sw3,wj,Quern S2,A3,,K3,10.44.8.13,old
"""


def laid_over(rows: str, answers: dict[str, str] | None = None, remove: set[str] | None = frozenset()) -> Merged:
    (table,) = read_tables(OWN, "devices.csv")
    new = take(propose(f"Name,S/N,MAC,Label,IP\n{rows}".encode(), "new.csv", {}))
    return merge(own_devices(table, {}), new, answers, remove)


@pytest.mark.parametrize(
    ("row", "name", "fate", "by"),
    [
        ("sw1,A1,02-4b-56-10-33-01,K1,10.44.8.11", "sw1", Fate.SAME, "serial"),
        ("sw1,,02-4b-56-10-33-01,K1,10.44.8.11", "sw1", Fate.CHANGED, "mac"),
        ("sw3,A3,02-4b-56-10-33-03,K3,10.44.8.13", "sw3", Fate.CHANGED, "serial"),
        (",,,K2,10.44.8.12", "sw2", Fate.CHANGED, "label"),
        ("SW2,A2,,K2,10.44.8.12", "sw2", Fate.CHANGED, "serial"),
        ("sw4,A4,,,10.44.8.14", "sw4", Fate.NEW, ""),
        ("sw9,A1,,,10.44.8.11", "sw9", Fate.ASKED, ""),
        ("sw1,A9,,,10.44.8.11", "sw1", Fate.ASKED, ""),
        ("sw1,A2,,,10.44.8.11", "sw1", Fate.ASKED, ""),
        ("sw1,A1,02-4b-56-10-33-99,,10.44.8.11", "sw1", Fate.ASKED, ""),
        ("sw1,A1,,,10.44.8.x", "sw1", Fate.BAD, ""),
    ],
)
def test_who_a_row_is(row: str, name: str, fate: Fate, by: str) -> None:
    merged = laid_over(row + "\n")
    first = merged.laid[0]
    assert (first.name, first.fate, first.by) == (name, fate, by)
    assert all(bool(laid.question) == (laid.fate is Fate.ASKED) for laid in merged.laid)
    assert len(merged.rows) == 3 + (fate is Fate.NEW)
    untouched = [laid.name for laid in merged.of(Fate.KEPT)]
    assert not set(untouched) & {first.name, *first.choices} and "mine" in merged.rows[0]


def test_two_rows_that_are_one_device_are_asked_and_answered() -> None:
    rows = "sw1,A1,,K1,10.44.8.11\nsw1,,,K1,10.44.8.99\n"
    asked = laid_over(rows)
    assert [laid.question for laid in asked.of(Fate.ASKED)] == ["rows 2 and 3 are both sw1"] * 2
    assert asked.rows[0][6] == "10.44.8.11"
    answered = laid_over(rows, {"2": "sw1", "3": "new"})
    assert [laid.fate for laid in answered.laid[:2]] == [Fate.CHANGED, Fate.NEW] and len(answered.rows) == 4
    with pytest.raises(ValueError, match="row 3 can't be sw1 too"):
        laid_over(rows, {"2": "sw1", "3": "sw1"})
    with pytest.raises(ValueError, match="the job has no device sx9"):
        laid_over(rows, {"2": "sx9"})


def test_an_emptied_cell_is_a_change_a_column_that_is_not_there_is_none_and_what_is_missing_stays() -> None:
    merged = laid_over("sw2,A2,,K2,\n")
    assert [str(c) for c in merged.laid[0].changes] == ["mac 02-4b-56-10-33-02 -> (empty)", "IP 10.44.8.12 -> (empty)"]
    assert merged.rows[1][1:3] == ["wj", "Quern S2"] and [laid.name for laid in merged.of(Fate.KEPT)] == ["sw1", "sw3"]
    gone = laid_over("sw2,A2,,K2,\n", remove={"sw3"})
    assert [row[0] for row in gone.rows] == ["sw1", "sw2"] and [laid.name for laid in gone.of(Fate.REMOVED)] == ["sw3"]
    assert len(laid_over("sw2,A2,,K2,\nsw1,A1,,,10.44.8.x\n", remove=None).rows) == 2  # sw1 is spoken of


# -- from the command line ----------------------------------------------------------------------------------
SHEET = "Name,Family,Role,IP,Serial\nsw1,Quern S2,acces,10.44.8.11,A1\nsw2,Quern S2,access,10.44.8.1O,A2\n"
JOB = "job: x\nsites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24}}\nroles: {access: {}}\n"


def test_an_import_is_shown_corrected_taken_and_taken_back(tmp_path: Path) -> None:
    sheet, job = tmp_path / "s.csv", tmp_path / "job"
    sheet.write_text(SHEET)
    job.mkdir()
    (job / "job.yaml").write_text(JOB)
    shown = zinger("import", sheet, job)
    assert shown.returncode == 2 and "the site of all: Wheal Junction" in shown.stdout  # no row can be taken
    assert "--set 'C2=access'" in shown.stdout and "--set 'D3=10.44.8.10'" in shown.stdout
    mended = ("--set", "C2=access", "--set", "D3=10.44.8.10")
    assert zinger("import", sheet, job, *mended).returncode == 3 and not (job / "devices.csv").exists()
    assert zinger("import", sheet, job, *mended, "--yes").returncode == 0
    before = (job / "devices.csv").read_bytes()
    sheet.write_text("Name,Family,Role,IP,Serial\nsw9,Quern S2,core,10.44.8.19,A1\nsw3,Quern S2,core,10.44.8.13,A3\n")
    asked = zinger("import", sheet, job, "--yes")
    assert asked.returncode == 3 and "--row '2=sw1'" in asked.stdout and "the role core" in asked.stdout
    again = zinger("import", sheet, job, "--row", "2=sw1", "--remove", "sw2", "--yes")
    assert again.returncode == 0 and "sw1                    -> sw9" in again.stdout
    assert "sw2" not in (job / "devices.csv").read_text() and "core: {}" in (job / "job.yaml").read_text()
    assert zinger("import", "--undo", job).returncode == 0 and zinger("import", "--undo", job).returncode == 0
    assert (job / "devices.csv").read_bytes() == before and (job / "job.yaml").read_text().count("core") == 0
    (job / "devices.csv").write_bytes(before + b"sw7,Quern S2,access,10.44.8.17,A7,Wheal Junction\n")
    changed = zinger("import", "--undo", job)
    assert changed.returncode == 2 and "changed after the import" in changed.stderr
    none = zinger("import", "--undo", job, "--force")
    assert none.returncode == 0 and not (job / "devices.csv").read_bytes()


def test_a_sheet_that_does_not_say_its_site_is_asked_once(tmp_path: Path) -> None:
    sheet, job = tmp_path / "s.csv", tmp_path / "job"
    sheet.write_text("name,ip\nsw1,10.44.8.11/24\n")
    asked = zinger("import", sheet, job, "--yes")
    assert asked.returncode == 3 and "--all 'site=NAME'" in asked.stdout and not job.exists()
    done = zinger("import", sheet, job, "--all", "site=Wheal Junction", "--all", "family=Quern S2", "--yes")
    assert done.returncode == 0 and "sw1,10.44.8.11/24,Wheal Junction,Quern S2" in (job / "devices.csv").read_text()


def test_a_cell_is_corrected_by_its_name() -> None:
    proposal = propose(SHEET.encode(), "s.csv", {})
    assert take(proposal.correct({"d3": "10.44.8.12"})).rows[1][3] == "10.44.8.12"
    for cell, words in (("D9", "no device of the sheet has a cell D9"), ("Z3", "no device"), ("3D", "is not a cell")):
        with pytest.raises(ValueError, match=words):
            proposal.correct({cell: "x"})
