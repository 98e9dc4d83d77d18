"""What nobody said and the job's rules tell: a prefix length, a gateway, an address, a device's own vault entries."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import cast

from zinger.plan.model import Device, Layer, Origin, Site, Value
from zinger.plan.problems import Problem, Spot, error_at
from zinger.plan.subjects.edge.settings import LOCAL, POOL, UPSTREAM
from zinger.plan.subjects.management.settings import ADDRESS, GATEWAY
from zinger.plan.subjects.standing import standing
from zinger.plan.subjects.voice.models import GENERIC, Peer, Profile
from zinger.plan.subjects.voice.settings import PEERS, PROFILES
from zinger.plan.subjects.wireless.budget import least_signal_to_noise
from zinger.plan.subjects.wireless.models import Bridge
from zinger.plan.subjects.wireless.settings import BRIDGE, SIGNAL
from zinger.plan.subnets import free_addresses, hosts
from zinger.plan.values.account import Account
from zinger.plan.values.addresses import Interface, ManagementAddress
from zinger.plan.values.item import Item
from zinger.plan.values.secrets import EACH_DEVICE, SecretRef

Values = dict[str, Value]
LARGEST_POOL = 65536
"""Addresses; a longer pool is a mistake that a check tells, and is not walked through."""


class Deriver:
    """Fills in what is left open; what is planned stays."""

    def __init__(self) -> None:
        self._gateways: dict[str, Value] = {}

    def fill(self, values: Values, site: Site) -> ManagementAddress | None:
        """Derive what a device's values leave open, in place; returns its management address."""
        if BRIDGE.name in values and SIGNAL.name not in values:
            self._from_bridge(values)
        if PEERS.name in values:
            self._from_peers(values)
        if ADDRESS.name not in values and LOCAL.name in values:
            self._from_local(values)
        if site.subnet is None:
            return _address(values)
        _lengthen(values, site)
        planned = _address(values)
        by_lease = planned is not None and planned.method == "dhcp"
        is_router = UPSTREAM.name in values or (
            planned is not None and planned.address is not None and planned.address == site.gateway
        )
        if GATEWAY.name not in values and not by_lease and not is_router and site.gateway is not None:
            values[GATEWAY.name] = self._gateway(site)
        return planned

    @staticmethod
    def _from_local(values: Values) -> None:
        local = values[LOCAL.name]
        origin = Origin(Layer.DERIVED, "derived: its address in the local network", local.origin.spot)
        values[ADDRESS.name] = Value(ADDRESS, ManagementAddress.of(cast(Interface, local.value)), origin)

    @staticmethod
    def _from_peers(values: Values) -> None:
        """A peer that names no profile has the generic one, which ships with Zinger."""
        peers, planned = values[PEERS.name], values.get(PROFILES.name)
        profiles = cast(tuple[Profile, ...], planned.value if planned is not None else ())
        wanted = {peer.profile for peer in cast(tuple[Peer, ...], peers.value)}
        if GENERIC.name in wanted and all(profile.name != GENERIC.name for profile in profiles):
            origin = Origin(Layer.DERIVED, "derived: the generic profile, which ships with Zinger", peers.origin.spot)
            values[PROFILES.name] = Value(PROFILES, (GENERIC, *profiles), planned.origin if planned else origin)

    @staticmethod
    def _from_bridge(values: Values) -> None:
        bridge = values[BRIDGE.name]
        least = least_signal_to_noise(cast(Bridge, bridge.value))
        if least is not None:
            origin = Origin(Layer.DERIVED, "derived: the bridge's distance and power", bridge.origin.spot)
            values[SIGNAL.name] = Value(SIGNAL, least, origin)

    def _gateway(self, site: Site) -> Value:
        """The same value for all devices of a site, so that checks can see that it is shared."""
        if site.key not in self._gateways:
            assert site.subnet is not None and site.gateway is not None
            place = "last" if int(site.gateway) == hosts(site.subnet)[1] else "first"
            origin = Origin(Layer.DERIVED, f"derived: {place} of {site.subnet}", site.spot)
            self._gateways[site.key] = Value(GATEWAY, site.gateway, origin)
        return self._gateways[site.key]


def _address(values: Values) -> ManagementAddress | None:
    found = values.get(ADDRESS.name)
    return found.value if found is not None and isinstance(found.value, ManagementAddress) else None


def _lengthen(values: Values, site: Site) -> None:
    """A bare address gets the length of its site's subnet."""
    bare, subnet = _address(values), site.subnet
    if bare is None or subnet is None or bare.address is None or bare.length != bare.address.max_prefixlen:
        return
    if subnet.num_addresses > 1 and bare.address in subnet:
        was = values[ADDRESS.name]
        note = Origin(was.origin.layer, f"{was.origin.label}, length from {site.name}", was.origin.spot)
        values[ADDRESS.name] = Value(ADDRESS, ManagementAddress.within(bare.address, subnet), note, was.overrode)


def allocate(devices: Sequence[Device], sites: Iterable[Site]) -> tuple[tuple[Device, ...], list[Problem]]:
    """Give the first free address to each device of an allocating site that has none; what is planned stays."""
    wanting = [d for d in devices if d.site.allocates and ADDRESS.name not in d.values and d.site.subnet]
    if not wanting:
        return tuple(devices), []
    taken = _taken(devices, sites)
    filled: dict[Spot, Device] = {}
    problems: list[Problem] = []
    free = {d.site.key: free_addresses(d.site, taken) for d in wanting}
    for device in wanting:
        place, address = next(free[device.site.key], (0, None))
        if address is None or device.site.subnet is None:
            what = f"{device.site.subnet} has no free address left"
            do = "Give the site a larger subnet, or a smaller head and tail"
            problems.append(error_at("no-free-address", device.spot, what, do, device.name, setting=ADDRESS.name))
            continue
        taken.add(int(address))
        origin = Origin(Layer.DERIVED, f"derived: free address {place} of {device.site.subnet}", device.spot)
        given = ManagementAddress.within(address, device.site.subnet)
        values = {**device.values, ADDRESS.name: Value(ADDRESS, given, origin)}
        filled[device.spot] = replace(device, values=values, address=given)
    return tuple(filled.get(d.spot, d) for d in devices), problems


def _taken(devices: Sequence[Device], sites: Iterable[Site]) -> set[int]:
    """The addresses that must not be handed out."""
    taken = {int(a) for d in devices for a in standing(d)}
    for device in devices:
        pool = device[POOL]
        if pool is not None and int(pool.last) - int(pool.first) < LARGEST_POOL:
            taken.update(range(int(pool.first), int(pool.last) + 1))
    return taken | {int(site.gateway) for site in sites if site.gateway is not None}


def own_entry(value: object, entry: str) -> object:
    """The value with `each device` replaced by an entry's name; the same object when there is none."""
    if isinstance(value, Account):
        return Account(value.name, SecretRef(entry)) if value.secret.name == EACH_DEVICE else value
    if isinstance(value, SecretRef):
        return SecretRef(entry) if value.name == EACH_DEVICE else value
    if isinstance(value, Item):
        secret = getattr(value, "secret", None)
        return value.model_copy(update={"secret": SecretRef(entry)}) if secret and secret.name == EACH_DEVICE else value
    if isinstance(value, tuple) and value and isinstance(value[0], Item):
        mine = tuple(own_entry(part, f"{entry}/{number}") for number, part in enumerate(value, 1))
        return mine if any(a is not b for a, b in zip(mine, value, strict=True)) else value
    return value


def waits_for_own_entry(values: Values) -> frozenset[str]:
    """The settings in which `each device` stands for an entry of the device's own."""
    return frozenset(name for name, value in values.items() if own_entry(value.value, "") is not value.value)
