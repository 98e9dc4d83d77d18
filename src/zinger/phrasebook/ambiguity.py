"""Whether a pattern can be matched in exponentially many ways: then it can take for ever on a line that almost matches.

The pattern's characters are the states of an automaton (Glushkov's), `follow` says which can come after which. It is
exponentially ambiguous when from some state one text leads back to it on two ways: the pair of one state with itself
and a pair of two different ones then lie on one circle of the automaton paired with itself (Weber and Seidl, "On the
degree of ambiguity of finite automata", 1991). Timing it on samples was rejected: one that shows it must be found.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from re import _constants as c  # type: ignore[attr-defined]
from typing import Any, NamedTuple

REPEATS = (c.MAX_REPEAT, c.MIN_REPEAT, c.POSSESSIVE_REPEAT)

_ALWAYS = "aZ7_ \t-.:,/é\x00"
_MOST_COPIES = 3
"""A bounded repetition is looked at with so many copies of its body at most."""
_MOST_STATES = 400
_LONG = 20
"""A bounded repetition of more than so many counts as endless."""

_CATEGORY: dict[Any, Callable[[str], bool]] = {
    c.CATEGORY_DIGIT: str.isdigit,
    c.CATEGORY_WORD: lambda ch: ch.isalnum() or ch == "_",
    c.CATEGORY_SPACE: str.isspace,
    c.CATEGORY_NOT_DIGIT: lambda ch: not ch.isdigit(),
    c.CATEGORY_NOT_WORD: lambda ch: not (ch.isalnum() or ch == "_"),
    c.CATEGORY_NOT_SPACE: lambda ch: not ch.isspace(),
}


@dataclass
class _Part:
    """A part of the pattern: the states in which it can begin and end, and whether it can be nothing."""

    first: frozenset[int] = frozenset()
    last: frozenset[int] = frozenset()
    empty: bool = True


@dataclass
class _Automaton:
    """The states' characters, of the alphabet that tells them apart, and what can follow each."""

    alphabet: str
    takes: list[frozenset[str]] = field(default_factory=list)
    follow: list[set[int]] = field(default_factory=list)

    def state(self, takes: frozenset[str]) -> _Part:
        self.takes.append(takes)
        self.follow.append(set())
        here = frozenset({len(self.takes) - 1})
        return _Part(here, here, False)

    def joined(self, left: _Part, right: _Part) -> _Part:
        for state in left.last:
            self.follow[state] |= right.first
        return _Part(
            left.first | right.first if left.empty else left.first,
            left.last | right.last if right.empty else right.last,
            left.empty and right.empty,
        )

    def sequence(self, tree: Any) -> _Part:
        whole = _Part()
        for node in tree:
            whole = self.joined(whole, self.part(*node))
        return whole

    def part(self, op: Any, what: Any) -> _Part:
        if op is c.LITERAL:
            return self.state(frozenset(chr(what)))
        if op is c.NOT_LITERAL:
            return self.state(frozenset(self.alphabet) - {chr(what)})
        if op is c.ANY:
            return self.state(frozenset(self.alphabet))
        if op is c.IN:
            return self.state(frozenset(ch for ch in self.alphabet if _is_in(ch, what)))
        if op is c.SUBPATTERN:
            return self.sequence(what[3])
        if op is c.BRANCH:
            ways = [self.sequence(way) for way in what[1]]
            firsts, lasts = (frozenset().union(*(getattr(w, end) for w in ways)) for end in ("first", "last"))
            return _Part(firsts, lasts, any(w.empty for w in ways))
        return self.repeated(*what) if op in REPEATS else _Part()

    def repeated(self, low: int, high: Any, body: Any) -> _Part:
        endless = high is c.MAXREPEAT
        whole = _Part()
        for number in range(min(max(low, 1), _MOST_COPIES) if endless else min(int(high), _MOST_COPIES)):
            copy = self.sequence(body)
            whole = self.joined(whole, copy if number < low else _Part(copy.first, copy.last, True))
        if endless:
            for state in whole.last:
                self.follow[state] |= whole.first
        return whole if low else _Part(whole.first, whole.last, True)


def _is_in(char: str, choices: list[tuple[Any, Any]]) -> bool:
    negated = choices[0][0] is c.NEGATE
    found = any(
        (op is c.LITERAL and what == ord(char))
        or (op is c.RANGE and what[0] <= ord(char) <= what[1])
        or (op is c.CATEGORY and _CATEGORY[what](char))
        for op, what in choices
    )
    return found is not negated


def _letters(tree: Any) -> Iterator[str]:
    """Characters that the pattern names, and those beside its ranges."""
    for op, what in tree:
        if op in (c.LITERAL, c.NOT_LITERAL):
            yield chr(what)
        elif op is c.RANGE:
            yield from (chr(code) for code in (what[0] - 1, what[0], what[1], what[1] + 1) if 0 <= code < 0x110000)
        elif op is c.IN:
            yield from _letters(what)
        elif op is c.SUBPATTERN:
            yield from _letters(what[3])
        elif op is c.BRANCH:
            for way in what[1]:
                yield from _letters(way)
        elif op in REPEATS:
            yield from _letters(what[2])


def is_exponential(tree: Any) -> bool:
    """Whether the parsed pattern is exponentially ambiguous; one too large to tell counts as such."""
    automaton = _Automaton("".join(dict.fromkeys([*_letters(tree), *_ALWAYS])))
    automaton.sequence(tree)
    size = len(automaton.takes)
    if size > _MOST_STATES:
        return True
    pairs = {(p, q): _after(automaton, p, q) for p, q in _reached(automaton, size)}
    back: dict[tuple[int, int], set[tuple[int, int]]] = {}
    for pair, nexts in pairs.items():
        for after in nexts:
            back.setdefault(after, set()).add(pair)
    apart = {pair for pair in pairs if pair[0] != pair[1]}
    for state in range(size):
        start = (state, state)
        ahead = _closure(start, pairs) & apart
        if ahead and ahead & _closure(start, back):
            return True
    return False


def _reached(automaton: _Automaton, size: int) -> set[tuple[int, int]]:
    seen = {(state, state) for state in range(size)}
    todo = list(seen)
    while todo:
        for after in _after(automaton, *todo.pop()):
            if after not in seen:
                seen.add(after)
                todo.append(after)
    return seen


def _after(automaton: _Automaton, p: int, q: int) -> set[tuple[int, int]]:
    """The pairs to which one character leads from a pair."""
    takes = automaton.takes
    return {(a, b) for a in automaton.follow[p] for b in automaton.follow[q] if takes[a] & takes[b]}


def _closure(start: tuple[int, int], edges: dict[tuple[int, int], set[tuple[int, int]]]) -> set[tuple[int, int]]:
    seen: set[tuple[int, int]] = set()
    todo = [start]
    while todo:
        for after in edges.get(todo.pop(), ()):
            if after not in seen:
                seen.add(after)
                todo.append(after)
    return seen


class _Item(NamedTuple):
    """A stretch of a pattern: what it takes, what it can begin with, whether it can take without end, and whether it
    must take something."""

    takes: frozenset[str]
    first: frozenset[str]
    endless: bool
    needed: bool


def steepness(tree: Any) -> int:
    """The degree of the polynomial by which the time can grow with the length of a line that almost matches.

    It is the longest chain of endless repetitions of which each can take what stands between it and the next, so that
    where one ends and the next begins can be tried everywhere; one more where the pattern may begin anywhere. A
    repetition with which the pattern ends counts not: nothing can fail behind it.
    """
    automaton = _Automaton("".join(dict.fromkeys([*_letters(tree), *_ALWAYS])))
    items = list(_items(automaton, tree))
    if _ends_open(tree):
        items.pop()
    chains = [0] * len(items)
    for at, item in enumerate(items):
        if not item.endless:
            continue
        chains[at] = 1
        for before in range(at):
            other = items[before]
            between = (i for i in items[before + 1 : at + 1] if i.needed or i is item)
            if other.endless and all(i.first & other.takes for i in between):
                chains[at] = max(chains[at], chains[before] + 1)
    longest = max(chains, default=0)
    begins = next((op for op, _ in tree), None) is c.AT
    return longest if begins or not longest else longest + 1


def _ends_open(tree: Any) -> bool:
    """Whether the pattern ends in an endless repetition with nothing behind it, or behind `.*` the line's end."""
    nodes = list(tree)
    to_the_end = bool(nodes) and nodes[-1][0] is c.AT
    if to_the_end:
        nodes.pop()
    while nodes and nodes[-1][0] is c.SUBPATTERN:
        nodes = list(nodes[-1][1][3])
    if not nodes or nodes[-1][0] not in REPEATS:
        return False
    _, high, body = nodes[-1][1]
    return high is c.MAXREPEAT and (not to_the_end or body[0][0] is c.ANY)


def _items(automaton: _Automaton, tree: Any) -> Iterator[_Item]:
    for op, what in tree:
        if op is c.SUBPATTERN:
            yield from _items(automaton, what[3])
        elif op is c.BRANCH:
            ways = [list(_items(automaton, way)) for way in what[1]]
            yield from max(ways, key=lambda way: sum(item.endless for item in way))
        elif op in REPEATS:
            low, high, body = what
            inner = list(_items(automaton, body))
            if high is c.MAXREPEAT or high > _LONG:
                yield _Item(frozenset().union(*(item.takes for item in inner)), _first(inner), True, low > 0)
            elif low:
                yield from inner
        elif op in (c.LITERAL, c.NOT_LITERAL, c.ANY, c.IN):
            (state,) = automaton.part(op, what).first
            yield _Item(automaton.takes[state], automaton.takes[state], False, True)


def _first(items: list[_Item]) -> frozenset[str]:
    """What a sequence can begin with."""
    first: frozenset[str] = frozenset()
    for item in items:
        first |= item.first
        if item.needed:
            break
    return first
