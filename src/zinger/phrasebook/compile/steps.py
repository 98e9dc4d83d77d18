"""The sections `settings`, `prepare`, `save`, `restart` and `interviews`: what is sent, and how."""

from __future__ import annotations

import re
from collections.abc import Mapping

from zinger.phrasebook.book import Interview, Summary
from zinger.phrasebook.compile.pages import PagesSection
from zinger.phrasebook.compile.readings import ReadingsSection
from zinger.phrasebook.compile.section import PLAIN_NAMES, PUT_NAMES, STEP_NAMES, Path, Section
from zinger.phrasebook.map import Deed
from zinger.phrasebook.pages import Submit
from zinger.phrasebook.shapes import (
    BookShape,
    ConfirmShape,
    DoShape,
    FileShape,
    InterviewShape,
    PlaceShape,
    ShownShape,
    StepShape,
)
from zinger.phrasebook.steps import (
    FILE,
    AnswerTemplates,
    ByHand,
    Confirm,
    Effect,
    FileTemplate,
    FileTemplates,
    Holds,
    How,
    LineTemplates,
    PageReply,
    PageTemplates,
    PageTurn,
    Reads,
    ReplyTemplate,
    StepTemplate,
)
from zinger.phrasebook.terminal import PressKey, typed
from zinger.phrasebook.words import WordsError, leads_to, names_used
from zinger.plan.settings import SETTINGS


class StepsSection(Section):
    """The steps of a book, and its question scripts."""

    def __init__(self, *args: object, facts: frozenset[str]) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self.facts = facts
        """What the readings take; a step may be read back by no other."""
        self.on_pages = PagesSection(self.source, self.shape, self.problems)

    def settings(self, shape: BookShape) -> dict[str, StepTemplate]:
        """The steps of the settings."""
        for name in shape.settings:
            self.known_setting(["settings", name], name)
        return {name: self.step(["settings", name], name, p) for name, p in shape.settings.items()}

    def saves(self, shape: BookShape) -> tuple[StepTemplate, ...]:
        """What saves to startup."""
        listed = isinstance(shape.save, list)
        saves = shape.save if isinstance(shape.save, list) else [shape.save]
        return tuple(
            self.step(["save", i] if listed else ["save"], f"save.{i}" if i else "save", p) for i, p in enumerate(saves)
        )

    def step(self, path: Path, name: str, p: StepShape, names: frozenset[str] = frozenset()) -> StepTemplate:
        """One step."""
        send = p.send if isinstance(p.send, str) or p.send is None else "\n".join(p.send)
        at = self._where(path, p, send)
        names = names or (STEP_NAMES if name in SETTINGS else PLAIN_NAMES)
        for key, source in (
            ("send", send or ""),
            ("undo", p.undo or ""),
            ("shows", p.shows if p.read else ""),
            ("after_device", p.after_device),
        ):
            self.template([*path, key], source, names)
        if part := re.search(r"\bbefore\.(\w+)", p.undo or ""):
            self.bad([*path, "undo"], f"before has no part {part[1]!r}: it is what the device showed, as a text")
        replies = self._replies([*path, "replies"], p.replies, names)
        turns = self._turns(path, p, names)
        if p.read is not None:
            self.one_of([*path, "read"], "reading that takes the fact", p.read, self.facts)
        for other in p.after:
            self.known_setting([*path, "after"], other)
        return StepTemplate(
            name,
            self._how(path, p, at, send),
            self._what(p, send, turns, replies),
            p.title,
            p.undo or "",
            Reads(p.read, p.shows, self.word([*path, "holds"], "way to compare", p.holds, Holds)) if p.read else None,
            tuple(p.after),
            p.after_device,
            self.step([*path, "also"], name, p.also) if p.also else None,
            tuple(self._reads_too([*path, "shows_too"], fact, shown) for fact, shown in p.shows_too.items()),
            ByHand(p.hands.do, p.hands.see) if p.hands else None,
            self._trial([*path, "tries"], name, p.tries) if p.tries else None,
            self.step([*path, "change"], name, p.change) if p.change else None,
        )

    def _what(
        self, p: StepShape, send: str | None, turns: tuple[PageTurn, ...], replies: dict[str, ReplyTemplate]
    ) -> LineTemplates | PageTemplates | AnswerTemplates | FileTemplates:
        if p.file:
            return FileTemplates(p.file, send or "")
        if p.within is not None:
            return AnswerTemplates(p.within, replies)
        return PageTemplates(turns, replies, p.each) if turns else LineTemplates(send or "", replies)

    def _turns(self, path: Path, p: StepShape, names: frozenset[str]) -> tuple[PageTurn, ...]:
        """What is done on pages: what the step says itself, or each of its list."""
        if not p.do:
            return (PageTurn(self.on_pages.act(path, p, names)),) if self.on_pages.is_told(p) else ()
        if self.on_pages.is_told(p) or p.send is not None:
            self.bad(path, "write what is done in the list under do or in the step itself, not in both")
        for n, one in enumerate(p.do):
            if one.to is not None:
                self.known_place([*path, "do", n, "to"], one.to)
            if one.each and p.each:
                self.bad([*path, "do", n, "each"], "the whole step is done once for every entry already; say each once")
        return tuple(
            PageTurn(self.on_pages.act([*path, "do", n], one, names), one.each, one.to or "")
            for n, one in enumerate(p.do)
        )

    def _replies(
        self, path: Path, replies: Mapping[str, str | DoShape | list[DoShape]], names: frozenset[str]
    ) -> dict[str, ReplyTemplate]:
        for place in replies:
            self.known_place([*path, place], place)
        return {place: self._reply([*path, place], reply, names) for place, reply in replies.items()}

    def _reply(self, path: Path, reply: str | DoShape | list[DoShape], names: frozenset[str]) -> ReplyTemplate:
        if isinstance(reply, str):
            self.template(path, reply, names)
            return reply
        turns = reply if isinstance(reply, list) else [reply]
        if not turns:
            self.bad(path, "the list is empty; say what is done there")
        return PageReply(tuple(PageTurn(self.on_pages.act(path, turn, names), turn.each) for turn in turns))

    def _reads_too(self, path: Path, fact: str, shown: str | ShownShape) -> Reads:
        """Another fact that shows a part of the value."""
        shown = ShownShape(shows=shown) if isinstance(shown, str) else shown
        self.one_of(path, "reading that takes the fact", fact, self.facts)
        self.template([*path, fact], shown.shows, STEP_NAMES)
        return Reads(fact, shown.shows, self.word([*path, fact, "holds"], "way to compare", shown.holds, Holds))

    def _trial(self, path: Path, name: str, p: StepShape) -> StepTemplate:
        """A step that makes the device use a password; without `expect`, silence would be success."""
        if p.expect is None:
            self.bad(path, "nothing says what the device shows when the password is right; give expect")
        return self.step(path, name, p)

    def _how(self, path: Path, p: StepShape, at: str, send: str | None) -> How:
        through = [*p.through, *leads_to(send or ""), *(one.to for one in p.do if one.to)]
        for place in through:
            self.known_place([*path, "through"], place)
        if p.unless_at:
            self.known_place([*path, "unless_at"], p.unless_at)
        return How(
            at,
            frozenset(through) - {at},
            self.maybe_regex([*path, "expect"], p.expect),
            self.maybe_regex([*path, "progress"], p.progress),
            self.duration([*path, "patience"], p.patience),
            self.word([*path, "effect"], "effect", p.effect, Effect),
            self._confirm([*path, "confirm"], p.confirm) if p.confirm else None,
            p.unless_at,
        )

    def _where(self, path: Path, p: StepShape, send: str | None) -> str:
        """Where a step is begun: at its own place, or the first of its questions."""
        interviews = self.shape.interviews if isinstance(self.shape, BookShape) else {}
        if p.within is not None:
            self.one_of([*path, "in"], "question script", p.within, interviews)
            if not p.replies or send is not None or p.at is not None or p.do or self.on_pages.is_told(p):
                self.bad(path, "what is answered in a question script has replies, and neither at nor send")
            return next(iter(p.replies), "")
        sends = send is not None or bool(p.do) or self.on_pages.is_told(p)
        if p.file:
            return self._where_file(path, p, send)
        if p.hands is not None:
            if sends:
                self.bad([*path, "hands"], "what is done by hand sends nothing; make another step of it")
            return p.at or (self.shape.home if isinstance(self.shape, BookShape) else "")
        if p.at is None and not sends and p.read is not None and isinstance(self.shape, BookShape):
            return self.shape.home  # nothing is sent: it is only looked at
        if p.at is None or not sends:
            self.bad(path, f"{'at' if p.at is None else 'send'!r} is missing")
            return p.at or ""
        self.known_place([*path, "at"], p.at)
        return p.at

    def _where_file(self, path: Path, p: StepShape, send: str | None) -> str:
        """A setting in a generated file gives only its lines; the file itself says where it is put."""
        files = self.shape.files if isinstance(self.shape, BookShape) else {}
        self.one_of([*path, "file"], "generated file", p.file, files)
        if send is None or p.at is not None or p.do or p.replies or p.hands or self.on_pages.is_told(p):
            self.bad(
                path, "a setting in a generated file gives only its lines, as send; the file says where they are put"
            )
        return (files[p.file].put.at or "") if p.file in files else ""

    def file(self, name: str, f: FileShape, shape: BookShape) -> FileTemplate:
        """A generated file."""
        path: Path = ["files", name]
        for key, source in (("head", f.head), ("foot", f.foot)):
            self.template([*path, key], source, PLAIN_NAMES)
        self.one_of([*path, "pulled"], "reading", f.pulled, shape.readings)
        if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9._-]{0,60}", f.named):
            self.bad([*path, "named"], f"{f.named!r} is not the name of a file, such as tables.txt")
        if not any(step.file == name for step in shape.settings.values()):
            self.bad(path, f"no setting is written into it; give a setting file: {name}")
        complains = self.maybe_regex([*path, "complains"], f.complains)
        if complains is not None and "line" not in complains.groupindex:
            self.bad([*path, "complains"], "the pattern has no group named line")
        put = self.step([*path, "put"], f"{FILE}{name}", f.put, PUT_NAMES)
        if not isinstance(put.what, PageTemplates) or not any(map(self._prints_the_file, put.what.sources)):
            self.bad([*path, "put"], "nothing of it is sent; fill a field, or a text of a call, with '{{ file }}'")
        ignores = tuple(self.regex([*path, "ignores", n], pattern) for n, pattern in enumerate(f.ignores))
        return FileTemplate(
            name, f.named, f.title or f"the file {f.named}", f.head, f.foot, self.maybe_regex([*path, "line"], f.line),
            put, f.pulled, ignores, complains,
        )  # fmt: skip

    def brings_back(self, p: StepShape) -> StepTemplate:
        """What brings back a configuration that was kept."""
        step = self.step(["restore"], "restore", p, PUT_NAMES)
        if not isinstance(step.what, PageTemplates) or not any(map(self._prints_the_file, step.what.sources)):
            self.bad(["restore"], "nothing of the file is sent; fill a field, or a text of a call, with '{{ file }}'")
        return step

    @staticmethod
    def _prints_the_file(source: str) -> bool:
        try:
            return "file" in names_used(source)
        except WordsError:  # it is told already
            return True

    def _confirm(self, path: Path, c: ConfirmShape) -> Confirm:
        self.known_place([*path, "at"], c.at)
        self.template([*path, "send"], c.send, STEP_NAMES)
        self.one_of([*path, "from"], "way to confirm", c.origin, ("here", "new session"))
        return Confirm(c.at, c.send, self.duration([*path, "within"], c.within), c.origin == "new session")

    # -- question scripts --------------------------------------------------------------------------
    def interview(
        self, name: str, i: InterviewShape, steps: Mapping[str, StepTemplate], readings: ReadingsSection
    ) -> Interview:
        """One question script."""
        path: Path = ["interviews", name]
        answered = {place for step in steps.values() if step.interview == name for place in step.what.replies}
        questions = {i.first, *answered, *i.otherwise} | ({i.summary.at} if i.summary else set())
        for place in sorted(questions | set(i.ends) | ({i.begin.at} if i.begin else set())):
            self.known_place(path, place)
        otherwise = self._replies([*path, "otherwise"], i.otherwise, PLAIN_NAMES)
        summary = None
        if i.summary:
            summary_path: Path = [*path, "summary", "take"]
            takes = {fact: readings.take(summary_path, fact, t) for fact, t in i.summary.take.items()}
            sections = self.maybe_regex([*path, "summary", "sections"], i.summary.sections)
            yes, no = (self._deed([*path, "summary", key], getattr(i.summary, key)) for key in ("yes", "no"))
            summary = Summary(i.summary.at, takes, yes, no, sections)
        return Interview(
            name,
            i.first,
            i.begin.at if i.begin else "",
            self._deed([*path, "begin"], i.begin.send) if i.begin else None,
            otherwise,
            summary,
            tuple(i.ends),
            self._again([*path, "again"], i.again),
            self.word([*path, "effect"], "effect", i.effect, Effect),
            self.duration([*path, "patience"], i.patience),
            frozenset(questions),
            Submit(()) if self.shape_of(i.first).page is not None else typed(""),
        )

    def shape_of(self, place: str) -> PlaceShape:
        """What the file says of a place."""
        places = self.shape.places if isinstance(self.shape, BookShape) else {}
        return places.get(place) or PlaceShape()

    def _deed(self, path: Path, what: str | DoShape) -> Deed:
        """What is done as it stands, whatever the plan."""
        return self.on_pages.act(path, what, frozenset()).fill({}, {}) if isinstance(what, DoShape) else typed(what)

    def _again(self, path: Path, what: str | DoShape) -> Deed | None:
        if isinstance(what, DoShape):
            return self._deed(path, what)
        return PressKey(self.key(path, what)) if what else None
