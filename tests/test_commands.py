"""The commands as a person meets them: what goes wrong is a sentence and an exit code, never a traceback."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from tests.conftest import ONE_DEVICE, ZINGER, program, stop_yard, zinger
from zinger.cli.app import folder_to_open
from zinger.store.journal import Journal

JOB = (Path(__file__).parent.parent / "src" / "zinger" / "demo" / "job.yaml").read_text()


def live(console: str) -> dict[str, str]:
    """The files of a live job with one device on this console."""
    head, row, *_ = ONE_DEVICE.splitlines()
    return {
        "job_yaml": JOB.replace("mode: practice", "mode: live"),
        "devices_csv": f"{head},console\n{row},{console}\n",
    }


def test_check_tells_all_problems_as_text_and_json(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE.replace("10.44.8.11", "10.44.9.300").replace("Quern S2", "Quern S3"))
    done = zinger("check", folder)
    assert done.returncode == 1
    assert "devices.csv:2 (E2 address)" in done.stdout and "did you mean quern-s" in done.stdout
    found = json.loads(zinger("check", folder, "--json").stdout)
    assert {"management-address-form", "unknown-family"} <= {p["id"] for p in found}
    assert zinger("check", job("clean")).returncode == 0


def test_script_masks_secrets_and_knows_its_devices(job: Callable[..., Path]) -> None:
    folder = job()
    text = zinger("preview", folder, "kvr-wj-sw1").stdout
    assert "rename kvr-wj-sw1" in text and "choose? ••••••••" in text and "link moves" in text
    data = json.loads(zinger("preview", folder, "kvr-wj-sw2", "--json").stdout)
    assert data["steps"][0]["replies"]["choose"] == ["••••••••"]
    assert "script is now called preview" in zinger("script", folder, "kvr-wj-sw1").stderr
    wrong = zinger("preview", folder, "kvr-wj-sw9")
    assert wrong.returncode == 2 and "did you mean kvr-wj-sw" in wrong.stderr


def test_secrets_are_set_listed_and_never_taken_from_the_command_line(job: Callable[..., Path]) -> None:
    folder = job()
    assert zinger("secret", folder, "kvr-wj-sw1/administrator", stdin="weak\n").returncode == 0
    listed = zinger("secret", folder).stdout.splitlines()
    assert listed[0].split()[:4] == ["kvr-wj-sw1/administrator", "kvr-wj-sw1", "kettle-admin", "10.44.8.11"]
    assert "weak" not in "".join(listed) and "not made yet" in listed[1]
    done = zinger("check", folder)
    assert done.returncode == 1 and "Quern S2 will refuse the password of kettle-admin" in done.stdout
    assert "weak\n" not in done.stdout
    bad = zinger("secret", folder, "x", stdin=" blank\n")
    assert bad.returncode == 2 and "nothing was changed" in bad.stderr


def test_each_command_is_a_program(job: Callable[..., Path], tmp_path: Path) -> None:
    """What the others run in this process is a real one here: its exit code, what it prints, and nothing else.

    Those that open a screen or carry devices are programs in the tests of screens and runs.
    """
    folder, sheet = job(), tmp_path / "sheet.csv"
    sheet.write_text(ONE_DEVICE)
    wanted = {
        ("check", folder): "0 errors",
        ("preview", folder, "kvr-wj-sw1"): "rename kvr-wj-sw1",
        ("secret", folder): "",
        ("export", folder, tmp_path / "out.csv"): "out.csv",
        ("numbers", folder, "kvr-uk-vg1", "4471"): "stays as it is",
        ("handover", folder): "proof-sheet.pdf",
        ("import", sheet, tmp_path / "new", "--yes"): "1 device",
        ("ports",): "",
        ("family", "check", "quern-s2"): "",
        ("family", "show", "quern-s2"): "base",
        ("--version",): "zinger 0.",
        (): "zinger demo  ",
    }
    with ThreadPoolExecutor(2) as many:
        for words, done in zip(wanted, many.map(lambda words: program(*words), wanted), strict=True):
            assert done.returncode == 0 and not done.stderr, (words, done.stdout, done.stderr)
            assert wanted[words] in done.stdout, (words, done.stdout)
    wrong = program("check", tmp_path / "nowhere")
    assert wrong.returncode == 2 and wrong.stderr.startswith("zinger: ") and not wrong.stdout


SENTENCES = [
    ({"job_yaml": "job: ["}, ("run", "--headless"), 2, "not valid YAML"),
    ({"job_yaml": "job: x\nmode: practice"}, ("run", "--headless"), 2, "in the plan"),
    ({"devices_csv": ""}, ("check",), 1, "the file is empty"),
    ({"devices_csv": "hostname,site,family\n"}, ("check",), 1, "headings but no rows"),
    ({"devices_csv": 'hostname,site\n"a,b\nc,d\n'}, ("check",), 1, "Look for a quote left open"),
    ({"practice_yaml": "pace: fast"}, ("run", "--headless"), 2, "practice.yaml can't be read"),
    ({"practice_yaml": "faults: {kvr-wj-sw1: 7}"}, ("run", "--headless"), 2, "faults are written by device"),
    ({"practice_yaml": "linger: [1]"}, ("run", "--headless"), 2, "linger is a number"),
    ({}, ("run", "--headless", "--only", "nobody"), 2, "the plan has no device nobody"),
    ({}, ("run", "--pace", "0"), 2, "greater than or equal to 0.1"),
]


@pytest.mark.parametrize(("files", "args", "code", "words"), SENTENCES, ids=[s[3] for s in SENTENCES])
def test_bad_input_is_a_sentence(
    job: Callable[..., Path], files: dict[str, str], args: tuple[str, ...], code: int, words: str
) -> None:
    folder = job(**files)
    done = zinger(args[0], folder, *args[1:])
    assert done.returncode == code, done.stdout + done.stderr
    assert words in done.stdout + done.stderr


def test_folders_that_are_no_jobs(tmp_path: Path, job: Callable[..., Path]) -> None:
    assert "is not a folder" in zinger("check", tmp_path / "nowhere").stderr
    assert "has no job.yaml" in zinger("check", tmp_path).stderr
    folder = job()
    (folder / "devices.csv").unlink()
    assert "the build sheet is missing" in zinger("check", folder).stdout


def test_a_broken_family_file_of_the_job_is_told_with_its_line(job: Callable[..., Path]) -> None:
    folder = job()
    (folder / "phrasebooks").mkdir()
    source = Path(__file__).parent.parent / "src" / "zinger" / "phrasebook" / "families" / "quern-s2.yaml"
    text = source.read_text().replace("in look, do: '", "in look, do: ('")
    (folder / "phrasebooks" / "own.yaml").write_text(text)
    line = text[: text.index("  look: ")].count("\n") + 1
    done = zinger("check", folder)
    assert done.returncode == 1
    assert f"phrasebooks/own.yaml:{line} (places.look.prompt): the pattern" in done.stdout
    endless = "family: own\nlike: quern-s2\ntitle: Own\nrefusals: ['^(no +)+(\\S*\\s*)*$']\n"
    (folder / "phrasebooks" / "own.yaml").write_text(endless)
    done = zinger("run", folder, "--headless")
    assert done.returncode == 2 and "in too many ways" in done.stderr, "no pattern that might not end is ever tried"


def test_a_port_that_nobody_listens_on_needs_a_person(job: Callable[..., Path]) -> None:
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        folder = job(**live(f"tcp://127.0.0.1:{held.getsockname()[1]}"))
        done = zinger("run", folder, "--headless")
    assert done.returncode == 3 and "nobody listens there" in done.stdout
    assert done.stdout.splitlines()[-1] == "0 of 1 devices proved"


def test_a_device_that_never_prompts_needs_a_person(job: Callable[..., Path]) -> None:
    """It shows something that is not a known place; what it shows is told, and nothing was said to it."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        folder = job(**live(f"tcp://127.0.0.1:{server.getsockname()[1]}"))
        run = subprocess.Popen(
            [*ZINGER, "run", str(folder), "--headless", "--json"],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        line, _ = server.accept()
        line.sendall("¿Idioma? ".encode())
        out, _ = run.communicate(timeout=60)
        assert line.recv(100) == b""  # closed, and never a byte before that
        line.close()
    found = json.loads(out)["devices"][0]
    assert run.returncode == 3 and found["needs_you"] and found["shown"] == "¿Idioma? "


def test_a_folder_that_cannot_be_written(job: Callable[..., Path]) -> None:
    folder = job()
    folder.chmod(0o500)
    # root without the right to override permissions is like anybody else
    powerless = ["setpriv", "--bounding-set=-dac_override", "--inh-caps=-dac_override"] if os.getuid() == 0 else []
    try:
        done = subprocess.run([*powerless, *ZINGER, "run", str(folder), "--headless"], capture_output=True, text=True)
        assert done.returncode == 2 and "nothing can be written" in done.stderr, done.stderr
        assert "Traceback" not in done.stderr and not (folder / "vault.age").exists()
    finally:
        folder.chmod(0o700)


def test_two_zingers_cannot_work_on_one_job(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 8\n")
    first = subprocess.Popen([*ZINGER, "run", str(folder), "--headless"], stdout=subprocess.PIPE, text=True)
    assert first.stdout
    try:
        while "booting" not in first.stdout.readline():
            pass
        second = zinger("run", folder, "--headless")
        assert second.returncode == 2 and "another zinger works on" in second.stderr
        # a password that the run may be signing in with stays as it is; a new one is added, and the run sees it
        changed = zinger("secret", folder, "kvr-wj-sw1/administrator", stdin="another-secret-99\n")
        assert changed.returncode == 2 and "is not changed: another zinger works on" in changed.stderr
        assert zinger("secret", folder, "kvr-wj-sw9/label", stdin="printed-on-it-9\n").returncode == 0
    finally:
        first.send_signal(signal.SIGHUP)  # the terminal was closed
        assert "kvr-wj-sw1: " in first.communicate(timeout=20)[0]
        journal = Journal(folder / "journal.db")
        assert [entry.kind for entry in journal.entries("")][-1] == "run ended"
        journal.close()
        stop_yard(folder)


def test_a_corrupt_journal_is_told_and_the_run_goes_on(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n")
    (folder / "journal.db").write_bytes(b"not a database" * 500)
    done = zinger("run", folder, "--headless", "--no-power-cut")
    assert done.returncode == 0 and "1 of 1 devices proved" in done.stdout
    assert "kept aside as journal.db.damaged-" in done.stdout
    assert list(folder.glob("journal.db.damaged-*"))


def test_the_first_picture_waits_for_nothing_but_the_toolkit() -> None:
    """Neither the help nor the application loads what a job needs; that comes behind the first picture."""
    heavy = "{'pydantic', 'jinja2', 'sqlalchemy', 'zinger.run.board', 'zinger.plan.settings'} & set(sys.modules)"
    looks = f"import sys, zinger.cli.app, zinger.tui.app; sys.exit(str({heavy}) if {heavy} else 0)"
    done = subprocess.run([sys.executable, "-c", looks], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr.strip()) == (0, ""), f"loaded too early: {done.stderr}"


def test_a_folder_in_the_place_of_a_command_is_opened(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    for name in ("winter", "family", "check"):
        (tmp_path / name).mkdir()
    assert folder_to_open(["winter", "--sheet", "x.csv"]) == ["open", "winter", "--sheet", "x.csv"]
    for as_they_are in ([], ["family", "list"], ["check", "winter"], ["summer"], ["--help"]):
        assert folder_to_open(as_they_are) == as_they_are


def test_practice_opens_the_yard_to_any_client(job: Callable[..., Path]) -> None:
    folder = job(devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n")
    yard = subprocess.Popen([*ZINGER, "practice", str(folder)], stdout=subprocess.PIPE, text=True)
    assert yard.stdout
    try:
        row = next(line for line in yard.stdout if line.startswith("kvr-wj-sw1"))
        port = int(row.split()[2])
        with socket.create_connection(("127.0.0.1", port), 5) as console:
            console.settimeout(10)
            shown = b""
            while b"who is there? " not in shown:
                console.sendall(b"\r")
                shown += console.recv(4096)
    finally:
        yard.terminate()
        yard.wait(10)
        stop_yard(folder)


def test_a_job_starts_no_program_that_nobody_looked_at(job: Callable[..., Path], tmp_path: Path) -> None:
    """A sheet can't start one; job.yaml can, once it was allowed for this folder and these words."""
    started = tmp_path / "started"
    files = live("command:lab")
    program = f"{sys.executable} -c \"import pathlib; pathlib.Path('{started}').touch()\""
    folder = job(**files)
    from_the_sheet = zinger("run", folder, "--headless")
    assert from_the_sheet.returncode == 2 and "has no command called 'lab'" in from_the_sheet.stderr
    (folder / "job.yaml").write_text(files["job_yaml"] + f"commands:\n  lab: {json.dumps(program)}\n")
    unseen = zinger("run", folder, "--headless")
    assert unseen.returncode == 2 and "zinger allow job" in unseen.stderr and not started.exists()
    assert zinger("allow", folder, stdin="n\n").returncode == 1
    assert zinger("allow", folder, "--yes").returncode == 0 and not started.exists()
    zinger("run", folder, "--headless")
    assert started.exists(), "allowed, it is what leads to the console"
    (folder / "job.yaml").write_text((folder / "job.yaml").read_text().replace("touch()", "touch() or 1"))
    assert "zinger allow job" in zinger("run", folder, "--headless").stderr, "other words are another program"
    in_practice = (folder / "job.yaml").read_text().replace("mode: live", "mode: practice")
    (folder / "job.yaml").write_text(in_practice)
    started.unlink()
    assert zinger("run", folder, "--headless", "--no-power-cut").returncode == 0
    assert not started.exists(), "in practice only the yard is dialled"


def test_nothing_that_strangers_wrote_acts_on_the_terminal(job: Callable[..., Path], tmp_path: Path) -> None:
    """Escapes, C1 and bidi controls in a sheet, a phrasebook's file name and a recording are written out."""
    hostile = "a\x1b]0;owned\x07\x1b[2Jb\x9b31mc\u202edcba\u2028"
    folder = job(devices_csv=ONE_DEVICE.replace("kvr-wj-sw1", f'"{hostile}"').replace("Quern S2", f"Quern {hostile}"))
    tape = tmp_path / "tape.cast"
    tape.write_text("\n".join(map(json.dumps, [{"version": 2}, [0.1, "o", f"who \u202e is\r\n{hostile}\r\n"]])) + "\n")
    for words in (("check", folder), ("family", "try", "quern-s2", tape), ("run", folder, "--headless")):
        done = zinger(*words)
        shown = done.stdout + done.stderr
        assert shown and not re.search("[\x00-\x08\x0b-\x1f\x7f-\x9f\u2028\u202e]", shown), ascii(shown)
