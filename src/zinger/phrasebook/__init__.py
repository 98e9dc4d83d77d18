"""The phrasebook room: YAML in, a checked Phrasebook out. Pure, but for reading the shipped files."""

from zinger.phrasebook.load import (
    Families,
    PhrasebookError,
    load_family,
    load_phrasebook,
    schema,
    shipped_families,
)
from zinger.phrasebook.model import Card, Factory, Kind, Move, Phrase, Phrasebook, Place, Reading
from zinger.phrasebook.words import Words, WordsError, has_secret, masked, render

__all__ = [
    "Card", "Factory", "Families", "Kind", "Move", "Phrase", "Phrasebook", "PhrasebookError", "Place", "Reading",
    "Words", "WordsError", "has_secret", "load_family", "load_phrasebook", "masked", "render", "schema",
    "shipped_families",
]
