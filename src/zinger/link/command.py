"""A local command on a pseudo-terminal as a link: for whatever else leads to a console."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import os
import pty
import struct
import termios
from collections.abc import Sequence

from zinger.link.base import Link, LinkError

SIZE = (24, 80)
"""Rows and columns of its terminal: one without a size makes programs wrap where nobody expects it."""

TERM = "vt100"
"""Its kind of terminal, whatever this program runs on: on one that can do nothing, editors show part of a line."""


class CommandLink(Link):
    """A running command; its terminal is the line."""

    def __init__(self, name: str, terminal: int, process: asyncio.subprocess.Process) -> None:
        super().__init__(name)
        self._terminal, self._process = terminal, process
        self._open = True
        self._loop = asyncio.get_running_loop()
        self._loop.add_reader(terminal, self._read)

    def _read(self) -> None:
        try:
            data = os.read(self._terminal, 65536)
        except OSError:
            data = b""
        if data:
            self.heard(data)
        else:
            self._shut()
            self.ended("the command ended")

    def write(self, data: bytes) -> None:
        if self._open:
            with contextlib.suppress(OSError):
                os.write(self._terminal, data)

    def close(self) -> None:
        self._lost = "closed"
        self._shut()
        with contextlib.suppress(ProcessLookupError):
            self._process.terminate()

    def _shut(self) -> None:
        if self._open:
            self._open = False
            self._loop.remove_reader(self._terminal)
            os.close(self._terminal)


def _take_terminal() -> None:
    """Make the pseudo-terminal the controlling terminal of the new session.

    Without it, Ctrl-C sends no signal, and a program that asks for a password on /dev/tty can't open it.
    """
    fcntl.ioctl(0, termios.TIOCSCTTY, 0)


async def open_command(words: Sequence[str], name: str) -> CommandLink:
    """Start a program with its arguments, without a shell; raises LinkError."""
    parent, child = pty.openpty()
    fcntl.ioctl(child, termios.TIOCSWINSZ, struct.pack("HHHH", *SIZE, 0, 0))
    try:
        process = await asyncio.create_subprocess_exec(
            *words,
            stdin=child,
            stdout=child,
            stderr=child,
            start_new_session=True,
            preexec_fn=_take_terminal,
            env={**os.environ, "TERM": TERM},
        )
    except OSError as error:
        os.close(parent)
        raise LinkError(f"{name}: {words[0]} can't be started: {error.strerror}") from None
    finally:
        os.close(child)
    return CommandLink(name, parent, process)
