"""The footer: the keys of a screen, as many as have room; none is cut, and the way back and help always stand there."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.widget import Widget
from textual.widgets import Footer
from textual.widgets._footer import FooterKey

ALWAYS = ("app.back", "app.help", "app.quit")
"""Actions that have their place first, though they stand last."""


class KeysFooter(Footer):
    """The toolkit's footer, in the order of the screen's table, without what has no room."""

    _laid_for = 0
    """The columns for which its keys were chosen."""

    def compose(self) -> ComposeResult:
        self._laid_for = self.app.size.width
        table = [binding.action for binding in self.screen.BINDINGS if isinstance(binding, Binding)]
        place = {action: at for at, action in reversed(list(enumerate(table)))}
        keys = sorted(super().compose(), key=lambda key: place.get(getattr(key, "action", ""), len(table)))
        yield from fitting(keys, self._laid_for)

    async def on_resize(self) -> None:
        """Another width has room for other keys."""
        if self._laid_for not in (0, self.app.size.width):
            await self.recompose()


def fitting(keys: list[Widget], room: int) -> list[Widget]:
    """Those that have room, in their order."""
    room -= sum(_width(key) for key in keys if _stays(key))
    shown = []
    for key in keys:
        if not _stays(key):
            room -= _width(key)
        if room >= 0 or _stays(key):
            shown.append(key)
    return shown


def _stays(key: Widget) -> bool:
    return isinstance(key, FooterKey) and (key.action in ALWAYS or key.has_class("-command-palette"))


def _width(key: Widget) -> int:
    """Columns: a blank on both sides of the key, one behind its words, and a rule before the palette's."""
    if not isinstance(key, FooterKey):
        return 0
    return len(key.key_display) + len(key.description) + 3 + key.has_class("-command-palette")
