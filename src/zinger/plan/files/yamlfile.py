"""YAML 1.2 (yaml.org/spec/1.2.2) of strangers, read in two ways: with lines and comments, or quickly and plain.

`load_yaml` keeps what an editor or an error needs, and costs it; `quick_yaml` gives the same data an order of magnitude
sooner, by libyaml with the scalars of the 1.2 core schema (its own would read `off` as a boolean, as 1.1 did). What
libyaml refuses is read again the first way, which says what is wrong and where.
"""

from __future__ import annotations

import re
from io import StringIO
from typing import Any

import yaml
from ruamel.yaml import YAML
from ruamel.yaml.constructor import DuplicateKeyError
from ruamel.yaml.error import MarkedYAMLError, YAMLError

from zinger.errors import ZingerError
from zinger.plan.problems import Spot

TOO_LARGE = 2_000_000
"""More bytes than any job.yaml needs; larger files are refused before they are parsed."""
TOO_MANY = 200_000
"""More entries than any job.yaml needs, aliases unfolded."""


class UnreadableError(ZingerError):
    """A file that can't be read at all: what, where, and what to do."""

    def __init__(self, spot: Spot, what: str, do: str) -> None:
        super().__init__(f"{spot}: {what}. {do}.")
        self.spot, self.what, self.do = spot, what, do


def load_yaml(text: str, file: str, too_large: int = TOO_LARGE) -> Any:
    """YAML 1.2 with its comments and lines; raises UnreadableError for broken or too large files and alias bombs."""
    if len(text) > too_large:
        raise UnreadableError(
            Spot(file),
            f"it has {len(text) / 1e6:.0f} MB, more than {too_large / 1e6:g}",
            "Look whether this is the right file",
        )
    tab = re.search(r"^ *\t", text, re.MULTILINE)
    try:
        yaml = YAML(typ="rt")
        yaml.preserve_quotes = True
        data = yaml.load(StringIO(text))
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        spot = Spot(file, mark.line + 1 if mark else None)
        what = re.sub(r"\s+", " ", str(error.problem or "it cannot be read")).partition(" with value ")[0]
        if tab:
            line = text.count("\n", 0, tab.start()) + 1
            raise UnreadableError(
                Spot(file, line), "not valid YAML: a tab stands where blanks must indent", "Use blanks for indenting"
            ) from None
        do = "Remove one of the two" if isinstance(error, DuplicateKeyError) else "Correct this line"
        raise UnreadableError(spot, f"not valid YAML: {what}", do) from None
    except (YAMLError, ValueError, RecursionError) as error:
        what = "it is nested too deeply" if isinstance(error, RecursionError) else str(error).splitlines()[0]
        raise UnreadableError(Spot(file), f"not valid YAML: {what}", "Correct the file") from None
    if _unfolds(data) > TOO_MANY * (too_large // TOO_LARGE):
        raise UnreadableError(
            Spot(file),
            "its aliases unfold to more entries than any plan has",
            "Write the values out, or remove the anchors",
        )
    return data


CUT_BY_COMMA = ("within braces a comma ends a value", 'Quote the value that has the comma: {text: "one, two"}')
"""What is wrong with a key that is only the rest of a value, and what to do."""


def cut_by_comma(mapping: Any) -> bool:
    """Whether a mapping is written in braces, where `{text: one, two}` has a key `two` without a value."""
    flow = getattr(mapping, "fa", None)
    return flow is not None and bool(flow.flow_style())


def _unfolds(data: Any, enough: int = 2_000_000) -> int:
    """How many entries there are when aliases are followed; stops counting at `enough`."""
    count, waiting = 0, [data]
    while waiting and count < enough:
        node = waiting.pop()
        count += 1
        if isinstance(node, dict):
            waiting += node.values()
        elif isinstance(node, list):
            waiting += node
    return count


def quick_yaml(text: str, file: str) -> Any:
    """The same data without lines and comments; raises UnreadableError as `load_yaml` does."""
    if len(text) <= TOO_LARGE:
        try:
            data = yaml.load(text, _Quick)  # a safe loader
        except (yaml.YAMLError, ValueError, RecursionError, TypeError):
            return load_yaml(text, file)
        if _unfolds(data) <= TOO_MANY:
            return data
    return load_yaml(text, file)


class _Quick(getattr(yaml, "CSafeLoader", yaml.SafeLoader)):  # type: ignore[misc]  # chosen when it is imported
    """libyaml's events with the tags of the 1.2 core schema; twice the same key is refused."""

    def construct_mapping(self, node: yaml.MappingNode, deep: bool = False) -> dict[Any, Any]:
        written = [key.value for key, _ in node.value if isinstance(key, yaml.ScalarNode)]
        if len(set(written)) < len(written):
            raise yaml.constructor.ConstructorError(None, None, "a key stands twice", node.start_mark)
        mapping: dict[Any, Any] = super().construct_mapping(node, deep)
        return mapping


_Quick.yaml_implicit_resolvers = {}
for _tag, _pattern, _first in (
    ("bool", r"true|True|TRUE|false|False|FALSE", "tTfF"),
    ("int", r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+", "-+0123456789"),
    (
        "float",
        r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?|[-+]?\.(?:inf|Inf|INF)|\.(?:nan|NaN|NAN)",
        "-+.0123456789",
    ),
    ("null", r"~|null|Null|NULL|", ["~", "n", "N", ""]),
    ("merge", r"<<", "<"),
):
    _Quick.add_implicit_resolver(f"tag:yaml.org,2002:{_tag}", re.compile(rf"^(?:{_pattern})$"), list(_first))


def _int(loader: _Quick, node: yaml.ScalarNode) -> int:
    return int(node.value, 0 if node.value[:2] in ("0o", "0x") else 10)


_Quick.add_constructor("tag:yaml.org,2002:int", _int)
