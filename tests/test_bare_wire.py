"""A wire to a device that no phrasebook knows: nothing is sent by itself, and no password is written anywhere."""

from __future__ import annotations

import asyncio
import json
import re
import socket
import time
from collections.abc import AsyncIterator, Callable
from pathlib import Path

import pytest

from tests.conftest import ONE_DEVICE, lay_out, zinger
from tests.terminal import Terminal
from zinger.link.dial import open_console
from zinger.phrasebook.learn.wire import WireNotes, draft_of_wire, notes_of
from zinger.phrasebook.load import load_family
from zinger.plan.values.secrets import MASK, SecretRef
from zinger.run.barewire import BareWire, MarkKind
from zinger.run.openjob import OpenJob
from zinger.store.folder import JobFolder
from zinger.store.recording import Recording, events_of
from zinger.store.vault import Vault


class Lathe:
    """A device of our own: a prompt, a question that does not echo, an echo of all else, a slow answer."""

    def __init__(self) -> None:
        self.heard = b""
        self.known: list[str] = []
        self.writers: list[asyncio.StreamWriter] = []

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.writers.append(writer)
        writer.write(b"lathe 7 turns\r\nready> ")
        line, blind = b"", False
        while char := await reader.read(1):
            self.heard += char
            if char not in b"\r\n":
                line += char
                writer.write(b"" if blind else char)
                continue
            words, line = line.decode(), b""
            if blind:
                self.known.append(words)
                blind = False
                writer.write(b"\r\nready> ")
            elif words == "key":
                blind = True
                writer.write(b"\r\nnew key: ")
            elif words == "wait":
                await asyncio.sleep(0.3)
                writer.write(b"\r\nwaited\r\n* spindle warm\r\nready> ")
            else:
                writer.write(f"\r\ndid {words}\r\nready> ".encode())


@pytest.fixture
async def lathe() -> AsyncIterator[tuple[Lathe, int]]:
    made = Lathe()
    server = await asyncio.start_server(made.serve, "127.0.0.1", 0)
    yield made, server.sockets[0].getsockname()[1]
    server.close()


def wire_to(port: int, folder: Path, vault: Vault | None = None, listen_only: bool = False) -> BareWire:
    target = f"tcp://127.0.0.1:{port}"
    recording = Recording(folder / "bare.cast", target)
    return BareWire(target, lambda: open_console(target), recording, vault, ["a/key"] if vault else (), listen_only)


async def shown(wire: BareWire, text: str) -> None:
    async with asyncio.timeout(10):
        while text not in wire.transcript.since(0)[1].decode():
            await asyncio.sleep(0.01)


async def test_nothing_is_sent_by_itself_and_no_password_is_recorded(lathe: tuple[Lathe, int], tmp_path: Path) -> None:
    device, port = lathe
    vault = Vault(tmp_path / "vault.age")
    vault.put({SecretRef("a/key"): "vaulted-key-77"})
    wire = wire_to(port, tmp_path, vault)
    await wire.open()
    await shown(wire, "ready> ")
    assert (device.heard, wire.tail, wire.state) == (b"", "ready> ", "open")
    assert wire.mark(MarkKind.PROMPT) == "prompt: ready>"
    wire.type("key\r")
    await shown(wire, "new key: ")
    wire.type("typed-blind-5\r")
    await asyncio.sleep(0.1)
    wire.type("key\r")
    await asyncio.sleep(0.1)
    assert wire.type_entry("a/key") and wire.type("\r")
    await asyncio.sleep(0.1)
    wire.type("vaulted-key-77\r")  # even where it is echoed
    await shown(wire, "did ")
    assert device.known == ["typed-blind-5", "vaulted-key-77"]
    wire.close()
    written = (tmp_path / "bare.cast").read_text()
    assert "typed-blind-5" not in written and "vaulted-key-77" not in written
    assert b"vaulted-key-77" not in wire.transcript.since(0)[1]
    assert [text for _, code, text in events_of(tmp_path / "bare.cast") if code == "m"][1:] == ["prompt: ready>"]


async def test_listening_sends_nothing_and_a_paste_goes_at_the_devices_pace(
    lathe: tuple[Lathe, int], tmp_path: Path
) -> None:
    device, port = lathe
    wire = wire_to(port, tmp_path, listen_only=True)
    await wire.open()
    await shown(wire, "ready> ")
    assert not wire.type("harm\r") and not wire.send_break() and not wire.type_entry("a/key")
    await wire.paste("one\ntwo\n")
    assert device.heard == b"" and "listen only" in wire.why_nothing_is_sent
    wire.listen_only, wire.enter = False, "LF"
    await wire.paste("wait\nturn left\nand stay")
    await shown(wire, "and stay")
    assert device.heard == b"wait\nturn left\nand stay", "the last line is left for the person"
    text = wire.transcript.since(0)[1].decode()
    assert text.index("waited") < text.index("turn left") and wire.tail == "ready> and stay"
    assert wire.mark(MarkKind.NOISE, "") == "noise: did turn left"
    assert wire.mark(MarkKind.SAVES) == "saves: ready> and stay", "before Enter"
    wire.type("\r")
    await shown(wire, "did and stay")
    async with asyncio.timeout(5):
        while wire.tail != "ready> ":
            await asyncio.sleep(0.01)
    assert wire.mark(MarkKind.SAVES) == "saves: ready> and stay", "and behind it"
    device.writers[0].close()
    async with asyncio.timeout(5):
        while wire.is_open:
            await asyncio.sleep(0.01)
    assert wire.state.startswith("lost") and not wire.type("x")
    await wire.open()
    await shown(wire, "ready> and stay")
    assert wire.is_open
    wire.close()


def test_a_wire_that_is_none_or_leads_elsewhere_is_refused(tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    for words, told in (
        (["morse:12"], "is not a console"),
        (["ssh://10.44.8.1"], "write ssh://USER@HOST"),
        (["tcp://10.44.8.1:23", "--job", str(folder)], "the job is practice"),
        (["tcp://127.0.0.1:23", "--job", str(folder), "--device", "kvr-x"], "no device kvr-x"),
    ):
        done = zinger("wire", *words, "--records", tmp_path / "records")
        assert done.returncode == 2 and told in done.stderr, done.stderr


def test_two_wires_side_by_side_in_a_terminal(start: Callable[..., Terminal], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "job")
    yard = start(tmp_path, "practice", str(folder), "--pace", "50")
    table = yard.until("kvr-wj-sw1", "kvr-wj-sw2", "Ctrl-C ends it")
    ports = [re.search(rf"{name} +telnet (\d+)", table)[1] for name in ("kvr-wj-sw1", "kvr-wj-sw2")]  # type: ignore[index]
    term = start(tmp_path / "x", "wire", *(f"telnet://127.0.0.1:{port}" for port in ports), "--records", str(tmp_path))
    term.until("bare wire", ports[0], ports[1], "open", "listen only")
    term.keys("Enter")
    term.until("who is there?")
    term.keys("-l", "installer")
    term.keys("Enter")
    term.until("secret of installer:")
    term.keys("F5")
    term.until("marked: prompt: ")
    term.keys("F11")
    term.keys("F2")
    term.until("LISTEN ONLY: nothing is sent")
    term.keys("x")
    term.until("listen only: nothing is sent (F2)")
    term.keys("F10")
    term.until("find; Enter looks further up")
    term.keys("-l", "no such thing")
    term.keys("Enter")
    term.until("'no such thing' was not shown")
    term.keys("Escape", "C-q")
    term.until("recorded in", "ended with 0")
    assert len(list(tmp_path.glob("bare-*.cast"))) == 2
    (first,) = tmp_path.glob("bare-*-1.cast")
    marks = [json.loads(line)[2] for line in first.read_text().splitlines()[1:] if '"m"' in line]
    assert any(mark.startswith("prompt: ") for mark in marks), "a log line may have come behind the question"


def test_a_device_that_no_phrasebook_knows_is_planned_set_by_hand_and_never_proved(job: Callable[..., Path]) -> None:
    sheet = (
        "site,hostname,family,address,serial\nwj,sw1,Quern S2,10.44.8.11,QS2-1\nwj,ap1,Zephyr Nine,10.44.8.12,Z9-1\n"
    )
    folder = job(devices_csv=sheet, practice_yaml="pace: 300\n")
    checked = zinger("check", folder)
    assert checked.returncode == 0 and "no phrasebook knows zephyr-nine" in checked.stdout.lower().replace(
        " nine", "-nine"
    )
    done = zinger("run", folder, "--headless", "--no-power-cut")
    assert done.returncode == 0 and "1 of 1 devices proved" in done.stdout, done.stdout + done.stderr
    refused = zinger("by-hand", folder, "sw1", "hostname")
    assert refused.returncode == 2 and "by hand nothing is proved" in refused.stderr
    assert "did you mean" in zinger("by-hand", folder, "ap1", "hostnam").stderr
    listed = zinger("by-hand", folder, "ap1", "hostname", "management.address").stdout
    assert listed.count("set by hand") == 2
    assert "2 settings were set by hand; nothing is proved" in zinger("handover", folder, "--print", "mail.txt").stdout
    zinger("by-hand", folder, "ap1", "--all")
    listed = zinger("handover", folder, "--print", "inventory.csv").stdout.splitlines()
    assert ",set by hand," in listed[2] and ",proved," in listed[1]
    zinger("by-hand", folder, "ap1", "hostname", "--back")
    assert ",planned only," in zinger("handover", folder, "--print", "inventory.csv").stdout


def test_a_phrasebook_begins_from_what_was_marked_at_the_wire(tmp_path: Path) -> None:
    recording = Recording(tmp_path / "wire.cast", "zephyr")
    recording.shown(b"who goes there: ")
    for key in "first":
        recording.typed(key)
        recording.shown(key.encode())
    recording.typed("\r")
    recording.shown(b"\r\nword of first: ")
    recording.typed(f"{MASK}\r")
    recording.shown(b"\r\nzeph at top; ")
    recording.marker("prompt: zeph at top; ")
    for line, answer in (("tell all", b"one\r\n(14 more rows, a key goes on)"), ("be\x7fe sw1", b"sw1 at top; ")):
        recording.typed(line)
        recording.shown(line.encode())
        recording.typed("\r")
        recording.shown(b"\r\n" + answer)
        if b"more" in answer:
            recording.typed(MASK)
            recording.shown(b"\rtwo                     \r\nzeph at top; ")
    recording.shown(b"\r\n%% 12:01:07 fan 2 turns\r\nzeph at net; ")
    recording.marker("noise: %% 12:01:07 fan 2 turns")
    recording.marker("prompt: zeph at net; ")
    recording.marker("saves: sw1 at top; burn it in")
    recording.marker("note: it's slow after 'burn'")
    recording.close()
    folder = tmp_path / "zephyr-nine.yaml"
    done = zinger("family", "new", "zephyr-nine", "--from-wire", recording.file, "--file", folder)
    assert done.returncode == 0 and "prompt: 2, line of noise: 1" in done.stdout, done.stdout + done.stderr
    text = folder.read_text()
    assert (
        "{at: main, send: 'burn it in'}" in text
        and "sent at the wire: tell all" in text
        and "# noted at the wire: it's slow after 'burn'" in text
    )
    _, book = load_family(text, "zephyr-nine.yaml")
    assert book is not None and {"sign_in", "secret", "main", "place_2", "pager"} <= set(book.places)
    assert "(?P<hostname>\\S+) at top;" in text and "'\\(\\d+ more rows, a key goes on\\)'" in text
    assert book.terminal.noise is not None and book.terminal.noise.search("%% 23:59:58 fan 1 turns")
    shown = zinger("family", "check", folder)
    assert "can't be read" not in shown.stdout + shown.stderr, shown.stdout
    assert "(?P<hostname>" in text and "who goes there: " in text and "word of first: " in text
    recording = Recording(tmp_path / "bare.cast", "zephyr")
    recording.shown(b"hello")
    recording.close()
    refused = zinger("family", "new", "zephyr-ten", "--from-wire", recording.file, "--file", tmp_path / "x.yaml")
    assert refused.returncode == 2 and "no prompt is marked" in refused.stderr and not (tmp_path / "x.yaml").exists()


def wire(*turns: str) -> WireNotes:
    """A recording: `> ` was typed a key at a time and came back, `* ` was typed and did not, `m ` marked."""
    events: list[tuple[float, str, str]] = []
    for turn in turns:
        code, words = turn[:2], turn[2:]
        if code == "> ":
            events += [(0.0, way, key) for key in words for way in ("i", "o")]
        elif code in ("* ", "m "):
            events.append((0.0, {"*": "i", "m": "m"}[turn[0]], words))
        else:
            events.append((0.0, "o", turn))
    return notes_of(events)


LOUD = ("m prompt: (zeph) do: ", "(zeph) do: ")


def test_the_sign_in_is_found_behind_the_keys_that_woke_the_line() -> None:
    found = wire(
        "* \r", "\r\nasleep\r\n", "* \r", "who: ", "> ada", "* \r", "\r\nword: ", f"* {MASK}\r", "\r\nok\r\n", *LOUD
    )
    assert (found.login, found.blind, found.pagers) == ("who: ", ["word: "], [])
    alone = wire("word: ", f"* {MASK}\r", "\r\n", *LOUD)
    assert (alone.login, alone.blind) == ("", ["word: "]), "nobody is asked for here"
    text = draft_of_wire("zephyr-nine", alone)
    assert load_family(text, "zephyr-nine.yaml")[1] is not None


def test_what_bursts_into_typing_is_neither_a_pager_nor_a_line() -> None:
    found = wire(
        *LOUD, "> resolv", "\r\n%% fan 3\r\n", "> ers one", "* \r", "\r\n(zeph) do: ", "> tell", "* \r", "\r\nall\r\n"
    )
    assert (found.sent, found.blind, found.pagers) == (["tell"], [], [])


def test_marked_noise_hides_no_question_and_a_password_shown_as_stars_is_still_one() -> None:
    burst = "\r\n** 21:38 lamp 1 tested **\r\n"
    found = wire(
        *("name? ", burst, "> ada", "* \r", "\r\nword? ", burst, f"* {MASK}", "****", "* \r", "\r\nnew? "),
        *(f"* {MASK}", "**" + burst.replace("38", "39"), "* \r", "\r\n[zeph | ok] do: ", "m prompt: [zeph | ok] do:"),
        *("m noise: ** 21:40 lamp 7 tested **", "> be yew", "* \r", "\r\n[YEW | ok] do: ", "> all", "* \r", burst),
    )
    assert (found.login, found.user, found.blind, found.pagers) == ("name? ", "ada", ["word? ", "new? "], [])
    assert found.shaped(found.prompts[0]) == "[HOSTNAME | ok] do:" and found.sent == ["be yew", "all"]
    _, book = load_family(draft_of_wire("zephyr-nine", found), "zephyr-nine.yaml")
    assert book is not None and book.factory.user == "ada"


def test_a_password_within_a_line_makes_no_question_of_the_prompt() -> None:
    found = wire(*LOUD, "> let ada in by ", f"* {MASK}\r", "\r\n(zeph) do: ", "> be yew", "* \r", "\r\n(yew) do: ")
    assert (found.sent, found.blind) == ([f"let ada in by {MASK}", "be yew"], [])


@pytest.mark.parametrize(
    ("later", "shape"),
    [
        (("(yew) do: ",), "(HOSTNAME) do: "),
        (("(yew) do: ", "(zeph) do: "), "(zeph) do: "),
        (("(zeph) set: ", "(zeph) do: "), "(zeph) do: "),
        (("(oak) do: ",), "(zeph) do: "),
        (("(yew) set: ",), "(zeph) do: "),
        (("(zeph/net) do: ",), "(zeph) do: "),
        (("(zeph) do; ",), "(zeph) do: "),
    ],
)
def test_a_word_that_became_another_one_for_good_is_the_hostname(later: tuple[str, ...], shape: str) -> None:
    turns = [turn for prompt in later for turn in (f"\r\n{prompt}", "> set yew", "* \r")]
    found = wire(*LOUD, "> be yew", "* \r", *turns, "\r\n")
    assert found.shaped(found.prompts[0]).strip() == shape.strip()


def test_a_prompt_that_counts_is_one_place_and_what_saves_is_told_with_its_question() -> None:
    found = wire(
        "m opened serial:///dev/ttyUSB3?38400-8N1",
        *("code: ", f"* {MASK}\r", "\r\n01 zeph do: ", "m prompt: 01 zeph do:"),
        *("> be yew", "* \r", "\r\n02 yew do: ", "m prompt: 02 yew do:"),
        *("> store", "* \r", "\r\nsure (y/n) ? "),
        *("> y", "* \r", "\r\nstored\r\n03 yew do: ", "m saves: sure (y/n) ? y"),
    )
    assert found.saving == ("store", "sure (y/n) ? ", "y")
    text = draft_of_wire("zephyr-nine", found)
    _, book = load_family(text, "zephyr-nine.yaml")
    assert book is not None and set(book.places) == {"secret", "main", "sure"}, (
        "nobody is asked for, and there is one prompt"
    )
    known = book.terminal.recognise("17 oak do: ")
    assert known is not None and known[0].name == "main" and known[1]["hostname"] == "oak"
    assert book.factory.console == "38400 8N1"
    assert "save: {at: main, send: 'store', replies: {sure: 'y'}}" in text


def test_a_bare_wire_is_left_in_good_order_while_the_device_is_still_there(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        term = start(tmp_path, "wire", f"tcp://127.0.0.1:{server.getsockname()[1]}", "--records", str(tmp_path))
        term.until("bare wire", "  open  ")
        term.keys("C-q")
        term.until("recorded in", "ended with 0")


def test_a_run_goes_on_while_the_bare_wire_of_another_device_is_open(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        head, *rows = ONE_DEVICE.strip().splitlines()
        unknown = {"site": "Wheal Junction", "hostname": "ap1", "family": "Zephyr Nine", "address": "10.44.8.99"}
        unknown |= {"serial": "Z9-1", "console": f"tcp://127.0.0.1:{server.getsockname()[1]}"}
        names = [*head.split(","), *(["console"] if "console" not in head else [])]
        blank = "," * (len(names) - len(head.split(",")))
        lines = [",".join(names), *(row + blank for row in rows), ",".join(unknown.get(name, "") for name in names)]
        folder = lay_out(tmp_path / "job", devices_csv="\n".join(lines) + "\n", practice_yaml="pace: 60\n")
        term = start(folder, "open", str(folder))
        term.until("planned only", "g go")
        term.keys("g", "End")
        term.until("1 under way")
        term.keys("w")
        term.until("bare wire", "open")
        deadline = time.monotonic() + 60
        while OpenJob(JobFolder(folder)).memories["kvr-wj-sw1"].concluded_at is None:
            assert time.monotonic() < deadline and "bare wire" in term.screen(), term.screen()
            time.sleep(0.3)
        term.keys("C-q")
        term.until("1 of 1 proved", "1 planned only")
        term.keys("q")


def test_the_application_opens_the_wire_of_an_unknown_device_with_its_values_and_passwords_at_hand(
    start: Callable[..., Terminal], tmp_path: Path
) -> None:
    yard = start(tmp_path, "practice", str(lay_out(tmp_path / "yard")), "--pace", "50")
    found = re.search(r"kvr-wj-sw1 +telnet (\d+)", yard.until("kvr-wj-sw1", "Ctrl-C ends it"))
    assert found is not None
    sheet = f"site,hostname,family,address,serial,console\nwj,ap1,Zephyr Nine,10.44.8.12,Z9-1,telnet://127.0.0.1:{found[1]}\n"
    folder = lay_out(tmp_path / "job", devices_csv=sheet)
    term = start(folder, "open", str(folder))
    term.until("planned only, no phrasebook yet", "g go")
    term.keys("o")
    term.until("open its wire", "never as")
    term.keys("Enter")
    term.until("bare wire", f":{found[1]}  open")
    term.keys("F4")
    term.until(
        "password  ap1/administrator", "administrator, the name  kettle-admin", "DNS servers, 2 of 2  10.44.8.21"
    )
    term.keys("-l", "dotted")
    term.until("management address, dotted mask  10.44.8.12 255.255.255.0")
    term.escape("type to find it")
    term.until("carrier", seconds=60)  # what it logs by itself is recorded, too
    term.keys("C-q")
    term.until("planned only, no phrasebook yet", "g go", "wire · ap1", "the end of its recording", "carrier")
    listed = zinger("secret", folder).stdout.splitlines()
    assert [line.split()[0] for line in listed] == ["ap1/administrator", "ap1/viewer"], listed
