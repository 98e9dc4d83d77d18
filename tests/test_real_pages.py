"""The set-up pages of real server programs, in network namespaces of their own.

Their families, `bookmark-server.yaml` and `talk-relay.yaml`, were written from docs/pages.md and from what their pages
show. The programs are Debian's packages shaarli (PHP) and znc; without them or root a test is skipped, aloud.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import tempfile
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


class Bench:
    """A namespace with a server program, and one with a laptop beside it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.own, self.desk = f"own{os.getpid()}", f"desk{os.getpid()}"
        for namespace in (self.own, self.desk):
            ip("netns", "add", namespace)
        ip("link", "add", "own0", "netns", self.own, "type", "veth", "peer", "name", "desk0", "netns", self.desk)
        for namespace, card, address in ((self.own, "own0", "10.66.0.2/24"), (self.desk, "desk0", "10.66.0.1/24")):
            ip("-n", namespace, "addr", "add", address, "dev", card)
            ip("-n", namespace, "link", "set", card, "up")
            ip("-n", namespace, "link", "set", "lo", "up")
        self.runs: subprocess.Popen[bytes] | None = None

    def starts(self) -> list[str]:
        """The words that start the program, in the foreground."""
        raise NotImplementedError

    def switch(self, on: bool) -> None:
        if self.runs is not None:
            self.runs.kill()
            self.runs.wait()
            self.runs = None
        if on:
            command = ["ip", "netns", "exec", self.own, *self.starts()]
            self.runs = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            time.sleep(1.5)  # it has no sign that it listens

    def zinger(self, *words: str) -> subprocess.CompletedProcess[str]:
        command = ["ip", "netns", "exec", self.desk, *ZINGER, *words]
        return subprocess.run(command, capture_output=True, text=True, timeout=60)

    def is_proved(self, folder: Path, *words: str) -> None:
        """Carry it, switch it off and on when that is asked for, and see that it is proved."""
        command = ["ip", "netns", "exec", self.desk, *ZINGER, *words, str(folder), "--hands-done"]
        run = subprocess.Popen([*command, "--wait-for-hands", "40 s"], stdout=subprocess.PIPE, text=True)
        try:
            while run.poll() is None:
                if "cut the power" in self.zinger("hands", str(folder)).stdout:
                    self.switch(False)
                    self.zinger("hands", str(folder), "--done", "all")
                    self.switch(True)
                    break
            out = run.communicate(timeout=60)[0]
        finally:
            run.kill()
        assert run.returncode == 0 and "1 of 1 devices proved" in out, out

    def end(self) -> None:
        self.switch(False)
        for namespace in (self.own, self.desk):
            ip("netns", "del", namespace)


class Pad(Bench):
    """The bookmark server, with a state of its own."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.data, self.cache = folder / "data", folder / "cache"
        for each in (self.data, *(self.cache / name for name in ("cache", "pagecache", "tmp"))):
            each.mkdir(parents=True)

    def starts(self) -> list[str]:
        serve = f"exec php -d error_reporting=0 -S 10.66.0.2:80 -t {PROGRAM} {PROGRAM}/index.php"
        words = f"mount --bind {self.data} {DATA} && mount --bind {self.cache} {CACHE} && cd {PROGRAM} && {serve}"
        return ["sh", "-c", words]


class Relay(Bench):
    """The relay for talk, as somebody installed it: one account, its pages behind TLS."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        (folder / "configs").mkdir(parents=True)
        words = ["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "9", "-subj", "/CN=relay"]
        key, certificate = folder / "key.pem", folder / "certificate.pem"
        subprocess.run(["openssl", *words, "-keyout", key, "-out", certificate], check=True, capture_output=True)
        (folder / "znc.pem").write_text(key.read_text() + certificate.read_text())
        digest = hashlib.sha256(b"first-word" + SALT.encode()).hexdigest()
        (folder / "configs/znc.conf").write_text(CONFIGURATION.format(salt=SALT, digest=digest))

    def starts(self) -> list[str]:
        for file in (self.folder, *self.folder.rglob("*")):
            os.chown(file, NOBODY, NOBODY)  # as root it would wait for half a minute
        who = ["setpriv", f"--reuid={NOBODY}", f"--regid={NOBODY}", "--clear-groups"]
        return [*who, "znc", "--foreground", "--datadir", str(self.folder)]

    def end(self) -> None:
        super().end()
        shutil.rmtree(self.folder)


NOBODY = 65534
SALT = "abcdefghij0123456789"
CONFIGURATION = """Version = 1.8.2
LoadModule = webadmin
<Listener l>
    Host = 10.66.0.2
    Port = 16667
    IPv6 = false
    SSL = true
</Listener>
<User admin>
    <Pass password>
        Method = sha256
        Hash = {digest}
        Salt = {salt}
    </Pass>
    Admin = true
    Nick = admin
</User>
"""


def needs(*programs: str, folder: Path | None = None) -> None:
    lacking = [what for what in ("ip", *programs) if shutil.which(what) is None]
    if os.geteuid() != 0 or lacking or (folder is not None and not folder.is_dir()):
        pytest.skip(f"needs root and {', '.join(programs)} with its program")


@pytest.fixture
def pad(tmp_path: Path) -> Iterator[Pad]:
    needs("php", folder=PROGRAM)
    made = Pad(tmp_path)
    yield made
    made.end()


@pytest.fixture
def relay() -> Iterator[Relay]:
    needs("znc", "openssl", "setpriv")
    made = Relay(Path(tempfile.mkdtemp(prefix="relay-")))
    yield made
    made.end()


def laid_out(folder: Path, family: str, job: str, sheet: str) -> Path:
    (folder / "phrasebooks").mkdir(parents=True)
    shutil.copy(Path(__file__).parent / f"{family}.yaml", folder / "phrasebooks")
    (folder / "job.yaml").write_text(job)
    (folder / "devices.csv").write_text(sheet)
    return folder


def test_a_bookmark_server_is_set_up_by_its_first_page_and_proved(pad: Pad, tmp_path: Path) -> None:
    sheet = "site,role,hostname,family,address\nwj,pad,kvr-pad,bookmark-server,10.66.0.2\n"
    folder = laid_out(tmp_path / "job", "bookmark-server", JOB, sheet)
    pad.switch(True)
    first = pad.zinger("run", str(folder), "--headless", "--hands-done", "--no-power-cut")
    assert "1 configured" in first.stdout and "survival: not seen" in first.stdout, first.stdout + first.stderr
    pad.is_proved(folder, "prove", "--power-cut")


RELAY = """job: A relay for talk
mode: live
baseline:
  accounts: {administrator: {name: admin, secret: each device}}
  banner: Kettlestone Valley Railway. Staff only.
  clock: {zone: Europe/Vienna}
  services: {https: on}
sites: {wj: {subnet: 10.66.0.0/24}}
roles: {relay: {short: r}}
"""


def test_a_relay_gets_another_password_for_the_account_that_it_has_and_is_proved(relay: Relay, tmp_path: Path) -> None:
    """The account is there already, by its name: that proves no password, so it is sent."""
    sheet = "site,role,hostname,family,address\nwj,relay,kvr-relay,talk-relay,10.66.0.2\n"
    folder = laid_out(tmp_path / "job", "talk-relay", RELAY, sheet)
    relay.switch(True)
    relay.is_proved(folder, "run", "--headless")
