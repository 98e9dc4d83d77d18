"""A dialogue on a terminal: how its places are recognised in text, what is typed there, and the line's habits."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from zinger.phrasebook.map import Kind, Place, Undivided
from zinger.phrasebook.words import Words, WordsError, masked, names_used, render

NEVER = re.compile("(?!)")
WIDTH = 80
"""Columns of the terminal that every link offers a device (RFC 1073, RFC 4254 6.2): a row of so many may be broken."""
HALF_TYPED = "(?P<half_typed>.*)$"
"""What may follow a prompt: somebody's line without its Enter."""


LINE_PATIENCE, KEY_PATIENCE = 30.0, 10.0
"""Seconds of silence after which a line, or a key, is not answered any more."""
JOIN_PATIENCE = 6.0
"""The same for what a menu leads to: a console that it joins is often silent until Enter is pressed."""


# -- deeds: what a conversation is asked to do at a place ------------------------------------------------
@dataclass(frozen=True, slots=True)
class TypeLine(Undivided):
    """Type these words and press Enter; no words are Enter alone."""

    words: Words

    @property
    def shown(self) -> str:
        return masked(self.words)

    def unless(self, default: str | None) -> TypeLine:
        return TypeLine(()) if self.shown == default else self


@dataclass(frozen=True, slots=True)
class PressKey(Undivided):
    """Press one key, without Enter."""

    key: str

    @property
    def shown(self) -> str:
        return f"the key {self.key!r}"


def typed(source: str) -> TypeLine:
    """A line that is typed as it stands."""
    return TypeLine((source,) if source else ())


# -- acts: what makes a move -----------------------------------------------------------------------------
@dataclass(frozen=True)
class SendAct:
    """A line, as a template."""

    template: str

    @cached_property
    def uses(self) -> frozenset[str]:
        return names_used(self.template)

    @property
    def sources(self) -> tuple[str, ...]:
        return (self.template,)

    @property
    def shown(self) -> str:
        return self.template

    @property
    def patience(self) -> float:
        return LINE_PATIENCE

    @property
    def joins(self) -> bool:
        return False

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> TypeLine:
        used = {name: value for name, value in names.items() if name in self.uses}
        return TypeLine(render(self.template, **used))


@dataclass(frozen=True)
class PressAct:
    """A key."""

    key: str

    @property
    def uses(self) -> frozenset[str]:
        return frozenset()

    @property
    def sources(self) -> tuple[str, ...]:
        return ()

    @property
    def shown(self) -> str:
        return PressKey(self.key).shown

    @property
    def patience(self) -> float:
        return KEY_PATIENCE

    @property
    def joins(self) -> bool:
        return False

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> PressKey:
        return PressKey(self.key)


@dataclass(frozen=True)
class ChooseAct:
    """A choice of a menu, by its text as a template; what is typed for it is read off the menu."""

    template: str

    @cached_property
    def uses(self) -> frozenset[str]:
        return names_used(self.template)

    @property
    def sources(self) -> tuple[str, ...]:
        return (self.template,)

    @property
    def shown(self) -> str:
        return f"choose {self.template}"

    @property
    def patience(self) -> float:
        return JOIN_PATIENCE

    @property
    def joins(self) -> bool:
        return True

    def fill(self, names: Mapping[str, object], choices: Mapping[str, str]) -> TypeLine:
        used = {name: value for name, value in names.items() if name in self.uses}
        wanted = masked(render(self.template, **used))
        if wanted not in choices:
            offered = ", ".join(choices) or "nothing"
            raise WordsError(f"the menu does not offer {wanted}; it offers {offered}")
        return TypeLine((choices[wanted],))


# -- signs: how a place is recognised --------------------------------------------------------------------
@dataclass(frozen=True)
class Sign:
    """How a place looks, and how one behaves there.

    `pattern` is held against the tail: the text after the last line end, or on an emulated screen the cursor's row up
    to the cursor. `screen` must be found on the emulated screen besides. A prompt's match may go on with a half-typed
    line, which the group `half_typed` holds. `blind` places do not echo. A pager is moved on by the key `press` and
    left by `leave`, a notice is passed by `press`, all without Enter. `choices` finds what a menu offers: its groups
    `key` (what to type) and `text`.
    """

    pattern: re.Pattern[str]
    blind: bool = False
    enter_is_harmless: bool = False
    press: str = " "
    leave: str = "q"
    screen: re.Pattern[str] | None = None
    choices: re.Pattern[str] | None = None

    def match(self, tail: str, screen: str) -> re.Match[str] | None:
        """Whether the place stands there."""
        if self.screen is not None and self.screen.search(screen) is None:
            return None
        return self.pattern.search(tail)


@dataclass(frozen=True)
class Terminal:
    """How one family's terminal looks and is typed on.

    `rub` takes one typed character away, `redraw` shows the prompt again with what was typed so far; both empty when no
    such key is known. `wraps`: columns after which its line editor goes on in the next row; 0 when it leaves that to
    the terminal. `longest_line` in characters. `size`: columns and rows of the screen on which it draws with the
    cursor; None for a family that writes lines.
    """

    places: Mapping[str, Place]
    signs: Mapping[str, Sign]
    noise: re.Pattern[str] = NEVER
    boot: re.Pattern[str] = NEVER
    refusals: tuple[re.Pattern[str], ...] = ()
    warnings: tuple[re.Pattern[str], ...] = ()
    identity_lines: Mapping[str, re.Pattern[str]] = field(default_factory=dict)
    """Patterns of lines that tell which device this is, wherever they are shown: `serial`, `mac`, `hostname`."""
    enter: str = "\r"
    cancel: str = "\x15"
    rub: str = ""
    redraw: str = ""
    wake: str = ""
    """The first key on a silent line of which nothing is known: it takes away what somebody left half typed."""
    pace: float = 0.0
    """Characters a second that its line takes; 0 for as many as come."""
    ready: re.Pattern[str] = NEVER
    """Lines that say that a boot is over."""
    wraps: int = 0
    longest_line: int = 250
    size: tuple[int, int] | None = None

    @property
    def shows_boot(self) -> bool:
        """Whether any line of it tells that it boots."""
        return self.boot.pattern != NEVER.pattern

    def recognise(self, tail: str, first: Iterable[str] = (), screen: str = "") -> tuple[Place, re.Match[str]] | None:
        """The place that stands at the tail: a whole match before a half-typed line, else None.

        The places named by `first` are tried first, since they are the likeliest. `screen` is the text of the emulated
        screen, for families that draw on one.
        """
        for name in first:
            match = self.signs[name].match(tail, screen)
            if match is not None and not self._half_typed(name, match):
                return self.places[name], match
        half: tuple[Place, re.Match[str]] | None = None
        for name, sign in self.signs.items():
            match = sign.match(tail, screen)
            if match is None:
                continue
            if not self._half_typed(name, match):
                return self.places[name], match
            half = half or (self.places[name], match)
        return half

    def half_answered(self, tail: str, screen: str = "") -> str:
        """The question at which Enter is harmless, and behind which somebody's text without its Enter stands; or ""."""
        begun = ((name, sign.match(tail, screen)) for name, sign in self._harmless.items())
        return next((name for name, match in begun if match is not None and match.end() < len(tail)), "")

    @cached_property
    def _harmless(self) -> dict[str, Sign]:
        """The questions at which Enter is harmless, as they begin."""
        return {
            name: replace(sign, pattern=re.compile(sign.pattern.pattern.removesuffix("$")))
            for name, sign in self.signs.items()
            if sign.enter_is_harmless and not sign.blind and self.places[name].kind is not Kind.PROMPT
        }

    def _half_typed(self, name: str, match: re.Match[str]) -> bool:
        return self.places[name].kind is Kind.PROMPT and bool(match["half_typed"])

    @cached_property
    def pagers(self) -> frozenset[str]:
        """The places at which more is shown by a key."""
        return frozenset(name for name, place in self.places.items() if place.kind is Kind.PAGER)
