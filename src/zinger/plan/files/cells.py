"""Cells that a spreadsheet would run: written with an apostrophe before them, and read back without it.

A text that begins with `=`, `+`, `-`, `@`, a tab or a carriage return is a formula to most spreadsheets, whoever wrote
it.
"""

from __future__ import annotations

import re

_RUNS = re.compile(r"'*[=+\-@\t\r]")


def shielded(text: str) -> str:
    """The text as it can lie in a CSV file without being run."""
    return f"'{text}" if _RUNS.match(text) else text


def unshielded(text: str) -> str:
    """The inverse: the text that was meant."""
    return text[1:] if text.startswith("'") and _RUNS.match(text) else text
