"""The second visit: one value of a device that was set up is changed, whichever way its family is spoken to."""

from __future__ import annotations

import json
import shutil
import socketserver
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

from tests.conftest import zinger
from zinger.run.memory import former_accounts
from zinger.run.openjob import OpenJob
from zinger.store import entries
from zinger.store.folder import JobFolder
from zinger.store.journal import Journal
from zinger.store.vault import Vault

SHEET = """site,role,hostname,family,address,serial,mac
Wheal Junction,manager,kvr-wj-fm1,Hollin M1,10.44.8.6,HM1-0019,02-4b-56-6d-00-19
Wheal Junction,wireless,kvr-wj-wc1,Sallow W5,10.44.8.5,SW5-2250,02-4b-56-55-22-50
Corbel Bridge,office,kvrcbos1,Pennant P1,10.44.16.21,PP1-4402,02-4b-56-71-44-02
Corbel Bridge,wireless,kvr-cb-wc1,Sallow W8,10.44.16.22,SW8-0130,02-4b-56-58-01-30
"""
QUESTIONS, PAGES, AT_FIRST = "kvr-wj-wc1", "kvrcbos1", "kvr-cb-wc1"
"""Questions begun again; pages at the address that changes; first questions of which all but one have a page later."""


def run(folder: Path, *options: str) -> None:
    done = zinger("run", folder, "--headless", *options)
    assert done.returncode == 0, done.stdout + done.stderr


def sent_since(folder: Path, begin: int) -> set[tuple[str, str]]:
    """What was sent to which device, from an entry of the journal on."""
    return {
        (entry.device, event.setting)
        for entry in list(Journal(folder / "journal.db").entries())[begin:]
        if isinstance(event := entries.read(entry), entries.WillSend) and event.changes
    }


def test_an_address_and_a_password_change_on_every_kind_of_device(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=SHEET, practice_yaml="pace: 300\nlinger: 90\n")
    run(folder, "--keep-yard")
    sheet = folder / "devices.csv"
    text = sheet.read_text()
    for before, after in (("8.6,", "8.16,"), ("8.5,", "8.15,"), ("16.21,", "16.31,"), ("16.22,", "16.32,")):
        text = text.replace(before, after)
    sheet.write_text(text)
    for name in (QUESTIONS, PAGES, AT_FIRST, "kvr-wj-fm1"):
        assert zinger("secret", folder, f"{name}/viewer", "--rotate").returncode == 0
    told = zinger("run", folder, "--dry", "--only", QUESTIONS).stdout
    assert "10.44.8.15/24 via 10.44.8.1" in told and "back by: 10.44.8.5/24 via 10.44.8.1" in told
    assert "what else stands there is kept, and it restarts" in told and "the old password" in told
    assert "[Put right]" in zinger("run", folder, "--dry", "--only", AT_FIRST).stdout
    sent_before = len(list(Journal(folder / "journal.db").entries()))
    run(folder)
    sent = sent_since(folder, sent_before)
    changed = {setting for name, setting in sent if name == QUESTIONS} - {"questions of first_set_up"}
    assert changed - {"management.gateway"} == {"management.address", "accounts.viewer"}, sent
    assert {setting for name, setting in sent if name == PAGES} == {"management.address", "accounts.viewer"}
    assert str(OpenJob(JobFolder(folder)).memories[PAGES].stands_at) == "10.44.16.31/24"
    shown = "".join(
        json.loads(line)[2]
        for file in sorted((folder / "records").glob(f"{QUESTIONS}-*.cast"))
        for line in file.read_text().splitlines()[1:]
    )
    again = shown[shown.rindex("ask-all") :]
    assert "password of the looker, again" in again and "password of the master, again" not in again


def test_a_device_that_is_called_otherwise_is_the_same_device(job: Callable[..., Path]) -> None:
    """Its passwords and what was proved go with it, and its name is all that is sent; two have exchanged theirs."""
    folder = job(devices_csv=SHEET, practice_yaml="pace: 300\nlinger: 90\n")
    run(folder)  # the yard ends: what is in their flash is all that is left
    before = OpenJob(JobFolder(folder))
    sheet = folder / "devices.csv"
    text = sheet.read_text().replace("kvr-wj-fm1", "kvr-wj-boss").replace("kvrcbos1", "office")
    sheet.write_text(text.replace("kvr-wj-wc1", "third").replace(AT_FIRST, "kvr-wj-wc1").replace("third", AT_FIRST))
    opened = OpenJob(JobFolder(folder))
    exchanged = {QUESTIONS: AT_FIRST, AT_FIRST: QUESTIONS}
    assert opened.new_names.before == {"kvr-wj-boss": "kvr-wj-fm1", "office": "kvrcbos1"} | exchanged
    assert opened.board.lines["office"].sentence == "plan changed · run it again"
    had = {(m.box.serial, m.accepted[0][1].partition("/")[2]) for m in before.memories.values()}
    assert {(m.box.serial, m.accepted[0][1].partition("/")[2]) for m in opened.memories.values()} == had
    sent_before = len(list(Journal(folder / "journal.db").entries()))
    run(folder)
    sent = sent_since(folder, sent_before)
    settings = {(name, setting) for name, setting in sent if not setting.startswith("questions of")}
    assert settings == {(name, "hostname") for name in opened.new_names.before}, sent
    names, since = Vault(folder / "vault.age").names(), Vault(folder / "vault.age").since("office/administrator")
    assert not [name for name in names if name.startswith(("kvrcbos1/", "kvr-wj-fm1/"))]
    assert since is not None and since < OpenJob(JobFolder(folder)).memories["office"].last_at - 1  # type: ignore[operator]
    assert not OpenJob(JobFolder(folder)).new_names.before
    assert not [memory for name, memory in opened.memories.items() if former_accounts(opened.plan.device(name), memory)]
    plan = folder / "job.yaml"
    plan.write_text(plan.read_text().replace("name: kettle-admin", "name: depot-admin"))
    assert "kettle-admin may still be let in as before" in zinger("run", folder, "--dry", "--only", "office").stdout
    recorded = {file.name.partition("-20")[0] for file in (folder / "records").iterdir()}
    assert "office" in recorded and not recorded & {"kvrcbos1", "kvr-wj-fm1"}, recorded
    papers = zinger("handover", folder)
    assert papers.returncode == 0 and "office" in (folder / "handover" / "mail.txt").read_text()


def test_pages_are_put_right_later_and_what_is_asked_at_first_contact_only_is_owed(job: Callable[..., Path]) -> None:
    folder = job(
        devices_csv="\n".join([*SHEET.splitlines()[:1], SHEET.splitlines()[4], ""]),
        practice_yaml="pace: 300\nlinger: 60\n",
    )
    run(folder, "--keep-yard")
    file = folder / "job.yaml"
    text = file.read_text()
    for before, after in (
        ("Europe/Vienna", "Europe/Zurich"),
        ("country: AT", "country: CH"),
        ("mesh: off", "mesh: on"),
        ("5 channel 36", "5 channel 44"),
        ('"Kettlestone guests" open vlan 60 guest', '"Kettlestone crew" 802.1x vlan 30'),
        ("      mesh: on", "      mesh: on\n      radius: [10.44.8.26 secret radius-kvr]"),
    ):
        assert before in text, f"the demo job holds no {before!r} any more"
        text = text.replace(before, after)
    file.write_text(text)
    assert zinger("secret", folder, "wifi-staff", "--rotate").returncode == 0
    dry = zinger("run", folder, "--dry").stdout
    assert "asked at first contact only: it will be owed" in dry and "[Put right]" in dry
    assert "[Add it]" in dry and "back by: the same with Europe/Vienna" in dry and "[Go on]" not in dry
    done = zinger("run", folder, "--headless")
    owed = [line for line in done.stdout.splitlines() if "refused" in line]
    assert done.returncode == 1 and len(owed) == 1, done.stdout
    assert "wireless.country: refused: it is asked at first contact only" in owed[0]


class Otter(socketserver.StreamRequestHandler):
    """A device of somebody else's, on loopback: a question script with what stands in brackets, kept by Enter."""

    state: ClassVar[dict[str, str]] = {}
    heard: ClassVar[list[str]] = []

    def ask(self, question: str, blind: bool = False) -> str:
        self.wfile.write(question.encode())
        typed = b""
        while (char := self.rfile.read(1)) != b"\r":
            if not char:
                raise ConnectionResetError("the line was closed")
            typed = typed[:-1] if char == b"\x7f" else b"" if char == b"\x15" else typed + char
            self.wfile.write(b"" if blind else char)
        self.wfile.write(b"\r\n")
        self.heard.append("*" if blind and typed else typed.decode())
        return typed.decode()

    def handle(self) -> None:
        with suppress(OSError):
            self.serve()

    def serve(self) -> None:
        while True:
            if self.ask("Person: ") != self.state["boss"] or self.ask("Word: ", True) != self.state["word"]:
                self.wfile.write(b"no entry\r\n")
                continue
            while (line := self.ask(f"({self.state['name']}) ready: ")) != "out":
                if line == "walk":
                    self.walk(dict(self.state))
                elif line == "tell":
                    told = (f"{key} {value}\r\n" for key, value in self.state.items() if key != "word")
                    self.wfile.write("".join(("unit OT-55\r\n", *told)).encode())

    def walk(self, asked: dict[str, str]) -> None:
        for key, question in (("name", "Call it what?"), ("at", "Sits at?"), ("out", "Way out?"),
                              ("where", "Stands where?"), ("boss", "Who runs it?")):  # fmt: skip
            asked[key] = self.ask(f"{question} ({asked[key]}) ") or asked[key]
        asked["word"] = self.ask("Word for them? (blank: the old one) ", True) or asked["word"]
        if asked["word"] != self.state["word"]:
            assert self.ask("Once more? ", True) == asked["word"]
        if self.ask("Keep all this? (n) ") == "y":
            self.state.update(asked)


def test_a_family_written_from_the_documentation_alone_is_visited_again(tmp_path: Path) -> None:
    Otter.state.update(name="box-7", at="none", out="none", where="none", boss="op", word="op")
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Otter) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        (tmp_path / "phrasebooks").mkdir()
        shutil.copy(Path(__file__).parent / "otter-55.yaml", tmp_path / "phrasebooks")
        (tmp_path / "job.yaml").write_text(
            "job: Otter\nmode: live\nbaseline: {accounts: {administrator: {name: ott-admin, secret: each device}}, "
            "services: {ssh: on}}\nroles: {access: {}}\n"
            "sites: {wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}}\n"
        )
        sheet = tmp_path / "devices.csv"
        console = f"tcp://127.0.0.1:{server.server_address[1]}"
        sheet.write_text(
            "site,role,hostname,family,address,serial,console,system.location\n"
            f"wj,access,ott-1,otter-55,10.44.8.50,OT-55,{console},barn\n"
        )
        once = ("run", tmp_path, "--headless", "--hands-done", "--no-power-cut", "--stop-after", "read-back")
        first = zinger(*once)
        assert "5 of 5 findings hold" in first.stdout, "its first login is op with op: " + first.stdout + first.stderr
        Otter.heard.clear()
        sheet.write_text(sheet.read_text().replace("barn", "yard"))
        assert "5 of 5 findings hold" in zinger(*once).stdout
        at = Otter.heard.index("walk")
        assert Otter.heard[at : at + 8] == ["walk", "", "", "", "yard", "", "", "y"], Otter.heard
        Otter.heard.clear()
        assert zinger("secret", tmp_path, "ott-1/administrator", "--rotate").returncode == 0
        assert "5 of 5 findings hold" in zinger(*once).stdout
        at = Otter.heard.index("walk")
        assert Otter.heard[at : at + 9] == ["walk", "", "", "", "", "", "*", "*", "y"], Otter.heard
        server.shutdown()
