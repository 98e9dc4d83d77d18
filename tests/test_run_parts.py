"""The parts of the run room, each by itself: memory, hands, the laptop's address, board, transcript, pump."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from ipaddress import ip_address, ip_network
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zinger.link.base import Link
from zinger.phrasebook import Phrasebook
from zinger.plan.setting import Stop
from zinger.plan.subnets import laptop_address
from zinger.plan.values.secrets import SecretRef
from zinger.proof import Finding, Source, Verdict
from zinger.run.board import Mark
from zinger.run.hands import Act, Hands, HandsNeeded, Verb
from zinger.run.job import OpenJob
from zinger.run.memory import credentials, finding_data, finding_of, remember
from zinger.run.pump import Pump, TakenOver
from zinger.run.turns import Turns
from zinger.store.folder import JobFolder
from zinger.store.journal import Entry
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.store.transcript import Transcript
from zinger.talk import Conversation, Interrupted, Keyring, Manner, arrive, take_reading

FINDING = Finding("sw1", "hostname", "hostname", Source.STARTUP, "sw1", "sw2", "   name ... sw2", Verdict.DIFFERS)


def entries(*kinds: tuple[str, dict[str, Any]]) -> list[Entry]:
    return [Entry(n, 1000.0 + n, "sw1", kind, data) for n, (kind, data) in enumerate(kinds)]


def test_memory_is_a_fold_over_the_journal() -> None:
    memory = remember(
        entries(
            ("run began", {}),
            ("may sign in", {"user": "installer", "secret": "sw1/factory account"}),
            ("booted", {"seconds": 4.5}),
            ("renewed", {"user": "installer", "secret": "sw1/factory account"}),
            ("stage", {"stage": "reach", "began": 1001.0}),
            ("refused", {"setting": "hostname", "words": "no"}),
            ("finding", finding_data(FINDING)),
            ("needs you", {"why": "because"}),
        )
    )
    assert memory.accepted == [("installer", "sw1/factory account")] and memory.boots_in == 4.5
    assert memory.findings["hostname", Source.STARTUP] == FINDING and memory.needs_you == "because"
    assert memory.stages == [("reach", 1001.0, 1004.0)] and memory.refused == {"hostname": "no"}
    again = remember(entries(("finding", finding_data(FINDING)), ("run began", {"speaks": False}), ("proved", {})))
    assert again.findings and again.proved_at == 1002.0
    assert not remember(entries(("finding", finding_data(FINDING)), ("run began", {"speaks": True}))).findings
    assert finding_of("sw1", finding_data(FINDING)) == FINDING


def test_credentials_come_in_the_order_of_belief(job: Callable[..., Path], quern: Phrasebook) -> None:
    device = OpenJob(JobFolder(job())).plan.devices[0]
    names = lambda memory: [str(ref.name) for _, ref in credentials(device, quern, memory)]  # noqa: E731
    fresh = names(remember([]))
    assert fresh[0] == "factory/quern-s2" and len(fresh) == 3
    half = names(remember(entries(("may sign in", {"user": "installer", "secret": "kvr-wj-sw1/factory account"}))))
    assert half[:2] == ["factory/quern-s2", "kvr-wj-sw1/factory account"]
    done = names(
        remember(
            entries(
                ("renewed", {"user": "installer", "secret": "kvr-wj-sw1/factory account"}),
                ("may sign in", {"user": "kettle-admin", "secret": "kvr-wj-sw1/administrator"}),
            )
        )
    )
    assert done == ["kvr-wj-sw1/factory account", "kvr-wj-sw1/administrator", "factory/quern-s2"]


async def test_hands_are_asked_once_listed_in_order_and_done_by_a_person() -> None:
    hands = Hands()
    laptop, plug = Act(Verb.LAPTOP, "10.44.8.9/24", "address", "", 2), Act(Verb.PLUG, "sw1", "plug", "", 1)
    waiting = [asyncio.create_task(hands.ask(a)) for a in (laptop, laptop, plug)]
    await asyncio.sleep(0)
    assert [a.act for a in hands.in_order()] == [plug, laptop]
    hands.finish(laptop)
    await asyncio.gather(*waiting[:2])
    waiting[2].cancel()
    await asyncio.gather(waiting[2], return_exceptions=True)
    assert hands.in_order() == [] and [a for a, *_ in hands.log] == [laptop]
    with pytest.raises(HandsNeeded, match="plug"):
        await Hands(nobody=True).ask(plug)


async def test_a_helper_that_fails_tells_whoever_waits() -> None:
    async def clumsy(act: Act) -> None:
        raise RuntimeError("dropped it")

    with pytest.raises(RuntimeError, match="dropped it"):
        await Hands(helper=clumsy).ask(Act(Verb.PLUG, "sw1", "plug", ""))


@given(st.sets(st.integers(1, 254), max_size=253))
def test_the_laptop_gets_an_address_that_nobody_has(used: set[int]) -> None:
    taken = [ip_address(f"10.44.8.{n}") for n in used]
    found = laptop_address(ip_network("10.44.8.0/24"), taken)
    assert found and found.ip not in taken and str(found) not in ("10.44.8.0/24", "10.44.8.255/24")
    assert laptop_address(ip_network("10.44.8.0/30"), map(ip_address, ("10.44.8.1", "10.44.8.2"))) is None


def test_a_stop_shows_the_worst_of_its_phrases(job: Callable[..., Path]) -> None:
    line = OpenJob(JobFolder(job())).board.lines["kvr-wj-sw1"]
    assert line.stops[Stop.ROLE] is Mark.NONE and line.stops[Stop.SERVICES] is Mark.AHEAD
    line.phrase("idle.timeout", Mark.SAID)
    assert line.stops[Stop.SERVICES] is Mark.NOW
    for setting in ("banner", "services.ssh", "services.telnet", "services.http", "syslog.servers"):
        line.phrase(setting, Mark.SAID)
    assert line.stops[Stop.SERVICES] is Mark.SAID
    line.find(Finding("x", "banner", "banner", Source.RUNNING, "a", "b", "c", Verdict.DIFFERS))
    assert line.stops[Stop.SERVICES] is Mark.DIFFERS and len(line.differing) == 1
    line.stop(Stop.ROLE, Mark.NOW)
    assert line.stops[Stop.ROLE] is Mark.NONE


def test_a_transcript_is_bounded_and_its_marks_stay_in_place() -> None:
    transcript = Transcript()
    transcript.add(b"one\r\n")
    transcript.mark("said", "a")
    for _ in range(40):
        transcript.add(b"x" * 4096)
    transcript.mark("person")
    start, data = transcript.since(0)
    assert start == transcript.begin > 5 and len(data) <= 132 * 1024 and transcript.end == 5 + 40 * 4096
    assert [(m.kind, m.position) for m in transcript.marks_after(0)] == [("said", 5), ("person", transcript.end)]
    assert transcript.marks_after(2) == [] and transcript.since(transcript.end - 3) == (transcript.end - 3, b"xxx")


class Loop(Link):
    """A link whose far end is a list of replies."""

    def __init__(self, replies: list[bytes]) -> None:
        super().__init__("loop")
        self.replies, self.sent, self.closed = replies, b"", False

    def write(self, data: bytes) -> None:
        self.sent += data
        if self.replies:
            asyncio.get_running_loop().call_soon(self.heard, self.replies.pop(0))

    def close(self) -> None:
        self.closed = True


def pump(book: Phrasebook, link: Link, recording: Recording | None = None) -> Pump:
    secrets = {SecretRef("f"): "unpack-me", SecretRef("n"): "new-secret-1"}
    made = Pump(
        Conversation(book, Manner(settle=0.02, nudge=0.02, boots_in=1)), secrets.__getitem__, Masker(secrets.values())
    )
    made.join(link, recording)
    return made


def keys() -> Keyring:
    return Keyring([("installer", SecretRef("f"))], {"installer": SecretRef("n")})


SESSION = [
    b"installer",
    b"\r\nsecret of installer: ",
    b"\r\n<sw : look> ",
    b"take charge",
    b"\r\nyour secret is unpack-me\r\n<sw : base> ",
]


async def test_secrets_are_said_in_full_and_recorded_masked(quern: Phrasebook, tmp_path: Path) -> None:
    link = Loop(list(SESSION))
    recording = Recording(tmp_path / "a.cast", "sw, console")
    carried = pump(quern, link, recording)
    link.heard(b"who is there? ")
    at = await carried.do(arrive(quern, "base", keys()))
    carried.leave()
    assert at.captured == {"hostname": "sw"} and link.closed
    assert b"unpack-me\r" in link.sent
    text = (tmp_path / "a.cast").read_text()
    assert "unpack-me" not in text and text.count("••••••••") == 2
    assert b"unpack-me" not in carried.transcript.since(0)[1]


async def test_a_recording_replayed_gives_the_same_actions(quern: Phrasebook, tmp_path: Path) -> None:
    """What was shown, fed again at its own times, makes a new conversation say the same."""
    page = b"\r\nidentity\r\n   name ............ sw\r\n<sw : base> "
    link = Loop([*SESSION, b"tell all", page])
    carried = pump(quern, link, Recording(tmp_path / "a.cast", "sw, console"))
    link.heard(b"who is there? ")
    await carried.do(arrive(quern, "base", keys()))
    lines = await carried.do(take_reading(quern, quern.readings["everything"], keys()))
    carried.leave()
    events = [json.loads(line) for line in (tmp_path / "a.cast").read_text().splitlines()[1:]]
    said = [text for _, code, text in events if code == "i"]

    fresh = Conversation(quern, Manner(settle=0.02, nudge=0.02, boots_in=1))
    errands = [arrive(quern, "base", keys()), take_reading(quern, quern.readings["everything"], keys())]
    again: list[str] = []
    result: Any = None
    fresh.begin(errands.pop(0), 0.0)
    for at, code, text in events:
        if code != "o":
            continue
        fresh.receive(text.encode(), at + 1)
        for later in (0.0, 0.03):  # at once, and once it held still
            while type(action := fresh.next_action(at + 1 + later)).__name__ != "Wait":
                if type(action).__name__ == "Say":
                    again.append("".join(map(str, action.words)))  # type: ignore[union-attr]
                    break
                result = action.result  # type: ignore[union-attr]
                if not errands:
                    break
                fresh.begin(errands.pop(0), at + 1 + later)
            if result == lines:
                break
    assert again == said and result == lines


async def test_taking_the_wire_ends_the_errand_and_types_through(quern: Phrasebook) -> None:
    link = Loop([])
    carried = pump(quern, link)
    task = asyncio.create_task(carried.do(arrive(quern, "base", keys())))
    await asyncio.sleep(0.01)
    carried.take()
    with pytest.raises(TakenOver):
        await task
    with pytest.raises(TakenOver):
        await carried.do(arrive(quern, "base", keys()))
    before = link.sent
    carried.type(b"tell\r")
    assert link.sent == before + b"tell\r"
    carried.hand_back()
    carried.type(b"too late")
    assert link.sent == before + b"tell\r"
    await carried.handed_back()


async def test_a_lost_link_interrupts(quern: Phrasebook) -> None:
    link = Loop([])
    carried = pump(quern, link)
    task = asyncio.create_task(carried.do(arrive(quern, "base", keys())))
    await asyncio.sleep(0.01)
    link.ended("cut")
    with pytest.raises(Interrupted, match="link was lost"):
        await task
    with pytest.raises(Interrupted, match="no link"):
        await carried.do(arrive(quern, "base", keys()))


async def test_turns_keep_their_order_and_leave_the_loop_time() -> None:
    """Far more work than the loop can do at once: it is done in order, and a key would be answered between."""
    turns, done, gaps = Turns(), [], []
    loop = asyncio.get_running_loop()

    def work(number: int) -> None:
        end = loop.time() + 0.001
        while loop.time() < end:
            pass
        done.append(number)

    for number in range(200):
        turns.soon(lambda n=number: work(n))  # type: ignore[misc]
    assert len(done) < 50
    while len(done) < 200:
        before = len(done)
        await asyncio.sleep(0)
        gaps.append(len(done) - before)
    assert done == list(range(200)) and max(gaps) <= 50


async def test_work_that_fails_does_not_stop_the_others() -> None:
    turns, done = Turns(), []
    turns._spent, turns._window = 1.0, float("inf")
    turns.soon(lambda: 1 / 0)  # type: ignore[arg-type]
    turns.soon(lambda: done.append("after"))
    failed: list[Any] = []
    asyncio.get_running_loop().set_exception_handler(lambda loop, context: failed.append(context["exception"]))
    await asyncio.sleep(0.05)
    assert done == ["after"] and isinstance(failed[0], ZeroDivisionError)
