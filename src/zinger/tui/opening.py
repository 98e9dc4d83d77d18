"""The first picture, while a job is being opened; it needs nothing but the toolkit, so that it is there at once."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.screen import Screen
from textual.widgets import Static


class Opening(Screen[None]):
    """The headline of the screens to come, and that a job is being opened."""

    def compose(self) -> ComposeResult:
        yield Static("[bold #12161a on #d8a23a] ZINGER [/]  opening the job ...", id="title-line")
