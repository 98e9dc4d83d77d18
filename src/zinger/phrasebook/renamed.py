"""Words of the phrasebook language that were others once: an old one is answered with the new one, and a file can be
put into the new words without changing anything else in it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.nodes import MappingNode, Node, ScalarNode, SequenceNode

from zinger.phrasebook.map import AsksFor
from zinger.phrasebook.source import parsed
from zinger.plan.settings import RENAMED

WORDS = {"say": "send", "keep": "save", "marks": "identity_lines", "secret": "password"}
"""Keys that have new names; `secret` only under `limits`."""
_FREE = ("places", "readings", "interviews", "lights", "buttons", "replies", "otherwise", "take", "columns")
"""Below these, keys are names that the file chose itself."""


def now_called(key: str, path: list[str]) -> str:
    """The new name of a key at a path, or nothing when it was not renamed."""
    if path[-1:] == ["settings"]:
        return RENAMED.get(key, "")
    if (path[-1:] and path[-1] in _FREE) or (key == "secret" and path[-1:] != ["limits"]):
        return ""
    return WORDS.get(key, "")


def rewritten(text: str, name: str) -> str:
    """The file called `name` in the new words; everything else stays letter by letter. Raises PhrasebookError."""
    parsed(text, name)
    root: Any = YAML(typ="rt").compose(text)
    edits = {*_renamed_keys(root, [], set()), *_asked_for(root, text)}
    for start, end, new in sorted(edits, reverse=True):
        text = text[:start] + new + text[end:]
    parsed(text, name)  # two older entries can be one today; that is for a person to put together
    return text


def _renamed_keys(node: Node, path: list[str], seen: set[int]) -> Iterator[tuple[int, int, str]]:
    """(start, end, new text) of every key that has a new name; what an alias repeats is looked at once."""
    if id(node) in seen:
        return
    seen.add(id(node))
    if isinstance(node, SequenceNode):
        for item in node.value:
            yield from _renamed_keys(item, path, seen)
    if not isinstance(node, MappingNode):
        return
    for key, value in node.value:
        name = str(key.value)
        if new := now_called(name, path):
            yield key.start_mark.index, key.end_mark.index, new
        yield from _renamed_keys(value, [*path, name], seen)


def _asked_for(root: Node, text: str) -> Iterator[tuple[int, int, str]]:
    """`asks_for` where a move sends a credential from a place that does not say that it asks for one."""
    if not isinstance(root, MappingNode):
        return
    top = {str(key.value): value for key, value in root.value}
    places, moves = top.get("places"), top.get("moves")
    if not isinstance(places, MappingNode) or not isinstance(moves, SequenceNode):
        return
    wanted: dict[str, str] = {}
    for move in moves.value:
        if not isinstance(move, MappingNode):
            continue
        fields = {str(key.value): str(value.value) for key, value in move.value if isinstance(value, ScalarNode)}
        sends = fields.get("send", fields.get("say", ""))
        for credential in AsksFor:
            if f"{{{{ {credential.word} }}}}" in sends:
                wanted[fields.get("from", "")] = credential.value
    for key, place in places.value:
        credential_word = wanted.get(str(key.value))
        if not credential_word or not isinstance(place, MappingNode) or not place.value:
            continue
        if not any(str(field.value) == "asks_for" for field, _ in place.value):
            yield _added(place, f"asks_for: {credential_word}", text)


def _added(place: MappingNode, entry: str, text: str) -> tuple[int, int, str]:
    """One more entry of a mapping, written as its others are."""
    if place.flow_style:
        at = place.end_mark.index - 1
        while text[at - 1] == " ":
            at -= 1
        return at, at, f", {entry}"
    first = place.value[0][0].start_mark
    return first.index, first.index, f"{entry}\n{' ' * first.column}"
