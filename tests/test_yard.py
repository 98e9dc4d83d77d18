"""The yard's switch by itself: it behaves as hardware does, whatever anybody expects of it."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncIterator, Callable

import asyncssh
import pytest

from zinger.practice.core.box import Body
from zinger.practice.core.clock import Clock
from zinger.practice.core.tty import Tty
from zinger.practice.core.wire import Uart
from zinger.practice.core.yard import No, Yard
from zinger.practice.families import FAMILIES

NEW = "a-new-secret-1"


class Bench:
    """A switch on a bench with a terminal on its console."""

    def __init__(self, yard: Yard) -> None:
        self.yard = yard
        self.switch = yard.boxes["sw1"]
        self.shown = ""
        self.tty = Tty(self._show, self.switch.uart)

    def _show(self, data: bytes) -> None:
        self.shown += data.decode()

    async def until(self, text: str, seconds: float = 5) -> str:
        """Wait until a text was shown; returns all up to it and forgets that."""
        end = asyncio.get_running_loop().time() + seconds
        while text not in self.shown:
            assert asyncio.get_running_loop().time() < end, f"{text!r} never came, only {self.shown[-300:]!r}"
            await asyncio.sleep(0.002)
        before, _, self.shown = self.shown.partition(text)
        return before

    async def type(self, *lines: str, until: str = ", do: ") -> str:
        answer = ""
        for line in lines:
            self.tty.feed(line.encode() + b"\r")
            answer = await self.until(until)
        return answer

    async def boot(self) -> None:
        self.switch.power(True)
        await self.until("loaded; this console is at rest")
        self.tty.feed(b"\r")
        await self.until("who is there? ")

    async def sign_in(self, user: str, secret: str) -> None:
        self.tty.feed(f"{user}\r".encode())
        await self.until(f"secret of {user}: ")
        self.tty.feed(f"{secret}\r".encode())

    async def new(self) -> None:
        """From the box to the base context, with a new secret."""
        await self.boot()
        await self.sign_in("installer", "unpack-me")
        for _ in range(2):
            await self.until(": ")
            self.tty.feed(f"{NEW}\r".encode())
        await self.until("in look, do: ")
        await self.type("take charge")


@pytest.fixture
async def bench() -> AsyncIterator[Bench]:
    clock = Clock(300)
    yard = Yard([Body("sw1", "QS2-1", "02-00-00-00-00-01"), Body("sw2", "QS2-2", "02-00-00-00-00-02")], FAMILIES, clock)
    for switch in yard.boxes.values():
        switch.chatty = False
    bench = Bench(yard)
    bench.switch.cabled = True
    bench.switch.attach(bench.tty)
    yield bench
    for switch in yard.boxes.values():
        switch.power(False)


async def test_first_sign_in_forces_a_new_secret_by_rules(bench: Bench) -> None:
    await bench.boot()
    await bench.sign_in("installer", "wrong")
    await bench.until("not known here")
    await bench.until("who is there? ")
    await bench.sign_in("installer", "unpack-me")
    for bad, why in (
        ("short1", "shorter than 12"),
        ("onlylettersthere", "needs a letter and a digit"),
        ("1" * 50, "longer than 48"),
    ):
        await bench.until("(12 or more): ")
        bench.tty.feed(f"{bad}\r".encode())
        await bench.until(f"refused: {why}")
    await bench.until("(12 or more): ")
    bench.tty.feed(f"{NEW}\r".encode())
    await bench.until("once more for installer: ")
    bench.tty.feed(b"another-one-22\r")
    await bench.until("refused: the two differ")
    await bench.until("(12 or more): ")
    bench.tty.feed(f"{NEW}\r".encode())
    await bench.until("once more for installer: ")
    bench.tty.feed(f"{NEW}\r".encode())
    await bench.until("quern-s2 in look, do: ")


async def test_three_wrong_tries_make_the_line_rest(bench: Bench) -> None:
    await bench.boot()
    for _ in range(3):
        await bench.sign_in("nobody", "x")
        await bench.until("not known here")
    await bench.until("rests for 30 s")
    assert "who is there" not in bench.shown
    await bench.until("who is there? ")


async def test_running_is_lost_and_startup_stays_when_the_power_is_cut(bench: Bench) -> None:
    await bench.new()
    await bench.type("rename before-keep")
    assert bench.switch.unsaved()
    await bench.type("keep", until="yes or no? ")
    await bench.type("yes")
    await bench.type("rename after-keep")
    bench.switch.power(False)
    await bench.boot()
    await bench.sign_in("installer", NEW)
    await bench.until("before-keep in look, do: ")


async def test_levels_contexts_and_refusals(bench: Bench) -> None:
    await bench.new()
    assert "no such word: frobnicate" in await bench.type("frobnicate")
    assert "refused: from here one descends to" in await bench.type("descend nowhere")
    bench.tty.feed(b"descend doors\rdescend ssh\r")
    await bench.until("base/doors/ssh, do: ")
    await bench.type("ascend", "ascend", "descend people")
    bench.tty.feed(b"add watch as watcher\r")
    await bench.until("secret to give watch: ")
    bench.tty.feed(b"\x18")
    assert "left as it was" in await bench.until("people, do: ")
    await bench.type("add watch as watcher", until="secret to give watch: ")
    await bench.type("watchers-secret-1", until="the same again: ")
    await bench.type("watchers-secret-1", "ascend", "step back")
    bench.tty.feed(b"leave\r")
    await bench.until("who is there? ")
    await bench.sign_in("watch", "watchers-secret-1")
    await bench.until("in look, do: ")
    assert "a watcher may not take charge" in await bench.type("take charge")


async def test_the_pager_counts_and_can_be_left(bench: Bench) -> None:
    await bench.new()
    bench.tty.feed(b"tell all\r")
    before = await bench.until(" lines below ..")
    assert "serial .......... QS2-1" in before
    left = int(before.rsplit(" ", 1)[1])
    bench.tty.feed(b"\r")
    await bench.until(f".. {left - 1} lines below ..")
    bench.tty.feed(b"q")
    assert "http" not in await bench.until("in base, do: ")


async def test_a_burst_pushes_the_prompt_away_and_does_not_redraw(bench: Bench) -> None:
    await bench.new()
    bench.tty.feed(b"tell al")
    await bench.until("tell al")
    bench.switch.burst()
    assert bench.shown.startswith("\r\n@") and bench.shown.endswith("\r\n")


async def test_an_overrun_drops_characters(bench: Bench) -> None:
    await bench.new()
    bench.switch.uart.drop_every = 3
    bench.tty.feed(b"abcdefghi")
    await asyncio.sleep(0.01)
    assert len(bench.shown) == 6


async def test_addresses_take_effect_at_once_and_only_a_near_laptop_gets_there(bench: Bench) -> None:
    yard = bench.yard
    await bench.new()
    with pytest.raises(No, match="no address in the subnet"):
        yard.do_dial("198.51.100.7", 22)
    yard.do_laptop("198.51.100.20/24")
    assert yard.do_dial("198.51.100.7", 23)["device"] == "sw1"
    await bench.type("descend mgmt")
    assert "refused: " in await bench.type("address fixed 10.44.8.255 len 24")
    assert "answering on 10.44.8.11" in await bench.type("address fixed 10.44.8.11 len 24")
    with pytest.raises(No, match="nothing answers"):
        yard.do_dial("198.51.100.7", 23)
    assert "refused: 10.44.9.1 is no other host" in await bench.type("gateway 10.44.9.1")
    yard.do_laptop("10.44.8.250/24")
    assert yard.do_dial("10.44.8.11", 23)["port"] == bench.switch.doors["telnet"].port


async def test_a_lease_comes_before_the_fallback_and_two_fallbacks_clash(bench: Bench) -> None:
    yard = bench.yard
    yard.do_laptop("198.51.100.20/24")
    yard.do_laptop("10.44.8.250/24")
    yard.do_lease("sw1", "10.44.8.131/24")
    await bench.boot()
    assert yard.do_dial("10.44.8.131", 23)["device"] == "sw1"
    with pytest.raises(No, match="nothing answers"):
        yard.do_dial("198.51.100.7", 23)
    yard.do_lease("sw1", None)
    await bench.switch.apply_network()
    yard.boxes["sw2"].power(True)
    while not yard.boxes["sw2"].up:
        await asyncio.sleep(0.01)
    with pytest.raises(No, match="2 devices answer"):
        yard.do_dial("198.51.100.7", 23)


async def test_doors_open_and_shut_for_real(bench: Bench) -> None:
    await bench.new()
    doors = bench.switch.doors
    with pytest.raises(ConnectionRefusedError):
        socket.create_connection(("127.0.0.1", doors["ssh"].port), 1)
    await bench.type("descend doors", "descend ssh", "open", "ascend", "descend http", "shut")
    with pytest.raises(ConnectionRefusedError):
        socket.create_connection(("127.0.0.1", doors["http"].port), 1)

    async def sign_in(secret: str) -> str:
        async with asyncssh.connect(
            "127.0.0.1",
            doors["ssh"].port,
            username="installer",
            password=secret,
            known_hosts=None,
            client_keys=None,
            agent_path=None,
            config=None,
        ) as ssh:
            process = await ssh.create_process(term_type="vt100")
            return await process.stdout.readuntil("do: ")

    assert await sign_in(NEW) == "quern-s2 in look, do: "
    with pytest.raises(asyncssh.PermissionDenied):
        await sign_in("unpack-me")


async def test_a_terminal_that_comes_while_the_doors_open_has_one_session(bench: Bench) -> None:
    """Two would share its keys between them."""
    switch, opens = bench.switch, bench.switch.apply_network

    async def with_a_new_terminal() -> None:
        switch.detach()
        bench.tty = Tty(bench._show, switch.uart)
        switch.attach(bench.tty)
        await opens()

    switch.apply_network = with_a_new_terminal  # type: ignore[method-assign]
    await bench.boot()
    await bench.sign_in("installer", "unpack-me")
    await bench.until("(12 or more): ")


async def test_idle_sessions_are_signed_out(bench: Bench) -> None:
    await bench.new()
    await bench.type("descend doors", "idle 1")
    assert "idle for 1 min; signed out" in await bench.until("who is there? ")


def test_a_pace_out_of_range_is_refused() -> None:
    make: Callable[[float], Clock] = Clock
    with pytest.raises(ValueError, match="out of range"):
        make(0)


@pytest.mark.parametrize(
    ("told", "shown"),
    [
        ("0123456789ab", "0123456789\r\nab"),
        ("0123456789\nab", "0123456789\r\nab"),
        ("01234\r0123456789a", "01234\r0123456789\r\na"),
        ("\x1b[1m0123456789\x1b[0m", "\x1b[1m0123456789\x1b[0m"),
        ("\x1b[2J\x1b[3;4Habcdefg", "\x1b[2J\x1b[3;4Habcdefg"),
        ("\x1b[3;4Habcdefgh", "\x1b[3;4Habcdefg\r\nh"),
        ("abcdefgh\x1b[Habcdefghij", "abcdefgh\x1b[Habcdefghij"),
    ],
)
def test_full_rows_are_broken_and_what_moves_the_cursor_takes_no_column(told: str, shown: str) -> None:
    uart, sent = Uart(Clock(1)), list[bytes]()
    uart.wraps = 10
    Tty(sent.append, uart).show(told)
    assert b"".join(sent).decode() == shown
