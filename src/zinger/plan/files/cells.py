"""Cells of a sheet: what a spreadsheet would run, what it spoiled, and characters that nobody should bring into a job.

A text that begins with `=`, `+`, `-`, `@`, a tab or a carriage return is a formula to most spreadsheets, whoever wrote
it: it is written with an apostrophe before it, and read back without.
"""

from __future__ import annotations

import datetime
import re
from typing import Any

from zinger.plan.values.text import HOSTILE, named

_RUNS = re.compile(r"'*[=+\-@\t\r]")
_ERROR = re.compile(r"#(N/A|NAME\?|REF!|VALUE!|DIV/0!|NUM!|NULL!|SPILL!|CALC!|GETTING_DATA|ERROR!)", re.IGNORECASE)
_NO_VALUE = frozenset({"-", "--", "---", "–", "—", "?", "??", "n/a", "n.a.", "tbd", "tba", "t.b.d.", "k.a.", "s.o."})
_AS_TEXT = "Format the column as text and type it again"
_SEQUENCE = re.compile(r"(?:\x1b\[|\x9b)[0-?]*[ -/]*[@-~]")


class Spoiled(str):
    """A cell that holds no value as it is, though it may be kept: what is wrong with it, what to do, what was meant.

    One that is `refused` is not kept either.
    """

    what: str
    do: str
    meant: tuple[str, ...]
    refused: bool

    def __new__(cls, text: str, what: str, do: str, *meant: str, refused: bool = False) -> Spoiled:
        """A cell with this text."""
        made = super().__new__(cls, text)
        made.what, made.do, made.meant, made.refused = what, do, meant, refused
        return made


def shielded(text: str) -> str:
    """The text as it can lie in a CSV file without being run."""
    return f"'{text}" if _RUNS.match(text) else text


def unshielded(text: str) -> str:
    """The inverse: the text that was meant."""
    return text[1:] if text.startswith("'") and _RUNS.match(text) else text


def is_empty(cell: Any) -> bool:
    """Whether a cell is empty. A spoiled cell is not empty."""
    return cell is None or (isinstance(cell, str) and not cell.strip() and not isinstance(cell, Spoiled))


def says_nothing(cell: Any) -> bool:
    """Whether a cell says in words that there is no value: a dash, a question mark, n/a, tbd."""
    return isinstance(cell, str) and cell.strip().lower() in _NO_VALUE


def without_hostile(text: str) -> str:
    """The text without control and direction characters and escape sequences (ECMA-48)."""
    return HOSTILE.sub("", _SEQUENCE.sub("", text))


_UNSEEN = re.compile("[\u00ad\u200b-\u200d\u2060\ufeff]")
"""Characters without a width, which come along when something is copied from a page."""
_SHORTENED = re.compile(r"\d(?:[.,]\d+)?E\+\d{2,3}", re.IGNORECASE)
_EXACT = 10**15
"""From this number on a spreadsheet program rounds (IEEE 754 has 15 digits)."""


def number_cell(number: float, form: str) -> str:
    """A number of a workbook as it was shown: with its leading zeros, or spoiled where its last digits are lost."""
    if abs(number) >= _EXACT:
        text = f"{number:.0f}"
        return Spoiled(text, f"{text} has more than 15 digits, of which the last are lost", _AS_TEXT)
    if float(number).is_integer():
        zeros = len(form) if re.fullmatch("0{2,20}", form) else 0
        return f"{int(number):0{zeros}d}"
    return str(number)


def text_cell(text: str) -> str:
    """A cell from its text: as it is, or spoiled by a formula's error or by a character that may not be in a job."""
    if found := HOSTILE.search(text):
        clean = without_hostile(text)
        return Spoiled(clean, f"it holds the character {named(found[0])}", "Type the value again", clean, refused=True)
    if found := _UNSEEN.search(text):
        return Spoiled(text, f"it holds the character {named(found[0])}", "Type it again", _UNSEEN.sub("", text))
    if text[:1].isdigit() and _SHORTENED.fullmatch(text.strip()):
        return Spoiled(text, f"the spreadsheet program shortened the number to {text.strip()}", _AS_TEXT)
    if text.startswith("#") and _ERROR.fullmatch(text.strip()):
        return Spoiled(
            text, f"{text.strip()} is a formula's error, not a value", "Correct the formula, or empty the cell"
        )
    return text


def date_cell(date: datetime.datetime | datetime.date | datetime.time) -> Spoiled:
    """A cell of which a spreadsheet program made a date: perhaps a range of ports, such as 1-4."""
    text = str(date).removesuffix(" 00:00:00")
    meant: tuple[str, ...] = ()
    if isinstance(date, datetime.date):
        low, high = sorted((date.month, date.day))
        meant = (f"{low}-{high}",) if low < high else ()
    return Spoiled(text, f"the spreadsheet program made a date of it ({text})", _AS_TEXT, *meant)


def cell_of(value: Any) -> Any:
    """A cell as a table keeps it: text, or what a list or mapping of YAML and JSON holds."""
    if value is None:
        return ""
    if isinstance(value, str):
        return text_cell(value)
    if isinstance(value, datetime.date | datetime.time):
        return date_cell(value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return number_cell(value, "General")
    return value if isinstance(value, list | dict) else str(value)
