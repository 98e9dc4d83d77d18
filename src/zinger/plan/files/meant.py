"""What was probably meant by a cell that can't be read: a text that can, and why it is likely. Never taken unasked."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator

from zinger.plan.values.bad import refusal
from zinger.plan.values.text import HOSTILE, named

_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_OTHER_MONTHS = {"mär": 3, "mai": 5, "okt": 10, "dez": 12, "fév": 2, "avr": 4, "aoû": 8, "déc": 12, "ene": 1, "abr": 4}
_OTHER_MONTHS |= {"ago": 8, "dic": 12, "gen": 1, "mag": 5, "giu": 6, "lug": 7, "set": 9, "ott": 10}
_LOOKALIKES = {
    **dict(zip("аеорсухіјѕԁһɡ", "aeopcyxijsdhg", strict=True)),
    **dict(zip("АВЕКМНОРСТХІЅЈ", "ABEKMHOPCTXISJ", strict=True)),
    **dict(zip("οανικρτυχΑΒΕΖΗΙΚΜΝΟΡΤΥΧ", "oavikptuxABEZHIKMNOPTYX", strict=True)),
}
"""Cyrillic and Greek letters that look like Latin ones (UTS 39)."""
_DIGITS_MEANT = {"O": "0", "o": "0", "Q": "0", "l": "1", "I": "1", "|": "1", "S": "5", "B": "8", "Z": "2"}


def meant(text: str, parse: Callable[[object], object]) -> tuple[str, str] | None:
    """The text that was probably meant and why, where it can be read; None when nothing is likely."""
    for candidate, why in _candidates(text):
        if candidate != text and refusal(parse, candidate) is None:
            return candidate, why
    return None


def _candidates(text: str) -> Iterator[tuple[str, str]]:
    plain = HOSTILE.sub("", text).replace("\N{NO-BREAK SPACE}", " ").strip()
    yield plain, "without the characters that nobody sees"
    yield " ".join(plain.split()), "on one line"
    wide = unicodedata.normalize("NFKC", plain)
    yield wide, "in ordinary characters"
    foreign = next((c for c in wide if c in _LOOKALIKES), "")
    if foreign:
        latin = "".join(_LOOKALIKES.get(c, c) for c in wide)
        yield latin, f"its {latin[wide.index(foreign)]!r} is {named(foreign)}"
        wide = latin
    yield from _numbers(wide)
    yield from _spoiled_range(wide)
    if re.fullmatch(r"[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)+\.?", wide) and not wide.replace(".", "").isdigit():
        yield wide.partition(".")[0], "without its domain"
    if found := re.fullmatch(r"[A-Za-z]+[\s.:_-]*(\d+)", wide):
        yield found[1], "the number only"
    yield wide.lower(), "in lower case"
    yield wide.replace(" ", "-"), "with a hyphen for the blank"
    yield wide.replace(" ", ""), "without the blank"
    yield wide.strip("'\"`´"), "without the quotes"


def _numbers(text: str) -> Iterator[tuple[str, str]]:
    """Digits that are letters, leading zeros, and separators that another country writes."""
    digits = "".join(_DIGITS_MEANT.get(c, c) if _beside_digits(text, i) else c for i, c in enumerate(text))
    odd = next((c for c, d in zip(text, digits, strict=True) if c != d), "")
    if odd:
        yield digits, f"{_letter(odd)} for the digit {_DIGITS_MEANT[odd]}"
    without = re.sub(r"(?<![\d])0+(?=\d)", "", digits)
    yield without, "without leading zeros"
    yield re.sub(r"\s*[,;]\s*(?=\d)", ".", digits), "with points for the commas"
    yield re.sub(r"\.{2,}", ".", digits).strip("."), "with single points"
    yield re.sub(r"\s*\.\s*", ".", digits), "without the blanks"
    yield re.sub(r"(?<=\d)-(?=\d)", ".", digits), "with points for the hyphens"
    yield re.sub(r"\\", "/", digits), "with / for \\"


def _beside_digits(text: str, at: int) -> bool:
    """Whether a character stands where a number is: its neighbours are digits, points or the end."""
    before = text[at - 1] if at else ""
    after = text[at + 1] if at + 1 < len(text) else ""
    number = all(c == "" or c.isdigit() or c in "./:-" or c in _DIGITS_MEANT for c in (before, after))
    return number and any(c.isdigit() or c == "." for c in (before, after) if c)


def _letter(character: str) -> str:
    return f"the letter {character}" if character.isalpha() else repr(character)


_DATED = re.compile(r"(?<![\w./-])(?:(\d{1,2})[-. ]{1,2}([^\W\d_]{3})|([^\W\d_]{3})[-. ]{1,2}(\d{1,2}))\.?(?![\w./-])")
_TURNED = re.compile(r"(?<![\w./-])(\d{1,2})[-./](\d{1,2})\.?(?![\w./-])")


def _spoiled_range(text: str) -> Iterator[tuple[str, str]]:
    """Ranges of ports of which a spreadsheet made dates: `04-Jan`, `Apr 1`, `8-5`."""
    yield _TURNED.sub(_range_of_date, _DATED.sub(_range_of_date, text)), "a range that a spreadsheet made a date of"


def _range_of_date(found: re.Match[str]) -> str:
    parts = [part for part in found.groups() if part]
    numbers = [int(part) if part.isdigit() else _month(part.lower()) for part in parts]
    low, high = sorted(numbers)
    return f"{low}-{high}" if 0 < low < high else found[0]


def _month(word: str) -> int:
    return _MONTHS.index(word) + 1 if word in _MONTHS else _OTHER_MONTHS.get(word, 0)
