"""Question scripts of simulated devices: one question after another, what stands there kept by Return."""

from __future__ import annotations

from collections.abc import Callable

from zinger.practice.core.sheet import Check
from zinger.practice.core.tty import Discarded, Tty
from zinger.practice.core.words import Refused


class BeginAgain(Exception):
    """The person pressed the key that begins the questions again."""


class Asker:
    """Asks on one terminal line, in a family's writing: `ask` is how a question with what stands there looks."""

    def __init__(self, tty: Tty, ask: Callable[[str, str], str], no: str) -> None:
        self.tty, self._ask, self._no = tty, ask, no

    async def value(self, question: str, stands: str, check: Check) -> str:
        """One value; asked again until it is taken."""
        while True:
            typed = await self._line(self._ask(question, stands))
            try:
                return check(typed) if typed else stands
            except Refused as refusal:
                self.tty.show(f"{self._no}: {refusal}\n")

    async def yes(self, question: str, stands: bool, yes: str, no: str) -> bool:
        """A yes or no."""
        while True:
            typed = await self._line(self._ask(f"{question} ({yes}, {no})", yes if stands else no))
            if typed in ("", yes, no):
                return stands if not typed else typed == yes
            self.tty.show(f"{self._no}: {yes} or {no}\n")

    async def secret(self, question: str, again: str, shortest: int, keeps: str = "") -> str:
        """A secret, asked twice and not shown; "" keeps the one there is, where `keeps` says so in the question."""
        while True:
            first = await self._line(f"{question}{keeps}: ", blind=True)
            if keeps and not first:
                return ""
            if len(first) < shortest:
                self.tty.show(f"{self._no}: {shortest} or more\n")
            elif await self._line(f"{again}: ", blind=True) == first:
                return first
            else:
                self.tty.show(f"{self._no}: the two are not alike\n")

    async def _line(self, question: str, blind: bool = False) -> str:
        try:
            return (await self.tty.line(question, blind=blind, at_question=True)).strip()
        except Discarded:
            raise BeginAgain from None
