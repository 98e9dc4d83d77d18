"""Hostnames by a rule: `{site}-{role}{n:02}` makes `wj-sw01`, `wj-sw02`... where the sheet names none.

`{site}` and `{role}` are their keys (a role's `short` word if it has one), `{family}` the family; `{n}` counts
the devices whose names would otherwise be alike, and takes the first number that no device of the sheet has.
"""

from __future__ import annotations

import string
from collections.abc import Iterable

from zinger.plan.values.bad import BadValue

_FIELDS = {"site", "role", "family", "n"}


class NamingRule:
    """A checked rule; raises BadValue for one that can't be used."""

    def __init__(self, text: str) -> None:
        self.text = text.strip()
        try:
            parts = list(string.Formatter().parse(self.text))
        except ValueError as error:
            raise BadValue(f"{text!r} is not a naming rule ({error})", "write it like {site}-{role}{n:02}") from None
        fields = [name for _, name, _, _ in parts if name is not None]
        for _, name, spec, conversion in parts:
            if name is None:
                continue
            if name not in _FIELDS:
                raise BadValue(f"nothing fills {{{name}}} in a hostname", "use {site}, {role}, {family} and {n:02}")
            digits = name == "n" and (spec or "").isdigit() and len(spec or "") <= 2
            if conversion or (spec and not digits):
                raise BadValue(f"{{{name}:{spec}}} can't be filled", "only {n} takes a width, like {n:02}")
        if "n" not in fields:
            raise BadValue(f"{text!r} counts nothing, so names would be alike", "put {n} into it")
        self._next: dict[str, int] = {}
        self._taken: set[str] = set()

    def keep(self, names: Iterable[str]) -> None:
        """Names that devices have already, which are never given again."""
        self._taken.update(name.lower() for name in names)

    def name(self, site: str, role: str, family: str) -> tuple[str, int]:
        """The next free name for such a device, and its number."""
        words = {"site": site, "role": role or "device", "family": family}
        pattern = self.text.replace("{n", "\0{n")
        stem = pattern.partition("\0")[0].format(**words, n=0)
        number = self._next.get(stem, 0) + 1
        while (name := self.text.format(**words, n=number)).lower() in self._taken:
            number += 1
        self._next[stem] = number
        self._taken.add(name.lower())
        return name, number
