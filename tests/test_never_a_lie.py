"""Whatever is planned, and whatever one thing is wrong in the phrasebook: *proved* is not said of what is not so.

The plan is drawn, one step, one reading or the save is broken, and the device's own state is asked from the yard.
`ZINGER_EXAMPLES=200` tries as many.
"""

from __future__ import annotations

import os
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, assume, event, given, settings
from hypothesis import strategies as st

from tests.conftest import JobFolder, Practice, lay_out
from tests.test_every_setting import unlike
from tests.test_lies import SOURCE
from tests.test_run import carried
from zinger.phrasebook.load import load_phrasebook
from zinger.phrasebook.source import PhrasebookError
from zinger.plan.values.secrets import SecretRef
from zinger.proof.outcome import State
from zinger.store.vault import Vault

VALUES: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "system.location": [("hall 2", {"location": "hall 2"}), ("cellar", {"location": "cellar"})],
    "system.contact": [("signals desk", {"contact": "signals desk"})],
    "domain": [("stations.example", {"domain": "stations.example"}), ("a.example", {"domain": "a.example"})],
    "dns.servers": [
        ("10.44.8.20", {"resolver": ["10.44.8.20"]}),
        ("[10.44.8.21, 10.44.8.20]", {"resolver": ["10.44.8.21", "10.44.8.20"]}),
    ],
    "dns.search": [("a.example", {"suffix": "a.example"}), ("b.example", {"suffix": "b.example"})],
    "ntp.servers": [
        (
            "[10.44.8.22 preferred key 3 poll 256 s, 10.44.8.23 poll 64 s]",
            {"source": {"10.44.8.22": "first every 256 s key 3", "10.44.8.23": "every 64 s"}},
        ),
        ("[10.44.8.23 poll 30 s]", {"source": {"10.44.8.23": "every 30 s"}}),
        ("[10.44.8.22]", {"source": {"10.44.8.22": ""}}),
    ],
    "ntp.secret": [("time-kvr", {})],
    "clock.zone": [("Europe/Vienna", {"zone": "Europe/Vienna"}), ("UTC", {"zone": "UTC"})],
    "clock.summer": [("on", {"summer": True}), ("off", {"summer": False})],
    "idle.timeout": [("10 min", {"idle": 10}), ("15 min", {"idle": 15}), ("33 min", {"idle": 33})],
    "banner": [("Staff only.", {"greeting": "Staff only."}), ("Kettle", {"greeting": "Kettle"})],
    "syslog.servers": [
        (
            "[10.44.8.24 port 6514 transport tls severity notice]",
            {"receiver": {"10.44.8.24": "port 6514 by tls from notice"}},
        ),
        ("[10.44.8.24, 10.44.8.25 transport tcp]", {"receiver": {"10.44.8.24": "by udp", "10.44.8.25": "by tcp"}}),
    ],
    "logs.local": [("warning survives", {"local_log": "warning kept"}), ("debug", {"local_log": "debug lost"})],
    "management.stations": [("[10.44.8.0/24]", {"stations": ["10.44.8.0 len 24"]})],
    "management.ipv6": [("2001:db8:44::11/64", {"address6": "2001:db8:44::11 len 64"}), ("auto", {"address6": "auto"})],
    "snmp.users": [
        ("[kvr-read auth sha-512 privacy des secret snmp-kvr]", {"snmp_users": {"kvr-read": "sha-512 des"}}),
        ("[kvr-read secret snmp-kvr]", {"snmp_users": {"kvr-read": "sha-256 aes"}}),
    ],
    "passwords.privileged": [("priv-kvr", {})],
    "switch.stp_priority": [("4096", {"bridge_priority": 4096}), ("32768", {"bridge_priority": 32768})],
    "switch.igmp_snooping": [("on", {"igmp_snooping": True}), ("off", {"igmp_snooping": False})],
    "switch.voice": [("40 cos 6 dscp 40", {"voice": "40 cos 6 dscp 40"}), ("40", {"voice": "40 cos 5 dscp 46"})],
}
"""What can be planned, as it is written, and what the switch holds then, in its own words."""
ALWAYS = """\
job: Kettlestone Valley Railway
mode: practice
baseline:
  accounts: {administrator: {name: kettle-admin, secret: each device}, viewer: {name: signal-view, secret: each device}}
  services: {ssh: on}
  management: {vlan: 44}
  switch: {vlans: {40: voice, 44: management}}
PLANNED
sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}}
"""
HELD = {"name": "kvr-wj-sw1", "address": "10.44.8.11/24", "gateway": "10.44.8.1", "vlan": 44}
SAVES = {
    "it answers no": ("replies: {keep_sure: 'yes'}\n  expect: '^kept as startup'", "replies: {keep_sure: 'no'}"),
    "it does something else": (
        "send: keep\n  replies: {keep_sure: 'yes'}\n  expect: '^kept as startup'",
        "send: tell names",
    ),
    "it waits for the wrong words": ("expect: '^kept as startup'", "expect: '^written'"),
}
_ENTRY = re.compile(
    r"^  (?P<name>[a-z_]+(?:\.[a-z_0-9]+)?):\n?(?P<body>.*?)(?=^  [a-z_]+(?:\.[a-z_0-9]+)?:|^\S)", re.M | re.S
)
_FILLED = re.compile(r"\{\{.*?\}\}|\{%.*?%\}")


def step_of(setting: str) -> tuple[int, int]:
    """Where the step of a setting stands in the phrasebook."""
    begin = SOURCE.index("\nsettings:\n")
    match = next(m for m in _ENTRY.finditer(SOURCE, begin) if m["name"] == setting)
    return match.start(), match.end()


@st.composite
def broken(draw: st.DrawFn, planned: list[str]) -> tuple[str, str]:
    """A phrasebook in which one thing is wrong, and what that is."""
    kind = draw(st.sampled_from(["a step", "a reading", "the save", "nothing"]))
    if kind == "nothing":
        return SOURCE, kind
    if kind == "the save":
        how = draw(st.sampled_from(sorted(SAVES)))
        right, wrong = SAVES[how]
        assert right in SOURCE
        return SOURCE.replace(right, wrong, 1), f"the save: {how}"
    setting = draw(st.sampled_from([*planned, "accounts.administrator", "accounts.viewer", "hostname"]))
    begin, end = step_of(setting)
    text = SOURCE[begin:end]
    where = re.compile(
        r"(?:send|replies): .*?(?=, undo|\n    undo|\n    read|\n    tries|, read|\Z)"
        if kind == "a step"
        else r"(?:read|shows): .*",
        re.S,
    )
    found = where.search(text)
    assert found, f"{setting} has nothing to break: {text}"
    part = found.group()
    spots = [m for m in _FILLED.finditer(part) if m.group().startswith("{{")]
    if spots and draw(st.booleans()):
        spot = draw(st.sampled_from(spots))
        changed = part[: spot.start()] + draw(st.sampled_from(["", "10", "on"])) + part[spot.end() :]
    elif kind == "a step":
        changed = "send: tell names"
    else:
        changed = re.sub(r"^read: \w+", "read: " + draw(st.sampled_from(["serial", "zone", "name"])), part, count=1)
    return SOURCE[:begin] + text[: found.start()] + changed + text[found.end() :] + SOURCE[
        end:
    ], f"{kind} of {setting}: {changed!r}"


@st.composite
def cases(draw: st.DrawFn) -> tuple[dict[str, int], str, str]:
    """A plan, and a phrasebook."""
    names = draw(st.lists(st.sampled_from(sorted(VALUES)), min_size=2, max_size=8, unique=True))
    plan = {name: draw(st.integers(0, len(VALUES[name]) - 1)) for name in names}
    if "ntp.servers" in plan:
        plan.setdefault("ntp.secret", 0)  # one of them has a key
    return plan, *draw(broken(names))


def job_of(plan: dict[str, int]) -> str:
    sections: dict[str, list[str]] = {}
    plain = []
    for name, at in plan.items():
        section, _, key = name.partition(".")
        written = VALUES[name][at][0]
        if key:
            sections.setdefault(section, []).append(f"{key}: {written if written[0] == '[' else repr(written)}")
        else:
            plain.append(f"  {section}: {written!r}")
    text = ALWAYS
    for section in ("management", "switch"):
        more = "".join(f", {entry}" for entry in sections.pop(section, []))
        text = re.sub(rf"(  {section}: \{{.*)\}}\n", lambda m, more=more: f"{m[1]}{more}}}\n", text, count=1)
    plain += [f"  {section}: {{{', '.join(entries)}}}" for section, entries in sections.items()]
    return text.replace("PLANNED", "\n".join(plain))


@pytest.mark.timeout(1800)
@settings(
    max_examples=int(os.environ.get("ZINGER_EXAMPLES", "6")),
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(case=cases())
async def test_proved_is_never_said_of_what_is_not_so(
    practice: Practice, tmp_path_factory: pytest.TempPathFactory, case: tuple[dict[str, int], str, str]
) -> None:
    plan, book, wrong = case
    try:
        load_phrasebook(book, "quern-s2.yaml")
    except PhrasebookError:
        assume(False)
    folder = tmp_path_factory.mktemp("lie") / "job"
    lay_out(
        folder,
        job_yaml=job_of(plan),
        devices_csv=(practice.folder.path / "devices.csv").read_text().replace(",access,", ",,"),
        practice_yaml="pace: 300\n",
    )
    await practice.yard.ask("deliver")
    (folder / ".yard").symlink_to(practice.folder.yard)
    (folder / "phrasebooks").mkdir()
    (folder / "phrasebooks" / "quern-s2.yaml").write_text(book)
    run, _ = await carried(JobFolder(folder), power_cut=False)
    came = run.carriers[practice.device].owed.outcome()
    await run.stop()
    event(f"{wrong.partition(':')[0].partition(' of ')[0]} wrong: {came.state.value}")
    if wrong == "nothing":
        assert came.state is State.PROVED, (came.differing, came.owed)
    if run.proved() and came.state is State.PROVED:
        state = await practice.yard.ask("state", device=practice.device)
        wanted = {**HELD, **{k: v for name, at in plan.items() for k, v in VALUES[name][at][1].items()}}
        assert unlike(state["running"], wanted) == {} and state["saved"], wrong
        vault = Vault(Path(folder) / "vault.age")
        for user, entry in (("kettle-admin", "administrator"), ("signal-view", "viewer")):
            secret = vault.get(SecretRef(f"{practice.device}/{entry}"))
            asked = await practice.yard.ask("knows", device=practice.device, user=user, secret=secret)
            assert asked["knows"], (user, wrong)
