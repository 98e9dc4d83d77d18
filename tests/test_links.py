"""Links: bytes both ways, and every foreign error translated into a sentence of ours."""

from __future__ import annotations

import asyncio
import json
import os
import pty
import select
import socket
import sys
import termios
import threading
import tty
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import asyncssh
import pytest

from tests.conftest import Practice
from zinger.link.base import AuthRefused, Link, LinkError, Refused, Unreachable
from zinger.link.dial import LiveDialer
from zinger.link.hostkeys import HostKeys
from zinger.link.serial import find_settings
from zinger.link.ssh import Endpoint, open_ssh
from zinger.link.tcp import open_tcp, open_telnet
from zinger.link.yard import Yard, YardDialer, YardError
from zinger.plan.files.jobfile import read_job
from zinger.plan.resolve import resolve
from zinger.plan.values.secrets import SecretRef
from zinger.run.leaselists import lease_lists
from zinger.store.vault import Vault

Serve = Callable[[Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]], Awaitable[int]]

HERE = Endpoint("127.0.0.1")


@pytest.fixture
async def serve() -> AsyncIterator[Serve]:
    """Serves a handler on a loopback port."""
    servers: list[asyncio.Server] = []

    async def start(handler: Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]) -> int:
        servers.append(await asyncio.start_server(handler, "127.0.0.1", 0))
        return int(servers[-1].sockets[0].getsockname()[1])

    yield start
    for server in servers:
        server.close()


class Heard:
    """Collects what a link brings."""

    def __init__(self, link: Link) -> None:
        self.data, self.lost = b"", asyncio.get_running_loop().create_future()
        link.attach(self._more, self.lost.set_result)

    def _more(self, data: bytes) -> None:
        self.data += data


@pytest.mark.parametrize("opener", [open_tcp, open_telnet])
async def test_bytes_go_both_ways_and_the_end_is_told(
    serve: Serve, opener: Callable[[str, int, str], Awaitable[Link]]
) -> None:
    async def echo(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(b"early ")
        writer.write((await reader.readexactly(4)).upper())
        writer.close()

    link = await opener("127.0.0.1", await serve(echo), "test")
    await asyncio.sleep(0.05)
    link.write(b"ping")
    heard = Heard(link)
    assert await asyncio.wait_for(heard.lost, 5)
    assert heard.data == b"early PING"
    link.write(b"into the void")


async def test_telnet_commands_never_reach_the_conversation(serve: Serve) -> None:
    """RFC 854: IAC sequences are the protocol's; IAC IAC is a byte of data."""

    async def server(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(b"\xff\xfb\x01\xff\xfb\x03who is \xff\xf1there\xff\xff? ")
        await writer.drain()
        await reader.read(100)
        writer.close()

    heard = Heard(await open_telnet("127.0.0.1", await serve(server), "test"))
    await asyncio.wait_for(heard.lost, 5)
    assert heard.data == b"who is there\xff? "


async def test_nobody_listens() -> None:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        port = held.getsockname()[1]
        for opening in (
            open_tcp("127.0.0.1", port, "the console"),
            open_telnet("127.0.0.1", port, "the console"),
            open_ssh("127.0.0.1", port, "a", "b", "the console", HERE),
        ):
            with pytest.raises(Refused, match="the console: nobody listens there"):
                await opening
        assert await LiveDialer().probe("127.0.0.1", port) is False


async def test_a_name_that_is_none_is_unreachable() -> None:
    with pytest.raises(Unreachable, match="the console"):
        await open_tcp("no-such-host.invalid", 1, "the console")


async def test_something_else_answers_where_ssh_should(serve: Serve) -> None:
    async def server(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(b"220 mail\r\n" * 200)
        writer.close()

    with pytest.raises(LinkError, match="the device"):
        await open_ssh("127.0.0.1", await serve(server), "a", "b", "the device", HERE)


async def test_ssh_signs_in_by_password_only_and_tells_a_refusal_apart() -> None:
    class Door(asyncssh.SSHServer):
        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            return password == "right"

    async def shell(process: asyncssh.SSHServerProcess[bytes]) -> None:
        process.stdout.write(b"sw in look, do: ")
        process.stdout.write(await process.stdin.read(4))
        process.exit(0)

    server = await asyncssh.listen(
        "127.0.0.1",
        0,
        server_factory=Door,
        process_factory=shell,
        encoding=None,
        line_editor=False,
        server_host_keys=[asyncssh.generate_private_key("ssh-ed25519")],
    )
    port = server.sockets[0].getsockname()[1]
    with pytest.raises(AuthRefused, match="sign-in of ada was refused"):
        await open_ssh("127.0.0.1", port, "ada", "wrong", "ssh", HERE)
    link = await open_ssh("127.0.0.1", port, "ada", "right", "ssh", HERE)
    assert link.host_key.fingerprint.startswith("SHA256:")
    heard = Heard(link)
    link.write(b"tell")
    await asyncio.wait_for(heard.lost, 5)
    assert heard.data == b"sw in look, do: tell"
    server.close()


@pytest.mark.parametrize(
    ("console", "words"),
    [
        ("", "the plan names no console"),
        ("ttyS0", "is not a console"),
        ("telnet://host", "is not a console"),
        ("telnet://127.0.0.1:99999", "is not a console"),
        ("http://127.0.0.1:80", "is not a console"),
    ],
)
async def test_a_console_column_that_is_none(console: str, words: str) -> None:
    with pytest.raises(LinkError, match=words):
        await LiveDialer().console("sw1", console)


async def test_the_yards_dialer_reaches_what_a_laptop_there_could(practice: Practice) -> None:
    dialer = YardDialer(practice.yard)
    with pytest.raises(YardError, match="no console cable"):
        await dialer.console(practice.device, "")
    with pytest.raises(Unreachable, match="no address in the subnet"):
        await dialer.probe("198.51.100.7", 23)
    await practice.on()
    await practice.yard.ask("laptop", address="198.51.100.9/24")
    while True:
        try:
            assert await dialer.probe("198.51.100.7", 23) is True
            break
        except Unreachable:
            await asyncio.sleep(0.02)
    assert await dialer.probe("198.51.100.7", 22) is False
    (await dialer.console(practice.device, "")).close()


async def test_a_yard_that_is_gone_is_a_sentence(tmp_path: object) -> None:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        with pytest.raises(YardError, match="not there any more"):
            await Yard(held.getsockname()[1]).ask("status")


@pytest.mark.parametrize(
    "says", [b"HTTP/1.1 400 Bad Request\r\n\r\n", b"[]\n", b"{}\n", b'{"ok": 1', b"", b"x" * 200_000]
)
async def test_a_stranger_at_the_yards_port_is_told_from_a_yard(says: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    """A file that an older yard left behind can name a port that is somebody else's by now."""
    monkeypatch.setattr("zinger.link.yard.ANSWERS_WITHIN", 0.1)

    async def stranger(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.readline()
        writer.write(says)
        await asyncio.sleep(0.3)
        writer.close()

    server = await asyncio.start_server(stranger, "127.0.0.1", 0)
    with pytest.raises(YardError, match=r"is not the practice yard|not there any more"):
        await Yard(server.sockets[0].getsockname()[1], "t").ask("status")
    server.close()


async def test_a_yard_answers_only_who_has_its_token(practice: Practice) -> None:
    for token in ("", "0" * 32):
        with pytest.raises(YardError, match="this yard is another job's"):
            await Yard(practice.yard.port, token).ask("status")


async def test_an_answer_nobody_waited_for_is_not_taken_for_the_next_one() -> None:
    """Who gives up in mid-question leaves its answer under way: another device's place must not be read from it."""
    late = asyncio.Event()

    async def yard(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while line := await reader.readline():
            asked = json.loads(line)["address"]
            if asked == "192.0.2.1":
                await late.wait()
            writer.write(json.dumps({"ok": True, "host": asked, "port": 1}).encode() + b"\n")
        writer.close()

    async with await asyncio.start_server(yard, "127.0.0.1", 0) as server:
        dialer = YardDialer(Yard(server.sockets[0].getsockname()[1], "t"))
        with pytest.raises(TimeoutError):
            await asyncio.wait_for(dialer.where("192.0.2.1", 22), 0.1)
        late.set()
        assert await dialer.where("192.0.2.2", 22) == ("192.0.2.2", 1)
        dialer.yard.close()


# -- serial lines -------------------------------------------------------------------------------------
class FarEnd(threading.Thread):
    """A device on the other side of a pseudo-terminal: it prompts at each Return, legible at its own speed only."""

    def __init__(self, speed: int = termios.B115200) -> None:
        super().__init__(daemon=True)
        self.parent, self.child = pty.openpty()
        tty.setraw(self.child)
        self.path = os.ttyname(self.child)
        self.speed, self.closing = speed, False
        self.heard = b""
        self.start()

    def run(self) -> None:
        while not self.closing:
            if select.select([self.parent], [], [], 0.05)[0]:
                data = os.read(self.parent, 1024)
                self.heard += data
                os.write(self.parent, self._as_heard(b"\r\nsw in base, do: " if b"\r" in data else data))
        os.close(self.parent)
        os.close(self.child)

    def _as_heard(self, shown: bytes) -> bytes:
        """What comes out of a UART that is set otherwise than ours: noise."""
        if termios.tcgetattr(self.child)[4] == self.speed:
            return shown
        return bytes((byte * 7) % 256 | 0x80 for byte in shown[::2])

    def close(self) -> None:
        self.closing = True
        self.join()


@pytest.fixture
def far_end() -> Iterator[Callable[..., FarEnd]]:
    made: list[FarEnd] = []

    def make(*args: Any) -> FarEnd:
        made.append(FarEnd(*args))
        return made[-1]

    yield make
    for far in made:
        far.close()


async def until(done: Callable[[], object], seconds: float = 5) -> None:
    end = asyncio.get_running_loop().time() + seconds
    while not done():
        assert asyncio.get_running_loop().time() < end, "it never came"
        await asyncio.sleep(0.01)


async def test_a_serial_line_carries_bytes_both_ways_and_tells_its_end(far_end: Callable[..., FarEnd]) -> None:
    far = far_end()
    link = await LiveDialer().console("sw1", f"serial://{far.path}", "115200 8N1")
    heard = Heard(link)
    link.write(b"tell\r")
    await until(lambda: b"sw in base, do: " in heard.data)
    assert far.heard == b"tell\r"
    far.close()
    assert "the port is gone" in await asyncio.wait_for(heard.lost, 5)
    link.close()


@pytest.mark.parametrize(
    ("speed", "wanted"), [(termios.B115200, "115200 8N1"), (termios.B9600, "9600 8N1"), (termios.B38400, "38400 8N1")]
)
async def test_the_speed_is_found_by_listening(far_end: Callable[..., FarEnd], speed: int, wanted: str) -> None:
    found = await find_settings(far_end(speed).path, patience=0.5)  # a busy machine
    assert found is not None and str(found[0]) == wanted and "sw in base, do: " in found[1]


async def test_no_port_a_wrong_setting_and_a_silent_one_are_sentences(tmp_path: Path) -> None:
    with pytest.raises(LinkError, match="No such file"):
        await LiveDialer().console("sw1", f"serial://{tmp_path}/none", "9600 8N1")
    with pytest.raises(LinkError, match="Write them like 9600 8N1"):
        await LiveDialer().console("sw1", "serial:///dev/null?fast", "")
    parent, child = pty.openpty()
    assert await find_settings(os.ttyname(child), patience=0.02) is None
    os.close(parent)
    os.close(child)


# -- a local command ----------------------------------------------------------------------------------
async def test_a_command_is_a_line_and_its_end_is_told() -> None:
    commands = {"lab": f"{sys.executable} -c 'print(input(\"who? \"))'", "none": "/no/such/program"}
    link = await LiveDialer(commands=commands).console("sw1", "command:lab")
    heard = Heard(link)
    await until(lambda: b"who? " in heard.data)
    link.write(b"kettle\n")
    assert await asyncio.wait_for(heard.lost, 5) == "the command ended"
    assert heard.data.count(b"kettle") == 2
    with pytest.raises(LinkError, match="can't be started"):
        await LiveDialer(commands=commands).console("sw1", "command:none")
    with pytest.raises(LinkError, match="has no command called"):
        await LiveDialer().console("sw1", f"command:{sys.executable}")


# -- SSH: pinned keys, questions, old boxes -----------------------------------------------------------
class _Door(asyncssh.SSHServer):
    asks = False

    def password_auth_supported(self) -> bool:
        return not self.asks

    def validate_password(self, username: str, password: str) -> bool:
        return password == "right"

    def kbdint_auth_supported(self) -> bool:
        return self.asks

    def get_kbdint_challenge(self, username: str, lang: str, submethods: str) -> Any:
        return "", "", "", [("Code of the day: ", False)]

    def validate_kbdint_response(self, username: str, responses: Any) -> bool:
        return list(responses) == ["right"]


async def ssh_server(asks: bool = False, **options: Any) -> tuple[asyncssh.SSHAcceptor, int]:
    door = type("Door", (_Door,), {"asks": asks})

    async def shell(process: Any) -> None:
        process.stdout.write("sw in base, do: ")
        await process.stdin.read(1)

    options.setdefault("server_host_keys", [asyncssh.generate_private_key("ssh-ed25519")])
    server = await asyncssh.listen("127.0.0.1", 0, server_factory=door, process_factory=shell, **options)
    return server, server.sockets[0].getsockname()[1]


async def test_a_host_key_is_pinned_at_first_sight_and_another_is_refused(tmp_path: Path) -> None:
    keys, here = HostKeys(tmp_path / "known_hosts"), Endpoint("10.44.8.11", known_as=("kvr-wj-rt9", "10.44.8.11"))
    server, port = await ssh_server()
    first = await open_ssh("127.0.0.1", port, "u", "right", "ssh", here, keys)
    assert first.first_sight and first.host_key.fingerprint.startswith("SHA256:")
    again = await open_ssh("127.0.0.1", port, "u", "right", "ssh", here, HostKeys(tmp_path / "known_hosts"))
    assert not again.first_sight
    assert (tmp_path / "known_hosts").read_text().startswith("10.44.8.11 ssh-ed25519 AAAA")
    server.close()
    other, port = await ssh_server()
    with pytest.raises(LinkError, match="not the one that was pinned"):
        await open_ssh("127.0.0.1", port, "u", "right", "ssh", here, HostKeys(tmp_path / "known_hosts"))
    other.close()


async def test_a_password_is_given_at_a_question_and_old_key_exchange_only_when_asked() -> None:
    server, port = await ssh_server(asks=True)
    (await open_ssh("127.0.0.1", port, "u", "right", "ssh", HERE)).close()
    with pytest.raises(AuthRefused):
        await open_ssh("127.0.0.1", port, "u", "wrong", "ssh", HERE)
    server.close()
    server, port = await ssh_server(kex_algs=["diffie-hellman-group1-sha1"])
    with pytest.raises(LinkError):
        await open_ssh("127.0.0.1", port, "u", "right", "ssh", HERE)
    (await open_ssh("127.0.0.1", port, "u", "right", "ssh", Endpoint("127.0.0.1", old=True))).close()
    server.close()


async def test_a_wrong_password_counts_once_though_two_methods_are_offered() -> None:
    tried: list[str] = []

    class Both(_Door):
        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            tried.append("password")
            return False

        def kbdint_auth_supported(self) -> bool:
            return True

        def validate_kbdint_response(self, username: str, responses: Any) -> bool:
            tried.append("questions")
            return False

    key = asyncssh.generate_private_key("ssh-ed25519")
    server = await asyncssh.listen("127.0.0.1", 0, server_factory=Both, server_host_keys=[key])
    with pytest.raises(AuthRefused):
        await open_ssh("127.0.0.1", server.sockets[0].getsockname()[1], "u", "wrong", "ssh", HERE)
    server.close()
    assert len(tried) == 1, tried


async def test_a_break_goes_over_telnet_and_not_over_raw_tcp(serve: Serve) -> None:
    got = bytearray()

    async def listen(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while data := await reader.read(100):
            got.extend(data)

    port = await serve(listen)
    link = await open_telnet("127.0.0.1", port, "t")
    link.send_break()
    await until(lambda: b"\xff\xf3" in got)
    link.close()
    with pytest.raises(LinkError, match="carries no break"):
        (await open_tcp("127.0.0.1", port, "t")).send_break()


async def test_a_lease_list_on_a_server_is_read_by_its_entry_of_the_vault_and_its_host_key_pinned(
    tmp_path: Path,
) -> None:
    (tmp_path / "served").mkdir()
    (tmp_path / "served/leases").write_text("0 02:4b:56:71:44:02 10.44.16.50 p1 *\n" * 3)
    server, port = await ssh_server(sftp_factory=partial(asyncssh.SFTPServer, chroot=str(tmp_path / "served")))
    job, vault, keys = "job: t\nmode: live\n", Vault(tmp_path / "vault.age"), HostKeys(tmp_path / "known_hosts")
    source = f"ssh://ada@127.0.0.1:{port}/leases"
    plan = resolve(read_job(f"{job}leases: [{source}]\n"), [], {})
    lists = lease_lists((), plan, tmp_path, vault, keys)
    with pytest.raises(LinkError, match="enter it: zinger secret JOB ada@127"):
        await lists.of("02-4b-56-71-44-02")
    vault.put({SecretRef("ada@127.0.0.1"): "right"})
    assert [lease.address for lease in await lists.of("02-4b-56-71-44-02")] == ["10.44.16.50"]
    assert f"[127.0.0.1]:{port} " in (tmp_path / "known_hosts").read_text()
    with pytest.raises(LinkError, match="/none can't be read"):
        await lease_lists([source.replace("leases", "none")], plan, tmp_path, vault, keys).of("02-4b-56-71-44-02")
    server.close()


@pytest.mark.parametrize("named", ["/etc/shadow", "../leases", "~/x", "http://a@b/c", "ssh://b/c", "{a: b}"])
def test_a_job_names_lease_lists_of_its_own_folder_or_of_a_server_only(named: str) -> None:
    problems = read_job(f"job: t\nleases: [{named}]\n").problems
    assert [p.id for p in problems] == ["job-shape"] and "is not a lease list" in problems[0].what
