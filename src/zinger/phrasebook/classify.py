"""What one line of a terminal's output is, by a family's phrasebook.

This is the one place that knows: for the conversation, a recording's replay, the console's margin and `family try`.

Which place a line is, is `Terminal.recognise`'s to say; which facts it holds needs the lines around it (`proof.facts`).
"""

from __future__ import annotations

from enum import StrEnum

from zinger.phrasebook.terminal import Terminal


class LineKind(StrEnum):
    """What a complete line is."""

    BLANK = "blank"
    NOISE = "noise"
    BOOT = "boot"
    REFUSAL = "refusal"
    WARNING = "warning"
    PLAIN = ""


def classify(terminal: Terminal, line: str) -> LineKind:
    """A log line, a boot line, the device's no, a line that is worth telling, or a plain one."""
    if not line or line.isspace():
        return LineKind.BLANK
    if terminal.noise.search(line):
        return LineKind.NOISE
    if terminal.boot.search(line):
        return LineKind.BOOT
    for pattern in terminal.refusals:
        if pattern.search(line):
            return LineKind.REFUSAL
    for pattern in terminal.warnings:
        if pattern.search(line):
            return LineKind.WARNING
    return LineKind.PLAIN
