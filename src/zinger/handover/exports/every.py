"""All exports of a pack, by the name of their file."""

from __future__ import annotations

from zinger.handover.exports import inventory, leases, names, yang
from zinger.handover.exports.pack import Pack


def exports(pack: Pack) -> dict[str, bytes]:
    """Every export; those of zones and of single devices are in folders of their own."""
    found: dict[str, bytes] = {
        "hosts": names.hosts_file(pack).encode(),
        "ssh_config": names.ssh_config(pack).encode(),
        "known_hosts": names.known_hosts(pack).encode(),
        "dnsmasq.conf": leases.dnsmasq(pack).encode(),
        "kea-dhcp4.json": leases.kea(pack).encode(),
        "inventory.csv": inventory.as_csv(pack),
        "inventory.xlsx": inventory.as_xlsx(pack),
        "inventory.yaml": inventory.as_yaml(pack).encode(),
        "monitoring.csv": inventory.monitoring(pack),
    }
    found |= {f"zones/{zone}.zone": text.encode() for zone, text in names.zones(pack).items()}
    found |= {f"yang/{name}.json": text.encode() for name, text in yang.all_of(pack).items()}
    return found
