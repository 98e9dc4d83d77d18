"""Families from YAML: what ships with Zinger, what a job brings, and what is like another with changes.

A file is read, laid over the family that it is `like`, checked for its shape (`shapes`), and compiled (`compile`);
every problem is told at once, with its line and path.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from importlib import resources
from typing import Any, TypeVar

from pydantic import ValidationError

from zinger.phrasebook.book import Card, Phrasebook
from zinger.phrasebook.compile.book import compile_family
from zinger.phrasebook.renamed import now_called
from zinger.phrasebook.shapes import SHAPE_UNDER, BookShape, CardShape
from zinger.phrasebook.source import FamilySource, Lookup, PhrasebookError, read_source
from zinger.plan.problems import Problem, Spot, error_at
from zinger.wording import did_you_mean


def load_family(text: str, file: str, lookup: Lookup | None = None) -> tuple[Card, Phrasebook | None]:
    """Read and check one family: its card, and its phrasebook if it has places. Raises PhrasebookError.

    `lookup` finds the file of a family that it says it is like; the shipped ones without it.
    """
    source = read_source(text, file, lookup or shipped_source)
    data = source.data
    speaks = not isinstance(data, dict) or bool(data.keys() & {"places", "moves", "readings", "home"})
    try:
        shape = (BookShape if speaks else CardShape).model_validate(data)
    except ValidationError as error:
        raise PhrasebookError([_shape_problem(source, e) for e in error.errors()]) from None
    return compile_family(source, shape)


def shipped_source(name: str) -> tuple[str, str] | None:
    """The text and the name of a shipped family's file."""
    entry = resources.files("zinger.phrasebook") / "families" / f"{name}.yaml"
    return (entry.read_text("utf-8"), entry.name) if re.fullmatch(r"[a-z0-9-]+", name) and entry.is_file() else None


def load_phrasebook(text: str, file: str) -> Phrasebook:
    """Read and check one phrasebook; raises PhrasebookError with everything that is wrong."""
    book = load_family(text, file)[1]
    if book is None:
        raise PhrasebookError(
            [
                error_at(
                    "family-shape",
                    Spot(file),
                    "the file has no places, so it is not a phrasebook",
                    "Add places, moves, settings and readings",
                )
            ]
        )
    return book


class Families(Mapping[str, Card]):
    """All families that are known, by name; a shipped file is read when its family is first asked for."""

    def __init__(self) -> None:
        folder = resources.files("zinger.phrasebook") / "families"
        self._files = {
            entry.name.removesuffix(".yaml"): entry
            for entry in sorted(folder.iterdir(), key=lambda e: e.name)
            if entry.name.endswith(".yaml")
        }
        self._loaded: dict[str, tuple[Card, Phrasebook | None]] = {}
        self.rules = _View(self, lambda card, book: card.rules)
        self.books = _View(self, lambda card, book: book)

    def add(self, card: Card, book: Phrasebook | None) -> None:
        """Put a job's own family in, before a shipped one of the same name."""
        self._loaded[card.family] = (card, book)

    def both(self, name: str) -> tuple[Card, Phrasebook | None]:
        """A family's card, and its phrasebook if it has one; raises KeyError."""
        if name not in self._loaded:
            entry = self._files[name]
            self._loaded[name] = load_family(entry.read_text("utf-8"), entry.name)
        return self._loaded[name]

    def __getitem__(self, name: str) -> Card:
        return self.both(name)[0]

    def __iter__(self) -> Iterator[str]:
        return iter(dict.fromkeys([*self._files, *self._loaded]))

    def __len__(self) -> int:
        return len(self._files.keys() | self._loaded.keys())

    def __contains__(self, name: object) -> bool:
        return name in self._files or name in self._loaded


_T = TypeVar("_T")


class _View(Mapping[str, _T]):
    """The families that have some part, by name."""

    def __init__(self, families: Families, part: Callable[[Card, Phrasebook | None], _T | None]) -> None:
        self._families, self._part = families, part

    def __getitem__(self, name: str) -> _T:
        found = self._part(*self._families.both(name))
        if found is None:
            raise KeyError(name)
        return found

    def __iter__(self) -> Iterator[str]:
        return (name for name in self._families if self._part(*self._families.both(name)) is not None)

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def __contains__(self, name: object) -> bool:
        return name in self._families and self._part(*self._families.both(str(name))) is not None


def schema() -> dict[str, Any]:
    """The shape of a phrasebook as JSON Schema (2020-12), from the models that check it."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Zinger phrasebook",
        **BookShape.model_json_schema(by_alias=True),
    }


def shipped_families() -> Mapping[str, Phrasebook]:
    """The phrasebooks that ship with Zinger, by family name."""
    return Families().books


def _shape_problem(source: FamilySource, error: Any) -> Problem:
    known = {"str", "list[str]", "StepShape", "list[StepShape]", "TakeShape", "DialogueShape"}
    path = [step for step in error["loc"] if step not in known]
    spot = source.spot(path)
    new = now_called(str(path[-1]), [step for step in path[:-1] if isinstance(step, str)]) if path else ""
    if error["type"] == "extra_forbidden" and new:
        what = f"{path[-1]!r} is now {new!r}"
        return error_at("family-renamed", spot, what, f"zinger family check --rewrite {source.file} puts it right")
    if error["type"] == "extra_forbidden":
        model: Any = BookShape if len(path) == 1 else SHAPE_UNDER.get(str(path[0]), BookShape)
        names = [f.alias or n for n, f in model.model_fields.items()]
        if len(path) == 1 and path[-1] in names:  # what is known, but not of a card alone
            return error_at("family-shape", spot, f"{path[-1]!r} belongs to a dialogue, and this file has no places",
                            "Add places and moves, or remove it")  # fmt: skip
        hint = did_you_mean(str(path[-1]), names)
        return error_at("family-shape", spot, f"nothing here is called {path[-1]!r}{hint}", "Correct or remove it")
    if error["type"] == "missing":
        return error_at("family-shape", spot, f"{path[-1]!r} is missing", "Add it")
    if wanted := _WANTED.get(error["type"]):
        what = f"{'.'.join(map(str, path)) or 'this file'} must be {wanted}, not {_told(error['input'])}"
        return error_at("family-shape", spot, what, "Write it so")
    return error_at("family-shape", spot, str(error["msg"]), "Correct this value")


_MAPPING = "names with values, such as {name: value}"
_WANTED = {
    "dict_type": _MAPPING,
    "model_type": _MAPPING,
    "model_attributes_type": _MAPPING,
    "list_type": "a list, such as [one, two]",
    "string_type": "a text",
    "bool_type": "true or false",
    "bool_parsing": "true or false",
    "int_type": "a whole number",
    "int_parsing": "a whole number",
}
"""What a shape wants, by what the validation calls the error."""


def _told(given: object) -> str:
    """What stands there instead, in words."""
    kinds = {dict: "names with values", list: "a list", bool: "true or false", type(None): "nothing"}
    named = next((words for kind, words in kinds.items() if isinstance(given, kind)), "")
    return named or f"{str(given)[:40]!r}"
