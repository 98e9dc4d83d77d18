"""What a careful colleague would notice on the sheet before a cable is touched.

Each check is a generator over the resolved plan that yields problems; `check` runs them all, so a person
sees everything at once. The family's own limits come in as `FamilyRules`, since this room knows no
phrasebook.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from zinger.plan.model import Device, Layer, Plan
from zinger.plan.problems import Problem, Spot, mend, think
from zinger.plan.secrets import SecretRef, Vaulted
from zinger.plan.settings import SETTINGS


@dataclass(frozen=True)
class FamilyRules:
    """What a family accepts, as far as a plan can break it. Lengths are characters."""

    name: str
    title: str
    hostname_longest: int = 63
    hostname_of: str = "[A-Za-z0-9-]"
    secret_shortest: int = 1
    secret_longest: int = 128
    secret_classes: tuple[str, ...] = ()


Rules = Mapping[str, FamilyRules]


def check(plan: Plan, families: Rules, vaulted: Vaulted) -> list[Problem]:
    """Run every check and return all that was found, in the order of the checks."""
    found: list[Problem] = []
    for look in PER_DEVICE:
        for device in plan.devices:
            found += look(device)
    found += required_settings(plan)
    found += duplicates(plan)
    for device in plan.devices:
        if device.family in families:
            found += family_limits(device, families[device.family])
    found += secrets(plan, families, vaulted)
    return found


def _spot(device: Device, setting: str) -> Spot:
    value = device.values.get(setting)
    return value.origin.spot if value else device.spot


def gateway(device: Device) -> Iterator[Problem]:
    """The gateway must be another host of the device's own subnet (RFC 1122 3.3.1.1)."""
    address, gate = device.address, device.value("management.gateway")
    if address is None or address.interface is None or gate is None:
        return
    spot, net = _spot(device, "management.gateway"), address.interface.network
    if gate == address.ip:
        yield mend("gateway-is-device", spot, f"gateway {gate} is the device itself",
                   "Give the router's address", device.name, setting="management.gateway")
    elif gate not in net:
        other = next((f"; {origin} says {value}" for value, origin in
                      device.values["management.gateway"].overrode if value in net), "")
        yield mend("gateway-outside", spot, f"gateway {gate} is not in {net}{other}",
                   f"Give an address of {net}", device.name, setting="management.gateway")
    elif net.version == 4 and net.num_addresses > 2 and gate in (net.network_address, net.broadcast_address):
        yield mend("gateway-not-a-host", spot, f"gateway {gate} is the network or broadcast address of {net}",
                   "Give a host's address", device.name, setting="management.gateway")


def address_is_a_host(device: Device) -> Iterator[Problem]:
    """A host may have neither the network's nor the broadcast address (RFC 1122 3.2.1.3)."""
    address = device.address
    if address is None or address.interface is None:
        return
    net, spot = address.interface.network, _spot(device, "management.address")
    if net.version == 4 and net.num_addresses > 2:
        if address.ip == net.network_address:
            yield mend("address-is-network", spot, f"{address.ip} is the network address of {net}",
                       "Give a host's address", device.name, setting="management.address")
        elif address.ip == net.broadcast_address:
            yield mend("address-is-broadcast", spot, f"{address.ip} is the broadcast address of {net}",
                       "Give a host's address", device.name, setting="management.address")
    if net.num_addresses == 1 and device.site.subnet is None:
        yield mend("address-without-prefix", spot, f"{address.ip} has no prefix length and its site no subnet",
                   f"Write {address.ip}/24, or give the site a subnet", device.name, setting="management.address")
    elif device.site.subnet is not None and address.ip not in device.site.subnet:
        yield mend("address-outside-site", spot,
                   f"{address.ip} is not in {device.site.subnet}, the subnet of {device.site.name}",
                   "Correct the address or the site", device.name, setting="management.address")
    elif device.site.subnet is not None and net.prefixlen != device.site.subnet.prefixlen:
        yield think("prefix-differs", spot,
                    f"its prefix length is {net.prefixlen}, the site's {device.site.subnet.prefixlen}",
                    "Make them equal unless this is meant", device.name, setting="management.address")


def services(device: Device) -> Iterator[Problem]:
    """Management in the clear is left on, or nothing is left to manage with."""
    for name, port in (("services.telnet", 23), ("services.http", 80)):
        if device.value(name) is True:
            yield think("management-in-the-clear", _spot(device, name),
                        f"{SETTINGS[name].title} (port {port}) is left on", "Turn it off", device.name, setting=name)
    if device.value("services.ssh") is not True:
        yield mend("no-way-to-prove", _spot(device, "services.ssh"), "SSH is not on, so the baseline can't be proved",
                   "Plan services.ssh: on", device.name, setting="services.ssh")


def time_source(device: Device) -> Iterator[Problem]:
    """A device's time server is not the device."""
    address = device.address
    servers = device.value("ntp.servers")
    if isinstance(servers, tuple) and address and address.interface and address.ip in servers:
        yield mend("time-server-is-device", _spot(device, "ntp.servers"), f"{address.ip} is the device itself",
                   "Name another time server", device.name, setting="ntp.servers")


def dhcp_with_gateway(device: Device) -> Iterator[Problem]:
    """A DHCP client gets its gateway from the lease (RFC 2132 3.5)."""
    address, gate = device.address, device.values.get("management.gateway")
    if address and address.method == "dhcp" and gate and gate.origin.layer is Layer.SHEET:
        yield think("gateway-beside-dhcp", gate.origin.spot, "a gateway is planned beside DHCP",
                    "Leave it empty unless the lease brings none", device.name, setting="management.gateway")


PER_DEVICE: tuple[Callable[[Device], Iterator[Problem]], ...] = (
    gateway, address_is_a_host, services, time_source, dhcp_with_gateway,
)


def required_settings(plan: Plan) -> Iterator[Problem]:
    """Settings without which nothing can be proved; one problem for all devices that lack the same."""
    for setting in SETTINGS.values():
        lacking = tuple(d.name for d in plan.devices if setting.required and setting.name not in d.values)
        if lacking:
            spots = [d.spot for d in plan.devices if d.name == lacking[0]]
            yield mend("setting-missing", spots[0], f"no {setting.title} is planned",
                       f"Give {setting.name} in the sheet or in job.yaml", *lacking, setting=setting.name)


def duplicates(plan: Plan) -> Iterator[Problem]:
    """Names, addresses, serial numbers, MACs and labels belong to one device each."""
    shown: tuple[tuple[str, str, Callable[[Device], str]], ...] = (
        ("hostname", "hostname", lambda d: d.name.lower()),
        ("management.address", "address", lambda d: str(d.address.ip) if d.address and d.address.interface else ""),
        ("", "serial", lambda d: d.serial.lower()),
        ("", "mac", lambda d: re.sub(r"[^0-9a-f]", "", d.mac.lower())),
        ("", "label", lambda d: d.label.lower()),
    )
    for setting, word, key in shown:
        owners: dict[str, list[Device]] = defaultdict(list)
        for device in plan.devices:
            if key(device):
                owners[key(device)].append(device)
        for value, devices in owners.items():
            if len(devices) > 1:
                rows = " and ".join(str(d.spot.line) for d in devices)
                yield mend(f"duplicate-{word}", _spot(devices[-1], setting), f"{word} {value} stands in rows {rows}",
                           "Give each device its own", *dict.fromkeys(d.name for d in devices),
                           setting=setting or None)


def family_limits(device: Device, family: FamilyRules) -> Iterator[Problem]:
    """The family takes less than the standard allows."""
    name = device.value("hostname")
    if not isinstance(name, str):
        return
    spot = _spot(device, "hostname")
    if len(name) > family.hostname_longest:
        yield mend("hostname-too-long", spot,
                   f"{name} has {len(name)} characters; {family.title} takes {family.hostname_longest}",
                   "Shorten it", device.name, setting="hostname")
    wrong = sorted(set(re.sub(family.hostname_of, "", name)))
    if wrong:
        yield mend("hostname-characters", spot, f"{family.title} takes no {' '.join(wrong)} in a hostname",
                   f"Use only {family.hostname_of.strip('[]')}", device.name, setting="hostname")


def secrets(plan: Plan, families: Rules, vaulted: Vaulted) -> Iterator[Problem]:
    """Password policy: the family's rules, strength, and no secret in two roles.

    A secret that the vault does not hold yet is no problem: it is made, by the rules, when a run begins.
    """
    roles: dict[str, set[str]] = defaultdict(set)
    owners: dict[str, set[str]] = defaultdict(set)
    for device in plan.devices:
        rules = families.get(device.family)
        for setting, account in device.accounts:
            traits = vaulted.get(account.secret)
            if traits is None or rules is None:
                continue
            roles[traits.sameness].add(account.name)
            owners[traits.sameness].add(device.name)
            spot = _spot(device, setting)
            for broken in traits.lacks(rules.secret_shortest, rules.secret_longest, rules.secret_classes):
                yield mend("secret-refused", spot, f"{rules.title} will refuse the secret of {account.name}: {broken}",
                           f"Set another: zinger secret JOB '{account.secret.name}'", device.name, setting=setting)
            if traits.score < 3:
                yield think("secret-weak", spot, f"the secret of {account.name} is easily guessed",
                            f"Set another: zinger secret JOB '{account.secret.name}'", device.name, setting=setting)
    for sameness, names in roles.items():
        if len(names) > 1:
            yield mend("secret-in-two-roles", Spot("vault.age"), f"{' and '.join(sorted(names))} share one secret",
                       "Give each account its own", *sorted(owners[sameness]))


def needed_secrets(device: Device) -> tuple[SecretRef, ...]:
    """Every vault entry that must exist before this device is spoken to."""
    return (device.factory_account_secret, *(account.secret for _, account in device.accounts))
