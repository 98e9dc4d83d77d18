"""The set-up page of a real server program (a bookmark server in PHP), in network namespaces of its own.

Its family, `bookmark-server.yaml`, was written from docs/pages.md and from what its pages show. The program is Debian's
package shaarli; without it, PHP or root this is skipped, aloud.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.terminal import ZINGER

PROGRAM, DATA, CACHE = Path("/usr/share/shaarli"), Path("/var/lib/shaarli/data"), Path("/var/cache/shaarli")
JOB = """job: A pad for links
mode: live
baseline:
  accounts: {administrator: {name: kettle-admin, secret: each device}}
  clock: {zone: Europe/Vienna}
  services: {http: on}
sites: {wj: {subnet: 10.66.0.0/24}}
roles: {pad: {short: pad}}
"""


def ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


class Pad:
    """The program with a state of its own, and the namespace of a laptop beside it."""

    def __init__(self, folder: Path) -> None:
        self.data, self.cache = folder / "data", folder / "cache"
        for each in (self.data, *(self.cache / name for name in ("cache", "pagecache", "tmp"))):
            each.mkdir(parents=True)
        self.own, self.desk = f"pad{os.getpid()}", f"desk{os.getpid()}"
        for namespace in (self.own, self.desk):
            ip("netns", "add", namespace)
        ip("link", "add", "pad0", "netns", self.own, "type", "veth", "peer", "name", "desk0", "netns", self.desk)
        for namespace, card, address in ((self.own, "pad0", "10.66.0.2/24"), (self.desk, "desk0", "10.66.0.1/24")):
            ip("-n", namespace, "addr", "add", address, "dev", card)
            ip("-n", namespace, "link", "set", card, "up")
            ip("-n", namespace, "link", "set", "lo", "up")
        self.runs: subprocess.Popen[bytes] | None = None

    def switch(self, on: bool) -> None:
        if self.runs is not None:
            self.runs.kill()
            self.runs.wait()
            self.runs = None
        if on:
            serve = f"exec php -d error_reporting=0 -S 10.66.0.2:80 -t {PROGRAM} {PROGRAM}/index.php"
            words = f"mount --bind {self.data} {DATA} && mount --bind {self.cache} {CACHE} && cd {PROGRAM} && {serve}"
            command = ["ip", "netns", "exec", self.own, "sh", "-c", words]
            self.runs = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            time.sleep(0.5)  # it has no sign that it listens

    def zinger(self, *words: str) -> subprocess.CompletedProcess[str]:
        command = ["ip", "netns", "exec", self.desk, *ZINGER, *words]
        return subprocess.run(command, capture_output=True, text=True, timeout=60)

    def end(self) -> None:
        self.switch(False)
        for namespace in (self.own, self.desk):
            ip("netns", "del", namespace)


@pytest.fixture
def pad(tmp_path: Path) -> Iterator[Pad]:
    lacking = [what for what in ("ip", "php") if shutil.which(what) is None]
    if os.geteuid() != 0 or not PROGRAM.is_dir() or lacking:
        pytest.skip("the bookmark server needs root, PHP and the package shaarli")
    made = Pad(tmp_path)
    yield made
    made.end()


def test_a_bookmark_server_is_set_up_by_its_first_page_and_proved(pad: Pad, tmp_path: Path) -> None:
    folder = tmp_path / "job"
    (folder / "phrasebooks").mkdir(parents=True)
    shutil.copy(Path(__file__).parent / "bookmark-server.yaml", folder / "phrasebooks")
    (folder / "job.yaml").write_text(JOB)
    (folder / "devices.csv").write_text("site,role,hostname,family,address\nwj,pad,kvr-pad,bookmark-server,10.66.0.2\n")
    pad.switch(True)
    first = pad.zinger("run", str(folder), "--headless", "--hands-done", "--no-power-cut")
    assert "1 configured" in first.stdout and "survival: not seen" in first.stdout, first.stdout + first.stderr
    run = subprocess.Popen(
        [
            "ip",
            "netns",
            "exec",
            pad.desk,
            *ZINGER,
            "prove",
            str(folder),
            "--power-cut",
            "--hands-done",
            "--wait-for-hands",
            "40 s",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        while run.poll() is None:
            asked = pad.zinger("hands", str(folder))
            if "cut the power" in asked.stdout:
                pad.switch(False)
                pad.zinger("hands", str(folder), "--done", "all")
                pad.switch(True)
                break
        out = run.communicate(timeout=60)[0]
    finally:
        run.kill()
    assert run.returncode == 0 and "1 of 1 devices proved" in out, out
