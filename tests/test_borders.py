"""Where other people's code is called, what it raises becomes an error of ours: a sentence, never a traceback."""

from __future__ import annotations

import asyncio
import errno
import socket
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import asyncssh
import pytest
import serial

from zinger.errors import ZingerError
from zinger.link.base import LinkError
from zinger.link.ssh import Endpoint, _translated
from zinger.link.tcp import translated
from zinger.plan.values.secrets import SecretRef
from zinger.store.journal import Journal
from zinger.store.recording import events_of
from zinger.store.vault import Vault

SYSTEM: list[Exception] = [
    ConnectionRefusedError(errno.ECONNREFUSED, "x"),
    ConnectionResetError(errno.ECONNRESET, "x"),
    BrokenPipeError(errno.EPIPE, "x"),
    OSError(errno.EHOSTUNREACH, "Connect call failed ('10.44.9.50', 22)"),
    OSError("several at once"),
    socket.gaierror(socket.EAI_NONAME, "Name or service not known"),
    TimeoutError(),
]


def _all(cls: type[Exception]) -> Iterator[type[Exception]]:
    for sub in cls.__subclasses__():
        yield sub
        yield from _all(sub)


def _made(cls: type[Exception]) -> Exception:
    error = cls.__new__(cls)  # what each is made of differs; the border looks at no more than the class and the reason
    error.reason = "why"  # type: ignore[attr-defined]
    return error


SSH = sorted({*_all(asyncssh.Error), asyncssh.KeyImportError}, key=str)


@pytest.mark.parametrize("error", [*SYSTEM, *map(_made, SSH)], ids=lambda e: type(e).__name__)
def test_whatever_ssh_raises_is_a_link_error(error: Exception) -> None:
    with (
        pytest.raises(LinkError) as told,
        _translated("ssh root@192.0.2.1", "root", Endpoint("192.0.2.1", known_as=("kvr-wj-rt9",)), None),
    ):
        raise error
    assert "192.0.2.1: " in str(told.value) and "10.44.9.50" not in str(told.value)


@pytest.mark.parametrize(
    "error", [*SYSTEM, EOFError(), UnicodeError("label too long"), ValueError("x")], ids=lambda e: type(e).__name__
)
async def test_whatever_a_connection_raises_is_a_link_error(error: Exception) -> None:
    async def fails() -> None:
        raise error

    with pytest.raises(LinkError, match=r"tcp://192\.0\.2\.1: ."):
        await translated(fails(), "tcp://192.0.2.1")


@pytest.mark.parametrize(
    "error", [serial.SerialException("gone"), OSError(errno.EIO, "x"), ValueError("bad speed")], ids=repr
)
def test_whatever_a_serial_port_raises_is_a_link_error(error: Exception, monkeypatch: pytest.MonkeyPatch) -> None:
    from zinger.link.serial import open_serial
    from zinger.plan.values.console import LineSettings

    def fails(*_: Any, **__: Any) -> None:
        raise error

    monkeypatch.setattr(serial, "serial_for_url", fails)
    with pytest.raises(LinkError):
        asyncio.run(open_serial("/dev/ttyS9", LineSettings(), "console"))


READERS: dict[str, Callable[[Path], object]] = {
    "vault": lambda file: Vault(file).names(),
    "recording": lambda file: list(events_of(file)),
}


@pytest.mark.parametrize("reader", READERS)
@pytest.mark.parametrize("content", [b"", b"\xff\xfe", b"{}", b"age-encryption.org/v1\n-> X25519 x\n", b"[[[" * 9])
def test_whatever_lies_in_a_file_is_an_error_of_ours(reader: str, content: bytes, tmp_path: Path) -> None:
    Vault(tmp_path / "another").put({SecretRef("a"): "so-that-there-is-an-identity"})
    (tmp_path / "file").write_bytes(content)
    try:
        READERS[reader](tmp_path / "file")
    except ZingerError as error:
        assert "file" in str(error) or "vault" in str(error)


def test_a_journal_that_is_none_is_kept_aside(tmp_path: Path) -> None:
    (tmp_path / "journal.db").write_bytes(b"SQLite format 3\x00" + b"\x07" * 4000)
    journal = Journal(tmp_path / "journal.db")
    assert list(journal.entries()) == [] and journal.kept_aside
    journal.close()
