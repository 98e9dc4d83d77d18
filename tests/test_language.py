"""The language of phrasebooks: what each part of it comes to, as a script, as talk, and as facts."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from importlib import resources
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.talking import Player
from zinger.phrasebook.book import Phrasebook, Take
from zinger.phrasebook.examine import examine
from zinger.phrasebook.load import load_family, load_phrasebook, shipped_families, shipped_source
from zinger.phrasebook.renamed import rewritten
from zinger.phrasebook.source import PhrasebookError
from zinger.phrasebook.steps import Effect, Holds
from zinger.phrasebook.terminal import TypeLine, typed
from zinger.phrasebook.words import FilledLine, WordsError, render_lines
from zinger.phrasebook.writing import FILTERS, flag, folded, mac, mask, pieces, prefix, seconds, unfolded
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.files.yamlfile import UnreadableError, load_yaml, quick_yaml
from zinger.plan.resolve import resolve
from zinger.plan.setting import Stop
from zinger.plan.values.secrets import SecretRef
from zinger.proof.facts import facts_in, gather
from zinger.proof.findings import Source, Verdict, judge
from zinger.script.compile import Lines, Script, Shows, Step, StepLine, compile_script
from zinger.talk.errands.arrive import arrive
from zinger.talk.errands.interview import hold_interview, leave_interview
from zinger.talk.errands.keyring import Keyring
from zinger.talk.errands.read import take_reading
from zinger.talk.errands.send import send_step
from zinger.talk.errors import RefusedByDevice, Stuck
from zinger.talk.events import Waits
from zinger.talk.replay import replay
from zinger.talk.timing import Timing

# A family with one of everything, in a language that nothing else speaks.
BOOK = r"""
family: lathe-x1
title: Lathe X1
factory: {sign_in: {user: u, password: p}, boots_in: 10 s}
typing: {cancel: ctrl-x, longest_line: 40}
home: top
noise: ['^# ']
refusals: ['^no: ']
warnings: ['^mind: ']
boot: ['^lathe wakes']
identity_lines: {serial: 'lathe (?P<value>LX\d+)'}
places:
  hail: {notice: 'any key goes on', press: space}
  board: {menu: 'which: ', choices: '^ (?P<key>\d) (?P<text>\S+)$'}
  in: {asks: 'who: ', asks_for: user, enter: harmless}
  top: {prompt: '^top> '}
  far: {prompt: '^far> '}
  near: {prompt: '^near> '}
  q_name: {asks: '^name \{(?P<default>.*)\}: ', takes: '[a-z0-9-]{1,8}'}
  q_net: {asks: '^net \{(?P<default>.*)\}: '}
  q_more: {asks: '^more \{(?P<default>.*)\}: '}
  q_key: {asks: '^key: ', blind: true}
  q_all: {asks: '^take it: '}
moves:
  - {from: board, choose: '{{ device }}', to: [in, top]}
  - {from: in, to: top}
  - {from: top, send: long way, to: far, cost: 9}
  - {from: top, send: to near, to: near}
  - {from: near, send: to far, to: far}
  - {from: far, send: back, to: top}
  - {from: near, send: back, to: top}
prepare:
  - {title: ground, at: top, send: lay ground, read: ground, shows: flat}
interviews:
  setup:
    first: q_name
    begin: {at: top, send: ask}
    again: ctrl-z
    otherwise: {q_name: '', q_net: '', q_more: n}
    summary: {at: q_all, 'yes': 'y', 'no': 'n', take: {net: '^ net (?P<value>.+)$'}}
    ends: [top]
settings:
  hostname:
    {in: setup, replies: {q_name: '{{ value }}'}, read: name, also: {at: top, send: 'call {{ value }}', read: name}}
  wireless.ssids:
    in: setup
    replies:
      q_net: |
        {% for s in value %}
        {{ s.name }}
        {% endfor %}
      q_key: |
        {% for s in value if s.secret %}
        {{ s.secret }}
        {% endfor %}
      q_more: |
        {% for s in value %}
        {{ 'n' if loop.last else 'y' }}
        {% endfor %}
    read: net
    shows: '{{ value.name }}'
  switch.vlans:
    at: top
    after: [switch.ports]
    send: |
      {% for v in value %}
      v {{ v.id }} ~> near
      {% if v.name %}
      as {{ v.name }}
      {% endif %}
      back ~> top
      {% endfor %}
    read: vlan
    shows: '{{ value.id }} {{ value.name }}'
    holds: in any order
  switch.ports:
    at: top
    send: p {{ value | map(attribute='ports') | map('folded') | join(' ') }}
    read: port
    holds: among others
    shows: |
      {% for p in value.ports %}
      {{ p }} {{ value.vlan }}
      {% endfor %}
  idle.timeout: {at: top, send: 'idle {{ value }}', confirm: {at: top, send: 'stay {{ value }}', within: 60 s}}
  services.ssh:
    {at: top, send: "ssh {{ value | flag('up', 'down') }}", read: ssh, shows: "{{ value | flag('up', 'down') }}"}
readings:
  all:
    at: top
    ask: tell
    take: {name: '^name (?P<value>\S+)$', net: '^net (?P<value>.+)$', ground: '^ground (?P<value>\w+)$',
           vlan: '^vlan (?P<value>.+)$', port: '^port (?P<value>.+)$', ssh: '^ssh (?P<value>\w+)$'}
save:
  - {title: weigh, at: top, send: weigh, expect: '^sound$'}
  - {title: enact, at: top, send: enact, progress: '(?P<percent>\d+) of 100', patience: 60 s, effect: restarts}
"""
SHEET = b"""hostname,site,family,address,ssids,vlans,ports,idle timeout
lx1,wj,lathe-x1,10.44.8.9,"a psk secret wifi; b open guest","20 staff; 30","1-3 access vlan 20; 7 access vlan 30",10
"""
JOB = """job: t
baseline: {services: {ssh: on}, accounts: {administrator: ada}}
sites: {wj: {subnet: 10.44.8.0/24}}
"""


@pytest.fixture(scope="module")
def book() -> Phrasebook:
    return load_phrasebook(BOOK, "lathe-x1.yaml")


@pytest.fixture(scope="module")
def script(book: Phrasebook) -> Script:
    rows, problems = read_sheet(SHEET)
    assert not problems
    return compile_script(resolve(read_job(JOB), rows, {"lathe-x1": book.rules}).devices[0], book)


def step_of(script: Script, setting: str) -> Step:
    return next(p for p in script.steps if p.setting == setting)


def keys(device: str = "lx1") -> Keyring:
    return Keyring([("u", SecretRef("factory/lathe-x1"))], {}, device)


# -- scripts ------------------------------------------------------------------------------------------
def test_loops_conditions_order_and_several_lines(script: Script) -> None:
    assert script.steps[0].setting == "prepare.0" and script.steps[0].shows == Shows("ground", ("flat",))
    order = [p.setting for p in script.steps]
    assert order.index("switch.ports") < order.index("switch.vlans")
    assert step_of(script, "switch.vlans").what == Lines(
        (
            StepLine(typed("v 20"), "near"),
            StepLine(typed("as staff")),
            StepLine(typed("back"), "top"),
            StepLine(typed("v 30"), "near"),
            StepLine(typed("back"), "top"),
        )
    )
    ports = step_of(script, "switch.ports")
    assert ports.shown == "p 1-3 7"
    assert ports.shows == Shows("port", ("1 20", "2 20", "3 20", "7 30"), Holds.AMONG_OTHERS)
    assert step_of(script, "idle.timeout").how.confirm.send == "stay 10"  # type: ignore[union-attr]
    assert [(p.title, p.stop, p.effect) for p in script.saves] == [
        ("weigh", Stop.SAVE, Effect.NONE),
        ("enact", Stop.SAVE, Effect.RESTARTS),
    ]


def test_an_interview_has_an_answer_for_each_question_in_turn(script: Script) -> None:
    held = script.interviews["setup"]
    assert {q: [deed.shown for deed in turns] for q, turns in held.answers.items()} == {
        "q_name": ["lx1"],
        "q_net": ["a", "b"],
        "q_more": ["y", "n"],
        "q_key": ["••••••••"],
    }
    assert step_of(script, "hostname").also is not None


@pytest.mark.parametrize(
    ("sheet", "why"),
    [
        (SHEET.replace(b"lx1,", b"lx1-is-too-long,"), "is not an answer that q name takes"),
        (SHEET.replace(b'30"', b'30 a-name-that-is-longer-than-forty-characters-is"'), "a line of 49 characters"),
    ],
)
def test_what_the_family_would_not_take_is_caught_before_it_is_said(book: Phrasebook, sheet: bytes, why: str) -> None:
    device = resolve(read_job(JOB), read_sheet(sheet)[0], {"lathe-x1": book.rules}).devices[0]
    blocked = [u for u in compile_script(device, book).not_sent if why in u.why]
    assert len(blocked) == 1 and why in blocked[0].why


# -- talk ---------------------------------------------------------------------------------------------
def talk(book: Phrasebook, errand: Any, shown: bytes, replies: list[bytes]) -> tuple[Any, list[str]]:
    player = Player(book, replies, timing=Timing(boots_in=1.0, echo_check=False))
    return player.run(errand, shown), [said.rstrip("\r") for said in player.sent]


def test_notices_are_passed_a_menu_offers_and_the_cheapest_way_is_taken(book: Phrasebook) -> None:
    ended, said = talk(
        book,
        arrive(book.map, "far", keys()),
        b"any key goes on",
        [b"\r\n 1 other\r\n 2 lx1\r\nwhich: ", b"\r\nwho: ", b"\r\ntop> ", b"\r\nnear> ", b"\r\nfar> "],
    )
    assert ended.error is None and said == [" ", "2", "u", "to near", "to far"]
    ended, said = talk(book, arrive(book.map, "far", keys("lx9")), b" 1 other\r\nwhich: ", [])
    assert isinstance(ended.error, Stuck) and "does not offer lx9; it offers other" in str(ended.error) and said == []
    lines = "".join(f"\r\n {n} {'lx1' if n == 1 else f'lx9{n:03}-in-a-far-corner-of-the-works'}" for n in range(1, 97))
    assert talk(book, arrive(book.map, "far", keys()), f"{lines}\r\nwhich: ".encode(), [])[1][:1] == ["1"]


INTERVIEW = [
    b"\r\nname {lathe}: ",
    b"\r\nnet {none}: ",
    b"\r\nkey: ",
    b"\r\nmore {n}: ",
    b"\r\nnet {none}: ",
    b"\r\nmore {n}: ",
    b"\r\n net a\r\n net b\r\ntake it: ",
    b"\r\ndone\r\ntop> ",
]
ANSWERS = ["ask", "lx1", "a", "••••••••", "y", "b", "", "y"]


def test_an_interview_is_answered_by_what_it_asks_and_keeps_what_is_right(book: Phrasebook, script: Script) -> None:
    """The last `more {n}` is answered by Enter alone, since n is what stands there."""
    held = script.interviews["setup"]
    ended, said = talk(book, hold_interview(book, script, held, keys()), b"top> ", list(INTERVIEW))
    assert ended.error is None, ended
    assert said == ANSWERS


def test_a_half_answered_interview_is_begun_anew_and_a_wrong_summary_is_not_taken(
    book: Phrasebook, script: Script
) -> None:
    held = script.interviews["setup"]
    wrong = [b"\r\nname {lathe}: ", *INTERVIEW[1:6], b"\r\n net a\r\n net x\r\ntake it: "]
    ended, said = talk(book, hold_interview(book, script, held, keys()), b"more {n}: ", [*wrong, *INTERVIEW])
    assert ended.error is None, ended
    assert said == ["\x1a", *ANSWERS[1:7], "n", *ANSWERS[1:]]
    ended, said = talk(book, hold_interview(book, script, held, keys()), b"more {n}: ", [*wrong, *wrong])
    assert isinstance(ended.error, Stuck) and "summary shows wireless networks otherwise" in str(ended.error)


def test_what_somebody_left_half_answered_is_refused_at_the_summary_or_asked_of_a_person(
    book: Phrasebook, script: Script
) -> None:
    """Where no key begins the questions anew, even a summary that is as planned is not taken at once."""
    held = script.interviews["setup"]
    no_key = replace(held, interview=replace(held.interview, again=None))
    rest = [b"\r\n net a\r\n net b\r\ntake it: ", b"\r\nname {lathe}: ", *INTERVIEW[1:]]
    ended, said = talk(book, hold_interview(book, script, no_key, keys()), b"more {n}: ", rest)
    assert ended.error is None and said == ["y", "n", *ANSWERS[1:]], (ended, said)
    blind = replace(no_key, interview=replace(no_key.interview, summary=None), answers={"q_net": (TypeLine(()),)})
    ended, said = talk(book, hold_interview(book, script, blind, keys()), b"net {theirs}: ", [])
    assert isinstance(ended.error, Stuck) and "'theirs' at q net may be theirs" in str(ended.error) and said == []


def test_questions_for_which_nothing_is_planned_are_left_as_they_stand(book: Phrasebook, script: Script) -> None:
    """What has no default is answered as the phrasebook says, or is a person's; the summary is refused."""
    held = replace(script.interviews["setup"], settings=(), answers={"q_key": (typed("spare"),)})
    end = [b"\r\nkey: ", b"\r\nmore {y}: ", b"\r\n net a\r\ntake it: ", b"\r\ntop> "]
    ended, said = talk(book, leave_interview(held, 5.0), b"net {theirs}: ", list(end))
    assert ended.error is None and ended.result().name == "top" and said == ["", "spare", "", "n"], (ended, said)
    ended, said = talk(book, leave_interview(replace(held, answers={}), 5.0), b"net {theirs}: ", list(end))
    assert "no answer at q key" in str(ended.error) and said == [""]
    ended, said = talk(book, leave_interview(held, 5.0), b"more {y}: ", [*end[2:3], *[b"\r\nmore {y}: ", end[2]] * 9])
    assert "by hand" in str(ended.error) and len(said) < 10


def test_a_question_that_is_asked_for_ever_ends(book: Phrasebook, script: Script) -> None:
    held = script.interviews["setup"]
    ended, said = talk(book, hold_interview(book, script, held, keys()), b"top> ", [b"\r\nname {x}: "] * 99)
    assert "again and again" in str(ended.error) and len(said) < 10
    ended, said = talk(
        book,
        hold_interview(book, script, held, keys()),
        b"top> ",
        [b"\r\nname {x}: ", *[b"\r\nno: too short\r\nname {x}: "] * 99],
    )
    assert isinstance(ended.error, RefusedByDevice) and "too short" in str(ended.error)


def test_lines_lead_where_they_say_or_the_phrase_stops(book: Phrasebook, script: Script) -> None:
    vlans = step_of(script, "switch.vlans")
    replies = [b"\r\nnear> ", b"\r\nmind: slow\r\nnear> ", b"\r\ntop> ", b"\r\nnear> ", b"\r\ntop> "]
    ended, said = talk(book, send_step(book, vlans, keys()), b"top> ", list(replies))
    assert ended.error is None and ended.result().warnings == ("mind: slow",)
    ended, said = talk(book, send_step(book, vlans, keys()), b"top> ", [b"\r\nno: not now\r\ntop> "])
    assert isinstance(ended.error, RefusedByDevice) and said == ["v 20"]
    ended, said = talk(book, send_step(book, vlans, keys()), b"top> ", [b"\r\ntop> "])
    assert ended.error is not None and "stood at top" in str(ended.error) and said == ["v 20"]


def test_progress_is_told_and_its_silence_has_an_end(book: Phrasebook, script: Script) -> None:
    player = Player(book, [], timing=Timing(boots_in=1.0, echo_check=False))
    running = player.talk.begin(send_step(book, script.saves[1], keys()), player.now)
    player.show(b"top> ")
    player.now += 1
    player.poll()
    assert player.sent == ["enact\r"]
    for percent in range(0, 100, 20):
        player.now += 50
        player.show(f"\r{percent} of 100".encode())
    why = [e.why for e in player.talk.take_events() if isinstance(e, Waits)]
    assert why[-1] == "enact, 80 %"
    ended = player.end(running)
    assert "Unknown prompt" in str(ended.error)


def test_a_reading_torn_by_log_lines_is_asked_again(book: Phrasebook) -> None:
    torn, whole = b"\r\nname l\r\n# fan\r\nx1\r\ntop> ", b"\r\nname lx1\r\ntop> "
    ended, said = talk(book, take_reading(book, book.readings["all"], keys()), b"top> ", [torn, whole])
    assert ended.result().lines == ("name lx1",) and said == ["tell", "tell"]


@pytest.mark.parametrize(("shown", "serial"), [(b"lathe LX77\r\ntop> ", "LX77"), (b"top> ", None)])
def test_what_a_console_shows_of_its_box_is_remembered(book: Phrasebook, shown: bytes, serial: str | None) -> None:
    player = Player(book, [])
    player.run(arrive(book.map, "top", keys()), shown)
    assert player.talk.locator.identity.get("serial") == serial


# -- facts --------------------------------------------------------------------------------------------
LINES = (
    "box 1",
    "  name a",
    "  mask 255.255.255.0",
    "box 2",
    "  name b",
    "  list x, y,z",
    "",
    "PORT    KIND  VLAN  NOTE",
    "1/1     bare  20    a desk",
    "1/2           -",
    "",
    "1/3     bare  30",
    "",
    "unlit  lit",
    "3      7",
)


def taken(**wanted: Any) -> list[str]:
    import re

    take = Take(
        "f",
        re.compile(wanted.pop("pattern")),
        wanted.pop("value", "{{ value }}"),
        **{k: re.compile(v) if isinstance(v, str) else v for k, v in wanted.items()},
    )
    return [fact.value for fact in gather({"f": take}, LINES, re.compile(r"^\S")).get("f", ())]


def test_facts_by_section_table_list_and_in_one_writing() -> None:
    assert taken(pattern=r"^  name (?P<value>\w+)$") == ["a", "b"]
    assert taken(pattern=r"^  name (?P<value>\w+)$", under="^box 2$") == ["b"]
    assert taken(pattern=r"^  name (?P<n>\w+)$", under=r"^box (?P<x>\d)$", value="{{ x }}:{{ n }}") == ["1:a", "2:b"]
    assert taken(pattern=r"^  mask (?P<m>\S+)$", value="/{{ m | prefix }}") == ["/24"]
    assert taken(pattern=r"^  name (?P<m>\S+)$", value="{{ m | prefix }}") == ["a", "b"]  # as it was shown
    assert taken(pattern=r"^  list (?P<value>.+)$", split=", *") == ["x", "y", "z"]
    assert taken(
        pattern=r"^PORT +KIND", columns={"p": "PORT", "v": "VLAN", "n": "NOTE"}, value="{{ p }} {{ v }} {{ n }}"
    ) == ["1/1 20 a desk", "1/2 -"]
    assert taken(pattern="^unlit", columns={"value": "lit"}) == ["7"], "a heading is a word, not a part of another"


def test_a_value_that_goes_on_in_the_next_line_is_one_value_for_a_run_and_in_a_recording() -> None:
    source = BOOK.replace(
        "readings:\n",
        """readings:
  told:
    at: top
    ask: tell it
    sections: '^\\S'
    goes_on: '^ +\\.\\. '
    take:
      greeting: '^greeting +(?P<value>.+)$'
      dns: {line: '^(?:dns)? +(?P<value>[\\d.]+)$', under: '^dns'}
      ntp: {line: '^(?:ntp)? +(?P<value>[\\d.]+)$', under: '^ntp'}
""",
    )
    book = load_phrasebook(source, "lathe-x1.yaml")
    rows = (
        "greeting  Kettlestone Valley ",
        "       .. Railway. Staff",
        "    .. only.",
        "dns  10.0.0.1",
        "     10.0.0.2",
    )
    rows += ("ntp  10.0.0.3", "     10.0.0.4")
    facts = facts_in(book.readings["told"], rows, frozenset({1}), None)
    assert {name: [fact.value for fact in found] for name, found in facts.items()} == {
        "greeting": ["Kettlestone Valley Railway. Staffonly."],
        "dns": ["10.0.0.1", "10.0.0.2"],
        "ntp": ["10.0.0.3", "10.0.0.4"],
    }
    heard = [h.name for h in replay([(0.0, "o", "".join(f"{row}\r\n" for row in rows))], book)]
    assert heard == ["greeting", "goes on", "goes on", "dns", "dns", "ntp", "ntp"]


@pytest.mark.parametrize(
    ("shown", "verdict", "read"),
    [
        (("port 1 20", "port 2 20", "port 3 20", "port 4 99", "port 7 30"), Verdict.HOLDS, "1-3 20  7 30"),
        (("port 1 20", "port 2 99", "port 3 20", "port 7 30"), Verdict.DIFFERS, "1,3 20  2 99  7 30"),
        (("port 9 20",), Verdict.ABSENT, ""),
    ],
)
def test_among_others_only_what_was_planned_matters(
    book: Phrasebook, script: Script, shown: tuple[str, ...], verdict: Verdict, read: str
) -> None:
    facts = gather(book.readings["all"].take, shown)
    found = next(f for f in judge(script, facts, Source.RUNNING) if f.setting == "switch.ports")
    assert (found.verdict, found.read) == (verdict, read)


# -- writing ------------------------------------------------------------------------------------------
@given(st.integers(0, 32))
def test_a_mask_is_a_length_and_back(length: int) -> None:
    assert prefix(mask(length)) == length


@given(st.lists(st.integers(1, 60).map(str), unique=True, min_size=1), st.integers(5, 30))
def test_ports_in_pieces_are_the_same_ports(ports: list[str], longest: int) -> None:
    ordered = sorted(ports, key=int)
    parts = pieces(ordered, longest)
    assert [p for part in parts for p in unfolded(part)] == ordered and all(len(p) <= longest for p in parts)
    assert unfolded(folded(ordered)) == tuple(ordered)


@pytest.mark.parametrize(
    ("text", "is_"),
    [("90", 90), ("10 min", 600), ("1h30m", 5400), ("1 d, 2 hours", 93600), ("00:10:00", 600), ("02:30", 150)],
)
def test_durations_in_any_writing(text: str, is_: int) -> None:
    assert seconds(text) == is_


def test_other_writings_and_what_is_none() -> None:
    assert mac("02-4B-56-10-33-01", ".", 4) == "024b.5610.3301"
    assert flag("Enabled") == "on" and flag(False, "y", "n") == "n"
    for wrong in (lambda: mask("255.0.255.0"), lambda: seconds("soon"), lambda: mac("02"), lambda: flag("perhaps")):
        with pytest.raises(ValueError):
            wrong()
    assert set(FILTERS) >= {"mask", "wildcard", "prefix", "mac", "seconds", "minutes", "folded", "flag", "listed"}


@pytest.mark.parametrize("value", ["two\nlines", "top ~> far\u2028", "\ue002far"])
def test_a_value_can_never_add_a_line_or_a_way(value: str) -> None:
    with pytest.raises(WordsError):
        render_lines("say {{ value }} ~> top", value=value)
    assert render_lines("say {{ value }} ~> top", value="x ~> far") == (FilledLine(("say x ~> far",), "top"),)


def test_a_secret_inside_something_else_is_not_said() -> None:
    with pytest.raises(WordsError, match="by itself"):
        render_lines("{{ value | join(' ') }}", value=[SecretRef("a"), "b"])


COSTLY = [
    "{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}",
    "{{ 'x' * 9999999999 }}",
    "{{ 9 ** 9999999 }}",
    "{{ '%999999999d' % 1 }}",
    "{{ '%*d' % (99999999, 1) }}",
    "{{ '{:>999999999}'.format(1) }}",
    "{{ 'x'.ljust(999999999) }}",
    "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}",
    "{{ range(1000000000) | list }}",
    "{% set x = 'xxxxxxxxxx' %}" + "{% set x = x ~ x %}" * 40 + "{{ x }}",
    "{% set a = [1,1,1,1,1,1,1,1] %}" + "{% set a = [a,a,a,a,a,a,a,a] %}" * 12 + "{{ a }}",
    "{% set a = 'aaaaaaaaaa' %}" + "{{ a | replace('a', a) | replace('a', a) }}" * 2000,
]


@pytest.mark.parametrize("source", COSTLY, ids=range(len(COSTLY)))
@pytest.mark.timeout(10)
def test_a_template_that_would_never_end_or_fill_the_memory_is_refused(source: str) -> None:
    with pytest.raises(WordsError, match=r"may (make|go|not|multiply)|unsafe|no part of|is not printed|makes more"):
        render_lines(source)


# -- files --------------------------------------------------------------------------------------------
def test_a_family_like_another_has_its_changes_and_tells_where_a_fault_stands() -> None:
    books = shipped_families()
    s2, s9 = books["quern-s2"], books["quern-s9"]
    assert set(s2.places) < set(s9.places) and "switch.routes" in s9.steps and "switch.routes" not in s2.steps
    assert len(s9.map.moves) == len(s2.map.moves) + 4 and "port" in s9.readings["everything"].take
    moves = "moves:\n  - {from: base, send: x, to: nowhere}\n"
    child = f"family: own\nlike: quern-s2\ntitle: Own\nplaces: {{bindings: }}\n{moves}"
    with pytest.raises(PhrasebookError) as caught:
        load_family(child, "own.yaml")
    told = str(caught.value)
    assert f"own.yaml:6 (moves.{len(s2.map.moves)}.to): no place is called 'nowhere'" in told, told
    assert "quern-s2.yaml:" in told and "no place is called 'bindings'" in told
    for like, why in (("own", "no other family"), ("nothing", "no other family")):
        with pytest.raises(PhrasebookError, match=why):
            load_family(f"family: own\nlike: {like}\n", "own.yaml")


FAULTS = [
    ("choose: '{{ device }}'", "choose: '{{ devise }}'", "did you mean device?"),
    ("'^ (?P<key>\\d) (?P<text>\\S+)$'", "'^ (?P<key>\\d)$'", "needs groups named key and text"),
    ("holds: among others", "holds: among other", "did you mean among others?"),
    ("effect: restarts", "effect: restart", "did you mean restarts?"),
    ("within: 60 s", "within: a while", "write it like 90 s"),
    ("in: setup, replies: {q_name", "in: set-up, replies: {q_name", "did you mean setup?"),
    ("v {{ v.id }} ~> near", "v {{ v.id }} ~> neer", "did you mean near?"),
    ("at: top, send: weigh,", "at: top,", "'send' is missing"),
    ("identity_lines: {serial:", "identity_lines: {seriel:", "did you mean serial?"),
    ("{net: '^ net (?P<value>.+)$'}", "{net: '^ net .+$'}", "no group named value"),
    ("again: ctrl-z", "again: ctrl-zz", "did you mean ctrl-z?"),
    ("  - {from: near, send: back,", "  - {from: near, send: back, press: q,", "exactly one of send, press"),
    ("  - {from: in, to: top}", "  - {from: top, send: '{{ password }}', to: top}", "asks_for: password"),
    ("at: top, send: weigh,", "at: top, say: weigh,", "'say' is now 'send'"),
    ("  switch.vlans:", "  edge.inside:", "edge.inside is now edge.local"),
    ("typing: {cancel: ctrl-x,", "typing: {screen: wide, cancel: ctrl-x,", "write it like 80x24"),
    ("after: [switch.ports]", "after: [switch.prots]", "did you mean switch.ports?"),
    ("    first: q_name", "    frist: q_name", "did you mean first?"),
]


def test_a_file_in_the_old_words_is_put_into_the_new_ones_and_nothing_else_is_touched() -> None:
    old = BOOK.replace("send:", "say:").replace("\nsave:", "\nkeep:").replace("\nidentity_lines:", "\nmarks:")
    old = old.replace(", asks_for: user", "").replace("{from: in, to: top}", "{from: in, say: '{{ user }}', to: top}")
    with pytest.raises(PhrasebookError, match="is now"):
        load_phrasebook(old, "lathe-x1.yaml")
    new = rewritten(old, "lathe-x1.yaml")
    assert load_phrasebook(new, "lathe-x1.yaml").steps.keys() == load_phrasebook(BOOK, "lathe-x1.yaml").steps.keys()
    differing = [(a, b) for a, b in zip(old.split("\n"), new.split("\n"), strict=True) if a != b]
    assert all(a.replace("say:", "send:").replace("keep:", "save:").replace("marks:", "identity_lines:") in
               (b, b.replace(", asks_for: user", "")) for a, b in differing)  # fmt: skip
    assert rewritten(new, "lathe-x1.yaml") == new
    assert rewritten("a: &a {say: 1}\nb: *a\nc: &c [*c]\n", "odd.yaml").startswith("a: &a {send: 1}\n")
    with pytest.raises(PhrasebookError, match="duplicate key"):
        rewritten("settings:\n  logs.memory: {}\n  logs.flash: {}\n", "two-are-one.yaml")


@pytest.mark.parametrize(("right", "wrong", "why"), FAULTS)
def test_a_fault_of_any_part_is_told_with_its_line(right: str, wrong: str, why: str) -> None:
    assert BOOK.count(right) >= 1
    with pytest.raises(PhrasebookError) as caught:
        load_phrasebook(BOOK.replace(right, wrong, 1), "lathe-x1.yaml")
    line = next(n for n, text in enumerate(BOOK.split("\n"), 1) if right.split("\n")[0].strip() in text)
    told = [p for p in caught.value.problems if why in str(p)]
    assert told and all(p.spot.line and abs(p.spot.line - line) <= 6 for p in told), str(caught.value)


@pytest.mark.parametrize(
    ("old", "new", "id"),
    [
        ("    ends: [top]\n", "", "interview-endless"),
        ("within: 60 s", "within: 5 s", "confirm-too-soon"),
        ("progress: '(?P<percent>\\d+) of 100'", "progress: '(?P<percent>(\\d+)+) of 100'", "pattern-runs-away"),
        ("otherwise: {q_name: '', q_net: '', q_more: n}", "otherwise: {q_name: '', q_more: n}", "question-unanswered"),
    ],
)
def test_examination_reads_every_part(old: str, new: str, id: str) -> None:
    def ids(text: str) -> set[str]:
        return {p.id for p in examine(load_phrasebook(text, "x"), "x")}

    assert old in BOOK and id in ids(BOOK.replace(old, new)) - ids(BOOK)


@pytest.mark.parametrize("family", ["quern-s9", "hollin-g4", "hollin-m1", "sallow-w5", "marrable-v6", "linux-box"])
def test_the_shipped_families_have_no_error(family: str) -> None:
    file = f"{family}.yaml"
    read: Callable[..., str] = (resources.files("zinger.phrasebook") / "families" / file).read_text
    problems = examine(load_phrasebook(read("utf-8"), file), file)
    assert [str(p) for p in problems if p.severity.value == "error"] == []
    assert "phrase-unread" not in {p.id for p in problems}


QUICK = [shipped_source(name)[0] for name in sorted(shipped_families())]  # type: ignore[index]


@pytest.mark.parametrize("text", [*QUICK, "a: on\nb: 0o17\nc: -1.5e3\nd: ~\ne: 012"])
def test_a_file_read_quickly_is_the_same_as_with_its_lines(text: str) -> None:
    assert json.dumps(quick_yaml(text, "f")) == json.dumps(load_yaml(text, "f"))


def test_what_the_quick_reader_refuses_is_told_by_the_slow_one_with_its_line() -> None:
    with pytest.raises(UnreadableError, match="f:3: not valid YAML"):
        quick_yaml("a: 1\nb: 2\na: 3\n", "f")
