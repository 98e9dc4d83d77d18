"""The plan room by tables: what is read, where it comes from, and what is found wrong."""

from __future__ import annotations

from ipaddress import ip_address

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zinger.phrasebook.load import shipped_families
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Layer, Plan
from zinger.plan.portnames import as_the_family_prints
from zinger.plan.resolve import resolve
from zinger.plan.subjects.accounts.credentials import accounts_of
from zinger.plan.values.ports import fold_ports, parse_ports
from zinger.plan.values.secrets import SecretRef, SecretTraits
from zinger.store.vault import make_secret

RULES = {name: book.rules for name, book in shipped_families().items()}
JOB = """\
job: Test line
baseline:
  accounts:
    administrator: {name: kettle-admin, secret: each device}
    viewer: {name: watch, secret: shared-view}
  management: {vlan: 44, stations: [10.44.0.0/16]}
  ntp: {servers: [10.44.8.22, 10.44.8.23]}
  dns: {servers: [10.44.8.20]}
  services: {ssh: on, telnet: off}
  idle: {timeout: 10 min}
sites:
  wj: {name: Wheal Junction, subnet: 10.44.8.0/24, dns: {servers: 10.44.8.21}}
roles:
  core: {idle: {timeout: 5}}
"""
HEAD = "hostname,site,family,role,address"
ROW = "kvr-wj-sw1,Wheal Junction,Quern S2,core,10.44.8.11"


def plan_of(sheet: str, job: str = JOB, vaulted: dict[SecretRef, SecretTraits] | None = None) -> Plan:
    rows, problems = read_sheet(sheet.encode())
    return resolve(read_job(job), rows, RULES, vaulted, tuple(problems))


def ids(plan: Plan) -> set[str]:
    return {p.id for p in plan.problems}


def test_values_know_where_they_come_from() -> None:
    plan = plan_of(f"{HEAD},dns\n{ROW},10.44.8.22\n")
    assert plan.problems == ()
    values = plan.devices[0].values
    dns = values["dns.servers"]
    assert dns.value == (ip_address("10.44.8.22"),)
    assert dns.origin.layer is Layer.SHEET and dns.origin.spot.line == 2
    assert [(layer.layer, v) for v, layer in dns.overrode] == [
        (Layer.SITE, (ip_address("10.44.8.21"),)),
        (Layer.BASELINE, (ip_address("10.44.8.20"),)),
    ]
    assert values["idle.timeout"].value == 5 and values["idle.timeout"].origin.label == "role core"
    assert values["management.address"].shown == "10.44.8.11/24"
    assert values["management.gateway"].origin.layer is Layer.DERIVED
    assert accounts_of(plan.devices[0])[0].secret == SecretRef("kvr-wj-sw1/administrator")
    assert accounts_of(plan.devices[0])[1].secret == SecretRef("shared-view")


@pytest.mark.parametrize(
    "text",
    [
        f"\ufeff{HEAD}\n{ROW}\n",
        f"{HEAD}\n{ROW}\n".replace(",", ";"),
        f"{HEAD}\n{ROW}\n".replace(",", "\t"),
        f"\n{HEAD}\n\n,,,,\n{ROW}\n\n",
        f"{HEAD}\n{ROW}\n".replace("\n", "\r\n"),
        "Address,Role,Name,Family,Site\n10.44.8.11,core,kvr-wj-sw1,quern-s2,wj\n",
    ],
)
def test_any_shape_of_sheet_gives_the_same_device(text: str) -> None:
    plan = plan_of(text)
    assert plan.problems == ()
    assert [(d.name, str(d.address), d.role, d.site.name) for d in plan.devices] == [
        ("kvr-wj-sw1", "10.44.8.11/24", "core", "Wheal Junction")
    ]


@given(st.permutations(HEAD.split(",")), st.sampled_from(",;\t|"), st.integers(0, 3))
def test_column_order_and_delimiter_never_matter(order: list[str], delimiter: str, blanks: int) -> None:
    cells = dict(zip(HEAD.split(","), ROW.split(","), strict=True))
    text = "\n" * blanks + delimiter.join(order) + "\n" + delimiter.join(cells[c] for c in order)
    plan, plain = plan_of(text), plan_of(f"{HEAD}\n{ROW}")
    assert plan.problems == ()
    assert {s: v.value for s, v in plan.devices[0].values.items()} == {
        s: v.value for s, v in plain.devices[0].values.items()
    }
    assert plan.devices[0].spot.line == blanks + 2


SHEET_FAULTS = [
    ("gateway-outside", HEAD + ",gateway", ROW + ",10.44.9.1", "gateway 10.44.9.1 is not in 10.44.8.0/24"),
    ("gateway-is-device", HEAD + ",gateway", ROW + ",10.44.8.11", "is the device itself"),
    ("gateway-not-a-host", HEAD + ",gateway", ROW + ",10.44.8.255", "network or broadcast address"),
    ("address-is-network", HEAD, ROW.replace("8.11", "8.0"), "is the network address"),
    ("address-is-broadcast", HEAD, ROW.replace("8.11", "8.255"), "is the broadcast address"),
    ("address-outside-site", HEAD, ROW.replace("8.11", "9.11/24"), "is not in 10.44.8.0/24"),
    ("prefix-differs", HEAD, ROW.replace("8.11", "8.11/25"), "prefix length is 25"),
    ("management-address-form", HEAD, ROW.replace("8.11", "8.300"), "is not a valid address"),
    ("hostname-form", HEAD, ROW.replace("kvr-wj-sw1", "kvr_wj"), "not a valid hostname (RFC 1123)"),
    ("hostname-too-long", HEAD, ROW.replace("kvr-wj-sw1", "k" * 25), "has 25 characters"),
    ("hostname-characters", HEAD, ROW.replace("kvr-wj-sw1", "KVR-1"), "takes no K R V"),
    ("unknown-family", HEAD, ROW.replace("Quern S2", "Quern S2x"), "did you mean quern-s2?"),
    ("unknown-site", HEAD, ROW.replace("Wheal", "Whael"), "did you mean Wheal Junction?"),
    ("unknown-role", HEAD, ROW.replace("core", "cor"), "did you mean core?"),
    ("duplicate-hostname", HEAD, ROW + "\n" + ROW.replace("8.11", "8.12"), "stands in rows 2 and 3"),
    ("duplicate-address", HEAD, ROW + "\n" + ROW.replace("sw1", "sw2"), "address 10.44.8.11 stands in rows"),
    ("dns-servers-form", HEAD + ",dns", ROW + ",10.44.8", "is not a valid IP address"),
    ("ntp-servers-form", HEAD + ",ntp", ROW + ",bad_host", "is not a valid domain name"),
    ("syslog-servers-form", HEAD + ",syslog", ROW + ",1.2.3.4.5", "is not a valid IP address"),
    ("clock-zone-form", HEAD + ",timezone", ROW + ",Europe/Viena", "did you mean Europe/Vienna?"),
    ("management-in-the-clear", HEAD + ",telnet", ROW + ",on", "Telnet (port 23) is left on"),
    ("no-way-to-prove", HEAD + ",ssh", ROW + ",off", "can't be proved"),
    ("time-server-is-device", HEAD + ",ntp", ROW + ",10.44.8.11", "is the device itself"),
    ("gateway-beside-dhcp", HEAD + ",gateway", ROW.replace("10.44.8.11", "dhcp") + ",10.44.8.1", "beside DHCP"),
    ("sheet-shape", "hostname,site,family,name", "a,wj,quern-s2,b", "mean the same"),
    ("sheet-shape", HEAD, ROW + ",extra", "more cells than there are headings"),
]


@pytest.mark.parametrize(("id", "head", "rows", "words"), SHEET_FAULTS)
def test_each_mistake_on_the_sheet_is_found_with_its_line(id: str, head: str, rows: str, words: str) -> None:
    problems = [p for p in plan_of(f"{head}\n{rows}\n").problems if p.id == id]
    assert problems and words in str(problems[0]), plan_of(f"{head}\n{rows}\n").problems
    assert problems[0].spot.file == "devices.csv" and problems[0].spot.line


JOB_FAULTS = [
    ("job: [", "job-unreadable", "job.yaml:"),
    ("job: a\njob: b", "job-unreadable", "job.yaml:"),
    ("", "job-shape", "the file is empty"),
    ("- a", "job-shape", "not a mapping"),
    ("job: x\nsite: {}", "job-shape", "did you mean sites?"),
    ("job: x\nmode: lve", "job-shape", "is not a mode"),
    ("job: x\nbaseline:\n  dns: {server: 1}", "unknown-setting", "job.yaml:3 (baseline.dns.server)"),
    ("job: x\nsites:\n  wj: {subnet: 10.44.8.5/24}", "subnet-form", "job.yaml:3"),
    (
        "job: x\nbaseline:\n  accounts:\n    viewer: {name: a, password: b}",
        "accounts-viewer-form",
        "a password does not belong in this file",
    ),
]


@pytest.mark.parametrize(("text", "id", "words"), JOB_FAULTS)
def test_a_bad_job_file_is_said_with_its_place(text: str, id: str, words: str) -> None:
    plan = plan_of(f"{HEAD}\n{ROW}\n", text)
    assert any(p.id == id and words in str(p) for p in plan.problems), plan.problems


def test_all_mistakes_are_told_at_once() -> None:
    rows = "\n".join(row for _, head, row, _ in SHEET_FAULTS if head == HEAD and "extra" not in row)
    assert len(ids(plan_of(f"{HEAD}\n{rows}\n"))) >= 10


def traits(sameness: str, length: int = 20, score: int = 4, letters: bool = True) -> SecretTraits:
    return SecretTraits(length, letters, True, score, sameness)


def test_password_policy_knows_only_traits() -> None:
    admin, view = SecretRef("kvr-wj-sw1/administrator"), SecretRef("shared-view")
    fine = plan_of(f"{HEAD}\n{ROW}\n", vaulted={admin: traits("a"), view: traits("b")})
    assert fine.problems == ()
    bad = plan_of(f"{HEAD}\n{ROW}\n", vaulted={admin: traits("a", 8, 1, letters=False), view: traits("a")})
    assert {"secret-refused", "secret-weak", "secret-in-two-roles"} <= ids(bad)
    assert any("shorter than 12" in p.what for p in bad.problems)


CHASSIS = tuple(f"{slot}/{port}" for slot in (1, 2) for port in range(1, 17))
MIXED = ("c1", "c2", "1", "2", "3")


@pytest.mark.parametrize(
    ("written", "known", "printed"),
    [
        ("gi1-4,7", tuple(map(str, range(1, 25))), "1-4,7"),
        ("1/7", tuple(map(str, range(1, 25))), "7"),
        ("1/0/7-1/0/8", tuple(map(str, range(1, 25))), "7-8"),
        ("2/7", tuple(map(str, range(1, 25))), "2/7"),  # a second member, which it does not have
        ("1/1/7", CHASSIS, "1/7"),
        ("1/2/15-1/2/16", CHASSIS, "2/15-2/16"),
        ("te2/3", CHASSIS, "2/3"),
        ("7", CHASSIS, "7"),  # of which slot?
        ("7", tuple(f"1/{n}" for n in range(1, 9)), "1/7"),
        ("c1", MIXED, "c1"),
        ("x1", MIXED, "x1"),  # c1 or 1?
        ("eth3", MIXED, "3"),
    ],
)
def test_ports_in_any_notation_become_those_that_the_family_prints(
    written: str, known: tuple[str, ...], printed: str
) -> None:
    assert fold_ports(as_the_family_prints(parse_ports(written), known)) == printed


def test_a_plan_tells_how_its_ports_were_written_and_both_ends_of_an_uplink_agree() -> None:
    rows = (
        "site,hostname,family,address,ports,uplinks\n"
        "wj,sw1,Quern S2,10.44.8.11,gi1-4 access vlan 20,gi24 cs1 their te1/2/15\n"
        "wj,cs1,Quern S9,10.44.8.2,,1/2/15 sw1 their 1/0/24\n"
    )
    found, problems = read_sheet(rows.encode())
    plan = resolve(read_job(JOB), found, RULES, None, tuple(problems))
    one, other = plan.devices
    assert str(one.values["switch.ports"].value[0]) == "1-4 access vlan 20"  # type: ignore[index]
    assert one.values["switch.ports"].origin.label == "sheet, row 2, written gi1-gi4"
    assert str(one.values["switch.uplinks"].value[0]) == "24 cs1 2/15"  # type: ignore[index]
    assert str(other.values["switch.uplinks"].value[0]) == "2/15 sw1 24"  # type: ignore[index]
    assert not {"port-unknown", "uplink-disagrees"} & {p.id for p in plan.problems}


def test_a_jobs_own_rules_for_passwords_bind_what_is_made_and_what_is_there() -> None:
    job = JOB + "password_rules: {shortest: 24, classes: [upper, sign]}\n"
    made = make_secret(RULES["quern-s2"].asked_of_passwords(plan_of(f"{HEAD}\n{ROW}\n", job).password_rules))
    assert len(made) >= 24 and any(c.isupper() for c in made) and any(not c.isalnum() for c in made)
    short = {SecretRef("shared-view"): SecretTraits(20, True, True, 4, "x", signs=False)}
    told = [p.what for p in plan_of(f"{HEAD}\n{ROW}\n", job, short).problems if p.id == "secret-against-rules"]
    assert told == [
        "the password of watch is against the job's rules: it is shorter than 24 characters",
        "the password of watch is against the job's rules: it has no sign",
    ]
    long = plan_of(f"{HEAD}\n{ROW}\n", job.replace("24", "60"))
    assert any("takes passwords of 48 characters; the job's rules want 60" in p.what for p in long.problems)
    assert "password-rules-form" in ids(plan_of(f"{HEAD}\n{ROW}\n", job.replace("upper", "capital")))
