"""Serial lines by pyserial: ports of this machine, and ports of others over RFC 2217.

pyserial blocks, so a port has two threads of its own: one reads, one writes what is queued. Ports are few.
"""

from __future__ import annotations

import asyncio
import queue
import re
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import serial
from serial.tools import list_ports

from zinger.link.base import Link, LinkError, Refused, Unreachable
from zinger.plan.values.console import LineSettings

SPEEDS = (9600, 115200, 19200, 38400, 57600, 4800, 2400)
"""Bits a second, the likeliest first."""
FRAMINGS = ("8N1", "7E1")
BREAK = 0.3
"""Seconds that a break lasts; longer than any character."""
OPEN_PATIENCE = 10.0
_GLANCE = 0.05
_FRAMING = re.compile(r"([5-8])([NEO])([12])")


def _quietly(args: threading.ExceptHookArgs, otherwise: Any = threading.excepthook) -> None:
    """pyserial's own threads end in an exception when the far end hangs up; that is told by the link, not printed."""
    if args.thread is None or not args.thread.name.startswith("pySerial"):
        otherwise(args)


threading.excepthook = _quietly


class SerialLink(Link):
    """One open port."""

    def __init__(self, name: str, port: serial.SerialBase) -> None:
        super().__init__(name)
        self._port = port
        self._loop = asyncio.get_running_loop()
        self._out: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()
        self._closing = False
        for work in (self._read, self._write):
            threading.Thread(target=work, name=f"{work.__name__} {name}", daemon=True).start()

    def write(self, data: bytes) -> None:
        self._out.put(data)

    def send_break(self) -> None:
        self._out.put(b"")

    def close(self) -> None:
        self._closing = True
        self._out.put(None)

    def _tell(self, what: object, *args: object) -> None:
        if not self._closing and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(what, *args)  # type: ignore[arg-type]

    def _read(self) -> None:
        try:
            while not self._closing:
                if data := self._port.read(max(1, self._port.in_waiting)):
                    self._tell(self.heard, data)
        except (serial.SerialException, OSError, TypeError) as error:
            self._tell(self.ended, f"the port is gone: {_words(error)}")

    def _write(self) -> None:
        try:
            while (data := self._out.get()) is not None:
                if data:
                    self._port.write(data)
                else:
                    self._port.send_break(BREAK)
        except (serial.SerialException, OSError) as error:
            self._tell(self.ended, f"the port is gone: {_words(error)}")
        finally:
            self._port.close()


def _words(error: BaseException) -> str:
    return getattr(error, "strerror", None) or str(error) or type(error).__name__


def _open(url: str, settings: LineSettings) -> serial.SerialBase:
    match = _FRAMING.fullmatch(settings.framing)
    if match is None:
        raise LinkError(f"{settings.framing!r} is not a framing; write it like 8N1")
    wanted = {
        "baudrate": settings.speed,
        "bytesize": int(match[1]),
        "parity": match[2],
        "stopbits": int(match[3]),
        "timeout": _GLANCE,
    }
    # a server whose port has no modem lines does not answer when they are set; consoles don't want them
    return serial.serial_for_url(f"{url}?ign_set_control" if url.startswith("rfc2217:") else url, **wanted)


async def open_serial(url: str, settings: LineSettings, name: str) -> SerialLink:
    """Open a port by its device name, or `rfc2217://host:port`; raises Refused, Unreachable or LinkError."""
    try:
        async with asyncio.timeout(OPEN_PATIENCE):
            port = await asyncio.to_thread(_open, url, settings)
    except ConnectionRefusedError:
        raise Refused(f"{name}: nobody listens there") from None
    except TimeoutError:
        raise Unreachable(f"{name}: no answer within {OPEN_PATIENCE:.0f} s") from None
    except (serial.SerialException, OSError, ValueError, NotImplementedError) as error:
        if "refused" in str(error):
            raise Refused(f"{name}: nobody listens there") from None
        raise LinkError(f"{name}: {_words(error)}") from None
    return SerialLink(name, port)


@dataclass(frozen=True)
class Found:
    """A serial port of this machine: its device name, and what it says of itself."""

    device: str
    about: str


def serial_ports() -> list[Found]:
    """The serial ports of this machine."""
    return [
        Found(p.device, " ".join(filter(None, (p.description if p.description != "n/a" else "", p.serial_number))))
        for p in sorted(list_ports.comports())
    ]


async def new_port(before: list[Found], patience: float) -> Found | None:
    """The port that appears, as when an adapter is plugged in; None when none does within `patience` seconds."""
    known = {found.device for found in before}
    loop = asyncio.get_running_loop()
    end = loop.time() + patience
    while loop.time() < end:
        for found in await asyncio.to_thread(serial_ports):
            if found.device not in known:
                return found
        await asyncio.sleep(0.3)
    return None


def legible(data: bytes) -> float:
    """How much of what was heard is text, from 0 to 1: line ends, escapes and printable characters."""
    good = sum(byte in b"\r\n\t\b\x1b" or 32 <= byte < 127 for byte in data)
    return good / len(data) if data else 0.0


async def find_settings(
    url: str, patience: float = 1.5, tell: Callable[[LineSettings], None] = lambda settings: None
) -> tuple[LineSettings, str] | None:
    """Find speed and framing by listening, and Enter where nothing is asked; returns them with what was heard, or None.

    `patience` seconds are given to each; the first at which almost all is text is taken. `tell` hears of each before.
    """
    best: tuple[float, LineSettings, str] | None = None
    for framing in FRAMINGS:
        for speed in SPEEDS:
            settings = LineSettings(speed, framing)
            tell(settings)
            data = await _listen(url, settings, patience)
            score = legible(data) if len(data) >= 3 else 0.0
            if score > 0.9 and (best is None or score > best[0]):
                best = (score, settings, data.decode("ascii", "replace"))
            if best and best[0] > 0.98 and len(data) >= 8:
                return best[1:]
    return best[1:] if best else None


async def _listen(url: str, settings: LineSettings, patience: float) -> bytes:
    heard = bytearray()
    link = await open_serial(url, settings, url)
    link.attach(heard.extend, lambda why: None)
    await asyncio.sleep(patience / 4)
    for _ in range(2):
        if _asks(bytes(heard)):
            break  # Enter would answer it
        link.write(b"\r")
        await asyncio.sleep(patience * 3 / 8)
    link.close()
    return bytes(heard)


def _asks(heard: bytes) -> bool:
    """Whether what was heard is text, and ends in a line that waits: a prompt, or a question."""
    return legible(heard) > 0.95 and bool(re.split(rb"[\r\n]", heard)[-1].strip())
