"""What a careful reader would say of a phrasebook that can be loaded: dead ends, doubles, and what nothing says.

Loading finds what is broken; this finds what would only show on a device. All of it is told at once.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from zinger.phrasebook.model import Effect, Interview, Kind, Phrasebook, Place
from zinger.phrasebook.patterns import runs_away, sample
from zinger.plan.problems import Problem, Spot, error_at, warning_at
from zinger.plan.settings import SECTIONS, SETTINGS

_QUICKEST = 20.0
_TAIL = "(?P<half_typed>.*)$"


def examine(book: Phrasebook, file: str) -> list[Problem]:
    """Everything worth telling about a phrasebook, what must be mended first."""
    found = [
        *_runaways(book, file),
        *_doubles(book, file),
        *_dead_ends(book, file),
        *_islands(book, file),
        *_circles(book, file),
        *_scripts(book, file),
        *_unsafe(book, file),
        *_unread(book, file),
        *_unsaid(book, file),
    ]
    return sorted(found, key=lambda p: p.severity.value)


def _patterns(book: Phrasebook) -> Iterator[tuple[str, str]]:
    """Every pattern of the book, with its path."""
    found: list[tuple[str, re.Pattern[str] | None]] = [("noise", book.noise), ("boot", book.boot)]
    for name, place in book.places.items():
        found += [
            (f"places.{name}", place.pattern),
            (f"places.{name}.screen", place.screen),
            (f"places.{name}.choices", place.choices),
        ]
    for name, reading in book.readings.items():
        for fact, take in reading.take.items():
            path = f"readings.{name}.take.{fact}"
            found += [(path, take.pattern), (f"{path}.under", take.under)]
    found += [(f"refusals.{n}", pattern) for n, pattern in enumerate(book.refusals)]
    found += [(f"warnings.{n}", pattern) for n, pattern in enumerate(book.warnings)]
    found += [(f"marks.{what}", pattern) for what, pattern in book.marks.items()]
    for path, phrase in book.every_phrase():
        found += [(f"{path}.expect", phrase.expect), (f"{path}.progress", phrase.progress)]
    return ((path, pattern.pattern.removesuffix(_TAIL)) for path, pattern in found if pattern is not None)


def _runaways(book: Phrasebook, file: str) -> Iterator[Problem]:
    for path, pattern in _patterns(book):
        if runs_away(pattern):
            yield error_at(
                "pattern-runs-away",
                Spot(file, None, path),
                f"the pattern {pattern!r} repeats a repetition; on a line that almost matches it would not end",
                "Say what must stand between the repetitions",
            )


def _doubles(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Two places that one text matches: the map could not tell where it is."""
    texts = {
        name: sample(place.pattern.pattern.removesuffix(_TAIL).removesuffix("$")) for name, place in book.places.items()
    }
    for name, text in texts.items():
        for other, place in book.places.items():
            if other == name or _told_apart_by_screen(book.places[name], place):
                continue
            match = place.pattern.search(text)
            if match is None or (place.kind is Kind.PROMPT and match["half_typed"]):
                continue
            if name < other or book.places[name].pattern.search(texts[other]) is None:
                yield error_at(
                    "places-alike",
                    Spot(file, None, f"places.{other}"),
                    f"{text!r} is {name}, and {other} matches it too",
                    "Make one of the two patterns say more",
                )


def _told_apart_by_screen(one: Place, other: Place) -> bool:
    """Whether what stands on the screen tells two places apart that end alike."""
    if one.screen is None or other.screen is None:
        return one.screen is not other.screen
    return other.screen.search(sample(one.screen.pattern)) is None


def _names(book: Phrasebook) -> frozenset[str]:
    return frozenset(name for move in book.moves for name in move.uses)


def _dead_ends(book: Phrasebook, file: str) -> Iterator[Problem]:
    known = _names(book)
    for name, place in book.places.items():
        lonely = not place.passes and name != book.home and name not in _answered(book)
        if lonely and book.next_move(name, book.home, known) is None:
            yield error_at(
                "place-dead-end",
                Spot(file, None, f"places.{name}"),
                f"no moves lead from {name} to {book.home}",
                "Add the move that leaves it",
            )


def _answered(book: Phrasebook) -> set[str]:
    """Places that only ever stand while a phrase is being said or a question script is held, and are answered by it."""
    phrases = [phrase for _, phrase in book.every_phrase()]
    return {place for phrase in phrases for place in phrase.replies} | set(book.interview_of)


def _islands(book: Phrasebook, file: str) -> Iterator[Problem]:
    phrases = [phrase for _, phrase in book.every_phrase()]
    reached = {outcome for move in book.moves for outcome in move.outcomes} | _answered(book)
    reached |= {name for name, place in book.places.items() if place.passes}
    reached |= {place for phrase in phrases for place in phrase.through}
    reached |= {end for interview in book.interviews.values() for end in interview.ends}
    start = {name for name in book.places if name not in reached}
    for name in sorted(start):
        used = any(phrase.at == name for phrase in phrases)
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
        for setting, phrase in _unanswered(book, interview):
            yield warning_at(
                "question-unanswered",
                spot,
                f"when {setting} is not planned, nothing answers {', '.join(phrase)}",
                "Give otherwise; an empty answer keeps what stands there",
            )


def _unanswered(book: Phrasebook, interview: Interview) -> Iterator[tuple[str, list[str]]]:
    for setting, phrase in book.phrases.items():
        lacking = [q for q in list(phrase.replies)[:1] if q not in interview.otherwise]
        if phrase.interview == interview.name and lacking and not SETTINGS[setting].required:
            yield setting, lacking


def _unsafe(book: Phrasebook, file: str) -> Iterator[Problem]:
    """A change that goes back by itself must go back later than it takes to confirm it."""
    for path, phrase in book.every_phrase():
        if phrase.confirm is not None and phrase.confirm.within < _QUICKEST:
            yield error_at(
                "confirm-too-soon",
                Spot(file, None, f"{path}.confirm.within"),
                f"it goes back after {phrase.confirm.within:g} s; a new session can take {_QUICKEST:g} s",
                "Give the device more time",
            )


def _circles(book: Phrasebook, file: str) -> Iterator[Problem]:
    """Two places whose only moves lead to each other."""
    for name in book.places:
        onward = {outcome for move in book.moves_from(name) for outcome in move.outcomes}
        for other in sorted(onward):
            back = {outcome for move in book.moves_from(other) for outcome in move.outcomes}
            if name < other and onward == {other} and back == {name}:
                yield error_at(
                    "places-circle",
                    Spot(file, None, f"places.{name}"),
                    f"{name} and {other} lead only to each other",
                    "Add the move that leaves one of them",
                )


def _unread(book: Phrasebook, file: str) -> Iterator[Problem]:
    for name, phrase in book.phrases.items():
        if phrase.fact is None:
            yield warning_at(
                "phrase-unread",
                Spot(file, None, f"settings.{name}"),
                f"{SETTINGS[name].title} is said, but nothing reads it back, so it can't be proved",
                "Take it from a reading: read: FACT",
            )


def _unsaid(book: Phrasebook, file: str) -> Iterator[Problem]:
    for section, names in SECTIONS.items():
        lacking = [SETTINGS[name].title for name in names if name not in book.phrases]
        if book.rules.has(section) and lacking:
            words = ", ".join(lacking[:8]) + (f" and {len(lacking) - 8} more" if len(lacking) > 8 else "")
            yield warning_at(
                "settings-unsaid",
                Spot(file, None, "settings"),
                f"{section}: nothing says {words}",
                "Add phrases for what the family can be told",
            )
