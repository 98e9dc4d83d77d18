"""Every setting that a family's kind can have, each part unlike the factory's: sent, and what the device holds then."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from tests.test_run import carried
from zinger.plan.settings import SECTION_OF, SETTINGS
from zinger.run.openjob import OpenJob
from zinger.run.practice import find_or_start
from zinger.store.folder import JobFolder

JOB = """\
job: Kettlestone Valley Railway
mode: practice
baseline:
  accounts:
    administrator: {name: kettle-admin, secret: each device}
    second: {name: kettle-deputy, secret: each device}
    operator: {name: shift-lead, secret: each device}
    servers: [radius 10.44.8.26 port 1645 secret aaa-kvr, tacacs 10.44.8.28 secret aaa-two]
    order: [servers, local]
    lockout: 4 lock 12 min
    viewer: {name: signal-view, secret: each device}
  passwords: {console: con-kvr, network: net-kvr, privileged: priv-kvr}
  system: {location: equipment room, contact: signals desk}
  domain: kettlestone.example
  management:
    {vlan: 44, interface: oob, out_of_band: 10.44.9.11/24, ipv6: 2001:db8:44::11/64, gateway6: 2001:db8:44::1,
     stations: [10.44.8.0/24, 10.44.16.0/24]}
  dns: {servers: [10.44.8.20, 10.44.8.21], search: stations.example, hosts: [kvr-log 10.44.8.24]}
  ntp:
    servers: [10.44.8.22 preferred key 3 poll 256 s preference 1, 10.44.8.23 poll 64 s preference 2]
    secret: time-kvr
  clock: {set: laptop, zone: Europe/Vienna, summer: on, rule: last Sun Mar 2:00 to last Sun Oct 3:00}
  idle: {timeout: 10 min, console: 5 min, network: 7 min, web: 9 min, consoles: [usb 3 min]}
  banner: Kettlestone Valley Railway. Staff only.
  services:
    {ssh: on, telnet: off, http: off, https: on, netconf: on, tftp: off, usb_start: off, offered: off, lldp: off}
  snmp:
    versions: [v2c, v3]
    users: [kvr-read auth sha-256 privacy aes secret snmp-kvr-read]
    communities: [kvr-read read stations 10.44.8.0/24, kvr-write write]
  syslog:
    servers: [10.44.8.24 port 6514 transport tls severity notice preference 1, 10.44.8.25 transport tcp preference 2]
  logs: {local: notice survives}
  update: {server: "https://updates.kettlestone.example/", image: 3.2.1, proxy: "http://10.44.8.27:3128/"}
sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}}
roles:
  all:
"""
SWITCH = """\
    switch:
      vlans: {20: staff, 30: signals, 40: voice, 44: management}
      default_vlan_closed: on
      igmp_snooping: on
      stp: off
      stp_priority: 4096
      voice: 40 cos 6 dscp 40
"""
S2 = """\
      ports:
        - 1-8,11 access vlan 20 description "desks"
        - 9 mixed vlan 20 tagged 30 forbidden 44
        - 12 off
        - 23-24 trunk tagged 20,30,40 native 44
      lags: [up1 23-24 mode passive id 3 spanning-tree on]
      uplinks: [23-24 kvrcore their 1/1-1/2]
      members: [1 QS2-0411 leads, 2 QS2-0412 takes-over]
      access_lists:
        - '"cameras to recorder" allow source 10.44.30.0/24 target 10.44.8.40 service tcp/554'
        - '"cameras to recorder" deny'
      port_options:
        - 1-2 enabled on speed 100 duplex full power high dot1x on edge on guard bpdu tree-priority 64 storm 5 % med on
        - 11 access-list "cameras to recorder"
      bindings: [7 02-4b-56-10-44-09 10.44.8.60 vlan 30]
"""
S9 = """\
      ports: ['1/1-1/12,2/1-2/3 access vlan 20', '2/15-2/16 trunk tagged 20,30 native 44']
      lags: [up1 2/15-2/16]
      uplinks: [2/15-2/16 kvrcore]
      bindings: [1/7 02-4b-56-10-44-09]
      access_lists: ['cameras allow service tcp/554']
      port_options: [2/3-2/4 power critical access-list cameras]
      gateways: ['20 10.44.20.1/24 relay 10.44.8.25,10.44.8.26', 30 10.44.30.1/24]
      routing: on
      dhcp_relay: [10.44.8.25]
      routes: [0.0.0.0/0 10.44.8.1, 10.44.64.0/20 10.44.20.254]
"""
WIRELESS = """\
    wireless:
      country: AT
      radios: [2.4 channel 6 width 40 MHz power 14 dBm, 5 auto-channel width 80 MHz auto-power]
      ssids: ['"staff net" 802.1x vlan 20 band 5', 'guests psk secret wifi-guests vlan 30 guest']
      radius: [10.44.8.26 port 1645 secret radius-kvr]
      guest_sign_in: 198.51.100.77
      guest_terms: Be kind to the network.
      static_clients: off
      dhcp_server: 10.44.8.25
      join_address: 10.44.40.2/24
      mesh: off
"""
VOICE = """\
    voice:
      legs: [local 10.44.8.11/24 interface 1, upstream 192.0.2.60/29 interface 2 seen-as 198.51.100.60 transports tls]
      profiles: [national codecs g711a/g729 tones info refresh 900 s numbers dialled]
      peers:
        - exchange local 10.44.8.30 transport tcp port 5062 backup 10.44.8.31 keepalive 20 s
        - >-
          provider upstream 192.0.2.57 transport tls port 5061 profile national user kvr-8817 secret provider
          domain sip.provider.example media srtp
      sessions: 12
      media: first 40000 last 40399
      rewrites: [0043 becomes +43 side upstream]
"""
TABLES = """\
# tables of kvr-wj-x1
kind generic: codings g711a g711u, tones events, refresh 1800, numbers e164
kind national: codings g711a g729, tones info, refresh 900, numbers dialled
leg local: 10.44.8.11/24, port 1
leg upstream: 192.0.2.60/29, port 2, seen as 198.51.100.60, takes tls
peer exchange: leg local, 10.44.8.30 port 5062 by tcp, spare 10.44.8.31, asked every 20, kind generic
peer provider: leg upstream, 192.0.2.57 port 5061 by tls, asked every 30, kind national
account provider: kvr-8817
secret provider: (kept)
domain provider: sip.provider.example
sound provider: sealed
calls at once: 12
media: 40000..40399
number upstream: 0043 becomes +43
end of tables
"""
EDGE = """\
    edge:
      forwarding: bridge
      upstream: static 192.0.2.250/29 192.0.2.249 interface 8
      local: 10.44.20.1/24
      guest: 10.44.21.1/24
      dhcp: '10.44.20.100-147 lease 8 h dns 10.44.8.20,10.44.8.21 domain stations.example'
      reservations: [02-4b-56-10-44-09 10.44.20.60 ticket-printer]
      rules: ['"ticket machines to bank" allow source 10.44.20.0/24 target any service tcp/443']
      forwards: [8443 10.44.20.20 their 443 purpose camera]
      priorities: [signals high service udp/5060 limit 2000 kbit/s]
      schedules: [opening mon-fri begin 06:00 end 22:00]
      filters: [deny games.example schedule opening]
      managed: ['local "ssh,https" stations 10.44.8.0/24,10.44.16.0/24', 'guest ""']
      reset_at_device: forbidden
"""

HEAD = "site,role,hostname,family,address,serial,mac\nwj,all,kvr-wj-x1,"


@dataclass(frozen=True)
class Whole:
    """A plan with every setting that a family's kind has, and what its device must hold then, in its own words."""

    family: str
    role: str
    holds: dict[str, Any]
    owed: tuple[str, ...] = ()


PEOPLE = {
    "kettle-admin": "keeper",
    "kettle-deputy": "keeper",
    "shift-lead": "warden",
    "signal-view": "watcher",
    "installer": "keeper",
}
QUERN = {
    "name": "kvr-wj-x1",
    "people": PEOPLE,
    "location": "equipment room",
    "contact": "signals desk",
    "domain": "kettlestone.example",
    "suffix": "stations.example",
    "resolver": ["10.44.8.20", "10.44.8.21"],
    "vlan": 44,
    "address": "10.44.8.11/24",
    "gateway": "10.44.8.1",
    "address6": "2001:db8:44::11 len 64",
    "gateway6": "2001:db8:44::1",
    "stations": ["10.44.8.0 len 24", "10.44.16.0 len 24"],
    "source": {"10.44.8.22": "first every 256 s key 3 order 1", "10.44.8.23": "every 64 s order 2"},
    "zone": "Europe/Vienna",
    "summer": True,
    "summer_rule": "last sun mar 02:00 to last sun oct 03:00 ahead 60 min",
    "hosts": {"kvr-log": "10.44.8.24"},
    "idle": 10,
    "idle_of": {"console": 5, "network": 7, "web": 9},
    "idle_at": {"usb": "3 min"},
    "greeting": "Kettlestone Valley Railway. Staff only.",
    "snmp_users": {"kvr-read": "sha-256 aes"},
    "receiver": {"10.44.8.24": "port 6514 by tls from notice order 1", "10.44.8.25": "by tcp order 2"},
    "local_log": "notice kept",
    "update_server": "https://updates.kettlestone.example/",
    "update_proxy": "http://10.44.8.27:3128/",
    "vlans": {"1": "default", "20": "staff", "30": "signals", "40": "voice", "44": "management"},
    "default_closed": True,
    "igmp_snooping": True,
    "spanning_tree": False,
    "bridge_priority": 4096,
    "voice": "40 cos 6 dscp 40",
    "lock": "after 4 for 12 min",
    "asks": "servers then local",
    "versions": ["v2c", "v3"],
}
OPTIONS = {
    "forwards": "on",
    "speed": "100",
    "duplex": "full",
    "power": "high",
    "admits": "signed-in",
    "edge": "on",
    "guard": "bpdu",
    "tree-priority": "64",
    "storm": "5 %",
    "announces": "voice",
}
SHUT = {
    "ssh": True,
    "telnet": False,
    "http": False,
    "https": True,
    "tftp": False,
    "usb": False,
    "dhcp-load": False,
    "lldp": False,
}
WHOLE = [
    Whole(
        "quern-s2",
        SWITCH + S2,
        {
            **QUERN,
            "doors": SHUT,
            "bundles": {"up1": "23-24 listening number 3 tree on"},
            "uplinks": {"23-24": "to kvrcore at 1-2"},  # as the Pennant P1 there prints 1/1-1/2
            "members": {"1": "serial QS2-0411 leads", "2": "serial QS2-0412 takes-over"},
            "allowed": {"7": "02-4b-56-10-44-09 10.44.8.60 vlan 30"},
            "lists": {
                "cameras to recorder": [
                    "allow from 10.44.30.0/24 to 10.44.8.40 for tcp/554",
                    "deny from any to any for any",
                ]
            },
            "options": {"1": OPTIONS, "2": OPTIONS, "11": {"passes": "cameras to recorder"}},
        },
    ),
    Whole(
        "quern-s9",
        SWITCH + S9,
        {
            **QUERN,
            "doors": {**SHUT, "netconf": True},
            "bundles": {"up1": "2/15-2/16 talking"},
            "uplinks": {"2/15-2/16": "to kvrcore"},
            "members": {},
            "allowed": {"1/7": "02-4b-56-10-44-09"},
            "lists": {"cameras": ["allow from any to any for tcp/554"]},
            "options": {port: {"power": "critical", "passes": "cameras"} for port in ("2/3", "2/4")},
            "gateways": {"20": "10.44.20.1 len 24", "30": "10.44.30.1 len 24"},
            "relay": ["10.44.8.25"],
            "routes": {"0.0.0.0 len 0": "10.44.8.1", "10.44.64.0 len 20": "10.44.20.254"},
            "reached": "oob",
            "routing": True,
            "relay_of": {"20": "10.44.8.25 10.44.8.26"},
            "oob": "10.44.9.11 len 24",
        },
    ),
    Whole(
        "hollin-g4",
        EDGE,
        {
            "people": {
                "keeper": "full",
                "kettle-admin": "full",
                "kettle-deputy": "full",
                "shift-lead": "tending",
                "signal-view": "seeing",
            },
            "values": {
                "base": "bare",
                "name": "kvr-wj-x1",
                "place": "equipment room",
                "contact": "signals desk",
                "domain": "kettlestone.example",
                "suffix": "stations.example",
                "resolvers": "10.44.8.20 10.44.8.21",
                "address": "10.44.8.11/24",
                "gateway": "10.44.8.1",
                "address6": "2001:db8:44::11/64",
                "gateway6": "2001:db8:44::1",
                "stations": "10.44.8.0/24 10.44.16.0/24",
                'time "10.44.8.22"': "asked first every 256 s by key 3 as 1",
                'time "10.44.8.23"': "asked every 64 s as 2",
                "time-key": "chosen",
                "zone": "Europe/Vienna",
                "summer": "on",
                "idle": "10",
                "idle-console": "5",
                "idle-network": "7",
                "idle-web": "9",
                "greeting": "Kettlestone Valley Railway. Staff only.",
                "ssh": "open",
                "telnet": "shut",
                "http": "shut",
                "https": "open",
                "usb-start": "off",
                "lease-offers": "ignored",
                "lldp": "off",
                'community "1"': "read from 10.44.8.0/24",
                'community "2"': "write from any",
                'snmp-user "kvr-read"': "sha-256 aes",
                'log "10.44.8.24"': "by tls to 6514 from notice as 1",
                'log "10.44.8.25"': "by tcp as 2",
                'host "kvr-log"': "10.44.8.24",
                "summer-rule": "from last sun mar 02:00 until last sun oct 03:00 by 60 min",
                "local-log": "notice kept",
                "updates": "https://updates.kettlestone.example/",
                "proxy": "http://10.44.8.27:3128/",
                "forwarding": "bridge",
                "upstream": "fixed 192.0.2.250/29 via 192.0.2.249 on 8",
                "local": "10.44.20.1/24",
                "guest": "10.44.21.1/24",
                "pool": "10.44.20.100 to 10.44.20.147 for 480 min"
                " names by 10.44.8.20,10.44.8.21 domain stations.example",
                'reserved "ticket-printer"': "02-4b-56-10-44-09 10.44.20.60",
                'rule "ticket machines to bank"': "allow from 10.44.20.0/24 to any for tcp/443",
                'forward "8443 camera"': "10.44.20.20 443 tcp",
                'share "signals"': "high for udp/5060 up to 2000 kbit/s",
                'hours "opening"': "mon-fri 06:00 to 22:00",
                'filter "games.example"': "deny in opening",
                'services-of "local"': "ssh,https to 10.44.8.0/24,10.44.16.0/24",
                "wrong-passwords": "4 then 12 min",
                'judge "10.44.8.26"': "by radius at 1645",
                'judge "10.44.8.28"': "by tacacs",
                "asked-first": "judges then keepers",
                "snmp": "v2c v3",
                'services-of "guest"': "none",
                "reset-at-device": "forbidden",
            },
        },
        ("clock.set",),
    ),
    Whole(
        "hollin-m1",
        "    {}\n",
        {
            "people": {"keeper": "keeper", "kettle-admin": "keeper", "signal-view": "looker"},
            "values": {
                "name": "kvr-wj-x1",
                "wrong-passwords": "4 then 12 min",
                "snmp-speaks": "v2c v3",
                "address": "10.44.8.11/24",
                "gateway": "10.44.8.1",
                "resolvers": "10.44.8.20 10.44.8.21",
                "suffix": "stations.example",
                "times": "10.44.8.22 10.44.8.23",
                "zone": "Europe/Vienna",
                "idle": "10",
                "logs": "10.44.8.24 10.44.8.25",
                "greeting": "Kettlestone Valley Railway. Staff only.",
                "ssh": "y",
                "https": "y",
                "http": "n",
                "telnet": "n",
                "asking 10.44.8.22": "first every 256 s key 3 order 1",
                "asking 10.44.8.23": "every 64 s order 2",
                "time-key": "y",
                "summer": "y",
                "place": "equipment room",
                "contact": "signals desk",
                "domain": "kettlestone.example",
                "address6": "2001:db8:44::11/64",
                "gateway6": "2001:db8:44::1",
                "managed-from": "10.44.8.0/24 10.44.16.0/24",
                "idle-console": "5",
                "idle-network": "7",
                "idle-web": "9",
                "local-log": "notice kept",
                "updates": "https://updates.kettlestone.example/",
                "proxy": "http://10.44.8.27:3128/",
                "snmp": "kvr-read sha-256 aes",
                "logging 10.44.8.24": "port 6514 by tls from notice order 1",
                "logging 10.44.8.25": "by tcp order 2",
            },
        },
        ("accounts.second", "accounts.servers", "accounts.order", "dns.hosts", "clock.rule", "clock.set"),
    ),
    Whole(
        "sallow-w5",
        WIRELESS,
        {
            "people": {"kettle-admin": "master", "signal-view": "looker"},
            "values": {
                "country": "AT",
                "radio-2.4": "channel 6 width 40 power 14",
                "radio-5": "channel auto width 80 power auto",
                "mesh": "no",
                "guests": "198.51.100.77",
                "guest-terms": "Be kind to the network.",
                "client-addresses": "leased",
                "client-leases": "10.44.8.25",
                "wrong-passwords": "4 then 12 min",
                "asked-first": "authorities then accounts",
                "authority 10.44.8.26": "by radius port 1645",
                "authority 10.44.8.28": "by tacacs",
                "snmp-speaks": "v2c v3",
                "times": "10.44.8.22 10.44.8.23",
                "zone": "Europe/Vienna",
                "https": "yes",
                "ssh": "yes",
                "telnet": "no",
                "http": "no",
                "logs": "10.44.8.24 10.44.8.25",
                "resolvers": "10.44.8.20 10.44.8.21",
                "suffix": "stations.example",
                "name": "kvr-wj-x1",
                "vlan": "44",
                "address": "10.44.8.11/24 via 10.44.8.1",
                "service": "yes",
                "idle": "10",
                "greeting": "Kettlestone Valley Railway. Staff only.",
                "place": "equipment room",
                "contact": "signals desk",
                "ask 10.44.8.22": "first every 256 s key 3 order 1",
                "ask 10.44.8.23": "every 64 s order 2",
                "time-key": "yes",
                "summer": "yes",
                "domain-name": "kettlestone.example",
                "address6": "2001:db8:44::11/64",
                "gateway6": "2001:db8:44::1",
                "managers": "10.44.8.0/24 10.44.16.0/24",
                "idle-console": "5",
                "idle-network": "7",
                "idle-web": "9",
                "lldp": "no",
                "local-log": "notice kept",
                "updates": "https://updates.kettlestone.example/",
                "proxy": "http://10.44.8.27:3128/",
                "join-at": "10.44.40.2/24",
                "community-read": "from 10.44.8.0/24",
                "community-write": "from any",
                "snmp kvr-read": "sha-256 aes",
                "radius 10.44.8.26": "port 1645",
                "log-to 10.44.8.24": "by tls port 6514 from notice order 1",
                "log-to 10.44.8.25": "by tcp order 2",
            },
        },
        ("accounts.second", "dns.hosts", "clock.rule", "clock.set"),
    ),
    Whole(
        "marrable-v6",
        VOICE,
        {
            "people": {
                "operator": "master",
                "kettle-admin": "master",
                "kettle-deputy": "master",
                "signal-view": "looker",
            },
            "values": {
                "name": "kvr-wj-x1",
                "place": "equipment room",
                "contact": "signals desk",
                "address": "10.44.8.11",
                "mask": "255.255.255.0",
                "gateway": "10.44.8.1",
                "resolvers": "10.44.8.20 10.44.8.21",
                "suffix": "stations.example",
                "times": "10.44.8.22 10.44.8.23",
                "zone": "Europe/Vienna",
                "ssh": "open",
                "https": "open",
                "http": "shut",
                "telnet": "shut",
                "idle": "10",
                "logs": "10.44.8.24 10.44.8.25",
                "greeting": "Kettlestone Valley Railway. Staff only.",
                "domain": "kettlestone.example",
                "address6": "2001:db8:44::11/64",
                "gateway6": "2001:db8:44::1",
                "summer": "on",
                "managers": "10.44.8.0/24 10.44.16.0/24",
                "idle-con": "5",
                "idle-net": "7",
                "idle-web": "9",
                "local-log": "notice kept",
                "updates": "https://updates.kettlestone.example/",
                "proxy": "http://10.44.8.27:3128/",
                "tables": TABLES,
            },
        },
        (
            *("ntp.secret", "snmp.communities", "snmp.users", "snmp.versions"),
            *("accounts.servers", "accounts.order", "accounts.lockout", "dns.hosts", "clock.rule", "clock.set"),
            *("ntp.servers", "syslog.servers"),  # how they are asked, and sent to
        ),
    ),
]


def unlike(held: dict[str, Any], wanted: dict[str, Any]) -> dict[str, tuple[Any, Any]]:
    """What is held otherwise, or not wanted at all; on the top, only what is wanted is looked at."""
    found: dict[str, tuple[Any, Any]] = {}
    for key, value in wanted.items():
        mine = held.get(key)
        if isinstance(value, dict) and isinstance(mine, dict):
            keys = {**mine, **value}
            found |= {f"{key}.{k}": (mine.get(k), value.get(k)) for k in keys if mine.get(k) != value.get(k)}
        elif mine != value:
            found[key] = (mine, value)
    return found


@pytest.mark.parametrize("whole", WHOLE, ids=[whole.family for whole in WHOLE])
async def test_a_plan_with_every_setting_is_proved_and_the_device_agrees(
    job: Callable[..., Path], whole: Whole
) -> None:
    """The device's own state is asked from the yard, not through the phrasebook."""
    sheet = f"{HEAD}{whole.family},10.44.8.11,X-0411,02-4b-56-10-33-01\nwj,,kvrcore,pennant-p1,10.44.8.12,,\n"
    folder = JobFolder(job(job_yaml=JOB + whole.role, practice_yaml="pace: 300\n", devices_csv=sheet))
    plan = OpenJob(folder).plan
    assert plan.errors() == (), plan.errors()
    run, opened = await carried(folder)
    line, book = opened.board.lines["kvr-wj-x1"], opened.books[whole.family]
    came = run.carriers["kvr-wj-x1"].owed.outcome()
    assert came.differing == (), (line.sentence, [(f.setting, f.planned, f.read) for f in came.differing])
    assert {debt.setting for debt in came.owed} == set(whole.owed), [str(debt) for debt in came.owed]
    yard, _ = await find_or_start(folder, plan.devices, None)
    state = await yard.ask("state", device="kvr-wj-x1")
    yard.close()
    running = state["running"]
    if "networks" in running.get("values", {}):  # their keys stand among them
        rows = [row.split("|") for row in running["values"].pop("networks").split("\n")]
        assert [(*row[:4], row[5]) for row in rows] == [
            ("staff net", "802.1x", "20", "staff", "5"),
            ("guests", "key", "30", "guests", "all"),
        ]
    assert unlike(running, whole.holds) == {} and state["saved"]
    planned = {step.setting for step in line.script.steps} | {left.setting for left in line.script.not_sent}
    missing = {n for n in SETTINGS if book.rules.has(SECTION_OF[n]) and n not in book.rules.lacks} - planned
    assert not missing, f"the plan leaves out what this kind has: {missing}"
    await run.stop(end_yard=True)
