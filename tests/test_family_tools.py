"""Writing a phrasebook: a start that loads, what examination finds, a recording read through the map."""

from __future__ import annotations

import json
import re
from importlib import resources
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import CARD, zinger
from zinger.phrasebook.begin import Start, commented_start
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.examine import examine
from zinger.phrasebook.load import load_phrasebook, schema, shipped_families
from zinger.phrasebook.patterns import runs_away, sample
from zinger.plan.values.secrets import MASK
from zinger.talk.replay import replay

SOURCE = (resources.files("zinger.phrasebook") / "families" / "quern-s2.yaml").read_text("utf-8")


@pytest.mark.parametrize(
    "pattern",
    [r"^<(?P<hostname>\S+) : base> $", r"a|b", r"[^x]y{2,4}", r"\d+\s\w+[-_]", r"(?:ab)+(?=ab)?c*", r"[^a-z\d]", r"."],
)
def test_a_sample_is_matched_by_its_pattern(pattern: str) -> None:
    assert re.search(pattern, sample(pattern)), sample(pattern)


@given(st.from_regex(r"[a-z]{1,4}( [a-z0-9]{1,3}){0,3}", fullmatch=True))
def test_a_plain_text_is_its_own_sample(text: str) -> None:
    assert sample(re.escape(text)) == text


@pytest.mark.parametrize(
    ("pattern", "bad"),
    [
        (r"(x+)+", True),
        (r"^(a|aa)+$", True),
        (r"(.*,)*x", True),
        (r"^(\w\w?|\d)+:", True),
        (r"(?:[a-f]+|[0-9]+)+-", True),
        (r"(?:\w+ ?\w*;)*", True),
        (r"(?:[a-f]|[0-9])+-", False),
        (r"(?:\w+=\w+,)*end", False),
        (r"(?P<ports>\d+(?:-\d+)?(?:,\d+(?:-\d+)?)*)$", False),
        (r"(\S+\s?)+ok", True),
        (r"((a|b+)*)c", True),
        (r"(?:\s*\w*)*$", True),
        (r"(\S+ )+", False),
        (r"\S+ : \S+", False),
        (r"(?:a{2,5})+", True),
        (r"^ +\d+$", False),
        (r"(?P<v>[^ ]+)*", True),
        (r"^.*,.*,.*,.*x$", True),
        (r"^(?P<a>.+) +(?P<b>.+) +(?P<c>.+)$", True),
        (r"^(?P<a>\S+) +(?P<b>\S+) +(?P<c>.+)$", False),
        (r"link .* changed its state to .*", False),
        (r"^ *(?P<a>\S+) .*: (?P<b>.*)$", False),
        (r".*,\S*x", True),
    ],
)
def test_a_pattern_that_can_run_away_is_told(pattern: str, bad: bool) -> None:
    assert runs_away(pattern) is bad


def ids(source: str) -> dict[str, str]:
    return {p.id: str(p) for p in examine(load_phrasebook(source, "own.yaml"), "own.yaml")}


def test_the_shipped_phrasebook_has_no_error() -> None:
    assert ids(SOURCE) == {}


@pytest.mark.parametrize(
    ("old", "new", "id", "words"),
    [
        (
            "  - {from: door_http,      send: ascend,               to: doors}\n",
            "",
            "place-dead-end",
            "door_http to base",
        ),
        ("base/clock, do: '", "base/log, do: '", "places-alike", "matches it too"),
        ("  - '^refused: (?P<why>.+)$'", "  - '^refused(: ?)+$'", "", ""),
        ("  - '^refused: (?P<why>.+)$'", "  - '^refused(\\s*\\S*)*$'", "pattern-runs-away", "never end"),
        (", undo: 'rename {{ before }}', read: name}", "}", "setting-not-read", "hostname is sent"),
        (
            "places:\n",
            "places:\n  left: {prompt: '^left> '}\n  right: {prompt: '^right> '}\n",
            "place-dead-end",
            "right to base",
        ),
        (
            "moves:\n",
            "moves:\n  - {from: l, send: a, to: r}\n  - {from: r, send: b, to: l}\n",
            "places-circle",
            "only to each",
        ),
        ("noise:\n", "noise:\n  - '^.*do'\n", "noise-hides", "log lines"),
        ("    startup: tell all startup\n", "", "save-not-shown", "after a power cut only"),
    ],
)
def test_examination_finds_what_only_a_device_would_show(old: str, new: str, id: str, words: str) -> None:
    assert old in SOURCE
    source = SOURCE.replace(old, new, 1)
    if "from: l," in new:
        source = source.replace("places:\n", "places:\n  l: {prompt: '^l> '}\n  r: {prompt: '^r> '}\n", 1)
    found = ids(source)
    assert (id in found and words in found[id]) if id else found == {}, found


def test_what_was_typed_blind_is_printed_as_dots(tmp_path: Path) -> None:
    """A recording from elsewhere, made with its input, key by key."""
    echoed = [(0.0, "o", "who is there? "), *((1.0, code, key) for key in "ada" for code in "io")]
    blind = [(1.0, "i", "\r"), (1.1, "o", "\r\nsecret of ada: "), *((2.0, "i", key) for key in "hush-hush-99\r")]
    events = [*echoed, *blind, (3.0, "o", "\r\nsw1 in look, do: ")]
    tape = tmp_path / "by-hand.cast"
    tape.write_text("\n".join(map(json.dumps, [{"version": 2}, *events])) + "\n")
    shown = zinger("family", "try", "quern-s2", tape).stdout
    assert "hush" not in shown and re.findall(r"sent +(\S+)", shown) == ["ada", MASK], shown


@given(
    st.from_regex(r"[a-z]{2,8}(-[a-z0-9]{1,4})?", fullmatch=True),
    st.sampled_from(["[HOSTNAME]$ ", "HOSTNAME: ", "it's> "]),
)
def test_a_start_always_loads_and_knows_its_prompt(name: str, prompt: str) -> None:
    book = load_phrasebook(commented_start(name, Start([prompt], "who? ", "word (secret)? ")), "start.yaml")
    known = book.terminal.recognise(prompt.replace("HOSTNAME", "sw1"))
    assert known and known[0].name == "main"
    assert all(p.id in ("settings-not-sent", "save-not-shown") for p in examine(book, "start.yaml"))


def test_a_recording_is_read_through_the_map(quern: Phrasebook) -> None:
    shown = (
        "quern loader 1.4\r\n",
        "who is there? ",
        "installer\r\nsecret of installer: ",
        "\r\nsw1 in look, do: ",
        "take charge\r\nsw1 in base, do: ",
        "tell\r\n   name ............ sw1\r\n@10:00:00 fan\r\nno such word: x\r\n",
        "what is this\r\n",
        "half a li",
    )
    events = [(float(n), "o", text) for n, text in enumerate(shown)]
    events.insert(2, (1.5, "i", "installer\r"))
    heard = [(h.kind, h.name or h.text) for h in replay(events, quern)]
    assert heard == [
        ("boot", "quern loader 1.4"),
        ("place", "sign_in"),
        ("sent", "installer"),
        ("place", "secret (user installer)"),
        ("place", "look (hostname sw1)"),
        ("place", "base (hostname sw1)"),
        ("fact", "name"),
        ("noise", "@10:00:00 fan"),
        ("refusal", "no such word: x"),
        ("", "what is this"),
        ("unknown", "half a li"),
    ]


def test_a_drawn_screen_is_read_row_by_row() -> None:
    book = shipped_families()["marrable-v6"]
    drawn = "\x1b[2J\x1b[1;1H MARRABLE V6   READ BACK\x1b[4;1H zone       Europe/Vienna\x1b[24;1H pick (0 goes back): "
    heard = [(h.kind, h.name.split(" ")[0]) for h in replay([(0.0, "o", drawn), (1.0, "o", "\x1b[24;22H")], book)]
    assert heard == [("place", "read"), ("fact", "zone")]


def test_one_setting_is_told_with_its_parts_and_the_families() -> None:
    told = zinger("family", "words", "ntp.servers").stdout
    assert "  poll " in told and "needed" in told and re.search(r"Linux box +sent, shown; owed where planned", told)
    assert "did you mean ntp.servers?" in zinger("family", "words", "ntp.server").stderr


def test_the_family_commands(tmp_path: Path) -> None:
    own = tmp_path / "quern-s4.yaml"
    assert zinger("family", "new", "quern-s4", "--file", own).returncode == 0
    assert "is there already" in zinger("family", "new", "quern-s4", "--file", own).stderr
    assert zinger("family", "check", own).returncode == 0
    drawn = zinger("family", "show", "quern-s2", "--svg", tmp_path / "m.svg", "--pdf", tmp_path / "m.pdf")
    assert drawn.returncode == 0 and "door_telnet" in (tmp_path / "m.svg").read_text()
    assert (tmp_path / "m.pdf").read_bytes().startswith(b"%PDF")
    assert "<- descend mgmt" in zinger("family", "show", "quern-s2").stdout
    own.write_text(SOURCE.replace("  - {from: door_http,      send: ascend,               to: doors}\n", ""))
    found = zinger("family", "check", own, "--json")
    assert found.returncode == 1 and json.loads(found.stdout)[0]["id"] == "place-dead-end"
    cast = tmp_path / "a.cast"
    cast.write_text('{"version": 2}\n[0.5, "o", "sw1 in base, do: "]\n')
    assert "base (hostname sw1)" in zinger("family", "try", "quern-s2", cast).stdout
    cast.write_text('{"version": 2}\nnonsense\n')
    assert f"{cast}:2 is not a line" in zinger("family", "try", "quern-s2", cast).stderr
    card = tmp_path / "lathe-c1.yaml"
    card.write_text(CARD)
    assert "factory card only" in zinger("family", "show", card).stderr
    assert "did you mean quern-s2" in zinger("family", "check", "quern-s22").stderr


def test_the_published_schema_is_that_of_the_code() -> None:
    published = Path(__file__).parent.parent / "docs" / "phrasebook.schema.json"
    assert json.loads(published.read_text("utf-8")) == schema(), "run `make docs`"
