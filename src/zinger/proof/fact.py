"""A fact: one value that a device showed, with the very line that is its evidence."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from zinger.phrasebook.book import Take
from zinger.phrasebook.words import WordsError, render_text


@dataclass(frozen=True)
class Fact:
    """One value that a device showed, and the line that showed it."""

    value: str
    line: str


Facts = Mapping[str, tuple[Fact, ...]]
"""Facts by name, in the order in which they were shown; a name that was not shown is absent."""


def facts_of(wanted: Take, groups: Mapping[str, str], line: str) -> Iterator[Fact]:
    """The facts that the groups of one match make, as the phrasebook writes and divides them."""
    try:
        text = render_text(wanted.value, **groups)
    except WordsError:
        text = " ".join(groups.values())
    parts = wanted.split.split(text) if wanted.split else text.split("\n")
    for part in parts:
        if part.strip():
            yield Fact(part.strip(), line)
