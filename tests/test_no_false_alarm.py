"""What must not be found, and what must not break: near misses of the checks, and files that are any bytes at all."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import zinger
from tests.test_checks import BRIDGE, EDGE, RULES, SWITCH, TRAITS, VOICE, WIRELESS, Row, files_of, of, other, sw
from zinger.files import FileError, write_whole
from zinger.phrasebook.load import Families, load_family
from zinger.phrasebook.source import PhrasebookError
from zinger.plan.files.documents import JobDocument
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheetdocs import CsvSheet
from zinger.plan.files.sheets import read_sheet
from zinger.plan.files.transfer import propose, take
from zinger.plan.files.yamlfile import UnreadableError
from zinger.plan.resolve import resolve
from zinger.run.openjob import OpenJob
from zinger.script.compile import compile_script
from zinger.store.folder import JobFolder

# check, rows that look like its example but are right
FINE: list[tuple[str, list[Row]]] = [
    ("gateway-outside", [sw(address="10.44.8.11/25", gateway="10.44.8.126")]),
    ("gateway-is-device", [{**sw(edge__local="10.44.8.1/24", address="", upstream="dhcp"), **EDGE}]),
    ("gateway6-outside", [sw(ipv6="2001:db8:1::5/64", **{"ipv6 gateway": "fe80::1"})]),
    ("address-is-network", [sw(site="op", address="10.44.9.0/31")]),
    ("address-is-broadcast", [sw(site="op", address="10.44.9.3/31")]),
    ("address-outside-site", [{**sw(address="", edge__local="10.99.0.1/24", upstream="dhcp"), **EDGE}]),
    ("gateway-beside-dhcp", [sw(address="dhcp")]),
    ("server-out-of-reach", [sw(site="op", address="10.44.8.11/24")]),
    ("duplicate-address", [sw(address="dhcp"), other(address="dhcp")]),
    ("duplicate-serial", [sw(serial=""), other(serial="")]),
    ("address-in-pool", [{**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.100-120"), **EDGE}, other()]),
    ("pool-outside-lan", [{**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.100-120"), **EDGE}]),
    ("address-on-two-interfaces", [{**sw(edge__local="10.44.8.11/24", upstream="dhcp"), **EDGE}]),
    ("factory-address-shared", [sw(), other()]),
    (
        "factory-address-shared",
        [{**sw(), "family": "Tarn B2"}, {**other(site="cb", address="10.44.16.5"), "family": "Tarn B2"}],
    ),
    ("mac-of-a-group", [sw(mac="0a-4b-56-10-33-01")]),
    ("no-way-to-prove", [{**sw(ssh="no"), "family": "Tarn B2"}]),
    ("management-open", [sw(management__stations="10.44.0.0/16")]),
    ("stations-shut-you-out", [sw(management__stations="10.44.8.128/25")]),
    ("time-preferred-twice", [sw(ntp="10.44.8.22 preferred; 10.44.8.23")]),
    ("time-key-missing", [sw(ntp="10.44.8.22 key 3; 10.44.8.23", ntp__secret="good")]),
    ("zone-without-rule", [sw(timezone="Etc/GMT-1", clock__summer="off")]),
    ("name-without-dns", [sw(ntp="time.example; 10.44.8.22")]),
    ("secret-in-two-roles", [sw(passwords__console="good", passwords__network="weak")]),
    ("vlan-undefined", [{**sw(ports="1/1 access vlan 20"), **SWITCH}]),
    ("vlan-undefined", [sw(ports="1 access vlan 77")]),
    ("vlan-unused", [{**sw(ports="1/1 trunk tagged 20,30 native 44"), **SWITCH}]),
    ("port-twice", [sw(ports="1-4 access vlan 44; 5 off")]),
    ("native-tagged", [sw(ports="1 trunk tagged 20 native 44 forbidden 30")]),
    ("lag-unequal", [sw(lacp="up1 1-2", ports="1-2 trunk tagged 20 native 44")]),
    ("uplink-disagrees", [sw(uplink="23 sw2 their 24"), other(uplink="24 sw1 their 23")]),
    (
        "uplink-vlans-differ",
        [
            sw(uplink="1 sw2 their 2", ports="1 trunk tagged 20,30 native 44"),
            other(uplink="2 sw1 their 1", ports="2 trunk tagged 30,20 native 44"),
        ],
    ),
    ("stp-no-root", [sw(switch__stp_priority="4096"), other(switch__stp_priority="32768")]),
    ("channel-not-allowed", [{**sw(), **WIRELESS, "wireless.country": "US", "wireless.radios": "5 channel 149"}]),
    ("channel-not-allowed", [{**sw(), **WIRELESS, "wireless.country": "JP", "wireless.radios": "2.4 channel 14"}]),
    ("power-not-allowed", [{**sw(), **WIRELESS, "wireless.radios": "5 channel 100 power 27"}]),
    ("ssid-too-long", [{**sw(ssids='"' + "a" * 32 + '" open guest'), **WIRELESS}]),
    ("ssid-twice", [{**sw(ssids="a open guest band 5; a open guest band 2.4"), **WIRELESS}]),
    (
        "bridge-too-loud",
        [
            {**sw(bridge="sw2 station distance 4000"), **BRIDGE},
            {**other(bridge="sw1 access-point distance 4000"), **BRIDGE},
        ],
    ),
    ("managed-from-upstream", [{**sw(edge__managed='upstream none; local "ssh,https"'), **EDGE}]),
    ("rule-never-reached", [{**sw(rules="a allow service tcp/443; b deny"), **EDGE}]),
    ("forward-twice", [{**sw(forwards="53 10.44.8.5; 53 10.44.8.5 protocol udp"), **EDGE}]),
    (
        "schedule-unknown",
        [{**sw(filters="deny games.example schedule night", schedules="night daily begin 20:00"), **EDGE}],
    ),
    ("media-too-few", [{**sw(**{"media ports": "first 40000 last 40239"}, sessions="60"), **VOICE}]),
    ("rewrite-never", [{**sw(**{"number rewriting": "00 becomes +; 0 becomes 1"}), **VOICE}]),
    ("lag-speeds-differ", [sw(lacp="up1 1-2", **{"port options": "1-2 speed 1000 duplex full"})]),
    ("option-twice", [sw(**{"port options": "1-4 power high; 4 edge on"})]),
    ("sign-in-without-local", [sw(accounts__order="local")]),
    ("rewrite-emergency", [{**sw(**{"number rewriting": "112 becomes 112; 1 becomes +431"}), **VOICE}]),
    (
        "dhcp-servers-two",
        [
            {**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.100-120"), **EDGE},
            {**other(site="cb", edge__local="10.44.16.2/24", edge__dhcp="10.44.16.121-130"), **EDGE},
        ],
    ),
    ("server-not-set-up", [sw(ntp="10.44.8.11; 10.44.8.22; 10.44.8.23")]),
    ("public-address", [{**sw(edge__local="172.16.4.1/24", upstream="static 8.8.8.9/29 8.8.8.10"), **EDGE}]),
    ("zone-of-another-country", [{**sw(timezone="Europe/Vienna"), **WIRELESS}]),
    ("zone-of-another-country", [{**sw(timezone="Europe/Zurich"), **WIRELESS, "wireless.country": "LI"}]),
    ("zone-of-another-country", [{**sw(timezone="Etc/UTC", clock__summer="off"), **WIRELESS}]),
    (
        "voice-vlan-not-carried",
        [sw(ports='1-4 mixed vlan 20 tagged 40 description "phones"; 24 trunk tagged 40', switch__voice="40")],
    ),
    ("reservation-outside", [{**sw(reservations="02-4b-56-10-44-09 10.44.8.60"), **EDGE}]),
    ("rewrite-never", [{**sw(**{"number rewriting": "0 becomes 1 side local; 00 becomes + side upstream"}), **VOICE}]),
]


@pytest.mark.parametrize(("id", "rows"), FINE, ids=[f"{i}:{c[0]}" for i, c in enumerate(FINE)])
def test_what_is_right_is_not_found(id: str, rows: list[Row]) -> None:
    plan = files_of(id, rows).plan(RULES, TRAITS)
    assert not of(plan, id), of(plan, id)
    assert not [p for p in plan.problems if p.id.endswith("-form")], plan.problems


# -- any bytes at all ----------------------------------------------------------------------------------------
BYTES = st.binary(max_size=200) | st.text(st.sampled_from("hostname,;\n\t\"'[]{}:-*&1.\u00e4 "), max_size=120).map(
    str.encode
)


@settings(max_examples=150, deadline=None)
@given(BYTES, st.sampled_from(["a.csv", "a.yaml", "a.json", "a.xlsx"]))
def test_any_bytes_are_devices_or_a_sentence(data: bytes, name: str) -> None:
    rows, problems = read_sheet(data, name)
    assert rows or problems
    try:
        take(propose(data, name, {}))
    except UnreadableError as error:
        assert error.what and error.do
    resolve(read_job("job: x\n"), rows, RULES, None, tuple(problems))


@settings(max_examples=150, deadline=None)
@given(st.text(st.sampled_from("abjobsites: {}[]\n-'\"#&*1.,\t"), max_size=150))
def test_any_job_file_is_a_plan_or_a_sentence(text: str) -> None:
    job = read_job(text)
    assert set(job.problems) <= set(resolve(job, [], RULES).problems)
    try:
        document = JobDocument(text)
    except UnreadableError:
        return
    assert document.dump() == text
    document.set(("baseline", "banner"), "x")
    assert JobDocument(document.dump()).get(("baseline", "banner")) == "x"


@settings(max_examples=80, deadline=None)
@given(st.text(st.sampled_from('abc,";\n\r'), min_size=1, max_size=80))
def test_any_csv_that_can_be_read_is_written_back_as_it_was(text: str) -> None:
    try:
        sheet = CsvSheet(text.encode(), "a.csv", {})
    except UnreadableError:
        return
    assert sheet.dump() == text.encode()


@settings(max_examples=80, deadline=None)
@given(st.text(st.sampled_from("family: xq\n{}[]-'places"), max_size=100))
def test_any_family_file_is_a_family_or_a_sentence(text: str) -> None:
    try:
        card, _ = load_family(text, "own.yaml")
        assert card.family
    except PhrasebookError as error:
        assert error.problems and all(p.what and p.do for p in error.problems)


# -- said once, kept whole -----------------------------------------------------------------------------------
def test_phrases_compiled_together_are_those_compiled_alone(job: Callable[..., Path]) -> None:
    opened = OpenJob(JobFolder(job()))
    for name, script in opened.scripts.items():
        assert script == compile_script(opened.plan.device(name), opened.books[script.family])


def test_a_file_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "a.csv"
    write_whole(file, b"old")
    file.chmod(0o640)
    write_whole(file, b"new")
    assert file.read_bytes() == b"new" and file.stat().st_mode & 0o777 == 0o640
    monkeypatch.setattr("os.fsync", lambda _: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(FileError, match="is as it was before"):
        write_whole(file, b"newer")
    assert file.read_bytes() == b"new" and [p.name for p in tmp_path.iterdir()] == ["a.csv"]


def test_check_and_explain_speak_json(job: Callable[..., Path]) -> None:
    folder = job()
    found = json.loads(zinger("check", folder, "--sheet", "mistakes.csv", "--json").stdout)
    first = next(p for p in found if p["id"] == "gateway-outside")
    assert first["repair"]["changes"] == [{"path": ["management.gateway"], "row": 2, "text": "10.44.8.1"}]
    told = json.loads(zinger("check", folder, "--json", "--explain", "kvr-wj-sw1", "management.address").stdout)
    assert told[0]["layer"] == "sheet" and told[0]["value"] == "10.44.8.11/24" and told[0]["line"] == 2
    away = zinger("check", folder, "--sheet", "../devices.csv")
    assert away.returncode == 1 and "is not in the job folder" in away.stdout
    nowhere = zinger("export", folder, folder / "no" / "such.csv")
    assert nowhere.returncode == 2 and "can't be written" in nowhere.stderr
    assert "neither .csv nor .xlsx" in zinger("export", folder, folder / "x.txt").stderr


def test_families_are_read_only_when_asked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[str] = []
    families = Families()
    monkeypatch.setattr(
        "zinger.phrasebook.load.load_family", lambda text, file: read.append(file) or load_family(text, file)
    )
    assert "quern-s2" in families and len(families) == 14 and read == []
    assert families["tarn-b2"].title == "Tarn B2" and families["tarn-b2"].kind and read == ["tarn-b2.yaml"]
