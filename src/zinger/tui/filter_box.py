"""The line in which a list is filtered: it opens by a slash, Enter keeps it, Escape clears it."""

from __future__ import annotations

from textual.message import Message
from textual.widget import Widget
from textual.widgets import Input


class FilterBox(Input):
    """Hidden until it is wanted; `of` is the list to which the focus goes back."""

    class Wanted(Message):
        """The words are others now."""

        def __init__(self, words: str) -> None:
            super().__init__()
            self.words = words

    def __init__(self, of: type[Widget], example: str) -> None:
        super().__init__(placeholder=f"{example}; Enter keeps, Escape clears", id="filter")
        self._of = of

    def on_mount(self) -> None:
        """Begin hidden."""
        self.display = False

    def begin(self) -> None:
        """Show it, and take what is typed, at once, so that no letter typed after the slash goes elsewhere."""
        self.display = True
        self.screen.set_focus(self)

    def end(self) -> bool:
        """Clear and hide it; whether it was there."""
        was = bool(self.display)
        self.value, self.display = "", False
        if was:
            self.screen.query_one(self._of).focus()
        return was

    def on_input_changed(self, event: Input.Changed) -> None:
        """Tell the screen."""
        event.stop()
        self.post_message(self.Wanted(event.value))

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Keep the words, back to the list."""
        event.stop()
        self.display = bool(event.value)
        self.screen.query_one(self._of).focus()
