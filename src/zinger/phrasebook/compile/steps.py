"""The sections `settings`, `prepare`, `save`, `restart` and `interviews`: what is sent, and how."""

from __future__ import annotations

from collections.abc import Mapping

from zinger.phrasebook.book import Interview, Summary
from zinger.phrasebook.compile.readings import ReadingsSection
from zinger.phrasebook.compile.section import PLAIN_NAMES, STEP_NAMES, Path, Section
from zinger.phrasebook.shapes import BookShape, ConfirmShape, InterviewShape, ShownShape, StepShape
from zinger.phrasebook.steps import AnswerTemplates, Confirm, Effect, Holds, How, LineTemplates, Reads, StepTemplate
from zinger.phrasebook.terminal import PressKey, typed
from zinger.phrasebook.words import leads_to
from zinger.plan.settings import SETTINGS


class StepsSection(Section):
    """The steps of a book, and its question scripts."""

    def __init__(self, *args: object, facts: frozenset[str]) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self.facts = facts
        """What the readings take; a step may be read back by no other."""

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

    def step(self, path: Path, name: str, p: StepShape) -> StepTemplate:
        """One step."""
        send = p.send if isinstance(p.send, str) or p.send is None else "\n".join(p.send)
        at = self._where(path, p, send)
        names = STEP_NAMES if name in SETTINGS else PLAIN_NAMES
        for key, source in (("send", send or ""), ("undo", p.undo or ""), ("shows", p.shows if p.read else "")):
            self.template([*path, key], source, names)
        for place, reply in p.replies.items():
            self.known_place([*path, "replies", place], place)
            self.template([*path, "replies", place], reply, names)
        if p.read is not None:
            self.one_of([*path, "read"], "reading that takes the fact", p.read, self.facts)
        for other in p.after:
            self.known_setting([*path, "after"], other)
        return StepTemplate(
            name,
            self._how(path, p, at, send),
            AnswerTemplates(p.within, p.replies) if p.within is not None else LineTemplates(send or "", p.replies),
            p.title,
            p.undo or "",
            Reads(p.read, p.shows, self.word([*path, "holds"], "way to compare", p.holds, Holds)) if p.read else None,
            tuple(p.after),
            self.step([*path, "also"], name, p.also) if p.also else None,
            tuple(self._reads_too([*path, "shows_too"], fact, shown) for fact, shown in p.shows_too.items()),
            self._trial([*path, "tries"], name, p.tries) if p.tries else None,
        )

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
        through = [*p.through, *leads_to(send or "")]
        for place in through:
            self.known_place([*path, "through"], place)
        return How(
            at,
            frozenset(through) - {at},
            self.maybe_regex([*path, "expect"], p.expect),
            self.maybe_regex([*path, "progress"], p.progress),
            self.duration([*path, "patience"], p.patience),
            self.word([*path, "effect"], "effect", p.effect, Effect),
            self._confirm([*path, "confirm"], p.confirm) if p.confirm else None,
        )

    def _where(self, path: Path, p: StepShape, send: str | None) -> str:
        """Where a step is begun: at its own place, or the first of its questions."""
        interviews = self.shape.interviews if isinstance(self.shape, BookShape) else {}
        if p.within is not None:
            self.one_of([*path, "in"], "question script", p.within, interviews)
            if not p.replies or send is not None or p.at is not None:
                self.bad(path, "what is answered in a question script has replies, and neither at nor send")
            return next(iter(p.replies), "")
        if p.at is None and send is None and p.read is not None and isinstance(self.shape, BookShape):
            return self.shape.home  # nothing is sent: it is only looked at
        if p.at is None or send is None:
            self.bad(path, f"{'at' if p.at is None else 'send'!r} is missing")
            return p.at or ""
        self.known_place([*path, "at"], p.at)
        return p.at

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
        for place, reply in i.otherwise.items():
            self.template([*path, "otherwise", place], reply, PLAIN_NAMES)
        summary = None
        if i.summary:
            summary_path: Path = [*path, "summary", "take"]
            takes = {fact: readings.take(summary_path, fact, t) for fact, t in i.summary.take.items()}
            sections = self.maybe_regex([*path, "summary", "sections"], i.summary.sections)
            summary = Summary(i.summary.at, takes, typed(i.summary.yes), typed(i.summary.no), sections)
        return Interview(
            name,
            i.first,
            i.begin.at if i.begin else "",
            typed(i.begin.send) if i.begin else None,
            i.otherwise,
            summary,
            tuple(i.ends),
            PressKey(self.key([*path, "again"], i.again)) if i.again else None,
            self.word([*path, "effect"], "effect", i.effect, Effect),
            self.duration([*path, "patience"], i.patience),
            frozenset(questions),
            typed(""),
        )
