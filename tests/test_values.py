"""Every setting by an example: read from a file, written into a cell, read back; and single values by tables."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from ipaddress import ip_address, ip_interface, ip_network
from typing import Any

import pytest

from zinger.plan.naming import NamingRule
from zinger.plan.settings import SECTIONS, SETTINGS
from zinger.plan.subjects.wireless.budget import least_signal_to_noise
from zinger.plan.subjects.wireless.models import Bridge
from zinger.plan.values.addresses import (
    ManagementAddress,
    parse_address6,
    parse_interface,
    parse_management,
    parse_management6,
    parse_network,
)
from zinger.plan.values.bad import BadValue
from zinger.plan.values.clock import LaptopTime, SummerRule
from zinger.plan.values.durations import parse_lease, parse_minutes
from zinger.plan.values.mac import parse_mac
from zinger.plan.values.names import (
    has_summer_rule,
    parse_account_name,
    parse_country,
    parse_domain,
    parse_host,
    parse_hostname,
    parse_url,
    parse_zone,
)
from zinger.plan.values.ports import fold_ports, parse_ports
from zinger.plan.values.secrets import SecretRef, parse_secret
from zinger.plan.values.summer import changes_of, parse_moment
from zinger.plan.values.text import each, one_of, parse_banner, parse_flag, parse_text, parse_vlan, parse_words, whole

# setting, as a YAML file holds it, as a cell does
EXAMPLES: dict[str, tuple[object, str]] = {
    "accounts.administrator": ({"name": "kettle-admin", "secret": "shared"}, "kettle-admin secret shared"),
    "accounts.operator": ("signaller", "signaller secret each device"),
    "accounts.viewer": ({"name": "watch"}, "watch secret each device"),
    "passwords.console": ("console-pin", "console-pin"),
    "passwords.network": ("remote-line", "remote-line"),
    "passwords.privileged": ("each device", "each device"),
    "passwords.stored": ("each device", "each device"),
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
    "clock.rule": ("last Sunday of March at 2:00 to last Sun Oct 3:00", '"last sun mar 02:00" "last sun oct 03:00"'),
    "clock.set": (True, "laptop"),
    "dns.hosts": ({"kvr-log": "10.44.8.24"}, "kvr-log 10.44.8.24"),
    "idle.consoles": ("usb 3 min; rj45 10 min", "usb 3 min; rj45 10 min"),
    "idle.timeout": ("1 h", "60 min"),
    "idle.console": (5, "5 min"),
    "idle.network": ("10 minutes", "10 min"),
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
    "logs.local": ("Informational survives", "informational survives"),
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
    "switch.members": ("1 QS2-0411 leads; 2 QS2-0412 takes-over", "1 QS2-0411 leads; 2 QS2-0412 takes-over"),
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
    "wireless.guest_sign_in": ("192.0.2.1", "192.0.2.1"),
    "wireless.join_address": ("10.44.8.6/24", "10.44.8.6/24"),
    "wireless.mesh": ("off", "off"),
    "switch.ring": (["9 kvr-uk-is2", "10 kvr-uk-is3"], "9 kvr-uk-is2; 10 kvr-uk-is3"),
    "wireless.wps": ("off", "off"),
    "edge.usb_sharing": ("storage; printers", "storage; printers"),
    "wireless.signal": ("34 dB", "34 dB"),
    "wireless.joined": ('"Kettlestone staff" psk secret wifi via wc1', '"Kettlestone staff" psk secret wifi via wc1'),
    "wireless.bridge": ("br2 station distance 84 m", "br2 station distance 84 m"),
    "edge.forwarding": ("Route", "route"),
    "edge.upstream": ("pppoe user line@example secret line", "pppoe user line@example secret line"),
    "edge.local": ("10.44.16.1 / 24", "10.44.16.1/24"),
    "edge.guest": ("10.44.17.1/24", "10.44.17.1/24"),
    "edge.dhcp": ("10.44.16.100-147 lease 8 h", "10.44.16.100 10.44.16.147"),
    "edge.reservations": ("02:4b:56:10:44:09 10.44.16.60 printer", "02-4b-56-10-44-09 10.44.16.60 printer"),
    "edge.rules": ('"tickets to bank" allow service tcp/443', '"tickets to bank" allow service tcp/443'),
    "edge.priorities": ("signals high limit 2000 kbit/s", "signals high limit 2000 kbit/s"),
    "edge.schedules": ("opening mon-fri begin 06:00 end 22:00", "opening mon-fri begin 06:00 end 22:00"),
    "edge.filters": ("deny games.example schedule opening", "deny games.example schedule opening"),
    "wireless.guest_terms": ("Be kind.", "Be kind."),
    "wireless.static_clients": ("no", "off"),
    "wireless.dhcp_server": ("10.44.8.25", "10.44.8.25"),
    "accounts.second": ("kettle-deputy", "kettle-deputy secret each device"),
    "accounts.servers": ("RADIUS 10.44.8.26 secret aaa", "radius 10.44.8.26 secret aaa"),
    "accounts.order": ("servers, local", "servers; local"),
    "accounts.lockout": ("5 lock 15 min", "5 lock 15 min"),
    "snmp.versions": ("v2c, v3", "v2c; v3"),
    "management.out_of_band": ("10.44.9.11/24", "10.44.9.11/24"),
    "switch.port_options": ("1-4 speed auto power high storm 5 %", "1-4 speed auto power high storm 5 %"),
    "switch.access_lists": ('"cameras" allow service tcp/554', "cameras allow service tcp/554"),
    "switch.routing": ("yes", "on"),
    "edge.forwards": ("8443 10.44.16.20 their 443", "8443 10.44.16.20 their 443"),
    "edge.managed": ('local "ssh,https"; upstream none', 'local "ssh,https"; upstream none'),
    "edge.reset_at_device": ("Forbidden", "forbidden"),
    "voice.legs": ("local 10.44.25.6/24; upstream 192.0.2.60/29", "local 10.44.25.6/24; upstream 192.0.2.60/29"),
    "voice.peers": ("exchange local 10.44.25.30 keepalive 60 s", "exchange local 10.44.25.30 keepalive 60 s"),
    "voice.profiles": ("national codecs G711A/g729 tones info", "national codecs g711a/g729 tones info"),
    "voice.sessions": ("60", "60"),
    "voice.media": ("40000-40239", "first 40000 last 40239"),
    "voice.rewrites": ("00… becomes +…; 0 becomes +43", "00 becomes +; 0 becomes +43"),
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
    (parse_management, "dhcp", ManagementAddress("dhcp")),
    (parse_management, "10.44.8.11", ManagementAddress("fixed", ip_address("10.44.8.11"), 32)),
    (parse_management, "10.44.8.11/255.255.255.0", ManagementAddress.of(ip_interface("10.44.8.11/24"))),
    (parse_management, "2001:db8::5/64", ManagementAddress.of(ip_interface("2001:db8::5/64"))),
    (parse_management6, True, ManagementAddress("auto")),
    (parse_management6, "off", ManagementAddress("off")),
    (parse_network, "10.44.8.0/255.255.255.0", ip_network("10.44.8.0/24")),
    (parse_interface, "10.44.8.1 mask 255.255.255.0", ip_interface("10.44.8.1/24")),
    (parse_host, "time.example", "time.example"),
    (parse_host, "10.44.8.22", ip_address("10.44.8.22")),
    (parse_mac, "02-4B-56-10-33-01", "02-4b-56-10-33-01"),
    (parse_mac, "02:4b:56:10:33:01", "02-4b-56-10-33-01"),
    (parse_mac, "024b.5610.3301", "02-4b-56-10-33-01"),
    (parse_mac, "024b56103301", "02-4b-56-10-33-01"),
    (parse_mac, "024b56-103301", "02-4b-56-10-33-01"),
    (parse_ports, "1-4,7", ("1", "2", "3", "4", "7")),
    (parse_ports, "1/1 - 1/3", ("1/1", "1/2", "1/3")),
    (parse_ports, "1/2/7", ("1/2/7",)),
    (parse_ports, "g1 to g3", ("g1", "g2", "g3")),
    (parse_ports, ["1", "3-4"], ("1", "3", "4")),
    (parse_lease, "1 d", 1440),
    (parse_zone, "gmt-3:30", "UTC-03:30"),
    (parse_moment, "second Sunday in March 2:00", "2nd sun mar 02:00"),
    (parse_moment, "M10.5.0/3", "last sun oct 03:00"),
    (parse_lease, "8h", 480),
    (parse_country, "at", "AT"),
    (parse_secret, "guest-wifi", SecretRef("guest-wifi")),
    (whole(1, 10, "dBm"), "7 dBm", 7),
    (whole(1, 10), 7.0, 7),
]


@pytest.mark.parametrize(("parse", "raw", "value"), VALUES)
def test_values_are_read_as_people_write_them(parse: Callable[[object], Any], raw: object, value: object) -> None:
    assert parse(raw) == value


UTC_NOON = datetime.datetime(2026, 7, 1, 12, tzinfo=datetime.UTC)
EU = SummerRule(parse_moment("last sun mar 2:00"), parse_moment("last sun oct 3:00"), 60)


@pytest.mark.parametrize(
    ("zone", "rule", "month", "shows"),
    [
        ("Europe/Vienna", None, 7, "14:00"),
        ("Europe/Vienna", None, 1, "13:00"),
        ("CET-1CEST,M3.5.0,M10.5.0/3", None, 7, "14:00"),
        ("CET-1CEST,M3.5.0,M10.5.0/3", None, 12, "13:00"),
        ("UTC+01:00", EU, 7, "14:00"),
        ("UTC+01:00", None, 7, "13:00"),
        ("UTC-03:30", None, 7, "08:30"),
        ("<", None, 7, ""),
        ("AEST-10AEDT,M10.1.0,M4.1.0/3", None, 7, "22:00"),
        ("AEST-10AEDT,M10.1.0,M4.1.0/3", None, 12, "23:00"),
        ("", None, 7, "12:00"),
    ],
)
def test_what_a_clock_must_show_is_the_laptops_time_in_the_planned_zone(
    zone: str, rule: SummerRule | None, month: int, shows: str
) -> None:
    clock = LaptopTime(UTC_NOON.replace(month=month), zone, rule)
    if not shows:
        with pytest.raises(BadValue, match="is not known here"):
            clock.wall()
        return
    assert f"{clock.wall():%H:%M}" == shows


@pytest.mark.parametrize("zone", ["Europe/Vienna", "America/New_York", "Australia/Sydney", "Asia/Tokyo"])
def test_a_zones_own_changes_are_found(zone: str) -> None:
    changes = changes_of(zone, 2026)
    assert len(changes) == (0 if zone == "Asia/Tokyo" else 2)
    assert sum(minutes for _, minutes in changes) == 0 and all(at.weekday() == 6 for at, _ in changes)


REFUSED: list[tuple[Callable[[object], Any], object, str]] = [
    (parse_management, "10.44.8", "is not a valid address; write it like 10.44.8.11/24, or dhcp"),
    (parse_management, "10.44.8.1/40", "is not a valid address"),
    (parse_management6, "10.44.8.1/24", "is not a valid IPv6 address"),
    (parse_network, "10.44.8.5/24", "its host bits are set; write 10.44.8.0/24"),
    (parse_network, "everything", "is not a valid subnet"),
    (parse_interface, "10.44.8.1", "has no prefix length; write it like 10.44.8.1/24"),
    (parse_address6, "10.44.8.1", "is not a valid IPv6 address"),
    (parse_hostname, "a" * 64, "has 64 characters; RFC 1123 allows 63"),
    (parse_hostname, "-a", "not a valid hostname (RFC 1123)"),
    (parse_domain, "a..b", "is not a valid domain name"),
    (parse_text, "two\nlines", "line break or tab"),
    (parse_text, "a\x1b[31m", "it holds the character U+001B"),
    (parse_words, 'with "quotes"', "double quote"),
    (parse_flag, "perhaps", "neither on nor off"),
    (parse_moment, "last sun march", "does not say its time"),
    (parse_moment, "5th sun mar 02:00", "'5th' has no place in a moment of the year"),
    (parse_zone, "UTC+15", "is not an offset from UTC"),
    (parse_flag, "-", "neither on nor off"),
    (parse_vlan, "4095", "4095 is not a valid VLAN; write one from 1 to 4094"),
    (parse_vlan, "44.5", "not a whole number"),
    (parse_minutes, "2 d", "2880 minutes is more than a day"),
    (parse_minutes, "soon", "not a whole number of minutes"),
    (parse_zone, "Europe/Viena", "did you mean Europe/Vienna?"),
    (parse_mac, "02-4b-56", "is not a valid MAC address"),
    (parse_ports, "7-3", "runs backwards"),
    (parse_ports, "1/1-2/4", "is not a valid port or range"),
    (parse_ports, "one", "is not a valid port or range"),
    (parse_country, "Ruritania", "not a country of ISO 3166"),
    (parse_url, "ftp://x", "is not a web address"),
    (parse_secret, "a;b", "a secret is named here, never written"),
    (parse_account_name, "1st", "begin with a letter"),
    (parse_banner, "x" * 121, "at most 120 characters"),
    (each(parse_vlan), "20 20", "the same entry stands twice"),
    (one_of("udp", "tcp"), "tpc", "did you mean tcp?"),
]


@pytest.mark.parametrize(("parse", "raw", "words"), REFUSED)
def test_a_wrong_value_says_what_and_what_to_write(parse: Callable[[object], Any], raw: object, words: str) -> None:
    with pytest.raises(ValueError, match="; ") as caught:
        parse(raw)
    assert words in str(caught.value), caught.value


@pytest.mark.parametrize("text", ["1", "1-4,7", "1/1-1/16,2/1-2/16", "g1-g3,x9", "3,1-2"])
def test_ports_fold_as_short_as_they_were_written(text: str) -> None:
    assert fold_ports(parse_ports(text)) == text


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
    assert has_summer_rule(parse_zone(zone)) is summer


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
        ("{n", "is not a naming rule"),
        ("{n:x}", "can't be filled"),
        ("{site!r}{n}", "can't be filled"),
        ("{site:5}{n}", "only {n} takes a width"),
    ],
)
def test_a_naming_rule_that_can_not_work_is_refused(rule: str, words: str) -> None:
    with pytest.raises(ValueError, match=";") as caught:
        NamingRule(rule)
    assert words in str(caught.value)


@pytest.mark.parametrize(
    ("bridge", "least"),
    [
        ("b access-point channel 100 power 12 dBm distance 84 m", 34),  # 12 + 28 - 85.7 + 95 - 15
        ("b station channel 36 power 20 dBm distance 12000 m", 15),  # too far for more: less would be no bridge
        ("b station channel 100 power 27 dBm distance 10 m", 35),
        ("b station channel 100 power 12 dBm", None),
    ],
)
def test_the_ends_of_a_bridge_should_hear_each_other_by_the_loss_of_free_space(bridge: str, least: int | None) -> None:
    assert least_signal_to_noise(Bridge.read(bridge)) == least
