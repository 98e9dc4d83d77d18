"""Drawings: a site with its management segment, and the timeline of a run. Shapes only, no files.

Sizes are in points (1/72 inch). Text is measured before it is placed, so that nothing overlaps or is cut.
"""

from __future__ import annotations

import time

from reportlab.graphics.shapes import Drawing, Group, Line, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.pdfbase.pdfmetrics import stringWidth

from zinger.handover.record import DeviceRecord
from zinger.plan.model import Site
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.management.settings import GATEWAY, MANAGEMENT_VLAN
from zinger.run.memory import Span, Worker

INK, SOFT, HAIR, PAPER = HexColor("#1b2126"), HexColor("#5d666d"), HexColor("#b8bdc1"), HexColor("#ffffff")
GREEN, ROSE, BRASS, SLATE, VIOLET = (HexColor(c) for c in ("#3f8467", "#b04a63", "#a97a1c", "#4c6f9c", "#7a5fb0"))
STATE = {
    "proved": GREEN,
    "configured": SLATE,
    "differs": ROSE,
    "plan changed": VIOLET,
    "needs a person": VIOLET,
    "not done": SOFT,
    "planned only": SOFT,
}
COLOUR_OF = {Worker.DEVICE: HexColor("#c9cdd0"), Worker.ZINGER: SLATE, Worker.HANDS: VIOLET}
SANS, BOLD, MONO = "Helvetica", "Helvetica-Bold", "Courier"
WIDTH = 780.0
BOX_W, BOX_H, GAP, MARGIN = 172.0, 104.0, 16.0, 30.0


def fitted(text: str, font: str, size: float, width: float) -> str:
    """The text, shortened with an ellipsis until it fits; characters the font lacks become question marks."""
    text = text.encode("cp1252", "replace").decode("cp1252")
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


def site_drawing(title: str, site: Site, found: list[DeviceRecord]) -> Drawing:
    """A site: its gateway, the management segment, and every device with address, serial and label."""
    per_row = int((WIDTH - 2 * MARGIN + GAP) // (BOX_W + GAP))
    rows = [found[i : i + per_row] for i in range(0, len(found), per_row)]
    shared = shared_values(found)
    table = 26 + 13.0 * ((len(shared) + 1) // 2) if shared else 0.0
    height = 128 + len(rows) * (BOX_H + 46) + table
    drawing = Drawing(WIDTH, height)
    drawing.add(Rect(0, 0, WIDTH, height, fillColor=PAPER, strokeColor=None))
    put(drawing, MARGIN, height - 34, site.name, 18, BOLD, width=460)
    put(drawing, MARGIN, height - 50, title, 9, SANS, SOFT, width=460)
    proved = sum(r.state == "proved" for r in found)
    put(drawing, WIDTH - MARGIN - 200, height - 34, f"{proved} of {len(found)} proved", 12, BOLD, GREEN, 200)
    put(drawing, WIDTH - MARGIN - 200, height - 50, time.strftime("drawn %Y-%m-%d %H:%M"), 8, SANS, SOFT, 200)
    _gateway(drawing, site, found, height)
    bus = height - 104
    for number, row in enumerate(rows):
        y = bus - number * (BOX_H + 46)
        drawing.add(Line(MARGIN, y, WIDTH - MARGIN, y, strokeColor=SLATE, strokeWidth=2.5))
        if number:
            top = bus - (number - 1) * (BOX_H + 46)
            drawing.add(Line(MARGIN, top, MARGIN, y, strokeColor=SLATE, strokeWidth=2.5))
        for column, record in enumerate(row):
            x = MARGIN + 12 + column * (BOX_W + GAP)
            drawing.add(Line(x + BOX_W / 2, y, x + BOX_W / 2, y - 22, strokeColor=SLATE, strokeWidth=1.5))
            drawing.add(_box(x, y - 22 - BOX_H, record))
    _shared(drawing, shared, table)
    return drawing


def shared_values(found: list[DeviceRecord]) -> list[tuple[str, str]]:
    """(title, value) of every setting that is planned alike for all devices of a site."""
    shared = []
    for name, setting in SETTINGS.items():
        values = {r.device.values[name].shown if name in r.device.values else None for r in found}
        if len(values) == 1 and (value := values.pop()) is not None:
            shared.append((setting.title, value))
    return shared


def _shared(drawing: Drawing, shared: list[tuple[str, str]], height: float) -> None:
    """What all devices of the site have in common, in two columns at the foot."""
    if not shared:
        return
    put(drawing, MARGIN, height - 8, "the same on every device here", 9, BOLD, SLATE)
    half = (len(shared) + 1) // 2
    for number, (title, value) in enumerate(shared):
        x = MARGIN + (number // half) * (WIDTH - 2 * MARGIN) / 2
        y = height - 23 - 13 * (number % half)
        put(drawing, x, y, title, 8, SANS, SOFT, 100)
        put(drawing, x + 105, y, value, 8, SANS, INK, (WIDTH - 2 * MARGIN) / 2 - 115)


def _gateway(drawing: Drawing, site: Site, found: list[DeviceRecord], height: float) -> None:
    y = height - 96
    gateways = sorted({str(gateway) for r in found if (gateway := r.device[GATEWAY])})
    vlans = sorted({str(vlan) for r in found if (vlan := r.device[MANAGEMENT_VLAN])})
    words = f"management segment {site.subnet or ''}"
    words += f"   VLAN {', '.join(vlans)}" if vlans else ""
    words += f"   gateway {', '.join(gateways)}" if gateways else ""
    put(drawing, MARGIN, y, words, 9, BOLD, SLATE, WIDTH - 2 * MARGIN)


def _box(x: float, y: float, record: DeviceRecord) -> Group:
    device, colour = record.device, STATE[record.state]
    group = Group()
    group.add(Rect(x, y, BOX_W, BOX_H, rx=3, ry=3, fillColor=PAPER, strokeColor=INK, strokeWidth=0.8))
    group.add(Rect(x, y + BOX_H - 4, BOX_W, 4, fillColor=colour, strokeColor=None))
    room = BOX_W - 16
    put(group, x + 8, y + BOX_H - 20, device.name, 11, BOLD, width=room)
    address = str(device.address) if device.address else "no address"
    put(group, x + 8, y + BOX_H - 35, address, 10, MONO, width=room)
    facts = (
        f"{device.family}   {device.role}",
        f"at {device.location}" if device.location else "",
        f"serial {device.serial}" if device.serial else "",
        f"label {device.label}" if device.label else "",
    )
    line = y + BOX_H - 49
    for fact in filter(None, facts):
        put(group, x + 8, line, fact, 8, SANS, SOFT, room)
        line -= 11
    put(group, x + 8, y + 7, record.state, 8.5, BOLD, colour, room)
    return group


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
