"""Words that can be said: templates rendered into text and secret references, never into secrets.

A template is Jinja, sandboxed and strict about undefined names. A secret reference that it prints
travels through the rendering as a token of private-use characters and comes out as a `SecretRef` part.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import lru_cache

from jinja2 import StrictUndefined, Template, TemplateError, meta
from jinja2.sandbox import SandboxedEnvironment

from zinger.plan import SecretRef

Words = tuple[str | SecretRef, ...]
"""One line to say: text and secrets in order, without the Enter."""

_OPEN, _CLOSE = "\ue000", "\ue001"
_TOKEN = re.compile(f"{_OPEN}([^{_CLOSE}]*){_CLOSE}")
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f]")


def _finalize(value: object) -> object:
    return f"{_OPEN}{value.name}{_CLOSE}" if isinstance(value, SecretRef) else value


_ENVIRONMENT = SandboxedEnvironment(undefined=StrictUndefined, finalize=_finalize, autoescape=False)


class WordsError(ValueError):
    """A template or a value that cannot be said; the message is a sentence for a person."""


@lru_cache(maxsize=4096)
def _template(source: str) -> Template:
    try:
        return _ENVIRONMENT.from_string(source)
    except TemplateError as error:
        raise WordsError(f"the template {source!r} is broken: {error}") from None


def names_used(source: str) -> frozenset[str]:
    """The names that a template needs; raises WordsError when it does not parse."""
    _template(source)
    return frozenset(meta.find_undeclared_variables(_ENVIRONMENT.parse(source)))


def render(source: str, **values: object) -> Words:
    """Fill a template; raises WordsError for an undefined name or a value with control characters."""
    try:
        return _rendered(source, tuple((name, type(value), value) for name, value in values.items()))
    except TypeError:  # a value that can't be looked up in the cache
        return _render(source, values)


@lru_cache(maxsize=8192)
def _rendered(source: str, values: tuple[tuple[str, type, object], ...]) -> Words:
    """The same template with the same value is filled once: most values are shared by most devices."""
    return _render(source, {name: value for name, _, value in values})


def _render(source: str, values: Mapping[str, object]) -> Words:
    try:
        text = _template(source).render(**values)
    except (TemplateError, ValueError, TypeError) as error:
        raise WordsError(f"the template {source!r} can't be filled: {error}") from None
    if _CONTROL.search(text):
        raise WordsError("the value contains a line break or control character")
    pieces: list[str | SecretRef] = []
    for index, piece in enumerate(_TOKEN.split(text)):
        if index % 2:
            pieces.append(SecretRef(piece))
        elif piece:
            pieces.append(piece)
    return tuple(pieces)


def masked(words: Iterable[str | SecretRef]) -> str:
    """The words as a person may see them."""
    return "".join(str(part) for part in words)


def has_secret(words: Words) -> bool:
    """Whether a secret is among the words."""
    return any(isinstance(part, SecretRef) for part in words)
