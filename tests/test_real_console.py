"""The console of a real program, PostgreSQL's psql: passwords of named accounts, a pager, an open quote, long lines.

Its phrasebook, `pg-host.yaml`, was written from the documentation alone. The server runs on loopback, in a
folder of this test, as the user that Debian's package made; so the test needs root, else it is skipped, aloud.
"""

from __future__ import annotations

import os
import pwd
import shutil
import socket
import subprocess
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.conftest import program

HOME = Path("/usr/lib/postgresql")
JOB = """\
job: Kettlestone Valley Railway
mode: live
commands: {{db: psql -h 127.0.0.1 -p {port} -U carton -d postgres}}
sites: {{wj: {{name: Wheal Junction, subnet: 10.44.8.0/24}}}}
baseline:
  accounts:
    administrator: {{name: kettle-admin, secret: each device}}
    viewer: {{name: signal-view, secret: each device}}
  clock: {{zone: Europe/Vienna}}
  banner: {banner}
  idle: {{timeout: 10 min}}
"""
LONG = "Kettlestone Valley Railway. " * 4


@dataclass
class Server:
    """A server of this test, and the job that is for it."""

    tools: Path
    data: Path
    port: int
    job: Path

    def as_its_user(self, *words: str | Path) -> None:
        subprocess.run(
            ["runuser", "-u", "postgres", "--", *map(str, words)], check=True, capture_output=True, timeout=60
        )

    def plan(self, banner: str) -> None:
        (self.job / "job.yaml").write_text(JOB.format(port=self.port, banner=banner))

    def tell(self, words: str) -> str:
        """What the server itself says, past Zinger."""
        env = {**os.environ, "PGPASSWORD": "factory-pass"}
        command = ["psql", "-h", "127.0.0.1", "-p", str(self.port), "-U", "carton", "-d", "postgres", "-Atc", words]
        return subprocess.run(command, env=env, check=True, capture_output=True, text=True).stdout.strip()


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    if os.geteuid() != 0:
        pytest.skip("a database server runs as a user of its own, which needs root to become")
    if not HOME.exists():
        subprocess.run(["apt-get", "install", "-y", "-qq", "postgresql"], capture_output=True)
    if not HOME.exists() or shutil.which("psql") is None:
        pytest.skip("Debian's package postgresql is missing")
    for folder in (tmp_path, *tmp_path.parents):  # its user must come there
        if folder.stat().st_uid == os.getuid() and folder.is_relative_to("/tmp"):
            folder.chmod(folder.stat().st_mode | 0o011)
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    data, job = tmp_path / "db", tmp_path / "job"
    data.mkdir()
    os.chown(data, *pwd.getpwnam("postgres")[2:4])
    (job / "phrasebooks").mkdir(parents=True)
    shutil.copy(Path(__file__).parent / "pg-host.yaml", job / "phrasebooks")
    (job / "devices.csv").write_text("site,hostname,family,console\nwj,kvr-wj-db1,pg-host,command:db\n")
    made = Server(max(HOME.iterdir()) / "bin", data, port, job)
    (data / "pw").write_text("factory-pass")
    (data / "pw").chmod(0o644)
    made.as_its_user(
        made.tools / "initdb", "-D", data / "d", "-A", "scram-sha-256", "-U", "carton", f"--pwfile={data}/pw"
    )
    options = f"-p {port} -k {data} -c listen_addresses=127.0.0.1"
    made.as_its_user(made.tools / "pg_ctl", "-D", data / "d", "-w", "-l", data / "log", "-o", options, "start")
    yield made
    with suppress(subprocess.CalledProcessError):  # it is gone already
        made.as_its_user(made.tools / "pg_ctl", "-D", data / "d", "-t", "50", "-m", "immediate", "stop")


def test_a_console_that_nobody_here_wrote(server: Server) -> None:
    server.plan(LONG)
    assert program("allow", server.job, "--yes").returncode == 0
    done = program("run", server.job, "--headless", "--no-power-cut")
    assert done.stdout.splitlines()[-1] == "1 of 1 devices proved", done.stdout + done.stderr
    assert server.tell("select rolname from pg_roles where rolcanlogin order by 1").split() == [
        "carton",
        "kettle-admin",
        "signal-view",
    ]
    # what is planned can't be sent as the phrasebook sends it: an open quote, told as such, and left by Ctrl-C
    server.plan("Kettlestone's own")
    done = program("run", server.job, "--headless", "--no-power-cut")
    assert done.returncode == 3 and "after sending the banner it stood at more, each time" in done.stdout, done.stdout
    assert server.tell("select setting from pg_file_settings where name = 'cluster_name'") == LONG.strip()
    # somebody changes a password: the session that stands already is no sign-in
    server.plan(LONG)
    server.tell("""alter role "signal-view" password 'another'""")
    done = program("prove", server.job)
    assert done.returncode == 1 and "signal-view signs in on the console" in done.stdout, done.stdout
    every = b"".join(p.read_bytes() for p in server.job.rglob("*") if p.is_file())
    assert b"factory-pass" not in every.replace((server.job / "phrasebooks" / "pg-host.yaml").read_bytes(), b"")
