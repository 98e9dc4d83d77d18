"""The parts of the run room, each by itself: memory, hands, the laptop's address, board, transcript, pump."""

from __future__ import annotations

import asyncio
import json
import sqlite3
from collections.abc import Callable
from dataclasses import replace
from ipaddress import ip_address, ip_interface, ip_network
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import ONE_DEVICE
from zinger.link.base import Link
from zinger.phrasebook.book import Phrasebook
from zinger.plan.laptop import laptop_address
from zinger.plan.setting import Stop
from zinger.plan.values.secrets import SecretRef
from zinger.proof.findings import Finding, Source, Verdict
from zinger.run.board import DeviceLine, Mark
from zinger.run.claims import Claims
from zinger.run.consolepump import ConsolePump
from zinger.run.hands import Act, CannotBeDone, Hands, HandsNeeded, Verb
from zinger.run.memory import Span, Worker, credentials, remember
from zinger.run.newnames import by_present_names
from zinger.run.openjob import OpenJob, open_again
from zinger.run.pump import TakenOver
from zinger.run.spots import Spots
from zinger.run.turns import Turns
from zinger.store.entries import (
    Booted,
    Entry,
    Found,
    Happened,
    MaySignIn,
    Met,
    NeedsYou,
    Noted,
    Proved,
    Renamed,
    Renewed,
    RunBegan,
    RunEnded,
    SignedIn,
    StageDone,
    Stands,
    WasRefused,
    read,
    written,
)
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.store.transcript import Transcript
from zinger.store.vault import Vault
from zinger.talk.conversation import Conversation
from zinger.talk.driver import Running
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import take_reading
from zinger.talk.errors import Interrupted
from zinger.talk.requests import Answer
from zinger.talk.surface import Wait
from zinger.talk.terminal.surface import Send
from zinger.talk.timing import Timing

FINDING = Finding("sw1", "hostname", "hostname", Source.STARTUP, "sw1", "sw2", "   name ... sw2", Verdict.DIFFERS)


def journal_of(*events: Happened) -> list[Entry]:
    return [Entry(n, 1000.0 + n, "sw1", *written(event)) for n, event in enumerate(events)]


def test_memory_is_a_fold_over_the_journal() -> None:
    memory = remember(
        journal_of(
            RunBegan(),
            MaySignIn("installer", "sw1/factory account"),
            Booted(4.5),
            Renewed("installer", "sw1/factory account"),
            StageDone("reach", 1001.0),
            WasRefused("hostname", "no"),
            Found.of(FINDING),
            NeedsYou("because"),
        )
    )
    assert memory.accepted == [("installer", "sw1/factory account")] and memory.boots_in == 4.5
    assert memory.findings["hostname", Source.STARTUP] == FINDING and memory.needs_you == "because"
    assert memory.spans == [Span(Worker.DEVICE, "reach", 1001.0, 1004.0)] and memory.refused == {"hostname": "no"}
    again = remember(journal_of(Found.of(FINDING), RunBegan(sends=False), Proved()))
    assert again.findings and again.concluded_at == 1002.0
    assert not remember(journal_of(Found.of(FINDING), RunBegan())).findings


@pytest.mark.parametrize("event", [Renewed("a", "b"), Found.of(FINDING), RunEnded({"a": "b"}), NeedsYou("why")])
def test_an_event_is_read_back_as_it_was_written_and_a_strange_one_is_skipped(event: Happened) -> None:
    kind, data = written(event)
    assert read(Entry(1, 0.0, "sw1", kind, {**data, "of a later version": 1})) == event
    assert read(Entry(1, 0.0, "sw1", f"{kind}?", data)) is None and read(Entry(1, 0.0, "sw1", kind, {})) is None
    for strange in (7, ["x", 7], {"x": 7}, {"x": ["y"]}):
        assert read(Entry(1, 0.0, "sw1", kind, {**data, next(iter(data)): strange})) is None
    odd = Entry(1, 0.0, "sw1", "found", {**written(Found.of(FINDING))[1], "source": "elsewhere"})
    assert not remember([odd]).findings


def test_rows_of_a_journal_that_no_zinger_wrote_are_passed_by(job: Callable[..., Path]) -> None:
    folder = JobFolder(job(devices_csv=ONE_DEVICE))
    journal = Journal(folder.journal)
    journal.note(Noted.kind, "kvr-wj-sw1", text="kept")
    journal.close()
    rows = [(1.0, "kvr-wj-sw1", Noted.kind, data) for data in ("", "[1]", "7", '{"text": 7}', "[" * 100_000)]
    rows += [(2.0, "", "renamed", '{"names": "x"}'), ("when", "kvr-wj-sw1", Noted.kind, '{"text": "undated"}')]
    with sqlite3.connect(folder.journal) as database:
        database.executemany("insert into entries (at, device, kind, data) values (?, ?, ?, ?)", rows)
    assert [text for _, text in OpenJob(folder).memories["kvr-wj-sw1"].notes] == ["kept", "undated"]


def test_credentials_come_in_the_order_of_belief(job: Callable[..., Path], quern: Phrasebook) -> None:
    device = OpenJob(JobFolder(job())).plan.devices[0]

    def names(*events: Happened) -> list[str]:
        return [ref.name for _, ref in credentials(device, quern, remember(journal_of(*events)))]

    mine = "kvr-wj-sw1/factory account"
    assert names()[0] == "factory/quern-s2" and len(names()) == 3
    assert names(MaySignIn("installer", mine))[:2] == ["factory/quern-s2", mine]
    done = names(Renewed("installer", mine), MaySignIn("kettle-admin", "kvr-wj-sw1/administrator"))
    assert done == [mine, "kvr-wj-sw1/administrator", "factory/quern-s2"]


def test_a_box_is_known_by_its_new_name_and_a_name_that_is_given_again_is_another_box(job: Callable[..., Path]) -> None:
    device = OpenJob(JobFolder(job(devices_csv=ONE_DEVICE))).plan.devices[0]

    def entry(n: int, name: str, event: Happened) -> Entry:
        return Entry(n, 1000.0 + n, name, *written(event))

    met = entry(1, "old", Met("QS2 0411", "")), entry(2, "old", SignedIn("boss", "old/administrator"))
    told = by_present_names(met, [device])
    assert told.new_names.before == {"kvr-wj-sw1": "old"} and "old" not in told.of
    assert remember(told.of["kvr-wj-sw1"]).accepted == [("boss", "kvr-wj-sw1/administrator")]
    once = by_present_names([*met, entry(3, "", Renamed({"kvr-wj-sw1": "old"})), entry(4, "old", Noted("n"))], [device])
    assert (
        not once.new_names.before
        and [e.id for e in once.of["kvr-wj-sw1"]] == [1, 2]
        and [e.id for e in once.of["old"]] == [4]
    )

    unnumbered = replace(device, serial="", mac="")
    assert not by_present_names(met, [unnumbered]).new_names.before, "nothing tells that it is the same"
    assert by_present_names([*met, entry(3, "old", Stands("10.44.8.11/24"))], [unnumbered]).new_names.before
    for other in (replace(device, serial="QS2-0412"), replace(device, mac="02-4b-56-10-33-09", serial="")):
        assert not by_present_names([*met, entry(3, "old", Stands("10.44.8.11/24"))], [other]).new_names.before
    nameless = replace(device, name="../evil", values={n: v for n, v in device.values.items() if n != "hostname"})
    assert not by_present_names(met, [nameless]).new_names.before, "it is no hostname"
    known = entry(3, "kvr-wj-sw1", Met("QS2-0411", ""))
    assert not by_present_names([*met, known], [device]).new_names.before, "it is known by its own name"
    twice = by_present_names(met, [device, replace(device, name="old")])
    assert not twice.new_names.before, "the plan has both, with one serial number"
    second = replace(device, name="old", serial="QS2-0412", mac="")
    both = [*met, entry(3, "kvr-wj-sw1", Met("QS2-0412", "")), entry(4, "kvr-wj-sw1", Noted("of the second"))]
    exchanged = by_present_names(both, [device, second])
    assert exchanged.new_names.before == {"kvr-wj-sw1": "old", "old": "kvr-wj-sw1"}
    assert [e.id for e in exchanged.of["old"]] == [3, 4] and [e.id for e in exchanged.of["kvr-wj-sw1"]] == [1, 2]


def test_entries_of_the_vault_go_with_a_name_and_none_is_lost(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "vault.age")
    names = ("old/a", "old/shared", "old/typed", "older/a", "new/typed", "a/x", "a/y", "b/x")
    vault.put({SecretRef(name): name[::-1] for name in names})
    since = vault.since("old/a")
    for _ in range(2):  # a crash may come before it is written down that it was done
        vault.carry_over({"new": "old", "b": "a", "a": "b"}, {"old/shared"}, "7 these")
    kept = {name: vault.get(SecretRef(name)) for name in Vault(tmp_path / "vault.age").names()}
    assert kept == {"new/a": "a/dlo", "new/shared": "derahs/dlo", "old/shared": "derahs/dlo", "older/a": "a/redlo",
                    "new/typed": "depyt/dlo", "kept/new/typed": "depyt/wen", "a/x": "x/b", "b/x": "x/a", "b/y": "y/a"
                    }  # fmt: skip
    assert vault.since("new/a") == since


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
        await Hands(within=0).ask(plug)


async def test_a_subnet_in_which_the_laptop_can_have_no_address_is_asked_about_once(job: Callable[..., Path]) -> None:
    hands, plan = Hands(), OpenJob(JobFolder(job())).plan
    claims = Claims(hands, plan.devices, practice=True)
    line = DeviceLine(plan.devices[0], "quern-s2", lambda: pytest.fail("nothing is compiled"))
    first, second, elsewhere = (plan.device(name) for name in ("kvr-wj-sw1", "kvr-wj-sw2", "kvrcbos1"))
    asked = asyncio.create_task(claims.be_near(first, line))
    await asyncio.sleep(0)
    hands.cannot(hands.in_order()[0].act, "the port is sealed")
    with pytest.raises(CannotBeDone) as refused:
        await asked
    assert refused.value.why == "the port is sealed"
    with pytest.raises(CannotBeDone, match="the port is sealed"):
        await claims.be_near(second, line)
    assert not hands.asked, "nobody is asked twice"
    others = [asyncio.create_task(claims.be_near(elsewhere, line))]
    await asyncio.sleep(0)
    assert len(hands.asked) == 1, "another subnet is another question"
    claims.expect(["kvr-wj-sw2"])  # somebody sends it on its way again
    others.append(asyncio.create_task(claims.be_near(second, line)))
    await asyncio.sleep(0)
    assert len(hands.asked) == 2
    for act in [item.act for item in hands.in_order()]:
        hands.finish(act)
    await asyncio.gather(*others)


async def test_the_laptop_is_near_a_device_only_where_each_takes_the_other_to_be_in_its_own_subnet(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def card(address: str, mask: str) -> SimpleNamespace:
        return SimpleNamespace(family=SimpleNamespace(name="AF_INET"), address=address, netmask=mask)

    own = [card("127.0.0.1", "255.0.0.0"), card("192.0.2.94", "255.255.255.224"), card("10.44.8.254", "255.255.255.0")]
    monkeypatch.setattr("psutil.net_if_addrs", lambda: {"card": own})
    live = Claims(Hands(), [], practice=False)
    seen = {there: live.can_see(ip_interface(there)) for there in ("192.0.2.73/27", "192.0.2.1/24", "10.44.8.11/24")}
    assert seen == {"192.0.2.73/27": True, "192.0.2.1/24": False, "10.44.8.11/24": True}


async def test_an_act_keeps_its_number_and_a_number_that_was_just_done_is_no_other_acts() -> None:
    hands = Hands()
    acts = [Act(Verb.PLUG, f"sw{n}", f"plug {n}", "", 1) for n in range(10)]
    waiting = [asyncio.create_task(hands.ask(act)) for act in acts]
    await asyncio.sleep(0)
    assert [item.number for item in hands.in_order()] == [1, 2, 3, 4, 5, 6, 7, 8, 10, 11], (
        "9 is kept for what is urgent"
    )
    hands.finish(acts[1])
    urgent = Act(Verb.PRESS, "rt1", "press the button", "", 0)
    waiting.append(asyncio.create_task(hands.ask(urgent)))
    late = Act(Verb.POWER_CUT, "sw1", "cut", "", 3)
    waiting.append(asyncio.create_task(hands.ask(late)))
    await asyncio.sleep(0)
    assert (hands.in_order()[0].act, hands.in_order()[0].number) == (urgent, 9)
    assert hands.numbered(2) is None and hands.numbered(12).act == late
    hands.importance = lambda device: 0 if device == "sw7" else 1
    assert [item.act.subject for item in hands.in_order()[:3]] == ["rt1", "sw7", "sw0"]
    hands.put_off(urgent)
    assert hands.in_order()[-1].act == urgent and hands.in_order()[-1].number == 9
    hands.cannot(acts[0], "its door is locked")
    with pytest.raises(CannotBeDone, match=r"its door is locked · plug 0"):
        await waiting[0]
    for task in waiting[1:]:
        task.cancel()
    await asyncio.gather(*waiting[1:], return_exceptions=True)


async def test_one_console_cable_serves_one_device_at_a_time_the_most_important_one_next() -> None:
    spots, had, let_go = Spots(), [], []
    spots.importance = {"a": 3, "b": 2, "c": 1}.__getitem__

    async def use(device: str) -> None:
        await spots.take("console X", "the console X", device, lambda why: None, lambda: let_go.append(device))
        had.append(device)
        await asyncio.sleep(0.01)
        spots.leave("console X", device, gone=False)

    tasks = [asyncio.create_task(use(name)) for name in "abc"]
    await asyncio.sleep(0)
    assert spots.waits("b") and list(spots.held()) == [("console X", "a")]
    tasks[2].cancel()
    tasks[2] = asyncio.create_task(use("c"))
    await asyncio.gather(*tasks)
    assert (had, let_go) == (["a", "c", "b"], ["a", "c"])
    assert spots.left_at("console X") == "b", "its cable is still there"


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


def test_a_stop_shows_the_worst_of_its_steps(job: Callable[..., Path]) -> None:
    line = OpenJob(JobFolder(job(devices_csv=ONE_DEVICE))).board.lines["kvr-wj-sw1"]
    assert line.stops[Stop.ROLE] is Mark.NONE and line.stops[Stop.SERVICES] is Mark.AHEAD
    line.step("idle.timeout", Mark.SENT)
    assert line.stops[Stop.SERVICES] is Mark.NOW
    for setting in ("banner", "services.ssh", "services.telnet", "services.http", "syslog.servers"):
        line.step(setting, Mark.SENT)
    assert line.stops[Stop.SERVICES] is Mark.SENT
    line.find(Finding("x", "banner", "banner", Source.RUNNING, "a", "b", "c", Verdict.DIFFERS))
    assert line.stops[Stop.SERVICES] is Mark.DIFFERS and len(line.differing) == 1
    line.stop(Stop.ROLE, Mark.NOW)
    assert line.stops[Stop.ROLE] is Mark.NONE


def test_a_transcript_is_bounded_and_its_marks_stay_in_place() -> None:
    transcript = Transcript()
    transcript.add(b"one\r\n")
    transcript.annotate("sent", "a")
    for _ in range(40):
        transcript.add(b"x" * 4096)
    transcript.annotate("person")
    start, data = transcript.since(0)
    assert start == transcript.begin > 5 and len(data) <= 132 * 1024 and transcript.end == 5 + 40 * 4096
    assert [(m.kind, m.position) for m in transcript.annotations_after(0)] == [("sent", 5), ("person", transcript.end)]
    assert transcript.annotations_after(2) == [] and transcript.since(transcript.end - 3) == (
        transcript.end - 3,
        b"xxx",
    )


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


def pump(book: Phrasebook, link: Link, recording: Recording | None = None) -> ConsolePump:
    secrets = {SecretRef("f"): "unpack-me", SecretRef("n"): "new-secret-1"}
    made = ConsolePump(
        Conversation(book.terminal, Timing(settle=0.02, nudge=0.02, boots_in=1, blind_pace=0)),
        secrets.__getitem__,
        Masker(secrets.values()),
    )
    made.join(link, recording)
    return made


def keys() -> Keyring:
    return Keyring([("installer", SecretRef("f"))], {"installer": SecretRef("n")})


SESSION = [
    b"installer",
    b"\r\nsecret of installer: ",
    b"\r\nsw in look, do: ",
    b"take charge",
    b"\r\nyour secret is unpack-me\r\nsw in base, do: ",
]


async def test_secrets_are_said_in_full_and_recorded_masked(quern: Phrasebook, tmp_path: Path) -> None:
    link = Loop(list(SESSION))
    recording = Recording(tmp_path / "a.cast", "sw, console")
    carried = pump(quern, link, recording)
    link.heard(b"who is there? ")
    at = await carried.do(arrive(quern.map, "base", keys()))
    carried.leave()
    assert at.captured == {"hostname": "sw"} and link.closed
    assert b"unpack-me\r" in link.sent
    text = (tmp_path / "a.cast").read_text()
    assert "unpack-me" not in text and text.count("••••••••") == 2
    assert b"unpack-me" not in carried.transcript.since(0)[1]


async def test_a_recording_replayed_gives_the_same_actions(quern: Phrasebook, tmp_path: Path) -> None:
    """What was shown, fed again at its own times, makes a new conversation say the same."""
    page = b"\r\nidentity\r\n   name ............ sw\r\nsw in base, do: "
    link = Loop([*SESSION, b"tell all", page])
    carried = pump(quern, link, Recording(tmp_path / "a.cast", "sw, console"))
    link.heard(b"who is there? ")
    await carried.do(arrive(quern.map, "base", keys()))
    answer = await carried.do(take_reading(quern, quern.readings["everything"], keys()))
    carried.leave()
    events = [json.loads(line) for line in (tmp_path / "a.cast").read_text().splitlines()[1:]]
    said = [text for _, code, text in events if code == "i"]

    fresh = Conversation(quern.terminal, Timing(settle=0.02, nudge=0.02, boots_in=1, blind_pace=0))
    again: list[str] = []
    arriving = fresh.begin(arrive(quern.map, "base", keys()), 0.0)
    taking: Running[Answer] | None = None
    for at, code, text in events:
        if code != "o":
            continue
        fresh.receive(text.encode(), at + 1)
        for later in (0.0, 0.03):  # at once, and once it held still
            while not isinstance(action := fresh.turn(at + 1 + later), Wait):
                if isinstance(action, Send):
                    again.append("".join(map(str, action.words)))
                elif taking is None and arriving.ended:
                    reading = take_reading(quern, quern.readings["everything"], keys())
                    taking = fresh.begin(reading, at + 1 + later)
    assert again == said and taking is not None and taking.result().lines == answer.lines


async def test_taking_the_wire_ends_the_errand_and_types_through(quern: Phrasebook) -> None:
    link = Loop([])
    carried = pump(quern, link)
    task = asyncio.create_task(carried.do(arrive(quern.map, "base", keys())))
    await asyncio.sleep(0.01)
    carried.take()
    with pytest.raises(TakenOver):
        await task
    with pytest.raises(TakenOver):
        await carried.do(arrive(quern.map, "base", keys()))
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
    task = asyncio.create_task(carried.do(arrive(quern.map, "base", keys())))
    await asyncio.sleep(0.01)
    link.ended("cut")
    with pytest.raises(Interrupted, match="link was lost"):
        await task
    with pytest.raises(Interrupted, match="no link"):
        await carried.do(arrive(quern.map, "base", keys()))


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


async def test_a_key_stops_a_crowd_for_a_moment_and_nobody_who_talks_alone() -> None:
    turns, done = Turns(), []
    turns.woke_somebody()
    turns.key_comes()
    turns.soon(lambda: done.append("alone"))
    assert done == ["alone"]
    turns.woke_somebody()  # a device's task goes on: what comes now is for the next pass
    turns.soon(lambda: done.append("crowd"))
    turns.key_comes()
    turns.soon(lambda: done.append("later"))
    for _ in range(20):
        await asyncio.sleep(0)
    assert done == ["alone"]
    turns.key_comes()  # a key that is held down stops it no longer
    await asyncio.sleep(0.3)
    assert done == ["alone", "crowd", "later"]


async def test_a_job_that_is_read_beside_a_run_misses_nothing_that_happens_meanwhile(
    job: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    shown = OpenJob(JobFolder(job(devices_csv=ONE_DEVICE)))
    read: list[OpenJob] = []

    class Slow(OpenJob):
        def __init__(self, folder: JobFolder) -> None:
            super().__init__(folder)
            read.append(self)
            shown.board.lines["kvr-wj-sw1"].version += len(read) == 1  # something is found while it is read first

    monkeypatch.setattr("zinger.run.openjob.OpenJob", Slow)
    assert await open_again(shown, set) is read[1] and len(read) == 2
    read.clear()
    assert await open_again(shown, lambda: {"kvr-wj-sw1"}) is read[0]  # it is in work, and keeps what is known of it


async def test_work_that_fails_does_not_stop_the_others() -> None:
    turns, done = Turns(), []
    turns._spent, turns._window = 1.0, float("inf")
    turns.soon(lambda: 1 / 0)  # type: ignore[arg-type]
    turns.soon(lambda: done.append("after"))
    failed: list[Any] = []
    asyncio.get_running_loop().set_exception_handler(lambda loop, context: failed.append(context["exception"]))
    await asyncio.sleep(0.05)
    assert done == ["after"] and isinstance(failed[0], ZeroDivisionError)


async def test_in_practice_a_person_can_do_what_hands_must_do_and_leave_it_to_the_yard_again() -> None:
    done: list[str] = []

    async def yard(act: Act) -> None:
        done.append(act.subject)

    hands = Hands(helper=yard, by_person=True)
    first, second = (Act(Verb.PLUG, name, f"plug {name} in", "it is time") for name in ("sw1", "sw2"))
    waiting = [asyncio.create_task(hands.ask(act)) for act in (first, second)]
    await asyncio.sleep(0)
    assert [item.begun for item in hands.in_order()] == [False, False] and done == []
    hands.person_did(first)
    await waiting[0]
    assert done == ["sw1"], "the yard did what the person said"
    hands.leave_to(False)
    await waiting[1]
    assert done == ["sw1", "sw2"]
