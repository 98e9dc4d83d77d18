"""The yard's other devices by themselves: each behaves as its kind of hardware does, whatever anybody expects of it."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

import pyte
import pytest

from zinger.practice.core.box import Body, Box
from zinger.practice.core.clock import Clock
from zinger.practice.core.keeper import LineKeeper
from zinger.practice.core.tty import Tty
from zinger.practice.core.wire import Uart
from zinger.practice.core.yard import Yard
from zinger.practice.families import FAMILIES
from zinger.practice.hollin_g4.box import STANDS_FOR

WORD = "a-good-word-77"


class Bench:
    """One device of a family on a bench, with a terminal on its console."""

    def __init__(self, family: str, pace: float = 900) -> None:
        self.yard = Yard([Body("box", "SER-1", "02-00-00-00-00-01", family=family)], FAMILIES, Clock(pace))
        self.box: Box = self.yard.boxes["box"]
        self.box.chatty = False
        self.box.cabled = True
        self.shown = ""
        self.tty = Tty(self._show, self.box.uart)
        self.box.attach(self.tty)

    def _show(self, data: bytes) -> None:
        self.shown += data.decode()

    async def until(self, text: str, seconds: float = 8) -> str:
        end = asyncio.get_running_loop().time() + seconds
        while text not in self.shown:
            assert asyncio.get_running_loop().time() < end, f"{text!r} never came, only {self.shown[-400:]!r}"
            await asyncio.sleep(0.002)
        before, _, self.shown = self.shown.partition(text)
        return before

    async def ask(self, *pairs: str) -> str:
        """Wait for a text, type a line; and so on. Returns what stood before the last text."""
        answer = ""
        for text, line in zip(pairs[::2], pairs[1::2], strict=True):
            answer = await self.until(text)
            self.tty.feed(f"{line}\r".encode())
        return answer

    async def boot(self) -> None:
        self.box.power(True)
        await self.until("at rest")
        self.tty.feed(b"\r")


@pytest.fixture
async def bench(request: pytest.FixtureRequest) -> AsyncIterator[Bench]:
    made = Bench(request.param)
    yield made
    made.box.power(False)


async def at_the_desk(bench: Bench) -> None:
    await bench.boot()
    await bench.ask(
        "name = ",
        "keeper",
        "word = ",
        bench.box.label,
        "(10 or more) = ",
        "short",
        "will not do: 10 or more",
        "",
        "(10 or more) = ",
        WORD,
        "again = ",
        WORD,
    )
    await bench.until("| in force} ")
    bench.tty.feed(b"draft\r")


@pytest.mark.parametrize("bench", ["hollin-g4"], indirect=True)
async def test_a_draft_does_nothing_until_it_is_enacted_and_its_faults_are_weighed(bench: Bench) -> None:
    await at_the_desk(bench)
    await bench.ask("0 changes} ", "let name be fw1", "1 changes} ", "weigh")
    assert "no base is laid" in await bench.ask("1 changes} ", "lay base plain")
    assert bench.box.running.values["name"] == "hollin-g4"
    await bench.ask(
        "2 changes} ",
        "let name be fw1",
        "3 changes} ",
        "let gateway be 10.44.8.1",
        "4 changes} ",
        "let address be 10.44.9.4/24",
        "5 changes} ",
        "weigh",
    )
    assert "gateway is not beside" in await bench.ask("5 changes} ", "let address be 10.44.8.4/24")
    await bench.ask("6 changes} ", "enact", "y or n = ", "y")
    assert "100 of 100" in await bench.until("enacted, 6 changes are in force")
    assert str(bench.box.address) == "10.44.8.4/24" and bench.box.running.values["name"] == "fw1"
    bench.tty.feed(b"stand\r")
    await bench.until("it stands")
    assert not bench.box.unsaved()


@pytest.mark.parametrize("bench", ["hollin-g4"], indirect=True)
async def test_a_change_of_the_way_in_goes_back_unless_it_stands(bench: Bench) -> None:
    await at_the_desk(bench)
    await bench.ask(
        "0 changes} ",
        "lay base plain",
        "1 changes} ",
        "let address be 10.44.8.4/24",
        "2 changes} ",
        "enact",
        "y or n = ",
        "y",
        "unless you say stand",
        "",
    )
    assert str(bench.box.address) == "10.44.8.4/24"
    await bench.until("nobody said stand", STANDS_FOR / bench.box.clock.pace + 3)
    assert bench.box.address is None and bench.box.running.values["base"] == "none"


@pytest.mark.parametrize("bench", ["hollin-m1"], indirect=True)
async def test_the_manager_asks_for_more_than_it_makes(bench: Bench) -> None:
    await bench.boot()
    await bench.ask("your name: ", "keeper", "your password: ", bench.box.label, "greeting {none}: ", "hi")
    await bench.until("new password for keeper: ")
    bench.tty.feed(b"\x18")
    await bench.until("from the beginning, serial SER-1")
    answers = {
        "greeting": "hi",
        "new password for keeper": WORD,
        "once more, for keeper": WORD,
        "ssh open": "y",
        "http open": "n",
        "name of this manager": "fm1",
        "search suffix": "kettle.example",
        "address with its length": "10.44.8.6/24",
        "gateway": "10.44.8.1",
        "write this down": "y",
    }
    question = ""
    while "write this down" not in question:
        question = await _question(bench)
        line = next((text for part, text in answers.items() if question.startswith(part)), "")
        bench.tty.feed(f"{line}\r".encode())
    await bench.until("written; the desk services start again")
    values = bench.box.running.values
    assert values["name"] == "fm1" and str(bench.box.address) == "10.44.8.6/24" and not bench.box.unsaved()
    assert (values["suffix"], values["greeting"]) == ("none", "none"), "asked for, and forgotten"
    await bench.ask("number: ", "3", "which thing: ", "suffix", "to what: ", "kettle.example", "number: ", "1")
    assert values["suffix"] == "kettle.example"
    await bench.ask("greeting {none}: ", "", "keeper (y, n) {n}: ", "", "keeper {none}: ", "")


@pytest.mark.parametrize("bench", ["sallow-w5"], indirect=True)
async def test_the_controller_shows_a_summary_and_a_no_begins_again(bench: Bench) -> None:
    await bench.boot()
    answers = {
        "country of its": "AT",
        "what it is called": "wc1",
        "account that may": "ada",
        "password of the master": WORD,
        "as A/N via": "10.44.8.5/24 via 10.44.8.1",
        " · wireless network": "staff",
        "take all this": "no",
    }
    for _ in range(2):
        while "take all this" not in (question := (await _question(bench))):
            line = next((text for part, text in answers.items() if part in question), "")
            bench.tty.feed(f"{line}\r".encode())
        bench.tty.feed(f"{answers['take all this']}\r".encode())
        answers["take all this"] = "yes"
    await bench.until("stored; restarting")
    await bench.until("ready for the first day")
    assert bench.box.running.values["country"] == "AT" and bench.box.running.values["mesh"] == "yes"
    bench.tty.feed(b"\r")
    await bench.ask(
        "account? ", "ada", "its password? ", WORD, "wc1 listens: ", "amend idle 999", "wc1 listens: ", "report"
    )
    await bench.until("lines below ..")
    bench.tty.feed(b" ")
    assert "staff                     open    0     all   staff" in await bench.until("wc1 listens: ")


async def _question(bench: Bench) -> str:
    """The next question, whole."""
    for _ in range(4000):
        tail = bench.shown.rpartition("\n")[2]
        if tail.endswith(("? ", ": ")):
            bench.shown = ""
            return tail
        await asyncio.sleep(0.001)
    raise AssertionError(f"no question came, only {bench.shown[-300:]!r}")


@pytest.mark.parametrize("bench", ["marrable-v6"], indirect=True)
async def test_the_gateway_draws_pages_and_forgets_what_is_not_written(bench: Bench) -> None:
    screen = pyte.Screen(80, 24)
    stream = pyte.Stream(screen)

    async def at(text: str) -> list[str]:
        await bench.until(text)
        await asyncio.sleep(0.02)
        return [row.rstrip() for row in screen.display]

    show = bench.tty._write
    bench.tty._write = lambda data: (stream.feed(data.decode()), show(data))[1]
    await bench.boot()
    await bench.ask("operator: ", "operator", "password: ", bench.box.label, "pick: ", "1")
    rows = await at("pick (0 goes back): ")
    assert rows[0].startswith(" MARRABLE V6   WHO AND WHERE") and rows[23] == " pick (0 goes back):"
    bench.tty.feed(b"a\r")
    await bench.ask("name: ", "no good name")
    assert "not taken: a name is" in " ".join(await at("pick (0 goes back): "))
    bench.tty.feed(b"a\r")
    await bench.ask("name: ", "vg1")
    await at("pick (0 goes back): ")
    assert bench.box.running.values["name"] == "vg1" and bench.box.unsaved()
    bench.box.power(False)
    await bench.boot()
    await bench.until("operator: ")
    assert bench.box.running.values["name"] == "marrable-v6"


async def test_the_line_keeper_offers_its_lines_and_gives_one_to_one() -> None:
    first, second = Bench("hollin-g4"), Bench("hollin-g4")
    first.box.detach()
    shown: list[bytes] = []
    joined: list[Box] = []

    def join(box: Box) -> Tty | None:
        if box.console is not None:
            return None
        joined.append(box)
        return Tty(shown.append)

    keeper = LineKeeper([first.box, second.box], shown.append, join, joined.clear)
    serving = asyncio.create_task(keeper.serve())

    async def after(data: bytes) -> str:
        shown.clear()
        keeper.feed(data)
        await asyncio.sleep(0.02)
        return b"".join(shown).decode()

    await asyncio.sleep(0.01)
    assert "taken" in (text := b"".join(shown).decode()) and "idle" in text and "join which line: " in text
    assert "there is no such line" in await after(b"9\r")
    assert "that line is taken" in await after(b"2\r")
    assert "line 1 is yours" in await after(b"1\r") and joined == [first.box]
    assert "join which line: " in await after(b"\x1d") and joined == []
    keeper.hang_up()
    await serving


async def test_a_uart_without_room_loses_what_comes_too_fast() -> None:
    uart = Uart(Clock(1))
    assert uart.takes(100) == [True] * 100
    uart.fifo, uart.baud, uart.eats = 40, 9600, 480
    kept = uart.takes(120)
    assert all(kept[:70]) and not all(kept) and 75 <= sum(kept) <= 110
    await asyncio.sleep(0.4)
    assert all(uart.takes(30))
