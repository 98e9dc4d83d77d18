"""Turns the checked shape of a family into its compiled card and book, collecting what does not fit together."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import TypeVar

from zinger.phrasebook.model import (
    Card,
    Confirm,
    Effect,
    Factory,
    Holds,
    Interview,
    Kind,
    Move,
    Phrase,
    Phrasebook,
    Place,
    Reading,
    Summary,
    Take,
)
from zinger.phrasebook.shapes import (
    BookShape,
    CardShape,
    ConfirmShape,
    InterviewShape,
    MoveShape,
    PhraseShape,
    PlaceShape,
    ReadingShape,
    TakeShape,
)
from zinger.phrasebook.source import PhrasebookError, Source
from zinger.phrasebook.words import WordsError, leads_to, names_used
from zinger.phrasebook.writing import seconds
from zinger.plan.families import COUNTED, ROLE_SECTIONS, FamilyRules
from zinger.plan.problems import Problem, error_at
from zinger.plan.settings import SETTINGS
from zinger.plan.values.addresses import parse_interface
from zinger.plan.values.ports import parse_ports
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
MOVE_NAMES = frozenset({"user", "password", "new_password", "device"})
SAID_NAMES = frozenset({"value", "before", "plan", "device", "factory_account"})
IDENTITIES = ("serial", "mac", "hostname")
HALF_TYPED = "(?P<half_typed>.*)$"
T = TypeVar("T")
Path = list[str | int]


class Compiler:
    """One family's file on its way into a book."""

    def __init__(self, source: Source, shape: CardShape) -> None:
        self.source, self.shape = source, shape
        self.problems: list[Problem] = []

    def family(self) -> tuple[Card, Phrasebook | None]:
        """The card, and the book if there is one; raises PhrasebookError."""
        card = self._card()
        book = self._book(self.shape, card) if isinstance(self.shape, BookShape) else None
        if self.problems:
            raise PhrasebookError(self.problems)
        return card, book

    # -- the card ----------------------------------------------------------------------------------
    def _card(self) -> Card:
        shape = self.shape
        return Card(
            shape.family,
            shape.title,
            shape.kind,
            self._factory(),
            self._rules(),
            shape.panel.rstrip("\n"),
            tuple(shape.lights.items()),
            tuple(shape.buttons.items()),
        )

    def _factory(self) -> Factory:
        f = self.shape.factory
        return Factory(
            f.console,
            f.address,
            f.sign_in.user,
            f.sign_in.password,
            self._duration(["factory", "boots_in"], f.boots_in),
            f.reach,
            f.only_while,
            f.first,
            f.sign_in.on_label,
        )

    def _rules(self) -> FamilyRules:
        shape = self.shape
        host, secret = shape.limits.hostname, shape.limits.secret
        self._regex(["limits", "hostname", "of"], host.of)
        factory = self._parsed(["factory", "address"], parse_interface, shape.factory.address)
        ports = self._parsed(["ports"], parse_ports, shape.ports)
        for section in shape.takes:
            if section not in ROLE_SECTIONS:
                self._bad(["takes"], f"no section is called {section!r}{did_you_mean(section, ROLE_SECTIONS)}")
        for name in shape.limits.most:
            self._one_of(["limits", "most", name], "setting that is counted", name, COUNTED)
        return FamilyRules(
            shape.family,
            shape.title,
            host.longest,
            host.of,
            secret.shortest,
            secret.longest,
            tuple(secret.classes),
            tuple(shape.takes),
            ports or (),
            factory,
            bool(shape.factory.console),
            tuple(shape.proved_over),
            isinstance(shape, BookShape),
            tuple(shape.limits.most.items()),
        )

    # -- the book ----------------------------------------------------------------------------------
    def _book(self, shape: BookShape, card: Card) -> Phrasebook:
        places = {name: self._place(name, p) for name, p in shape.places.items()}
        facts = {fact for reading in shape.readings.values() for fact in reading.take}
        moves = tuple(self._move(i, m, places) for i, m in enumerate(shape.moves))
        for name in shape.settings:
            self._known_setting(["settings", name], name)
        phrases = {name: self._phrase(["settings", name], name, p, facts) for name, p in shape.settings.items()}
        interviews = {name: self._interview(name, i, phrases) for name, i in shape.interviews.items()}
        kept = shape.keep if isinstance(shape.keep, list) else [shape.keep]
        keep = tuple(
            self._phrase(
                ["keep", i] if isinstance(shape.keep, list) else ["keep"], f"keep.{i}" if i else "keep", p, facts
            )
            for i, p in enumerate(kept)
        )
        for key, place in (
            ("home", shape.home),
            ("view", shape.view or shape.home),
            ("administrator", shape.administrator or shape.home),
        ):
            self._known_place([key], place)
        for what, fact in shape.identity.items():
            self._one_of(["identity", what], "mark of a box", what, IDENTITIES)
            self._one_of(["identity", what], "fact", fact, facts)
        typing = shape.typing
        return Phrasebook(
            card=card,
            home=shape.home,
            view=shape.view or shape.home,
            places=places,
            moves=moves,
            phrases=phrases,
            readings={name: self._reading(name, r) for name, r in shape.readings.items()},
            keep=keep,
            identity=shape.identity,
            noise=self._any_of("noise", shape.noise),
            refusals=tuple(self._patterns("refusals", shape.refusals)),
            boot=self._any_of("boot", shape.boot, re.MULTILINE),
            enter=self._key(["typing", "enter"], typing.enter),
            cancel=self._key(["typing", "cancel"], typing.cancel),
            rub=self._key(["typing", "rub"], typing.rub) if typing.rub else "",
            redraw=self._key(["typing", "redraw"], typing.redraw) if typing.redraw else "",
            wraps=typing.wraps,
            longest_line=typing.longest_line,
            prepare=tuple(self._phrase(["prepare", i], f"prepare.{i}", p, facts) for i, p in enumerate(shape.prepare)),
            interviews=interviews,
            warnings=tuple(self._patterns("warnings", shape.warnings)),
            marks={what: self._mark(what, source) for what, source in shape.marks.items()},
            administrator=shape.administrator or "",
            restart=self._phrase(["restart"], "restart", shape.restart, facts) if shape.restart else None,
            screen=self._screen(typing.screen),
        )

    def _screen(self, text: str) -> tuple[int, int] | None:
        if not text:
            return None
        match = re.fullmatch(r"(\d{2,3})x(\d{1,3})", text)
        if match is None:
            self._bad(["typing", "screen"], f"{text!r} is no size of a screen; write it like 80x24")
            return None
        return int(match[1]), int(match[2])

    def _mark(self, what: str, source: str) -> re.Pattern[str]:
        self._one_of(["marks", what], "mark of a box", what, IDENTITIES)
        pattern = self._regex(["marks", what], source, re.MULTILINE)
        if "value" not in pattern.groupindex:
            self._bad(["marks", what], "the pattern has no group named value")
        return pattern

    def _place(self, name: str, p: PlaceShape) -> Place:
        path: Path = ["places", name]
        said = {"prompt": p.prompt, "asks": p.asks, "menu": p.menu, "pager": p.pager, "notice": p.notice}
        given = {key: source for key, source in said.items() if source is not None}
        if len(given) != 1:
            self._bad(path, f"a place has exactly one of {', '.join(said)}")
            return Place(name, Kind.QUESTION, re.compile("(?!)"))
        key, source = next(iter(given.items()))
        kind = Kind.QUESTION if key == "asks" else Kind(key)
        tail = HALF_TYPED if kind is Kind.PROMPT else "$"
        pattern = self._regex([*path, key], source.removesuffix("$") + tail)
        if p.screen is not None and not (isinstance(self.shape, BookShape) and self.shape.typing.screen):
            self._bad([*path, "screen"], "the family has no emulated screen; give typing: {screen: 80x24}")
        choices = self._regex([*path, "choices"], p.choices, re.MULTILINE) if p.choices is not None else None
        if choices is not None and not {"key", "text"} <= choices.groupindex.keys():
            self._bad([*path, "choices"], "the pattern needs groups named key and text")
        return Place(
            name,
            kind,
            pattern,
            p.blind,
            kind is Kind.PROMPT or p.enter == "harmless",
            self._key([*path, "press"], p.press),
            self._key([*path, "leave"], p.leave),
            self._regex([*path, "screen"], p.screen, re.MULTILINE) if p.screen is not None else None,
            choices,
            self._regex([*path, "takes"], p.takes) if p.takes is not None else None,
        )

    def _move(self, index: int, m: MoveShape, places: Mapping[str, Place]) -> Move:
        path: Path = ["moves", index]
        self._known_place(path, m.origin)
        outcomes = [m.to] if isinstance(m.to, str) else m.to
        if outcomes == ["prompts"]:
            outcomes = [name for name, place in places.items() if place.kind is Kind.PROMPT]
        for outcome in outcomes:
            self._known_place([*path, "to"], outcome)
        if sum(how is not None for how in (m.say, m.press, m.choose)) != 1:
            self._bad(path, "a move has exactly one of say, press and choose")
        for key, source in (("say", m.say), ("choose", m.choose)):
            if source is not None:
                self._template([*path, key], source, MOVE_NAMES)
        if m.choose is not None and m.origin in places and places[m.origin].choices is None:
            self._bad([*path, "choose"], f"{m.origin} has no choices; give the place a pattern for them")
        press = self._key([*path, "press"], m.press) if m.press is not None else None
        return Move(m.origin, tuple(outcomes), m.say, press, m.choose, m.cost)

    # -- phrases -----------------------------------------------------------------------------------
    def _phrase(self, path: Path, name: str, p: PhraseShape, facts: set[str]) -> Phrase:
        say = p.say if isinstance(p.say, str) or p.say is None else "\n".join(p.say)
        at = self._where(path, p, say)
        for key, source in (("say", say or ""), ("undo", p.undo or ""), ("shows", p.shows)):
            self._template([*path, key], source, SAID_NAMES)
        for place, reply in p.replies.items():
            self._known_place([*path, "replies", place], place)
            self._template([*path, "replies", place], reply, SAID_NAMES)
        through = [*p.through, *leads_to(say or "")]
        for place in through:
            self._known_place([*path, "through"], place)
        if p.read is not None:
            self._one_of([*path, "read"], "reading that takes the fact", p.read, facts)
        for other in p.after:
            self._known_setting([*path, "after"], other)
        also = self._phrase([*path, "also"], name, p.also, facts) if p.also else None
        return Phrase(
            setting=name,
            at=at,
            say=say or "",
            title=p.title,
            replies=p.replies,
            through=tuple(dict.fromkeys(x for x in through if x != at)),
            expect=self._regex([*path, "expect"], p.expect) if p.expect is not None else None,
            progress=self._regex([*path, "progress"], p.progress) if p.progress is not None else None,
            patience=self._duration([*path, "patience"], p.patience),
            undo=p.undo,
            effect=self._word([*path, "effect"], "effect", p.effect, Effect),
            confirm=self._confirm([*path, "confirm"], p.confirm) if p.confirm else None,
            fact=p.read,
            shows=p.shows,
            holds=self._word([*path, "holds"], "way to compare", p.holds, Holds),
            after=tuple(p.after),
            interview=p.within or "",
            also=also,
        )

    def _where(self, path: Path, p: PhraseShape, say: str | None) -> str:
        """Where a phrase is said: its own place, or the first of its questions."""
        interviews = self.shape.interviews if isinstance(self.shape, BookShape) else {}
        if p.within is not None:
            self._one_of([*path, "in"], "question script", p.within, interviews)
            if not p.replies or say is not None or p.at is not None:
                self._bad(path, "what is said in a question script has replies, and neither at nor say")
            return next(iter(p.replies), "")
        if p.at is None or say is None:
            self._bad(path, f"{'at' if p.at is None else 'say'!r} is missing")
            return p.at or ""
        self._known_place([*path, "at"], p.at)
        return p.at

    def _confirm(self, path: Path, c: ConfirmShape) -> Confirm:
        self._known_place([*path, "at"], c.at)
        self._template([*path, "say"], c.say, SAID_NAMES)
        self._one_of([*path, "from"], "way to confirm", c.origin, ("here", "new session"))
        return Confirm(c.at, c.say, self._duration([*path, "within"], c.within), c.origin == "new session")

    def _interview(self, name: str, i: InterviewShape, phrases: Mapping[str, Phrase]) -> Interview:
        path: Path = ["interviews", name]
        answered = {place for p in phrases.values() if p.interview == name for place in p.replies}
        questions = {i.first, *answered, *i.otherwise} | ({i.summary.at} if i.summary else set())
        for place in sorted(questions | set(i.ends) | ({i.begin.at} if i.begin else set())):
            self._known_place(path, place)
        for place, reply in i.otherwise.items():
            self._template([*path, "otherwise", place], reply, SAID_NAMES - {"value", "before"})
        summary = None
        if i.summary:
            takes = {fact: self._take([*path, "summary", "take"], fact, t) for fact, t in i.summary.take.items()}
            summary = Summary(i.summary.at, takes, i.summary.yes, i.summary.no)
        return Interview(
            name,
            i.first,
            i.begin.at if i.begin else "",
            i.begin.say if i.begin else "",
            i.otherwise,
            summary,
            tuple(i.ends),
            self._key([*path, "again"], i.again) if i.again else "",
            self._word([*path, "effect"], "effect", i.effect, Effect),
            self._duration([*path, "patience"], i.patience),
            frozenset(questions),
        )

    # -- readings ----------------------------------------------------------------------------------
    def _reading(self, name: str, r: ReadingShape) -> Reading:
        path: Path = ["readings", name]
        self._known_place([*path, "at"], r.at)
        take = {fact: self._take([*path, "take"], fact, t) for fact, t in r.take.items()}
        sections = self._regex([*path, "sections"], r.sections) if r.sections is not None else None
        if sections is None and any(t.under for t in take.values()):
            self._bad(path, "'under' needs the pattern of lines that head a section; give sections")
        ask, to = self._asked(path, "ask", r.ask)
        startup, _ = self._asked(path, "startup", r.startup) if r.startup is not None else (None, "")
        return Reading(name, r.at, ask, startup, take, sections, to or r.at)

    def _asked(self, path: Path, key: str, text: str) -> tuple[str, str]:
        """What is asked, and the place at which its answer ends if that is another."""
        self._template([*path, key], text, frozenset())
        to = next(iter(leads_to(text)), "")
        if to:
            self._known_place([*path, key], to)
            text = text.rpartition("~>")[0].rstrip()
        return text, to

    def _take(self, path: Path, fact: str, t: str | TakeShape) -> Take:
        path = [*path, fact]
        shape = TakeShape(line=t) if isinstance(t, str) else t
        if (shape.line is None) == (shape.table is None):
            self._bad(path, "a fact is taken from exactly one of line and table")
        pattern = self._regex(path, shape.line or shape.table or "")
        under = self._regex([*path, "under"], shape.under) if shape.under is not None else None
        names = frozenset(shape.columns) if shape.table is not None else frozenset(pattern.groupindex)
        names |= frozenset(under.groupindex) if under else frozenset()
        if shape.table is not None and not shape.columns:
            self._bad(path, "a table needs columns: a name for each, and the heading that stands over it")
        if shape.value == "{{ value }}" and "value" not in names:
            self._bad(path, "the pattern has no group named value")
        else:
            self._template([*path, "value"], shape.value, names)
        split = self._regex([*path, "split"], shape.split) if shape.split is not None else None
        return Take(fact, pattern, shape.value, under, shape.columns, split)

    # -- small things ------------------------------------------------------------------------------
    def _parsed(self, path: Path, parse: Callable[[object], T], text: str) -> T | None:
        try:
            return parse(text) if text else None
        except ValueError as error:
            self._bad(path, str(error))
            return None

    def _duration(self, path: Path, text: str) -> float:
        try:
            if text.strip().isdigit():
                raise ValueError
            return float(seconds(text))
        except ValueError:
            self._bad(path, f"{text!r} is no duration; write it like 90 s")
            return 0.0

    def _word(self, path: Path, what: str, word: str, words: type[T]) -> T:
        known: dict[str, T] = {str(w): w for w in words}  # type: ignore[attr-defined]
        self._one_of(path, what, word, known)
        return known.get(word) or next(iter(known.values()))

    def _one_of(self, path: Path, what: str, word: str, words: Iterable[str]) -> None:
        known = list(words)
        if word not in known:
            self._bad(path, f"no {what} is called {word!r}{did_you_mean(word, known)}")

    def _patterns(self, key: str, sources: Iterable[str]) -> list[re.Pattern[str]]:
        return [self._regex([key, i], source) for i, source in enumerate(sources)]

    def _any_of(self, key: str, sources: list[str], flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str]:
        self._patterns(key, sources)
        joined = "|".join(f"(?:{source})" for source in sources) or "(?!)"
        try:
            return re.compile(joined, flags)
        except re.error:
            return re.compile("(?!)")

    def _regex(self, path: Path, source: str, flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str]:
        try:
            return re.compile(source, flags)
        except re.error as error:
            self._bad(
                path,
                f"the pattern {source.removesuffix(HALF_TYPED)!r} is broken: {error.msg}"
                + (f" at character {error.pos + 1}" if error.pos is not None else ""),
            )
            return re.compile("(?P<value>)(?P<half_typed>)(?P<key>)(?P<text>)")

    def _key(self, path: Path, word: str) -> str:
        if len(word) == 1:
            return word
        if word not in KEYS:
            self._bad(path, f"no key is called {word!r}{did_you_mean(word, KEYS)}")
        return KEYS.get(word, "\r")

    def _template(self, path: Path, source: str, known: frozenset[str]) -> None:
        try:
            unknown = names_used(source) - known
        except WordsError as error:
            self._bad(path, str(error))
            return
        for name in sorted(unknown):
            self._bad(
                path,
                f"nothing fills {{{{ {name} }}}}{did_you_mean(name, known)}; known here: {', '.join(sorted(known))}",
            )

    def _known_place(self, path: Path, name: str) -> None:
        self._one_of(path, "place", name, self.shape.places if isinstance(self.shape, BookShape) else {})

    def _known_setting(self, path: Path, name: str) -> None:
        if name not in SETTINGS:
            self._bad(path, f"no setting is called {name}{did_you_mean(name, SETTINGS)}")

    def _bad(self, path: Path, what: str) -> None:
        self.problems.append(error_at("family-broken", self.source.spot(path), what, "Correct this entry"))
