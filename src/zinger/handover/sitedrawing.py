"""The drawing of a site: boxes in layers, cables with ports at both ends, VLANs as bands with a legend."""

from __future__ import annotations

import time
from collections.abc import Sequence

from reportlab.graphics.shapes import Drawing, Ellipse, Group, Line, PolyLine, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.pdfbase.pdfmetrics import stringWidth

from zinger.handover.drawing import HAIR, INK, PAPER, SLATE, SOFT, STATE, fitted, put
from zinger.handover.fonts import BOLD, MONO, SANS
from zinger.handover.layout import BOX_H, PORT_ROOM, Box, Cable, lay_out
from zinger.handover.record import DeviceRecord
from zinger.handover.sitemap import Node, SiteMap, Tier, site_map
from zinger.plan.model import Site
from zinger.plan.settings import SETTINGS

MARGIN, HEAD, SIDE = 28.0, 64.0, 74.0
BANDS = [HexColor(c) for c in ("#4c6f9c", "#a97a1c", "#3f8467", "#7a5fb0", "#b04a63", "#2f7f8f", "#7d6b3a", "#5d666d")]
"""Colours of VLANs, in the order of their numbers; the ninth begins anew, its number tells it apart."""
SIGNS = {
    "proved": "●",
    "configured": "◎",
    "differs": "◆",
    "plan changed": "▲",
    "not proved since": "▲",
    "needs a person": "▲",
    "set by hand": "□",
}
"""A shape for each state, as on the screen, since some print in grey."""
TIERS = {
    Tier.OUTSIDE: "outside",
    Tier.GATEWAY: "gateway",
    Tier.DISTRIBUTION: "distribution",
    Tier.ACCESS: "access",
    Tier.WIRELESS: "wireless",
}


def site_drawing(
    title: str,
    site: Site,
    found: Sequence[DeviceRecord],
    everyone: Sequence[DeviceRecord] = (),
    at: float | None = None,
) -> Drawing:
    """A site as engineers draw it; `at`, in seconds since 1970, is when what it shows was so."""
    shown = site_map(found, everyone)
    places = lay_out(shown)
    lacks = 1.38 * (places.width + SIDE) - places.height - HEAD - _foot_height(shown, shared_values(list(found)))
    if places.height > 0.7 * places.width and lacks > 0 and len(places.tiers) > 1:  # an upright page is filled
        places = lay_out(shown, min(70.0, lacks / (len({box.y for box in places.boxes.values()}) - 1)))
    colours = {vlan: BANDS[number % len(BANDS)] for number, vlan in enumerate(sorted(shown.vlans))}
    shared = shared_values(list(found))
    foot = _foot_height(shown, shared)
    width = max(places.width + SIDE, 620.0) + 2 * MARGIN
    height = HEAD + places.height + foot + 2 * MARGIN
    drawing = Drawing(width, height)
    drawing.add(Rect(0, 0, width, height, fillColor=PAPER, strokeColor=None))
    _head(drawing, title, site, found, at)
    left, top = MARGIN + SIDE + (width - 2 * MARGIN - SIDE - places.width) / 2, height - MARGIN - HEAD
    for tier, y in places.tiers:
        put(drawing, MARGIN, top - y - 14, TIERS[tier], 8.5, BOLD, SLATE, SIDE)
        drawing.add(Line(MARGIN, top - y + 4, width - MARGIN, top - y + 4, strokeColor=HAIR, strokeWidth=0.3))
    picture = Group(transform=(1, 0, 0, 1, left, top))
    for cable in places.cables:
        _cable(picture, cable)
    for box in places.boxes.values():
        _box(picture, box, shown.nodes[box.key], colours, shown.joined(box.key))
    drawing.add(picture)
    _foot(drawing, shown, colours, shared, foot + MARGIN)
    return drawing


def shared_values(found: list[DeviceRecord]) -> list[tuple[str, str]]:
    """(title, value) of every setting that is planned alike for all devices of a site."""
    shared = []
    for name, setting in SETTINGS.items():
        values = {r.device.values[name].shown if name in r.device.values else None for r in found}
        if len(values) == 1 and (value := values.pop()) is not None:
            shared.append((setting.title, value))
    return shared


def _head(drawing: Drawing, title: str, site: Site, found: Sequence[DeviceRecord], at: float | None) -> None:
    y = drawing.height - MARGIN
    put(drawing, MARGIN, y - 18, site.name, 18, BOLD, width=drawing.width / 2)
    put(drawing, MARGIN, y - 34, f"{title}   {site.subnet or ''}", 9, SANS, SOFT, drawing.width / 2)
    proved = sum(record.state == "proved" for record in found)
    right = drawing.width - MARGIN - 200
    put(drawing, right, y - 18, f"{proved} of {len(found)} proved", 12, BOLD, STATE["proved"], 200)
    as_of = "nothing was run yet" if at is None else time.strftime("as of %Y-%m-%d %H:%M", time.localtime(at))
    put(drawing, right, y - 34, as_of, 8, SANS, SOFT, 200)


def _cable(picture: Group, cable: Cable) -> None:
    joint = cable.joint
    points = [(x, -y) for x, y in cable.points]
    flat = [value for point in points for value in point]
    dash = [4, 3] if joint.wireless else None
    if joint.strands > 1:  # aggregated links are drawn doubled, tied together
        picture.add(PolyLine(flat, strokeColor=INK, strokeWidth=3.6, strokeDashArray=dash))
        picture.add(PolyLine(flat, strokeColor=PAPER, strokeWidth=1.6, strokeDashArray=dash))
        x, y = points[0]
        picture.add(Ellipse(x, y - PORT_ROOM + 2, 4.5, 2.2, fillColor=None, strokeColor=INK, strokeWidth=0.9))
    else:
        picture.add(PolyLine(flat, strokeColor=INK, strokeWidth=1.2, strokeDashArray=dash))
    if joint.wireless:
        for radius in (3, 6):
            x, y = points[0]
            picture.add(Ellipse(x, y - 4, radius, radius / 2, fillColor=None, strokeColor=SLATE, strokeWidth=0.7))
    (x1, y1), (x2, y2) = points[0], points[-1]
    level = abs(y1 - y2) < 1  # both ends are in one row
    (xa, ya), (xb, _) = points[1], points[2]
    words = fitted(joint.words, SANS, 6.5, max(abs(xb - xa) - 4, 0)).strip(".")
    _along(picture, x1, y1 - PORT_ROOM + 2, joint.upper_port)
    _along(picture, x2, y2 - PORT_ROOM + 2 if level else y2 + 3, joint.lower_port)
    if joint.words and not words:  # it runs straight down: there is room beside it
        picture.add(String(xa + 5, ya, joint.words, fontName=SANS, fontSize=6.5, fillColor=SLATE))
    if words:
        middle = (xa + xb) / 2 - stringWidth(words, SANS, 6.5) / 2
        picture.add(String(middle, ya + 1.5, words, fontName=SANS, fontSize=6.5, fillColor=SLATE))


def _along(picture: Group, x: float, y: float, words: str) -> None:
    """A port's name along its cable, read from below; a long one is written smaller before it is cut."""
    size = 6.5
    while words and size > 4.2 and stringWidth(words, MONO, size) > PORT_ROOM - 5:
        size -= 0.2
    if words:
        turned = Group(transform=(0, 1, -1, 0, x - 3.4, y))
        text = fitted(words, MONO, size, PORT_ROOM - 4)
        turned.add(String(0, 0, text, fontName=MONO, fontSize=size, fillColor=SOFT))
        picture.add(turned)


def _box(picture: Group, box: Box, node: Node, colours: dict[int, HexColor], joined: bool) -> None:
    bottom = -box.y - BOX_H
    record = node.record
    if record is None:
        picture.add(
            Rect(box.x, bottom, box.width, BOX_H, rx=16, ry=16, fillColor=PAPER, strokeColor=SOFT,
                 strokeWidth=0.8, strokeDashArray=[3, 2])
        )  # fmt: skip
        for number, words in enumerate(node.words or (node.key,)):
            put(picture, box.x + 14, bottom + BOX_H - 20 - 12 * number, words, 8.5 if number else 9.5,
                SANS if number else BOLD, SOFT if number else INK, box.width - 24)  # fmt: skip
        return
    device, colour = record.device, STATE[record.state]
    picture.add(Rect(box.x, bottom, box.width, BOX_H, rx=2, ry=2, fillColor=PAPER, strokeColor=INK, strokeWidth=0.9))
    room = box.width - 14
    y = bottom + BOX_H - 14
    put(picture, box.x + 7, y, device.name, 10, BOLD, width=room - 12)
    put(picture, box.x + box.width - 16, y, SIGNS.get(record.state, "○"), 10, SANS, colour, 14)
    address = str(device.address) if device.address else "no management address"
    put(picture, box.x + 7, y - 13, address, 8.5, MONO, width=room)
    place = f"{device.location or 'place not given'}{f' · {device.label}' if device.label else ''}"
    facts = (f"{device.family} · {device.role}", place, f"serial {device.serial}" if device.serial else "")
    for number, fact in enumerate(filter(None, facts)):
        put(picture, box.x + 7, y - 24 - 9.5 * number, fact, 7, SANS, SOFT, room)
    words = record.state if joined else f"{record.state} · no cable planned"
    put(picture, box.x + 7, bottom + 12, words, 7, BOLD, colour, room)
    if node.vlans:
        width = box.width / len(node.vlans)
        for number, vlan in enumerate(node.vlans):
            x = box.x + number * width
            picture.add(Rect(x, bottom, width, 8, fillColor=colours[vlan], strokeColor=PAPER, strokeWidth=0.4))
            if width > 14:
                put(picture, x + 2.5, bottom + 1.8, str(vlan), 6.2, BOLD, PAPER, width - 3)


def _foot_height(shown: SiteMap, shared: Sequence[tuple[str, str]]) -> float:
    legend = 22.0 + 13.0 * -(-len(shown.vlans) // 5) if shown.vlans else 0.0
    return 22 + legend + (20.0 + 12.0 * -(-len(shared) // 2) if shared else 0.0)


def _foot(
    drawing: Drawing, shown: SiteMap, colours: dict[int, HexColor], shared: Sequence[tuple[str, str]], top: float
) -> None:
    """The legend of VLANs, and what all devices of the site have in common."""
    width, y = drawing.width - 2 * MARGIN, top - 14
    if shown.vlans:
        put(drawing, MARGIN, y, "VLANs, as bands at the foot of each device", 8.5, BOLD, SLATE)
        column = width / 5
        for number, vlan in enumerate(sorted(shown.vlans)):
            x, row = MARGIN + column * (number % 5), y - 14 - 13 * (number // 5)
            drawing.add(Rect(x, row - 1.5, 18, 8, fillColor=colours[vlan], strokeColor=None))
            put(drawing, x + 2.5, row, str(vlan), 6.2, BOLD, PAPER, 16)
            put(drawing, x + 23, row, shown.vlans[vlan], 8, SANS, INK, column - 28)
        y -= 22 + 13 * -(-len(shown.vlans) // 5)
    states = "● proved  ◎ configured  ◆ differs  ▲ needs a person  ■ set by hand  ○ not done"
    signs = f"double line: aggregated links    dashed: wireless    {states}"
    put(drawing, MARGIN, y, signs, 7.5, SANS, SOFT, width)
    y -= 20
    if shared:
        put(drawing, MARGIN, y, "the same on every device here", 8.5, BOLD, SLATE)
        half = -(-len(shared) // 2)
        for number, (title, value) in enumerate(shared):
            x, row = MARGIN + (number // half) * width / 2, y - 13 - 12 * (number % half)
            put(drawing, x, row, title, 7.5, SANS, SOFT, 108)
            put(drawing, x + 112, row, value, 7.5, SANS, INK, width / 2 - 120)


def page_fits(drawing: Drawing) -> str:
    """The sheet on which a drawing can be read: A4, or A3 where A4 would make its letters too small (ISO 216)."""
    longer, shorter = sorted((drawing.width, drawing.height), reverse=True)
    return "A3" if max(longer / 800, shorter / 550) > 1.35 else "A4"
