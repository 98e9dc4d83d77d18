"""A real Linux box in namespaces of its own: OpenSSH, chrony, ifupdown, and a getty behind a real RFC 2217 server.

Its planned address is real here: the link moves when it is said, and is found again from the other subnet. The tests
make the namespaces themselves and need root; else they are skipped, aloud.
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.conftest import ZINGER, zinger
from zinger.store.journal import Journal

PACKAGES = {
    "sshd": "openssh-server",
    "chronyd": "chrony",
    "ifup": "ifupdown",
    "ser2net": "ser2net",
    "socat": "socat",
    "ip": "iproute2",
    "agetty": "util-linux",
    "login": "login",
}
OLD, NEW, INSTALLED = "192.0.2.10", "10.44.8.50", "chosen-when-installed-1"
PATH = "/usr/sbin:/sbin:" + os.environ.get("PATH", "")
JOB = """\
job: Kettlestone Valley Railway
mode: live
baseline:
  accounts:
    administrator: {name: kettle-admin, secret: each device}
    operator: {name: shift-lead, secret: each device}
    viewer: {name: signal-view, secret: each device}
  dns: {servers: [10.44.8.20, 10.44.8.21], search: kettlestone.example, hosts: [kvr-log 10.44.8.24]}
  domain: stations.example
  ntp: {servers: [10.44.8.22 preferred poll 256 s, 10.44.8.23]}
  clock: {zone: Europe/Vienna}
  idle: {timeout: 10 min, console: 5 min, network: 7 min}
  banner: Kettlestone Valley Railway. Staff only.
  services: {ssh: on}
sites:
  wj: {name: Wheal Junction, subnet: 10.44.8.0/24, management: {gateway: 10.44.8.1}}
"""


def env() -> dict[str, str]:
    """With the places where system tools lie."""
    return {**os.environ, "PATH": PATH}


def run(*words: str | Path, check: bool = True) -> str:
    done = subprocess.run([*map(str, words)], capture_output=True, text=True, env=env(), timeout=60)
    assert not check or done.returncode == 0, done.stdout + done.stderr
    return done.stdout


@pytest.fixture(scope="module", autouse=True)
def tools() -> None:
    """Root and Debian's packages; installed here when they can be."""
    if os.geteuid() != 0:
        pytest.skip("a Linux box needs root, to make its namespaces")
    lacking = [package for tool, package in PACKAGES.items() if shutil.which(tool, path=PATH) is None]
    if lacking:
        subprocess.run(["apt-get", "update", "-qq"], capture_output=True)
        subprocess.run(["apt-get", "install", "-y", "-qq", *lacking], capture_output=True)
    still = [tool for tool in PACKAGES if shutil.which(tool, path=PATH) is None]
    tried = ["unshare", "--net", "--uts", "--mount", "ip", "link", "add", "a0", "type", "veth", "peer", "name", "b0"]
    if still or subprocess.run(tried, capture_output=True, env=env()).returncode:
        pytest.skip(f"a Linux box can't be made here: {', '.join(still) or 'no namespaces, or no veth'}")


def end_all_in(namespace: str) -> None:
    """End every process of a namespace; one that ended by itself meanwhile is as welcome."""
    while pids := run("ip", "netns", "pids", namespace).split():
        for pid in pids:
            with suppress(ProcessLookupError):
                os.kill(int(pid), signal.SIGKILL)
        time.sleep(0.02)


@dataclass
class Box:
    """The box, the laptop's namespace beside it, and the job that is for it."""

    name: str
    folder: Path
    job: Path

    def start(self, console: str = "") -> None:
        self.process = subprocess.Popen(
            [
                "ip",
                "netns",
                "exec",
                f"{self.name}b",
                "unshare",
                "--uts",
                "--mount",
                str(Path(__file__).parent / "linuxbox.sh"),
                str(self.folder),
                INSTALLED,
                console,
            ],
            env=env(),
            stdout=subprocess.DEVNULL,
            stderr=(self.folder / "log").open("a"),
            start_new_session=True,
        )
        self.until(lambda: "listening on" in (self.folder / "log").read_text())

    def stop(self) -> None:
        """Its power is cut: every process of its namespace ends at once."""
        end_all_in(f"{self.name}b")
        self.process.wait()
        run("ip", "-n", f"{self.name}b", "addr", "flush", "dev", "eth0")  # what its kernel knew is gone
        (self.folder / "log").write_text("")

    @staticmethod
    def until(done: object, seconds: float = 20) -> None:
        end = time.monotonic() + seconds
        while not done():  # type: ignore[operator]
            assert time.monotonic() < end, "it never came"
            time.sleep(0.05)

    def zinger(self, *words: str) -> subprocess.CompletedProcess[str]:
        """Zinger on the laptop beside the box."""
        done = subprocess.run(
            ["ip", "netns", "exec", f"{self.name}l", *ZINGER, *words],
            capture_output=True,
            text=True,
            env=env(),
            timeout=110,
        )
        assert "Traceback" not in done.stdout + done.stderr, done.stderr
        return done

    def inside(self, *words: str) -> str:
        """What a command says inside the box."""
        pid = (self.folder / "pid").read_text().strip()
        return run("nsenter", "--target", pid, "--net", "--uts", "--mount", *words)


@pytest.fixture
def box(tmp_path: Path) -> Iterator[Box]:
    name = f"z{os.getpid() % 100000}"
    for end in "bl":
        run("ip", "netns", "add", name + end)
    run(*f"ip link add lap0 netns {name}l type veth peer name eth0 netns {name}b".split())
    for words in (
        ("link", "set", "lap0", "up"),
        ("link", "set", "lo", "up"),
        ("addr", "add", "192.0.2.2/24", "dev", "lap0"),
    ):
        run("ip", "-n", f"{name}l", *words)
    folder = tmp_path / "box"
    shutil.copytree("/etc", folder / "etc", symlinks=True)
    etc = folder / "etc"
    (etc / "hostname").write_text("factory-box\n")
    (etc / "network" / "interfaces").write_text(f"auto eth0\niface eth0 inet static\n  address {OLD}/24\n")
    (etc / "resolv.conf").unlink()
    (etc / "resolv.conf").write_text("nameserver 192.0.2.53\n")
    (etc / "ssh" / "sshd_config.d" / "installed.conf").write_text("PermitRootLogin yes\nPasswordAuthentication yes\n")
    (etc / "chrony" / "chrony.conf").write_text(
        "sourcedir /etc/chrony/sources.d\nbindcmdaddress /run/chrony/chronyd.sock\n"
    )
    for leaf in (etc / "chrony" / "sources.d").glob("*"):
        leaf.unlink()
    if not list((etc / "ssh").glob("ssh_host_*_key")):
        run("ssh-keygen", "-A", "-f", folder)
    job = tmp_path / "job"
    job.mkdir()
    (job / "job.yaml").write_text(JOB)
    made = Box(name, folder, job)
    yield made
    for end in "bl":
        end_all_in(name + end)
        run("ip", "netns", "del", name + end)


def sheet(box: Box, console: str) -> None:
    (box.job / "devices.csv").write_text(
        f"site,hostname,family,address,console\nwj,kvr-wj-rt9,linux-box,{NEW},{console}\n"
    )
    assert zinger("secret", box.job, "kvr-wj-rt9/label", stdin=INSTALLED + "\n").returncode == 0


def as_planned(box: Box) -> None:
    assert box.inside("hostname").strip() == "kvr-wj-rt9"
    assert f"{NEW}/24" in box.inside("ip", "-o", "-4", "addr", "show", "dev", "eth0")
    assert "via 10.44.8.1" in box.inside("ip", "route", "show", "default")
    assert (box.folder / "etc" / "resolv.conf").read_text().split() == [
        "nameserver",
        "10.44.8.20",
        "nameserver",
        "10.44.8.21",
        "search",
        "kettlestone.example",
    ]
    assert "10.44.8.22,0,8," in box.inside("chronyc", "-n", "-c", "sources"), "asked every 2^8 s"
    assert box.inside("hostname", "-f").strip() == "kvr-wj-rt9.stations.example"
    assert box.inside("getent", "hosts", "kvr-log").split()[0] == "10.44.8.24"
    assert str((box.folder / "etc" / "localtime").readlink()).endswith("/zoneinfo/Europe/Vienna")
    assert "staff" in box.inside("id", "-nG", "shift-lead").split()
    for line, seconds in (("console", 300), ("network", 420)):
        assert f"TMOUT={seconds}" in (box.folder / "etc" / "profile.d" / f"zinger_{line}.sh").read_text()


def test_over_ssh_the_link_moves_and_is_found_again(box: Box) -> None:
    box.start()
    sheet(box, f"ssh://{OLD}")
    # the laptop is not in the planned subnet: that is an act for hands, and nothing was cut off
    first = box.zinger("run", str(box.job), "--headless", "--no-power-cut")
    assert first.returncode == 3 and "give this laptop the address 10.44.8." in first.stdout, first.stdout
    assert OLD in box.inside("ip", "-o", "-4", "addr", "show", "dev", "eth0")
    run("ip", "-n", f"{box.name}l", "addr", "add", "10.44.8.250/24", "dev", "lap0")
    done = box.zinger("run", str(box.job), "--headless", "--no-power-cut")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    as_planned(box)
    assert {line.split()[0] for line in (box.job / "known_hosts").read_text().splitlines()} == {"kvr-wj-rt9", NEW}
    # it stays: the watchdog that would have taken the address back is content, and a power cut changes nothing
    box.stop()
    box.start()
    proved = json.loads(box.zinger("prove", str(box.job), "--json", "--no-power-cut").stdout)
    assert proved["proved"] == 1
    as_planned(box)
    # what is only looked at: nothing is sent for it, and it is as planned or it differs
    (box.job / "job.yaml").write_text(JOB.replace("{ssh: on}", "{ssh: on, telnet: off, http: on}"))
    looked = box.zinger("prove", str(box.job), "--no-power-cut")
    assert looked.returncode == 1 and "differs    HTTP (running): planned on, read off" in looked.stdout, looked.stdout
    journal = Journal(box.job / "journal.db")
    said = [e.data["setting"] for e in journal.entries("kvr-wj-rt9") if e.kind == "sent"]
    journal.close()
    assert said.count("management.address") == 1
    every = b"".join(p.read_bytes() for p in box.job.rglob("*") if p.is_file())
    assert INSTALLED.encode() not in every


def test_an_address_that_is_never_confirmed_goes_back_by_itself(box: Box) -> None:
    """The planned subnet leads nowhere from here: the box comes back to its old address, and a person is asked."""
    box.start()
    book = (Path(__file__).parent.parent / "src/zinger/phrasebook/families/linux-box.yaml").read_text()
    (box.job / "phrasebooks").mkdir()
    (box.job / "phrasebooks" / "linux-box.yaml").write_text(
        book.replace("sleep 60;", "sleep 6;").replace("within: 60 s", "within: 20 s")
    )
    (box.job / "job.yaml").write_text(JOB.replace("10.44.8.0/24", "10.44.9.0/24").replace("10.44.8.1}", "10.44.9.1}"))
    sheet(box, f"ssh://{OLD}")
    (box.job / "devices.csv").write_text((box.job / "devices.csv").read_text().replace(NEW, "10.44.9.50"))
    # an address in that subnet, on a wire that ends here
    for words in (
        ("link", "add", "stub0", "type", "veth", "peer", "name", "stub1"),
        ("link", "set", "stub0", "up"),
        ("link", "set", "stub1", "up"),
        ("addr", "add", "10.44.9.250/24", "dev", "stub0"),
    ):
        run("ip", "-n", f"{box.name}l", *words)
    done = box.zinger("run", str(box.job), "--headless", "--no-power-cut")
    assert done.returncode == 3 and "needs you" in done.stdout, done.stdout + done.stderr
    box.until(lambda: OLD in box.inside("ip", "-o", "-4", "addr", "show", "dev", "eth0"))


def test_by_a_getty_behind_an_rfc_2217_server(box: Box) -> None:
    port = str(box.folder / "port")
    box.start(port)
    config = box.folder / "ser2net.yaml"
    config.write_text(
        "connection: &c\n  accepter: telnet(rfc2217),tcp,127.0.0.1,4001\n"
        f"  connector: serialdev,{port},115200n81,local\n"
    )
    box.until(lambda: Path(port).exists())
    server = subprocess.Popen(
        ["ip", "netns", "exec", f"{box.name}l", "ser2net", "-n", "-c", str(config)],
        env=env(),
        stderr=subprocess.DEVNULL,
    )
    sheet(box, "rfc2217://127.0.0.1:4001")
    run("ip", "-n", f"{box.name}l", "addr", "add", "10.44.8.250/24", "dev", "lap0")
    box.until(lambda: ":4001" in run("ip", "netns", "exec", f"{box.name}l", "ss", "-ltnH"))
    done = box.zinger("run", str(box.job), "--headless", "--no-power-cut")
    server.kill()
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    as_planned(box)
