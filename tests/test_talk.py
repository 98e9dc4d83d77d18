"""Conversations without any I/O: what is shown goes in, what is said comes out, at any split and delay."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.talking import Player
from tests.test_outcome import planned
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.terminal import TypeLine, typed
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.resolve import resolve
from zinger.plan.setting import Stop
from zinger.plan.values.secrets import SecretRef
from zinger.script.compile import Filler, Script, compile_script
from zinger.talk.driver import Running
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.ask import do, look
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import READ_AGAIN, take_reading
from zinger.talk.errands.send import send_step
from zinger.talk.errors import Interrupted, RefusedByDevice, Restarted, Stuck, TalkError, Unanswered
from zinger.talk.events import Mended, Renewed, SignedIn
from zinger.talk.requests import Answer, At, Do, Look
from zinger.talk.terminal.surface import Send, TerminalSurface
from zinger.talk.timing import Timing

NEW = SecretRef("sw1/factory account")


def keys() -> Keyring:
    return Keyring([("installer", SecretRef("factory/quern-s2"))], {"installer": NEW})


STARTS = [
    ("signed out", b"\r\nwho is there? ", "installer"),
    ("deep in a context", b"old in base/doors/ssh, do: ", "ascend"),
    ("looking only", b"old in look, do: ", "take charge"),
    ("at the pager", b"   name ... x\r\n.. 12 lines below ..", "q"),
    ("half-typed line", b"old in base, do: tell al", "\x18"),
    ("half-typed in a context", b"old in base/mgmt, do: add", "\x18"),
    ("somebody's name without its Enter", b"\r\nwho is there? some", "\x18"),
    ("at a question of somebody's", b"restart now, yes or no? ", "no"),
    ("a prompt that a log line pushed away", b"old in look, do: \r\n@09:41:12 port 7: carrier up\r\n", "take charge"),
    ("a question pushed away", b"running becomes startup, yes or no? \r\n@09:41:12 fan turns\r\n", "no"),
    ("nothing at all: what may be half typed is taken away", b"", "\x18"),
    ("a prompt torn by a log line", b"old in lo\r\n@09:41:12 port 7: carrier up\r\nok, do: ", "take charge"),
    ("in the middle of a forced change", b"new secret for installer (12 or more): ", "••••••••\r"),
    ("second entry of a forced change", b"once more for installer: ", "••••••••\r"),
]


@pytest.mark.parametrize(("name", "shown", "first"), STARTS, ids=[s[0] for s in STARTS])
def test_from_any_place_the_first_thing_said_is_the_way_on(
    quern: Phrasebook, name: str, shown: bytes, first: str
) -> None:
    player = Player(quern, [])
    player.run(arrive(quern.map, "base", keys()), shown)
    assert player.sent[0] == first


def test_the_book_of_the_benchmarks_can_be_made() -> None:
    from tools.bench.recognition import forty_places

    assert len(forty_places().places) >= 40


def test_an_unknown_place_is_never_guessed_at(quern: Phrasebook) -> None:
    player = Player(quern, [])
    ended = player.run(arrive(quern.map, "base", keys()), b"Mesh backhaul radio? ")
    assert isinstance(ended.error, Stuck)
    assert player.sent == [] and ended.error.shown == "Mesh backhaul radio? "


def test_a_silent_device_is_nudged_and_then_given_up(quern: Phrasebook) -> None:
    player = Player(quern, [])
    player.show(b"line 1 is yours\r\n")
    player.now += 1  # what stood there before is no answer
    ended = player.run(arrive(quern.map, "base", keys(), patience=20))
    assert isinstance(ended.error, Unanswered) and "Nothing answers" in str(ended.error)
    assert player.sent[0] == "\x18" and set(player.sent[1:]) == {"\r"} and 3 <= len(player.sent) <= 10


def test_a_booting_device_is_left_alone(quern: Phrasebook) -> None:
    player = Player(quern, [b"", b"\r\nsw in base, do: "], timing=Timing(boots_in=90))
    began = player.now
    ended = player.run(arrive(quern.map, "base", keys()), b"quern loader 1.4\r\n")
    assert ended.error is None and player.sent == ["\x18", "\r"]
    assert player.now - began > 90
    ready = Player(quern, [b"", b"\r\nsw in base, do: "], timing=Timing(boots_in=90))
    ready.run(arrive(quern.map, "base", keys()), b"quern loader 1.4\r\nloaded; this console is at rest\r\n")
    assert ready.now < 110, "it said that it is up"


def test_a_device_that_is_met_in_the_middle_of_its_boot_is_given_the_time_of_one(quern: Phrasebook) -> None:
    """What it shows now is nothing by which a boot is known; it talks on, and comes up."""
    player = Busy(quern, [], timing=Timing(boots_in=90))
    player.every = lambda second: b"disk sound\r\n" if second < 80 else b"sw in base, do: " if second == 80 else b""
    assert player.run(arrive(quern.map, "base", keys()), b"unpacking\r\n").error is None
    silent = Busy(quern, [], timing=Timing(boots_in=90))
    silent.every = lambda second: b"disk sound\r\n" if second == 2 else b""
    began, ended = silent.now, silent.run(arrive(quern.map, "base", keys()), b"unpacking\r\n")
    assert isinstance(ended.error, Stuck) and silent.now - began < 60


class Busy(Player):
    """A device that shows something every second, whether anybody speaks with it or not."""

    every: Callable[[int], bytes]

    def end(self, running: Running[Any]) -> Running[Any]:
        for second in range(2000):
            self.poll()
            if running.ended:
                return running
            self.now += 1.0
            self.show(self.every(second))
        raise AssertionError("it never ended")


def test_a_boot_that_nobody_looked_at_is_over_and_the_next_one_is_another(quern: Phrasebook) -> None:
    """It restarted, was spoken to from the network, and restarts again much later."""
    boot, rest = b"\r\nquern loader 1.4\r\nports 1-24 counted\r\n", b"loaded; this console is at rest\r\n"
    for says_so in (rest, b""):
        player = Player(quern, [b"", b"\r\nsw in base, do: "] * 2, timing=Timing(boots_in=20))
        player.show(boot + says_so)
        first = player.talk.boot_shown
        assert first and player.talk.boots is not bool(says_so)
        player.now += 400
        assert player.run(arrive(quern.map, "base", keys())).error is None, "it came up while nobody looked"
        player.show(boot + says_so)
        player.now += 400
        since = player.now
        assert player.talk.boot_shown < since, "a boot of before is no sign of this one"
        player.show(boot + says_so)
        assert player.talk.boot_shown > since
        pressed = len(player.sent)
        assert player.run(arrive(quern.map, "base", keys())).error is None
        assert says_so or (player.now > since + 20 and len(player.sent) > pressed), "left alone while it boots"


def test_a_boot_that_comes_in_one_piece_is_a_boot(quern: Phrasebook) -> None:
    """All of it, up to the line that says that it is up, was waiting when somebody read."""
    boot = b"\r\nquern loader 1.4\r\n" + b"ports counted again\r\n" * 200 + b"loaded; this console is at rest\r\n"
    player = Player(quern, [b"tell all", boot])
    ended = player.run(do(typed("tell all"), frozenset({"base"}), "reading"), b"sw1 in base, do: ")
    assert isinstance(ended.error, Restarted) and player.talk.boot_shown and not player.talk.boots


class Queues(Busy):
    """It boots without a word for 12 s; keys wait in its line meanwhile, and it takes one every 2 s."""

    line, taken, named = "", 0, ""
    at = who = "who is there? "

    def every(self, second: int) -> bytes:
        self.line += "".join(self.sent[self.taken :]).replace("\x18", "")
        self.taken = len(self.sent)
        if second <= 12 or second % 2:
            boot = b"quern loader 1.4\r\nloaded; this console is at rest\r\nwho is there? "
            return boot if second == 12 else b""
        word, entered, rest = self.line.partition("\r")
        if not entered:
            return b""
        self.line = rest
        if self.at == self.who:
            assert "•" not in word, "a password was taken for a name"
            self.named, self.at = word, "secret of x: "
            return b"\r\nsecret of x: "
        if word and self.named == "a":
            return b"\r\nsw in base, do: "
        self.at = self.who
        return b"\r\nnot known here\r\nwho is there? "


def test_keys_that_wait_since_before_a_boot_are_let_out_before_a_password_is_typed(quern: Phrasebook) -> None:
    player = Queues(quern, [], timing=Timing(boots_in=90, echo_check=False))
    ended = player.run(arrive(quern.map, "base", Keyring([("a", SecretRef("1"))])))
    assert ended.error is None and player.named == "a"


def test_what_boots_again_and_again_is_given_up(quern: Phrasebook) -> None:
    player = Busy(quern, [], timing=Timing(boots_in=10))
    player.every = lambda n: {0: b"\r\nquern loader 1.4\r\n", 8: b"loaded; this console is at rest\r\n"}.get(n % 9, b"")
    began, ended = player.now, player.run(look(30.0))
    assert isinstance(ended.error, Stuck) and player.now - began < 200


@pytest.mark.parametrize(
    ("begins", "every", "at_most", "shown"),
    [
        (b"\x1b[2J12:00:00 ", lambda n: b"\r12:00:%02d " % (n % 60), 100, "12:00"),
        (b"Which deck? ", lambda n: b"\r\n@09:41:%02d fan turns\r\n" % (n % 60), 20, "Which deck?"),
        (b"Deck (1-4): ", lambda n: b"", 20, "Deck (1-4):"),
    ],
)
def test_something_unknown_is_waited_for_in_bounded_time_and_nothing_is_pressed(
    quern: Phrasebook, begins: bytes, every: Callable[[int], bytes], at_most: float, shown: str
) -> None:
    """However often it ticks or logs, a person is asked, and told what stands there."""
    player = Busy(quern, [])
    player.every = every
    began = player.now
    ended = player.run(arrive(quern.map, "base", keys()), begins)
    assert isinstance(ended.error, Stuck) and shown in ended.error.shown, ended.error
    assert player.sent == [] and player.now - began < at_most


def test_what_somebody_typed_behind_the_question_that_comes_next_is_taken_away(quern: Phrasebook) -> None:
    player = Player(quern, [b"leave", b"\r\nwho is there? half a li", b"\r\nwho is there? "])
    left = player.run(do(typed("leave"), frozenset({"sign_in"}), "leaving"), b"sw in base, do: ")
    assert left.error is None and player.sent == ["leave", "\r", "\x18"]


def test_a_line_of_an_answer_before_a_log_line_is_no_question_that_nobody_knows(quern: Phrasebook) -> None:
    """It ends as questions do, and the rest of the answer comes late."""
    page = b"\r\n   console ......... (none)\r\n.. 24 lines below .."
    late = {6: b"\r\n@20:59:45 port 4: carrier lost\r\n", 14: b"   privileged ...... (none)\r\nsw1 in base, do: "}
    player = Busy(quern, [b"tell all", page])
    player.every = lambda second: late.get(second, b"")
    ended = player.run(do(typed("tell all"), frozenset({"base"}), "reading"), b"sw1 in base, do: ")
    assert ended.error is None and ended.result().lines[-1] == "   privileged ...... (none)"


def test_a_key_at_a_pager_that_was_lost_is_pressed_again_whatever_stood_above(quern: Phrasebook) -> None:
    """The last row of the page ends as questions do, and log lines are all that comes."""
    page = b"\r\npasswords\r\n   console ......... (none)\r\n.. 1 lines below .."
    late = {0: b"\r\n@20:59:45 port 4: carrier lost\r\n", 1: b"\r\n@20:59:51 fan turns\r\n"}
    rest = b"\r                   \r   privileged ...... (none)\r\nsw1 in base, do: "
    player = Busy(quern, [b"tell all", page, b"", rest])
    player.every = lambda second: late.get(second, b"")
    ended = player.run(do(typed("tell all"), frozenset({"base"}), "reading"), b"sw1 in base, do: ")
    assert ended.error is None, ended.error
    assert player.sent == ["tell all", "\r", " ", " "] and ended.result().lines[-1] == "   privileged ...... (none)"


def test_what_must_be_shown_is_found_though_a_log_line_came_inside(quern: Phrasebook) -> None:
    (save,) = quern.saves
    step = Filler(planned(quern), quern, {}).plain(save, Stop.SAVE, "save")
    torn = b"\r\nwriting . .\r\nkept as sta\r\n@09:41:12 port 7: up\r\nrtup, 210 bytes\r\nsw in base, do: "
    player = Player(quern, [b"keep", b"\r\nrunning becomes startup, yes or no? ", b"yes", torn])
    assert player.run(send_step(quern, step, keys()), b"sw in base, do: ").error is None, player.sent


def test_what_does_not_come_back_is_typed_at_the_pace_that_the_line_takes(quern: Phrasebook) -> None:
    asked = b"secret of installer: "
    for book, damaged, wanted in (
        (quern, False, 30.0),
        (quern, True, 15.0),
        (replace(quern, terminal=replace(quern.terminal, pace=8.0)), False, 8.0),
    ):
        surface = TerminalSurface(book.terminal)
        if damaged:
            surface.sight.typist.came_back_damaged()
        surface.receive(asked, 1.0)
        surface.begin(Look(5.0), 1.0)
        while not isinstance(at := surface.turn(9.0), At):
            assert not isinstance(at, TalkError)
        do = Do(TypeLine((NEW,)), frozenset({"look"}), "signing in", 30.0)
        surface.begin(do, 9.0)
        sent = surface.turn(9.0)
        assert isinstance(sent, Send) and sent.pace == wanted
    # a refusal can mean that it did not arrive whole: the next one goes at half the pace at most
    surface.receive(b"\r\nnot so: no\r\n" + asked, 10.0)
    while not isinstance(surface.turn(19.0), Answer):
        pass
    surface.begin(do, 20.0)
    sent = surface.turn(20.0)
    assert isinstance(sent, Send) and sent.pace == 8.0 and surface.sight.typist.slowness == 2


SIGN_IN = [
    b"installer",
    b"\r\nsecret of installer: ",
    b"\r\nthis secret is printed on the label\r\nnew secret for installer (12 or more): ",
    b"\r\nonce more for installer: ",
    b"\r\nthe new secret counts from now on\r\nquern-s2 in look, do: ",
    b"take charge",
    b"\r\nquern-s2 in base, do: ",
]
SIGNED_IN = ["installer", "\r", "••••••••\r", "••••••••\r", "••••••••\r", "take charge", "\r"]


@settings(max_examples=60)
@given(sizes=st.lists(st.integers(1, 40), min_size=1, max_size=6))
def test_every_split_gives_the_same_actions(quern: Phrasebook, sizes: list[int]) -> None:
    player = Player(quern, SIGN_IN, sizes)
    ended = player.run(arrive(quern.map, "base", keys()), b"\r\nwho is there? ")
    assert ended.error is None, ended
    assert player.sent == SIGNED_IN
    events = player.talk.take_events()
    assert SignedIn("installer", "factory/quern-s2") in events and Renewed("installer", NEW.name) in events


@settings(max_examples=80)
@given(st.data())
def test_log_lines_anywhere_never_change_what_is_said(quern: Phrasebook, data: st.DataObject) -> None:
    """A burst pushes the line up wherever it comes; echo, answers and prompts are still understood."""
    burst = b"\r\n@09:41:12 port 7: carrier up, 1000 full\r\n"
    noisy = []
    for reply in SIGN_IN:
        at = data.draw(st.integers(0, len(reply)))
        # a burst never splits a line end, and never comes inside a prompt, only before or after it
        at = len(reply) if reply[at - 1 : at] == b"\r" or b"? " in reply or b": " in reply or b"do: " in reply else at
        noisy.append(reply[:at] + burst + reply[at:] if data.draw(st.booleans()) else reply)
    player = Player(quern, noisy)
    ended = player.run(arrive(quern.map, "base", keys()), b"\r\nwho is there? ")
    assert ended.error is None, (ended, player.sent)
    assert [s for s in player.sent if s != "\r"] == [s for s in SIGNED_IN if s != "\r"]


def test_a_damaged_line_is_never_executed(quern: Phrasebook) -> None:
    """The device is asked to show what it has of the line; what is wrong is rubbed out, and it is shown again."""
    replies = [
        b"tke charge",
        b"\r\nsw in look, do: tke charge",
        b"\b \b" * 9,
        b"ake charge",
        b"\r\nsw in look, do: take charge",
        b"\r\nsw in look, do: take charge",
        b"\r\nsw in base, do: ",
    ]
    player = Player(quern, replies)
    ended = player.run(arrive(quern.map, "base", keys()), b"sw in look, do: ")
    assert ended.error is None, (ended, player.sent)
    assert player.sent == ["take charge", "\x12", "\b" * 9, "ake charge", "\x12", "\x12", "\r"]
    assert Mended("take charge", "tke charge") in player.talk.take_events()


def test_a_wire_that_always_damages_asks_a_person(quern: Phrasebook) -> None:
    player = Player(quern, [b"#", b"\r\nsw in look, do: #", b"#"] * 40)
    ended = player.run(arrive(quern.map, "base", keys()), b"sw in look, do: ")
    assert isinstance(ended.error, Stuck) and "\r" not in player.sent


def test_credentials_are_tried_twice_each_and_no_more(quern: Phrasebook) -> None:
    ring = Keyring([("a", SecretRef("1")), ("b", SecretRef("2"))])
    replies = [b"\r\nsecret of x: ", b"\r\nnot known here\r\nwho is there? "] * 9
    talk = Player(quern, replies, timing=Timing(echo_check=False))
    ended = talk.run(arrive(quern.map, "base", ring), b"who is there? ")
    assert isinstance(ended.error, Stuck) and "no password" in str(ended.error)
    assert talk.sent == ["a\r", "••••••••\r"] * 2 + ["b\r", "••••••••\r"] * 2


def script_of(quern: Phrasebook) -> Script:
    rows, _ = read_sheet(b"hostname,site,family,address\nsw1,wj,quern-s2,10.44.8.11\n")
    job = read_job(
        "job: t\nbaseline:\n  accounts: {administrator: ada}\n  services: {ssh: on}\n"
        "sites:\n  wj: {subnet: 10.44.8.0/24}"
    )
    return compile_script(resolve(job, rows, {"quern-s2": quern.rules}).devices[0], quern)


def test_a_phrase_answers_its_questions_blind(quern: Phrasebook) -> None:
    admin = script_of(quern).steps[0]
    player = Player(
        quern,
        [b"add ada as keeper", b"\r\nsecret to give ada: ", b"\r\nthe same again: ", b"\r\nsw in base/people, do: "],
    )
    ended = player.run(send_step(quern, admin, keys()), b"sw in base/people, do: ")
    assert ended.error is None
    assert player.sent == ["add ada as keeper", "\r", "••••••••\r", "••••••••\r"]


@pytest.mark.parametrize(
    ("answer", "error", "words"),
    [
        (b"\r\nrefused: a name is 1 to 24 of a-z, 0-9 and hyphen\r\nsw in base, do: ", RefusedByDevice, "1 to 24"),
        (b"\r\nno such word: rename\r\nsw in base, do: ", RefusedByDevice, "no such word"),
        (b"\r\nidle for 10 min; signed out\r\nwho is there? ", Interrupted, "sign in"),
        (b"\r\n\r\nquern loader 1.4\r\n", Interrupted, "restarted"),
        (b"\r\nWould you like telemetry? ", Stuck, "Unknown prompt"),
        (b"", Stuck, "stopped answering"),
    ],
)
def test_what_can_come_instead_of_the_prompt(
    quern: Phrasebook, answer: bytes, error: type[Exception], words: str
) -> None:
    phrase = next(p for p in script_of(quern).steps if p.setting == "hostname")
    player = Player(quern, [b"rename sw1", answer])
    ended = player.run(send_step(quern, phrase, keys()), b"sw in base, do: ")
    assert isinstance(ended.error, error) and words in str(ended.error)


def test_a_reading_turns_pages_and_leaves_out_noise(quern: Phrasebook) -> None:
    page = (
        b"\r\nidentity\r\n   name ............ sw1\r\n@09:41:12 fan turns\r\n.. 2 lines below ..",
        b"\r                   \r   serial .......... QS2-1\r\n   mac ............. 02-00\r\nsw1 in base, do: ",
    )
    player = Player(quern, [b"tell all", *page] * READ_AGAIN)
    ended = player.run(take_reading(quern, quern.readings["everything"], keys()), b"sw1 in base, do: ")
    assert ended.result().lines == (
        ("identity", "   name ............ sw1", "   serial .......... QS2-1", "   mac ............. 02-00")
    )
    assert player.sent == ["tell all", "\r", " "] * READ_AGAIN  # log lines may have torn it: it is asked again


def test_a_lost_link_interrupts_and_the_errand_can_begin_again(quern: Phrasebook) -> None:
    player = Player(quern, [])
    running = player.talk.begin(arrive(quern.map, "base", keys()), player.now)
    player.talk.lost(player.now)
    assert isinstance(player.end(running).error, Interrupted)
    player.replies = iter([b"take charge", b"\r\nsw in base, do: "])
    assert player.run(arrive(quern.map, "base", keys()), b"sw in look, do: ").error is None


def test_where_one_errand_ended_the_next_begins_at_once_unless_a_person_typed(quern: Phrasebook) -> None:
    player = Player(quern, [])
    player.run(look(5.0), b"sw1 in base, do: ")
    began = player.now
    assert player.run(look(5.0)).result().name == "base" and player.now == began, "nothing came since"
    player.talk.somebody_typed()
    player.run(look(5.0), b"\r\nsw1 in base, do: ")
    assert player.now >= began + Timing().settle, "a person had the wire: what is there must hold still"
