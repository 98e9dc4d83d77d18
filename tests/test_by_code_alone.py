"""A device that only its console tells of: a code lets in, its prompt counts, nothing of it is on the network."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from pathlib import Path

import pytest

from tests.conftest import program
from zinger.plan.values.secrets import SecretRef
from zinger.run.memory import Memory, credentials
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder
from zinger.store.vault import Vault

FAMILY = r"""
family: morrow-3
title: Morrow 3
kind: crossing monitor
factory: {console: 38400 8N1, boots_in: 6 s, sign_in: {user: '', password: '0000'}}
limits: {hostname: {longest: 24, of: '[a-z0-9-]'}, password: {shortest: 8, longest: 32, classes: [letter, digit]}}
takes: []
proved_over: []
not_for_this_kind: [accounts.administrator]
typing: {enter: enter, cancel: ctrl-u}
home: main
boot: ['^MORROW 3 monitor']
noise: ['^\*\*\* track \d+ occupied \*\*\*$']
refusals: ['^\?\? .*$', '^code is wrong$']
identity: {serial: serial}
places:
  secret: {asks: 'access code: ', asks_for: password, blind: true}
  renew:  {asks: 'new code: ', asks_for: new password, blind: true}
  main:   {prompt: '^\d+ (?P<hostname>\S+) ready \? '}
moves:
  - {from: secret, to: [main, renew, secret]}
  - {from: renew, send: '{{ new_password }}', to: [main, renew]}
settings:
  hostname: {at: main, send: 'let name {{ value }}', undo: 'let name {{ before }}', read: name}
readings:
  all: {at: main, ask: tell, take: {name: '^name +: (?P<value>\S+)$', serial: '^serial +: (?P<value>\S+)$'}}
save: {at: main, send: store, expect: '^stored$'}
"""


class Monitor:
    """Speaks on a socket as such a device does on its serial port."""

    def __init__(self) -> None:
        self.name, self.code, self.stored, self.wrong = "morrow", "0000", False, 0

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        async def line(echo: bool) -> str:
            words = b""
            while (char := await reader.readexactly(1)) != b"\r":
                words = b"" if char == b"\x15" else words + char
                writer.write(char if echo and char != b"\x15" else b"")
            writer.write(b"\r\n*** track 2 occupied ***\r\n")
            return words.decode()

        def ask(text: str) -> None:
            writer.write(text.encode())

        ask("access code: ")
        while (code := await line(False)) != self.code:
            self.wrong += bool(code)
            ask("code is wrong\r\naccess code: " if code else "access code: ")
        while self.code == "0000":
            ask("new code: ")
            code = await line(False)
            self.code = code if len(code) >= 8 else "0000"
        count = 0
        while True:
            count += 1
            ask(f"{count:02} {self.name} ready ? ")
            words = await line(True)
            if words.startswith("let name "):
                self.name = words.removeprefix("let name ")
            elif words == "store":
                self.stored = True
                ask("stored\r\n")
            elif words == "tell":
                ask(f"name     : {self.name}\r\nserial   : MW3-0077\r\n")
            elif words:
                ask("?? nothing that I know\r\n")


@pytest.fixture
async def monitor() -> AsyncIterator[tuple[Monitor, int]]:
    made = Monitor()
    server = await asyncio.start_server(made.serve, "127.0.0.1", 0)
    yield made, server.sockets[0].getsockname()[1]
    server.close()


async def test_it_is_let_in_by_its_code_told_and_saved_and_nothing_is_asked_of_the_network(
    monitor: tuple[Monitor, int], tmp_path: Path
) -> None:
    device, port = monitor
    (tmp_path / "phrasebooks").mkdir()
    (tmp_path / "phrasebooks" / "morrow-3.yaml").write_text(FAMILY)
    (tmp_path / "job.yaml").write_text(
        "job: Crossings\nmode: live\nsites:\n  wj: {name: Mile Four, subnet: 10.44.8.0/24}\n"
    )
    row = f"wj,kvr-lx1,Morrow 3,10.44.8.77,MW3-0077,tcp://127.0.0.1:{port}"
    (tmp_path / "devices.csv").write_text(f"site,hostname,family,address,serial,console\n{row}\n")
    opened = OpenJob(JobFolder(tmp_path))
    known = credentials(opened.plan.device("kvr-lx1"), opened.books["morrow-3"], Memory())
    assert known[0] == ("", SecretRef("factory/morrow-3")), "no name, but a code"
    done = await asyncio.to_thread(program, "run", tmp_path, "--headless", "--no-power-cut", "--json")
    assert done.returncode == 1, done.stdout + done.stderr
    told = json.loads(done.stdout)["devices"][0]
    assert told["state"].startswith("configured · owes") and not told["needs_you"], "no hands were asked for"
    secret = Vault(tmp_path / "vault.age").get(SecretRef("kvr-lx1/factory account"))
    assert (device.name, device.stored, device.wrong, device.code) == ("kvr-lx1", True, 0, secret)
    again = await asyncio.to_thread(program, "prove", tmp_path, "--json")
    assert again.returncode == 1 and device.wrong == 0, "the code that was chosen lets in at once"
    written = b"".join(file.read_bytes() for file in tmp_path.rglob("*") if file.is_file())
    assert secret.encode() not in written
