"""What stands behind the plan's screens: the ladder, the laptop's address, jobs here, devices planned only."""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_address, ip_interface, ip_network
from pathlib import Path

import pytest

from tests.conftest import CARD, lay_out, zinger
from zinger.desk.editing import Desk
from zinger.desk.firstcontact import Port, commands, laptop_plan
from zinger.desk.incoming import Incoming
from zinger.desk.jobs import begin_empty, fresh_demo, last_job, recent_jobs, remember_job
from zinger.handover.papers import write_papers
from zinger.phrasebook.load import Families
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.ladder import Use, ladder
from zinger.plan.laptop import laptop_address
from zinger.plan.model import Plan
from zinger.plan.resolve import resolve
from zinger.plan.subjects.services.settings import SSH
from zinger.plan.subjects.wireless.settings import COUNTRY
from zinger.plan.subnets import hosts
from zinger.run.hands import RunError
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder, JobFolderError

FAMILIES = Families()
JOB = """\
job: x
addresses: {head: 3, tail: 2}
sites: {a: {name: A, subnet: 10.44.8.0/28}, b: {name: B, subnet: 10.44.0.0/15}, c: {name: C}}
baseline: {dns: {servers: [10.44.8.2]}}
roles: {r: {}}
"""


def plan_of(*rows: str, job: str = JOB) -> Plan:
    found, problems = read_sheet("\n".join(["site,family,hostname,address,inside,pool", *rows]).encode())
    return resolve(read_job(job), found, FAMILIES.rules, None, tuple(problems))


def test_the_ladder_says_what_each_address_is_for() -> None:
    plan = plan_of(
        "A,Quern S2,s1,10.44.8.5,,",
        "A,Quern S2,s2,10.44.8.5,,",
        "A,Quern S2,s3,10.44.8.8,,",
        "A,Pennant R3,r1,,10.44.8.4/28,10.44.8.8-9",
    )
    site = plan.sites[0]
    shown = ladder(plan.devices, site)
    assert shown is not None
    base = int(ip_address("10.44.8.0"))
    uses = [shown.use(base + n) for n in range(16)]
    assert uses[1] is Use.GATEWAY and uses[2] is Use.SERVER and uses[3] is Use.RESERVED and uses[4] is Use.DEVICE
    assert uses[5] is Use.CLASH and uses[6] is Use.FREE and uses[9] is Use.POOL and uses[13] is Use.RESERVED
    assert uses[8] is Use.CLASH, "a fixed address inside a pool"
    assert shown.count(Use.FREE) == sum(use is Use.FREE for use in uses[1:15])
    assert ladder((), plan.sites[1]) is None and ladder((), plan.sites[2]) is None


@pytest.mark.parametrize(
    ("net", "first", "last"),
    [
        ("10.0.0.0/30", "10.0.0.1", "10.0.0.2"),
        ("10.0.0.0/31", "10.0.0.0", "10.0.0.1"),
        ("10.0.0.7/32", "10.0.0.7", "10.0.0.7"),
        ("2001:db8::/126", "2001:db8::1", "2001:db8::3"),
    ],
)
def test_hosts_of_a_subnet(net: str, first: str, last: str) -> None:
    assert hosts(ip_network(net)) == (int(ip_address(first)), int(ip_address(last)))


def test_the_laptops_address_avoids_the_device_gateways_plan_and_this_machine() -> None:
    card = FAMILIES["tarn-b2"]
    plan = plan_of("C,Tarn B2,b1,192.0.2.189/26,,")
    ports = [Port("eth0", True, (ip_address("192.0.2.188"), ip_address("10.0.0.5"))), Port("eth1", False, ())]
    made = laptop_plan(card, plan, ports)
    assert made is not None and str(made.address) == "192.0.2.187/26" and made.port == "eth0"
    assert made.already == "eth0 has 192.0.2.188 already"
    assert laptop_plan(FAMILIES["hollin-g4"], plan, ports) is None
    full = [ip_address(n) for n in range(int(ip_address("192.0.2.0")), int(ip_address("192.0.2.0")) + 256)]
    assert laptop_address(ip_network("192.0.2.0/24"), full) is None


def test_the_commands_set_it_and_put_it_back_on_three_systems() -> None:
    told = {system: (put, back) for system, put, back in commands(ip_interface("192.0.2.251/25"), "eth0")}
    assert told["Linux"] == (
        "sudo ip address add 192.0.2.251/25 dev eth0",
        "sudo ip address del 192.0.2.251/25 dev eth0",
    )
    assert "255.255.255.128" in told["macOS"][0] and "-alias 192.0.2.251" in told["macOS"][1]
    assert told["Windows"][1] == 'netsh interface ipv4 delete address "Ethernet" 192.0.2.251'


@pytest.mark.parametrize("family", FAMILIES)
def test_every_family_has_a_whole_factory_card(family: str) -> None:
    card = FAMILIES[family]
    assert card.panel and "{" in card.panel and card.lights and card.factory.reach and card.factory.boots_in > 0
    assert card.rules.factory or card.factory.console, "one way in at least"
    if card.rules.factory:
        documentation = ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24")
        assert any(card.rules.factory.ip in ip_network(net) for net in documentation)
    lines = card.panel.splitlines()
    assert max(map(len, lines)) <= 76, "it fits into 80 columns"


JOB_FAULTS = [
    ("addresses: {head: ten}", "addresses-form", "head: 'ten' is not a whole number"),
    ("addresses: {gateway: middle}", "addresses-form", "'middle' is not one of first, last"),
    ("addresses: {hed: 3}", "job-shape", "did you mean head?"),
    ("naming: '{site}'", "naming-form", "counts nothing"),
    ("families: {quern-s3: {banner: x}}", "unknown-family", "did you mean quern-s"),
    ("baseline: {switch: {vlans: {5000: x}}}", "switch-vlans-form", "5000 is not a valid VLAN"),
    ("baseline: {switch: {vlan: {20: x}}}", "unknown-setting", "did you mean switch.vlans?"),
    ("baseline: {edge: {dhcp: {first: 10.0.0.1}}}", "edge-dhcp-form", "does not say its last"),
]


@pytest.mark.parametrize(("line", "id", "words"), JOB_FAULTS)
def test_a_rule_of_the_job_that_can_not_be_read_is_told(line: str, id: str, words: str) -> None:
    job = f"job: x\n{line}\nsites: {{a: {{name: A, subnet: 10.44.8.0/28}}}}\n"
    problems = [p for p in plan_of("A,Quern S2,s1,10.44.8.5,,", job=job).problems if p.id == id]
    assert problems and any(words in str(p) and p.spot.file == "job.yaml" for p in problems)


def test_layers_win_in_order_and_wireless_never_lands_on_a_switch() -> None:
    job = (
        "job: x\nbaseline: {wireless: {country: AT}, services: {ssh: on}}\nroles: {access: {services: {ssh: off}}}\n"
        "sites: {a: {name: A, subnet: 10.44.8.0/24}}\nfamilies: {tarn-b2: {services: {ssh: on}}}\n"
    )
    found, _ = read_sheet(
        b"site,family,role,hostname,ssh\nA,Quern S2,access,s1,\nA,Tarn B2,access,b1,\nA,Tarn B2,access,b2,no\n"
    )
    plan = resolve(read_job(job), found, FAMILIES.rules)
    said = {d.name: [str(plan.device(d.name)[SSH]), len(d.values["services.ssh"].overrode)] for d in plan.devices}
    assert said == {"s1": ["False", 1], "b1": ["True", 2], "b2": ["False", 3]}
    assert "wireless.country" not in plan.device("s1").values and plan.device("b1")[COUNTRY] == "AT"


# -- jobs on this machine -----------------------------------------------------------------------------------
@pytest.fixture
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return tmp_path


def test_recent_jobs_are_remembered_and_those_that_are_gone_left_out(own_state: Path) -> None:
    assert recent_jobs() == [] and last_job() is None
    one, two = lay_out(own_state / "one"), lay_out(own_state / "two")
    for path in (one, two, one):
        remember_job(path, 16)
    assert [job.path for job in recent_jobs()] == [one, two] and last_job() == one
    assert recent_jobs()[0].title == "Kettlestone Valley Railway" and not recent_jobs()[0].live
    (one / "job.yaml").unlink()
    assert last_job() == two
    (own_state / "state" / "zinger" / "recent-jobs.json").write_text("not json")
    assert recent_jobs() == []


def test_a_job_from_nothing_and_a_fresh_demo(own_state: Path) -> None:
    begin_empty(own_state / "new", "Winter: 2027")
    job = OpenJob(JobFolder(own_state / "new"))
    assert job.plan.title == "Winter: 2027" and [p.id for p in job.plan.problems] == ["sheet-empty"]
    with pytest.raises(JobFolderError, match="is a job already"):
        begin_empty(own_state / "new", "again")
    assert len(OpenJob(JobFolder(fresh_demo())).plan.devices) == 16


def test_a_sheet_goes_into_a_new_job_with_its_sites_and_subnets(own_state: Path) -> None:
    sheet = own_state / "s.csv"
    sheet.write_text(
        "site,name,type,ip,role\nWheal Junction,a,quern-s2,10.44.8.1/24,access\nWheal Junction,b,quern-s2,,x y\n"
    )
    incoming = Incoming(own_state / "job", "Winter", sheet)
    proposal = incoming.look(sheet)
    imported = incoming.read(proposal)
    effect = incoming.effect(imported)
    assert effect.summary.startswith("2 new") and not (own_state / "job").exists()
    folder = incoming.take(proposal, effect)
    text = (folder / "job.yaml").read_text()
    assert "wj: {name: Wheal Junction, subnet: 10.44.8.0/24}" in text and "x y: {}" in text
    assert "2 the same" in Incoming(folder).effect(imported).summary


# -- devices that are planned only --------------------------------------------------------------------------
def test_devices_without_a_phrasebook_are_planned_and_say_so(job: Callable[..., Path]) -> None:
    folder = job()
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks/lathe-c1.yaml").write_text(CARD)
    sheet = folder / "devices.csv"
    sheet.write_text(sheet.read_text().replace("Pennant R3", "Lathe C1"))
    opened = OpenJob(JobFolder(folder))
    assert len(opened.scripts) == 15 and len(opened.board.planned) == 1
    run = Run(opened, Options())
    assert [d.name for d in run.devices()] == list(opened.scripts)
    with pytest.raises(RunError, match="Lathe C1 has no phrasebook yet"):
        Run(opened, Options(only=["kvr-cb-rt1"])).devices()
    done = zinger("run", folder, "--headless", "--only", "kvr-cb-rt1")
    assert done.returncode == 2 and "can't be spoken to" in done.stderr
    write_papers(opened.folder, opened.plan, opened.scripts)
    assert "planned only" in (folder / "handover" / "site-corbel-bridge.svg").read_text()


def test_the_desk_knows_where_an_edit_can_go(job: Callable[..., Path]) -> None:
    desk = Desk(JobFolder(job()), FAMILIES.rules, {})
    one, other = desk.plan.device("kvr-wj-sw1"), desk.plan.device("kvr-cb-fw1")
    assert [p.words for p in desk.targets([one], "banner")] == [
        "this device",
        "role access",
        "Wheal Junction",
        "the baseline",
    ]
    assert [p.words for p in desk.targets([one, other], "banner")] == ["these 2 devices", "the baseline"]
    assert [p.words for p in desk.targets([one], "subnet")] == ["Wheal Junction"]
    assert [p.words for p in desk.targets([one], "serial")] == ["this device"]
    (change,) = desk.changes([one], "dns.servers", "10.44.8.9", desk.targets([one], "dns.servers")[2])
    assert change.path == ("sites", "wj", "dns", "servers") and change.row is None
    desk.make([change], "x")
    value = desk.resolved().device("kvr-wj-sw2").values["dns.servers"]
    assert value.shown == "10.44.8.9" and value.origin.label == "Wheal Junction"
    assert desk.text(one, "subnet") == "10.44.8.0/24" and desk.text(one, "mac") == "02-4b-56-10-33-01"
    assert "is not a valid subnet" in desk.refusal("subnet", "x") and desk.refusal("serial", "anything") == ""
