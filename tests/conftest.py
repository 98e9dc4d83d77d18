"""Shared by all tests: a demo job in a folder of its own, an identity of its own, and practice yards that end."""

from __future__ import annotations

import io
import itertools
import json
import os
import shutil
import subprocess
import sys
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import redirect_stderr, redirect_stdout, suppress
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

import pytest
from hypothesis import settings

from tests.terminal import ZINGER, Terminal
from zinger.cli.app import main
from zinger.link.yard import Yard
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.load import shipped_families
from zinger.run.practice import find_or_start
from zinger.store.folder import JobFolder

settings.register_profile("zinger", deadline=None)  # a busy machine is not a fault
settings.load_profile("zinger")


@pytest.fixture(scope="session", autouse=True)
def own_home(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Nothing of the person who runs the tests is read or written."""
    home = tmp_path_factory.mktemp("home")
    own = {
        "HOME": str(home),
        "XDG_CONFIG_HOME": str(home / "config"),
        "XDG_STATE_HOME": str(home / "state"),
        "XDG_DATA_HOME": str(home / "data"),
        "ZINGER_IDENTITY": str(home / "identity.txt"),
    }
    before = {key: os.environ.get(key) for key in own}
    os.environ.update(own)
    yield
    for key, value in before.items():
        if value is None:
            del os.environ[key]
        else:
            os.environ[key] = value


@pytest.fixture(scope="session")
def quern() -> Phrasebook:
    return shipped_families()["quern-s2"]


def lay_out(folder: Path, **changes: str) -> Path:
    """The demo job in a folder; `changes` replace whole files, by name with dots as underscores."""
    folder.mkdir(parents=True, exist_ok=True)
    for entry in (resources.files("zinger") / "demo").iterdir():
        (folder / entry.name).write_text(changes.get(entry.name.replace(".", "_"), entry.read_text("utf-8")), "utf-8")
    return folder


ONE_DEVICE = "\n".join(
    (
        "site,hostname,family,role,address,serial,mac",
        "Wheal Junction,kvr-wj-sw1,Quern S2,access,10.44.8.11,QS2-0411,02-4b-56-10-33-01",
        "",
    )
)


CARD = """family: lathe-c1
title: Lathe C1
factory: {boots_in: 30 s, sign_in: {user: ''}, address: 198.51.100.9/24}
takes: [edge, wireless]
"""
"""A family that has a factory card and no phrasebook."""


@pytest.fixture
def job(tmp_path: Path) -> Callable[..., Path]:
    """Makes a demo job in this test's folder."""
    return lambda name="job", **changes: lay_out(tmp_path / name, **changes)


def zinger(*args: str | Path, stdin: str = "") -> subprocess.CompletedProcess[str]:
    """Run a command as a person would, in this process; never a traceback.

    Starting a program costs a second; that each command is one is proved once, in `test_each_command_is_a_program`.
    """
    words = ["zinger", *map(str, args)]
    out, err = io.StringIO(), io.StringIO()
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(err):
        patch.setattr(sys, "argv", words)
        patch.setattr(sys, "stdin", io.StringIO(stdin))
        with pytest.raises(SystemExit) as ended:
            main()
            sys.exit(0)
    assert "Traceback" not in err.getvalue() + out.getvalue(), err.getvalue()
    code = ended.value.code
    return subprocess.CompletedProcess(
        words, code if isinstance(code, int) else int(bool(code)), out.getvalue(), err.getvalue()
    )


def program(*args: str | Path, stdin: str = "", cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
    """Run a command as a program of its own."""
    words = [*ZINGER, *map(str, args)]
    return subprocess.run(words, input=stdin, capture_output=True, text=True, timeout=90, cwd=cwd)


@dataclass
class Practice:
    """A running yard with one switch, and its folder."""

    yard: Yard
    folder: JobFolder
    device: str = "kvr-wj-sw1"

    async def heard(self) -> list[str]:
        return list((await self.yard.ask("heard", device=self.device))["lines"])

    async def on(self) -> None:
        await self.yard.ask("plug", device=self.device)
        await self.yard.ask("power", device=self.device, on=True)


@pytest.fixture(scope="session")
def yard_home(tmp_path_factory: pytest.TempPathFactory) -> Iterator[JobFolder]:
    """The folder of this worker's yard, which all tests share one after the other."""
    folder = lay_out(tmp_path_factory.mktemp("yard") / "job", devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n")
    yield JobFolder(folder)
    stop_yard(folder)


@pytest.fixture
async def practice(job: Callable[..., Path], yard_home: JobFolder) -> AsyncIterator[Practice]:
    """A yard process with one switch at pace 300, just delivered: a boot takes 0.3 s."""
    folder = JobFolder(job("yard", devices_csv=ONE_DEVICE, practice_yaml="pace: 300\n"))
    yard, _ = await find_or_start(yard_home, folder.plan(folder.families()[0]).devices, None)
    await yard.ask("deliver")
    shutil.copytree(yard_home.yard, folder.yard)
    yield Practice(yard, folder)
    yard.close()


def stop_yard(folder: Path) -> None:
    """End a job's yard from a synchronous test."""
    import socket

    ready = folder / ".yard" / "ready.json"
    if ready.exists():
        yard = json.loads(ready.read_text())
        with socket.create_connection(("127.0.0.1", yard["port"])) as control:
            control.sendall(json.dumps({"do": "stop", "token": yard["token"]}).encode() + b"\n")
            with suppress(ConnectionResetError):  # it may be gone before it says so
                control.recv(100)


NUMBERS = itertools.count()


@pytest.fixture
def start(tmp_path: Path) -> Iterator[Callable[..., Terminal]]:
    open_now: list[tuple[Terminal, Path]] = []

    def begin(folder: Path, *args: str, **size: int) -> Terminal:
        terminal = Terminal(f"zinger-{os.getpid()}-{next(NUMBERS)}", folder, *args, **size)
        open_now.append((terminal, folder))
        return terminal

    yield begin
    for terminal, folder in open_now:
        terminal.close()
        stop_yard(folder)
