"""Facts to findings; and what must not be lost or leaked: vault, masker, journal, recordings."""

from __future__ import annotations

import asyncio
import json
import re
import sqlite3
import stat
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pyrage
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zinger.phrasebook.book import Phrasebook
from zinger.plan.families import FamilyRules
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.resolve import resolve
from zinger.plan.values.secrets import MASK, SecretRef
from zinger.proof.facts import gather
from zinger.proof.findings import Source, Verdict, judge, to_send
from zinger.proof.outcome import Deeds, State, outcome
from zinger.script.compile import Script, compile_script
from zinger.store.entries import JournalError
from zinger.store.journal import Journal
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.store.vault import Vault, VaultError, make_secret
from zinger.talk.terminal.typed import Typed


@pytest.fixture
def script(quern: Phrasebook) -> Script:
    rows, _ = read_sheet(b"hostname,site,family,address,dns\nsw1,wj,quern-s2,10.44.8.11,10.44.8.2 10.44.8.3\n")
    job = read_job(
        "job: t\nbaseline:\n  accounts: {administrator: ada}\n  services: {ssh: on}\n"
        "sites:\n  wj: {subnet: 10.44.8.0/24}"
    )
    return compile_script(resolve(job, rows, {"quern-s2": quern.rules}).devices[0], quern)


SHOWN = (
    "   name ............ sw1",
    "   person .......... installer (keeper)",
    "   person .......... ada (keeper)",
    "   address ......... 10.44.8.11 len 24 (fixed)",
    "   gateway ......... 10.44.8.1",
    "   resolver ........ 10.44.8.2",
    "   resolver ........ 10.44.8.3",
    "   ssh ............. open",
)


def test_a_full_disk_ends_a_recording_and_not_the_session() -> None:
    told: list[str] = []
    recording = Recording(Path("/dev/full"), "sw1, console", told.append)
    recording.shown(b"who is there? ")
    recording.close()
    assert told == ["the recording full can't be written: No space left on device"]


def test_what_is_as_planned_holds_with_its_line(quern: Phrasebook, script: Script) -> None:
    findings = judge(script, gather(quern.readings["everything"].take, SHOWN), Source.RUNNING)
    assert all(f.holds for f in findings) and len(findings) == len(script.steps)
    dns = next(f for f in findings if f.setting == "dns.servers")
    assert dns.evidence.split("\n") == [SHOWN[5], SHOWN[6]]


def broken(lines: Sequence[str], width: int = 80) -> list[str]:
    """As a device shows them that breaks its rows at its terminal's width."""
    return [line[at : at + width] for line in lines for at in range(0, max(1, len(line)), width)]


@given(
    st.integers(20, 130),
    # at 73 and 83 a cell is broken just where what goes on looks like a row of its own: then it differs, honestly
    st.integers(60, 100).filter(lambda wide: wide not in (73, 83)),
)
def test_rows_that_a_device_broke_at_its_width_are_whole_again(quern: Phrasebook, long: int, wide: int) -> None:
    rows = (
        *SHOWN,
        f"   greeting ........ {('Staff of the valley railway only. ' * 5)[:long].strip()}",
        "   idle ............ 10 min",
        "ports",
        "   port       kind      untagged  tagged".ljust(wide) + "forbidden note",
        "   1/1        single    10        20,30".ljust(wide) + "44        kiosk",
        "   1/2        several   -         20".ljust(wide) + "-",
        "",
        "   zone ............ Europe/Vienna",
    )
    reading = quern.readings["everything"]
    whole = gather(reading.take, rows, reading.sections)
    torn = gather(reading.take, broken(rows), reading.sections)
    assert {name: [fact.value for fact in found] for name, found in torn.items()} == {
        name: [fact.value for fact in found] for name, found in whole.items()
    }
    assert len(whole["port"]) == 2


def test_a_row_that_a_log_line_tore_is_whole_again_and_one_that_it_followed_stays(quern: Phrasebook) -> None:
    rows = (
        "   greeting ........ Staff of the val",
        "ley railway only.",
        "   idle ............ 10 min",
        "   zone ............ UTC",
    )
    facts = gather(quern.readings["everything"].take, rows, None, frozenset({0, 2}))
    assert [facts[name][0].value for name in ("greeting", "idle", "zone")] == [
        "Staff of the valley railway only.",
        "10 min",
        "UTC",
    ]


@pytest.mark.parametrize(
    ("line", "instead", "setting", "verdict"),
    [
        (4, "   gateway ......... 10.44.8.2", "management.gateway", Verdict.DIFFERS),
        (4, "   gateway ......... (none)", "management.gateway", Verdict.ABSENT),
        (4, "", "management.gateway", Verdict.ABSENT),
        (5, "   resolver ........ 10.44.8.9", "dns.servers", Verdict.DIFFERS),
        (6, "", "dns.servers", Verdict.DIFFERS),
        (2, "   person .......... ada (watcher)", "accounts.administrator", Verdict.ABSENT),
        (7, "   ssh ............. shut", "services.ssh", Verdict.DIFFERS),
        (3, "   address ......... 10.44.8.11 len 16 (fixed)", "management.address", Verdict.DIFFERS),
    ],
)
def test_each_difference_is_found_and_said_again(
    quern: Phrasebook, script: Script, line: int, instead: str, setting: str, verdict: Verdict
) -> None:
    facts = gather(quern.readings["everything"].take, tuple(instead if i == line else x for i, x in enumerate(SHOWN)))
    wrong = [f for f in judge(script, facts, Source.STARTUP) if not f.holds]
    assert [(f.setting, f.verdict) for f in wrong] == [(setting, verdict)]
    assert [p.setting for p in to_send(script, facts)] == [setting]


def test_proved_needs_every_finding(quern: Phrasebook, script: Script) -> None:
    facts = gather(quern.readings["everything"].take, SHOWN)
    findings = [f for source in (Source.RUNNING, Source.STARTUP) for f in judge(script, facts, source)]
    findings += [replace(findings[0], setting="sign-in.ada", source=Source.OUTSIDE)]
    assert outcome(script, findings, [], Deeds()).state is State.PROVED
    assert outcome(script, findings, [("hostname", Source.AFTER_RESTART)], Deeds()).state is State.CONFIGURED
    assert outcome(script, [f for f in findings if f.setting != "hostname"], [], Deeds()).state is State.CONFIGURED
    assert outcome(script, [], [], Deeds()).state is State.CONFIGURED


def test_the_vault_is_a_plain_age_file_that_only_its_identity_opens(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "vault.age", tmp_path / "identity.txt")
    made = vault.ensure([(SecretRef("a"), FamilyRules("f", "F", secret_shortest=24)), (SecretRef("b"), None)])
    assert made == ["a", "b"] and len(vault.get(SecretRef("a"))) == 24
    assert vault.ensure([(SecretRef("a"), None)]) == []
    for file in ("vault.age", "identity.txt"):
        assert stat.S_IMODE((tmp_path / file).stat().st_mode) == 0o600
    line = (tmp_path / "identity.txt").read_text().splitlines()[-1]
    plain = pyrage.decrypt((tmp_path / "vault.age").read_bytes(), [pyrage.x25519.Identity.from_str(line)])
    assert json.loads(plain)["secrets"]["a"] == Vault(vault.file, tmp_path / "identity.txt").get(SecretRef("a"))
    with pytest.raises(VaultError, match="set ZINGER_IDENTITY"):
        Vault(vault.file, tmp_path / "other.txt")
    assert list(tmp_path.glob("*.new")) == []


def test_traits_tell_sameness_but_no_secret(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "vault.age", tmp_path / "identity.txt")
    vault.put({SecretRef("a"): "password1", SecretRef("b"): "password1", SecretRef("c"): make_secret()})
    traits = vault.traits()
    assert traits[SecretRef("a")].sameness == traits[SecretRef("b")].sameness != traits[SecretRef("c")].sameness
    assert traits[SecretRef("a")].score < 3 <= traits[SecretRef("c")].score
    assert "password1" not in repr(traits) and "password1" not in repr(vault.__dict__["file"])


@given(
    st.lists(
        st.sampled_from(
            [
                b"correct-horse-9",
                b"battery-staple-7",
                b"corr",
                b"ect-horse-9",
                b"x",
                b"battery-",
                b"\r\n",
                b"> ",
                b"staple-7",
            ]
        ),
        max_size=14,
    ).map(b"".join),
    st.lists(st.integers(1, 9), min_size=1, max_size=5),
)
def test_no_split_lets_a_secret_through(data: bytes, sizes: list[int]) -> None:
    secrets = ["correct-horse-9", "battery-staple-7"]
    masker, shown, at, count = Masker(secrets), b"", 0, 0
    while at < len(data):
        size = sizes[count % len(sizes)]
        shown += masker(data[at : at + size])
        at, count = at + size, count + 1
    shown += masker(b"\r\n#")
    assert not any(s.encode() in shown for s in secrets)
    read = re.sub(rb"[\x00\r\n]", b"", data).lower()  # a secret over two lines is one that the device wrapped
    assert shown.count(MASK.encode()) >= sum(read.count(s.encode()) for s in secrets)
    if b"corr" not in data and b"battery-" not in data:  # what begins a secret may go on behind a line
        assert shown == data + b"\r\n#"


BETWEEN = [b"", b"", b"", b"\x1b[31m", b"\x1b[0;1m", b"\x1b[K", b"\x00", b"\r\n", b"\n", b"q\b \b", b"zz\b \b\b \b"]


@given(st.data())
def test_a_secret_is_masked_however_a_device_writes_it(data: st.DataObject) -> None:
    """In any case, with colours, NUL, line ends and mended letters between its characters, at any split."""
    secrets = ["correct-horse-9", "battery-staple-7"]
    shown = b""
    for secret in data.draw(st.lists(st.sampled_from(secrets), min_size=1, max_size=3)):
        shown += data.draw(st.sampled_from([b"user ", b"\r\npassword: ", b"corr", b"b"]))
        for char in secret:
            char = data.draw(st.sampled_from([char, char.upper()]))
            shown += char.encode() + data.draw(st.sampled_from(BETWEEN))
        shown += b" ;"
    masker, out, at = Masker(secrets), b"", 0
    while at < len(shown):
        size = data.draw(st.integers(1, 9))
        out += masker(shown[at : at + size])
        at += size
    out += masker(b"\r\n#")
    read = re.sub(rb"q\x08 \x08|zz\x08 \x08\x08 \x08|\x1b\[[0-9;]*[mK]|[\x00\r\n]", b"", out).lower()
    assert not any(secret.encode() in read for secret in secrets)
    assert read.count(b" ;") == shown.count(b" ;") and out.endswith(b"#"), "nothing else is lost"


@pytest.mark.parametrize(
    ("shown", "left"),
    [
        (b"key battery-\r\n@12:00:01 port 7: carrier up\r\nstaple-7 .", "key •••••••• ."),
        (b"refused: battery-stapl is too long", "refused: •••••••• is too long"),
        (b"battery-pack of 12", "battery-pack of 12"),
        (b"unpacking 3.2.1, unpack-me", "unpacking 3.2.1, ••••••••"),
        (b"battery-staple-7\b\b\b\b   ok", "••••••••\b\b\b\b   ok"),
        (b"batteri\b\x1b[Ky-staple-7 .", "•••••••• ."),
    ],
)
def test_a_secret_broken_by_a_log_line_mended_or_cut_short_is_masked(shown: bytes, left: str) -> None:
    masker = Masker(["correct-horse-9", "battery-staple-7", "unpack-me"])
    assert (masker(shown) + masker(b"\n")).decode() == left + "\n"


def test_a_secret_that_comes_letter_by_letter_shows_its_first_letters_at_most() -> None:
    masker = Masker(["battery-staple-7"])
    shown = b"".join(masker(bytes([byte])) for byte in b"key battery-staple-7 ok\n").decode()
    assert shown == "key •••••••• ok\n" or re.fullmatch(r"key bat?t?•{8} ok\n", shown), shown


def test_an_ordinary_letter_is_never_held_back() -> None:
    masker = Masker(["secret-of-mine"])
    assert [masker(bytes([c])) for c in b"sec> s"] == [bytes([c]) for c in b"sec> s"]


async def test_the_journal_is_on_disk_when_write_returns(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "journal.db")
    journal.note("first", "sw1", number=1)
    await journal.write("second", "sw1", number=2)
    reader = sqlite3.connect(tmp_path / "journal.db")
    assert reader.execute("select kind, device from entries order by id").fetchall() == [
        ("first", "sw1"),
        ("second", "sw1"),
    ]
    await asyncio.gather(*(journal.write("many", "sw2", n=n) for n in range(50)))
    assert [e.data["n"] for e in journal.entries("sw2")] == list(range(50))
    journal.close()


@pytest.mark.parametrize("damage", [b"no database at all, but long enough to look like one" * 40, b"SQLite format 3\0"])
def test_a_damaged_journal_is_kept_aside_not_lost(tmp_path: Path, damage: bytes) -> None:
    (tmp_path / "journal.db").write_bytes(damage)
    journal = Journal(tmp_path / "journal.db")
    assert journal.kept_aside and journal.kept_aside.read_bytes() == damage
    assert list(journal.entries()) == []
    journal.close()


async def test_a_journal_that_cannot_be_written_says_so(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "journal.db")
    blocker = sqlite3.connect(tmp_path / "journal.db")
    blocker.execute("drop table entries")
    blocker.commit()
    with pytest.raises(JournalError, match=r"journal\.db can't be written"):
        await journal.write("x")
    with pytest.raises(JournalError):
        journal.note("y")
    journal.close()


def test_a_recording_is_asciicast_v2(tmp_path: Path) -> None:
    recording = Recording(tmp_path / "records" / "a.cast", "sw1, console")
    recording.shown("caf\u00e9".encode()[:4])
    recording.shown("caf\u00e9".encode()[4:])
    recording.typed("tell all")
    recording.marker("hostname")
    recording.close()
    head, *events = [json.loads(line) for line in (tmp_path / "records" / "a.cast").read_text().splitlines()]
    assert head["version"] == 2 and head["width"] == 80 and head["height"] == 24
    assert [(code, text) for _, code, text in events] == [
        ("o", "caf"),
        ("o", "\u00e9"),
        ("i", "tell all"),
        ("m", "hostname"),
    ]
    assert sorted(t for t, *_ in events) == [t for t, *_ in events]


# -- secrets -------------------------------------------------------------------------------------------
def test_what_two_processes_put_into_a_vault_is_all_there(tmp_path: Path) -> None:
    one, other = Vault(tmp_path / "vault.age"), Vault(tmp_path / "vault.age")
    one.put({SecretRef("sw1/label"): "printed-on-it-1"})
    other.put({SecretRef("sw2/label"): "printed-on-it-2"})
    assert one.names() == other.names() == ["sw1/label", "sw2/label"]
    assert SecretRef("sw2/label") in one and one.get(SecretRef("sw2/label")) == "printed-on-it-2"
    assert other.ensure([(SecretRef("sw1/label"), None)]) == [], "what is there is never made anew"


def test_an_identity_is_made_for_the_first_vault_and_never_in_place_of_a_lost_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    identity = tmp_path / "own" / "identity.txt"
    monkeypatch.setenv("ZINGER_IDENTITY", str(identity))
    vault = Vault(tmp_path / "vault.age")
    assert vault.names() == [] and not identity.exists(), "to list is not to write"
    vault.put({SecretRef("a"): "secret-of-a-1"})
    assert identity.stat().st_mode & 0o777 == 0o600 and (tmp_path / "vault.age").stat().st_mode & 0o777 == 0o600
    identity.unlink()
    with pytest.raises(VaultError, match="is not there"):
        Vault(tmp_path / "vault.age").names()
    with pytest.raises(VaultError, match="is not there"):
        vault.put({SecretRef("b"): "secret-of-b-1"})
    assert not identity.exists()


TYPED = [
    ("echoed letter by letter", [("l", "l"), ("s", "s"), ("\r", "\r\nsw1 in base, do: ")], "ls\r"),
    ("echoed behind", [("ls\r", "ls\r\nsw1 in base, do: ")], "ls\r"),
    ("never echoed", [("hunter", ""), ("2\r", "\r\nsw1 in base, do: ")], f"{MASK}\r"),
    ("a log line instead of an echo", [("hunter2", "@09:41 fan turns\r\n"), ("\r", "\r\n")], f"{MASK}\r"),
    ("an echo, then a question that does not", [("su\r", "su\r\nsecret: "), ("hunter2\r", "\r\n# ")], f"su\r{MASK}\r"),
    ("stars for each letter", [("h", "*"), ("u", "*"), ("\r", "\r\n")], f"{MASK}{MASK}\r"),
]


@pytest.mark.parametrize(("way", "turns", "recorded"), TYPED, ids=[t[0] for t in TYPED])
def test_what_a_person_types_is_recorded_only_once_it_was_echoed(
    way: str, turns: list[tuple[str, str]], recorded: str
) -> None:
    typed, record = Typed(), ""
    for said, shown in turns:
        record += typed.typed(said) + typed.shown(shown)
    assert record + typed.ended() == recorded
