"""What the families have in common that keep everything on one sheet of values."""

from __future__ import annotations

from typing import Any, ClassVar

from zinger.practice.core.box import Box
from zinger.practice.core.doors import DOORS
from zinger.practice.core.sheet import Sheet


class SheetBox(Box):
    """A device whose state is a `Sheet`; each service is a value of it, open when it is the family's word for that."""

    OPEN: ClassVar[str] = "open"

    def state_from(self, data: dict[str, Any]) -> Sheet:
        return Sheet.load(data)

    @property
    def open_doors(self) -> dict[str, bool]:
        return {door: self.running.values.get(door) == self.OPEN for door in DOORS}
