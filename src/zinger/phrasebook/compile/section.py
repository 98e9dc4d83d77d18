"""What the compilers of all sections share: where an entry stands, the problems found, and small readers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import TypeVar

from zinger.phrasebook.map import AsksFor
from zinger.phrasebook.shapes import BookShape, CardShape
from zinger.phrasebook.source import FamilySource
from zinger.phrasebook.words import WordsError, names_used
from zinger.plan.problems import Problem, error_at
from zinger.plan.settings import RENAMED, SETTINGS
from zinger.plan.values.bad import BadValue
from zinger.plan.values.durations import seconds_of
from zinger.wording import did_you_mean

KEYS = {
    "ctrl-c": "\x03",
    "ctrl-u": "\x15",
    "ctrl-x": "\x18",
    "ctrl-z": "\x1a",
    "ctrl-r": "\x12",
    "escape": "\x1b",
    "space": " ",
    "enter": "\r",
    "tab": "\t",
    "backspace": "\x08",
    "delete": "\x7f",
}
MOVE_NAMES = frozenset({credential.word for credential in AsksFor} | {"device"})
STEP_NAMES = frozenset({"value", "before", "plan", "device", "factory_account", "now"})
PLAIN_NAMES = STEP_NAMES - {"value", "before"}
"""What a step may use that makes no setting true: to prepare, save or restart."""
PUT_NAMES = frozenset({"file", "device"})
"""What brings a generated file to the device may use: its lines, as one value."""
CALL_NAMES = frozenset({"caller", "callee", "dialled", "number"})
"""What tells how a call is shown may use: the peers by name, what was dialled, and as what it comes out."""
IDENTITIES = ("serial", "mac", "hostname")
_EVERY_GROUP = re.compile("(?P<value>)(?P<half_typed>)(?P<key>)(?P<text>)")
"""Used in place of a broken pattern, so that the parts that use its groups are not reported as broken too."""
T = TypeVar("T")
Path = list[str | int]


class Section:
    """One section of a family's file on its way into a book; sections of one file share their problems."""

    def __init__(self, source: FamilySource, shape: CardShape, problems: list[Problem]) -> None:
        self.source, self.shape, self.problems = source, shape, problems

    def bad(self, path: Path, what: str) -> None:
        """An entry that is wrong."""
        self.problems.append(error_at("family-broken", self.source.spot(path), what, "Correct this entry"))

    def parsed(self, path: Path, parse: Callable[[object], T], text: str) -> T | None:
        """A value by a parser of the plan; None for an empty or a wrong one."""
        try:
            return parse(text) if text else None
        except BadValue as error:
            self.bad(path, str(error))
            return None

    def duration(self, path: Path, text: str) -> float:
        """A duration in seconds; it must name its unit."""
        try:
            if not text.strip().isdigit():
                return float(seconds_of(text))
        except BadValue:
            pass
        self.bad(path, f"{text!r} is not a valid duration; write it like 90 s")
        return 0.0

    def word(self, path: Path, what: str, word: str, words: type[T]) -> T:
        """A word of an enumeration."""
        known: dict[str, T] = {str(w): w for w in words}  # type: ignore[attr-defined]
        self.one_of(path, what, word, known)
        return known.get(word) or next(iter(known.values()))

    def one_of(self, path: Path, what: str, word: str, words: Iterable[str]) -> None:
        """A word must be one of these."""
        known = list(words)
        if word not in known:
            self.bad(path, f"no {what} is called {word!r}{did_you_mean(word, known)}")

    def patterns(self, key: str, sources: Iterable[str]) -> list[re.Pattern[str]]:
        """The patterns of a list."""
        return [self.regex([key, i], source) for i, source in enumerate(sources)]

    def any_of(self, key: str, sources: list[str], flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str]:
        """One pattern that matches what any of a list does."""
        self.patterns(key, sources)
        joined = "|".join(f"(?:{source})" for source in sources) or "(?!)"
        try:
            return re.compile(joined, flags)
        except re.error:
            return re.compile("(?!)")

    def regex(self, path: Path, source: str, flags: re.RegexFlag = re.NOFLAG, tail: str = "") -> re.Pattern[str]:
        """A pattern; `tail` is what is put behind it."""
        try:
            return re.compile(source + tail, flags)
        except re.error as error:
            where = f" at character {error.pos + 1}" if error.pos is not None else ""
            self.bad(path, f"the pattern {source!r} is broken: {error.msg}{where}")
            return _EVERY_GROUP

    def maybe_regex(self, path: Path, source: str | None, flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str] | None:
        """A pattern that may be left out."""
        return self.regex(path, source, flags) if source is not None else None

    def key(self, path: Path, word: str) -> str:
        """A key by its name; nothing for nothing."""
        if len(word) <= 1:
            return word
        if word not in KEYS:
            self.bad(path, f"no key is called {word!r}{did_you_mean(word, KEYS)}")
        return KEYS.get(word, "\r")

    def template(self, path: Path, source: str, known: frozenset[str]) -> None:
        """A template may use only these names."""
        try:
            unknown = names_used(source) - known
        except WordsError as error:
            self.bad(path, str(error))
            return
        for name in sorted(unknown):
            hint = did_you_mean(name, known)
            self.bad(path, f"nothing fills {{{{ {name} }}}}{hint}; known here: {', '.join(sorted(known))}")

    def known_place(self, path: Path, name: str) -> None:
        """A place must be on the map."""
        self.one_of(path, "place", name, self.shape.places if isinstance(self.shape, BookShape) else {})

    def known_setting(self, path: Path, name: str) -> None:
        """A setting must be in the table."""
        if name in RENAMED:
            self.bad(path, f"{name} is now {RENAMED[name]}")
        elif name not in SETTINGS:
            self.bad(path, f"no setting is called {name}{did_you_mean(name, SETTINGS)}")
