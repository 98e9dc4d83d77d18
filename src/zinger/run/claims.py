"""Claims: what there is only one of, or a few, and who waits for it. All of a run's are here.

A device that needs something of which there is not enough waits for its claim, never for another device. The laptop's
addresses are shared by all devices of a subnet; sign-ins from the network cost this machine work, so only a few run at
a time; hands are one person's (see `hands`), and ask for themselves.
"""

from __future__ import annotations

import asyncio
import ipaddress
from collections import Counter
from collections.abc import AsyncIterator, Callable, Iterable, Iterator
from contextlib import asynccontextmanager
from ipaddress import IPv4Interface

import psutil

from zinger.plan.laptop import laptop_address
from zinger.plan.model import Device
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.values.addresses import Address, Interface, Network
from zinger.plan.values.console import YARD
from zinger.run.board import DeviceLine
from zinger.run.hands import Act, CannotBeDone, Hands, Verb
from zinger.run.spots import Spots
from zinger.run.stopwatch import blocked

FROM_OUTSIDE = 2
"""Sign-ins from the network at a time: key exchanges cost work."""


class Claims:
    """What devices of one run share."""

    def __init__(self, hands: Hands, devices: Iterable[Device], practice: bool) -> None:
        self.hands = hands
        self._outside = asyncio.Semaphore(FROM_OUTSIDE)
        self._practice = practice
        self.know(devices)
        self.spots = Spots()
        """Factory addresses and shared consoles, which one device has at a time."""
        self._cabled: dict[str, str] = {}
        """In which device each shared console cable is, once a person said so."""
        self._near: set[Network] = set()
        self._cannot: dict[Network, str] = {}
        """Subnets in which this laptop can have no address, as a person said, and why: nobody is asked twice."""
        self._set_up: dict[str, asyncio.Event] = {}
        self._waits_for: dict[str, str] = {}
        self._given: list[Interface] = []
        """The addresses that a person gave the laptop in this run."""

    @asynccontextmanager
    async def from_outside(self) -> AsyncIterator[None]:
        """To be held while somebody signs in from the network."""
        with blocked():
            await self._outside.acquire()
        try:
            yield
        finally:
            self._outside.release()

    def expect(self, devices: Iterable[str]) -> None:
        """These are set up from now on, so that others can wait for them."""
        self._set_up |= {name: asyncio.Event() for name in devices}
        self.ask_anew()

    def ask_anew(self) -> None:
        """Somebody sends devices on their way: what could not be done before may be possible now."""
        self._cannot.clear()

    def know(self, devices: Iterable[Device]) -> None:
        """The plan has these devices now."""
        self._devices = list(devices)
        consoles = Counter(console_claim(device.console) for device in self._devices)
        self._shared = {key for key, uses in consoles.items() if key and uses > 1}

    def is_set_up(self, device: str) -> None:
        """Nobody need wait for this device any more: it is set up, or it ended otherwise."""
        if device in self._set_up:
            self._set_up[device].set()

    async def after(self, device: str, other: str, line: DeviceLine) -> None:
        """Return once another device of this run is set up; at once where that one waits for this one."""
        self._waits_for[device], on_the_way = other, other
        try:
            while on_the_way != device and self._is_awaited(self._waits_for.get(on_the_way, "")):
                on_the_way = self._waits_for[on_the_way]
            if self._is_awaited(other) and on_the_way != device:
                line.wait(f"{other}, which must be set up first")
                with blocked():
                    await self._set_up[other].wait()
        finally:
            del self._waits_for[device]

    def _is_awaited(self, device: str) -> bool:
        """Whether this one is to be set up in this run, and is not yet; who waited for it may not have run since."""
        return device in self._set_up and not self._set_up[device].is_set()

    async def be_near(self, device: Device, line: DeviceLine, before: Interface | None = None) -> None:
        """Return once the laptop can reach the device's subnet; a person gives it an address if it has none there.

        The subnet is the planned one, or that of the address which it had `before`.

        That it is routed there only a person knows (`--hands-done`): dialling to find out was rejected, since on any
        other network the planned address is somebody else's, and the passwords would go to whoever answers.
        """
        address = device.fixed.interface if device.fixed else None
        address = before or address
        if address is None:
            return
        taken = [d.fixed.ip for d in self._devices if d.fixed]
        taken += [gateway for d in self._devices if (gateway := d[GATEWAY])]
        why = f"to sign in from the network of {device.site.name}"
        await self._be_in(address, [*taken, address.ip], why, line)

    async def be_at(self, factory: IPv4Interface, title: str, line: DeviceLine) -> None:
        """Return once the laptop can reach a factory address."""
        await self._be_in(factory, [factory.ip], f"to reach a {title} at its factory address", line)

    async def be_as(self, address: IPv4Interface, whose: str, line: DeviceLine) -> None:
        """Return once the laptop has this very address, which is planned for something that is not there yet."""
        if address in self._given or (not self._practice and _has_the_address(address)):
            return
        do = f"give this laptop the address {address} of {whose}, which must not be there{_command('add', address)}"
        act = Act(Verb.LAPTOP, str(address), do, "what is asked from any other address is not answered", rank=4)

        async def has_it() -> bool:
            return _has_the_address(address)

        with line.at_hands("this laptop's address"):
            await self.hands.ask(act, None if self._practice else has_it)
        self._given.append(address)

    async def be_handed(self, device: Device, factory: IPv4Interface, line: DeviceLine) -> None:
        """Return once the laptop has an address in a device's factory subnet, which the device itself hands out."""
        if self.can_see(factory):
            return
        do = f"leave this laptop's network card on automatic (DHCP), cabled to {device.name}"
        act = Act(Verb.DHCP, device.name, do, f"{device.name} hands it an address in {factory.network}", rank=1)
        with line.at_hands("this laptop on DHCP"):
            await self._come_to(factory, act)

    async def join(self, device: Device, network: str, factory: IPv4Interface, how: str, line: DeviceLine) -> None:
        """Return once the laptop is in a device's own wireless network, from which it has an address."""
        if self.can_see(factory) and not self._practice:
            return
        do = f"switch {device.name} on and join its network “{network}”: {how}"
        act = Act(Verb.JOIN, device.name, do, "it is set up over a network of its own", rank=1)
        with line.at_hands("join its network"):
            await self._come_to(factory, act)

    async def _be_in(self, there: Interface, taken: Iterable[Address], why: str, line: DeviceLine) -> None:
        net = there.network
        if self.can_see(there):
            return
        free = laptop_address(net, taken)
        if free is None:
            return
        act = Act(Verb.LAPTOP, str(free), f"give this laptop the address {free}{_command('add', free)}", why, rank=2)
        if net in self._cannot:
            raise CannotBeDone(act, self._cannot[net])
        try:
            with line.at_hands("this laptop's address"):
                await self._come_to(there, act)
        except CannotBeDone as error:
            self._cannot[net] = error.why
            raise
        self._given.append(free)

    async def _come_to(self, there: Interface, act: Act) -> None:
        """Ask for an act that brings the laptop into a subnet; that it is there may be seen before it is said."""

        async def is_there() -> bool:
            return _is_on_link(there)

        await self.hands.ask(act, None if self._practice else is_there)
        self._near.add(there.network)

    def can_see(self, address: Interface) -> bool:
        """Whether the laptop is in the subnet of an address now, as far as is known."""
        return address.network in self._near or (not self._practice and _is_on_link(address))

    def put_back(self) -> list[Act]:
        """What is to be taken off the laptop again, once nobody needs it."""
        why = "no device needs it any more"
        return [
            Act(Verb.LAPTOP_BACK, str(given), f"take {given} off this laptop again{_command('del', given)}", why)
            for given in (self._given if not self._practice else ())
            if _has_the_address(given)
        ]

    async def take_factory(self, address: str, device: str, line: DeviceLine) -> None:
        """Return once a factory address is this device's alone: of several with the same one, one is cabled at a time.

        One that was left there, because it needs a person, is unplugged first.
        """
        key = factory_claim(address)
        if self.spots.has(key, device):
            return
        await self.spots.take(key, address, device, line.wait)
        left = self.spots.left_at(key)
        if left and left != device:
            do, why = f"take the network cable out of {left}", f"it still answers at {address}"
            with line.at_hands(f"take the network cable out of {left}"):
                await self.hands.ask(Act(Verb.UNPLUG, left, do, why, rank=1))
        self.spots.is_clear(key)

    def holds_factory(self, address: str, device: str) -> bool:
        """Whether a factory address is this device's now; else somebody else may answer there."""
        return self.spots.has(factory_claim(address), device)

    def leave_factory(self, address: str, device: str, moved: bool) -> None:
        """The device does not need the factory address any more; unless it `moved`, it still answers there."""
        self.spots.leave(factory_claim(address), device, moved)

    async def take_console(self, device: Device, line: DeviceLine, let_go: Callable[[], None]) -> str | None:
        """Return once the console that the plan names is this device's alone: one cable serves one device at a time.

        Returns None where its cable is there already, as far as is known; else in which device it is now, if known.
        """
        key = console_claim(device.console)
        if key not in self._shared:
            return None
        if not self.spots.has(key, device.name):
            await self.spots.take(key, f"the console {device.console}", device.name, line.wait, let_go)
        return None if self._cabled.get(key) == device.name else self._cabled.get(key, "")

    def is_shared(self, device: Device) -> bool:
        """Whether other devices of the plan name the same console."""
        return console_claim(device.console) in self._shared

    def cable_is_at(self, device: Device) -> None:
        """A person moved the console cable that it shares to this device."""
        self._cabled[console_claim(device.console)] = device.name

    def leave_console(self, device: Device) -> None:
        """The device does not need its console any more; its cable stays there until another one needs it."""
        self.spots.leave(console_claim(device.console), device.name, gone=False)


def factory_claim(address: str) -> str:
    """The key of a factory address on the segment."""
    return f"factory {address}"


def console_claim(console: str) -> str:
    """The key of a console; empty for one that is no cable of one device: practice's own, or a shell."""
    return "" if console in ("", YARD) or console.startswith("ssh://") else f"console {console}"


def _command(what: str, address: Interface) -> str:
    """The command for it on a Linux laptop, for the card that is most likely meant: a wired one that is up."""
    cards = [name for name, card in psutil.net_if_stats().items() if card.isup and name.startswith("e")]
    return f": ip address {what} {address} dev {cards[0]}" if cards else ""


def cards_up() -> list[str]:
    """The network cards of this machine that are up, but for the loopback."""
    return [name for name, card in psutil.net_if_stats().items() if card.isup and "loopback" not in card.flags]


def _own_addresses() -> Iterator[Interface]:
    """This machine's addresses now, each with its subnet."""
    for card in psutil.net_if_addrs().values():
        for own in card:
            if own.family.name in ("AF_INET", "AF_INET6"):
                mask = int(ipaddress.ip_address(own.netmask)).bit_count() if own.netmask else ""
                yield ipaddress.ip_interface(f"{own.address.partition('%')[0]}/{mask}".rstrip("/"))


def _has_the_address(address: Interface) -> bool:
    return any(own.ip == address.ip for own in _own_addresses())


def _is_on_link(there: Interface) -> bool:
    """Whether this machine and a device at this address each take the other to be in their own subnet.

    An address in the device's subnet alone is not enough: from 192.0.2.94/27 nothing goes to 192.0.2.1/24.
    """
    return any(own.ip in there.network and there.ip in own.network for own in _own_addresses())
