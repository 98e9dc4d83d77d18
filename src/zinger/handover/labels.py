"""Labels for the devices, on sheets given by their millimetres: hostname, address, asset number, and a QR code.

QR codes by ISO/IEC 18004. A sheet is named by the size of one label, since that is what its carton says everywhere.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import segno
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from zinger.errors import ZingerError
from zinger.handover.drawing import INK, SOFT, fitted
from zinger.handover.fonts import BOLD, MONO, SANS
from zinger.handover.record import DeviceRecord


class LabelError(ZingerError):
    """A sheet of labels that is not known, or does not fit on its paper."""


@dataclass(frozen=True)
class LabelSheet:
    """A sheet of A4 paper (210 x 297 mm): columns and rows of labels, their size and gaps, in millimetres."""

    columns: int
    rows: int
    width: float
    height: float
    gap_x: float = 0.0
    gap_y: float = 0.0

    @property
    def left(self) -> float:
        """The margin at the left: what the labels leave, shared by both sides."""
        return (210 - self.columns * self.width - (self.columns - 1) * self.gap_x) / 2

    @property
    def top(self) -> float:
        """The margin at the top, by the same rule."""
        return (297 - self.rows * self.height - (self.rows - 1) * self.gap_y) / 2

    def place(self, number: int) -> tuple[float, float]:
        """The lower left corner of a label, in millimetres from the lower left of the paper; `number` from 0."""
        column, row = number % self.columns, number // self.columns % self.rows
        x = self.left + column * (self.width + self.gap_x)
        return x, 297 - self.top - (row + 1) * self.height - row * self.gap_y


SHEETS = {
    "70x36": LabelSheet(3, 8, 70, 36),
    "63.5x38.1": LabelSheet(3, 7, 63.5, 38.1, 2.5),
    "48.5x25.4": LabelSheet(4, 10, 48.5, 25.4),
    "52.5x29.7": LabelSheet(4, 10, 52.5, 29.7),
    "99.1x33.9": LabelSheet(2, 8, 99.1, 33.9, 2.5),
    "38.1x21.2": LabelSheet(5, 13, 38.1, 21.2, 2.5),
}
"""Sheets that are common, by the size of a label in millimetres."""
STANDARD = "70x36"


def sheet_of(name: str) -> LabelSheet:
    """The sheet of this name; another size of label, such as `60x30`, is put on A4 as often as it fits."""
    if name in SHEETS:
        return SHEETS[name]
    try:
        width, height = (float(part) for part in name.lower().split("x"))
    except ValueError:
        raise LabelError(
            f"{name!r} is not a size of labels. Write millimetres like 60x30, or {', '.join(SHEETS)}"
        ) from None
    if not (20 <= width <= 200 and 12 <= height <= 280):
        raise LabelError(f"labels of {name} mm do not fit: from 20x12 to 200x280 mm")
    return LabelSheet(int(204 // width), int(290 // height), width, height)


def labels(title: str, found: Sequence[DeviceRecord], sheet: LabelSheet, skip: int = 0) -> bytes:
    """A PDF of labels, one a device; the first `skip` of the first sheet are used up already."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(210 * mm, 297 * mm), invariant=1)
    canvas.setTitle(f"Labels, {title}")
    for number, record in enumerate(found, skip):
        if number > skip and number % (sheet.columns * sheet.rows) == 0:
            canvas.showPage()
        x, y = sheet.place(number)
        _label(canvas, x * mm, y * mm, sheet, record)
    canvas.save()
    return out.getvalue()


def told(record: DeviceRecord) -> str:
    """What the QR code says: name, address, asset number, serial number, a line each."""
    device = record.device
    address = str(device.fixed.ip) if device.fixed else str(device.address or "")
    return "\n".join(filter(None, (device.name, address, device.label, device.serial)))


def _label(canvas: Canvas, x: float, y: float, sheet: LabelSheet, record: DeviceRecord) -> None:
    width, height, pad = sheet.width * mm, sheet.height * mm, 2.5 * mm
    code = min(height - 2 * pad, width * 0.36)
    _code(canvas, x + width - pad - code, y + (height - code) / 2, code, told(record))
    device = record.device
    room = width - code - 3 * pad
    size = min(11.0, height / 4.2)
    address = str(device.fixed.ip) if device.fixed else str(device.address or "")
    lines = ((device.name, BOLD, size, INK), (address, MONO, size * 0.85, INK), (device.label, SANS, size * 0.75, INK),
             (device.serial, SANS, size * 0.65, SOFT), (device.location, SANS, size * 0.65, SOFT))  # fmt: skip
    shown = [line for line in lines if line[0]]
    top = y + height - pad - size
    for text, font, points, colour in shown:
        while points > 5 and fitted(text, font, points, room) != fitted(text, font, points, 10_000):
            points -= 0.25  # a name is made smaller before it is cut
        if top < y + 1:
            break
        canvas.setFont(font, points)
        canvas.setFillColor(colour)
        canvas.drawString(x + pad, top, fitted(text, font, points, room))
        top -= points * 1.35


def _code(canvas: Canvas, x: float, y: float, size: float, text: str) -> None:
    rows = list(segno.make(text, error="m", micro=False).matrix_iter(border=1))
    module = size / len(rows)
    canvas.setFillColor(INK)
    for number, row in enumerate(rows):
        for column, dark in enumerate(row):
            if dark:
                canvas.rect(x + column * module, y + size - (number + 1) * module, module, module, stroke=0, fill=1)
