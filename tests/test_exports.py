"""The exports, each read by the very program that is to take it; where Debian's package is not there, skipped aloud."""

from __future__ import annotations

import csv
import io
import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from openpyxl import load_workbook
from ruamel.yaml import YAML

from tests.conftest import zinger
from zinger.handover.exports.inventory import as_csv, as_xlsx
from zinger.handover.exports.names import known_hosts, ssh_config
from zinger.handover.exports.pack import Pack
from zinger.handover.labels import SHEETS, LabelError, sheet_of
from zinger.handover.papers import Part, papers_of
from zinger.handover.record import records
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder

NEED = Path(__file__).parents[1] / "tools/need"
MODULES = Path("/usr/share/yuma")
"""YANG modules of the IETF, as Debian's libyuma-base has them."""


def needs(*pairs: str) -> None:
    """Programs with their packages, installed where that can be done, else a test is skipped and says so."""
    got = subprocess.run([NEED, *pairs], capture_output=True, text=True)
    if got.returncode:
        pytest.skip(f"needs {', '.join(pair.partition(':')[2] for pair in pairs)}: {got.stderr.strip()}")


@pytest.fixture
def papers(job: Callable[..., Path]) -> dict[str, bytes]:
    opened = OpenJob(JobFolder(job()))
    return papers_of(opened.folder, opened.plan, opened.scripts, opened.books).all()


def accepted(*words: str | Path) -> str:
    done = subprocess.run([str(word) for word in words], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout + done.stderr


def test_zones_and_reverse_zones_are_loaded_by_a_name_server(papers: dict[str, bytes], tmp_path: Path) -> None:
    needs("named-checkzone:bind9-utils")
    zones = {name: data for name, data in papers.items() if name.startswith("exports/zones/")}
    assert len(zones) == 5
    for name, data in zones.items():
        (tmp_path / "zone").write_bytes(data)
        zone = Path(name).name.removesuffix(".zone")
        assert "loaded serial" in accepted("named-checkzone", "-i", "local", zone, tmp_path / "zone")
    assert b"11\tIN PTR\tkvr-wj-sw1.kettlestone.example." in zones["exports/zones/8.44.10.in-addr.arpa.zone"]


def test_reservations_are_taken_by_both_dhcp_servers(papers: dict[str, bytes], tmp_path: Path) -> None:
    needs("kea-dhcp4:kea-dhcp4-server", "dnsmasq:dnsmasq-base")
    for name in ("dnsmasq.conf", "kea-dhcp4.json"):
        (tmp_path / name).write_bytes(papers[f"exports/{name}"])
    assert "syntax check OK" in accepted("dnsmasq", "--test", "-C", tmp_path / "dnsmasq.conf")
    accepted("kea-dhcp4", "-t", tmp_path / "kea-dhcp4.json")
    subnets = json.loads(papers["exports/kea-dhcp4.json"])["Dhcp4"]["subnet4"]
    held = {r["hostname"]: r["ip-address"] for subnet in subnets for r in subnet["reservations"]}
    assert len(held) == 16 and held["kvr-wj-sw1"] == "10.44.8.11"


def test_each_device_is_valid_data_of_the_ietf_modules(papers: dict[str, bytes], tmp_path: Path) -> None:
    needs("yanglint:libyang-tools", f"{MODULES}:libyuma-base")
    old, new = MODULES / "modules/ietf", MODULES / "nmda-modules/ietf"
    modules = [
        *(old / f"{name}.yang" for name in ("ietf-system@2014-08-06", "iana-if-type@2014-05-08")),
        *(new / f"ietf-{name}.yang" for name in ("interfaces@2018-02-20", "ip@2018-02-22", "routing@2018-03-13")),
        *(new / f"ietf-ipv{n}-unicast-routing@2018-03-13.yang" for n in "46"),
    ]
    features = ("-F", "ietf-system:timezone-name,authentication,local-users,ntp", "-F", "ietf-ip:")
    devices = {name: data for name, data in papers.items() if name.startswith("exports/yang/")}
    assert len(devices) == 16
    files = []
    for name, data in devices.items():
        files.append(tmp_path / Path(name).name)
        files[-1].write_bytes(data)
    for file in files:
        accepted("yanglint", "-i", "-t", "config", "-p", new, "-p", old, *features, *modules, file)
    broken = tmp_path / "broken.json"
    broken.write_bytes(devices["exports/yang/kvr-wj-sw1.json"].replace(b'"10.44.8.11"', b'"10.44.8"'))
    words = ["yanglint", "-i", "-t", "config", "-p", new, "-p", old, *features, *modules, broken]
    assert subprocess.run([str(word) for word in words], capture_output=True).returncode != 0, "it does look"


def test_openssh_reads_the_configuration_and_knows_the_hosts(job: Callable[..., Path], tmp_path: Path) -> None:
    needs("ssh:openssh-client", "ssh-keygen:openssh-client")
    opened = OpenJob(JobFolder(job()))
    accepted("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", tmp_path / "key")
    public = " ".join((tmp_path / "key.pub").read_text().split()[:2])
    pack = Pack("Job\nHost evil", 0.0, records(opened.plan, opened.scripts, []), opened.books,
                f"kvr-wj-sw1 {public}\n10.44.8.11 {public}\nelsewhere {public}\n")  # fmt: skip
    (tmp_path / "config").write_text(ssh_config(pack))
    (tmp_path / "known").write_text(known_hosts(pack))
    shown = accepted("ssh", "-G", "-F", tmp_path / "config", "kvr-wj-sw1.kettlestone.example").splitlines()
    assert {"hostname 10.44.8.11", "user kettle-admin", "hostkeyalias kvr-wj-sw1"} <= set(shown)
    assert "found" in accepted("ssh-keygen", "-F", "kvr-wj-sw1", "-f", tmp_path / "known")
    assert (tmp_path / "known").read_text().count("\n") == 1 and "\nHost evil" not in ssh_config(pack)


def test_the_inventory_is_the_same_in_three_formats_and_never_a_formula(papers: dict[str, bytes]) -> None:
    table = list(csv.DictReader(io.StringIO(papers["exports/inventory.csv"].decode())))
    sheet = load_workbook(io.BytesIO(papers["exports/inventory.xlsx"])).active
    head, *rows = ([cell.value or "" for cell in row] for row in sheet.iter_rows())
    assert [dict(zip(head, row, strict=True)) for row in rows] == table
    listed = YAML(typ="safe").load(papers["exports/inventory.yaml"].decode())["devices"]
    assert [device["hostname"] for device in listed] == [row["hostname"] for row in table]
    checks = {
        (row["check"], row["port"]) for row in csv.DictReader(io.StringIO(papers["exports/monitoring.csv"].decode()))
    }
    assert checks == {("ping", ""), ("ssh", "22"), ("https", "443")}


def test_what_a_sheet_says_is_no_formula_in_the_inventory(job: Callable[..., Path]) -> None:
    sheet = 'site,hostname,family,address,label\nwj,sw1,Quern S2,10.44.8.11,"=HYPERLINK(""x"")"\n'
    opened = OpenJob(JobFolder(job(devices_csv=sheet)))
    pack = Pack("title", 0.0, records(opened.plan, opened.scripts, []))
    assert b",'=HYPERLINK" in as_csv(pack) or b"\"'=HYPERLINK" in as_csv(pack)
    cells = [cell for row in load_workbook(io.BytesIO(as_xlsx(pack))).active.iter_rows() for cell in row]
    assert all(cell.data_type != "f" for cell in cells)


def test_papers_of_one_site_or_since_a_day_have_a_folder_of_their_own(job: Callable[..., Path]) -> None:
    folder = job()
    done = zinger("handover", folder, "--site", "uk", "--json")
    assert done.returncode == 0, done.stderr
    written = [Path(path).relative_to(folder / "handover") for path in json.loads(done.stdout)]
    assert {path.parts[0] for path in written} == {"uk"} and Path("uk/site-upper-kettle.svg") in written
    assert "kvr-wj-sw1" not in (folder / "handover/uk/exports/hosts").read_text()
    assert "0 of 0 devices proved" in zinger("handover", folder, "--since", "monday", "--print", "mail.txt").stdout
    assert "10.44.8.11\tkvr-wj-sw1.kettlestone.example" in zinger("handover", folder, "--print", "hosts").stdout
    for words, said in ((["--site", "xx"], "it has Wheal Junction"), (["--since", "blue"], "write a day like")):
        refused = zinger("handover", folder, *words)
        assert refused.returncode == 2 and said in refused.stderr
    assert "not a size of labels" in zinger("handover", folder, "--labels", "big").stderr


def test_every_sheet_of_labels_fits_on_its_paper() -> None:
    for sheet in (*SHEETS.values(), sheet_of("60x30"), sheet_of("200x280")):
        places = [sheet.place(number) for number in range(sheet.columns * sheet.rows)]
        assert min(x for x, _ in places) >= 0 and max(x for x, _ in places) + sheet.width <= 210.001
        assert min(y for _, y in places) >= 0 and max(y for _, y in places) + sheet.height <= 297.001
        assert len(set(places)) == len(places)
    with pytest.raises(LabelError, match="do not fit"):
        sheet_of("5x5")
    assert Part(("Upper Kettle",)).folder == "upper-kettle"
