"""Where a device stands: what it last showed, held against the map of places.

What was expected counts at once; anything else must hold still for a moment. A prompt or question that a
log line pushed up still counts, and log lines are no sign that the device is still at work.
"""

from __future__ import annotations

import re
from enum import Enum

from zinger.phrasebook.map import Place
from zinger.phrasebook.terminal import Terminal
from zinger.talk.requests import At
from zinger.talk.surface import Wait
from zinger.talk.terminal.buffer import LineBuffer
from zinger.talk.terminal.screen import Screen
from zinger.talk.timing import Timing

_QUESTION = re.compile(r"[?:>\])] *$")
"""How a question ends, known or not."""
_LONGEST_MENU = 32 * 1024
"""Characters in which the choices of a menu are looked for: a console server has a line for each of its ports."""
_GLANCE = 16 * 1024
"""Characters of a burst that are looked at for boot and identity lines: a whole boot can come at once."""
_LONGEST_NOISE = 2048
"""Characters from which on a burst is more than log lines."""


def is_question(text: str) -> bool:
    """Whether a text ends as questions do, known or not."""
    return _QUESTION.search(text) is not None


class Seen(Enum):
    """What else than a place, or a wait, can stand at the tail."""

    HALF_TYPED = "a prompt with somebody's half-typed line"
    NOTHING_KNOWN = "nothing that the map knows"


class Boot(Enum):
    """What a device tells of its boot."""

    BOOTS = "it boots"
    UP = "it is up"


class Locator:
    """Takes in what the device shows, and says where it stands; knows nothing of what is wanted from it."""

    def __init__(self, terminal: Terminal, timing: Timing) -> None:
        self.terminal, self.timing = terminal, timing
        self.buffer = Screen(*terminal.size) if terminal.size else LineBuffer(terminal.wraps)
        self.identity: dict[str, str] = {}
        """What was shown on this link of which device it is: serial, mac, hostname."""
        self.at: At | None = None
        """Where the device last was known to be; None before the first place and after a restart."""
        self.heard = 0.0
        """When it last showed something that is not a log line, or was last sent something."""
        self.lined = 0.0
        """When it last showed a whole line that is not a log line."""
        self.doubtful = False
        """Set after a nudge or a cancelled line: then even an expected place must hold still."""
        self._stands: At | None = None

    def receive(self, data: bytes, now: float) -> list[Boot]:
        """Bytes from the device; returns what they tell of its boot, in order."""
        lines = self.buffer.feed(data)
        self._stands = None
        if not lines:
            self.heard = now
            return []
        if not self._only_noise(lines):
            self.heard = self.lined = now
        glance = lines[-_GLANCE:]
        for what, pattern in self.terminal.identity_lines.items():
            if mark := pattern.search(glance.replace("\r", "")):
                self.identity[what] = mark["value"]
        found = {Boot.BOOTS: self.terminal.boot.search(glance), Boot.UP: self.terminal.ready.search(glance)}
        begins = {told: mark.start() for told, mark in found.items() if mark is not None}
        return sorted(begins, key=begins.__getitem__)

    def _only_noise(self, lines: str) -> bool:
        if self.buffer.tail or len(lines) >= _LONGEST_NOISE:
            return False
        noise = self.terminal.noise
        return all(noise.search(line) for line in lines.split("\n") if line.strip())

    def sent_to(self, now: float) -> None:
        """Something is being sent: what stood there is no answer to it."""
        self._stands, self.heard = None, now

    def look_anew(self) -> None:
        """What stood there must be recognised again."""
        self._stands = None

    def forget(self) -> None:
        """What stood there counts no more; where it stands must be seen anew."""
        self.buffer.take()
        self.buffer.cut()
        self.at = self._stands = None

    def place(self, expect: frozenset[str], now: float) -> At | Wait | Seen:
        """The place that stands there, how long to wait before deciding, or what else is to be seen."""
        if self._stands is not None:
            return self._stands
        tail = self.buffer.tail
        found = self.terminal.recognise(tail, expect, self.buffer.text) if tail else None
        if found is None and tail.strip():
            found = self._torn(tail)
        if found is None:
            return self._pushed_away(now) if not tail.strip() else Seen.NOTHING_KNOWN
        place, match = found
        still = now >= self.heard + self.timing.settle
        if "half_typed" in match.groupdict() and match["half_typed"].strip():
            return Seen.HALF_TYPED if still else self._hold_still("a half-typed line stands there")
        if place.name not in expect or self.doubtful:
            return self._arrived(place, match) if still else self._hold_still("it must hold still")
        if not self.terminal.size or now >= self.heard + self.timing.drawn:
            return self._arrived(place, match)
        return Wait(self.heard + self.timing.drawn, "the screen is drawn")

    def _torn(self, tail: str) -> tuple[Place, re.Match[str]] | None:
        """The place whose prompt a log line tore in two: what was shown before the log line, and the tail."""
        said = self._said_before_log_lines()
        return self.terminal.recognise(said + tail) if said else None

    def _said_before_log_lines(self) -> str:
        """The last whole line that is no log line, where log lines stand behind it."""
        lines = [line for line in self.buffer.behind_cut(exact=True) if line.strip()]
        behind = next((i for i, line in enumerate(reversed(lines)) if not self.terminal.noise.search(line)), 0)
        return lines[-1 - behind] if behind else ""

    @property
    def standing(self) -> str:
        """What stands there: the tail, or a question that log lines pushed away from it."""
        if self.buffer.tail.strip():
            return self.buffer.tail
        said = self._said_before_log_lines()
        return said if is_question(said) else ""

    @property
    def only_log_lines(self) -> bool:
        """Whether nothing stands there, and the last line shown is a log line."""
        shown = [line for line in self.buffer.behind_cut() if line.strip()]
        return not self.buffer.tail.strip() and bool(shown) and bool(self.terminal.noise.search(shown[-1]))

    def _pushed_away(self, now: float) -> At | Wait | Seen:
        """A place that log lines pushed away; a line that simply ended there was answered, by whatever key."""
        pushed = False
        for line in reversed(self.buffer.behind_cut()):
            if not line.strip():
                continue
            if self.terminal.noise.search(line):
                pushed = True
                continue
            if not pushed:
                return Seen.NOTHING_KNOWN
            found = self.terminal.recognise(f"{line.rstrip()} ") or self.terminal.recognise(line)
            if found is None or (found[1].groupdict().get("half_typed") or "").strip():
                return Seen.NOTHING_KNOWN
            if now < self.heard + self.timing.settle:
                return self._hold_still("a log line came between")
            return self._arrived(*found)
        return Seen.NOTHING_KNOWN

    def _hold_still(self, why: str) -> Wait:
        return Wait(self.heard + self.timing.settle, why)

    def _arrived(self, place: Place, match: re.Match[str]) -> At:
        captured = {k: v for k, v in match.groupdict().items() if v and k != "half_typed"}
        if "hostname" in captured:
            self.identity["hostname"] = captured["hostname"]
        choices = self._choices(place)
        if self.at is None or self.at.place is not place or (self.at.captured, self.at.choices) != (captured, choices):
            self.at = At(place, captured, choices)
        self._stands = self.at
        return self.at

    def _choices(self, place: Place) -> dict[str, str]:
        """What a menu offers now: from the text of a choice to what is typed for it."""
        pattern = self.terminal.signs[place.name].choices
        if pattern is None:
            return {}
        shown = self.buffer.text or "\n".join(self.buffer.recent(most=_LONGEST_MENU))
        return {found["text"].strip(): found["key"] for found in pattern.finditer(shown)}
