"""What a family's phrasebook can send and show of each setting, part by part, before any plan is there.

Every step is filled with an example that has as many parts as its model allows; what the templates leave untouched is
told by `family check` and listed in `docs/families.md`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from types import NoneType
from typing import Any, get_args

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.steps import LineTemplates
from zinger.plan.files.jobfile import read_job
from zinger.plan.files.sheets import read_sheet
from zinger.plan.model import Device, Layer, Origin, Value
from zinger.plan.problems import Problem, Spot, warning_at
from zinger.plan.resolve import resolve
from zinger.plan.setting import Setting
from zinger.plan.settings import SECTION_OF, SETTINGS
from zinger.plan.values.item import Item, Items, kind_of
from zinger.plan.values.secrets import SecretRef, parse_secret
from zinger.script.compile import Filler, Step, whole
from zinger.script.parts import Part, planned

_JOB = "job: example\nsites: {here: {subnet: 192.0.2.0/24}}\n"
_SAMPLES: dict[type, object] = {SecretRef: SecretRef("sample"), bool: True, int: 7, str: "sample"}


@dataclass(frozen=True)
class Coverage:
    """One setting of one family: whether devices of its kind have it, and what of it is not sent or not shown."""

    setting: str
    for_this_kind: bool = True
    told: bool = True
    shown: bool = True
    unsent: tuple[str, ...] = field(default=())
    unshown: tuple[str, ...] = field(default=())
    untried: tuple[str, ...] = field(default=())
    looked_at: bool = False
    """Whether nothing is sent: the device is as planned, or it differs."""
    unfilled: str = ""
    """Why no example of it could be filled, so that its parts are not known."""

    @property
    def words(self) -> str:
        """The cell of the table."""
        if not self.for_this_kind:
            return "not for this kind"
        if not self.told:
            return "owed: no step"
        if not self.shown:
            return "sent; owed: nothing shows it"
        if self.unfilled:
            return f"not examined: {self.unfilled}"
        if self.looked_at:
            return "only looked at"
        lacking = [f"not sent: {part}" for part in self.unsent]
        lacking += [f"not shown: {part}" for part in self.unshown if part not in self.unsent]
        lacking += [f"not tried: {part}" for part in self.untried]
        return f"sent, shown; owed where planned: {', '.join(lacking)}" if lacking else "sent, shown"


def coverage(book: Phrasebook) -> list[Coverage]:
    """Every setting, in the order of the table."""
    device = _device(book)
    return [_of(book, device, setting) for setting in SETTINGS.values()]


def uncovered(book: Phrasebook, file: str) -> Iterator[Problem]:
    """What `family check` says of parts that are sent and not shown, or neither."""
    for found in coverage(book):
        spot = Spot(file, None, f"settings.{found.setting}")
        title = SETTINGS[found.setting].title
        if found.unfilled:
            yield warning_at("part-not-examined", spot, f"{title}: {found.unfilled}", "Look at its templates")
        if found.unsent:
            what = f"{title}: what is sent does not use {', '.join(found.unsent)}"
            yield warning_at("part-not-sent", spot, what, "Use it, or refuse it with in_words or same")
        if found.unshown:
            what = f"{title}: what is shown does not tell {', '.join(found.unshown)}"
            yield warning_at("part-not-shown", spot, what, "Add it to shows, or read another fact with shows_too")
        if found.untried:
            what = f"{title}: nothing uses the {', '.join(found.untried)}, so it can't be proved"
            yield warning_at("password-not-tried", spot, what, "Give tries: a step that makes the device use it")


def _of(book: Phrasebook, device: Device, setting: Setting[Any]) -> Coverage:
    name = setting.name
    if name in book.rules.lacks or not book.rules.has(SECTION_OF[name]):
        return Coverage(name, for_this_kind=False)
    book = next((part for part in book.parts if name in part.steps), book)
    template = book.steps.get(name)
    if template is None:
        return Coverage(name, told=False)
    if template.reads is None:
        return Coverage(name, shown=False)
    if isinstance(template.what, LineTemplates) and not template.what.send:
        return Coverage(name, looked_at=True)
    kind = kind_of(setting.parse)
    if kind is None:
        proved = setting.parse is not parse_secret or template.tries is not None
        unsent, unshown = (tuple(map(str, parts)) for parts in whole(template, secret=setting.parse is parse_secret))
        return Coverage(name, unsent=unsent, unshown=unshown, untried=() if proved else ("password",))
    steps, why = _steps(book, device, setting, kind)
    if not steps:
        return Coverage(name, unfilled=why)
    untried = () if name.startswith("accounts.") else _lacking(steps, _untried)
    unsent, unshown = _lacking(steps, lambda step: step.unsent), _lacking(steps, lambda step: step.unshown)
    return Coverage(name, unsent=unsent, unshown=unshown, untried=untried)


def _untried(step: Step) -> Iterator[Part]:
    tried = {trial.part for trial in step.trials}
    return (part for part in step.secrets if part not in tried)


def _lacking(steps: list[tuple[Item, Step]], of: Callable[[Step], Iterable[Part]]) -> tuple[str, ...]:
    """The parts that lack in every example that has them: one that a single example uses is not lacking."""
    has = [
        (set(planned(example)), {part.name: str(Part("", part.name, part.secret)) for part in of(step)})
        for example, step in steps
    ]
    names = {name: words for _, lacking in has for name, words in lacking.items()}
    return tuple(w for name, w in names.items() if all(name in lacking for there, lacking in has if name in there))


def _steps(
    book: Phrasebook, device: Device, setting: Setting[Any], kind: type[Item]
) -> tuple[list[tuple[Item, Step]], str]:
    """The step filled with each example that the family takes; and why it took none, if so."""
    steps, why = [], ""
    for example in _examples(kind):
        value: object = (example,) if isinstance(setting.parse, Items) else example
        filler = Filler(device, book, {})
        step = filler.setting(Value(setting, value, Origin(Layer.SHEET, "an example", Spot("example"))))
        if step is not None:
            steps.append((example, step))
        else:
            why = filler.not_sent[0].why
    return steps, why


def _examples(kind: type[Item]) -> Iterator[Item]:
    """One with all parts, the same with each other word of a choice and without each yes, and the model's own."""
    whole = _full(kind)
    yield whole
    for name in kind.model_fields:
        yield from (
            whole.model_copy(update={name: word}) for word in kind.words_of(name) if word != getattr(whole, name)
        )
        if getattr(whole, name) is True:
            yield whole.model_copy(update={name: False})
    yield kind.read(kind.example)


def _full(kind: type[Item]) -> Item:
    """The model's own example, with a sample for each part that it leaves out."""
    example = kind.read(kind.example)
    samples = {}
    for name, described in kind.model_fields.items():
        if getattr(example, name) != described.default or described.is_required():
            continue
        sample = next(
            (word for word in kind.words_of(name) if word != described.default), _sample(described.annotation)
        )
        if sample is not None:
            samples[name] = sample
    return example.model_copy(update=samples)


def _sample(annotation: Any) -> object:
    """A value of this type, or of the one beside None; None for a type that has no sample."""
    if annotation == tuple[int, ...]:
        return (7,)
    types = [annotation, *get_args(annotation)] if NoneType in get_args(annotation) else [annotation]
    plain = (getattr(of, "__origin__", of) for of in types)  # without what Annotated adds
    return next((_SAMPLES[of] for of in plain if of in _SAMPLES), None)


def _device(book: Phrasebook) -> Device:
    sheet = f"hostname,site,family,address\nexample,here,{book.family},192.0.2.7\n".encode()
    return resolve(read_job(_JOB), read_sheet(sheet)[0], {book.family: book.rules}).devices[0]


_HEAD = """\
# What each family can be told

Written by `make docs` (`zinger family words --table`) from the phrasebooks; do not edit it by hand. *sent, shown*:
every part of the value is sent and read back. *owed*: a device with such a plan ends as *configured*, and says so.
*only looked at*: nothing is sent, the device is as planned or it differs. *not for this kind*: devices of this kind
do not have it.

"""


def in_markdown(books: Mapping[str, Phrasebook]) -> str:
    """The table, setting by family."""
    every = {book.title: {row.setting: row.words for row in coverage(book)} for book in books.values()}
    lines = [f"| setting | {' | '.join(every)} |", f"|---|{'---|' * len(every)}"]
    for name in SETTINGS:
        lines.append(f"| `{name}` | {' | '.join(rows[name] for rows in every.values())} |")
    return _HEAD + "\n".join(lines) + "\n"
