"""Typing outside an editor: letters are keys here, and a word typed at a list must not begin a run or undo a change.

A person who types a word means none of its letters as a command. What changes something waits a moment before it is
done, and is not done if another character comes within that moment, or came right before. What only shows something is
done at once; it stops with the third character in a row.
Asking before each such command was rejected: it would slow down those who mean it.
"""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from textual import events
from textual.app import App
from textual.notifications import SeverityLevel
from textual.screen import Screen
from textual.widgets import Input

from zinger.run.turns import Turns

if TYPE_CHECKING:
    from textual.dom import DOMNode

MOMENT = 0.2
"""Seconds: who types a word has the next letter down within it."""
ENDS = 1.0
"""Seconds: Enter that comes so soon behind a word ends it, and takes nothing from a list."""
GUARDED = frozenset(
    {
        *("go", "leave", "done", "whose_hands", "reveal"),
        *("undo", "redo", "save", "add", "take", "meant", "again", "hold"),
    }
)
"""Actions that change something at once, or show a password, without a question."""


_BY_A_PERSON = (events.Key, events.MouseDown, events.MouseScrollDown, events.MouseScrollUp)


class Typing:
    """Characters as they come, and whether they are a word."""

    def __init__(self) -> None:
        self.last = ""
        self.at = float("-inf")
        self.is_word = self.is_long = False
        """Whether the last character came behind another one, and whether it is the third at least."""
        self.ends = False
        """Whether the last key is none of a character, and came right behind a word."""
        self._word_at = float("-inf")

    def key(self, character: str, now: float) -> None:
        """A character was typed; an empty text is a key without one, which ends a word."""
        self.ends = not character and self.is_word and now - self.at < ENDS
        goes_on = now - self.at < MOMENT and bool(character and self.last)
        word = goes_on and (character != self.last or self.is_word)  # a key that is held down is none
        self.is_long = word and self.is_word
        self.is_word = word
        self._word_at = now if word else self._word_at
        self.last, self.at = character, now

    def word_since(self, then: float) -> bool:
        """Whether one was typed since then."""
        return self._word_at >= then


class GuardedApp(App[None]):
    """An application whose single-letter commands are not carried out by somebody who types.

    Nor is what it tells ever read as markup: sheets, phrasebooks and devices are written by strangers.
    """

    def __init__(self) -> None:
        super().__init__()
        self._typing = Typing()
        self._typed_on: Screen[Any] | None = None
        self._by_letter = False
        self._told = 0.0
        self.last_key = float("-inf")
        """When the last key was pressed, whichever."""
        self.turns = Turns()
        """Of the conversations of all runs."""

    def notify(
        self,
        message: str,
        *,
        title: str = "",
        severity: SeverityLevel = "information",
        timeout: float | None = None,
        markup: bool = False,
    ) -> None:
        """Tell something for a moment, as it is written; a screen asks for markup by the toolkit's default, in vain."""
        super().notify(message, title=title, severity=severity, timeout=timeout, markup=False)

    async def on_event(self, event: events.Event) -> None:
        if isinstance(event, _BY_A_PERSON):
            self.turns.key_comes()
        if isinstance(event, events.Key) and not event.is_forwarded:
            self.last_key = event.time
            top = self.screen_stack[-1] if self.screen_stack else None
            if self._typed_on is not top:  # what is typed there answers what it shows
                self._typing, self._typed_on = Typing(), top
            self._typing.key((event.character or "") if event.is_printable else "", event.time)
        await super().on_event(event)

    async def _check_bindings(self, key: str, priority: bool = False) -> bool:
        if key == "enter" and not priority and self._typing.ends and not isinstance(self.focused, Input):
            self._tell_that_nothing_was_done()
            return True
        if priority or not self._typing.last:
            return await super()._check_bindings(key, priority)
        if self._typing.is_long:
            self._tell_that_nothing_was_done()
            return True
        self._by_letter = True
        try:
            return await super()._check_bindings(key, priority)
        finally:
            self._by_letter = False

    async def run_action(self, action: Any, default_namespace: DOMNode | None = None, namespaces: Any = None) -> bool:
        """Carry an action out; one that changes something waits whether the letter was a word's first."""
        name = action.rpartition(".")[2].partition("(")[0] if isinstance(action, str) else ""
        if not self._by_letter or name not in GUARDED:
            return await super().run_action(action, default_namespace, namespaces)
        self._by_letter = False
        then = self._typing.at
        if self._typing.is_word:
            self._tell_that_nothing_was_done()
            return True
        self.set_timer(MOMENT, lambda: self._carry_out(action, default_namespace, then))
        return True

    async def _carry_out(self, action: str, namespace: DOMNode | None, then: float) -> None:
        if self._typing.word_since(then):
            self._tell_that_nothing_was_done()
        else:
            await self.run_action(action, namespace)

    def _tell_that_nothing_was_done(self) -> None:
        now = time.monotonic()
        if now - self._told > 2:
            self.notify("that looked like typing, so nothing was done; / filters, e edits")
        self._told = now
