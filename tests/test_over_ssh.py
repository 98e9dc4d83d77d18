"""A device that is spoken to over SSH only, on loopback: it moves, it restarts, and others can take its place.

Its family is written from the documentation alone.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import asyncssh
import pytest

from tests.conftest import program
from zinger.link.dial import LiveDialer
from zinger.run.hands import Act, Verb
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.folder import JobFolder

OLD, NEW, LATER = "192.0.2.1", "10.44.8.9", "10.44.8.19"
HERE = {OLD: "127.0.0.1", NEW: "127.0.0.9", LATER: "127.0.0.19"}
FAMILY = r"""
family: fennel-r1
title: Fennel R1
kind: router
factory:
  reach: by SSH at the address of its carton
  sign_in: {user: first, password: on-the-lid}
  boots_in: 2 s
limits: {password: {shortest: 8}}
not_for_this_kind: [management.gateway]
proved_over: [services.ssh]
home: desk
refusals: ['^not done: (?P<why>.+)$']
identity: {serial: serial}
places:
  desk: {prompt: '^(?P<hostname>\S+) desk, say: '}
moves: []
settings:
  accounts.administrator:
    at: desk
    send: 'admit {{ value.name }} with {{ value.secret }}'
    read: admitted
    shows: '{{ value.name }}'
    holds: among others
  hostname: {at: desk, send: 'be called {{ value }}', read: name, undo: 'be called {{ before }}'}
  management.address:
    at: desk
    send: 'live at {{ value.ip }} len {{ value.network.prefixlen }}'
    effect: link moves
    confirm: {at: desk, send: stay, within: 20 s, from: new session}
    read: address
    shows: '{{ value.ip }}/{{ value.network.prefixlen }}'
  services.ssh: {read: ssh, shows: '{{ value | flag("on", "off") }}'}
readings:
  all:
    at: desk
    ask: what is so
    startup: what is kept
    take:
      ssh: '^signed in to over the network (?P<value>on|off)$'
      serial: '^serial (?P<value>\S+)$'
      name: '^called (?P<value>\S+)$'
      address: {line: '^lives at (?P<ip>\S+) len (?P<len>\d+)$', value: '{{ ip }}/{{ len }}'}
      admitted: '^admits (?P<value>\S+)$'
save: {at: desk, send: keep all}
restart: {at: desk, send: begin again, effect: restarts}
"""
JOB = """
job: Kettlestone Valley Railway
mode: live
baseline:
  accounts: {administrator: {name: kettle-admin, secret: each device}}
  services: {ssh: on}
sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24}}
"""


@dataclass
class Fennel:
    """The device: one SSH door at the address it lives at, on a port of its own."""

    port: int = 0
    key: Any = field(default_factory=lambda: asyncssh.generate_private_key("ssh-ed25519"))
    away: float = 3.0
    keeps_up: bool = False
    """Whether it only says that it begins again, and stays up."""
    stays: bool = False
    """Whether it only says that it moves."""
    serial: str = "FNL-1"
    wrong: int = 0

    def __post_init__(self) -> None:
        self.factory = {"called": "fennel", "lives at": f"{OLD} len 24"}
        self.running, self.kept = dict(self.factory), dict(self.factory)
        self.accounts = {"first": "on-the-lid"}
        self.kept_accounts = dict(self.accounts)
        self.opened: Any = None
        self.sessions: set[Any] = set()
        self.goes_back: asyncio.TimerHandle | None = None
        self.tasks: set[asyncio.Task[None]] = set()

    async def open(self) -> None:
        fennel = self

        class Door(asyncssh.SSHServer):
            def connection_made(self, conn: Any) -> None:
                self.conn = conn
                fennel.sessions.add(conn)

            def connection_lost(self, exc: Exception | None) -> None:
                fennel.sessions.discard(self.conn)

            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, password: str) -> bool:
                good = fennel.accounts.get(username) == password
                fennel.wrong += not good
                return good

        host = HERE[self.running["lives at"].split()[0]]
        self.opened = await asyncssh.listen(
            host, self.port, server_factory=Door, server_host_keys=[self.key], process_factory=self.serve
        )
        self.port = self.opened.sockets[0].getsockname()[1]

    def shut(self) -> None:
        self.opened.close()
        for session in tuple(self.sessions):
            session.abort()

    def soon(self, work: Any) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self.tasks.add(task)
        task.add_done_callback(self.tasks.discard)

    async def move(self, to: str) -> None:
        await asyncio.sleep(0.3)
        self.shut()
        self.running["lives at"] = to
        await self.open()

    async def boot(self) -> None:
        await asyncio.sleep(0.2)
        self.shut()
        await asyncio.sleep(self.away)
        self.running, self.accounts = dict(self.kept), dict(self.kept_accounts)
        await self.open()

    async def serve(self, process: Any) -> None:
        try:
            while True:
                process.stdout.write(f"{self.running['called']} desk, say: ")
                said = (await process.stdin.readline()).strip()
                for line in self.answer(said.split()):
                    process.stdout.write(line + "\n")
        except (asyncssh.Error, BrokenPipeError):
            return

    def answer(self, words: list[str]) -> list[str]:
        match words:
            case ["what", "is", which]:
                state = self.running if which == "so" else self.kept
                accounts = self.accounts if which == "so" else self.kept_accounts
                told = [f"{what} {value}" for what, value in state.items()]
                return [
                    f"serial {self.serial}",
                    "signed in to over the network on",
                    *told,
                    *(f"admits {name}" for name in accounts),
                ]
            case ["be", "called", name]:
                self.running["called"] = name
            case ["admit", name, "with", secret]:
                self.accounts[name] = secret
                self.accounts.pop("first", None)
            case ["live", "at", *rest]:
                before = self.running["lives at"]
                loop = asyncio.get_running_loop()
                self.goes_back = loop.call_later(20, lambda: self.soon(self.move(before)))
                if not self.stays:
                    self.soon(self.move(" ".join(rest)))
            case ["stay"]:
                if self.goes_back is not None:
                    self.goes_back.cancel()
            case ["keep", "all"]:
                self.kept, self.kept_accounts = dict(self.running), dict(self.accounts)
            case ["begin", "again"]:
                if not self.keeps_up:
                    self.soon(self.boot())
            case []:
                pass
            case _:
                return ["not done: nobody knows these words"]
        return []


@pytest.fixture
async def fennel() -> AsyncIterator[Fennel]:
    made = Fennel()
    await made.open()
    yield made
    made.opened.close()


@pytest.fixture
def job(tmp_path: Path, fennel: Fennel) -> Path:
    (tmp_path / "phrasebooks").mkdir()
    (tmp_path / "phrasebooks" / "fennel-r1.yaml").write_text(FAMILY)
    (tmp_path / "job.yaml").write_text(JOB)
    (tmp_path / "devices.csv").write_text(
        f"site,hostname,family,address,serial,console\nwj,kvr-wj-rt1,fennel-r1,{NEW},FNL-1,ssh://{OLD}:{fennel.port}\n"
    )
    return tmp_path


@pytest.fixture(autouse=True)
def loopback(monkeypatch: pytest.MonkeyPatch) -> None:
    """As the yard's dialer does it: planned addresses are never dialled, loopback stands for them."""

    async def where(self: LiveDialer, address: str, port: int) -> tuple[str, int]:
        return HERE[address], port

    monkeypatch.setattr(LiveDialer, "where", where)


async def carried(folder: Path, fennel: Fennel, **options: Any) -> str:
    """Carry the job to its end, with hands that do at once what they are asked; returns the device's sentence."""
    job = OpenJob(JobFolder(folder))
    run = Run(job, Options(**options))

    async def at_once(act: Act) -> None:
        if act.verb is Verb.POWER_CUT:
            fennel.soon(fennel.boot())
            await asyncio.sleep(1)

    run.hands.helper = at_once
    await run.start()
    try:
        await asyncio.wait_for(run.wait(), 90)
    finally:
        await run.stop()
    return job.board.lines["kvr-wj-rt1"].sentence


async def test_hands_are_answered_at_another_terminal_or_ahead(job: Path, fennel: Fennel) -> None:
    opened = OpenJob(JobFolder(job))
    run = Run(opened, Options(power_cut=False, hands_within=60))
    await run.start()
    try:
        while not run.hands.asked:
            await asyncio.sleep(0.05)
        listed = await asyncio.to_thread(program, "hands", job)
        assert "  1  give this laptop the address 10.44.8." in listed.stdout, listed.stdout + listed.stderr
        wrong = await asyncio.to_thread(program, "hands", job, "--done", "2")
        assert wrong.returncode == 2 and "there is no such act" in wrong.stderr
        assert "done)" in (await asyncio.to_thread(program, "hands", job, "--done", "1")).stdout
        await asyncio.wait_for(run.wait(), 60)
    finally:
        await run.stop()
    assert opened.board.lines["kvr-wj-rt1"].sentence.startswith("proved")
    assert "no run of this job is going on" in (await asyncio.to_thread(program, "hands", job)).stderr
    ahead = Run(OpenJob(JobFolder(job)), Options(power_cut=False, hands_within=0, hands_done=True))
    await ahead.start()
    await asyncio.wait_for(ahead.wait(), 60)
    await ahead.stop()
    assert ahead.proved() == ["kvr-wj-rt1"]


async def test_it_moves_restarts_loses_power_and_is_proved_on_its_own_port(job: Path, fennel: Fennel) -> None:
    sentence = await carried(job, fennel, restart=True)
    assert sentence.startswith("proved"), sentence
    assert fennel.kept == {"called": "kvr-wj-rt1", "lives at": f"{NEW} len 24"}
    names = {line.split()[0] for line in (job / "known_hosts").read_text().splitlines()}
    assert names == {"kvr-wj-rt1", f"[{NEW}]:{fennel.port}"}
    assert fennel.wrong <= 2, "the factory login is refused once, and no password is tried over and over"


async def test_it_is_found_where_it_stood_when_another_address_is_planned(job: Path, fennel: Fennel) -> None:
    assert (await carried(job, fennel, power_cut=False)).startswith("proved")
    sheet = job / "devices.csv"
    sheet.write_text(sheet.read_text().replace(NEW, LATER))
    sentence = await carried(job, fennel, power_cut=False)
    assert sentence.startswith("proved"), sentence
    assert fennel.kept["lives at"] == f"{LATER} len 24"


async def test_who_answers_at_the_new_address_with_another_key_gets_no_password(job: Path, fennel: Fennel) -> None:
    stranger = Fennel(fennel.port)
    stranger.running["lives at"] = f"{NEW} len 24"
    await stranger.open()
    fennel.stays = True  # its new address is another's already
    sentence = await carried(job, fennel, power_cut=False)
    stranger.opened.close()
    assert sentence.startswith("needs you") and "no password was sent" in sentence, sentence
    assert stranger.wrong == 0 and "first" in fennel.kept_accounts


async def test_a_restart_that_was_not_seen_proves_nothing(
    job: Path, fennel: Fennel, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zinger.run.stages.restarts.GOES_DOWN", 2.0)
    fennel.keeps_up = True
    assert "No restart was seen" in await carried(job, fennel, restart=True, power_cut=False)


async def test_another_device_behind_the_planned_address_is_told(job: Path, fennel: Fennel) -> None:
    """Its console leads to the right one; whoever answers from the network is asked for the serial number too."""
    (job / "devices.csv").write_text((job / "devices.csv").read_text().replace("FNL-1", "FNL-2"))
    assert "Wrong device: serial FNL-1" in await carried(job, fennel, power_cut=False)
