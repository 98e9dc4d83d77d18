"""Sheets in and out: any shape, headings by likeness, bad input, and what comes in goes out again."""

from __future__ import annotations

import csv
import datetime
import io
import json
from collections.abc import Callable
from ipaddress import ip_address
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import zinger
from zinger.phrasebook.load import Families
from zinger.plan.files.cells import unshielded
from zinger.plan.files.documents import table_to_csv, table_to_workbook
from zinger.plan.files.headings import match_headings
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.files.tables import read_tables
from zinger.plan.files.transfer import Imported, propose, take
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.model import Plan
from zinger.plan.resolve import resolve
from zinger.plan.subjects.names.models import NtpServer
from zinger.plan.subjects.switching.models import Port, Vlan
from zinger.plan.subjects.voice.models import Rewrite, rewritten
from zinger.plan.subjects.wireless.models import Ssid
from zinger.plan.values.item import Item, items

RULES = Families().rules
JOB = "job: x\nsites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24}}\nroles: {access: {}}\n"
KINDS = Item.__subclasses__()


# -- items in words ---------------------------------------------------------------------------------------
@pytest.mark.parametrize("kind", KINDS, ids=lambda c: c.__name__)
def test_an_item_in_words_is_the_item_again(kind: type[Item]) -> None:
    made = kind.read(kind.example)
    assert kind.read(str(made)) == made and kind.read(dict(made)) == made
    assert hash(kind.read(str(made))) == hash(made)


NAMES = st.text(st.sampled_from("abc VLAN 12;,\u00e4"), min_size=1, max_size=12).map(str.strip).filter(bool)


@given(
    st.lists(st.builds(lambda i, n: Vlan(id=i, name=n), st.integers(1, 4094), NAMES), max_size=6, unique=True),
    st.lists(
        st.builds(
            lambda a, n, v, t, d: Port(
                ports=tuple(str(x) for x in range(a, a + n)),
                mode="mixed",
                vlan=v,
                tagged=tuple(sorted(t)),
                description=d,
            ),
            st.integers(1, 40),
            st.integers(1, 9),
            st.none() | st.integers(1, 4094),
            st.sets(st.integers(1, 4094), max_size=3),
            NAMES,
        ),
        max_size=4,
        unique=True,
    ),
)
def test_lists_of_items_go_through_a_cell(vlans: list[Item], ports: list[Item]) -> None:
    for kind, found in ((Vlan, vlans), (Port, ports)):
        assert items(kind)("; ".join(map(str, found))) == tuple(found)


@pytest.mark.parametrize(
    ("kind", "text", "words"),
    [
        (Vlan, "5000 a", "id: 5000 is not a valid VLAN; write one from 1 to 4094"),
        (Vlan, "20 staff desk", "'desk' has no place here; write it like 20 staff"),
        (Port, "1-4", "it does not say its mode"),
        (Port, "4-1 access", "runs backwards"),
        (Port, "1 acess", "did you mean access?"),
        (Port, "1 access vlan", "nothing follows 'vlan'"),
        (NtpServer, "10.44.8.22 poll 0", "0 is not a valid poll interval"),
        (Ssid, "x wep", "not one of open, psk, 802.1x"),
        (Rewrite, "12a", "not the beginning of a dialled number"),
    ],
)
def test_a_wrong_item_says_what_and_how(kind: type[Item], text: str, words: str) -> None:
    with pytest.raises(ValueError, match="; ") as caught:
        kind.read(text)
    assert words in str(caught.value)


def test_the_first_rewriting_rule_that_takes_a_number_decides() -> None:
    rules = tuple(Rewrite.read(t) for t in ("00 becomes +", "0… becomes +43", "1xx becomes 7 side local"))
    assert rewritten("0043512", rules) == ("+43512", 0)
    assert rewritten("0512", rules) == ("+43512", 1)
    assert rewritten("177", rules, "upstream") == ("177", None) and rewritten("177", rules, "local") == ("777", 2)


# -- headings -----------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("heading", "meaning"),
    [
        ("Mgmt IP", "management.address"),
        ("IP address/mask", "management.address"),
        ("Default GW", "management.gateway"),
        ("Device name", "hostname"),
        ("DNS server(s)", "dns.servers"),
        ("Serial No.", "serial"),
        ("MAC addr", "mac"),
        ("Asset no.", "label"),
        ("Time zone", "clock.zone"),
        ("Ordered by", ""),
        ("Price", ""),
        ("switch.stp_priority", "switch.stp_priority"),
    ],
)
def test_headings_are_known_by_name_or_likeness(heading: str, meaning: str) -> None:
    (match,) = match_headings([heading], [[]], {})
    assert match.meaning == meaning, match


def test_what_stands_below_tells_a_heading_and_no_meaning_is_given_twice() -> None:
    macs = ["02:4b:56:10:33:01", "024b.5610.3302"]
    found = match_headings(["Address", "IP", "sticker"], [["10.44.8.1"], ["10.44.8.2"], macs], {})
    assert [m.meaning for m in found] == ["management.address", "", "mac"]
    assert not found[2].sure


# -- reading ------------------------------------------------------------------------------------------------
TABLE = [
    ["site", "hostname", "family", "address"],
    ["Wheal Junction", "sw1", "Quern S2", "10.44.8.11"],
    ["Wheal Junction", "sw2", "Quern S2", "10.44.8.12 255.255.255.0"],
]


def workbook(rows: list[list[object]], merged: str = "", title: str = "devices") -> bytes:
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = title
    for row in rows:
        sheet.append(row)
    if merged:
        sheet.merge_cells(merged)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


CSV = "\n".join(",".join(row) for row in TABLE)
SHAPES = {
    "plain.csv": CSV.encode(),
    "semicolons.csv": CSV.replace(",", ";").encode("utf-8-sig"),
    "utf16.csv": CSV.replace(",", "\t").encode("utf-16"),
    "title.csv": b"Winter renewal,,,\n,,,\n" + CSV.encode(),
    "merged.xlsx": workbook([["Winter renewal"], [], *TABLE[:2], [None, *TABLE[2][1:]]], "A4:A5"),
    "numbers.xlsx": workbook(TABLE),
    "list.json": json.dumps([dict(zip(TABLE[0], row, strict=True)) for row in TABLE[1:]]).encode(),
    "names.yaml": b"devices:\n  sw1: {site: Wheal Junction, family: Quern S2, management: {address: 10.44.8.11}}\n"
    b"  sw2: {site: Wheal Junction, family: Quern S2, management.address: 10.44.8.12/24}\n",
}


@pytest.mark.parametrize("name", [n for n in SHAPES if n != "names.yaml"])
def test_any_kind_of_sheet_brings_the_same_devices(name: str) -> None:
    imported = take(propose(SHAPES[name], name, {}))
    assert imported.problems == ()
    assert [row[:3] for row in imported.rows] == [("Wheal Junction", f"sw{n}", "Quern S2") for n in (1, 2)]
    rows, problems = read_sheet(imported.to_csv())
    plan = resolve(read_job(JOB), rows, RULES, None, tuple(problems))
    assert [str(d.address) for d in plan.devices] == ["10.44.8.11/24", "10.44.8.12/24"]


def test_a_mapping_by_hostname_is_read_with_nested_settings() -> None:
    rows, problems = read_sheet(SHAPES["names.yaml"], "names.yaml")
    plan = resolve(read_job(JOB), rows, RULES, None, tuple(problems))
    assert plan.problems and [(d.name, str(d.address)) for d in plan.devices] == [
        ("sw1", "10.44.8.11/24"),
        ("sw2", "10.44.8.12/24"),
    ]


def test_several_sheets_become_one_and_a_sheets_name_is_its_site() -> None:
    book = openpyxl.load_workbook(
        io.BytesIO(workbook([["name", "type", "mgmt ip"], ["a", "quern-s2", "10.44.8.1/24"]], title="Wheal Junction"))
    )
    second = book.create_sheet("Corbel Bridge")
    second.append(["device", "model", "ip"])
    second.append(["b", "quern-s2", "10.44.16.1/24"])
    book.create_sheet("notes").append(["call first"])
    out = io.BytesIO()
    book.save(out)
    proposal = propose(out.getvalue(), "two.xlsx", {})
    assert proposal.left_out == ("notes",)
    imported = take(proposal)
    assert imported.headings == ("site", "name", "type", "mgmt ip")
    assert imported.rows == (
        ("Wheal Junction", "a", "quern-s2", "10.44.8.1/24"),
        ("Corbel Bridge", "b", "quern-s2", "10.44.16.1/24"),
    )


BAD = [
    ("dup.yaml", b"a: 1\na: 2\n", "dup.yaml:2: not valid YAML: found duplicate key"),
    ("tab.yaml", b"- hostname: x\n\tfamily: y\n", "tab.yaml:2: not valid YAML: a tab stands"),
    (
        "bomb.yaml",
        b"a: &a [x,x,x,x,x,x,x,x,x]\n"
        + b"".join(b"%c: &%c [%s]\n" % (c, c, b",".join([b"*%c" % (c - 1)] * 9)) for c in range(98, 107)),
        "aliases unfold",
    ),
    ("deep.json", b"[" * 5000, "deep.json"),
    ("bad.json", b"[{]", "bad.json:1: not valid JSON"),
    ("big.csv", b"x" * 50_000_000, "it has 50 MB, more than 20"),
    ("locked.xlsx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1rest", "protected by a password"),
    ("fake.xlsx", b"no workbook", "this is not a workbook"),
    ("broken.xlsx", b"PK\x03\x04broken", "can't be read"),
    ("binary.csv", b"hostname\x00\x01", "this is not a text"),
    ("quote.csv", b'hostname,site\n"a,b\nc,d\n', "Look for a quote left open"),
    ("empty.csv", b"\n\n", "the file is empty"),
    ("other.csv", b"price,colour\n1,red\n", "no sheet has a column for hostname"),
]


@pytest.mark.parametrize(("name", "data", "words"), BAD, ids=[b[0] for b in BAD])
def test_a_bad_file_is_a_sentence(name: str, data: bytes, words: str) -> None:
    with pytest.raises(UnreadableError) as caught:
        propose(data, name, {})
    assert words in str(caught.value) and caught.value.do


def test_one_bad_cell_of_ten_thousand_rows_is_pointed_at_and_the_others_are_taken(tmp_path: Path) -> None:
    lines = ["hostname,site,family,address", *(f"h{n},wj,quern-s2,10.44.{n // 250}.{n % 250}" for n in range(10_000))]
    lines[7778] = "h7777,wj,quern-s2,10.44.31.333"
    sheet = tmp_path / "large.csv"
    sheet.write_text("\n".join(lines))
    whole = zinger("import", sheet, tmp_path / "job", "--yes", "--whole")
    assert whole.returncode == 2 and not (tmp_path / "job").exists()
    done = zinger("import", sheet, tmp_path / "job", "--yes")
    assert (
        done.returncode == 1 and "large.csv:7779 (D7779 address): '10.44.31.333' is not a valid address" in done.stdout
    )
    assert "9999 devices taken" in done.stdout and "h7777" not in (tmp_path / "job/devices.csv").read_text()
    mended = zinger("import", sheet, tmp_path / "job", "--set", "D7779=10.44.31.33", "--yes")
    assert mended.returncode == 0 and "1 new, 0 changed, 9999 the same" in mended.stdout


def test_a_formula_without_its_value_and_a_date_are_told_with_their_cell_where_they_mean_something() -> None:
    date = datetime.datetime(2026, 4, 1)
    rows = [["hostname", "family", "ports", "ordered"], ["a", "=B9", date, date]]
    bad = take(propose(workbook(rows, title="S"), "f.xlsx", {})).bad
    assert [(cell.cell, cell.meant) for cell in bad] == [("S!B2", ""), ("S!C2", "")]
    assert "a formula whose value was not saved" in bad[0].what and "made a date of it (2026-04-01)" in bad[1].what


# -- out again ----------------------------------------------------------------------------------------------
CELLS = {
    "hostname": st.from_regex(r"[a-z][a-z0-9-]{0,12}[a-z0-9]", fullmatch=True),
    "address": st.integers(2, 250).map(lambda n: f"10.44.8.{n}/24") | st.just("dhcp"),
    "mac": st.integers(0, 2**40 - 1).map(lambda n: "02" + f"{n:010x}"),
    "dns": st.lists(st.integers(1, 250), max_size=3, unique=True).map(lambda ns: " ".join(f"10.44.8.{n}" for n in ns)),
    "telnet": st.sampled_from(["yes", "Off", "x", "disabled"]),
    "idle timeout": st.sampled_from(["10", "15 min", "1 h"]),
    "vlans": st.lists(st.integers(1, 4094), unique=True, max_size=4).map(lambda ns: "; ".join(f"{n} v{n}" for n in ns)),
    "remarks": st.text(st.sampled_from('ab,;"=\n\u00e9'), max_size=8).map(str.strip).filter(lambda s: "\n" not in s),
}


@settings(max_examples=60, deadline=None)
@given(st.lists(st.fixed_dictionaries(CELLS), min_size=1, max_size=5, unique_by=lambda r: r["hostname"]), st.booleans())
def test_import_and_export_keep_every_value(rows: list[dict[str, str]], as_workbook: bool) -> None:
    headings = ["site", "family", *CELLS]
    table = [["Wheal Junction", "quern-s9", *(row[h] for h in CELLS)] for row in rows]
    first = take(propose(table_to_csv(headings, table), "a.csv", {}))
    write = (lambda: table_to_workbook(first.headings, first.rows, "x"), lambda: first.to_csv())[not as_workbook]
    again = take(propose(write(), "a.xlsx" if as_workbook else "a.csv", {}))
    assert again.headings == first.headings and again.rows == first.rows and again.means == first.means
    assert values(again) == values(first)


def values(imported: Imported) -> list[dict[str, object]]:
    rows, problems = read_sheet(imported.to_csv())
    plan = resolve(read_job(JOB), rows, RULES, None, tuple(problems))
    return [{name: v.value for name, v in d.values.items()} | {"mac": d.mac} for d in plan.devices]


MASKS = """\
Hostname;Family;IP address;{mask};Default GW;Serial
sw1;Quern S2;10.1.1.5;255.255.254.0;10.1.0.1;A1
sw2;Quern S2;10.1.1.6/24;255.255.254.0;10.1.0.1;A2
sw3;Quern S2;10.1.1.7;255.0.255.0;10.1.0.1;A3
sw4;Quern S2;10.1.1.8;0.0.1.255;10.1.0.1;A4
sw5;Quern S2;;23;10.1.0.1;A5
sw6;Quern S2;10.1.1.9;/23;10.1.0.1;A6
sw7;Quern S2;dhcp;;10.1.0.1;A7
"""


@pytest.mark.parametrize("heading", ["Mask", "Subnetzmaske", "Masque de sous-réseau", "Prefix length", "Mgmt mask"])
def test_a_mask_in_a_column_of_its_own_is_part_of_the_address(heading: str) -> None:
    text = MASKS.format(mask=heading) if heading != "Mgmt mask" else MASKS.format(mask=heading).replace("/23", "")
    text = "\n".join(text.splitlines()[:2]) if heading == "Mgmt mask" else text
    taken = take(propose(text.encode(), "x.csv", {}))
    assert taken.headings == ("Hostname", "Family", "IP address", "Default GW", "Serial")
    assert taken.rows[0][2] == "10.1.1.5/23"
    if heading != "Mgmt mask":
        assert [row[2] for row in taken.rows[5:]] == ["10.1.1.9/23", "dhcp"]
        assert [(p.spot.line, p.spot.key[3:]) for p in taken.problems] == [(row, heading) for row in (3, 4, 5, 6)]
        said = " ".join(p.what for p in taken.problems)
        for words in ("says /24, its mask /23", "not all at the front", "host mask (wildcard)", "without an address"):
            assert words in said
        rows, problems = read_sheet(text.encode(), "devices.csv", {})
        assert rows[0].settings["management.address"].value == "10.1.1.5/23"
        assert [p.id for p in problems].count("management-address-form") == 4


def test_import_from_the_command_line_asks_remembers_and_exports(tmp_path: Path) -> None:
    sheet = tmp_path / "stations.csv"
    sheet.write_text(
        "Station;Dev name;Dev Type;Mgmt IP;Ordered by\nWheal Junction;sw1;Quern S2;10.44.8.11/24;A. Example\n"
    )
    job = tmp_path / "job"
    asked = zinger("import", sheet, job)
    assert asked.returncode == 3 and "Nothing was written" in asked.stderr and not job.exists()
    wrong = zinger("import", sheet, job, "--column", "Dev name=hostnme")
    assert wrong.returncode == 2 and "nothing is called 'hostnme'" in wrong.stderr
    assert zinger("import", sheet, job, "--column", "Dev name=hostname", "--yes").returncode == 0
    assert "Dev name: hostname" in (job / "job.yaml").read_text()
    assert "Ordered by" in (job / "devices.csv").read_text()
    sheet.write_text(sheet.read_text().replace("8.11", "8.12"))
    again = zinger("import", sheet, job, "--yes")
    assert again.returncode == 0 and "0 new, 1 changed, 0 the same" in again.stdout
    assert zinger("export", job, tmp_path / "out.xlsx").returncode == 0
    cells = [c.value for c in openpyxl.load_workbook(tmp_path / "out.xlsx").active[2]]
    assert cells == ["Wheal Junction", "sw1", "Quern S2", "10.44.8.12/24", "A. Example"]
    there = zinger("export", job, tmp_path / "out.xlsx")
    assert there.returncode == 2 and "is there already" in there.stderr
    assert zinger("export", job, tmp_path / "full.csv", "--full").returncode == 0
    assert "administrator" in (tmp_path / "full.csv").read_text()


# -- what the plan room promises ----------------------------------------------------------------------------
def plan_of(rows: list[str], job: str) -> Plan:
    found, problems = read_sheet("\n".join(["site,family,role,hostname,address", *rows]).encode())
    return resolve(read_job(job), found, RULES, None, tuple(problems))


@settings(max_examples=60, deadline=None)
@given(st.lists(st.none() | st.integers(1, 40), max_size=30), st.integers(0, 6), st.integers(0, 6), st.integers(27, 29))
def test_allocation_never_clashes_and_keeps_what_is_there(
    planned: list[int | None], head: int, tail: int, length: int
) -> None:
    size = 2 ** (32 - length)
    given_ = [n if n is not None and n < size - 1 else None for n in planned]
    job = (
        f"job: x\naddresses: {{head: {head}, tail: {tail}}}\nsites: {{a: {{name: A, subnet: 10.44.8.0/{length}}}}}\n"
        "baseline: {dns: {servers: [10.44.8.5]}}\n"
    )
    plan = plan_of([f"A,quern-s2,,h{i},{'' if n is None else f'10.44.8.{n}'}" for i, n in enumerate(given_)], job)
    said = {f"10.44.8.{n}" for n in given_ if n is not None}
    got = [str(d.fixed.ip) for d, n in zip(plan.devices, given_, strict=True) if n is None and d.fixed]
    assert len(set(got)) == len(got) and not set(got) & (said | {"10.44.8.1", "10.44.8.5"})
    base = int(ip_address("10.44.8.0"))
    assert all(head < int(ip_address(a)) - base < size - 1 - tail for a in got)
    without = sum(n is None for n in given_) - len(got)
    assert without == sum(p.id == "no-free-address" for p in plan.problems)
    room = size - 2 - head - tail
    assert without == 0 or len(got) + len(said) + 2 >= room


@settings(max_examples=40, deadline=None)
@given(st.permutations(range(6)))
def test_resolution_is_deterministic_and_origins_are_complete(order: list[int]) -> None:
    job = (
        "job: x\nnaming: '{site}-{role}{n:02}'\naddresses: {head: 9}\n"
        "baseline: {idle: {timeout: 9}, services: {ssh: on}}\n"
        "sites: {a: {name: A, subnet: 10.44.8.0/24, idle: {timeout: 8}}}\n"
        "roles: {access: {short: sw, idle: {timeout: 7}}, core: {}}\nfamilies: {quern-s2: {idle: {timeout: 6}}}\n"
    )
    rows = [
        f"A,quern-s2,{'access' if n % 2 else 'core'},{f'h{n}' if n > 2 else ''},{f'10.44.8.{n + 100}' if n > 1 else ''}"
        for n in range(6)
    ]
    once, twice = (plan_of([rows[n] for n in order], job) for _ in range(2))
    assert once == twice
    names = [d.name for d in once.devices]
    assert len(set(names)) == 6 and "a-sw01" in names and "a-core01" in names
    ranks = ["derived", "baseline", "site", "role", "family", "sheet"]
    for device in once.devices:
        for value in device.values.values():
            layers = [value.origin, *(origin for _, origin in value.overrode)]
            assert all(o.label and o.spot.file for o in layers)
            assert [ranks.index(o.layer.value) for o in layers] == sorted(
                (ranks.index(o.layer.value) for o in layers), reverse=True
            )
        idle = device.values["idle.timeout"]
        assert idle.value == 6 and [v for v, _ in idle.overrode] == ([7] if device.role == "access" else []) + [8, 9]


def test_explain_and_numbers_on_the_command_line(job: Callable[..., Path]) -> None:
    folder = job()
    told = zinger("check", folder, "--explain", "kvr-wj-sw1", "gateway")
    assert told.returncode == 0 and "10.44.8.1" in told.stdout and "job.yaml:" in told.stdout
    wrong = zinger("check", folder, "--explain", "kvr-wj-sw1", "gatewy")
    assert wrong.returncode == 2 and "did you mean gateway?" in wrong.stderr
    mistakes = zinger("check", folder, "--sheet", "mistakes.csv", "--repairs")
    assert mistakes.returncode == 1 and "repair: use 10.44.8.1, as Wheal Junction says" in mistakes.stdout
    number = zinger("numbers", folder, "kvr-uk-vg1", "0512")
    assert number.returncode == 0 and "0512 becomes +43512" in number.stdout


@given(st.text(alphabet="=+-@'\t a1", max_size=6).map(str.strip))
def test_a_cell_that_a_spreadsheet_would_run_comes_back_as_it_was(text: str) -> None:
    written = table_to_csv(["hostname", "note"], [["sw1", text]])
    cell = next(csv.reader(io.StringIO(written.decode().splitlines()[1])))[1]
    assert cell[:1] not in ("=", "+", "-", "@", "\t") and unshielded(cell) == text
    (table,) = read_tables(written, "x.csv")
    assert table.rows[0][1][1] == text
