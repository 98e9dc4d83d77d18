"""What a careful reader would say of a phrasebook that can be loaded: dead ends, doubles, and what nothing sends.

Loading finds what is broken; this finds what would only show on a device. All of it is told at once.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from zinger.phrasebook.book import Interview, Phrasebook, is_pattern
from zinger.phrasebook.doubts import doubts
from zinger.phrasebook.map import Kind
from zinger.phrasebook.patterns import runs_away, sample
from zinger.phrasebook.steps import Effect, StepTemplate
from zinger.phrasebook.terminal import HALF_TYPED, Sign
from zinger.plan.problems import Problem, Spot, error_at, warning_at
from zinger.plan.settings import SECTIONS, SETTINGS

_QUICKEST = 20.0


def examine(book: Phrasebook, file: str) -> list[Problem]:
    """Everything worth telling about a phrasebook, errors first."""
    found = [
        problem if part is book else replace(problem, spot=_in_then(problem.spot))
        for part in book.parts
        for problem in _of_part(part, file)
    ]
    return sorted([*found, *_not_sent(book, file)], key=lambda p: p.severity.value)


def _in_then(spot: Spot) -> Spot:
    return replace(spot, key=f"then.{spot.key}")


def _of_part(book: Phrasebook, file: str) -> Iterator[Problem]:
    yield from (
        *_runaways(book, file),
        *_doubles(book, file),
        *_dead_ends(book, file),
        *_islands(book, file),
        *_circles(book, file),
        *_scripts(book, file),
        *_unsafe(book, file),
        *_not_read(book, file),
        *doubts(book, file),
    )


def _patterns(book: Phrasebook) -> Iterator[tuple[str, str]]:
    """Every pattern of the book, with its path."""
    terminal = book.terminal
    found: list[tuple[str, re.Pattern[str] | None]] = [("noise", terminal.noise), ("boot", terminal.boot)]
    for name, sign in terminal.signs.items():
        found += [
            (f"places.{name}", sign.pattern),
            (f"places.{name}.screen", sign.screen),
            (f"places.{name}.choices", sign.choices),
        ]
    for name, page in (book.pages.signs if book.pages else {}).items():
        shown = {"at": page.at, "title": page.title, "heading": page.heading, "text": page.text, **page.json}
        found += [(f"places.{name}.page.{what}", pattern) for what, pattern in shown.items()]
    for name, reading in book.readings.items():
        found.append((f"readings.{name}.goes_on", reading.goes_on))
        for fact, take in reading.take.items():
            path = f"readings.{name}.take.{fact}"
            found += [(path, take.pattern), (f"{path}.under", take.under)]
            if take.source == "field" and is_pattern(take.called):
                found.append((f"{path}.field", re.compile(take.called)))
    found += [(f"refusals.{n}", pattern) for n, pattern in enumerate(terminal.refusals)]
    found += [(f"warnings.{n}", pattern) for n, pattern in enumerate(terminal.warnings)]
    found += [(f"identity_lines.{what}", pattern) for what, pattern in terminal.identity_lines.items()]
    for path, step in book.every_step():
        found += [(f"{path}.expect", step.how.expect), (f"{path}.progress", step.how.progress)]
    return ((path, pattern.pattern.removesuffix(HALF_TYPED)) for path, pattern in found if pattern is not None)


def _runaways(book: Phrasebook, file: str) -> Iterator[Problem]:
    for path, pattern in _patterns(book):
        if runs_away(pattern):
            yield error_at(
                "pattern-runs-away",
                Spot(file, None, path),
                f"the pattern {pattern!r} can match one text in too many ways: on a long line that almost matches it "
                "would take seconds, or never end",
                "Separate its repetitions by something that none of them matches, such as \\S+ and blanks",
            )


def _doubles(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Two places that one text matches: the map could not tell where it is."""
    signs = book.terminal.signs
    texts = {
        name: sample(sign.pattern.pattern.removesuffix(HALF_TYPED).removesuffix("$")) for name, sign in signs.items()
    }
    for name, text in texts.items():
        for other, sign in signs.items():
            if other == name or _told_apart_by_screen(signs[name], sign):
                continue
            match = sign.pattern.search(text)
            if match is None or (book.places[other].kind is Kind.PROMPT and match["half_typed"]):
                continue
            if name < other or signs[name].pattern.search(texts[other]) is None:
                yield error_at(
                    "places-alike",
                    Spot(file, None, f"places.{other}"),
                    f"{text!r} is {name}, and {other} matches it too",
                    "Make one of the two patterns say more",
                )


def _told_apart_by_screen(one: Sign, other: Sign) -> bool:
    """Whether what stands on the screen tells two places apart that end alike."""
    if one.screen is None or other.screen is None:
        return one.screen is not other.screen
    return other.screen.search(sample(one.screen.pattern)) is None


def _dead_ends(book: Phrasebook, file: str) -> Iterator[Problem]:
    known = book.map.every_name
    for name, place in book.places.items():
        lonely = not place.passes and name not in (book.home, book.view) and name not in _answered(book)
        goals = (book.home, *(interview.first for interview in book.interviews.values()))
        if lonely and all(book.map.next_move(name, goal, known) is None for goal in goals):
            yield error_at(
                "place-dead-end",
                Spot(file, None, f"places.{name}"),
                f"no moves lead from {name} to {book.home}",
                "Add the move that leaves it",
            )


def _all_steps(book: Phrasebook) -> list[StepTemplate]:
    """Every step, and those that make the device use a password."""
    steps = [step for _, step in book.every_step()]
    return steps + [step.tries for step in steps if step.tries is not None]


def _answered(book: Phrasebook) -> set[str]:
    """Places that only ever stand while a step is being sent or a question script is held, and are answered by it."""
    return {place for step in _all_steps(book) for place in step.what.replies} | set(book.interview_of)


def _islands(book: Phrasebook, file: str) -> Iterator[Problem]:
    steps = _all_steps(book)
    reached = {outcome for move in book.map.moves for outcome in move.outcomes} | _answered(book)
    reached |= {name for name, place in book.places.items() if place.passes}
    reached |= {place for step in steps for place in step.how.through}
    reached |= {end for interview in book.interviews.values() for end in interview.ends}
    start = {name for name in book.places if name not in reached}
    if all(place.asks_for is None for place in book.places.values()):
        start -= {book.home}  # nobody signs in: it stands there from the first
    for name in sorted(start):
        used = any(step.how.at == name for step in steps)
        if used or len(start) > 1:
            yield warning_at(
                "place-unreachable",
                Spot(file, None, f"places.{name}"),
                f"no move leads to {name}",
                "Right only for a place that is met at first contact; else add the move that leads there",
            )


def _scripts(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Question scripts that can't end, and questions that nothing answers."""
    for name, interview in book.interviews.items():
        spot = Spot(file, None, f"interviews.{name}")
        if not interview.ends and interview.effect is not Effect.RESTARTS:
            yield error_at(
                "interview-endless", spot, f"nothing says where {name} ends", "Give ends, or effect: restarts"
            )
        for setting, places in _unanswered(book, interview):
            yield warning_at(
                "question-unanswered",
                spot,
                f"when {setting} is not planned, nothing answers {', '.join(places)}",
                "Give otherwise; an empty answer keeps what stands there",
            )


def _unanswered(book: Phrasebook, interview: Interview) -> Iterator[tuple[str, list[str]]]:
    for setting, step in book.steps.items():
        lacking = [q for q in list(step.what.replies)[:1] if q not in interview.otherwise]
        if step.interview == interview.name and lacking and not SETTINGS[setting].required:
            yield setting, lacking


def _unsafe(book: Phrasebook, file: str) -> Iterator[Problem]:
    """A change that goes back by itself must go back later than it takes to confirm it."""
    for path, step in book.every_step():
        if step.how.confirm is not None and step.how.confirm.within < _QUICKEST:
            yield error_at(
                "confirm-too-soon",
                Spot(file, None, f"{path}.confirm.within"),
                f"it goes back after {step.how.confirm.within:g} s; a new session can take {_QUICKEST:g} s",
                "Give the device more time",
            )


def _circles(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Two places whose only moves lead to each other; home and its one context do so where nobody signs in."""
    for name in sorted(book.places.keys() - {book.home}):
        onward = {outcome for move in book.map.moves_from(name) for outcome in move.outcomes}
        for other in sorted(onward):
            back = {outcome for move in book.map.moves_from(other) for outcome in move.outcomes}
            if name < other and other != book.home and onward == {other} and back == {name}:
                yield error_at(
                    "places-circle",
                    Spot(file, None, f"places.{name}"),
                    f"{name} and {other} lead only to each other",
                    "Add the move that leaves one of them",
                )


def _not_read(book: Phrasebook, file: str) -> Iterator[Problem]:
    for name, step in book.steps.items():
        if step.reads is None:
            yield warning_at(
                "setting-not-read",
                Spot(file, None, f"settings.{name}"),
                f"{SETTINGS[name].title} is sent, but nothing reads it back, so it can't be proved",
                "Take it from a reading: read: FACT",
            )


def _not_sent(book: Phrasebook, file: str) -> Iterator[Problem]:
    for section, names in SECTIONS.items():
        lacking = [SETTINGS[name].title for name in names if name not in {*book.told, *book.rules.lacks}]
        if book.rules.has(section) and lacking:
            words = ", ".join(lacking[:8]) + (f" and {len(lacking) - 8} more" if len(lacking) > 8 else "")
            yield warning_at(
                "settings-not-sent",
                Spot(file, None, "settings"),
                f"{section}: nothing sends {words}",
                "Add steps for what the family can be told",
            )
