"""What the families have in common that keep everything on one sheet of values."""

from __future__ import annotations

import secrets
from typing import Any, ClassVar

from zinger.practice.core.box import Box
from zinger.practice.core.doors import DOORS
from zinger.practice.core.people import Person
from zinger.practice.core.sheet import Sheet


class SheetBox(Box):
    """A device whose state is a `Sheet`; each service is a value of it, open when it is the family's word for that."""

    OPEN: ClassVar[str] = "open"

    def state_from(self, data: dict[str, Any]) -> Sheet:
        return Sheet.load(data)

    def used_by_somebody(self) -> None:
        """It was set up before, by somebody whose name and password nobody here knows."""
        state = self.factory_state()
        level = next(iter(state.people.values())).level
        state.people = {"somebody": Person.with_secret(level, secrets.token_hex(8))}
        self.startup = state

    @property
    def open_doors(self) -> dict[str, bool]:
        return {door: self.running.values.get(door) == self.OPEN for door in DOORS}
