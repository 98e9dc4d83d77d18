"""Whole runs over simulated devices that have pages: what is refused, who is there, and whose turn it is."""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import stop_yard, zinger
from zinger.link.yard import Yard
from zinger.run import practice
from zinger.run.hands import Act, Verb
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.practice import YardHands
from zinger.run.run import Run
from zinger.run.stages.save import Save
from zinger.run.stages.stage import Pass
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal

HEAD = "site,role,hostname,family,address,serial,mac\n"
BROKER = "Corbel Bridge,broker,kvrcbtb{n},Quern T1,10.44.16.2{n},QT1-000{n},02-4b-56-91-00-0{n}\n"
FAST = "pace: 300\nlinger: 60\n"


def test_two_with_one_factory_address_take_turns(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=HEAD + BROKER.format(n=3) + BROKER.format(n=4), practice_yaml=FAST)
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "2 of 2 devices proved", done.stdout + done.stderr


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


def test_a_lease_that_comes_late_is_waited_for_where_nothing_else_leads_there(job: Callable[..., Path]) -> None:
    """A family without a factory address: what has only a lease, like an access point."""
    practice = FAST + "faults: {kvrcbos1: {lease: 10.44.16.50/24}}\n"
    folder = job(devices_csv=HEAD + OFFICE, practice_yaml=practice)
    book = (resources.files("zinger") / "phrasebook/families/pennant-p1.yaml").read_text("utf-8")
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks/pennant-p1.yaml").write_text(book.replace("address: 192.0.2.73/27", "address: ''"))
    (leases := folder / "kea.csv").write_text("address,hwaddr,client_id,valid_lifetime,expire\n")
    late = "10.44.16.50,02:4b:56:71:44:02,,3600,1999999999\n"
    timer = threading.Timer(2.0, lambda: leases.write_text(leases.read_text() + late))
    timer.start()
    done = zinger("run", folder, "--headless", "--leases", leases)
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr


def test_what_was_not_pressed_in_time_is_pressed_after_it_was_switched_on_again(
    job: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = job(devices_csv=HEAD + BROKER.format(n=3), practice_yaml=FAST)
    did: list[tuple[str, str]] = []
    quick = YardHands.__call__

    async def slow_at_first(self: YardHands, act: Act) -> None:
        did.append((act.verb.value, act.see))
        if act.verb is Verb.PRESS and len(did) == 2:
            await asyncio.sleep(4)
        await quick(self, act)

    monkeypatch.setattr(YardHands, "__call__", slow_at_first)
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    pulses = "TAP pulses twice and goes on in amber"
    assert did[:4] == [("plug", ""), ("press", pulses), ("power cut", ""), ("press", pulses)]


def test_a_certificate_that_is_not_the_labels_is_told_before_anything_is_sent(job: Callable[..., Path]) -> None:
    printed = ":".join(["3F"] * 32)
    sheet = HEAD.strip() + ",certificate fingerprint\n" + BROKER.format(n=3).strip()
    folder = job(devices_csv=f"{sheet},{printed}\n", practice_yaml=FAST)
    done = zinger("run", folder, "--headless")
    assert done.returncode == 3 and f"its label has {printed}. Nothing was sent" in done.stdout
    assert not list((folder / "records").glob("*.har")) and not (folder / "certificates").exists()
    (folder / "devices.csv").write_text(f"{sheet},{printed[3:]}\n")
    assert "is not a valid certificate fingerprint" in zinger("check", folder).stdout


def test_another_box_at_the_factory_address_is_told_before_anything_is_sent(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=HEAD + BROKER.format(n=3), practice_yaml=FAST)
    assert zinger("run", folder, "--headless", "--no-power-cut", "--keep-yard").returncode == 1
    (folder / "devices.csv").write_text(HEAD + BROKER.format(n=3).replace("QT1-0003", "QT1-9999"))
    (folder / "journal.db").unlink()
    done = zinger("run", folder, "--headless", "--no-power-cut")
    stop_yard(folder)
    assert done.returncode == 3 and "Wrong device: serial QT1-0003, expected QT1-9999" in done.stdout, done.stdout


FIREWALL = "Corbel Bridge,firewall,kvr-cb-fw1,Hollin E3,,HE3-5512,02-4b-56-63-55-12\n"
EDGE = HEAD.strip() + ",local,upstream{more}\n" + FIREWALL.strip() + ",10.44.16.4/24,dhcp{pool}\n"


def test_a_new_certificate_after_a_move_counts_once_the_serial_number_is_compared(job: Callable[..., Path]) -> None:
    """The firewall makes itself a new one for its new address; terms accepted ahead are not asked for."""
    sheet = EDGE.format(more=",DHCP pool", pool=",10.44.16.100-147")
    folder = job(devices_csv=sheet, practice_yaml=FAST)
    ahead = zinger("accept-terms", folder, "hollin-e3", "--yes")
    assert ahead.returncode == 0 and "accepted for this job" in ahead.stdout
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    kinds = [entry.kind for entry in Journal(folder / "journal.db").entries()]
    shown = [entry.data for entry in Journal(folder / "journal.db").entries() if entry.kind == "kept"]
    assert shown[0]["what"] == "what comes into force"
    assert "address: 192.0.2.1/24 becomes 10.44.16.4/24" in shown[0]["lines"]
    asked = [entry for entry in Journal(folder / "journal.db").entries() if entry.data.get("verb") == "terms"]
    assert kinds.count("new certificate") == 1 and asked == []
    assert "terms of hollin-e3 are accepted" in zinger("accept-terms", folder, "hollin-e3", "--yes").stdout


def test_what_is_refused_again_after_a_restart_is_not_sent_for_ever(job: Callable[..., Path]) -> None:
    """Without a planned pool the factory's does not fit the new local side: the device says so, beside its field."""
    done = zinger("run", job(devices_csv=EDGE.format(more="", pool=""), practice_yaml=FAST), "--headless")
    assert done.returncode in (1, 3) and "it is not in 10.44.16.0/24" in done.stdout, done.stdout + done.stderr
    assert done.stdout.count("put into force") < 6


@pytest.mark.parametrize(
    ("fault", "end"),
    [
        ("{5: 500 after}", "1 of 1 devices proved"),
        ("{4: lost after, 9: half}", "1 of 1 devices proved"),
        ("{6: power}", "1 of 1 devices proved"),
        ("{3: other}", "0 of 1 devices proved"),
    ],
)
def test_what_goes_wrong_at_one_request_is_gone_past_or_told(job: Callable[..., Path], fault: str, end: str) -> None:
    practice = FAST + f"faults: {{kvrcbtb3: {{pages: {fault}}}}}\n"
    done = zinger("run", job(devices_csv=HEAD + BROKER.format(n=3), practice_yaml=practice), "--headless")
    assert done.stdout.splitlines()[-1] == end, done.stdout + done.stderr
    assert end.startswith("1") or "Unknown page: no place of this phrasebook is like Notice" in done.stdout


def test_who_lost_with_the_power_what_was_not_kept_is_found_at_its_factory_address(
    job: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, cuts = job(devices_csv=HEAD + OFFICE, practice_yaml=FAST), [1]
    keeps = Save.carry

    async def after_a_cut(self: Save, on: Pass) -> None:
        if cuts:
            cuts.clear()
            await on.wire.connect()  # it is met where it moved, and nothing is kept yet
            yard = Yard.from_file(folder / ".yard/ready.json")
            for is_on in (False, True):
                await yard.ask("power", device="kvrcbos1", on=is_on)
            yard.close()
        await keeps(self, on)

    monkeypatch.setattr(Save, "carry", after_a_cut)
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    sent = [e.data["setting"] for e in Journal(folder / "journal.db").entries() if e.kind == "sent"]
    assert sent.count("management.address") == 2  # and the second time it was sent from its factory address


@pytest.mark.parametrize(
    ("sheet", "name"), [(OFFICE, "kvrcbos1"), (BROKER.format(n=3), "kvrcbtb3")], ids=["lease or factory", "pressed"]
)
def test_a_device_that_somebody_else_configured_is_brought_back_by_hand(
    job: Callable[..., Path], sheet: str, name: str
) -> None:
    folder = job(devices_csv=HEAD + sheet, practice_yaml=FAST + f"faults: {{{name}: {{used: true}}}}\n")
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    acts = [entry.data["verb"] for entry in Journal(folder / "journal.db").entries() if entry.kind == "hands"]
    assert acts.count("factory state") == 1


TRACK = (
    "site,role,hostname,family,address,serial,mac\n"
    "Upper Kettle,trackside,kvr-uk-is1,Pennant I7,10.44.24.11,PI7-3308,02-4b-56-77-33-08\n"
)


def test_a_selector_is_turned_by_hand_and_what_it_will_do_is_evidence(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=TRACK, practice_yaml=FAST)
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    entries = list(Journal(folder / "journal.db").entries())
    asked = [entry.data["do"] for entry in entries if entry.kind == "hands asked"]
    assert asked[0].startswith("turn the selector under the lid to BENCH; then plug the network cable into kvr-uk-is1")
    assert "at kvr-uk-is1: turn the selector to PLANT, switch it off and on" in asked
    shown = [entry.data for entry in entries if entry.kind == "kept"]
    assert shown[0]["what"] == "what it will do" and "let ringA be 9" in shown[0]["lines"]
    again = zinger("run", folder, "--headless")  # set up already: nothing is turned, nothing sent
    assert again.stdout.splitlines()[-1] == "1 of 1 devices proved", again.stdout + again.stderr
    assert "selector" not in again.stdout


async def test_a_device_that_hands_out_addresses_is_on_before_the_laptop_waits_for_one(
    job: Callable[..., Path],
) -> None:
    """Live, by hand; nobody gets as far as an address here, so nothing is dialled."""
    row = "Upper Kettle,trackside,kvr-uk-is1,Pennant I7,10.44.24.11,PI7-3308,02-4b-56-77-33-08\n"
    folder = job(devices_csv=HEAD + row)
    (folder / "job.yaml").write_text((folder / "job.yaml").read_text().replace("mode: practice", "mode: live"))
    run = Run(OpenJob(JobFolder(folder)), Options())
    await run.start()
    hands = run.world.hands
    asked: list[Act] = []
    async with asyncio.timeout(60):
        while not asked or asked[-1].verb is not Verb.DHCP:
            await asyncio.sleep(0.01)
            for act in [item.act for item in hands.in_order() if item.act not in asked]:
                asked.append(act)
                if act.verb is not Verb.DHCP:
                    hands.finish(act)
    await run.stop()
    assert [act.verb for act in asked] == [Verb.PLUG, Verb.DHCP], asked
    assert "selector under the lid to BENCH" in asked[0].do, "it is read at power-on only"


def test_a_router_gives_its_configuration_which_is_sealed_into_the_job(job: Callable[..., Path]) -> None:
    sheet = (resources.files("zinger") / "demo/devices.csv").read_text("utf-8").splitlines(keepends=True)
    folder = job(devices_csv=sheet[0] + next(row for row in sheet if "Pennant R3" in row), practice_yaml=FAST)
    done = zinger("run", folder, "--headless")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    (file,) = (folder / "files").iterdir()
    assert file.read_bytes().startswith(b"age-encryption.org/v1")
    assert str(file) in zinger("backup", folder).stdout
    assert zinger("backup", folder, "kvr-cb-rt1", "--out", folder / "r3.txt").returncode == 0
    assert "local = 10.44.17.1/24" in (folder / "r3.txt").read_text()
    assert "name a device" in zinger("backup", folder, "--out", folder / "x").stderr


def test_a_router_that_lost_everything_gets_back_what_it_gave_and_its_keys_anew(job: Callable[..., Path]) -> None:
    sheet = (resources.files("zinger") / "demo/devices.csv").read_text("utf-8").splitlines(keepends=True)
    folder = job(devices_csv=sheet[0] + next(row for row in sheet if "Pennant R3" in row), practice_yaml=FAST)
    assert zinger("run", folder, "--headless", "--keep-yard").returncode == 0
    assert "say of which: --only DEVICE" in zinger("run", folder, "--headless", "--restore").stderr
    asyncio.run(_lose_everything(folder, "kvr-cb-rt1"))
    done = zinger("run", folder, "--headless", "--only", "kvr-cb-rt1", "--restore", "--json")
    assert done.returncode == 0, done.stdout + done.stderr
    sent = [e.data.get("setting") for e in _entries_after(folder, "restored") if e.kind == "send"]
    assert "wireless.ssids" in sent and "hostname" not in sent and "edge.forwards" not in sent


async def _lose_everything(folder: Path, device: str) -> None:
    yard = Yard.from_file(folder / ".yard/ready.json")
    await yard.ask("clean", device=device)
    yard.close()


def _entries_after(folder: Path, kind: str) -> list[Any]:
    journal = Journal(folder / "journal.db")
    entries = list(journal.entries("kvr-cb-rt1"))
    journal.close()
    return entries[next(n for n, entry in enumerate(entries) if entry.kind == kind) :]


BRIDGE = HEAD.strip() + ",bridge\n"
ENDS = (
    "Upper Kettle,bridge,kvr-uk-br1,Tarn B2,10.44.24.21,TB2-6001,02-4b-56-62-60-01,"
    "kvr-uk-br2 access-point channel 100 power 12 dBm distance {metres} m\n"
    "Upper Kettle,bridge,kvr-uk-br2,Tarn B2,10.44.24.22,TB2-6002,02-4b-56-62-60-02,"
    "kvr-uk-br1 station channel 100 power 12 dBm distance {metres} m\n"
)


def test_the_end_that_follows_waits_for_the_one_that_leads_and_both_measure_the_signal(
    job: Callable[..., Path],
) -> None:
    first, second = ENDS.format(metres=84).splitlines(keepends=True)
    folder = job(devices_csv=BRIDGE + second + first, practice_yaml=FAST)  # by the sheet the other one would be first
    done = zinger("run", folder, "--headless", "--json")
    assert done.returncode == 0, done.stdout + done.stderr
    found = [f for d in json.loads(done.stdout)["devices"] for f in d["findings"] if f["setting"] == "wireless.signal"]
    assert [(f["source"], f["planned"], f["verdict"]) for f in found] == [("running", "34", "holds")] * 2
    assert all(int(f["read"]) >= 34 for f in found)


def test_a_follower_alone_is_refused_in_the_devices_words_and_a_weak_signal_differs(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=BRIDGE + ENDS.format(metres=84), practice_yaml=FAST)
    alone = zinger("run", folder, "--headless", "--no-power-cut", "--only", "kvr-uk-br2")
    assert alone.returncode == 1 and "kvr-uk-br1 was not heard; listen first" in alone.stdout, alone.stdout
    folder = job("weak", devices_csv=BRIDGE.strip() + ",SNR\n" + ENDS.format(metres=84).replace(" m\n", " m,80\n"))
    weak = zinger("run", folder, "--headless", "--no-power-cut", "--pace", "300", "--json")
    differing = {
        f["setting"] for d in json.loads(weak.stdout)["devices"] for f in d["findings"] if f["verdict"] != "holds"
    }
    assert weak.returncode == 1 and differing == {"wireless.signal"}, weak.stdout


def test_a_router_joins_another_network_after_it_heard_it_and_only_with_its_key(job: Callable[..., Path]) -> None:
    sheet = (resources.files("zinger") / "demo/devices.csv").read_text("utf-8").splitlines()
    sender = next(row for row in sheet if "Sallow W8" in row)
    joins = "Corbel Bridge,bridge,kvr-cb-rb1,Pennant R3,10.44.16.24,PR3-0872,02-4b-56-73-08-72,KVR-2216,signal box"
    pool = ",10.44.16.100-147" + "," * 11
    wanted = '"""Kettlestone staff"" psk secret wifi-staff via kvr-cb-wc1"'
    folder = job(devices_csv=f"{sheet[0]},joins\n{joins}{pool}{wanted}\n{sender},\n", practice_yaml=FAST)
    done = zinger("run", folder, "--headless", "--json")
    assert done.returncode == 0, done.stdout + done.stderr
    router = next(d for d in json.loads(done.stdout)["devices"] if d["device"] == "kvr-cb-rb1")
    held = [(f["planned"], f["read"]) for f in router["findings"] if f["setting"] == "wireless.joined"]
    assert ("Kettlestone staff (by key)", "Kettlestone staff (by key)") in held
    alone = job("alone", devices_csv=f"{sheet[0]},joins\n{joins}{pool}{wanted}\n{sender},\n", practice_yaml=FAST)
    refused = zinger("run", alone, "--headless", "--no-power-cut", "--only", "kvr-cb-rb1")
    assert refused.returncode == 1 and "Kettlestone staff was not heard" in refused.stdout, refused.stdout


TROUBLES = """\
pace: 300
linger: 60
faults:
  kvr-wj-sw2: {serial: QS2-9999}
  kvr-cb-rt1: {serial: PR3-9999}
  kvrcbtb1: {used: true}
  kvrcbos1: {lease: 10.44.16.50/24}
"""


def test_the_demo_with_what_goes_wrong_at_a_bench(job: Callable[..., Path], monkeypatch: pytest.MonkeyPatch) -> None:
    """Two boxes with other serial numbers, a used one, a lease that comes late, and a wrong address for the laptop."""
    folder = job(practice_yaml=TROUBLES)
    (leases := folder / "kea.csv").write_text("address,hwaddr,client_id,valid_lifetime,expire\n")
    late = "10.44.16.50,02:4b:56:71:44:02,,3600,1999999999\n"
    threading.Timer(6.0, lambda: leases.write_text(leases.read_text() + late)).start()
    given: list[str] = []

    async def wrong_at_first(self: YardHands, act: Act) -> None:
        given.append(act.subject)
        right = act.subject != "10.44.24.254/24" or given.count(act.subject) > 1
        await self.yard.ask("laptop", address=act.subject if right else "198.51.100.77/24")

    monkeypatch.setitem(practice._DEEDS, Verb.LAPTOP, wrong_at_first)
    wrong = {"kvr-wj-sw2", "kvr-cb-rt1"}
    first = zinger("run", folder, "--headless", "--leases", leases, "--json", "--keep-yard")
    said = {device["device"]: device["state"] for device in json.loads(first.stdout)["devices"]}
    assert {name for name, state in said.items() if "Wrong device: serial" in state} == wrong
    far = {name for name, state in said.items() if "the laptop has no address in the subnet of 10.44.24." in state}
    assert far == {"kvr-uk-is1", "kvr-uk-br1", "kvr-uk-br2", "kvr-uk-vg1"}
    assert {name for name, state in said.items() if not state.startswith("proved ")} == wrong | far
    again = zinger("run", folder, "--headless", "--leases", leases, "--json")
    said = {device["device"]: device["state"] for device in json.loads(again.stdout)["devices"]}
    assert {name for name, state in said.items() if not state.startswith("proved ")} == wrong
    assert given.count("10.44.24.254/24") == 2
