"""Claims: what there is only one of, or a few, and who waits for it. All of a run's are here.

A device that needs something of which there is not enough waits for its claim, never for another device. The laptop's
addresses are shared by all devices of a subnet; sign-ins from the network cost this machine work, so only a few run at
a time; hands are one person's (see `hands`), and ask for themselves.
"""

from __future__ import annotations

import asyncio
import ipaddress
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from ipaddress import IPv4Interface

import psutil

from zinger.plan.laptop import laptop_address
from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.values.addresses import Address, Interface, Network
from zinger.run.hands import Act, Hands, Verb

LOOKS_EVERY = 1.0
"""Seconds between two looks whether the laptop has the address that was asked for."""
FROM_OUTSIDE = 2
"""Sign-ins from the network at a time: key exchanges cost work."""


Say = Callable[[str], None]
"""Tells what is waited for."""


@dataclass
class _Spot:
    """A factory address on the segment, which is many a device's."""

    held_by: str = ""
    left_there: str = ""
    freed: asyncio.Event = field(default_factory=asyncio.Event)


class Claims:
    """What devices of one run share."""

    def __init__(self, hands: Hands, devices: Iterable[Device], practice: bool) -> None:
        self.hands = hands
        self.from_outside = asyncio.Semaphore(FROM_OUTSIDE)
        """To be held while somebody signs in from the network."""
        self._practice = practice
        self._devices = list(devices)
        self._near: set[Network] = set()
        self._spots: dict[str, _Spot] = {}
        self._set_up: dict[str, asyncio.Event] = {}
        self._waits_for: dict[str, str] = {}
        self._given: list[Interface] = []
        """The addresses that a person gave the laptop in this run."""

    def expect(self, devices: Iterable[str]) -> None:
        """These are set up from now on, so that others can wait for them."""
        self._set_up |= {name: asyncio.Event() for name in devices}

    def know(self, devices: Iterable[Device]) -> None:
        """The plan has these devices now."""
        self._devices = list(devices)

    def is_set_up(self, device: str) -> None:
        """Nobody need wait for this device any more: it is set up, or it ended otherwise."""
        if device in self._set_up:
            self._set_up[device].set()

    async def after(self, device: str, other: str, waits: Say) -> None:
        """Return once another device of this run is set up; at once where that one waits for this one."""
        self._waits_for[device], on_the_way = other, other
        try:
            while on_the_way in self._waits_for and on_the_way != device:
                on_the_way = self._waits_for[on_the_way]
            if other in self._set_up and on_the_way != device and not self._set_up[other].is_set():
                waits(f"{other}, which must be set up first")
                await self._set_up[other].wait()
        finally:
            del self._waits_for[device]

    async def be_near(self, device: Device, waits: Callable[[str], None]) -> None:
        """Return once the laptop can reach the device's subnet; a person gives it an address if it has none there.

        That it is routed there only a person knows (`--hands-done`): dialling to find out was rejected, since on any
        other network the planned address is somebody else's, and the passwords would go to whoever answers.
        """
        address = device.fixed
        if address is None or address.interface is None:
            return
        taken = [d.fixed.ip for d in self._devices if d.fixed]
        taken += [gateway for d in self._devices if (gateway := d[GATEWAY])]
        why = f"to sign in from the network of {device.site.name}"
        await self._be_in(address.interface.network, taken, why, waits)

    async def be_at(self, factory: IPv4Interface, title: str, waits: Callable[[str], None]) -> None:
        """Return once the laptop can reach a factory address."""
        await self._be_in(factory.network, [factory.ip], f"to reach a {title} at its factory address", waits)

    async def be_as(self, address: IPv4Interface, whose: str, waits: Callable[[str], None]) -> None:
        """Return once the laptop has this very address, which is planned for something that is not there yet."""
        if address in self._given or (not self._practice and _has_the_address(address)):
            return
        waits("your hands")
        do = f"give this laptop the address {address} of {whose}, which must not be there{_command('add', address)}"
        act = Act(Verb.LAPTOP, str(address), do, "what is asked from any other address is not answered", rank=4)
        await self.hands.ask(act)
        self._given.append(address)

    async def be_handed(self, device: Device, factory: IPv4Interface, waits: Say) -> None:
        """Return once the laptop has an address in a device's factory subnet, which the device itself hands out."""
        if self.can_see(factory):
            return
        waits("your hands")
        do = f"leave this laptop's network card on automatic (DHCP), cabled to {device.name}"
        act = Act(Verb.DHCP, device.name, do, f"{device.name} hands it an address in {factory.network}", rank=1)
        await self._come_into(factory.network, act)

    async def join(self, device: Device, network: str, factory: IPv4Interface, how: str, waits: Say) -> None:
        """Return once the laptop is in a device's own wireless network, from which it has an address."""
        if self.can_see(factory) and not self._practice:
            return
        waits("your hands")
        do = f"switch {device.name} on and join its network “{network}”: {how}"
        act = Act(Verb.JOIN, device.name, do, "it is set up over a network of its own", rank=1)
        await self._come_into(factory.network, act)

    async def _be_in(self, net: Network, taken: Iterable[Address], why: str, waits: Callable[[str], None]) -> None:
        if net in self._near or (not self._practice and _has_an_address_in(net)):
            return
        free = laptop_address(net, taken)
        if free is None:
            return
        waits("your hands")
        act = Act(Verb.LAPTOP, str(free), f"give this laptop the address {free}{_command('add', free)}", why, rank=2)
        await self._come_into(net, act)
        self._given.append(free)

    async def _come_into(self, net: Network, act: Act) -> None:
        """Ask for an act that brings the laptop into a subnet; that it is there may be seen before it is said."""
        watch = None if self._practice else asyncio.create_task(self._sees(net, act))
        try:
            await self.hands.ask(act)
        finally:
            if watch is not None:
                watch.cancel()
        self._near.add(net)

    async def _sees(self, net: Network, act: Act) -> None:
        """Nobody need say what can be seen: the act is done once this machine has an address there."""
        while not _has_an_address_in(net):  # noqa: ASYNC110 the system has no event for it that psutil knows
            await asyncio.sleep(LOOKS_EVERY)
        self.hands.finish(act)

    def can_see(self, address: IPv4Interface) -> bool:
        """Whether the laptop is in the subnet of an address now, as far as is known."""
        return address.network in self._near or (not self._practice and _has_an_address_in(address.network))

    def put_back(self) -> list[Act]:
        """What is to be taken off the laptop again, once nobody needs it."""
        why = "no device needs it any more"
        return [
            Act(Verb.LAPTOP_BACK, str(given), f"take {given} off this laptop again{_command('del', given)}", why)
            for given in (self._given if not self._practice else ())
            if _has_an_address_in(given.network)
        ]

    async def take_factory(self, address: str, device: str, waits: Callable[[str], None]) -> None:
        """Return once a factory address is this device's alone: of several with the same one, one is cabled at a time.

        One that was left there, because it needs a person, is unplugged first.
        """
        spot = self._spots.setdefault(address, _Spot())
        if spot.held_by == device:
            return
        while spot.held_by:
            waits(f"{address}, where {spot.held_by} answers now")
            spot.freed.clear()
            await spot.freed.wait()
        spot.held_by = device
        if spot.left_there and spot.left_there != device:
            do, why = f"take the network cable out of {spot.left_there}", f"it still answers at {address}"
            waits("your hands")
            await self.hands.ask(Act(Verb.UNPLUG, spot.left_there, do, why, rank=1))
        spot.left_there = ""

    def holds_factory(self, address: str, device: str) -> bool:
        """Whether a factory address is this device's now; else somebody else may answer there."""
        spot = self._spots.get(address)
        return spot is not None and spot.held_by == device

    def leave_factory(self, address: str, device: str, moved: bool) -> None:
        """The device does not need the factory address any more; unless it `moved`, it still answers there."""
        spot = self._spots.get(address)
        if spot is not None and spot.held_by == device:
            spot.held_by, spot.left_there = "", "" if moved else device
            spot.freed.set()


def _command(what: str, address: Interface) -> str:
    """The command for it on a Linux laptop, for the card that is most likely meant: a wired one that is up."""
    cards = [name for name, card in psutil.net_if_stats().items() if card.isup and name.startswith("e")]
    return f": ip address {what} {address} dev {cards[0]}" if cards else ""


def cards_up() -> list[str]:
    """The network cards of this machine that are up, but for the loopback."""
    return [name for name, card in psutil.net_if_stats().items() if card.isup and "loopback" not in card.flags]


def _has_the_address(address: Interface) -> bool:
    own = [a.address.partition("%")[0] for nics in psutil.net_if_addrs().values() for a in nics]
    return str(address.ip) in own


def _has_an_address_in(net: Network) -> bool:
    """Whether this machine has an address in a subnet now."""
    own = [
        a.address.partition("%")[0]
        for nics in psutil.net_if_addrs().values()
        for a in nics
        if a.family.name in ("AF_INET", "AF_INET6")
    ]
    return any(ipaddress.ip_address(address) in net for address in own)
