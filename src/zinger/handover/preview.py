"""Papers as text, for a look at them in a terminal: a site's drawing in characters, the rest in lines."""

from __future__ import annotations

import textwrap
from collections.abc import Iterable, Sequence
from itertools import pairwise

from zinger.handover.layout import Layout
from zinger.handover.record import DeviceRecord
from zinger.handover.sitemap import Joint, Node, SiteMap, Tier

LEFT, RIGHT, UP, DOWN = 1, 2, 4, 8
LINES = {
    LEFT: "─", RIGHT: "─", LEFT | RIGHT: "─", UP: "│", DOWN: "│", UP | DOWN: "│", RIGHT | DOWN: "╭", LEFT | DOWN: "╮",
    RIGHT | UP: "╰", LEFT | UP: "╯", UP | DOWN | RIGHT: "├", UP | DOWN | LEFT: "┤", LEFT | RIGHT | DOWN: "┬",
    LEFT | RIGHT | UP: "┴", LEFT | RIGHT | UP | DOWN: "┼",
}  # fmt: skip
POINTS_A_ROW = 15.0
"""How many points of a drawing one row of the terminal shows."""


def site_in_characters(shown: SiteMap, places: Layout, width: int) -> list[str]:
    """A site's drawing in a width of so many characters; where words would not fit into their boxes, told in lines."""
    columns = max(20, min(width, int(places.width / 6.8)))
    if any(
        _longest(shown.nodes[box.key]) + 3 > box.width * (columns - 1) / places.width for box in places.boxes.values()
    ):
        return site_in_lines(shown, width)
    fx, fy = (columns - 1) / max(places.width, 1.0), 1 / POINTS_A_ROW
    rows = int(places.height * fy) + 2
    bits = [[0] * columns for _ in range(rows)]
    for cable in places.cables:
        at = [(min(columns - 1, round(x * fx)), min(rows - 1, round(y * fy))) for x, y in cable.points]
        for one, other in pairwise(at):
            _run(bits, one, other)
    grid = [[LINES.get(cell, " ") for cell in row] for row in bits]
    for box in places.boxes.values():
        node = shown.nodes[box.key]
        left, top = round(box.x * fx), round(box.y * fy)
        right, bottom = min(columns - 1, round((box.x + box.width) * fx)), round((box.y + box.height) * fy)
        _frame(grid, left, top, right, min(bottom, rows - 1), _words_of(node))
    return ["".join(row).rstrip() for row in grid]


def site_in_lines(shown: SiteMap, width: int) -> list[str]:
    """The same in words: layer by layer each device, and below it what leads up, with the ports at both ends."""
    lines: list[str] = []
    for tier in Tier:
        here = [node for node in shown.nodes.values() if node.tier is tier]
        lines += ["", tier.name.lower()] if here else []
        for node in here:
            lines += textwrap.wrap(
                "  ".join(filter(None, _words_of(node))), width - 2, initial_indent="  ", subsequent_indent="      "
            )
            up = [joint for joint in shown.joints if joint.lower == node.key]
            lines += [line for joint in up for line in _leads_up(joint, shown.nodes[joint.upper], width)]
    return lines[1:]


def _leads_up(joint: Joint, upper: Node, width: int) -> list[str]:
    cables = f"{joint.strands} cables" if joint.strands > 1 else ""
    by = "by air" if joint.wireless else f"port {joint.lower_port}" if joint.lower_port else ""
    at = f"port {joint.upper_port}" if joint.upper_port else ""
    told = "  ".join(filter(None, (by, f"to {next(iter(_words_of(upper)), upper.key)}", at, cables, joint.words)))
    return textwrap.wrap(told, width - 2, initial_indent="    ↑ ", subsequent_indent="      ")


def _words_of(node: Node) -> tuple[str, ...]:
    record = node.record
    return node.words if record is None else (record.device.name, str(record.device.address or ""), record.state)


def _longest(node: Node) -> int:
    return max((len(word) for text in _words_of(node) for word in text.split()), default=0)


def _run(bits: list[list[int]], one: tuple[int, int], other: tuple[int, int]) -> None:
    (x1, y1), (x2, y2) = one, other
    step_x, step_y = (x2 > x1) - (x2 < x1), (y2 > y1) - (y2 < y1)
    ahead = {(1, 0): RIGHT, (-1, 0): LEFT, (0, 1): DOWN, (0, -1): UP}.get((step_x, step_y), 0)
    back = {RIGHT: LEFT, LEFT: RIGHT, UP: DOWN, DOWN: UP}.get(ahead, 0)
    while (x1, y1) != (x2, y2):
        bits[y1][x1] |= ahead
        x1, y1 = x1 + step_x, y1 + step_y
        bits[y1][x1] |= back


def _frame(grid: list[list[str]], left: int, top: int, right: int, bottom: int, words: Iterable[str]) -> None:
    inner = right - left - 1
    for y in range(top, bottom + 1):
        edge = y in (top, bottom)
        line = "═" * inner if edge else " " * inner
        ends = ("╔", "╗") if y == top else ("╚", "╝") if y == bottom else ("║", "║")
        grid[y][left : right + 1] = [ends[0], *line, ends[1]]
    rows = [row for text in words for row in textwrap.wrap(text, max(1, inner - 1))]
    shown = max(0, bottom - top - 1)
    if len(rows) > shown:
        rows[shown - 1 :] = ["…"] if shown else []
    for y, text in zip(range(top + 1, bottom), rows, strict=False):
        grid[y][left + 1 : right] = f" {text}".ljust(inner)


def open_points(found: Sequence[DeviceRecord]) -> list[str]:
    """What the proof sheet says is open, a line each; nothing where nothing is."""
    return [f"{record.device.name}: {sentence}" for record in found for sentence in record.still_open]


def to_be_known(found: Sequence[DeviceRecord]) -> list[str]:
    """What is settled, a line each: what was accepted, what was noted, and what a device does not have."""
    return [f"{record.device.name}: {sentence}" for record in found for sentence in record.also_told]
