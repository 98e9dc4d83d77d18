"""Every check by an example that it must find, and every repair: it removes its finding and adds none."""

from __future__ import annotations

import csv
import io
import json
import re
from dataclasses import replace
from importlib import resources
from ipaddress import ip_network
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zinger.phrasebook.load import Families
from zinger.plan import handbook, reference
from zinger.plan.checks import CHECKS
from zinger.plan.families import FamilyRules
from zinger.plan.files.editing import Edits, Files
from zinger.plan.model import Plan
from zinger.plan.problems import Problem
from zinger.plan.values.secrets import SecretRef, SecretTraits

RULES = dict(Families().rules)
RULES["lathe-c1"] = FamilyRules("lathe-c1", "Lathe C1", proved_over=(), speaks=False)
ADDRESS = re.compile(r"\d+\.\d+\.\d+\.\d+")
JOB = """\
job: Checks
baseline:
  accounts: {administrator: {name: kettle-admin}, viewer: {name: watch}}
  management: {vlan: 44, stations: [10.44.0.0/16, 192.0.2.0/24, 203.0.113.0/24]}
  dns: {servers: [10.44.8.20]}
  ntp: {servers: [10.44.8.22, 10.44.8.23]}
  clock: {zone: Europe/Vienna}
  services: {ssh: on, https: on, telnet: off}
addresses: {head: 5, tail: 5}
sites:
  wj: {name: Wheal Junction, subnet: 10.44.8.0/24}
  cb: {name: Corbel Bridge, subnet: 10.44.16.0/24}
  op: {name: Open Moor}
  ld: {name: Lab, subnet: 192.0.2.0/24}
roles: {any: {}}
"""
SWITCH = {"family": "Quern S9", "switch.vlans": "20 staff; 30 signals; 44 management"}
WIRELESS = {"family": "Sallow W5", "wireless.country": "AT", "wireless.radios": "2.4 channel 6; 5 channel 36"}
EDGE = {"family": "Hollin G4"}
VOICE = {"family": "Marrable V6"}
BRIDGE = {"family": "Tarn B2", "wireless.country": "AT"}
Row = dict[str, str]


def sw(**more: str) -> Row:
    return {"hostname": "sw1", "address": "10.44.8.11", **{k.replace("__", "."): v for k, v in more.items()}}


def other(**more: str) -> Row:
    return sw(**{"hostname": "sw2", "address": "10.44.8.12", **more})


# check, rows of the sheet (a plain switch where nothing else is said), what stands in the sentence
CASES: list[tuple[str, list[Row], str]] = [
    ("gateway-outside", [sw(gateway="10.44.61.1")], "10.44.61.1 is not in 10.44.8.0/24"),
    ("not-for-this-kind", [sw(family="Hollin M1")], "Hollin M1 does not have management VLAN"),
    ("owed-not-sent", [sw(family="Linux box", syslog="10.44.8.24")], "syslog receivers: it will be owed"),
    ("console-form", [sw(console="telnet://192.0.2.9")], "'telnet://192.0.2.9' is not a console"),
    ("console-form", [sw(console="command:touch /tmp/x")], "job.yaml has no command called 'touch /tmp/x'"),
    ("console-form", [sw(console="serial:///dev/ttyS0?fast")], "not settings of a serial line"),
    ("console-form", [sw(console="serial://spy:///dev/ttyS0")], "is not a console"),
    ("gateway-is-device", [sw(gateway="10.44.8.11")], "is the device itself"),
    ("gateway-not-a-host", [sw(gateway="10.44.8.255")], "network or broadcast"),
    ("gateway6-outside", [sw(ipv6="2001:db8:1::5/64", **{"ipv6 gateway": "2001:db8:2::1"})], "2001:db8:2::1 is not in"),
    ("address-is-network", [sw(address="10.44.8.0")], "network address"),
    ("address-is-broadcast", [sw(address="10.44.8.255")], "broadcast address"),
    ("address-special", [sw(address="127.0.0.5/8")], "loopback"),
    ("address-without-prefix", [sw(site="op")], "no prefix length"),
    ("address-outside-site", [sw(address="10.44.16.11/24")], "it would be in that of Corbel Bridge"),
    ("prefix-differs", [sw(address="10.44.8.11/25")], "prefix length is 25"),
    ("gateway-beside-dhcp", [sw(address="dhcp", gateway="10.44.8.1")], "beside DHCP"),
    ("server-out-of-reach", [sw(site="op", address="10.44.9.1/24")], "no gateway leads there"),
    ("address-floats", [sw(address="")], "would change with the rows"),
    ("duplicate-address", [sw(), other(address="10.44.8.11")], "stands in rows 2 and 3"),
    ("duplicate-hostname", [sw(), other(hostname="SW1")], "stands in rows"),
    ("duplicate-serial", [sw(serial="A"), other(serial="a")], "serial a"),
    ("duplicate-mac", [sw(mac="024b.5610.3301"), other(mac="02:4B:56:10:33:01")], "02-4b-56-10-33-01"),
    ("duplicate-label", [sw(label="K1"), other(label="K1")], "label k1"),
    ("mac-of-a-group", [sw(mac="03-4b-56-10-33-01")], "group address"),
    ("mac-form", [sw(mac="02-4b-56")], "is not a valid MAC address"),
    (
        "address-in-pool",
        [{**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.10-60"), **EDGE}, other()],
        "sw2 (10.44.8.12)",
    ),
    (
        "pool-outside-lan",
        [{**sw(edge__local="10.44.8.1/24", edge__dhcp="192.0.2.100-120"), **EDGE}],
        "not in the local subnet",
    ),
    (
        "pool-backwards",
        [{**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.90 10.44.8.80"), **EDGE}],
        "before it begins",
    ),
    (
        "reservation-outside",
        [{**sw(edge__local="10.44.8.1/24", reservations="02-4b-56-10-44-09 10.44.9.60"), **EDGE}],
        "10.44.9.60",
    ),
    (
        "reservation-twice",
        [{**sw(reservations="02-4b-56-10-44-09 10.44.8.60; 02-4b-56-10-44-0a 10.44.8.60"), **EDGE}],
        "stands in two reservations",
    ),
    (
        "address-on-two-interfaces",
        [{**sw(edge__local="10.44.8.1/24", upstream="static 10.44.8.1/24 10.44.8.2"), **EDGE}],
        "10.44.8.1 is on",
    ),
    ("factory-address-shared", [{**sw(), "family": "Tarn B2"}, {**other(), "family": "Tarn B2"}], "192.0.2.166"),
    (
        "address-is-factory",
        [{**sw(site="ld", address="192.0.2.166"), "family": "Tarn B2"}],
        "factory address of Tarn B2",
    ),
    ("setting-missing", [sw(hostname="", serial="X")], "no hostname"),
    ("too-many", [sw(dns="10.44.8.1; 10.44.8.2; 10.44.8.3; 10.44.8.4")], "Quern S2 takes 3"),
    ("beyond-family-range", [sw(ntp="10.44.8.1 poll 8 s")], "poll 8 of time servers: Quern S2 takes 16 to 131072"),
    (
        "rule-differs-from-zone",
        [sw(clock__zone="Europe/Vienna", clock__rule="2nd sun mar 02:00 to 1st sun nov 02:00")],
        "clocks of Europe/Vienna change on",
    ),
    (
        "summer-off-with-rule",
        [sw(clock__summer="off", clock__rule="last sun mar 02:00 to last sun oct 03:00")],
        "daylight saving is off",
    ),
    ("hostname-too-long", [sw(hostname="s" * 25)], "takes 24"),
    ("hostname-characters", [sw(hostname="SW1")], "takes no S W"),
    ("family-not-spoken", [{**sw(), "family": "Lathe C1"}], "Lathe C1 has no phrasebook"),
    ("not-for-family", [sw(ssids="x open guest")], "Quern S2 has no wireless networks"),
    ("management-in-the-clear", [sw(telnet="yes")], "Telnet (port 23)"),
    ("no-way-to-prove", [sw(ssh="no")], "SSH is not on"),
    ("file-transfer-open", [sw(tftp="on")], "TFTP"),
    ("starts-from-usb", [sw(services__usb_start="on")], "USB"),
    ("takes-what-is-offered", [sw(services__offered="on")], "DHCP server"),
    ("management-open", [sw(management__stations="0.0.0.0/0")], "any station"),
    ("management-open", [sw(management__stations="0.0.0.0/0; 10.44.0.0/16")], "any station"),
    ("stations-shut-you-out", [sw(management__stations="10.99.0.0/16")], "can't be proved from there"),
    ("idle-long", [sw(idle__timeout="3 h")], "180 min is long"),
    ("banner-invites", [sw(banner="Welcome to sw1")], "welcome"),
    ("time-missing", [sw(ntp__servers="[]")], "no time server"),
    ("time-single", [sw(ntp="10.44.8.22")], "only time server"),
    ("time-server-is-device", [sw(ntp="10.44.8.11; 10.44.8.22; 10.44.8.23")], "the device itself"),
    ("time-preferred-twice", [sw(ntp="10.44.8.22 preferred; 10.44.8.23 preferred")], "more than one"),
    ("time-key-missing", [sw(ntp="10.44.8.22 key 3; 10.44.8.23")], "secret is not planned"),
    ("zone-without-rule", [sw(timezone="Etc/GMT-1")], "no daylight-saving rule"),
    ("name-without-dns", [sw(dns="[]", ntp="time.example; 10.44.8.22")], "time.example is a name"),
    ("community-well-known", [sw(snmp__communities="known stations 10.44.8.0/24")], "well known"),
    ("community-writes", [sw(snmp__communities="good write stations 10.44.8.0/24")], "may write"),
    ("community-open", [sw(snmp__communities="good")], "any station"),
    ("snmp-weak", [sw(snmp__users="reader auth md5")], "md5"),
    ("secret-refused", [sw(accounts__administrator="kettle-admin secret short")], "shorter than 12"),
    ("secret-weak", [sw(accounts__administrator="kettle-admin secret weak")], "easily guessed"),
    ("secret-in-two-roles", [sw(passwords__console="good", passwords__network="good")], "console and network share"),
    ("vlan-undefined", [{**sw(ports="1/1 access vlan 77"), **SWITCH}], "VLAN 77 is used"),
    ("vlan-unused", [{**sw(ports="1/1 access vlan 20"), **SWITCH}], "VLAN 30 signals"),
    ("vlan-twice", [{**sw(), **SWITCH, "switch.vlans": "20 a; 20 b; 44 m"}], "VLAN 20 stands twice"),
    ("management-on-default-vlan", [sw(vlan="1")], "default VLAN, 1"),
    ("default-vlan-open", [sw(switch__default_vlan_closed="no")], "left open"),
    ("port-twice", [sw(ports="1-4 access vlan 44; 4 off")], "port 4 is planned twice"),
    ("port-unknown", [sw(ports="25 access vlan 44")], "has no port 25; it has 1-24"),
    ("access-with-tags", [sw(ports="1 access vlan 44 tagged 20")], "tagged VLAN 20"),
    ("trunk-without-native", [sw(ports="1 trunk tagged 20")], "no native VLAN"),
    ("native-tagged", [sw(ports="1 trunk tagged 20,44 native 20")], "native and tagged"),
    ("binding-twice", [sw(bindings="1 02-4b-56-10-44-09; 2 02-4b-56-10-44-09")], "bound to ports 1 and 2"),
    ("ring-open", [sw(ring="9 kvr-uk-is2")], "its ring has 1 port"),
    ("member-twice", [sw(stack="1 A; 1 B")], "stack member 1"),
    ("schedule-unknown", [{**sw(filters="deny games.example schedule night"), **EDGE}], "which is not a schedule"),
    ("lag-single", [sw(lacp="up1 23")], "one member"),
    ("lag-unequal", [sw(lacp="up1 1-2", ports="1 access vlan 44; 2 trunk tagged 20 native 44")], "not alike"),
    ("lag-speeds-differ", [sw(lacp="up1 1-2", **{"port options": "1 speed 1000; 2 speed 100"})], "speeds 100 and 1000"),
    ("lag-speeds-differ", [sw(lacp="up1 1-2", **{"port options": "1-2 duplex half"})], "is half duplex"),
    ("option-twice", [sw(**{"port options": "1-4 power high; 4 power low"})], "power of port 4 is planned as high"),
    (
        "access-list-unknown",
        [sw(acl="cameras allow", **{"port options": "1 access-list camera"})],
        "did you mean cameras?",
    ),
    (
        "edge-port-is-uplink",
        [sw(uplink="23 sw2", **{"port options": "1-24 edge on"}), other()],
        "port 23 is an edge port",
    ),
    ("sign-in-without-local", [sw(accounts__order="servers")], "no local accounts"),
    ("sign-in-server-without-secret", [sw(accounts__servers="radius 10.44.8.26")], "10.44.8.26 has no secret"),
    ("lag-port-twice", [sw(lacp="up1 1-2; up2 2-3")], "LACP groups up1 and up2"),
    ("uplink-unknown", [sw(uplink="23 sw9")], "sw9, which is not in the plan"),
    ("uplink-disagrees", [sw(uplink="23 sw2 their 24"), other(uplink="22 sw1 their 23")], "disagrees"),
    (
        "uplink-vlans-differ",
        [
            sw(uplink="1 sw2 their 1", ports="1 trunk tagged 20 native 44"),
            other(uplink="1 sw1 their 1", ports="1 trunk tagged 30 native 44"),
        ],
        "carries 20",
    ),
    ("stp-off", [sw(switch__stp="off")], "spanning tree is off"),
    ("stp-priority-step", [sw(switch__stp_priority="5000")], "multiple of 4096"),
    ("stp-no-root", [sw(switch__stp_priority="4096"), other(switch__stp_priority="4096")], "all 2 switches"),
    ("voice-vlan-is-data", [sw(ports="1 access vlan 40", switch__voice="40")], "data VLAN of ports 1"),
    ("route-without-way", [sw(routes="0.0.0.0/0 10.99.0.1")], "10.99.0.1"),
    ("relay-without-gateway", [sw(switch__dhcp_relay="10.44.8.20")], "without a VLAN gateway"),
    ("country-missing", [{**sw(), **WIRELESS, "wireless.country": ""}], "no regulatory country"),
    ("channel-not-allowed", [{**sw(), **WIRELESS, "wireless.radios": "2.4 channel 14"}], "not allowed in AT"),
    ("power-not-allowed", [{**sw(), **WIRELESS, "wireless.radios": "2.4 channel 6 power 30"}], "20 dBm of AT"),
    (
        "radio-auto-and-fixed",
        [{**sw(), **WIRELESS, "wireless.radios": "5 channel 36 auto-channel"}],
        "chooses its channel, and channel 36 is planned",
    ),
    ("ssid-too-long", [{**sw(ssids='"' + "ä" * 17 + '" open guest'), **WIRELESS}], "34 bytes"),
    ("ssid-twice", [{**sw(ssids="a open guest; a open guest vlan 20"), **WIRELESS}], "planned twice"),
    ("ssid-open", [{**sw(ssids="a open"), **WIRELESS}], "open to anybody"),
    ("ssid-without-key", [{**sw(ssids="a psk"), **WIRELESS}], "has no key"),
    ("ssid-key-length", [{**sw(ssids="a psk secret tiny"), **WIRELESS}], "7 characters"),
    ("ssid-key-weak", [{**sw(ssids="a psk secret counting"), **WIRELESS}], "counts or repeats"),
    ("radius-missing", [{**sw(ssids="a 802.1x"), **WIRELESS}], "needs a RADIUS server"),
    ("guest-on-management", [{**sw(ssids="a open guest vlan 44"), **WIRELESS}], "management VLAN 44"),
    ("mesh-on", [{**sw(wireless__mesh="on"), **WIRELESS}], "mesh is on"),
    (
        "joined-not-sent",
        [{**sw(joins="a psk secret k via sw2"), **WIRELESS}, {**other(ssids="a psk secret q"), **WIRELESS}],
        "where it opens otherwise",
    ),
    ("bridge-alone", [{**sw(bridge="sw2 station"), **BRIDGE}, {**other(), **BRIDGE}], "whose own is not planned"),
    (
        "bridge-roles-equal",
        [{**sw(bridge="sw2 station"), **BRIDGE}, {**other(bridge="sw1 station"), **BRIDGE}],
        "are both station",
    ),
    (
        "bridge-channels-differ",
        [
            {**sw(bridge="sw2 station channel 100"), **BRIDGE},
            {**other(bridge="sw1 access-point channel 104"), **BRIDGE},
        ],
        "on 104",
    ),
    (
        "bridge-too-loud",
        [
            {**sw(bridge="sw2 station distance 84 power 12"), **BRIDGE},
            {**other(bridge="sw1 access-point distance 84"), **BRIDGE},
        ],
        "84 m apart",
    ),
    ("upstream-incomplete", [{**sw(upstream="pppoe"), **EDGE}], "without user and secret"),
    ("managed-from-upstream", [{**sw(edge__managed="upstream https"), **EDGE}], "offered upstream"),
    ("reset-at-device-allowed", [{**sw(edge__reset_at_device="allowed"), **EDGE}], "reset its password"),
    ("rule-allows-all", [{**sw(rules="all allow"), **EDGE}], "allows everything"),
    ("rule-never-reached", [{**sw(rules="a deny service tcp/23; b allow service tcp/23"), **EDGE}], "never reached"),
    ("forward-twice", [{**sw(forwards="443 10.44.8.5; 443 10.44.8.6"), **EDGE}], "forwarded to 10.44.8.5 and to"),
    ("forward-outside-lan", [{**sw(edge__local="10.44.8.1/24", forwards="443 10.9.9.9"), **EDGE}], "10.9.9.9"),
    ("legs-incomplete", [{**sw(legs="local 10.44.25.6/24", peers="p upstream 192.0.2.57"), **VOICE}], "no leg"),
    ("profile-unknown", [{**sw(peers="p local 10.44.25.30 profile odd"), **VOICE}], "profile odd"),
    ("registration-incomplete", [{**sw(peers="p local 10.44.25.30 user kvr"), **VOICE}], "lacks the password"),
    ("peer-without-backup", [{**sw(peers="p local 10.44.25.30"), **VOICE}], "no backup"),
    (
        "media-overlaps",
        [{**sw(**{"media ports": "first 5000 last 5099"}, peers="p local 10.44.25.30"), **VOICE}],
        "5060 of p",
    ),
    ("media-too-few", [{**sw(**{"media ports": "first 40000 last 40039"}, sessions="60"), **VOICE}], "240 media ports"),
    ("rewrite-never", [{**sw(**{"number rewriting": "0 becomes 1; 00 becomes +"}), **VOICE}], "never happens"),
    ("rewrite-too-long", [{**sw(**{"number rewriting": "0123456789012345 becomes 1"}), **VOICE}], "15 at most"),
    ("rewrite-changes-nothing", [{**sw(**{"number rewriting": "0 becomes 0"}), **VOICE}], "changes nothing"),
    (
        "rewrite-emergency",
        [{**sw(**{"number rewriting": "1 becomes +431"}), **VOICE}],
        "+43112 of the emergency number",
    ),
    (
        "dhcp-servers-overlap",
        [
            {**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.100-120"), **EDGE},
            {**other(edge__local="10.44.8.2/24", edge__dhcp="10.44.8.110-130"), **EDGE},
        ],
        "both have 10.44.8.110",
    ),
    (
        "dhcp-servers-two",
        [
            {**sw(edge__local="10.44.8.1/24", edge__dhcp="10.44.8.100-120"), **EDGE},
            {**other(edge__local="10.44.8.2/24", edge__dhcp="10.44.8.121-130"), **EDGE},
        ],
        "both DHCP servers",
    ),
    ("server-not-set-up", [sw(ntp="10.44.8.12; 10.44.8.22"), other()], "10.44.8.12 is sw2, a device of this job"),
    (
        "laptop-without-address",
        [
            {**sw(hostname=f"b{n}", address=f"192.0.2.{n}", site="ld"), "family": "Tarn B2"}
            for n in range(1, 255)
            if n != 166
        ],
        "is left for the laptop, from which Tarn B2 is reached",
    ),
    ("public-address", [sw(site="op", address="8.8.8.11/24")], "8.8.8.11 is a public address"),
    ("address-alone", [sw(site="op", address="10.44.9.0/31")], "a link between two"),
    ("zone-of-another-country", [{**sw(timezone="Asia/Tokyo"), **WIRELESS}], "JP, the country is AT"),
    (
        "voice-vlan-not-carried",
        [sw(ports='1-4 mixed vlan 20 description "phones"; 24 trunk tagged 20,40 native 44', switch__voice="40")],
        "do not carry the voice VLAN 40",
    ),
    (
        "voice-vlan-not-carried",
        [sw(ports="24 trunk tagged 20 native 44", switch__voice="40")],
        "no trunk carries the voice VLAN 40",
    ),
    (
        "leg-without-transport",
        [{**sw(legs="local 10.44.25.6/24 transports tls", peers="p local 10.44.25.30"), **VOICE}],
        "over udp, and the local leg takes tls only",
    ),
    ("srtp-keys-in-the-clear", [{**sw(peers="p upstream 192.0.2.57 media srtp"), **VOICE}], "SRTP travel over udp"),
    ("voice-in-the-clear", [{**sw(peers="p upstream 192.0.2.57"), **VOICE}], "in the clear"),
]
TRAITS = {
    SecretRef(name): SecretTraits(
        length, True, True, score, name, well_known=name == "known", counts=name == "counting"
    )
    for name, length, score in (
        ("known", 6, 0),
        ("good", 20, 4),
        ("short", 6, 4),
        ("weak", 14, 1),
        ("tiny", 7, 4),
        ("counting", 8, 0),
    )
}


def sheet_of(rows: list[Row]) -> bytes:
    full = [{"site": "Wheal Junction", "role": "any", "family": "Quern S2", **row} for row in rows]
    headings = list(dict.fromkeys(key for row in full for key in row))
    out = io.StringIO()
    writer = csv.DictWriter(out, headings)
    writer.writeheader()
    writer.writerows({k: "" if v == "[]" else v for k, v in row.items()} for row in full)
    return out.getvalue().encode()


def files_of(id: str, rows: list[Row]) -> Files:
    job = JOB
    for setting in ("dns", "ntp"):
        if any(row.get(setting, row.get(f"{setting}.servers")) == "[]" for row in rows):
            job = "\n".join(line for line in job.splitlines() if not line.startswith(f"  {setting}:"))
    return Files(job, sheet_of(rows), "devices.csv")


def of(plan: Plan, id: str) -> list[Problem]:
    return [p for p in plan.problems if p.id == id]


@pytest.mark.parametrize(("id", "rows", "words"), CASES, ids=[f"{i}:{c[0]}" for i, c in enumerate(CASES)])
def test_each_check_finds_its_example_and_its_repair_removes_it(id: str, rows: list[Row], words: str) -> None:
    files = files_of(id, rows)
    plan = files.plan(RULES, TRAITS)
    found = of(plan, id)
    assert found and any(words in p.what for p in found), plan.problems
    for problem in found:
        assert problem.do and problem.what[0] != " " and not problem.what.endswith(".")
        if problem.repair is not None:
            repaired_well(files, plan, problem)


def repaired_well(files: Files, before: Plan, problem: Problem) -> None:
    """The finding is gone, none is new, and undo brings every byte back."""
    assert problem.repair is not None
    edits = Edits(files)
    edits.make(problem.repair.changes, problem.repair.words)
    after = edits.files.plan(RULES, TRAITS)
    assert problem not in after.problems, problem
    known = {(p.id, p.what) for p in before.problems}
    new = [p for p in after.problems if (p.id, p.what) not in known]
    assert not new, (problem, new)
    written = " ".join(change.text or "" for change in problem.repair.changes)
    for address in ADDRESS.findall(problem.repair.words):
        assert address in written, "the repair says one address and writes another"
    edits.undo()
    assert edits.files == files


LAYERS = ("baseline", "site", "role", "family")
GATEWAYS = st.sampled_from([None, "10.44.8.1", "10.44.8.126", "10.44.8.254", "10.44.16.1"])


@given(st.tuples(*[GATEWAYS] * len(LAYERS)), GATEWAYS.filter(bool), st.sampled_from(["first", "last"]))
def test_a_gateways_repair_is_what_the_plan_says_without_the_cell(
    said: tuple[str | None, ...], cell: str, place: str
) -> None:
    layer = {name: {"management": {"gateway": text}} if text else {} for name, text in zip(LAYERS, said, strict=True)}
    job = {
        "job": "x",
        "baseline": layer["baseline"],
        "addresses": {"gateway": place},
        "sites": {"wj": {"name": "Wheal Junction", "subnet": "10.44.8.0/25", **layer["site"]}},
        "roles": {"access": layer["role"]},
        "families": {"quern-s2": layer["family"]},
    }
    files = Files(json.dumps(job), sheet_of([sw(gateway=cell)]), "devices.csv")
    bare = Files(json.dumps(job), sheet_of([sw()]), "devices.csv").plan(RULES)
    without = bare.devices[0].values["management.gateway"]
    for problem in of(files.plan(RULES), "gateway-outside"):
        if problem.repair is None:
            assert without.value not in ip_network("10.44.8.0/25"), problem
            continue
        edits = Edits(files)
        edits.make(problem.repair.changes, "")
        after = edits.files.plan(RULES)
        assert not of(after, "gateway-outside")
        assert after.devices[0].values["management.gateway"].value == without.value
        assert str(without.value) in problem.repair.words


def test_every_check_has_its_example() -> None:
    documented_elsewhere = {"subnets-overlap", "owed-not-shown", "secret-against-rules"}
    assert {c.id for c in CHECKS} - {case[0] for case in CASES} == documented_elsewhere
    overlapping = files_of("", [sw()]).job.replace("10.44.16.0/24", "10.44.8.128/25")
    assert of(Files(overlapping, sheet_of([sw()]), "devices.csv").plan(RULES), "subnets-overlap")
    unread = {**RULES, "quern-s2": replace(RULES["quern-s2"], shows=RULES["quern-s2"].tells - {"clock.zone"})}
    (owed,) = of(files_of("", [sw()]).plan(unread), "owed-not-shown")
    assert owed.what == "nothing of Quern S2 shows time zone: the proof will be owed" and owed.devices == ("sw1",)


def test_a_check_says_that_it_offers_a_repair_exactly_if_one_of_its_examples_has_one() -> None:
    offering = {id for id, rows, _ in CASES if any(p.repair for p in of(files_of(id, rows).plan(RULES, TRAITS), id))}
    assert offering - {"mac-form"} == {check.id for check in CHECKS if check.repairs}


def test_the_plain_example_has_no_problem() -> None:
    assert files_of("", [sw()]).plan(RULES, TRAITS).problems == ()


def test_the_sheet_of_mistakes_is_found_one_by_one_and_repairs_hold() -> None:
    demo = resources.files("zinger") / "demo"
    files = Files((demo / "job.yaml").read_text("utf-8"), (demo / "mistakes.csv").read_bytes(), "mistakes.csv")
    plan = files.plan(RULES)
    rows = list(csv.DictReader(io.StringIO(files.sheet.decode())))
    assert len(rows) == 40
    for row in rows:
        assert any(row["hostname"] in p.devices for p in of(plan, row["mistake"])), row["mistake"]
    repairs = [p for p in plan.problems if p.repair]
    assert len(repairs) >= 8
    for problem in repairs:
        repaired_well(files, plan, problem)


def test_the_demo_plan_has_no_error() -> None:
    demo = resources.files("zinger") / "demo"
    files = Files((demo / "job.yaml").read_text("utf-8"), (demo / "devices.csv").read_bytes(), "devices.csv")
    plan = files.plan(RULES)
    assert plan.errors() == () and plan.devices and {d.family for d in plan.devices} <= set(RULES)


def test_a_slip_in_the_baseline_is_one_problem_for_all() -> None:
    job = JOB.replace("telnet: off", "telnet: on")
    rows = [sw(hostname=f"sw{n}", address=f"10.44.8.{n + 10}") for n in range(30)]
    (problem,) = of(Files(job, sheet_of(rows), "devices.csv").plan(RULES), "management-in-the-clear")
    assert len(problem.devices) == 30 and problem.spot.file == "job.yaml" and problem.repair
    assert problem.repair.changes[0].path == ("baseline", "services", "telnet")


def test_the_document_of_checks_is_that_of_the_code() -> None:
    assert (Path(__file__).parent.parent / "docs" / "settings.md").read_text("utf-8") == reference.text(), "make docs"
    assert (Path(__file__).parent.parent / "docs" / "checks.md").read_text("utf-8") == handbook.text(), (
        "run `make docs`"
    )
    assert len(CHECKS) >= 45 and len({c.id for c in CHECKS}) == len(CHECKS)
