"""Names and addresses: a hosts file, zones (RFC 1035), OpenSSH's client configuration and known hosts."""

from __future__ import annotations

import re
import time
from collections import defaultdict
from collections.abc import Iterator
from ipaddress import IPv4Address

from zinger.handover.exports.pack import Pack, domain_of, full_name, one_line
from zinger.link.ssh import OLD
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.settings import ADMINISTRATOR
from zinger.plan.subjects.names.settings import DNS_SERVERS
from zinger.plan.subjects.services.settings import SSH
from zinger.plan.values.addresses import Address, Interface

_LABEL = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?")
"""A label of a host's name (RFC 1123 2.1)."""


def hosts_file(pack: Pack) -> str:
    """Lines for a hosts file: address, full name, name."""
    lines = [f"# {one_line(pack.title)}: management addresses"]
    for record, address in pack.fixed():
        names = dict.fromkeys((full_name(record.device), record.device.name))
        lines.append(f"{address.ip}\t{' '.join(names)}")
    return "\n".join(lines) + "\n"


def ssh_config(pack: Pack) -> str:
    """An OpenSSH client configuration: `ssh -F FILE kvr-wj-sw1`; host keys are looked up by the device's name."""
    blocks = [f"# {one_line(pack.title)}\n# ssh -F ssh_config DEVICE, from the folder of these files\n"]
    for record, address in pack.fixed():
        device = record.device
        if not device[SSH]:
            continue
        book, account = pack.books.get(device.family), device[ADMINISTRATOR]
        port = book.ssh.port if book else 22
        lines = [f"Host {device.name} {full_name(device)} {address.ip}" if domain_of(device) else
                 f"Host {device.name} {address.ip}", f"    HostName {address.ip}"]  # fmt: skip
        lines += [f"    User {account.name}"] if account is not None and " " not in account.name else []
        lines += [f"    Port {port}"] if port != 22 else []
        lines += [f"    HostKeyAlias {device.name}", "    UserKnownHostsFile known_hosts"]
        if book is not None and book.ssh.old:
            lines += [f"    KexAlgorithms +{','.join(OLD['kex_algs'])}", "    HostKeyAlgorithms +ssh-rsa"]
        blocks.append("\n".join(lines) + "\n")
    return "\n".join(blocks)


def known_hosts(pack: Pack) -> str:
    """The host keys that were pinned, under the names of the devices that are in these papers."""
    names = {record.device.name for record in pack.records}
    lines = [line for line in pack.host_keys.splitlines() if line.partition(" ")[0] in names]
    return "".join(f"{line}\n" for line in lines)


def zones(pack: Pack) -> dict[str, str]:
    """A zone file for each domain, and a reverse one for each /24 of IPv4 and /64 of IPv6, by the zone's name."""
    forward: defaultdict[str, list[tuple[Device, Interface]]] = defaultdict(list)
    reverse: defaultdict[str, list[tuple[Address, str]]] = defaultdict(list)
    servers: defaultdict[str, dict[Address, None]] = defaultdict(dict)
    for record, address in pack.fixed():
        device, domain = record.device, domain_of(record.device)
        if not domain or not _LABEL.fullmatch(device.name):
            continue
        forward[domain].append((device, address))
        for server in device[DNS_SERVERS] or ():
            servers[domain][server] = None
        reverse[reverse_zone(address.ip)].append((address.ip, f"{device.name}.{domain}."))
    found = {domain: _zone(pack, domain, devices, list(servers[domain])) for domain, devices in forward.items()}
    for zone, pointers in reverse.items():
        lines = [
            f"{_within(address, zone)}\tIN PTR\t{name}" for address, name in sorted(pointers, key=lambda p: p[0].packed)
        ]
        first = pointers[0][1].partition(".")[2].rstrip(".")
        head = _head(pack, zone, [f"ns{n}.{first}." for n in range(1, len(servers[first]) + 1)])
        found[zone] = "\n".join([*head, *lines]) + "\n"
    return found


def _zone(pack: Pack, domain: str, devices: list[tuple[Device, Interface]], servers: list[Address]) -> str:
    taken = {device.name.lower() for device, _ in devices}
    glue = [f"ns{n}\tIN {_type(server)}\t{server}" for n, server in enumerate(servers, 1) if f"ns{n}" not in taken]
    lines = [f"{device.name}\tIN {_type(address.ip)}\t{address.ip}" for device, address in devices]
    return "\n".join([*_head(pack, domain, [f"ns{n}" for n in range(1, len(servers) + 1)]), *glue, *lines]) + "\n"


def _head(pack: Pack, zone: str, servers: list[str]) -> Iterator[str]:
    """The beginning of a zone: who answers for it is guessed from the planned DNS servers, for a person to look at."""
    servers = servers or ["localhost."]
    serial = time.strftime("%Y%m%d", time.gmtime(pack.at)) + f"{time.gmtime(pack.at).tm_hour:02}"
    yield f"; {one_line(pack.title)}"
    yield "; serial, name servers and contact are a beginning: look at them before this zone is served"
    yield f"$ORIGIN {zone}."
    yield "$TTL 3600"
    yield f"@\tIN SOA\t{servers[0]} hostmaster.{zone}. ( {serial} 7200 900 1209600 3600 )"
    yield from (f"@\tIN NS\t{server}" for server in servers)


def _type(address: Address) -> str:
    return "A" if isinstance(address, IPv4Address) else "AAAA"


def reverse_zone(address: Address) -> str:
    """The reverse zone of an address: its /24 (RFC 1035 3.5), or its /64 (RFC 3596 2.5)."""
    labels = address.reverse_pointer.split(".")
    return ".".join(labels[1:] if address.version == 4 else labels[16:])


def _within(address: Address, zone: str) -> str:
    return address.reverse_pointer.removesuffix(f".{zone}")
