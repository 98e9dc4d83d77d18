"""Patterns looked at from the inside: a text that one matches, and whether it can run away.

A pattern is tried on whatever a device sends. One that repeats a repetition, such as `(x+)+`, can take longer than
anybody waits on a line that almost matches; such a one is found here before a device is.
"""

from __future__ import annotations

import re
from re import _constants as c  # type: ignore[attr-defined]
from re import _parser as parser  # type: ignore[attr-defined]
from typing import Any

from zinger.phrasebook.ambiguity import REPEATS, is_exponential, steepness

_STEEPEST = 2
_CATEGORIES = {
    c.CATEGORY_DIGIT: "7",
    c.CATEGORY_WORD: "w",
    c.CATEGORY_SPACE: " ",
    c.CATEGORY_NOT_SPACE: "x",
    c.CATEGORY_NOT_DIGIT: "x",
    c.CATEGORY_NOT_WORD: "-",
}


def _tree(pattern: str) -> Any:
    return parser.parse(pattern)


def sample(pattern: str) -> str:
    """A short text that the pattern matches, each repetition as often as it must be."""
    return "".join(_text(node) for node in _tree(pattern))


def _text(node: tuple[Any, Any]) -> str:
    op: Any
    what: Any
    op, what = node
    if op is c.LITERAL:
        return chr(what)
    if op is c.NOT_LITERAL:
        return "y" if what == ord("x") else "x"
    if op is c.ANY:
        return "x"
    if op is c.IN:
        return _one_of(what)
    if op in REPEATS:
        low, _, body = what
        return "".join(_text(inner) for inner in body) * int(low)
    if op is c.SUBPATTERN:
        return "".join(_text(inner) for inner in what[3])
    if op is c.ATOMIC_GROUP:
        return "".join(_text(inner) for inner in what)
    if op is c.BRANCH:
        return "".join(_text(inner) for inner in what[1][0])
    return ""


def _one_of(choices: list[tuple[Any, Any]]) -> str:
    if choices[0][0] is c.NEGATE:
        return next((ch for ch in "x-7 w" if re.match(_class(choices), ch)), "x")
    op, what = choices[0]
    if op is c.LITERAL:
        return chr(what)
    if op is c.RANGE:
        return chr(what[0])
    return _CATEGORIES.get(what, "x")


def _class(choices: list[tuple[Any, Any]]) -> str:
    """The class again, as a pattern."""
    parts = []
    for op, what in choices[1:]:
        if op is c.LITERAL:
            parts.append(re.escape(chr(what)))
        elif op is c.RANGE:
            parts.append(f"{re.escape(chr(what[0]))}-{re.escape(chr(what[1]))}")
        else:
            parts.append({c.CATEGORY_DIGIT: r"\d", c.CATEGORY_WORD: r"\w", c.CATEGORY_SPACE: r"\s"}.get(what, r"\W"))
    return f"[^{''.join(parts)}]"


def runs_away(pattern: str) -> bool:
    """Whether it can take longer than anybody waits: a repetition of repetitions, or one text in too many ways.

    A line is held against it with 1,200 characters at most: what grows with the square of that ends in about 20 ms,
    with the cube it takes seconds.
    """
    tree = _tree(pattern)
    return (
        steepness(tree) > _STEEPEST
        or any(_runs_away(node) for node in tree)
        or (_branches(tree, False) and is_exponential(tree))
    )


def _branches(tree: Any, repeated: bool) -> bool:
    """Whether a choice or a repetition stands within an unbounded repetition: only then there can be many ways."""
    for op, what in tree:
        if op in REPEATS:
            _, high, body = what
            if repeated or _branches(body, repeated or high is c.MAXREPEAT):
                return True
        elif (op is c.BRANCH and repeated) or any(_branches(part, repeated) for part in _parts(op, what)):
            return True
    return False


def _runs_away(node: tuple[Any, Any]) -> bool:
    op, what = node
    if op in REPEATS:
        _, high, body = what
        if high is c.MAXREPEAT and _only_repeats(body):
            return True
        return any(_runs_away(inner) for inner in body)
    return any(_runs_away(inner) for part in _parts(op, what) for inner in part)


def _parts(op: Any, what: Any) -> list[Any]:
    if op is c.SUBPATTERN:
        return [what[3]]
    if op is c.BRANCH:
        return list(what[1])
    return [what[1]] if op in (c.ASSERT, c.ASSERT_NOT) else []


def _only_repeats(body: Any) -> bool:
    """Whether a body holds an unbounded repetition, and nothing beside it that must be there."""
    unbounded, needed = False, False
    for op, what in body:
        if op in REPEATS:
            low, high, inner = what
            unbounded |= high is c.MAXREPEAT
            needed |= high is not c.MAXREPEAT and low > 0
            unbounded |= _only_repeats(inner)
        elif op in (c.SUBPATTERN, c.BRANCH):
            parts = _parts(op, what)
            if any(_only_repeats(part) for part in parts):
                unbounded = True
            else:
                needed = True
        elif op is not c.AT:
            needed = True
    return unbounded and not needed
