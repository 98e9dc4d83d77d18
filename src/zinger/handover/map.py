"""A family's map as a drawing: places in columns by how many moves they are from home, moves as lines."""

from __future__ import annotations

from pathlib import Path

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing, Line, Rect

from zinger.handover.drawing import BRASS, GREEN, HAIR, INK, PAPER, ROSE, SLATE, SOFT, VIOLET, put
from zinger.handover.fonts import BOLD, MONO, embedded
from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import Kind
from zinger.phrasebook.outline import columns

BOX_W, BOX_H, GAP_X, GAP_Y, MARGIN = 128.0, 34.0, 96.0, 14.0, 30.0
COLOURS = {
    Kind.PROMPT: SLATE,
    Kind.QUESTION: BRASS,
    Kind.MENU: GREEN,
    Kind.PAGER: VIOLET,
    Kind.NOTICE: ROSE,
    Kind.PAGE: BRASS,
}
"""A colour for each kind of place."""


def map_drawing(book: Phrasebook) -> Drawing:
    """The whole map; sizes in points."""
    shown = columns(book)
    tallest = max(len(row) for row in shown)
    width = 2 * MARGIN + len(shown) * BOX_W + (len(shown) - 1) * GAP_X
    height = 2 * MARGIN + 40 + tallest * (BOX_H + GAP_Y)
    drawing = Drawing(width, height)
    drawing.add(Rect(0, 0, width, height, fillColor=PAPER, strokeColor=None))
    put(drawing, MARGIN, height - 34, f"{book.title}: the map", 16, BOLD, width=width - 2 * MARGIN)
    place: dict[str, tuple[float, float]] = {}
    for column, names in enumerate(shown):
        x = MARGIN + column * (BOX_W + GAP_X)
        for row, name in enumerate(names):
            place[name] = (x, height - MARGIN - 40 - (row + 1) * (BOX_H + GAP_Y))
    drawn: set[tuple[str, str]] = set()
    for move in book.map.moves:
        if book.places[move.origin].kind is Kind.PAGER:
            continue  # it leads back to wherever one was
        for outcome in move.outcomes:
            if (outcome, move.origin) not in drawn and outcome != move.origin:
                drawn.add((move.origin, outcome))
                _line(drawing, place[move.origin], place[outcome])
    for name, (x, y) in place.items():
        here = book.places[name]
        colour = COLOURS[here.kind]
        drawing.add(Rect(x, y, BOX_W, BOX_H, fillColor=PAPER, strokeColor=colour, strokeWidth=1.5, rx=3, ry=3))
        put(drawing, x + 6, y + BOX_H - 13, name, 9, BOLD, INK, BOX_W - 12)
        put(drawing, x + 6, y + 6, book.look_of(name), 6, MONO, SOFT, BOX_W - 12)
    return drawing


def _line(drawing: Drawing, a: tuple[float, float], b: tuple[float, float]) -> None:
    (x1, y1), (x2, y2) = sorted((a, b))
    if x1 == x2:
        drawing.add(Line(x1 + BOX_W, y1 + BOX_H / 2, x1 + BOX_W + 8, y1 + BOX_H / 2, strokeColor=HAIR))
        drawing.add(Line(x1 + BOX_W + 8, y1 + BOX_H / 2, x1 + BOX_W + 8, y2 + BOX_H / 2, strokeColor=HAIR))
        drawing.add(Line(x1 + BOX_W + 8, y2 + BOX_H / 2, x2 + BOX_W, y2 + BOX_H / 2, strokeColor=HAIR))
    else:
        drawing.add(Line(x1 + BOX_W, y1 + BOX_H / 2, x2, y2 + BOX_H / 2, strokeColor=HAIR, strokeWidth=1))


def write_map(book: Phrasebook, svg: Path | None, pdf: Path | None) -> list[Path]:
    """Write the drawing where it is wanted; returns the files."""
    drawing = map_drawing(book)
    written = []
    if svg:
        svg.write_text(embedded(renderSVG.drawToString(drawing)), "utf-8")
        written.append(svg)
    if pdf:
        pdf.write_bytes(renderPDF.drawToString(drawing))
        written.append(pdf)
    return written
