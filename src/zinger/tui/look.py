"""Colours, shapes and small drawing helpers; every mark has a shape and a colour of its own.

Contrast against the ink ground is 4.5:1 or better for everything that must be read; FAINT is for tracks, joints
and rules only.
"""

from __future__ import annotations

import time
from functools import cache
from pathlib import Path

from rich.style import Style
from rich.text import Text

from zinger.run.board import Mark

INK, RAISED = "#12161a", "#1d252c"
PAPER, DIM, FAINT = "#e8e2d4", "#8d959b", "#4a545c"
BRASS, SLATE, GREEN, ROSE, VIOLET = "#d8a23a", "#7a9cc6", "#74b49b", "#d9738a", "#a58bd6"

SHAPE = {
    Mark.AHEAD: ("○", DIM),
    Mark.NOW: ("◐", BRASS),
    Mark.SENT: ("◉", SLATE),
    Mark.PROVED: ("●", GREEN),
    Mark.CONFIGURED: ("◎", GREEN),
    Mark.DIFFERS: ("◆", ROSE),
    Mark.NEEDS_YOU: ("▲", VIOLET),
    Mark.NONE: ("·", DIM),
}
TURNING, TEMPO = "◐◓◑◒", 2.5
"""The shapes of what is under way, and how many of them are shown a second."""
TRACK = {Mark.PROVED: "━", Mark.SENT: "━", Mark.CONFIGURED: "━", Mark.DIFFERS: "━", Mark.NOW: "╍", Mark.NEEDS_YOU: "╌"}
MOOD = {
    Mark.AHEAD: DIM,
    Mark.NOW: BRASS,
    Mark.SENT: SLATE,
    Mark.PROVED: GREEN,
    Mark.CONFIGURED: GREEN,
    Mark.DIFFERS: ROSE,
    Mark.NEEDS_YOU: VIOLET,
    Mark.NONE: DIM,
}
LEGEND = (
    (Mark.AHEAD, "ahead"),
    (Mark.NOW, "under way"),
    (Mark.SENT, "sent"),
    (Mark.PROVED, "proved"),
    (Mark.CONFIGURED, "configured, owes"),
    (Mark.DIFFERS, "differs"),
    (Mark.NEEDS_YOU, "needs you"),
    (Mark.NONE, "not for this device"),
)


@cache
def pen(colour: str, bold: bool = False, reverse: bool = False) -> Style:
    """A style, made once: making one takes as long as drawing with it."""
    return Style(color=colour, bold=bold, reverse=reverse)


def turn() -> int:
    """How far the shape of what is under way has turned, in quarters."""
    return int(time.time() * TEMPO) % len(TURNING)


def shape(mark: Mark) -> Text:
    """The mark as one coloured character; what is under way turns."""
    sign, colour = SHAPE[mark]
    if mark is Mark.NOW:
        sign = TURNING[turn()]
    return Text(sign, pen(colour, bold=mark is not Mark.AHEAD))


def minutes(seconds: float) -> str:
    """`1:05` for 65 seconds."""
    whole = max(0, int(seconds))
    return f"{whole // 60}:{whole % 60:02}"


def clock(at: float, seconds: bool = False) -> str:
    """A time of day as people say it, with the day where it is another one than today; `at` in seconds since 1970."""
    then, now = time.localtime(at), time.localtime()
    return time.strftime(f"{'' if then[:3] == now[:3] else '%a '}%H:%M{':%S' if seconds else ''}", then)


def home_short(path: Path) -> str:
    """A path as people write it: `~` for their own folder."""
    try:
        return f"~/{path.relative_to(Path.home())}"
    except ValueError:
        return str(path)


def fit_end(text: str, width: int) -> str:
    """The text in so many columns, with the end of it kept, by which files of one folder differ."""
    return text if len(text) <= width else f"…{text[-max(1, width - 1) :]}"


def fit(text: str, width: int) -> str:
    """The text, cut with an ellipsis if it is wider than the room."""
    if width <= 0:
        return ""
    return text if len(text) <= width else text[: max(0, width - 1)].rstrip(" …") + "…"


def first_fitting(room: int, *wordings: str) -> str:
    """The first of some wordings, fullest first, that has room; the last is cut if it must be."""
    return next((words for words in wordings if len(words) <= room), fit(wordings[-1], room))


def clauses_fitting(room: int, text: str) -> str:
    """A sentence cut where a clause of it ends, if that leaves much of the room full; else where the room ends."""
    if len(text) <= room:
        return text
    ends = [text.rfind(mark, 0, room + 1) for mark in (" · ", ": ", ", ", "; ", ". ", " (")]
    end = max(ends)
    return text[:end] if end > 0.4 * room else fit(text, room)


def parts_fitting(room: int, text: str) -> str:
    """As many of a text's parts, which dots divide, as have room; a single one is cut only where much of it is left."""
    parts = text.split(" · ")
    while len(parts) > 1 and len(" · ".join(parts)) > room:
        parts.pop()
    words = " · ".join(parts)
    return words if len(words) <= room else fit(words, room) if room > 0.7 * len(words) else ""


def legend(room: int = 1000) -> Text:
    """The shapes with their meaning in one line, as many as have room; those that say least are left out first."""
    shown = list(LEGEND)
    for mark in (Mark.NONE, Mark.AHEAD, Mark.SENT):
        if sum(len(word) + 5 for _, word in shown) <= room:
            break
        shown = [(known, word) for known, word in shown if known is not mark]
    text = Text()
    for mark, word in shown:
        sign, colour = SHAPE[mark]
        text.append(f"{sign}\u00a0", Style(color=colour)).append(f"{word.replace(' ', chr(160))}   ", DIM)
    return text
