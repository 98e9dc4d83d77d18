"""Facts out of what a device showed, each with the very line that is its evidence."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zinger.phrasebook import Reading


@dataclass(frozen=True)
class Fact:
    """One value that a device showed, and the line that showed it."""

    value: str
    line: str


Facts = Mapping[str, tuple[Fact, ...]]
"""Facts by name, in the order in which they were shown; a name that was not shown is absent."""


def gather(reading: Reading, lines: tuple[str, ...]) -> dict[str, tuple[Fact, ...]]:
    """Hold each line against the reading's patterns; a pattern that matches twice makes a list."""
    facts: dict[str, tuple[Fact, ...]] = {}
    for line in lines:
        for name, pattern in reading.take.items():
            if match := pattern.search(line):
                facts[name] = (*facts.get(name, ()), Fact(match["value"].strip(), line))
    return facts
