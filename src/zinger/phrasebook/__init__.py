"""The phrasebook room: YAML in, a checked Phrasebook out. Pure, but for reading the shipped files."""

from zinger.phrasebook.load import Families, load_family, load_phrasebook, schema, shipped_families, shipped_source
from zinger.phrasebook.model import (
    Card,
    Confirm,
    Effect,
    Factory,
    Holds,
    Interview,
    Kind,
    Move,
    Phrase,
    Phrasebook,
    Place,
    Reading,
    Summary,
    Take,
)
from zinger.phrasebook.source import PhrasebookError
from zinger.phrasebook.words import Said, Words, WordsError, has_secret, masked, render, render_lines, render_text

__all__ = [
    "Card",
    "Confirm",
    "Effect",
    "Factory",
    "Families",
    "Holds",
    "Interview",
    "Kind",
    "Move",
    "Phrase",
    "Phrasebook",
    "PhrasebookError",
    "Place",
    "Reading",
    "Said",
    "Summary",
    "Take",
    "Words",
    "WordsError",
    "has_secret",
    "load_family",
    "load_phrasebook",
    "masked",
    "render",
    "render_lines",
    "render_text",
    "schema",
    "shipped_families",
    "shipped_source",
]
