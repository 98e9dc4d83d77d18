"""A phrasebook from YAML, checked: every problem at once, each with its line and path.

The shape is a set of pydantic models (unknown keys are errors); what a shape can't say, such as a move to
a place that does not exist, is checked while compiling.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from importlib import resources
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zinger.phrasebook.model import Card, Factory, Kind, Move, Phrase, Phrasebook, Place, Reading
from zinger.phrasebook.words import WordsError, names_used
from zinger.plan import SETTINGS, FamilyRules, Problem, Spot, did_you_mean, mend
from zinger.plan.families import ROLE_SECTIONS
from zinger.plan.jobfile import UnreadableError, load_yaml
from zinger.plan.parsing import parse_interface, parse_ports

_KEYS = {"ctrl-c": "\x03", "ctrl-u": "\x15", "ctrl-x": "\x18", "ctrl-z": "\x1a", "escape": "\x1b",
         "space": " ", "enter": "\r", "tab": "\t"}
_SAID_BINDINGS = frozenset({"user", "password", "new_password"})
_VALUE_BINDINGS = frozenset({"value", "before"})


class PhrasebookError(ValueError):
    """A phrasebook that cannot be used; `problems` says all that is wrong with it."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("\n".join(map(str, problems)))
        self.problems = tuple(problems)


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class _SignIn(_Shape):
    user: str = ""
    password: str = ""
    on_label: bool = False


class _Factory(_Shape):
    console: str = ""
    address: str = ""
    only_while: str = ""
    reach: str = ""
    sign_in: _SignIn
    first: str = ""
    boots_in: str


class _HostnameLimit(_Shape):
    longest: int = 63
    of: str = "[A-Za-z0-9-]"


class _SecretLimit(_Shape):
    shortest: int = 1
    longest: int = 128
    classes: list[str] = []


class _Limits(_Shape):
    hostname: _HostnameLimit = _HostnameLimit()
    secret: _SecretLimit = _SecretLimit()


class _Typing(_Shape):
    enter: str = "enter"
    cancel: str = "ctrl-u"


class _Place(_Shape):
    prompt: str | None = None
    asks: str | None = None
    pager: str | None = None
    blind: bool = False
    enter: str = ""
    press: str = "space"
    leave: str = "q"


class _Move(_Shape):
    origin: str = Field(alias="from")
    to: str | list[str]
    say: str | None = None
    press: str | None = None


class _Phrase(_Shape):
    at: str
    say: str
    replies: dict[str, str] = {}
    expect: str | None = None
    undo: str | None = None
    effect: str = "none"
    read: str | None = None
    shows: str = "{{ value }}"


class _Reading(_Shape):
    at: str
    ask: str
    startup: str | None = None
    take: dict[str, str]


class _Card(_Shape):
    family: str
    title: str
    kind: str = "device"
    factory: _Factory
    limits: _Limits = _Limits()
    takes: list[str] = list(ROLE_SECTIONS)
    ports: str = ""
    proved_over: list[str] = ["services.ssh"]
    panel: str = ""
    lights: dict[str, str] = {}
    buttons: dict[str, str] = {}


class _Book(_Card):
    typing: _Typing = _Typing()
    home: str
    view: str | None = None
    noise: list[str] = []
    refusals: list[str] = []
    boot: list[str] = []
    identity: dict[str, str] = {}
    places: dict[str, _Place]
    moves: list[_Move]
    settings: dict[str, _Phrase]
    readings: dict[str, _Reading]
    keep: _Phrase


def load_family(text: str, file: str) -> tuple[Card, Phrasebook | None]:
    """Read and check one family: its card, and its phrasebook if the file has places. Raises PhrasebookError."""
    try:
        data = load_yaml(text, file)
    except UnreadableError as error:
        raise PhrasebookError([mend("family-unreadable", error.spot, error.what, error.do)]) from None
    speaks = not isinstance(data, dict) or bool(data.keys() & {"places", "moves", "readings", "home"})
    try:
        shape = (_Book if speaks else _Card).model_validate(data)
    except ValidationError as error:
        raise PhrasebookError([_shape_problem(data, file, e) for e in error.errors()]) from None
    compiler = _Compiler(data, file, shape)
    return compiler.family()


def load_phrasebook(text: str, file: str) -> Phrasebook:
    """Read and check one phrasebook; raises PhrasebookError with everything that is wrong."""
    book = load_family(text, file)[1]
    if book is None:
        raise PhrasebookError([mend("family-shape", Spot(file), "it has no places, so it is no phrasebook",
                                    "Add places, moves, settings and readings")])
    return book


class Families(Mapping[str, Card]):
    """All families that are known, by name; a shipped file is read when its family is first asked for."""

    def __init__(self) -> None:
        folder = resources.files("zinger.phrasebook") / "families"
        self._files = {entry.name.removesuffix(".yaml"): entry for entry in
                       sorted(folder.iterdir(), key=lambda e: e.name) if entry.name.endswith(".yaml")}
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
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Zinger phrasebook",
            **_Book.model_json_schema(by_alias=True)}


def shipped_families() -> Mapping[str, Phrasebook]:
    """The phrasebooks that ship with Zinger, by family name."""
    return Families().books


def _line(data: Any, path: Iterable[str | int]) -> int | None:
    line = None
    for step in path:
        try:
            at = data.lc.key(step) if isinstance(step, str) else data.lc.item(step)
            line, data = at[0] + 1, data[step]
        except (KeyError, IndexError, AttributeError, TypeError):
            break
    return line


def _shape_problem(data: Any, file: str, error: Any) -> Problem:
    path = [step for step in error["loc"] if step not in ("str", "list[str]")]
    spot = Spot(file, _line(data, path), ".".join(map(str, path)))
    if error["type"] == "extra_forbidden":
        model: Any = {1: _Book}.get(len(path), {"places": _Place, "moves": _Move, "settings": _Phrase,
                                                "readings": _Reading, "keep": _Phrase}.get(str(path[0]), _Book))
        hint = did_you_mean(str(path[-1]), [f.alias or n for n, f in model.model_fields.items()])
        return mend("family-shape", spot, f"nothing here is called {path[-1]!r}{hint}", "Correct or remove it")
    if error["type"] == "missing":
        return mend("family-shape", spot, f"{path[-1]!r} is missing", "Add it")
    return mend("family-shape", spot, str(error["msg"]), "Correct this value")


class _Compiler:
    """Turns the checked shape into the compiled book, collecting what does not fit together."""

    def __init__(self, data: Any, file: str, shape: _Card) -> None:
        self.data, self.file, self.shape = data, file, shape
        self.problems: list[Problem] = []

    def family(self) -> tuple[Card, Phrasebook | None]:
        """The card, and the book if there is one; raises PhrasebookError."""
        card = self._card()
        book = self._book(self.shape, card) if isinstance(self.shape, _Book) else None
        if self.problems:
            raise PhrasebookError(self.problems)
        return card, book

    def _card(self) -> Card:
        shape = self.shape
        return Card(shape.family, shape.title, shape.kind, self._factory(), self._rules(), shape.panel.rstrip("\n"),
                    tuple(shape.lights.items()), tuple(shape.buttons.items()))

    def _book(self, shape: _Book, card: Card) -> Phrasebook:
        places = {name: self._place(name, p) for name, p in shape.places.items()}
        facts = {fact for reading in shape.readings.values() for fact in reading.take}
        moves = tuple(self._move(i, m, places) for i, m in enumerate(shape.moves))
        phrases = {name: self._phrase(["settings", name], name, p, facts) for name, p in shape.settings.items()}
        readings = {name: self._reading(name, r) for name, r in shape.readings.items()}
        keep = self._phrase(["keep"], "keep", shape.keep, facts)
        for name in shape.settings:
            if name not in SETTINGS:
                self._bad(["settings", name], f"no setting is called {name}{did_you_mean(name, SETTINGS)}")
        for key, place in (("home", shape.home), ("view", shape.view or shape.home)):
            self._known_place([key], place)
        return Phrasebook(
            card=card, home=shape.home, view=shape.view or shape.home, places=places, moves=moves,
            phrases=phrases, readings=readings, keep=keep, identity=shape.identity,
            noise=self._any_of("noise", shape.noise), refusals=tuple(self._patterns("refusals", shape.refusals)),
            boot=self._any_of("boot", shape.boot, re.MULTILINE),
            enter=self._key(["typing", "enter"], shape.typing.enter),
            cancel=self._key(["typing", "cancel"], shape.typing.cancel))

    def _place(self, name: str, p: _Place) -> Place:
        path = ["places", name]
        given = {k: v for k, v in (("prompt", p.prompt), ("asks", p.asks), ("pager", p.pager)) if v is not None}
        if len(given) != 1:
            self._bad(path, "a place has exactly one of prompt, asks and pager")
            return Place(name, Kind.QUESTION, re.compile("(?!)"))
        key, source = next(iter(given.items()))
        kind = {"prompt": Kind.PROMPT, "asks": Kind.QUESTION, "pager": Kind.PAGER}[key]
        tail = "(?P<half_typed>.*)$" if kind is Kind.PROMPT else "$"
        pattern = self._regex([*path, key], source.removesuffix("$") + tail)
        return Place(name, kind, pattern, p.blind, kind is Kind.PROMPT or p.enter == "harmless",
                     self._key([*path, "press"], p.press), self._key([*path, "leave"], p.leave))

    def _move(self, index: int, m: _Move, places: Mapping[str, Place]) -> Move:
        path: list[str | int] = ["moves", index]
        self._known_place(path, m.origin)
        outcomes = [m.to] if isinstance(m.to, str) else m.to
        if outcomes == ["prompts"]:
            outcomes = [name for name, place in places.items() if place.kind is Kind.PROMPT]
        for outcome in outcomes:
            self._known_place([*path, "to"], outcome)
        if (m.say is None) == (m.press is None):
            self._bad(path, "a move has exactly one of say and press")
        if m.say is not None:
            self._template([*path, "say"], m.say, _SAID_BINDINGS)
        press = self._key([*path, "press"], m.press) if m.press is not None else None
        return Move(m.origin, tuple(outcomes), m.say, press)

    def _phrase(self, path: list[str | int], name: str, p: _Phrase, facts: set[str]) -> Phrase:
        self._known_place([*path, "at"], p.at)
        for key, source in (("say", p.say), ("undo", p.undo or ""), ("shows", p.shows)):
            self._template([*path, key], source, _VALUE_BINDINGS)
        for place, reply in p.replies.items():
            self._known_place([*path, "replies", place], place)
            self._template([*path, "replies", place], reply, _VALUE_BINDINGS)
        if p.read is not None and p.read not in facts:
            self._bad([*path, "read"], f"no reading takes the fact {p.read!r}{did_you_mean(p.read, facts)}")
        expect = self._regex([*path, "expect"], p.expect) if p.expect is not None else None
        return Phrase(name, p.at, p.say, p.replies, expect, p.undo, p.effect, p.read, p.shows)

    def _reading(self, name: str, r: _Reading) -> Reading:
        path = ["readings", name]
        self._known_place([*path, "at"], r.at)
        take = {}
        for fact, source in r.take.items():
            take[fact] = self._regex([*path, "take", fact], source)
            if "value" not in take[fact].groupindex:
                self._bad([*path, "take", fact], "the pattern has no group named value")
        return Reading(name, r.at, r.ask, r.startup, take)

    def _factory(self) -> Factory:
        f = self.shape.factory
        match = re.fullmatch(r"(\d+) ?(s|min)", f.boots_in)
        if not match:
            self._bad(["factory", "boots_in"], f"{f.boots_in!r} is no duration; write it like 90 s")
        seconds = float(match[1]) * (60 if match[2] == "min" else 1) if match else 0.0
        return Factory(f.console, f.address, f.sign_in.user, f.sign_in.password, seconds, f.reach, f.only_while,
                       f.first, f.sign_in.on_label)

    def _rules(self) -> FamilyRules:
        shape = self.shape
        host, secret = shape.limits.hostname, shape.limits.secret
        self._regex(["limits", "hostname", "of"], host.of)
        factory = self._parsed(["factory", "address"], parse_interface, shape.factory.address)
        ports = self._parsed(["ports"], parse_ports, shape.ports)
        for section in shape.takes:
            if section not in ROLE_SECTIONS:
                self._bad(["takes"], f"no section is called {section!r}{did_you_mean(section, ROLE_SECTIONS)}")
        return FamilyRules(shape.family, shape.title, host.longest, host.of, secret.shortest, secret.longest,
                           tuple(secret.classes), tuple(shape.takes), ports or (), factory,
                           bool(shape.factory.console), tuple(shape.proved_over), isinstance(shape, _Book))

    def _parsed(self, path: list[str | int], parse: Callable[[object], _T], text: str) -> _T | None:
        try:
            return parse(text) if text else None
        except ValueError as error:
            self._bad(path, str(error))
            return None

    def _patterns(self, key: str, sources: Iterable[str]) -> list[re.Pattern[str]]:
        return [self._regex([key, i], source) for i, source in enumerate(sources)]

    def _any_of(self, key: str, sources: list[str], flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str]:
        self._patterns(key, sources)
        joined = "|".join(f"(?:{source})" for source in sources) or "(?!)"
        try:
            return re.compile(joined, flags)
        except re.error:
            return re.compile("(?!)")

    def _regex(self, path: Iterable[str | int], source: str) -> re.Pattern[str]:
        try:
            return re.compile(source)
        except re.error as error:
            self._bad(path, f"the pattern {source.removesuffix('(?P<half_typed>.*)$')!r} is broken: {error.msg}"
                      + (f" at character {error.pos + 1}" if error.pos is not None else ""))
            return re.compile("(?P<value>)(?P<half_typed>)")

    def _key(self, path: Iterable[str | int], word: str) -> str:
        if len(word) == 1:
            return word
        if word not in _KEYS:
            self._bad(path, f"no key is called {word!r}{did_you_mean(word, _KEYS)}")
        return _KEYS.get(word, "\r")

    def _template(self, path: Iterable[str | int], source: str, known: frozenset[str]) -> None:
        try:
            unknown = names_used(source) - known
        except WordsError as error:
            self._bad(path, str(error))
            return
        for name in sorted(unknown):
            self._bad(path, f"nothing fills {{{{ {name} }}}}{did_you_mean(name, known)}; known here: "
                      f"{', '.join(sorted(known))}")

    def _known_place(self, path: Iterable[str | int], name: str) -> None:
        places = self.shape.places if isinstance(self.shape, _Book) else {}
        if name not in places:
            self._bad(path, f"no place is called {name!r}{did_you_mean(name, places)}")

    def _bad(self, path: Iterable[str | int], what: str) -> None:
        steps = list(path)
        spot = Spot(self.file, _line(self.data, steps), ".".join(map(str, steps)))
        self.problems.append(mend("family-broken", spot, what, "Correct this entry"))
