"""The address ladder of a subnet on paper: every address that is used, by whom, and the free ones between as ranges."""

from __future__ import annotations

from collections.abc import Sequence
from ipaddress import ip_address

from reportlab.graphics.shapes import Drawing, Line, Rect

from zinger.handover.drawing import GREEN, HAIR, INK, PAPER, ROSE, SLATE, SOFT, VIOLET, put
from zinger.handover.fonts import BOLD, MONO, SANS
from zinger.handover.record import DeviceRecord
from zinger.plan.ladder import Use, ladder
from zinger.plan.model import Site
from zinger.plan.subnets import hosts

MARGIN, RUNG, COLUMN, PER_COLUMN = 28.0, 15.0, 262.0, 34
COLOURS = {
    Use.GATEWAY: VIOLET,
    Use.DEVICE: GREEN,
    Use.SERVER: SLATE,
    Use.POOL: HAIR,
    Use.RESERVED: HAIR,
    Use.CLASH: ROSE,
}


def rungs(site: Site, found: Sequence[DeviceRecord]) -> list[tuple[Use, int, int, str]]:
    """(use, first, last, who) in the order of addresses; nothing for a site without a subnet that can be drawn."""
    used = ladder([record.device for record in found], site)
    if used is None:
        return []
    names: dict[int, list[str]] = {}
    for record in found:
        if record.device.fixed:
            names.setdefault(int(record.device.fixed.ip), []).append(record.device.name)
    rows: list[tuple[Use, int, int, str]] = []
    first, last = hosts(used.net)
    for number in sorted({first, *used.uses}):
        use, who = used.use(number), ", ".join(names.get(number, ()))
        free_from = rows[-1][2] + 1 if rows else first
        if number > free_from:
            rows.append((Use.FREE, free_from, number - 1, ""))
        if rows and rows[-1][0] is use and not who and not rows[-1][3] and rows[-1][2] == number - 1:
            rows[-1] = (use, rows[-1][1], number, "")
        else:
            rows.append((use, number, number, who))
    if rows and rows[-1][2] < last:
        rows.append((Use.FREE, rows[-1][2] + 1, last, ""))
    return rows


def address_ladder(title: str, site: Site, found: Sequence[DeviceRecord]) -> Drawing | None:
    """The ladder of a site's subnet; None where it has none, or one of more than 65,536 addresses."""
    rows = rungs(site, found)
    if not rows or site.subnet is None:
        return None
    columns = -(-len(rows) // PER_COLUMN)
    per_column = -(-len(rows) // columns)
    width = 2 * MARGIN + max(columns, 2) * COLUMN
    height = 2 * MARGIN + 54 + per_column * RUNG
    drawing = Drawing(width, height)
    drawing.add(Rect(0, 0, width, height, fillColor=PAPER, strokeColor=None))
    y = height - MARGIN
    put(drawing, MARGIN, y - 16, f"{site.name}: {site.subnet}", 16, BOLD, width=width - 2 * MARGIN)
    put(drawing, MARGIN, y - 32, title, 8.5, SANS, SOFT, width - 2 * MARGIN)
    version = site.subnet.version
    kind = type(site.subnet.network_address)
    for number, (use, first, last, who) in enumerate(rows):
        x, row = MARGIN + COLUMN * (number // per_column), y - 54 - RUNG * (number % per_column)
        drawing.add(Line(x + 2, row - 4, x + 2, row + RUNG - 4, strokeColor=INK, strokeWidth=0.8))
        drawing.add(Line(x + 12, row - 4, x + 12, row + RUNG - 4, strokeColor=INK, strokeWidth=0.8))
        if use is not Use.FREE:
            drawing.add(Rect(x + 3, row - 1, 8, 8, fillColor=COLOURS[use], strokeColor=None))
        text = f"{kind(first)}" if first == last else f"{kind(first)} to {_tail(first, last, version)}"
        taken = use is not Use.FREE
        put(drawing, x + 18, row, text, 8, MONO, INK if taken else SOFT, 128)
        put(drawing, x + 148, row, who or use.value, 8, SANS, INK if who else SOFT, COLUMN - 156)
    return drawing


def rungs_in_words(site: Site, found: Sequence[DeviceRecord]) -> list[str]:
    """The ladder as lines."""
    if site.subnet is None:
        return []
    kind = type(site.subnet.network_address)
    return [
        f"{f'{kind(first)}' if first == last else f'{kind(first)} to {_tail(first, last, site.subnet.version)}':<24} "
        f"{who or use.value}"
        for use, first, last, who in rungs(site, found)
    ]


def _tail(first: int, last: int, version: int) -> str:
    """The end of a range, as short as it can be told: `.29`, or all of an IPv6 address."""
    a, b = str(ip_address(first)) if version == 4 else "", str(ip_address(last))
    same = a.rpartition(".")[0] == b.rpartition(".")[0]
    return f".{b.rpartition('.')[2]}" if version == 4 and same else b
