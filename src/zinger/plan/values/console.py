"""A console as the plan writes it: what kind of way leads there, where, and how."""

from __future__ import annotations

import re
import shlex
from collections.abc import Mapping
from dataclasses import dataclass

from zinger.plan.values.bad import BadValue

_HOST = r"(?P<host>\[[0-9a-fA-F:.]+\]|[^/:?\s]+)"
_NETWORK = re.compile(rf"(?P<kind>telnet|tcp|rfc2217|ssh)://{_HOST}(?::(?P<port>\d{{1,5}}))?(?:\?(?P<how>\S+))?")
_SERIAL = re.compile(r"serial://(?P<port>(?!\S*://)[^?\s]+)(?:\?(?P<how>\S+))?")
FORMS = "serial:///dev/ttyUSB0, rfc2217://host:port, telnet://host:port, tcp://host:port, ssh://host or command:NAME"
SERIAL = ("serial", "rfc2217")
"""Kinds that have a speed and framing."""
_HOW = {"ssh": ("", "old")}
"""What may stand behind the question mark, beside speed and framing."""
YARD = "yard"
"""The console that practice gives every device."""


@dataclass(frozen=True)
class LineSettings:
    """Speed in bits a second and framing as data bits, parity, stop bits."""

    speed: int = 9600
    framing: str = "8N1"

    @classmethod
    def read(cls, text: str) -> LineSettings:
        """From `115200 8N1` or `115200-8N1`; raises BadValue."""
        match = re.fullmatch(r"(\d{2,7})(?:[ -]([5-8][NEO][12]))?", text.strip())
        if match is None:
            raise BadValue(f"{text!r} are not settings of a serial line", "write them like 9600 8N1")
        return cls(int(match[1]), match[2] or "8N1")

    def __str__(self) -> str:
        return f"{self.speed} {self.framing}"


@dataclass(frozen=True)
class Console:
    """What kind of way, where, and how (speed and framing, or `old`).

    A `command` is named here and written in job.yaml under `commands`: a sheet comes from strangers, and must not be
    able to start a program.
    """

    kind: str
    host: str = ""
    port: int = 0
    how: str = ""

    @classmethod
    def read(cls, text: str) -> Console:
        """From the column of the sheet; raises BadValue with the forms that there are."""
        if text in ("", YARD):
            return cls(YARD)
        if text.startswith("command:"):
            return cls("command", text.removeprefix("command:").strip())
        if match := _SERIAL.fullmatch(text):
            return cls("serial", match["port"], how=match["how"] or "")
        match = _NETWORK.fullmatch(text)
        port = int(match["port"] or (22 if match["kind"] == "ssh" else 0)) if match else 0
        if match is None or not 0 < port < 65536:
            raise BadValue(f"{text!r} is not a console", f"write {FORMS}")
        kind, how = match["kind"], match["how"] or ""
        if kind not in SERIAL and how not in _HOW.get(kind, ("",)):
            known = "?old, or nothing" if kind in _HOW else "nothing"
            raise BadValue(
                f"{text!r} is not a console: ?{how} says nothing of {kind}", f"write {known} behind the port"
            )
        return cls(kind, match["host"].strip("[]"), port, how)

    def words(self, commands: Mapping[str, str]) -> list[str]:
        """The program of a command console and its arguments; raises BadValue for one that job.yaml does not have."""
        written = commands.get(self.host)
        if written is None:
            known = f"; it has {', '.join(commands)}" if commands else ""
            raise BadValue(
                f"job.yaml has no command called {self.host!r}{known}",
                "write the program there, under `commands`, and its name here; a sheet can't start one",
            )
        try:
            words = shlex.split(written)
        except ValueError as error:
            raise BadValue(f"the command {self.host} can't be read: {error}", "close what is open") from None
        if not words:
            raise BadValue(f"the command {self.host} is empty", "write a program and its arguments")
        return words
