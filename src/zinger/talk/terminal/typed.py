"""What a person types on the wire, as it may be recorded: plain once the device echoed it, else dots.

What is typed at a question that does not echo is most likely a password, known to the vault or not. So nothing that was
typed is recorded before its echo is seen; judging by the place alone was rejected, since a person also types where no
phrasebook knows the place.
"""

from __future__ import annotations

from zinger.plan.values.secrets import MASK

LONGEST = 4096
"""Characters that wait for their echo; older ones are dots."""


class Typed:
    """Holds what was typed until it is known whether it came back."""

    def __init__(self) -> None:
        self._waiting = ""

    def typed(self, text: str) -> str:
        """Something was typed; returns what may be recorded by now."""
        self._waiting += text
        over = len(self._waiting) - LONGEST
        if over <= 0:
            return ""
        self._waiting = self._waiting[over:]
        return MASK

    def shown(self, text: str) -> str:
        """The device showed something; returns what may be recorded now: the echo plain, what it left out as dots."""
        if not self._waiting:
            return ""
        same = 0
        while same < min(len(self._waiting), len(text)) and _echoes(text[same], self._waiting[same]):
            same += 1
        echoed, self._waiting = self._waiting[:same], self._waiting[same:]
        return echoed if same == len(text) else echoed + self.ended()

    def ended(self) -> str:
        """Nothing more will come back: what waits is dots, with its Enter and other keys as they were."""
        waiting, self._waiting = self._waiting, ""
        return _dotted(waiting)


def _echoes(shown: str, typed: str) -> bool:
    return shown == typed or (typed == "\r" and shown in "\r\n")


def _dotted(text: str) -> str:
    """Every run of printable characters as a mask of fixed width, which does not tell how long it was."""
    out: list[str] = []
    for char in text:
        if not char.isprintable():
            out.append(char)
        elif not out or out[-1] != MASK:
            out.append(MASK)
    return "".join(out)
