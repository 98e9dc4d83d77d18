"""The port map of a switch: each planned port as a field in the colour of its VLAN, with what is at the other end."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import zip_longest

from reportlab.graphics.shapes import Drawing, Line, Rect

from zinger.handover.drawing import HAIR, INK, PAPER, SLATE, SOFT, put
from zinger.handover.fonts import BOLD, MONO, SANS
from zinger.handover.record import DeviceRecord
from zinger.handover.sitedrawing import BANDS
from zinger.handover.sitemap import vlans_of
from zinger.plan.subjects.switching.settings import LAGS, PORT_OPTIONS, PORTS, RING, UPLINKS, VLANS

MARGIN, FIELD_W, FIELD_H, PER_ROW = 28.0, 62.0, 64.0, 12


@dataclass
class PortField:
    """What is planned for one port: untagged and tagged VLANs, its group, and words about what it leads to."""

    name: str
    mode: str = ""
    untagged: int | None = None
    tagged: tuple[int, ...] = ()
    group: str = ""
    leads_to: str = ""
    closed: bool = False

    @property
    def in_words(self) -> str:
        """The port in one line."""
        untagged = f"untagged {self.untagged}" if self.untagged is not None else ""
        tagged = f"tagged {','.join(map(str, self.tagged))}" if self.tagged else ""
        parts = ("closed" if self.closed else self.mode, untagged, tagged, self.group, self.leads_to)
        return f"{self.name:<8} {'  '.join(filter(None, parts))}"


def port_fields(record: DeviceRecord, everyone: Iterable[DeviceRecord] = ()) -> list[PortField]:
    """Every port that the plan says something of, in their order; what others say of their uplinks to it is too."""
    fields = _Fields()
    _members(record, fields)
    _leads(record, everyone, fields)
    return [fields[name] for name in sorted(fields, key=_natural)]


class _Fields(dict[str, PortField]):
    """The fields of ports by name; one that is named first is begun."""

    def of(self, names: Sequence[str]) -> list[PortField]:
        return [self.setdefault(name, PortField(name)) for name in names]


def _members(record: DeviceRecord, fields: _Fields) -> None:
    """What each port carries, and which group it belongs to."""
    device = record.device
    for port in device[PORTS] or ():
        for field in fields.of(port.ports):
            field.mode, field.tagged, field.closed = port.mode, port.tagged, port.mode == "off"
            field.untagged = port.vlan if port.mode == "access" else port.native
            field.leads_to = port.description
    for lag in device[LAGS] or ():
        for field in fields.of(lag.ports):
            field.group = lag.name
    for option in device[PORT_OPTIONS] or ():
        for field in fields.of(option.ports):
            field.closed = field.closed or option.enabled == "off"


def _leads(record: DeviceRecord, everyone: Iterable[DeviceRecord], fields: _Fields) -> None:
    """Where cables lead, by its own plan and by that of the devices at the other end."""
    device = record.device
    coming = [(other.device.name, link) for other in everyone for link in other.device[UPLINKS] or ()]
    for name, link in coming:
        if link.to == device.name:
            for field, far in zip(fields.of(link.their or ()), link.ports, strict=False):
                field.leads_to = f"{name} {far}"
    for link in device[UPLINKS] or ():
        for field, far in zip_longest(fields.of(link.ports), link.their or ()):
            if field is not None:
                field.leads_to = f"{link.to}{f' {far}' if far else ''}"
    for ring in device[RING] or ():
        for field in fields.of(ring.ports):
            field.leads_to = f"ring, {ring.partner}"


def _natural(name: str) -> list[tuple[int, str]]:
    return [(int(part), "") if part.isdigit() else (-1, part) for part in re.split(r"(\d+)", name) if part]


def port_map(title: str, record: DeviceRecord, everyone: Iterable[DeviceRecord] = ()) -> Drawing | None:
    """The port map of a device; None for one without planned ports."""
    fields = port_fields(record, everyone)
    if not fields:
        return None
    rows = -(-len(fields) // PER_ROW)
    vlans = vlans_of(record.device)
    colours = {vlan: BANDS[number % len(BANDS)] for number, vlan in enumerate(vlans)}
    names = {vlan.id: vlan.name for vlan in record.device[VLANS] or ()}
    width = 2 * MARGIN + PER_ROW * FIELD_W
    height = 2 * MARGIN + 54 + rows * (FIELD_H + 8) + 34
    drawing = Drawing(width, height)
    drawing.add(Rect(0, 0, width, height, fillColor=PAPER, strokeColor=None))
    y = height - MARGIN
    put(drawing, MARGIN, y - 16, f"{record.device.name}: ports", 16, BOLD, width=width - 2 * MARGIN)
    where = record.device.location or record.device.site.name
    put(drawing, MARGIN, y - 32, f"{title} · {where} · {record.device.label or 'no label'}", 8.5, SANS, SOFT, 700)
    for number, field in enumerate(fields):
        x = MARGIN + FIELD_W * (number % PER_ROW)
        _field(drawing, x, y - 50 - (FIELD_H + 8) * (number // PER_ROW + 1), field, colours)
    for number, vlan in enumerate(vlans):
        x = MARGIN + 124 * (number % 6)
        row = MARGIN + 12 - 13 * (number // 6)
        drawing.add(Rect(x, row - 2, 20, 9, fillColor=colours[vlan], strokeColor=None))
        put(drawing, x + 2.5, row, str(vlan), 6.5, BOLD, PAPER, 18)
        put(drawing, x + 25, row, names.get(vlan, ""), 8, SANS, INK, 94)
    return drawing


def _field(drawing: Drawing, x: float, y: float, field: PortField, colours: dict[int, object]) -> None:
    drawing.add(Rect(x, y, FIELD_W - 4, FIELD_H, fillColor=PAPER, strokeColor=INK, strokeWidth=0.7))
    if field.closed:
        drawing.add(Line(x, y, x + FIELD_W - 4, y + FIELD_H, strokeColor=HAIR, strokeWidth=0.7))
    room = FIELD_W - 10
    put(drawing, x + 3, y + FIELD_H - 11, field.name, 8.5, BOLD, width=room)
    mode = "closed" if field.closed else field.mode
    put(drawing, x + 3, y + FIELD_H - 21, f"{mode}{f' {field.group}' if field.group else ''}", 6.5, SANS, SLATE, room)
    words, line = field.leads_to.split(), ""
    shown: list[str] = []
    for word in words:
        if line and len(f"{line} {word}") > 13:
            shown.append(line)
            line = word
        else:
            line = f"{line} {word}".strip()
    for number, text in enumerate([*shown, line][:2]):
        put(drawing, x + 3, y + FIELD_H - 31 - 8 * number, text, 6.2, SANS, SOFT, room)
    if field.untagged is not None:
        drawing.add(Rect(x, y, FIELD_W - 4, 9, fillColor=colours.get(field.untagged, SOFT), strokeColor=None))
        put(drawing, x + 3, y + 2, f"{field.untagged}", 6.5, BOLD, PAPER, room)
    if field.tagged:
        width = (FIELD_W - 4) / len(field.tagged)
        for number, vlan in enumerate(field.tagged):
            drawing.add(Rect(x + number * width, y + 9, width, 8, fillColor=PAPER, strokeColor=colours.get(vlan, SOFT)))
            put(drawing, x + number * width + 2, y + 11, str(vlan), 5.6, MONO, INK, width - 3)
