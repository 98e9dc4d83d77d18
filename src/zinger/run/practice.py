"""The practice yard of a job: started as a process of its own, found again after a crash, and its hands."""

from __future__ import annotations

import asyncio
import contextlib
import json
import secrets
import signal
import subprocess
import sys
from collections.abc import Awaitable, Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from zinger.link.yard import Yard, YardError
from zinger.plan.model import Device
from zinger.run.hands import Act, Verb
from zinger.store.folder import JobFolder

SETTINGS_FILE = "practice.yaml"

START_PATIENCE = 45.0
OFF_AT_LEAST = 0.5
"""Seconds of our clock in which a device is without power: it is looked for by our clock, too."""


def yard_settings(folder: JobFolder) -> dict[str, Any]:
    """What `practice.yaml` says of the yard: pace, chance, faults by device; empty when there is no such file."""
    file = folder.path / SETTINGS_FILE
    if not file.is_file():
        return {}
    try:
        said = YAML(typ="safe").load(file.read_text("utf-8")) or {}
        pace = float(said.get("pace", 20))
    except (YAMLError, ValueError, TypeError, AttributeError) as error:
        raise YardError(f"{SETTINGS_FILE} can't be read: {str(error).splitlines()[0]}") from None
    if not 0.1 <= pace <= 1000:
        raise YardError(f"{SETTINGS_FILE}: pace {pace:g} is out of range; give 0.1 to 1000")
    faults = said.get("faults") or {}
    if not isinstance(faults, dict) or not all(isinstance(wrong, dict) for wrong in faults.values()):
        raise YardError(f"{SETTINGS_FILE}: faults are written by device, like {{sw1: {{lease: 10.44.16.50/24}}}}")
    for key in ("linger", "chance"):
        if not isinstance(said.get(key, 0), int | float):
            raise YardError(f"{SETTINGS_FILE}: {key} is a number, not {said[key]!r}")
    return dict(said)


async def find_or_start(folder: JobFolder, devices: Iterable[Device], pace: float | None) -> tuple[Yard, float]:
    """The yard of this job, started if none runs; returns its client and its pace. Raises YardError."""
    ready = folder.yard / "ready.json"
    with contextlib.suppress(YardError):
        yard = Yard.from_file(ready)
        pace_there = float((await yard.ask("status"))["pace"])
        await deliver(yard, devices)
        return yard, pace_there
    settings = yard_settings(folder)
    pace = pace or float(settings.get("pace", 20))
    _spawn(folder, devices, settings, pace, ready)
    loop = asyncio.get_running_loop()
    end = loop.time() + START_PATIENCE
    while loop.time() < end:
        with contextlib.suppress(YardError):
            yard = Yard.from_file(ready)
            await yard.ask("status")
            return yard, pace
        await asyncio.sleep(0.05)
    raise YardError(f"the practice yard did not start; see {folder.yard / 'yard.log'}")


def body_of(device: Device) -> dict[str, Any]:
    """What the yard is told of a device that it simulates."""
    return {
        "key": device.name,
        "family": device.family,
        "model": device.family.replace("-", " ").title(),
        "serial": device.serial or "unknown",
        "mac": device.mac or "02-00-00-00-00-00",
    }


async def deliver(yard: Yard, devices: Iterable[Device]) -> None:
    """Have the yard simulate devices that came into the plan since it began. Raises YardError."""
    await yard.ask("deliver_more", devices=[body_of(device) for device in devices])


def _spawn(folder: JobFolder, devices: Iterable[Device], settings: dict[str, Any], pace: float, ready: Path) -> None:
    faults = settings.get("faults") or {}
    spec = {
        "pace": pace,
        "chance": settings.get("chance", 0),
        "linger": settings.get("linger", 600),
        "ready": str(ready),
        "token": secrets.token_hex(16),
        "flash": str(folder.yard / "flash.json"),
        "devices": [body_of(d) | (faults.get(d.name) or {}) for d in devices],
    }
    try:
        folder.yard.mkdir(exist_ok=True)
        ready.unlink(missing_ok=True)
        description = folder.yard / "yard.json"
        description.write_text(json.dumps(spec, indent=1))
        with (folder.yard / "yard.log").open("ab") as log:
            subprocess.Popen(
                [sys.executable, "-m", "zinger.practice", str(description)],
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
    except OSError as error:
        raise YardError(f"the practice yard can't be started in {folder.yard}: {error.strerror}") from None


async def open_to_all(
    folder: JobFolder,
    devices: Iterable[Device],
    pace: float | None,
    powered: bool,
    logins: Iterable[str] = (),
    as_json: bool = False,
) -> None:
    """Start the yard, print where everything listens, and keep it until Ctrl-C.

    `logins` are sentences about the families' factory logins, which are public, to be printed with it.
    """
    yard, real_pace = await find_or_start(folder, devices, pace)
    status = await yard.ask("status")
    for name in status["devices"]:
        await yard.ask("plug", device=name)
        if powered:
            await yard.ask("power", device=name, on=True)
    ports = {
        name: {key: d[key] for key in ("console", "ssh", "telnet", "http", "https")}
        for name, d in status["devices"].items()
    }
    if as_json:
        print(
            json.dumps({"host": "127.0.0.1", "pace": real_pace, "folder": str(folder.path), "ports": ports}), flush=True
        )
    else:
        _print_ports(folder, real_pace, ports, logins)
    await _until_ended(yard)


def _print_ports(folder: JobFolder, pace: float, ports: dict[str, dict[str, int]], logins: Iterable[str]) -> None:
    print(f"practice yard x{pace:g} of {folder.path}, on 127.0.0.1; Ctrl-C ends it\n")
    print(f"{'device':<16} {'console':>16} {'ssh':>7} {'telnet':>7} {'http':>7}   (a network port refuses while shut)")
    for name, port in ports.items():
        print(
            f"{name:<16} {'telnet ' + str(port['console']):>16} {port['ssh']:>7} {port['telnet']:>7} {port['http']:>7}"
        )
    first = next(iter(ports.values()), None)
    if first:
        print(
            f"\n  telnet 127.0.0.1 {first['console']}      then Return\n"
            f"  ssh -p {first['ssh']} NAME@127.0.0.1    once its SSH door is open"
        )
    for login in logins:
        print(f"  {login}")
    sys.stdout.flush()


async def _until_ended(yard: Yard) -> None:
    """Wait for Ctrl-C or the terminal's end, then end the yard too."""
    ended = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        asyncio.get_running_loop().add_signal_handler(number, ended.set)
    while not ended.is_set():
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(5):
                await ended.wait()
        await yard.ask("status")
    await yard.ask("stop")


class YardHands:
    """The yard's hands: what a person would do at the bench, after the moment that it takes."""

    def __init__(self, yard: Yard, pace: float, read_label: Callable[[str, str], None]) -> None:
        self.yard, self.pace, self.read_label = yard, pace, read_label

    async def __call__(self, act: Act) -> None:
        await asyncio.sleep(15 / self.pace)
        await _DEEDS.get(act.verb, YardHands._nothing)(self, act)

    async def _nothing(self, act: Act) -> None:
        """What is no deed in the yard, such as terms to be read."""

    async def _plug(self, act: Act) -> None:
        if act.taken_from:
            await self.yard.ask("plug", device=act.taken_from, plugged=False)
        await self.yard.ask("plug", device=act.subject)
        await self.yard.ask("by_hand", device=act.subject, what=act.do)
        if "off and on again" in act.do:
            await self.yard.ask("power", device=act.subject, on=False)
        await self.yard.ask("power", device=act.subject, on=True)

    async def _join(self, act: Act) -> None:
        await self._plug(act)
        await self.yard.ask("join", device=act.subject)

    async def _unplug(self, act: Act) -> None:
        await self.yard.ask("plug", device=act.subject, plugged=False)

    async def _cut(self, act: Act) -> None:
        await self.yard.ask("power", device=act.subject, on=False)
        await asyncio.sleep(max(5 / self.pace, OFF_AT_LEAST))
        await self.yard.ask("power", device=act.subject, on=True)

    async def _set(self, act: Act) -> None:
        await self.yard.ask("by_hand", device=act.subject, what=act.do)
        await self._cut(act)

    async def _clean(self, act: Act) -> None:
        await self.yard.ask("clean", device=act.subject)

    async def _press(self, act: Act) -> None:
        await self.yard.ask("press", device=act.subject)

    async def _laptop(self, act: Act) -> None:
        await self.yard.ask("laptop", address=act.subject)

    async def _dhcp(self, act: Act) -> None:
        await self.yard.ask("handed", device=act.subject)

    async def _compare(self, act: Act) -> None:
        printed = str((await self.yard.ask("label", device=act.subject))["fingerprint"])
        if printed not in act.do.replace(" ", ":"):  # it is shown in groups, as eyes compare it
            raise YardError(f"the label of {act.subject} has another fingerprint: {printed}")

    async def _label(self, act: Act) -> None:
        self.read_label(act.subject, str((await self.yard.ask("label", device=act.subject))["secret"]))


_DEEDS: Mapping[Verb, Callable[[YardHands, Act], Awaitable[None]]] = {
    Verb.PLUG: YardHands._plug,
    Verb.JOIN: YardHands._join,
    Verb.UNPLUG: YardHands._unplug,
    Verb.POWER_CUT: YardHands._cut,
    Verb.SET: YardHands._set,
    Verb.CLEAN: YardHands._clean,
    Verb.PRESS: YardHands._press,
    Verb.LAPTOP: YardHands._laptop,
    Verb.DHCP: YardHands._dhcp,
    Verb.COMPARE: YardHands._compare,
    Verb.READ_LABEL: YardHands._label,
}
