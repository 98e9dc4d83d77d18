"""Recordings of sessions as asciicast v2 (JSON lines): what the device showed, what was said, marks.

Everything that comes in here is masked already; the file is written line by line, so that what was
recorded before a crash can still be played.
"""

from __future__ import annotations

import codecs
import json
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from json.encoder import encode_basestring as quoted
from pathlib import Path
from typing import BinaryIO, Generic, TextIO, TypeVar

from zinger.errors import ZingerError

WIDTH, HEIGHT = 80, 24
Event = tuple[float, str, str]
"""Seconds from the beginning, code (`o` shown, `i` said, `m` mark), text."""
FLUSH_EVERY = 1.0


class RecordingError(ZingerError):
    """A file that is not a recording, or can't be read; the message says where."""


def events_of(file: Path) -> Iterator[Event]:
    """The events of an asciicast v2 file; raises RecordingError with the line that can't be read.

    A last line without its end, as a crash leaves it, ends the recording.
    """
    try:
        with file.open(encoding="utf-8") as lines:
            for number, line in enumerate(lines, 1):
                try:
                    entry = json.loads(line)
                    if number > 1:
                        yield float(entry[0]), str(entry[1]), str(entry[2])
                    elif entry.get("version") != 2:
                        raise RecordingError(f"{file} is not an asciicast v2 recording")
                except (ValueError, IndexError, TypeError, AttributeError, KeyError):
                    if number > 1 and not line.endswith("\n"):
                        return
                    raise RecordingError(f"{file}:{number} is not a line of an asciicast v2 recording") from None
    except (OSError, UnicodeDecodeError) as error:
        raise RecordingError(f"{file} can't be read: {error}") from None


F = TypeVar("F", TextIO, BinaryIO)


def untold(why: str) -> None:
    """Where nobody is told."""


class RecordingFile(Generic[F]):
    """A file that is written while a session goes on. Where it can't be any more, `failed` is told why, and no more."""

    def __init__(self, file: Path, failed: Callable[[str], None]) -> None:
        self.file, self._failed = file, failed
        self._out: F | None = None

    def close(self) -> None:
        """Finish the file."""
        if self._out is not None:
            with self._told():
                self._out.close()
            self._out = None

    @contextmanager
    def _told(self) -> Iterator[None]:
        """What can't be written ends the recording, and is told."""
        try:
            yield
        except OSError as error:
            out, self._out = self._out, None
            with suppress(OSError):  # what is left in its buffer can't be written either
                if out is not None:
                    out.close()
            self._failed(f"the recording {self.file.name} can't be written: {error.strerror}")


class Recording(RecordingFile[TextIO]):
    """One session's recording."""

    def __init__(self, file: Path, title: str, failed: Callable[[str], None] = untold) -> None:
        super().__init__(file, failed)
        self._zero = time.monotonic()
        self._flushed = self._zero
        self._decode = codecs.getincrementaldecoder("utf-8")("replace").decode
        header = {"version": 2, "width": WIDTH, "height": HEIGHT, "timestamp": int(time.time()), "title": title}
        with self._told():
            file.parent.mkdir(parents=True, exist_ok=True)
            self._out = file.open("w", 1 << 16, encoding="utf-8")
            self._out.write(json.dumps(header) + "\n")
            self._out.flush()

    def shown(self, data: bytes) -> None:
        """The device showed these (masked) bytes."""
        self._event("o", self._decode(data))

    def typed(self, text: str) -> None:
        """This (masked) text was typed."""
        self._event("i", text)

    def marker(self, text: str) -> None:
        """A mark for the player: a step begins, a person takes the wire."""
        self._event("m", text)

    def _event(self, code: str, text: str) -> None:
        out = self._out
        if out is None:
            return
        now = time.monotonic()
        with self._told():
            out.write(f'[{now - self._zero:.6f}, "{code}", {quoted(text)}]\n')
            if now - self._flushed >= FLUSH_EVERY:
                self._flushed = now
                out.flush()
