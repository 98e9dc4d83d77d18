"""Jinja for templates from strangers: sandboxed, strict, and bounded in what a rendering may cost.

A phrasebook is data, and a template is a program: nested loops, a text times ten thousand million, a padding of a
billion blanks would stop the whole application. Loops are counted, what they are made of is limited, and what has no
end (macros, recursion, inclusion) is no part of the language. A time limit was rejected: it can't interrupt a rendering
in a thread, and would depend on the machine.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextvars import ContextVar
from typing import Any

from jinja2 import StrictUndefined, TemplateSyntaxError, nodes
from jinja2.exceptions import SecurityError
from jinja2.sandbox import SandboxedEnvironment
from jinja2.visitor import NodeTransformer

MOST_ROUNDS = 100_000
"""Rounds of all loops of one rendering together."""
LONGEST_TEXT = 100_000
"""Characters of a text, or items of a list, that a template may make."""
_REFUSED = (nodes.Macro, nodes.CallBlock, nodes.Include, nodes.Import, nodes.FromImport, nodes.Extends, nodes.Block)
_FILTERS = (
    "abs capitalize count d default dictsort first float groupby int items last length list lower map max min reject "
    "rejectattr reverse round select selectattr sort title trim unique upper"
).split()
"""Of Jinja's own filters, those that make nothing much longer than they are given."""
_GROWS = frozenset("center ljust rjust zfill expandtabs format format_map join replace translate".split())
"""Methods of texts that can make a long one from a short one."""
_rounds: ContextVar[list[int]] = ContextVar("rounds")


class Bounded(SandboxedEnvironment):
    """Raises SecurityError for what costs too much, TemplateSyntaxError for what is no part of the language."""

    intercepted_binops = frozenset({"*", "**", "%", "+"})

    def __init__(self, **options: Any) -> None:
        super().__init__(undefined=StrictUndefined, autoescape=False, trim_blocks=True, lstrip_blocks=True, **options)
        own = {"zinger_counted": _counted, "join": _joined, "replace": _replaced, "string": printed, "sum": _summed}
        self.filters = {name: self.filters[name] for name in _FILTERS} | own
        self.globals = {"range": _few}

    def _parse(self, source: str, name: str | None, filename: str | None) -> nodes.Template:
        tree = super()._parse(source, name, filename)
        for refused in tree.find_all(_REFUSED):
            what = type(refused).__name__.lower()
            raise TemplateSyntaxError(f"{what} is no part of templates here", refused.lineno, name, filename)
        for loop in tree.find_all(nodes.For):
            if loop.recursive:
                raise TemplateSyntaxError("recursive loops are no part of templates here", loop.lineno, name, filename)
            loop.iter = nodes.Filter(loop.iter, "zinger_counted", [], [], None, None, lineno=loop.lineno)
        _Joins().visit(tree)
        return tree

    def wrap_str_format(self, value: Any) -> Any:
        """Of a text's methods, `format` is asked for here: it can pad without end."""
        if getattr(value, "__name__", "") in ("format", "format_map"):
            raise SecurityError("format is no part of templates here")
        return None

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        """Numbers as they are; texts and lists no longer than they may be."""
        if operator == "**" or (operator == "%" and isinstance(left, str) and _pads(left)):
            raise SecurityError("a template may not make a text or a number that large")
        if operator == "*" and not (isinstance(left, int | float) and isinstance(right, int | float)):
            raise SecurityError("a template may multiply numbers only")
        made = super().call_binop(context, operator, left, right)
        if isinstance(made, str | list | tuple) and len(made) > LONGEST_TEXT:
            raise _too_long()
        if isinstance(made, int) and abs(made) > 1 << 128:
            raise SecurityError("a template may not make a number that large")
        return made

    def is_safe_attribute(self, obj: Any, attr: str, value: Any) -> bool:
        """No methods of texts that make them long."""
        if isinstance(obj, str | bytes) and attr in _GROWS:
            return False
        return super().is_safe_attribute(obj, attr, value)


def counting() -> None:
    """A rendering begins: its rounds are counted from here."""
    _rounds.set([0])


def _counted(items: Iterable[Any]) -> Iterator[Any]:
    """The same items, each counted as a round."""
    count = _rounds.get([0])
    for item in items:
        count[0] += 1
        if count[0] > MOST_ROUNDS:
            raise SecurityError(f"a template may go no more than {MOST_ROUNDS} rounds")
        yield item


class _Joins(NodeTransformer):
    """`a ~ b` as a join, whose length is watched."""

    def visit_Concat(self, node: nodes.Concat) -> nodes.Filter:  # the toolkit's name
        self.generic_visit(node)
        joined = nodes.List(node.nodes, lineno=node.lineno)
        return nodes.Filter(joined, "join", [], [], None, None, lineno=node.lineno)


def printed(value: Any) -> str:
    """A value as text; a list within a list is not printed, since it can be far larger than it looks."""
    if isinstance(value, list | tuple | dict | set) and any(isinstance(part, list | tuple | dict) for part in value):
        raise SecurityError("a list within a list is not printed; join what is in it")
    text = str(value)
    if len(text) > LONGEST_TEXT:
        raise _too_long()
    return text


def _joined(items: Iterable[Any], between: str = "", attribute: str | None = None) -> str:
    size, texts = 0, []
    for item in items:
        texts.append(printed(getattr(item, attribute) if attribute else item))
        size += len(texts[-1]) + len(between)
        if size > LONGEST_TEXT:
            raise _too_long()
    return between.join(texts)


def _replaced(value: Any, old: str, new: str) -> str:
    text = printed(value)
    if text.count(old) * len(new) > LONGEST_TEXT:
        raise _too_long()
    return text.replace(old, new)


def _summed(items: Iterable[Any]) -> Any:
    total: Any = 0
    for item in items:
        if not isinstance(item, int | float):
            raise SecurityError("only numbers can be summed")
        total += item
    return total


def _too_long() -> SecurityError:
    return SecurityError(f"a template may make no more than {LONGEST_TEXT} characters")


def _few(*bounds: int) -> range:
    made = range(*bounds)
    if len(made) > MOST_ROUNDS:
        raise SecurityError(f"a template may go no more than {MOST_ROUNDS} rounds")
    return made


def _pads(pattern: str) -> bool:
    """Whether a `%` format could make a long text: a width or precision of four digits, or one given as a value."""
    digits = 0
    for char in pattern:
        digits = digits + 1 if char.isdigit() else 0
        if digits > 3 or char == "*":
            return True
    return False
