"""Small helps for sentences: counted things that agree, and the likeliest of the known words."""

from __future__ import annotations

import difflib
from collections.abc import Iterable


def likeliest(word: str, known: Iterable[str]) -> str:
    """The known word that is most like this one; empty when none is like it."""
    original = {k.lower(): k for k in known}
    near = difflib.get_close_matches(word.lower(), original, n=1, cutoff=0.6)
    return original[near[0]] if near else ""


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """Return ` (did you mean X?)` for the likeliest known word, or nothing."""
    near = likeliest(word, known)
    return f" (did you mean {near}?)" if near else ""


def short(seconds: float) -> str:
    """About how long: `40 s`, `12 min`, `3 h`, `5 days`."""
    whole = max(0, int(seconds))
    for size, word in ((86400, "days"), (3600, "h"), (60, "min")):
        if whole >= 2 * size:
            return f"{whole // size} {word}"
    return f"{whole} s"


def counted(number: int, word: str, several: str = "") -> str:
    """`1 device`, `2 devices`."""
    return f"{number} {word if number == 1 else several or word + 's'}"
