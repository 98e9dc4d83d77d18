"""Which parts of a planned value its templates touch, so that a part that nobody sends or shows can't get lost.

A value with parts is given to the templates behind a watcher that notes which of its parts are asked for. Printed or
compared whole, it counts as touched whole. Declaring the parts in the phrasebook was rejected: a declaration can be
wrong, and what a template does is what is sent.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from pydantic_core import PydanticUndefined

from zinger.plan.values.account import Account
from zinger.plan.values.item import Item
from zinger.plan.values.secrets import SecretRef


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a planned value: of which entry (as people call it; "" of a value that is no list), and its name."""

    entry: str
    name: str
    secret: bool = False
    like: str = ""
    """Another value of the part that the templates write in the same words."""

    def __str__(self) -> str:
        words = "password" if self.secret else self.name.replace("_", " ")
        return f"{words} of {self.entry}" if self.entry else words


WHOLE = "value"
"""What a value without parts is called as a part of itself."""


class Watched:
    """A value with parts, as templates see it."""

    __slots__ = ("_touched", "_value")
    __hash__ = None  # type: ignore[assignment]  # what was filled once must not be found again in a cache: it would touch nothing

    def __init__(self, value: Item | Account, touched: set[str]) -> None:
        self._value, self._touched = value, touched

    def __getattr__(self, name: str) -> Any:
        found = getattr(type(self._value), name, None)
        if isinstance(found, property):
            return found.fget(self) if found.fget else None  # what a property looks at is touched
        value = getattr(self._value, name)
        self._touched.add(name)
        return value

    def __str__(self) -> str:
        self._touched.update(names_of(self._value))
        return str(self._value)

    def __eq__(self, other: object) -> bool:
        self._touched.update(names_of(self._value))
        return bool(self._value == (other._value if isinstance(other, Watched) else other))


def names_of(value: object) -> tuple[str, ...]:
    """The names of a value's parts; none for a value without any."""
    if isinstance(value, Item):
        return tuple(type(value).model_fields)
    return ("name", "secret") if isinstance(value, Account) else ()


class Parts:
    """The parts of one planned value, and which of them were touched."""

    def __init__(self, value: object) -> None:
        self._entries = value if isinstance(value, tuple) else (value,)
        self._listed = isinstance(value, tuple)
        self._touched: tuple[set[str], ...] = tuple(set() for _ in self._entries)

    @property
    def any(self) -> bool:
        """Whether the value has parts at all."""
        return any(names_of(entry) for entry in self._entries)

    def watched(self) -> tuple[object, ...]:
        """The entries, behind watchers where they have parts."""
        return tuple(
            Watched(entry, touched) if isinstance(entry, Item | Account) else entry
            for entry, touched in zip(self._entries, self._touched, strict=True)
        )

    def value(self) -> object:
        """The value, with its entries behind watchers."""
        return self.watched() if self._listed else self.watched()[0]

    def altered(self, words: Iterable[str] = ()) -> Iterator[tuple[Part, object]]:
        """The value with one planned part as it could also have been: every other word of a choice, a yes for a no.

        `words` are those of which a value without parts is one.
        """
        if not self._listed and isinstance(self._entries[0], bool | str):
            own = self._entries[0]
            others: list[object] = [not own] if isinstance(own, bool) else [word for word in words if word != own]
            yield from ((Part("", WHOLE, like=str(other)), other) for other in others)
        for at, entry in enumerate(self._entries):
            for name in planned(entry) if isinstance(entry, Item) else ():
                for other in _others(entry, name):
                    changed = entry.model_copy(update={name: other})
                    part = Part(_called(entry) if self._listed else "", name, like=str(other))
                    whole = (*self._entries[:at], changed, *self._entries[at + 1 :])
                    yield part, whole if self._listed else changed

    def untouched(self) -> tuple[Part, ...]:
        """The parts that are planned (not left at what nothing says) and were not touched."""
        return tuple(
            Part(_called(entry) if self._listed else "", name, isinstance(getattr(entry, name), SecretRef))
            for entry, touched in zip(self._entries, self._touched, strict=True)
            for name in planned(entry)
            if name not in touched
        )


def planned(entry: object) -> Iterable[str]:
    """The parts of an entry that the plan says to its device: those that are otherwise than when nothing is said."""
    aside = entry.of_the_plan if isinstance(entry, Item) else ()
    for name in (name for name in names_of(entry) if name not in aside):
        value = getattr(entry, name)
        default = type(entry).model_fields[name].default if isinstance(entry, Item) else PydanticUndefined
        if value not in (None, "", ()) and (default is PydanticUndefined or value != default):
            yield name


def _others(entry: Item, name: str) -> Iterator[object]:
    """What else a part that is chosen from a few words, or is a yes or no, could say."""
    value = getattr(entry, name)
    if isinstance(value, bool):
        yield not value
        return
    yield from (word for word in type(entry).words_of(name) if word != value)


def _called(entry: object) -> str:
    """What people call an entry of a list: its first part."""
    lead = entry.lead[0] if isinstance(entry, Item) and entry.lead else next(iter(names_of(entry)), "")
    return str(getattr(entry, lead)) if lead else str(entry)
