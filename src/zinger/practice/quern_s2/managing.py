"""How a Quern S2 is managed: the words of its names, people, management address, clock, log and SNMP users."""

from __future__ import annotations

import re
import time
from datetime import datetime
from ipaddress import AddressValueError, IPv4Address, IPv4Interface, IPv4Network, IPv6Address
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from zinger.practice.core.people import Person
from zinger.practice.core.tty import Tty
from zinger.practice.core.words import Refused, address_of, addresses, either, one
from zinger.practice.quern_s2.switching import Switching

SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")

DAYS = "sun|mon|tue|wed|thu|fri|sat"
MONTHS = "jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec"


class Managing(Switching):
    """The words of the management contexts; part of the shell."""

    tty: Tty
    user: str

    async def choose_secret(self, name: str) -> str:
        """A new secret, asked twice; part of the shell."""
        raise NotImplementedError

    async def do_rename(self, rest: list[str]) -> None:
        name = one(rest, "a name")
        if not re.fullmatch("[a-z0-9-]{1,24}", name):
            raise Refused("a name is 1 to 24 of a-z, 0-9 and hyphen")
        self.switch.running.name = name

    async def do_greet(self, rest: list[str]) -> None:
        text = one(rest, "one text in quotes")
        self.switch.running.greeting = "" if text == "none" else text

    async def do_location(self, rest: list[str]) -> None:
        self.switch.running.location = _text(rest)

    async def do_contact(self, rest: list[str]) -> None:
        self.switch.running.contact = _text(rest)

    async def do_add(self, rest: list[str]) -> None:
        if len(rest) != 3 or rest[1] != "as" or rest[2] not in ("keeper", "warden", "watcher"):
            raise Refused("say add NAME as keeper, as warden or as watcher")
        name = rest[0]
        if name in self.switch.running.people:
            raise Refused(f"{name} is here already")
        self.switch.running.people[name] = Person.with_secret(rest[2], await self.choose_secret(name))

    async def do_renew(self, rest: list[str]) -> None:
        name = one(rest, "a name")
        if name not in self.switch.running.people:
            raise Refused(f"nobody is called {name}")
        level = self.switch.running.people[name].level
        self.switch.running.people[name] = Person.with_secret(level, await self.choose_secret(name))

    async def do_stations(self, rest: list[str]) -> None:
        if rest == ["any"]:
            self.switch.running.stations = []
            return
        words = [rest[i : i + 3] for i in range(0, len(rest), 3)]
        try:
            nets = [str(IPv4Network(f"{net}/{int(size)}")) for net, length, size in words if length == "len"]
        except ValueError:
            raise Refused("say stations A.B.C.D len N, as many as four, or stations any") from None
        if not 1 <= len(nets) == len(words) <= 4:
            raise Refused("say stations A.B.C.D len N, as many as four, or stations any")
        self.switch.running.stations = [net.replace("/", " len ") for net in nets]

    async def do_drop(self, rest: list[str]) -> None:
        name = one(rest, "a name")
        if name not in self.switch.running.people:
            raise Refused(f"nobody is called {name}")
        if name == self.user:
            raise Refused("you can't drop yourself")
        del self.switch.running.people[name]

    async def do_vlan(self, rest: list[str]) -> None:
        number = one(rest, "a number")
        if not number.isdigit() or not 1 <= int(number) <= 4094:
            raise Refused("a VLAN is 1 to 4094")
        self.switch.running.vlan = int(number)

    async def do_address(self, rest: list[str]) -> None:
        running = self.switch.running
        if rest == ["lease"]:
            running.address = "lease"
        else:
            try:
                word, address, length, prefix = rest
                if (word, length) != ("fixed", "len"):
                    raise ValueError
                fixed = IPv4Interface(f"{address}/{int(prefix)}")
            except (ValueError, AddressValueError):
                raise Refused("say address fixed A.B.C.D len N, or address lease") from None
            if fixed.ip in (fixed.network.network_address, fixed.network.broadcast_address):
                raise Refused(f"{fixed.ip} is not a host of {fixed.network.network_address} len {prefix}")
            if running.gateway and IPv4Address(running.gateway) not in fixed.network:
                running.gateway = ""
                self.tty.show("note: the gateway was outside and is gone\n")
            running.address = str(fixed)
            self.tty.show(f"note: answering on {fixed.ip} from now on\n")
        await self.switch.apply_network()

    async def do_gateway(self, rest: list[str]) -> None:
        word, running = one(rest, "an address"), self.switch.running
        if word != "none":
            gate = address_of(word)
            if running.address == "lease":
                raise Refused("the lease brings its own gateway")
            mine = IPv4Interface(running.address)
            if gate not in mine.network or gate == mine.ip:
                raise Refused(f"{gate} is no other host of {mine.network.network_address} len {mine.network.prefixlen}")
        running.gateway = "" if word == "none" else word

    async def do_resolver(self, rest: list[str]) -> None:
        self.switch.running.resolver = addresses(rest, 3)

    async def do_suffix(self, rest: list[str]) -> None:
        word = one(rest, "a domain")
        self.switch.running.suffix = "" if word == "none" else word

    async def do_zone(self, rest: list[str]) -> None:
        zone = one(rest, "a zone")
        try:
            if not re.fullmatch(r"UTC[+-](0\d|1[0-4]):[0-5]\d", zone):
                ZoneInfo(zone)
        except (ZoneInfoNotFoundError, ValueError):
            raise Refused(f"no zone is called {zone}") from None
        self.switch.running.zone = zone

    async def do_source(self, rest: list[str]) -> None:
        """source HOST, with any of: first, every N s, key N, order N; or source none."""
        sources, how = self.switch.running.source, " ".join(rest[1:])
        if rest == ["none"]:
            sources.clear()
            return
        match = re.fullmatch(r"(first)?( ?every (\d+) s)?( ?key (\d+))?( ?order (\d\d?))?", how) if rest else None
        if match is None or not 16 <= int(match[3] or 64) <= 131072 or not 1 <= int(match[5] or 1) <= 65535:
            raise Refused("say source HOST, with first, every 16 to 131072 s, key N and order N behind if wanted")
        if rest[0] not in sources and len(sources) == 4:
            raise Refused("it has 4 sources at most")
        if match[1]:
            for host, other in sources.items():
                sources[host] = other.removeprefix("first").strip()
        sources[str(address_of(rest[0]))] = how

    async def do_summer(self, rest: list[str]) -> None:
        self.switch.running.summer = either(rest, "on", "off")

    async def do_summer_rule(self, rest: list[str]) -> None:
        """summer-rule DAY TIME to DAY TIME ahead N min, where a day is last sun mar; or summer-rule none."""
        moment = rf"(1st|2nd|3rd|4th|last) ({DAYS}) ({MONTHS}) ([01]\d|2[0-3]):[0-5]\d"
        words = " ".join(rest)
        if words != "none" and not re.fullmatch(rf"{moment} to {moment} ahead (30|60|120) min", words):
            raise Refused("say summer-rule last sun mar 02:00 to last sun oct 03:00 ahead 60 min, or none")
        self.switch.running.summer_rule = "" if words == "none" else words

    async def do_today(self, rest: list[str]) -> None:
        try:
            to = datetime.strptime(" ".join(rest), "%Y-%m-%d %H:%M:%S")
        except ValueError:
            raise Refused("say today YYYY-MM-DD HH:MM:SS") from None
        self.switch.set_at = (to, time.monotonic())

    async def do_host(self, rest: list[str]) -> None:
        if len(rest) != 2 or not re.fullmatch("[A-Za-z0-9-]{1,63}", rest[0]):
            raise Refused("say host NAME A.B.C.D")
        self.switch.running.hosts[rest[0]] = str(address_of(rest[1]))

    async def do_drop_host(self, rest: list[str]) -> None:
        if rest == ["all"]:
            self.switch.running.hosts.clear()
        elif self.switch.running.hosts.pop(one(rest, "a name"), None) is None:
            raise Refused(f"no host is called {rest[0]}")

    async def do_domain(self, rest: list[str]) -> None:
        word = one(rest, "a domain")
        self.switch.running.domain = "" if word == "none" else word

    async def do_address6(self, rest: list[str]) -> None:
        """address6 fixed X len N, or address6 auto, or address6 off."""
        running = self.switch.running
        if rest in (["auto"], ["off"]):
            running.address6, running.gateway6 = rest[0], ""
            return
        try:
            fixed, address, length, size = rest
            if (fixed, length) != ("fixed", "len"):
                raise ValueError
            running.address6 = f"{IPv6Address(address)} len {int(size)}"
        except ValueError:
            raise Refused("say address6 fixed X len N, or address6 auto, or address6 off") from None

    async def do_gateway6(self, rest: list[str]) -> None:
        word = one(rest, "an address")
        try:
            self.switch.running.gateway6 = "" if word == "none" else str(IPv6Address(word))
        except ValueError:
            raise Refused(f"{word} is not an IPv6 address") from None

    async def do_receiver(self, rest: list[str]) -> None:
        """receiver HOST, with any of: port N, by TRANSPORT, from SEVERITY; or receiver none."""
        receivers = self.switch.running.receiver
        if rest == ["none"]:
            receivers.clear()
            return
        how = " ".join(rest[1:])
        known = "|".join(SEVERITIES)
        pattern = rf"(port \d{{1,5}})?( ?by (udp|tcp|tls))?( ?from ({known}))?( ?order \d\d?)?"
        if not rest or not re.fullmatch(pattern, how):
            raise Refused("say receiver HOST, with port N, by udp, tcp or tls, from SEVERITY and order N if wanted")
        if rest[0] not in receivers and len(receivers) == 4:
            raise Refused("it has 4 receivers at most")
        receivers[str(address_of(rest[0]))] = how

    def _severity(self, rest: list[str]) -> str:
        word = one(rest, "a severity")
        if word not in (*SEVERITIES, "all", "none"):
            raise Refused(f"a severity is one of {', '.join(SEVERITIES)}, or all, or none")
        return word

    async def do_local_log(self, rest: list[str]) -> None:
        if len(rest) != 2 or rest[1] not in ("kept", "lost"):
            raise Refused("say local-log SEVERITY kept, or lost, at a restart")
        self.switch.running.local_log = f"{self._severity(rest[:1])} {rest[1]}"

    async def do_idle(self, rest: list[str]) -> None:
        self.switch.running.idle = _minutes(rest)

    async def do_idle_console(self, rest: list[str]) -> None:
        self._idle_of("console", rest)

    async def do_idle_network(self, rest: list[str]) -> None:
        self._idle_of("network", rest)

    async def do_idle_web(self, rest: list[str]) -> None:
        self._idle_of("web", rest)

    def _idle_of(self, way: str, rest: list[str]) -> None:
        if rest == ["as", "idle"]:
            self.switch.running.idle_of.pop(way, None)
        else:
            self.switch.running.idle_of[way] = _minutes(rest)

    async def do_idle_at(self, rest: list[str]) -> None:
        """idle-at PORT MINUTES, or idle-at PORT as idle; its console ports are rj45 and usb."""
        if len(rest) < 2 or rest[0] not in ("rj45", "usb"):
            raise Refused("its console ports are rj45 and usb")
        if rest[1:] == ["as", "idle"]:
            self.switch.running.idle_at.pop(rest[0], None)
        else:
            self.switch.running.idle_at[rest[0]] = f"{_minutes(rest[1:])} min"

    async def do_server(self, rest: list[str]) -> None:
        self.switch.running.update_server = _url(rest)

    async def do_proxy(self, rest: list[str]) -> None:
        self.switch.running.update_proxy = _url(rest)


def _minutes(rest: list[str]) -> int:
    minutes = one(rest, "minutes")
    if not minutes.isdigit() or not 1 <= int(minutes) <= 120:
        raise Refused("idle is 1 to 120 minutes")
    return int(minutes)


def _url(rest: list[str]) -> str:
    url = one(rest, "a URL")
    if url != "none" and not re.fullmatch(r"[a-z]+://\S+", url):
        raise Refused(f"{url} is not a URL")
    return "" if url == "none" else url


def _text(rest: list[str]) -> str:
    """One text in quotes; `none` takes it away."""
    text = one(rest, "one text in quotes")
    return "" if text == "none" else text
