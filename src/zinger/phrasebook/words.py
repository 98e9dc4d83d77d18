"""Words that can be sent: templates rendered into text and secret references, never into secrets.

A template is Jinja, sandboxed and strict about undefined names; line ends that stand in it divide what is sent into
lines, of which blank ones fall away. A line may end in ` ~> PLACE`: where it leads. A secret reference that it prints
travels through the rendering as a token of private-use characters and comes out as a `SecretRef` part. A value that
holds such a character, or a line break or control character, is refused when it is printed.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from jinja2 import Template, TemplateError, Undefined, meta

from zinger.errors import ZingerError
from zinger.phrasebook.bounded import LONGEST_TEXT, Bounded, counting, printed
from zinger.phrasebook.writing import FILTERS
from zinger.plan.values.secrets import MASK, SecretRef

Words = tuple[str | SecretRef, ...]
"""One line to send: text and secrets in order, without the Enter."""

_OPEN, _CLOSE, _LEADS, _ROW = "\ue000", "\ue001", "\ue002", "\ue003"
_TOKEN = re.compile(f"{_OPEN}([^{_CLOSE}]*){_CLOSE}")
_UNSPEAKABLE = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\ue000-\ue003]")
_LEADING = re.compile(r"[ \t]+~>[ \t]*(\w+)[ \t]*$", re.MULTILINE)


class WordsError(ZingerError):
    """A template or a value that cannot be said; the message is a sentence for a person."""


@dataclass(frozen=True, slots=True)
class FileText:
    """The lines of a generated file, which are checked already; a template prints them as one value."""

    lines: tuple[Words, ...]

    def __str__(self) -> str:
        return "".join(f"{''.join(map(_token, line))}{_ROW}" for line in self.lines)


def _token(part: str | SecretRef) -> str:
    return f"{_OPEN}{part.name}{_CLOSE}" if isinstance(part, SecretRef) else part


@dataclass(frozen=True, slots=True)
class _Quoted:
    """A secret as a text of JSON: it is escaped when it is filled in."""

    secret: SecretRef


def _json(value: object) -> object:
    """A value as JSON (RFC 8259): texts quoted and escaped, numbers, yes and no bare, a list in brackets."""
    if isinstance(value, SecretRef):
        return _Quoted(value)
    if isinstance(value, list | tuple):
        return f"[{', '.join(str(_json(part)) for part in value)}]"
    plain = value if value is None or isinstance(value, bool | int | float) else printed(value)
    return json.dumps(plain, ensure_ascii=False)


def _finalize(value: object) -> object:
    if isinstance(value, _Quoted):
        return f'"{_finalize(value.secret)}"'
    if isinstance(value, SecretRef):
        return _token(value)
    if isinstance(value, FileText):
        return str(value)
    if not isinstance(value, Undefined):
        text = printed(value)
        if _UNSPEAKABLE.search(text):
            raise WordsError("the value contains a line break or control character")
        if MASK in text:
            raise WordsError("a secret stands inside something that is printed whole; print the secret by itself")
    return value


_ENVIRONMENT = Bounded(finalize=_finalize)
_ENVIRONMENT.filters.update(FILTERS, json=_json)


_KEYWORDS = "(?:not|and|or|in|is|if|else|true|false|none|True|False|None)"
_ONLY_NAMES = re.compile(rf"(?:[^{{}}#%]|\{{\{{ (?!{_KEYWORDS}\b)[a-z_]+(?:\.[a-z]+)* \}}\}})*")
_NAME = re.compile(r"\{\{ ([a-z_]+)")


@dataclass(frozen=True, slots=True)
class FilledLine:
    """One line of a step, and the place to which it leads if it does not stay."""

    words: Words
    to: str = ""


@lru_cache(maxsize=4096)
def _template(source: str) -> Template:
    try:
        return _ENVIRONMENT.from_string(_LEADING.sub(rf"{_LEADS}\1", source))
    except TemplateError as error:
        raise WordsError(f"the template {source!r} is broken: {error}") from None


@lru_cache(maxsize=4096)
def names_used(source: str) -> frozenset[str]:
    """The names that a template needs; raises WordsError when it does not parse."""
    if _ONLY_NAMES.fullmatch(source):  # most are as simple as that, and parsing them all takes as long as a start may
        return frozenset(_NAME.findall(source))
    try:
        return frozenset(meta.find_undeclared_variables(_ENVIRONMENT.parse(source)))
    except TemplateError as error:
        raise WordsError(f"the template {source!r} is broken: {error}") from None


def leads_to(source: str) -> list[str]:
    """The places to which a template's lines say that they lead."""
    return _LEADING.findall(source)


def render(source: str, /, **values: object) -> Words:
    """Fill a template of one line; raises WordsError for an undefined name or a value that can't be sent."""
    lines = render_lines(source, **values)
    if len(lines) > 1:
        raise WordsError(f"the template {source!r} says {len(lines)} lines where one is wanted")
    return lines[0].words if lines else ()


def render_lines(source: str, /, **values: object) -> tuple[FilledLine, ...]:
    """Fill a template; its lines in order, blank ones left out. Raises WordsError."""
    try:
        return _rendered(source, tuple((name, type(value), value) for name, value in values.items()))
    except TypeError:  # a value that can't be looked up in the cache
        return _render(source, values)


def render_text(source: str, /, **values: object) -> str:
    """Fill a template and give it as a person may see it, lines divided by line ends."""
    return "\n".join(masked(line.words) for line in render_lines(source, **values))


_NO_PART = re.compile(r"'[\w.]+ object' has no attribute '(\w+)'")
"""What the template engine says of a part that a value does not have."""


@lru_cache(maxsize=8192)
def _rendered(source: str, values: tuple[tuple[str, type, object], ...]) -> tuple[FilledLine, ...]:
    """The same template with the same value is filled once: most values are shared by most devices."""
    return _render(source, {name: value for name, _, value in values})


def _render(source: str, values: Mapping[str, object]) -> tuple[FilledLine, ...]:
    try:
        counting()
        text = _within(_template(source).generate(**values))
    except WordsError:
        raise
    except (TemplateError, ValueError, TypeError, ArithmeticError, LookupError, MemoryError, RecursionError) as error:
        why = _NO_PART.sub(r"it has no part called '\1'", str(error))
        raise WordsError(f"the template {source!r} can't be filled: {why}") from None
    several = "\n" in source
    return tuple(_line(line.strip() if several else line) for line in text.split("\n") if line.strip() or not several)


def _within(pieces: Iterable[str]) -> str:
    """What is rendered, as long as it is not too long to be meant."""
    made: list[str] = []
    size = 0
    for piece in pieces:
        size += len(piece)
        if size > LONGEST_TEXT:
            raise WordsError(f"the template makes more than {LONGEST_TEXT} characters")
        made.append(piece)
    return "".join(made)


def _line(text: str) -> FilledLine:
    text, _, to = text.partition(_LEADS)
    pieces: list[str | SecretRef] = []
    for index, piece in enumerate(_TOKEN.split(text)):
        if index % 2:
            pieces.append(SecretRef(piece))
        elif piece:
            pieces.append(piece.replace(_ROW, "\n"))
    return FilledLine(tuple(pieces), to)


def masked(words: Iterable[str | SecretRef]) -> str:
    """The words as a person may see them."""
    return "".join(str(part) for part in words)


def has_secret(words: Words) -> bool:
    """Whether a secret is among the words."""
    return any(isinstance(part, SecretRef) for part in words)
