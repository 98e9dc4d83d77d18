"""Signing in to a Quern S2: wrong tries, resting lines, and the forced change of a printed secret."""

from __future__ import annotations

import re

from zinger.practice.core.people import Person
from zinger.practice.core.tty import Discarded, Tty
from zinger.practice.quern_s2.hardware import Hardware

WRONG_TRIES, REST = 3, 30.0


def check_secret(secret: str, person: Person | None) -> str | None:
    """Why the switch won't take this secret, or None."""
    if len(secret) < 12:
        return "shorter than 12"
    if len(secret) > 48:
        return "longer than 48"
    if not (re.search("[A-Za-z]", secret) and re.search("[0-9]", secret)):
        return "needs a letter and a digit"
    if person and person.knows(secret):
        return "same as the old one"
    return None


class SignIn:
    """Asks on one terminal line who is there."""

    def __init__(self, switch: Hardware, tty: Tty, where: str) -> None:
        self.switch, self.tty, self.where = switch, tty, where

    async def ask(self) -> str:
        """Ask until somebody known is there, and return who; three wrong tries make the line rest."""
        wrong = 0
        if self.switch.running.greeting:
            self.tty.show(f"\n{self.switch.running.greeting}\n\n")
        while True:
            try:
                user = await self.tty.line("who is there? ", at_question=True)
                if not user:
                    continue
                secret = await self.tty.line(f"secret of {user}: ", blind=True, at_question=True)
            except Discarded:
                continue
            person = self.switch.running.people.get(user)
            if person and person.knows(secret):
                self.switch.heard.append(f"[{self.where}] {user} signed in")
                if await self.renewed(user, person):
                    return user
                continue
            self.switch.heard.append(f"[{self.where}] {user} not known")
            await self.switch.clock.sleep(1)
            self.tty.show("not known here\n")
            wrong += 1
            if wrong == WRONG_TRIES:
                self.tty.show(f"three wrong tries; this line rests for {REST:.0f} s\n")
                await self.switch.clock.sleep(REST)
                wrong = 0

    async def renewed(self, user: str, person: Person) -> bool:
        """Make the person replace a secret that is printed on the label."""
        if not person.must_renew:
            return True
        self.tty.show("this secret is printed on the label; choose one of your own\n")
        while True:
            try:
                first = await self.tty.line(f"new secret for {user} (12 or more): ", blind=True, at_question=True)
                refusal = check_secret(first, person)
                if refusal:
                    self.tty.show(f"refused: {refusal}\n")
                    continue
                if await self.tty.line(f"once more for {user}: ", blind=True, at_question=True) != first:
                    self.tty.show("refused: the two differ\n")
                    continue
            except Discarded:
                self.tty.show("nothing was replaced\n")
                return False
            self.switch.running.people[user] = Person.with_secret(person.level, first)
            self.switch.heard.append(f"[{self.where}] {user} renewed")
            self.tty.show("the new secret counts from now on\n")
            return True
