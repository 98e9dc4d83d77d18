"""A family's map laid out for looking at: as an outline, as columns by distance, as a way in with branches. Pure."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import AsksFor, Kind
from zinger.phrasebook.pages import PageAct
from zinger.phrasebook.terminal import SendAct

SIGNS = {Kind.PROMPT: "●", Kind.QUESTION: "?", Kind.MENU: "≡", Kind.PAGER: "…", Kind.NOTICE: "!", Kind.PAGE: "▤"}
"""A sign for each kind of place."""
_LONGEST_WAY = 12


def columns(book: Phrasebook) -> list[list[str]]:
    """The places by their distance from home, counted over moves in either direction; strangers stand last."""
    near: dict[str, set[str]] = {name: set() for name in book.places}
    for move in (m for m in book.map.moves if book.places[m.origin].kind is not Kind.PAGER):
        for outcome in move.outcomes:
            near[move.origin].add(outcome)
            near[outcome].add(move.origin)
    distance = {book.home: 0}
    queue = deque([book.home])
    while queue:
        place = queue.popleft()
        for other in sorted(near[place]):
            if other not in distance:
                distance[other] = distance[place] + 1
                queue.append(other)
    last = max(distance.values(), default=0) + 1
    rows: list[list[str]] = [[] for _ in range(last + 1)]
    for name in book.places:
        rows[distance.get(name, last)].append(name)
    return [row for row in rows if row]


def spine_and_branches(book: Phrasebook) -> tuple[list[str], list[list[str]]]:
    """The way from the first sign-in to the home place, and the chains of contexts that leave it."""
    start = book.map.asking(AsksFor.USER) or (book.map.asking(AsksFor.PASSWORD) if book.pages else None) or book.view
    spine, at = [start], start
    while at != book.home and len(spine) < _LONGEST_WAY:
        move = book.map.next_move(at, book.home, book.map.every_name)
        new = [o for o in move.outcomes if o not in spine] if move else []
        if not new:
            break
        at = min(new, key=lambda o: (o != book.home, o == book.view))
        spine.append(at)

    def contexts(of: str) -> list[str]:
        moves = [move for move in book.map.moves_from(of) if isinstance(move.act, (SendAct, PageAct))]
        outcomes = [o for move in moves for o in move.outcomes if o not in spine and o != of]
        return [o for o in outcomes if book.places[o].kind in (Kind.PROMPT, Kind.PAGE)]

    if book.pages is not None:  # from each page a row of links leads to all others
        return ["booting", *spine], [[page] for page in contexts(book.home)]
    branches = [[context, *(c for c in contexts(context) if c != book.home)] for context in contexts(book.home)]
    return ["booting", *spine], branches


def outline(book: Phrasebook) -> Iterator[str]:
    """Each place once, below the nearest from which it is reached; then those that only steps lead to."""
    sends: dict[str, list[str]] = {place: [] for place in book.places}
    for setting, step in book.steps.items():
        sends[step.how.at].append(setting)
    seen: set[str] = set()

    def below(start: str) -> dict[str, list[tuple[str, str]]]:
        """What is reached first from each place, and how: breadth first, since pages lead from each to all."""
        children: dict[str, list[tuple[str, str]]] = {}
        queue = deque([start])
        seen.add(start)
        while queue:
            place = queue.popleft()
            for move in book.map.moves_from(place):
                for outcome in (o for o in move.outcomes if o not in seen):
                    seen.add(outcome)
                    children.setdefault(place, []).append((outcome, move.act.shown))
                    queue.append(outcome)
        return children

    def walk(place: str, depth: int, by: str, children: dict[str, list[tuple[str, str]]]) -> Iterator[str]:
        settings = f"   sends {', '.join(sends[place])}" if sends[place] else ""
        yield f"{'   ' * depth}{SIGNS[book.places[place].kind]} {place}{'  <- ' + by if by else ''}{settings}"
        for child, how in children.get(place, ()):
            yield from walk(child, depth + 1, how, children)

    answered = {
        place: path.removeprefix("settings.")
        for path, step in book.every_step()
        for place in (*step.what.replies, *step.how.through)
    }
    reached = {outcome for move in book.map.moves for outcome in move.outcomes}
    for start in [book.home, *(name for name in book.places if name not in reached), *book.places]:
        if start not in seen:
            by = f"answered while sending {answered[start]}" if start in answered else ""
            yield from walk(start, 0, by, below(start))
