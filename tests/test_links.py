"""Links: bytes both ways, and every foreign error translated into a sentence of ours."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncIterator, Awaitable, Callable

import asyncssh
import pytest

from tests.conftest import Practice
from zinger.link import (
    AuthRefused,
    Link,
    LinkError,
    LiveDialer,
    Refused,
    Unreachable,
    Yard,
    YardDialer,
    YardError,
    open_ssh,
    open_tcp,
    open_telnet,
)

Serve = Callable[[Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]], Awaitable[int]]


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
        serve: Serve, opener: Callable[[str, int, str], Awaitable[Link]]) -> None:
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
        for opening in (open_tcp("127.0.0.1", port, "the console"), open_telnet("127.0.0.1", port, "the console"),
                        open_ssh("127.0.0.1", port, "a", "b", "the console")):
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
        await open_ssh("127.0.0.1", await serve(server), "a", "b", "the device")


async def test_ssh_signs_in_by_password_only_and_tells_a_refusal_apart() -> None:
    class Door(asyncssh.SSHServer):
        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            return password == "right"

    async def shell(process: asyncssh.SSHServerProcess[bytes]) -> None:
        process.stdout.write(b"<sw : look> ")
        process.stdout.write(await process.stdin.read(4))
        process.exit(0)

    server = await asyncssh.listen("127.0.0.1", 0, server_factory=Door, process_factory=shell, encoding=None,
                                   line_editor=False, server_host_keys=[asyncssh.generate_private_key("ssh-ed25519")])
    port = server.sockets[0].getsockname()[1]
    with pytest.raises(AuthRefused, match="sign-in of ada was refused"):
        await open_ssh("127.0.0.1", port, "ada", "wrong", "ssh")
    link = await open_ssh("127.0.0.1", port, "ada", "right", "ssh")
    assert link.host_key.fingerprint.startswith("SHA256:")
    heard = Heard(link)
    link.write(b"tell")
    await asyncio.wait_for(heard.lost, 5)
    assert heard.data == b"<sw : look> tell"
    server.close()


@pytest.mark.parametrize(("console", "words"), [
    ("", "the plan names no console"), ("ttyS0", "is no console"), ("telnet://host", "is no console"),
    ("telnet://127.0.0.1:99999", "is no console"), ("http://127.0.0.1:80", "is no console"),
])
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
