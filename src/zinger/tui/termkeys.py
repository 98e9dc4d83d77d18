"""Keys as a terminal sends them to a device."""

from __future__ import annotations

from textual import events

KEYS = {
    "enter": "\r",
    "backspace": "\x7f",
    "tab": "\t",
    "escape": "\x1b",
    "up": "\x1b[A",
    "down": "\x1b[B",
    "right": "\x1b[C",
    "left": "\x1b[D",
    "home": "\x1b[H",
    "end": "\x1b[F",
    "insert": "\x1b[2~",
    "delete": "\x1b[3~",
    "pageup": "\x1b[5~",
    "pagedown": "\x1b[6~",
    "space": " ",
}
"""As ECMA-48 terminals send them."""


def key_as_bytes(event: events.Key) -> str:
    """What a key sends; empty for one that sends nothing."""
    data = KEYS.get(event.key) or event.character
    if data is None and event.key.startswith("ctrl+") and len(event.key) == 6:
        data = chr(ord(event.key[-1]) & 31)
    return data or ""
