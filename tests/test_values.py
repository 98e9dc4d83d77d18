"""Every setting by an example: read from a file, written into a cell, read back; and single values by tables."""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_address, ip_interface, ip_network
from typing import Any

import pytest

from zinger.plan import SECTIONS, SETTINGS, SecretRef
from zinger.plan import parsing as p
from zinger.plan.naming import NamingRule
from zinger.plan.parsing import fold_ports

# setting, as a YAML file holds it, as a cell does
EXAMPLES: dict[str, tuple[object, str]] = {
    "accounts.administrator": ({"name": "kettle-admin", "secret": "shared"}, "kettle-admin secret shared"),
    "accounts.operator": ("signaller", "signaller secret each device"),
    "accounts.viewer": ({"name": "watch"}, "watch secret each device"),
    "secrets.console": ("console-pin", "console-pin"),
    "secrets.remote": ("remote-line", "remote-line"),
    "secrets.elevation": ("each device", "each device"),
    "hostname": ("kvr-wj-sw1", "kvr-wj-sw1"),
    "domain": ("kettlestone.example.", "kettlestone.example"),
    "system.location": (" signal box, Wheal Junction ", "signal box, Wheal Junction"),
    "system.contact": ("duty desk 4471", "duty desk 4471"),
    "banner": ("Staff only.", "Staff only."),
    "management.interface": ("out-of-band", "out-of-band"),
    "management.vlan": (44, "44"),
    "management.address": ("10.44.8.11 255.255.255.0", "10.44.8.11/24"),
    "management.ipv6": ("slaac", "auto"),
    "management.gateway": ("10.44.8.1", "10.44.8.1"),
    "management.gateway6": ("fe80::1", "fe80::1"),
    "management.stations": (["10.44.8.0/24", "10.44.16.0 255.255.255.0"], "10.44.8.0/24; 10.44.16.0/24"),
    "dns.servers": (["10.44.8.20", "2001:db8::53"], "10.44.8.20; 2001:db8::53"),
    "dns.search": ("kettlestone.example", "kettlestone.example"),
    "ntp.servers": (
        [{"host": "10.44.8.22", "preferred": True, "poll": 256}, "time.example"],
        "10.44.8.22 preferred poll 256 s; time.example",
    ),
    "ntp.secret": ("time-key", "time-key"),
    "clock.zone": ("CET-1CEST,M3.5.0,M10.5.0/3", "CET-1CEST,M3.5.0,M10.5.0/3"),
    "clock.summer": (True, "on"),
    "idle.timeout": ("1 h", "60 min"),
    "idle.console": (5, "5 min"),
    "idle.remote": ("10 minutes", "10 min"),
    "idle.web": ("15min", "15 min"),
    "services.ssh": ("enabled", "on"),
    "services.telnet": ("No", "off"),
    "services.http": ("shut", "off"),
    "services.https": ("x", "on"),
    "services.netconf": (False, "off"),
    "services.tftp": ("n", "off"),
    "services.usb_start": ("0", "off"),
    "services.offered": ("disabled", "off"),
    "services.lldp": ("open", "on"),
    "snmp.communities": ([{"secret": "kvr-read", "stations": "10.44.8.0/24"}], "kvr-read stations 10.44.8.0/24"),
    "snmp.users": ("reader secret snmp-reader", "reader secret snmp-reader"),
    "syslog.servers": ("10.44.8.24 transport tls severity notice", "10.44.8.24 transport tls severity notice"),
    "logs.memory": ("Informational", "informational"),
    "logs.flash": ("error", "error"),
    "update.server": ("https://updates.kettlestone.example/", "https://updates.kettlestone.example/"),
    "update.image": ("3.2.1", "3.2.1"),
    "update.proxy": ("http://10.44.8.9:3128", "http://10.44.8.9:3128"),
    "switch.vlans": ({20: "staff", 30: "signals"}, "20 staff; 30 signals"),
    "switch.default_vlan_closed": ("yes", "on"),
    "switch.ports": (
        {"1-16": {"mode": "access", "vlan": 20}, "23-24": "trunk tagged 20,30 native 44"},
        "1-16 access vlan 20; 23-24 trunk tagged 20,30 native 44",
    ),
    "switch.lags": (["up1 23-24"], "up1 23-24"),
    "switch.members": ("1 QS2-0411 priority 15; 2", "1 QS2-0411 priority 15; 2"),
    "switch.bindings": ("7 024b.5610.4409 10.44.8.60", "7 02-4b-56-10-44-09 10.44.8.60"),
    "switch.uplinks": ("23-24 kvr-cb-cs1 their 1/1-1/2", "23-24 kvr-cb-cs1 1/1-1/2"),
    "switch.stp": ("on", "on"),
    "switch.stp_priority": (4096, "4096"),
    "switch.igmp_snooping": ("on", "on"),
    "switch.voice": ({"vlan": 40, "dscp": 46}, "40"),
    "switch.gateways": (["20 10.44.20.1/24"], "20 10.44.20.1/24"),
    "switch.dhcp_relay": ("10.44.8.20, 10.44.8.21", "10.44.8.20; 10.44.8.21"),
    "switch.routes": ([{"to": "0.0.0.0/0", "via": "10.44.8.1"}], "0.0.0.0/0 10.44.8.1"),
    "wireless.country": ("Austria", "AT"),
    "wireless.radios": ("5 channel 36 width 40 MHz power 17", "5 channel 36 width 40 MHz power 17 dBm"),
    "wireless.ssids": ('"Kettlestone staff" psk secret wifi vlan 20', '"Kettlestone staff" psk secret wifi vlan 20'),
    "wireless.radius": ("10.44.8.26 secret radius", "10.44.8.26 secret radius"),
    "wireless.virtual": ("192.0.2.1", "192.0.2.1"),
    "wireless.ap_manager": ("10.44.8.6/24", "10.44.8.6/24"),
    "wireless.mesh": ("off", "off"),
    "wireless.bridge": ("br2 station distance 84 m", "br2 station distance 84 m"),
    "edge.mode": ("Routed", "routed"),
    "edge.outside": ("pppoe user line@example secret line", "pppoe user line@example secret line"),
    "edge.inside": ("10.44.16.1 / 24", "10.44.16.1/24"),
    "edge.guest": ("10.44.17.1/24", "10.44.17.1/24"),
    "edge.dhcp": ("10.44.16.100-147 lease 8 h", "10.44.16.100 10.44.16.147"),
    "edge.reservations": ("02:4b:56:10:44:09 10.44.16.60 printer", "02-4b-56-10-44-09 10.44.16.60 printer"),
    "edge.rules": ('"tickets to bank" allow service tcp/443', '"tickets to bank" allow service tcp/443'),
    "edge.priorities": ("signals high limit 2000 kbit/s", "signals high limit 2000 kbit/s"),
    "edge.schedules": ("opening mon-fri begin 06:00 end 22:00", "opening mon-fri begin 06:00 end 22:00"),
    "edge.filters": ("deny games.example schedule opening", "deny games.example schedule opening"),
    "edge.forwards": ("8443 10.44.16.20 their 443", "8443 10.44.16.20 their 443"),
    "edge.managed": ('inside "ssh,https"; outside none', 'inside "ssh,https"; outside none'),
    "edge.recovery": ("no", "off"),
    "voice.legs": ("inside 10.44.25.6/24; outside 192.0.2.60/29", "inside 10.44.25.6/24; outside 192.0.2.60/29"),
    "voice.peers": ("exchange inside 10.44.25.30 keepalive 60 s", "exchange inside 10.44.25.30 keepalive 60 s"),
    "voice.sessions": ("60", "60"),
    "voice.media": ("16384 ports 240", "16384 ports 240"),
    "voice.rewrites": ("00 strip 2 prefix +; 0 strip 1 prefix +43", "00 strip 2 prefix +; 0 strip 1 prefix +43"),
}


def test_every_setting_has_an_example_a_section_and_words() -> None:
    assert set(EXAMPLES) == set(SETTINGS) == {name for names in SECTIONS.values() for name in names}
    titles = [s.title for s in SETTINGS.values()]
    assert len(set(titles)) == len(titles)


@pytest.mark.parametrize("name", EXAMPLES)
def test_a_setting_is_read_written_into_a_cell_and_read_back(name: str) -> None:
    setting = SETTINGS[name]
    written, cell = EXAMPLES[name]
    value = setting.parse(written)
    assert setting.text(value) == cell
    assert setting.parse(cell) == value and setting.text(setting.parse(cell)) == cell
    assert setting.show(value) and "None" not in setting.show(value)
    hash(value)


VALUES: list[tuple[Callable[[object], Any], object, object]] = [
    (p.parse_management, "dhcp", p.ManagementAddress("dhcp")),
    (p.parse_management, "10.44.8.11", p.ManagementAddress("fixed", ip_address("10.44.8.11"), 32)),
    (p.parse_management, "10.44.8.11/255.255.255.0", p.ManagementAddress.of(ip_interface("10.44.8.11/24"))),
    (p.parse_management, "2001:db8::5/64", p.ManagementAddress.of(ip_interface("2001:db8::5/64"))),
    (p.parse_management6, True, p.ManagementAddress("auto")),
    (p.parse_management6, "off", p.ManagementAddress("off")),
    (p.parse_network, "10.44.8.0/255.255.255.0", ip_network("10.44.8.0/24")),
    (p.parse_interface, "10.44.8.1 mask 255.255.255.0", ip_interface("10.44.8.1/24")),
    (p.parse_host, "time.example", "time.example"),
    (p.parse_host, "10.44.8.22", ip_address("10.44.8.22")),
    (p.parse_mac, "02-4B-56-10-33-01", "02-4b-56-10-33-01"),
    (p.parse_mac, "02:4b:56:10:33:01", "02-4b-56-10-33-01"),
    (p.parse_mac, "024b.5610.3301", "02-4b-56-10-33-01"),
    (p.parse_mac, "024b56103301", "02-4b-56-10-33-01"),
    (p.parse_mac, "024b56-103301", "02-4b-56-10-33-01"),
    (p.parse_ports, "1-4,7", ("1", "2", "3", "4", "7")),
    (p.parse_ports, "1/1 - 1/3", ("1/1", "1/2", "1/3")),
    (p.parse_ports, "1/2/7", ("1/2/7",)),
    (p.parse_ports, "g1 to g3", ("g1", "g2", "g3")),
    (p.parse_ports, ["1", "3-4"], ("1", "3", "4")),
    (p.parse_lease, "1 d", 1440),
    (p.parse_lease, "8h", 480),
    (p.parse_country, "at", "AT"),
    (p.parse_secret, "guest-wifi", SecretRef("guest-wifi")),
    (p.whole(1, 10, "dBm"), "7 dBm", 7),
    (p.whole(1, 10), 7.0, 7),
]


@pytest.mark.parametrize(("parse", "raw", "value"), VALUES)
def test_values_are_read_as_people_write_them(parse: Callable[[object], Any], raw: object, value: object) -> None:
    assert parse(raw) == value


REFUSED: list[tuple[Callable[[object], Any], object, str]] = [
    (p.parse_management, "10.44.8", "is no address; write it like 10.44.8.11/24, or dhcp"),
    (p.parse_management, "10.44.8.1/40", "is no address"),
    (p.parse_management6, "10.44.8.1/24", "is no IPv6 address"),
    (p.parse_network, "10.44.8.5/24", "its host bits are set; write 10.44.8.0/24"),
    (p.parse_network, "everything", "is no subnet"),
    (p.parse_interface, "10.44.8.1", "has no prefix length; write it like 10.44.8.1/24"),
    (p.parse_address6, "10.44.8.1", "is no IPv6 address"),
    (p.parse_hostname, "a" * 64, "64 characters long; RFC 1123 allows 63"),
    (p.parse_hostname, "-a", "no hostname by RFC 1123"),
    (p.parse_domain, "a..b", "is no domain name"),
    (p.parse_text, "two\nlines", "line break or control character"),
    (p.parse_text, "a\x1b[31m", "line break or control character"),
    (p.parse_words, 'with "quotes"', "double quote"),
    (p.parse_flag, "perhaps", "neither on nor off"),
    (p.parse_flag, "-", "neither on nor off"),
    (p.parse_vlan, "4095", "4095 is no VLAN; they go from 1 to 4094"),
    (p.parse_vlan, "44.5", "no whole number"),
    (p.parse_minutes, "2 d", "2880 minutes is not between 1 and 1440"),
    (p.parse_minutes, "soon", "no whole number of minutes"),
    (p.parse_zone, "Europe/Viena", "did you mean Europe/Vienna?"),
    (p.parse_mac, "02-4b-56", "is no MAC address"),
    (p.parse_ports, "7-3", "runs backwards"),
    (p.parse_ports, "1/1-2/4", "is no port or range"),
    (p.parse_ports, "one", "is no port or range"),
    (p.parse_country, "Ruritania", "no country of ISO 3166"),
    (p.parse_url, "ftp://x", "is no web address"),
    (p.parse_secret, "a;b", "a secret is named here, never written"),
    (p.parse_account_name, "1st", "begin with a letter"),
    (p.parse_banner, "x" * 121, "at most 120 characters"),
    (p.each(p.parse_vlan), "20 20", "the same entry stands twice"),
    (p.one_of("udp", "tcp"), "tpc", "did you mean tcp?"),
]


@pytest.mark.parametrize(("parse", "raw", "words"), REFUSED)
def test_a_wrong_value_says_what_and_what_to_write(parse: Callable[[object], Any], raw: object, words: str) -> None:
    with pytest.raises(ValueError, match="; ") as caught:
        parse(raw)
    assert words in str(caught.value), caught.value


@pytest.mark.parametrize("text", ["1", "1-4,7", "1/1-1/16,2/1-2/16", "g1-g3,x9", "3,1-2"])
def test_ports_fold_as_short_as_they_were_written(text: str) -> None:
    assert fold_ports(p.parse_ports(text)) == text


@pytest.mark.parametrize(
    ("zone", "summer"),
    [
        ("Europe/Vienna", True),
        ("Etc/GMT-1", False),
        ("Asia/Tokyo", False),
        ("CET-1CEST,M3.5.0,M10.5.0/3", True),
        ("CET-1", False),
    ],
)
def test_a_zone_knows_whether_it_has_summer_time(zone: str, summer: bool) -> None:
    assert p.has_summer_rule(p.parse_zone(zone)) is summer


def test_a_naming_rule_counts_by_site_and_role_and_takes_no_name_twice() -> None:
    rule = NamingRule("kvr-{site}-{role}{n:02}")
    rule.keep(["KVR-wj-sw02"])
    names = [rule.name("wj", "sw", "quern-s2")[0] for _ in range(3)] + [rule.name("cb", "sw", "quern-s2")[0]]
    assert names == ["kvr-wj-sw01", "kvr-wj-sw03", "kvr-wj-sw04", "kvr-cb-sw01"]
    assert NamingRule("{n}-{family}").name("a", "", "b2") == ("1-b2", 1)


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        ("{site}", "counts nothing"),
        ("{sight}{n}", "nothing fills {sight}"),
        ("{n", "is no naming rule"),
        ("{n:x}", "can't be filled"),
        ("{site!r}{n}", "can't be filled"),
        ("{site:5}{n}", "only {n} takes a width"),
    ],
)
def test_a_naming_rule_that_can_not_work_is_refused(rule: str, words: str) -> None:
    with pytest.raises(ValueError, match=";") as caught:
        NamingRule(rule)
    assert words in str(caught.value)
