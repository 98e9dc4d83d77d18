"""Whole runs over simulated devices that have pages: what is refused, who is there, and whose turn it is."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from tests.conftest import stop_yard, zinger

HEAD = "site,role,hostname,family,address,serial,mac\n"
BROKER = "Corbel Bridge,broker,kvrcbtb{n},Quern T1,10.44.16.2{n},QT1-000{n},02-4b-56-91-00-0{n}\n"
FAST = "pace: 300\nlinger: 60\n"


def test_two_with_one_factory_address_take_turns(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=HEAD + BROKER.format(n=3) + BROKER.format(n=4), practice_yaml=FAST)
    done = zinger("run", folder, "--headless", "--no-power-cut")
    assert done.stdout.splitlines()[-1].startswith("0 of 2 devices proved, 2 configured"), done.stdout + done.stderr
    assert done.stdout.count("survival: not seen") == 2
    assert "nothing answers as" not in done.stdout


def test_what_one_field_can_not_take_leaves_the_rest_to_be_sent(job: Callable[..., Path]) -> None:
    """The zone is not on offer there: it is that setting's refusal, in words, and all else on the page is set."""
    text = (folder := job(devices_csv=HEAD + BROKER.format(n=3), practice_yaml=FAST)) / "job.yaml"
    text.write_text(text.read_text().replace("Europe/Vienna", "Europe/Lisbon"))
    done = zinger("run", folder, "--headless", "--json")
    device = json.loads(done.stdout)["devices"][0]
    wrong = {f["setting"] for f in device["findings"] if f["verdict"] != "holds"}
    assert done.returncode == 1 and wrong == {"clock.zone"}, done.stdout
    refused = [debt for debt in device["owed"] if debt["setting"] == "clock.zone"]
    assert "does not offer 'Europe/Lisbon'; it offers UTC, Europe/Vienna" in refused[0]["why"]


OFFICE = "Corbel Bridge,office,kvrcbos1,Pennant P1,10.44.16.21,PP1-4402,02-4b-56-71-44-02\n"


def test_a_device_that_took_a_lease_is_found_by_its_mac(job: Callable[..., Path]) -> None:
    """Its fallback address is dead then."""
    practice = FAST + "faults: {kvrcbos1: {lease: 10.44.16.50/24}}\n"
    folder = job(devices_csv=HEAD + OFFICE, practice_yaml=practice)
    (folder / "dnsmasq.leases").write_text("1999999999 02:4b:56:71:44:02 10.44.16.50 p1 *\n")
    done = zinger("run", folder, "--headless", "--leases", folder / "dnsmasq.leases")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    first = min((folder / "records").glob("*.har"), key=lambda file: file.stat().st_mtime)
    assert json.loads(first.read_text())["log"]["entries"][0]["request"]["url"] == "https://10.44.16.50/state"
    missing = zinger("run", folder, "--headless", "--leases", folder / "none")
    assert missing.returncode == 3 and "can't be read" in missing.stdout


def test_another_box_at_the_factory_address_is_told_before_anything_is_sent(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=HEAD + BROKER.format(n=3), practice_yaml=FAST)
    assert zinger("run", folder, "--headless", "--no-power-cut", "--keep-yard").returncode == 1
    (folder / "devices.csv").write_text(HEAD + BROKER.format(n=3).replace("QT1-0003", "QT1-9999"))
    (folder / "journal.db").unlink()
    done = zinger("run", folder, "--headless", "--no-power-cut")
    stop_yard(folder)
    assert done.returncode == 3 and "Wrong device: serial QT1-0003, expected QT1-9999" in done.stdout, done.stdout
