"""Compile a planned device and its family's phrasebook into an ordered script.

The order is that of the table of settings, unless the phrasebook says that one comes after another: credentials
first, since left for later they are forgotten. Nothing is sent that cannot be sent safely: a value with control
characters, or a line longer than the family takes, is left out and listed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial
from typing import Any, Literal

from zinger.phrasebook.book import Interview, Phrasebook
from zinger.phrasebook.map import Deed
from zinger.phrasebook.pages import Submit
from zinger.phrasebook.steps import (
    AnswerTemplates,
    ByHand,
    Effect,
    FileTemplate,
    FileTemplates,
    Holds,
    How,
    PageTemplates,
    PageTurn,
    ReplyTemplate,
    StepTemplate,
)
from zinger.phrasebook.terminal import TypeLine, typed
from zinger.phrasebook.words import (
    FileText,
    Words,
    WordsError,
    has_secret,
    masked,
    names_used,
    render_lines,
    render_text,
)
from zinger.plan.model import Device, Value
from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.accounts.credentials import factory_renewal
from zinger.plan.subjects.management.settings import GATEWAY
from zinger.plan.subjects.names.settings import SUMMER_RULE, TIME_ZONE
from zinger.plan.values.clock import LaptopTime, SummerRule
from zinger.plan.values.secrets import SecretRef
from zinger.script.parts import WHOLE, Part, Parts


# -- what is sent ----------------------------------------------------------------------------------------
@dataclass(frozen=True)
class StepLine:
    """One line of a step, and the place to which it leads if it does not stay."""

    deed: Deed
    to: str = ""


Replies = Mapping[str, tuple[Deed, ...]]
"""What answers a question, by place; the last one for every further time."""


@dataclass(frozen=True)
class Lines:
    """Lines to send in order, and replies to the questions that may follow."""

    lines: tuple[StepLine, ...]
    replies: Replies = field(default_factory=dict)


@dataclass(frozen=True)
class Answers:
    """Answers in a question script."""

    interview: str
    replies: Replies


@dataclass(frozen=True)
class Shows:
    """What a reading must show afterwards, in the family's own writing."""

    fact: str
    expected: tuple[str, ...]
    holds: Holds = Holds.EXACTLY
    clock: LaptopTime | None = None
    """Of a clock, in which zone it must show the laptop's time."""


@dataclass(frozen=True)
class Step:
    """One thing to send: how, what, for which setting, and how it is undone (masked).

    `also` is sent when the setting still differs after its questions were answered.
    """

    setting: str
    title: str
    stop: Stop
    value: str
    how: How
    what: Lines | Answers
    undo: str = ""
    shows: Shows | None = None
    shows_too: tuple[Shows, ...] = ()
    """Other facts that show a part of it."""
    also: Step | None = None
    change: Step | None = None
    """What is sent instead where the device has it already, but not with this password or key."""
    unsent: tuple[Part, ...] = ()
    """Parts of the planned value that its lines do not use."""
    unshown: tuple[Part, ...] = ()
    """Parts of the planned value that what is read back does not show; passwords, which nothing shows, apart."""
    trials: tuple[Trial, ...] = ()
    """Steps that make the device use a password or key of it."""
    after: tuple[str, ...] = ()
    """The settings that must be sent before."""
    hands: ByHand | None = None
    """What a person does at the device, in the place of anything sent."""
    after_device: str = ""
    """The device that must be set up before this is sent, or looked at."""
    secrets: tuple[Part, ...] = ()
    """Passwords and keys that are sent with it. What a device shows of them proves nothing: it is masked, whichever."""
    file: str = ""
    """The generated file in which it stands, or that it is."""
    section: tuple[Words, ...] = ()
    """Its lines in that file; all of them, where it is the file."""
    tells_time: bool = False
    """Whether the laptop's time is in it; it is filled anew when it is sent."""

    @property
    def at(self) -> str:
        """The place at which it is begun."""
        return self.how.at

    @property
    def effect(self) -> Effect:
        """What sending it does besides."""
        return self.how.effect

    @property
    def fact(self) -> str:
        """The fact that is read back, or nothing."""
        return self.shows.fact if self.shows else ""

    @property
    def interview(self) -> str:
        """The question script in which it is answered, or nothing."""
        return self.what.interview if isinstance(self.what, Answers) else ""

    @property
    def only_looked_at(self) -> bool:
        """Whether nothing is sent for it: the device is as planned, or it differs."""
        return isinstance(self.what, Lines) and not self.what.lines and self.hands is None and not self.file

    @property
    def is_measured(self) -> bool:
        """Whether what is read is a state of the world, such as a signal: nothing that is kept, or survives."""
        return self.shows is not None and self.shows.holds is Holds.AT_LEAST

    @property
    def is_in_startup(self) -> bool:
        """Whether a startup state has it: what is measured is nowhere kept, and a clock goes on by its battery."""
        return not self.is_measured and (self.shows is None or self.shows.holds is not Holds.NOW)

    @property
    def shown(self) -> str:
        """What is sent in one row, as a person may see it."""
        if self.hands is not None:
            return f"by hand: {self.hands.do}"
        if self.section:
            return _row([masked(line) for line in self.section])
        if isinstance(self.what, Answers):
            return " · ".join(deed.shown or "(Enter)" for turns in self.what.replies.values() for deed in turns)
        return _row(self.every_line)

    @property
    def every_line(self) -> tuple[str, ...]:
        """All its lines, as a person may see them; in a generated file those that stand there for it."""
        if self.section:
            return tuple(masked(line) for line in self.section)
        return tuple(line.deed.shown for line in self.what.lines) if isinstance(self.what, Lines) else ()


def _row(lines: Sequence[str]) -> str:
    """Lines in one row."""
    first = lines[0] if lines else ""
    return first if len(lines) < 2 else f"{first} … {len(lines)} lines"


@dataclass(frozen=True)
class Trial:
    """A password or key of a setting, and the step that makes the device use it."""

    part: Part
    step: Step

    @property
    def name(self) -> str:
        """What its finding is called."""
        return f"{TRIED}{self.step.setting}.{self.part.entry}".rstrip(".")


@dataclass(frozen=True)
class ScriptInterview:
    """A question script with this device's answers, by question; what a plan does not say keeps what stands there."""

    interview: Interview
    answers: Replies
    settings: tuple[str, ...]
    answered_by: Mapping[str, frozenset[str]] = field(default_factory=dict)
    """The settings that say what is answered at a question."""
    otherwise: Replies = field(default_factory=dict)
    """What the book answers where the plan says nothing."""

    def keeps(self, place: str, wanted: frozenset[str] | None) -> bool:
        """Whether what stands at a question is kept: the plan says it, and of that nothing is among the `wanted`."""
        by = self.answered_by.get(place, frozenset())
        return wanted is not None and bool(by) and not by & wanted


@dataclass(frozen=True)
class ScriptFile:
    """A file that is generated for one device: its lines, and the setting of each ("" for its head and foot)."""

    template: FileTemplate
    rows: tuple[tuple[str, Words], ...]

    @property
    def lines(self) -> tuple[Words, ...]:
        """All its lines."""
        return tuple(words for _, words in self.rows)

    @property
    def shown(self) -> tuple[str, ...]:
        """Its lines as a person may see them."""
        return tuple(masked(line) for line in self.lines)

    @property
    def telling(self) -> tuple[str, ...]:
        """The lines that must be found on the device."""
        return tuple(line.rstrip() for line in self.shown if not self.template.says_nothing(line))

    def blamed(self, words: str) -> tuple[int, str, str] | None:
        """The line (from 1) of which a refusal speaks, with its setting and its text; None where it tells none."""
        found = self.template.complains.search(words) if self.template.complains else None
        number = int(found["line"]) if found and (found["line"] or "").isdigit() else 0
        if not 0 < number <= len(self.rows):
            return None
        setting, line = self.rows[number - 1]
        return number, setting, masked(line)


@dataclass(frozen=True)
class NotSent:
    """A planned value that is not sent, and why. `owed`: it would have to be; else such a device does not have it."""

    setting: str
    value: str
    why: str
    owed: bool = True


@dataclass(frozen=True)
class Script:
    """All that will be sent to one device."""

    device: str
    family: str
    steps: tuple[Step, ...]
    not_sent: tuple[NotSent, ...]
    saves: tuple[Step, ...]
    interviews: Mapping[str, ScriptInterview] = field(default_factory=dict)
    restart: Step | None = None
    files: Mapping[str, ScriptFile] = field(default_factory=dict)
    parts: tuple[Script, ...] = ()
    """The script of each part of its dialogue, where it has several: first its console, then the network."""

    def only_at_first(self, step: Step) -> bool:
        """Whether a setting can be said at first contact only: there is no other way to say it."""
        asked = self.interviews.get(step.interview)
        return asked is not None and asked.interview.begin is None and step.also is None

    @property
    def everything(self) -> tuple[Step, ...]:
        """The steps, then what saves."""
        return (*self.steps, *self.saves)

    def waits_for(self, before: Literal["sending", "looking"]) -> frozenset[str]:
        """The devices that must be set up before it is sent its settings, or before what it shows is looked at."""
        looks = before == "looking"
        return frozenset(step.after_device for step in self.steps if step.only_looked_at is looks) - {""}


TRIED = "tried."
"""How findings of passwords and keys that were used are called: this, the setting, and the entry."""
Known = dict[tuple[str, str, type, object], Step]
"""Steps that were filled already: devices of one family share those whose value they share."""


# -- compiling -------------------------------------------------------------------------------------------
def compile_script(device: Device, book: Phrasebook, known: Known | None = None, now: datetime | None = None) -> Script:
    """Order the steps for every planned setting; what the family cannot be told is listed as not sent.

    `now` is the laptop's time for steps that send it; without, they say so.
    """
    known = {} if known is None else known
    if book.then is None:
        return _of_part(device, book, book, known, now)
    parts = tuple(_of_part(device, book, part, known, now) for part in book.parts)
    return Script(
        device.name,
        book.family,
        tuple(step for part in parts for step in part.steps),
        tuple(left_out for part in parts for left_out in part.not_sent),
        tuple(step for part in parts for step in part.saves),
        {name: interview for part in parts for name, interview in part.interviews.items()},
        next((part.restart for part in parts if part.restart), None),
        {name: file for part in parts for name, file in part.files.items()},
        parts,
    )


def _of_part(device: Device, whole: Phrasebook, book: Phrasebook, known: Known, now: datetime | None) -> Script:
    """The script of one part; a setting that another part sends is that one's, one that none sends the first's."""
    filler = Filler(device, book, known, now)
    steps: list[Step] = [filler.plain(p, Stop.SIGN_IN, "preparation") for p in book.prepare]
    for name in book.order:
        value = device.values.get(name)
        mine = name in book.steps or (book is whole and name not in whole.told)
        if value is not None and mine and (step := filler.setting(value)) is not None:
            steps.append(step)
    steps, files = filler.files(steps)
    interviews = {name: filler.interview(i, steps) for name, i in book.interviews.items()}
    saves = tuple(filler.plain(p, Stop.SAVE, "save to startup") for p in book.saves)
    restart = filler.plain(book.restart, Stop.PROOF, "restart") if book.restart else None
    return Script(device.name, book.family, tuple(steps), tuple(filler.not_sent), saves, interviews, restart, files)


class Filler:
    """Fills the templates of one book for one device."""

    def __init__(self, device: Device, book: Phrasebook, known: Known, now: datetime | None = None) -> None:
        self.device, self.book, self.known = device, book, known
        rule = device[SUMMER_RULE]
        summer = SummerRule(rule.begins, rule.ends, rule.ahead) if rule else None
        self.clock = LaptopTime(now, device[TIME_ZONE] or "", summer)
        self.plan = {name: value.value for name, value in device.values.items()}
        self.not_sent: list[NotSent] = []

    def setting(self, value: Value) -> Step | None:
        """The step for a planned value; None when it is not sent, which is then listed."""
        setting: Setting[Any] = value.setting
        template = self.book.steps.get(setting.name)
        if setting.name in self.book.rules.lacks:
            why = f"{self.book.title} does not have it"
            self.not_sent.append(NotSent(setting.name, value.shown, why, owed=False))
            return None
        if template is None:
            self.not_sent.append(NotSent(setting.name, value.shown, f"{self.book.title} has no step for it"))
            return None
        if setting is GATEWAY and self.device.address and self.device.address.method == "dhcp":
            self.not_sent.append(NotSent(setting.name, value.shown, "the lease brings the gateway", owed=False))
            return None
        try:
            if template.looks_around:
                return self._fill(template, value)
            key = (self.book.family, setting.name, type(value.value), value.value)
            if key not in self.known:
                self.known[key] = self._fill(template, value)
            return self.known[key]
        except WordsError as error:
            self.not_sent.append(NotSent(setting.name, value.shown, str(error)))
            return None

    def plain(self, template: StepTemplate, stop: Stop, title: str) -> Step:
        """A step that serves no setting: a preparation, what saves, a restart."""
        step = self._filled(template, None, Parts(None))
        step = replace(step, undo=self._undo(template, None))
        return replace(step, stop=stop, title=template.title or title)

    def _fill(self, template: StepTemplate, value: Value) -> Step:
        sent, shown = Parts(value.value), Parts(value.value)
        also = self._fill(template.also, value) if template.also else None
        change = self._fill(template.change, value) if template.change else None
        step = self._filled(template, sent.value(), shown)
        names = self._using(template.after_device, value=value.value)
        first = render_text(template.after_device, **names).strip() if template.after_device else ""
        step = replace(step, undo=self._undo(template, value.value), after_device=first)
        unused, hidden = sent.untouched(), shown.untouched()
        if not sent.any:
            unused, hidden = whole(template, secret=isinstance(value.value, SecretRef))
        ignored = (
            ()
            if step.only_looked_at
            else (*unused, *self._alike(step, template, value, unused, lambda other: (other.what, other.section)))
        )
        unsent = tuple(part for part in ignored if also is None or part in also.unsent)
        return replace(
            step,
            title=value.setting.title,
            stop=value.setting.stop,
            value=value.shown,
            also=also,
            change=change,
            unsent=unsent,
            unshown=(
                *(part for part in hidden if not part.secret),
                *self._alike(step, template, value, hidden, lambda other: (other.shows, other.shows_too)),
            )
            if step.shows
            else (),
            trials=tuple(self._trials(template, value)),
            secrets=tuple(part for part in _secrets(value.value) if part not in unsent),
        )

    def _trials(self, template: StepTemplate, value: Value) -> Iterator[Trial]:
        """One for each entry with a password or key."""
        if template.tries is None:
            return
        entries = [(entry,) for entry in value.value] if isinstance(value.value, tuple) else [value.value]
        for entry in entries:
            for part in _secrets(entry):
                one = entry[0] if isinstance(entry, tuple) else entry
                step = self._filled(template.tries, one, Parts(one))
                title = f"{part} of {value.setting.title}"
                yield Trial(part, replace(step, setting=value.setting.name, title=title, stop=Stop.PROOF))

    def _alike(
        self, step: Step, template: StepTemplate, value: Value, known: Iterable[Part], of: Callable[[Step], object]
    ) -> Iterator[Part]:
        """The parts of which another value would be written in the same words; refused is not the same.

        Of each part one such value is enough; what is untouched anyway is `known`.
        """
        told = {(part.entry, part.name) for part in known}
        for part, other in Parts(value.value).altered(getattr(value.setting.parse, "words", ())):
            if (part.entry, part.name) in told:
                continue
            try:
                filled = self._filled(template, other, Parts(other))
            except WordsError:
                continue
            if of(filled) == of(step):
                told.add((part.entry, part.name))
                yield part

    def _filled(self, template: StepTemplate, value: object, read: Parts) -> Step:
        def using(source: str) -> dict[str, object]:
            return self._using(source, value=value, before="(as before)")

        how, what = template.how, template.what
        replies = {place: _replied(reply, using) for place, reply in what.replies.items()}
        self._takes(replies)
        if how.confirm is not None:
            send = render_text(how.confirm.send, **using(how.confirm.send))
            how = replace(how, confirm=replace(how.confirm, send=send, deed=typed(send)))
        filled: Lines | Answers
        if isinstance(what, AnswerTemplates):
            filled = Answers(what.interview, replies)
        elif isinstance(what, PageTemplates):
            filled = Lines(tuple(self._on_pages(what, value)), replies)
        elif isinstance(what, FileTemplates):
            filled = Lines(())
        else:
            lines = render_lines(what.send, **using(what.send)) if what.send else ()
            filled = Lines(tuple(StepLine(self._fits(TypeLine(line.words)), line.to) for line in lines), replies)
        return Step(
            template.setting,
            template.title,
            Stop.ROLE,
            "",
            how,
            filled,
            shows=self._shows(template, using, read.watched()),
            shows_too=tuple(self._shows_too(template, using, read.value())),
            after=template.after,
            hands=template.hands,
            file=template.file,
            section=tuple(line.words for line in render_lines(what.send, **using(what.send)))
            if isinstance(what, FileTemplates)
            else (),
            tells_time=template.tells_time,
        )

    # -- generated files ---------------------------------------------------------------------------
    def files(self, steps: list[Step]) -> tuple[list[Step], dict[str, ScriptFile]]:
        """The steps with what brings their files to the device, each file a step too; and the files.

        A setting whose lines are not as the file's must be stays out of it, and is listed as not sent.
        """
        files: dict[str, ScriptFile] = {}
        for name, template in self.book.files.items():
            mine = {step.setting: step for step in steps if step.file == name}
            steps = [step for step in steps if step.setting not in mine or not self._wrong_lines(step, template)]
            kept = [mine[s] for s in self.book.steps if s in mine and any(step.setting == s for step in steps)]
            if not kept:
                continue
            ends = {key: render_lines(source, **self._using(source)) for key, source in
                    (("head", template.head), ("foot", template.foot)) if source}  # fmt: skip
            head, foot = ([("", line.words) for line in ends.get(key, ())] for key in ("head", "foot"))
            rows = (*head, *((step.setting, line) for step in kept for line in step.section), *foot)
            file = files[name] = ScriptFile(template, rows)
            put = self._put(template, file)
            steps = [replace(step, how=put.how, what=put.what) if step in kept else step for step in steps]
            steps.insert(max(i for i, step in enumerate(steps) if step.file == name) + 1, put)
        return steps, files

    def _wrong_lines(self, step: Step, template: FileTemplate) -> bool:
        wrong = next((masked(w) for w in step.section if template.line and not template.line.search(masked(w))), None)
        if wrong is None:
            return False
        why = f"{wrong!r} is not a line that {template.named} can hold"
        self.not_sent.append(NotSent(step.setting, step.value, why))
        return True

    def _put(self, template: FileTemplate, file: ScriptFile) -> Step:
        """The step that brings a file to the device; what is read of it there must be what was generated."""
        return Step(
            template.fact,
            template.title,
            Stop.ROLE,
            f"{len(file.rows)} lines",
            template.put.how,
            _with_file(template.put, file.lines, template.named, self.device.name),
            shows=Shows(template.fact, file.telling),
            file=template.name,
            section=file.lines,
        )

    def _on_pages(self, what: PageTemplates, value: object) -> list[StepLine]:
        """What is done on pages; forms that can be filled together are submitted once."""
        lines: list[StepLine] = []
        for one in value if what.each and isinstance(value, Iterable) else (value,):
            for turn in what.turns:
                for deed in _done(turn, partial(self._using, value=one)):
                    both = lines[-1].deed.joined(deed) if lines and not lines[-1].to and not turn.to else None
                    if both is not None:
                        lines.pop()
                    lines.append(StepLine(both or deed, turn.to))
        return lines

    def _undo(self, template: StepTemplate, value: object) -> str:
        """How it is taken back, as a person may see it; what only this uses of a value is not sent."""
        names = self._using(template.undo, value=value, before="(as before)")
        return render_text(template.undo, **names) if template.undo else ""

    def _shows(self, template: StepTemplate, using: Any, items: tuple[object, ...]) -> Shows | None:
        reads = template.reads
        if reads is None:
            return None
        texts = [render_text(reads.shows, **{**using(reads.shows), "value": item}) for item in items]
        return Shows(
            reads.fact,
            tuple(line.strip() for text in texts for line in text.split("\n") if line.strip()),
            reads.holds,
            self.clock if reads.holds is Holds.NOW else None,
        )

    @staticmethod
    def _shows_too(template: StepTemplate, using: Any, value: object) -> Iterator[Shows]:
        for reads in template.reads_too:
            text = render_text(reads.shows, **{**using(reads.shows), "value": value})
            if lines := tuple(line.strip() for line in text.split("\n") if line.strip()):
                yield Shows(reads.fact, lines, reads.holds)

    def _using(self, source: str, **own: object) -> dict[str, object]:
        """The names that a template uses, with what they mean for this device."""
        names = {
            **own,
            "plan": self.plan,
            "device": self.device.name,
            "factory_account": factory_renewal(self.device, self.book.factory.user),
            "now": self.clock,
        }
        return {name: names[name] for name in names_used(source) if name in names}

    def _fits(self, deed: TypeLine) -> TypeLine:
        """Raises WordsError for a line that the family would not take."""
        length = len(masked(deed.words))
        if length > self.book.terminal.longest_line:
            raise WordsError(
                f"it makes a line of {length} characters; {self.book.title} takes {self.book.terminal.longest_line}"
            )
        return deed

    def _takes(self, replies: Replies) -> None:
        """Raises WordsError for an answer that its question would not take."""
        for name, turns in replies.items():
            place = self.book.places[name]
            for deed in turns:
                if not isinstance(deed, TypeLine) or place.takes is None or has_secret(deed.words):
                    continue
                if not place.takes.fullmatch(deed.shown):
                    raise WordsError(f"{deed.shown!r} is not an answer that {place.words} takes")

    def interview(self, interview: Interview, steps: list[Step]) -> ScriptInterview:
        """Every question with its answer: what is planned, and for the rest what the book says."""
        otherwise = {place: _replied(reply, self._using) for place, reply in interview.otherwise.items()}
        answers, answered_by = dict(otherwise), dict[str, frozenset[str]]()
        own = [step for step in steps if step.interview == interview.name]
        for step in own:
            for place, turns in step.what.replies.items():
                answers[place] = _laid_over(answers.get(place, ()), turns)
                answered_by[place] = answered_by.get(place, frozenset()) | {step.setting}
        return ScriptInterview(interview, answers, tuple(step.setting for step in own), answered_by, otherwise)


def bringing_back(template: StepTemplate, device: str, named: str, lines: Sequence[str]) -> Step:
    """The step that brings back a configuration that was kept."""
    what = _with_file(template, tuple((line,) for line in lines), named, device)
    return Step("restore", template.title or "bring back what was kept", Stop.SIGN_IN, named, template.how, what)


def _with_file(template: StepTemplate, lines: tuple[Words, ...], named: str, device: str) -> Lines:
    """What brings a file to a device, under a name."""
    names = {"file": FileText(lines), "device": device}
    what = template.what
    assert isinstance(what, PageTemplates), "the compiler saw to that"

    def called(deed: Deed) -> Deed:
        return replace(deed, file_named=named) if isinstance(deed, Submit) else deed

    done = tuple(StepLine(called(turn.act.fill(names, {})), turn.to) for turn in what.turns)
    return Lines(done, {place: _replied(reply, lambda source: names) for place, reply in what.replies.items()})


def whole(template: StepTemplate, *, secret: bool) -> tuple[tuple[Part, ...], tuple[Part, ...]]:
    """A value without parts as a part of itself: where nothing that is sent uses it, and where nothing shown tells it.

    A secret is not expected to be shown.
    """
    sent = template.what.sources
    compared = template.reads is not None and template.reads.holds is not Holds.NOW  # a clock shows the time, no value
    shown = [template.reads.shows] if template.reads and compared and not secret else None
    return _unused(sent), _unused(shown) if shown is not None else ()


def _unused(sources: Iterable[str]) -> tuple[Part, ...]:
    return () if any({WHOLE, "now"} & names_used(source) for source in sources) else (Part("", WHOLE),)


def _secrets(value: object) -> Iterator[Part]:
    """The passwords and keys among the parts of a value, or the value itself."""
    if isinstance(value, SecretRef):
        yield Part("", "password", True)
    yield from (part for part in Parts(value).untouched() if part.secret)


def _laid_over(before: tuple[Deed, ...], turns: tuple[Deed, ...]) -> tuple[Deed, ...]:
    """A setting's turns at a question in the place of those before; on a page, what other settings fill stays.

    Turns of one button are one, so that what several settings fill in is submitted together; rows that one setting adds
    stay turns of their own, before that which leads on.
    """
    old = [deed for deed in before if isinstance(deed, Submit)]
    new = [deed for deed in turns if isinstance(deed, Submit)]
    if len(old) != len(before) or len(new) != len(turns):
        return turns
    kept: list[Deed] = list(old)
    free = list(old)
    for turn in new:
        same = next((deed for deed in free if deed.button == turn.button or not deed.button or not turn.button), None)
        if same is not None:
            free.remove(same)
            kept[kept.index(same)] = turn.over(same)
        else:
            leads_on = next((i for i, deed in enumerate(kept) if deed in free), len(kept))
            kept.insert(leads_on, turn)
    return tuple(kept)


def _replied(reply: ReplyTemplate, using: Callable[[str], Mapping[str, object]]) -> tuple[Deed, ...]:
    """What answers a question: what is typed, or what is done on a page; `using` gives the names of a template."""
    if isinstance(reply, str):
        return _turns(reply, using(reply))
    return tuple(deed for turn in reply.turns for deed in _done(turn, using))


def _done(turn: PageTurn, using: Callable[[str], Mapping[str, object]]) -> Iterator[Deed]:
    """What one turn on a page comes to, once for every entry of the value if it is so."""
    names = {name: value for source in turn.act.sources for name, value in using(source).items()}
    value = names.get("value")
    if not turn.each or not isinstance(value, Iterable) or isinstance(value, str):
        yield turn.act.fill(names, {})
        return
    yield from (turn.act.fill({**names, "value": one}, {}) for one in value)


def _turns(reply: str, names: Mapping[str, object]) -> tuple[TypeLine, ...]:
    """What to answer, the first time and every time after; nothing is Enter alone."""
    return tuple(TypeLine(line.words) for line in render_lines(reply, **names)) or (TypeLine(()),)


def compare(one: Script, other: Script) -> Iterator[tuple[Step | None, Step | None]]:
    """The pairs of steps, by setting, in which two devices' scripts differ."""
    left = {step.setting: step for step in one.steps}
    right = {step.setting: step for step in other.steps}
    for name in {**left, **right}:
        a, b = left.get(name), right.get(name)
        if (a and _as_shown(a)) != (b and _as_shown(b)):
            yield a, b


def _as_shown(step: Step) -> tuple[object, ...]:
    """What a person sees of a step: two that differ only in a password that neither shows are alike."""
    replies = {place: [deed.shown for deed in turns] for place, turns in step.what.replies.items()}
    return step.every_line, replies, step.section
