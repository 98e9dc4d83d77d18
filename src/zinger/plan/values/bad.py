"""The one error of the parsers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


class BadValue(ValueError):
    """A text that is not a value of its kind: `what` is wrong, and what to `do` about it (a part of a sentence).

    A `ValueError`, so that pydantic passes it on; the two parts stay fields, never to be split out of a message.
    """

    def __init__(self, what: str, do: str = "") -> None:
        super().__init__(f"{what}; {do}" if do else what)
        self.what, self.do = what, do

    @property
    def repair(self) -> str:
        """What to do, as the beginning of a sentence."""
        return self.do[:1].upper() + self.do[1:] or "Correct it"


def refusal(parse: Callable[[Any], object], raw: object) -> BadValue | None:
    """Why a parser refuses a value; None if it takes it."""
    try:
        parse(raw)
    except BadValue as error:
        return error
    return None
