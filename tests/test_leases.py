"""Lease lists as DHCP servers write them, whole or in the middle of being written."""

from __future__ import annotations

from pathlib import Path

import pytest

from zinger.link.base import LinkError
from zinger.link.leases import LeaseLists, leases_in, leases_of, neighbours_in

DNSMASQ = """1900000000 02:4b:56:71:44:02 10.44.16.50 p1 01:02:4b:56:71:44:02
0 02:4b:56:71:44:03 10.44.16.51 * *
duid 00:01:00:01
1900000000 02:4b:56:71:44:04 not-an-address x *
19000000"""
KEA = """address,hwaddr,client_id,valid_lifetime,expire,subnet_id,fqdn_fwd,fqdn_rev,hostname,state,user_context,pool_id
10.44.16.40,02:4b:56:71:44:02,,3600,1700000000,1,0,0,p1,0,,0
10.44.16.41,02:4b:56:71:44:02,,3600,1900000000,1,0,0,p1,0,,0
10.44.16.42,02:4b:56:71:44:02,,3600,1900000000,1,0,0,p1,2,,0
10.44.16.43,02:4b:56"""
ISC = """# written by dhcpd
lease 10.44.16.60 {
  starts 4 2030/01/03 10:00:00;
  ends 4 2030/01/03 12:00:00;
  binding state active;
  next binding state free;
  hardware ethernet 02:4b:56:71:44:02;
  client-hostname "p1";
}
lease 10.44.16.61 {
  ends 4 2030/01/03 12:30:00;
  binding state active;
  hardware ethernet 02:4b:56:71:44:02;
}
lease 10.44.16.61 {
  ends 4 2030/01/03 12:40:00;
  binding state free;
  hardware ethernet 02:4b:56:71:44:02;
}
lease 10.44.16.62 { ends 4 2030/99/99 12:40:00; hardware ethernet 02:4b"""


@pytest.mark.parametrize(
    ("text", "mac", "address"),
    [
        (DNSMASQ, "02-4b-56-71-44-02", ["10.44.16.50"]),
        (DNSMASQ, "024b.5671.4403", ["10.44.16.51"]),
        (KEA, "02:4B:56:71:44:02", ["10.44.16.41"]),
        (ISC, "02-4b-56-71-44-02", ["10.44.16.60"]),
        ("", "02-4b-56-71-44-02", []),
        ("\x00\xff{}\n" * 50, "02-4b-56-71-44-02", []),
        (DNSMASQ, "", []),
    ],
)
def test_a_device_is_found_by_its_mac(text: str, mac: str, address: list[str]) -> None:
    assert [lease.address for lease in leases_of(mac, [text], now=1_800_000_000)] == address


@pytest.mark.parametrize(
    ("text", "now", "told"),
    [
        (KEA, 1_899_996_440, "seen 40 s ago"),  # a lease of an hour that ends at 1,900,000,000
        (ISC, 1_893_664_800 + 150, "seen 2 min ago"),
        (DNSMASQ, 1_899_996_400, "its lease lasts 60 min more"),  # its list does not tell when it was asked for
    ],
)
def test_how_fresh_a_lease_is_is_told(text: str, now: float, told: str) -> None:
    assert leases_of("02-4b-56-71-44-02", [text], now)[0].told(now) == told


async def test_every_cut_of_a_list_can_be_read_and_a_missing_one_is_told(tmp_path: Path) -> None:
    for text in (DNSMASQ, KEA, ISC):
        for end in range(len(text)):
            list(leases_in(text[:end]))
    with pytest.raises(LinkError, match="can't be read: No such file"):
        await LeaseLists([str(tmp_path / "none")]).of("02-4b-56-71-44-02")


def test_the_neighbour_table_tells_whole_entries_only() -> None:
    table = """IP address       HW type     Flags       HW address            Mask     Device
10.44.16.50      0x1         0x2         02:4b:56:71:44:02     *        eth0
10.44.16.51      0x1         0x0         00:00:00:00:00:00     *        eth0
"""
    assert [(lease.mac, lease.address) for lease in neighbours_in(table)] == [("024b56714402", "10.44.16.50")]
