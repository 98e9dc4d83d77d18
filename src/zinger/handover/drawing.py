"""What all drawings share: colours, text that is measured before it is placed; and the timeline of a run.

Sizes are in points (1/72 inch). Text is measured before it is placed, so that nothing overlaps or is cut.
"""

from __future__ import annotations

import time

from reportlab.graphics.shapes import Drawing, Group, Line, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.pdfbase.pdfmetrics import stringWidth

from zinger.handover.fonts import BOLD, SANS, drawable
from zinger.handover.record import DeviceRecord
from zinger.run.memory import Span, Worker

INK, SOFT, HAIR, PAPER = HexColor("#1b2126"), HexColor("#5d666d"), HexColor("#b8bdc1"), HexColor("#ffffff")
GREEN, ROSE, BRASS, SLATE, VIOLET = (HexColor(c) for c in ("#3f8467", "#b04a63", "#a97a1c", "#4c6f9c", "#7a5fb0"))
STATE = {
    "proved": GREEN,
    "configured": SLATE,
    "differs": ROSE,
    "plan changed": VIOLET,
    "not proved since": VIOLET,
    "needs a person": VIOLET,
    "not done": SOFT,
    "set by hand": SLATE,
    "planned only": SOFT,
}
COLOUR_OF = {Worker.DEVICE: HexColor("#c9cdd0"), Worker.ZINGER: SLATE, Worker.HANDS: VIOLET}
WIDTH, MARGIN = 780.0, 30.0


def fitted(text: str, font: str, size: float, width: float) -> str:
    """The text, shortened with an ellipsis until it fits; letters that the fonts lack become question marks."""
    text = drawable(text)
    if stringWidth(text, font, size) <= width:
        return text
    while text and stringWidth(f"{text}...", font, size) > width:
        text = text[:-1]
    return f"{text}..."


def put(
    group: Group | Drawing,
    x: float,
    y: float,
    text: str,
    size: float = 8,
    font: str = SANS,
    colour: HexColor = INK,
    width: float = 1000.0,
) -> float:
    """Place a text with its baseline at y; returns its width."""
    text = fitted(text, font, size, width)
    group.add(String(x, y, text, fontName=font, fontSize=size, fillColor=colour))
    return float(stringWidth(text, font, size))


ROW, LEFT, RIGHT, TOP = 22.0, 150.0, 90.0, 92.0


def timeline(title: str, found: list[DeviceRecord]) -> Drawing:
    """Each device's time: what the device took, what Zinger took, what hands took."""
    shown = [r for r in found if r.memory.spans]
    height = TOP + max(1, len(shown)) * ROW + 56
    drawing = Drawing(WIDTH, height)
    drawing.add(Rect(0, 0, WIDTH, height, fillColor=PAPER, strokeColor=None))
    put(drawing, MARGIN, height - 34, "Run timeline", 18, BOLD)
    put(drawing, MARGIN, height - 50, title, 9, SANS, SOFT, 400)
    if not shown:
        put(drawing, MARGIN, height - TOP, "nothing was run yet", 9, SANS, SOFT)
        return drawing
    spans = [s for r in shown for s in r.memory.spans]
    zero, end = min(s.began for s in spans), max(s.ended for s in spans)
    scale = (WIDTH - LEFT - RIGHT) / max(end - zero, 0.001)
    _legend(drawing, height, shown)
    _axis(drawing, height, zero, end, scale, len(shown))
    for number, record in enumerate(shown):
        y = height - TOP - (number + 1) * ROW
        put(drawing, MARGIN, y + 5, record.device.name, 8.5, BOLD, width=LEFT - MARGIN - 8)
        for span in sorted(record.memory.spans, key=lambda s: s.worker is Worker.HANDS):
            bar = _bar(span, zero, scale, y)
            drawing.add(bar)
            if span.worker is not Worker.HANDS and stringWidth(span.what, SANS, 7) + 6 < bar.width:
                light = span.worker is Worker.DEVICE
                put(drawing, bar.x + 3, y + 8, span.what, 7, SANS, INK if light else PAPER)
        total = max(s.ended for s in record.memory.spans) - min(s.began for s in record.memory.spans)
        put(
            drawing,
            WIDTH - RIGHT + 10,
            y + 5,
            f"{_clock(total)}  {record.state}",
            8,
            SANS,
            STATE[record.state],
            RIGHT - 14,
        )
    return drawing


def time_in_words(record: DeviceRecord) -> str:
    """A device's line of the timeline in words: how long it took, and whose time that was."""
    spans = record.memory.spans
    total = max(s.ended for s in spans) - min(s.began for s in spans)
    whose = [f"{w.value} {_clock(sum(s.ended - s.began for s in spans if s.worker is w))}" for w in Worker]
    return f"{record.device.name:<20} {_clock(total):>6}   {', '.join(whose)}   {record.state}"


def _bar(span: Span, zero: float, scale: float, y: float) -> Rect:
    hands = span.worker is Worker.HANDS
    x, width = LEFT + (span.began - zero) * scale, max(0.8, (span.ended - span.began) * scale)
    return Rect(
        x,
        y + (2 if hands else 3),
        width,
        4 if hands else ROW - 8,
        fillColor=COLOUR_OF[span.worker],
        strokeColor=PAPER,
        strokeWidth=0 if hands else 0.4,
    )


def _legend(drawing: Drawing, height: float, shown: list[DeviceRecord]) -> None:
    x = MARGIN
    for worker in Worker:
        seconds = sum(s.ended - s.began for r in shown for s in r.memory.spans if s.worker is worker)
        drawing.add(Rect(x, height - 72, 10, 8, fillColor=COLOUR_OF[worker], strokeColor=None))
        x += 14 + put(drawing, x + 14, height - 71, f"{worker.value}  {_clock(seconds)}", 8, SANS, INK) + 18


def _axis(drawing: Drawing, height: float, zero: float, end: float, scale: float, rows: int) -> None:
    bottom = height - TOP - rows * ROW - 6
    length = end - zero
    step = next((s for s in (1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600) if length / s <= 10), 7200)
    for number in range(int(length // step) + 1):
        x = LEFT + number * step * scale
        drawing.add(Line(x, bottom, x, height - TOP, strokeColor=HAIR, strokeWidth=0.4))
        put(drawing, x - 8, bottom - 11, _clock(number * step), 7, SANS, SOFT)
    put(drawing, LEFT, bottom - 26, time.strftime("begun %Y-%m-%d %H:%M:%S", time.localtime(zero)), 7.5, SANS, SOFT)


def _clock(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02}"
