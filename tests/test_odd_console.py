"""A console as nobody would wish for: it loses what comes too fast and does not say so, log lines burst in anywhere.

The first password must be changed, what is set is staged and applied with a countdown, and saving asks an odd question.

Its family, `larch-l1.yaml`, was written from the documentation; it is proved from its console alone.
"""

from __future__ import annotations

import asyncio
import datetime
import random
import shutil
import zoneinfo
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from tests.conftest import program

HOLDS, EATS = 16, 60
"""Characters that its line holds, and that it takes out of it each second."""
JOB = """\
job: Kettlestone Valley Railway
mode: live
baseline:
  accounts: {administrator: {name: kettle-admin, secret: each device}}
  clock: {set: laptop, zone: GMT+1, rule: last Sunday of March 02:00 to last Sunday of October 03:00}
  banner: Kettlestone Valley Railway. Staff only; sessions are recorded, and read.
sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}}
"""
CARTON = {"name": "larch", "address": "192.0.2.7/24", "gateway": "none", "banner": "none", "east": "none"}
CARTON["summer"] = "none"


class Cut(Exception):
    """The terminal went."""


@dataclass
class Larch:
    """The device; one terminal at a time."""

    chance: random.Random = field(default_factory=lambda: random.Random(7))
    lost: int = 0
    noisy: bool = True

    def __post_init__(self) -> None:
        self.state, self.kept = dict(CARTON), dict(CARTON)
        self.people, self.kept_people = {"first": "in-the-box"}, {"first": "in-the-box"}
        self.unchanged = True
        self.staged: dict[str, str] = {}
        self.level = self.at = 0.0
        self.ahead = datetime.datetime(2001, 1, 1) - datetime.datetime.now()

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.reader, self.writer = reader, writer
        try:
            while True:
                user, secret = await self.ask("account? "), await self.ask("passphrase? ", blind=True)
                if self.people.get(user) != secret:
                    self.show("not so: nobody of that name and passphrase\r\n")
                    continue
                if user == "first" and self.unchanged:
                    self.people["first"] = await self.twice("fresh passphrase")
                    self.unchanged = False
                await self.rest()
        except (Cut, ConnectionError):
            writer.close()

    def show(self, text: str) -> None:
        """With log lines that burst in wherever they like."""
        for char in text:
            if self.noisy and self.chance.random() < 0.004:
                self.writer.write(b"\r\n!! 12:03:04 fan 2 turns\r\n")
            self.writer.write(char.encode())

    async def key(self) -> str:
        while True:
            byte = await self.reader.read(1)
            if not byte:
                raise Cut
            now = asyncio.get_running_loop().time()
            self.level, self.at = max(0.0, self.level - (now - self.at) * EATS), now
            if self.level < HOLDS:
                self.level += 1
                return byte.decode("latin-1")
            self.lost += 1

    async def ask(self, prompt: str, blind: bool = False) -> str:
        self.show(prompt)
        typed = ""
        while (char := await self.key()) != "\r":
            if char == "\x15":
                typed = ""
                self.show("\r\n" + prompt)
            elif char.isprintable():
                typed += char
                self.show("" if blind else char)
        self.show("\r\n")
        return typed

    async def twice(self, what: str) -> str:
        while True:
            one, two = await self.ask(f"{what}? ", True), await self.ask(f"{what}, once more? ", True)
            if one == two and len(one) >= 10:
                return one
            self.show("not so: they are not alike, or too short\r\n")

    async def rest(self) -> None:
        while True:
            match (await self.ask(f"{self.state['name']} at rest: ")).split():
                case ["stage"]:
                    await self.staging()
                case ["tell", *stored]:
                    state, people = (self.kept, self.kept_people) if stored else (self.state, self.people)
                    now = datetime.datetime.now() + self.ahead
                    rows = [
                        *state.items(),
                        ("it is", f"{now:%d.%m.%Y, %H:%M:%S}"),
                        *(("admits", name) for name in people),
                    ]
                    self.show("  serial LRH-9\r\n" + "".join(f"  {what} {value}\r\n" for what, value in rows))
                case ["admit", name]:
                    self.people[name] = await self.twice("passphrase for them")
                case ["it", "is", day, time]:
                    to = datetime.datetime.strptime(f"{day} {time}", "%d.%m.%Y, %H:%M:%S")
                    self.ahead = to - datetime.datetime.now()
                case ["agree"]:
                    self.show("it stays\r\n")
                case ["store"]:
                    if await self.ask("is anybody at the line? say the model to go on: ") == "L1":
                        self.kept, self.kept_people = dict(self.state), dict(self.people)
                        self.show("stored\r\n")
                    else:
                        self.show("not so: left as it was\r\n")
                case ["begin", "anew"]:
                    await self.boot()
                    return
                case ["leave"]:
                    return
                case []:
                    pass
                case _:
                    self.show("not so: unknown words\r\n")

    async def staging(self) -> None:
        while True:
            words = await self.ask(f"{self.state['name']} staging: ")
            what, _, value = words.partition(" ")
            if what in CARTON and value:
                self.staged[what] = value
            elif words == "apply":
                for left in range(3, 0, -1):
                    self.show(f"\rapplies in {left} s ")
                    await asyncio.sleep(0.4)
                self.state |= self.staged
                self.show("\r\x1b[Kapplied\r\n")
                return
            elif words == "up":
                return
            elif words:
                self.show("not so: unknown words\r\n")

    async def boot(self) -> None:
        self.state, self.people, self.staged = dict(self.kept), dict(self.kept_people), {}
        self.show("larch loader 2\r\n")
        await asyncio.sleep(1.5)
        self.show("larch is up\r\n")


@pytest.fixture
async def larch() -> AsyncIterator[tuple[Larch, int]]:
    made = Larch()
    server = await asyncio.start_server(made.serve, "127.0.0.1", 0)
    yield made, server.sockets[0].getsockname()[1]
    server.close()


async def test_a_console_as_nobody_would_wish_for(larch: tuple[Larch, int], tmp_path: Path) -> None:
    device, port = larch
    (tmp_path / "phrasebooks").mkdir()
    shutil.copy(Path(__file__).parent / "larch-l1.yaml", tmp_path / "phrasebooks")
    (tmp_path / "job.yaml").write_text(JOB)
    (tmp_path / "devices.csv").write_text(
        f"site,hostname,family,address,serial,console\nwj,kvr-wj-lu1,larch-l1,10.44.8.31,LRH-9,tcp://127.0.0.1:{port}\n"
    )
    done = await asyncio.to_thread(program, "run", tmp_path, "--headless", "--no-power-cut", "--restart")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    assert device.kept == {
        "name": "kvr-wj-lu1",
        "address": "10.44.8.31/24",
        "gateway": "10.44.8.1",
        "east": "+01:00",
        "summer": "3/5/0 02:00 10/5/0 03:00 60",
        "banner": "Kettlestone Valley Railway. Staff only; sessions are recorded, and read.",
    }
    there = datetime.datetime.now(zoneinfo.ZoneInfo("Europe/Vienna")).replace(tzinfo=None)
    assert abs(datetime.datetime.now() + device.ahead - there) < datetime.timedelta(seconds=90)
    assert device.lost > 0, "its line did lose what came too fast"
