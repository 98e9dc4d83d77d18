"""Every setting that a family has words for, said to its device and read back, through a power cut."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.test_run import carried
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder

JOB = """\
job: Kettlestone Valley Railway
mode: practice
baseline:
  accounts:
    administrator: {name: kettle-admin, secret: each device}
    operator: {name: shift-lead, secret: each device}
    viewer: {name: signal-view, secret: each device}
  system: {location: equipment room, contact: signals desk}
  management: {vlan: 44, stations: [10.44.8.0/24, 10.44.16.0/24]}
  dns: {servers: [10.44.8.20, 10.44.8.21], search: kettlestone.example}
  ntp: {servers: [10.44.8.22 preferred poll 256 s, 10.44.8.23 poll 256 s]}
  clock: {zone: Europe/Vienna}
  idle: {timeout: 10 min}
  banner: Kettlestone Valley Railway. Staff only.
  services: {ssh: on, telnet: off, http: off, https: on, tftp: off, usb_start: off, offered: off, lldp: on}
  snmp: {users: [kvr-read auth sha-256 privacy aes secret snmp-kvr-read]}
  syslog: {servers: [10.44.8.24 severity notice]}
  logs: {local: notice survives}
sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}}
roles:
  core:
    switch:
      vlans: {20: staff, 30: signals, 40: voice, 44: management}
      default_vlan_closed: on
      igmp_snooping: on
      stp: on
      stp_priority: 4096
      voice: 40 cos 5 dscp 46
FAMILY
"""
S2 = """\
      ports:
        - 1-8,11 access vlan 20 description "desks"
        - 9 mixed vlan 20 tagged 30 forbidden 44
        - 12 off
        - 23-24 trunk tagged 20,30,40 native 44
      lags: [up1 23-24 mode passive]
      bindings: [7 02-4b-56-10-44-09 10.44.8.60 vlan 30]
"""
S9 = """\
      ports: ['1/1-1/12,2/1-2/3 access vlan 20', '2/15-2/16 trunk tagged 20,30 native 44']
      lags: [up1 2/15-2/16]
      bindings: [1/7 02-4b-56-10-44-09]
      gateways: [20 10.44.20.1/24, 30 10.44.30.1/24]
      dhcp_relay: [10.44.8.25]
      routes: [0.0.0.0/0 10.44.8.1, 10.44.64.0/20 10.44.20.254]
    management: {interface: oob}
"""
EDGE = """\
    edge:
      forwarding: route
      upstream: static 192.0.2.250/29 192.0.2.249
      local: 10.44.20.1/24
      guest: 10.44.21.1/24
      dhcp: 10.44.20.100-147 lease 8 h
      reservations: [02-4b-56-10-44-09 10.44.20.60 ticket-printer]
      rules: ['"ticket machines to bank" allow source 10.44.20.0/24 target any service tcp/443']
      forwards: [8443 10.44.20.20 their 443 purpose camera]
      reset_at_device: forbidden
"""
NOT_OF_A_FIREWALL = (
    ", tftp: off, usb_start: off, offered: off, lldp: on",
    "  snmp: {users: [kvr-read auth sha-256 privacy aes secret snmp-kvr-read]}\n",
    "  logs: {local: notice survives}\n",
)
"""What a Hollin G4 can't be told, so that it would be owed."""
HEAD = "site,role,hostname,family,address,serial,mac\nwj,core,kvr-wj-x1,"
FAMILIES = [("quern-s2", S2), ("quern-s9", S9), ("hollin-g4", EDGE)]


@pytest.mark.parametrize(("family", "role"), FAMILIES, ids=[f for f, _ in FAMILIES])
async def test_all_that_a_family_can_be_told_is_said_and_proved(
    job: Callable[..., Path], family: str, role: str
) -> None:
    text = JOB.replace("FAMILY\n", role)
    if family == "hollin-g4":
        text = text[: text.index("    switch:")] + role
        for line in ("    operator: {name: shift-lead, secret: each device}\n", *NOT_OF_A_FIREWALL):
            assert line in text
            text = text.replace(line, "")
    folder = JobFolder(
        job(
            job_yaml=text,
            practice_yaml="pace: 300\n",
            devices_csv=(f"{HEAD}{family},10.44.8.11,X-0411,02-4b-56-10-33-01\n"),
        )
    )
    plan = OpenJob(folder).plan
    assert plan.errors() == (), plan.errors()
    run, opened = await carried(folder)
    line = opened.board.lines["kvr-wj-x1"]
    assert run.proved() == ["kvr-wj-x1"], (line.sentence, [(f.setting, f.planned, f.read) for f in line.differing])
    said = {p.setting for p in line.script.steps}
    assert set(opened.books[family].steps) <= said, "the test plans all that the family has words for"
    assert all(p.fact for p in line.script.steps), "nothing is said that is not read back"
    await run.stop(end_yard=True)
