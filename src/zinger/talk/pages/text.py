"""The text of a page as a person reads it: rows and paragraphs, without what is hidden."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

_UNSEEN = frozenset({"script", "style", "template", "head", "option", "select", "textarea", "button", "title"})
"""What is no text of the page; fields and buttons are told apart."""
_INLINE = frozenset(
    "a abbr b bdi bdo big cite code data em font i img input kbd label mark nobr output q s samp small span strike "
    "strong sub sup time tt u var wbr td th".split()
)
_HIDING = re.compile(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)


def hides(element: Any) -> bool:
    """Whether an element hides what is in it: by its own attributes; what a style sheet hides is not known here."""
    return (
        element.get("hidden") is not None
        or element.get("aria-hidden") == "true"
        or _HIDING.search(element.get("style", "")) is not None
    )


def is_hidden(element: Any) -> bool:
    """Whether it, or what it stands in, is hidden."""
    return hides(element) or any(hides(parent) for parent in element.iterancestors())


def text_of(element: Any) -> str:
    """All text in an element that can be seen, in one row."""
    return " ".join("".join(_walk(element)).split())


def text_lines(root: Any) -> Iterator[str]:
    """The page's text, a row, paragraph or line of it each."""
    row: list[str] = []
    for piece in _walk(root):
        if piece != "\n":
            row.append(piece)
            continue
        if text := re.sub(r"[ \t\r\n\f\xa0]+", " ", "".join(row)).strip():
            yield text
        row.clear()
    if text := re.sub(r"\s+", " ", "".join(row)).strip():
        yield text


def _walk(root: Any) -> Iterator[str]:
    """Pieces of text; a line break where a block begins or ends. Without recursion: pages nest as deep as they like."""
    stack: list[tuple[Any, bool]] = [(root, False)]
    while stack:
        element, left = stack.pop()
        block = element.tag not in _INLINE if isinstance(element.tag, str) else False
        if left:
            if block:
                yield "\n"
            elif element.tag in ("td", "th"):
                yield " "
            if element is not root and element.tail:
                yield from _pieces(element.tail, element.getparent())
            continue
        stack.append((element, True))
        if not isinstance(element.tag, str) or (element is not root and (element.tag in _UNSEEN or hides(element))):
            continue
        if block:
            yield "\n"
        if element.text:
            yield from _pieces(element.text, element)
        stack.extend((child, False) for child in reversed(element))


def _pieces(text: str, within: Any) -> Iterator[str]:
    """A text with its line breaks where they count, in what is laid out already (HTML, `pre`); else as blanks."""
    laid_out = within is not None and (within.tag == "pre" or next(within.iterancestors("pre"), None) is not None)
    if not laid_out:
        yield text.replace("\n", " ")
        return
    for number, line in enumerate(text.split("\n")):
        if number:
            yield "\n"
        yield line
