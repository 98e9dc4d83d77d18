"""Where everything of a site drawing goes: boxes in rows by layer, cables in channels between them. Pure geometry.

Cables run in channels between the rows, each in a lane of its own, and pass a row through a gutter between two boxes;
so no cable crosses a box, however many there are. graphviz was rejected for this: its layered layout is as good, but
its labels at the ends of edges overlap, and it would be one more program to install.

Sizes in points; y grows downwards here, and is turned over when it is drawn.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from zinger.handover.sitemap import Joint, SiteMap, Tier

BOX_W, BOX_H, GAP = 148.0, 86.0, 26.0
PORT_ROOM, LANE, SLOT, END = 36.0, 6.0, 6.0, 11.0
"""Room for a port's name beside its cable; between two cables in a channel, in a gutter, at a box."""
PER_ROW = 7
"""Boxes in a row at most: more make a page so wide that nobody can read it."""


@dataclass(frozen=True)
class Box:
    """A node's place: its upper left corner, and its size."""

    key: str
    x: float
    y: float
    width: float
    height: float = BOX_H


@dataclass(frozen=True)
class Cable:
    """A joint's way: corners from the upper node's edge to the lower one's."""

    joint: Joint
    points: tuple[tuple[float, float], ...]


@dataclass
class Layout:
    """All places of a drawing; `tiers` are (tier, y of its first row) for the names at the margin."""

    width: float
    height: float
    boxes: dict[str, Box]
    cables: list[Cable]
    tiers: list[tuple[Tier, float]]


@dataclass
class _Way:
    """A joint on its way through the rows: where it starts and ends, the gutters that it passes, and its lanes."""

    joint: Joint
    top: int
    bottom: int
    starts: float = 0.0
    ends: float = 0.0
    gutters: dict[int, float] = field(default_factory=dict)


def lay_out(shown: SiteMap, spread: float = 0.0) -> Layout:
    """Place everything of a site, its rows so many points further apart than they must be."""
    rows, tiers = _rows(shown)
    row_of = {key: number for number, row in enumerate(rows) for key in row}
    ways = []
    for joint in shown.joints:
        upper, lower = joint.upper, joint.lower
        if row_of[upper] > row_of[lower]:
            joint = Joint(lower, upper, joint.lower_port, joint.upper_port, joint.strands, joint.wireless, joint.words)
        ways.append(_Way(joint, row_of[joint.upper], row_of[joint.lower]))
    ends = _ends(ways)
    widths = {key: max(BOX_W, END * (1 + max(map(len, sides)))) for key, sides in ends.items()}
    passing: defaultdict[int, int] = defaultdict(int)
    for way in ways:
        for row in range(way.top + 1, way.bottom):
            passing[row] += 1
    gaps = [max(GAP, SLOT * (2 + passing[number])) for number in range(len(rows))]
    row_widths = [
        sum(widths.get(key, BOX_W) for key in row) + gap * (len(row) + 1) for row, gap in zip(rows, gaps, strict=True)
    ]
    width = max(row_widths, default=BOX_W)
    xs: dict[str, float] = {}
    for keys, gap, row_width in zip(rows, gaps, row_widths, strict=True):
        x = (width - row_width) / 2 + gap
        for key in keys:
            xs[key] = x
            x += widths.get(key, BOX_W) + gap
    _at_the_boxes(ways, ends, xs, widths)
    _through_gutters(ways, rows, gaps, xs, widths)
    return _draw(rows, tiers, ways, xs, widths, width, spread)


def _rows(shown: SiteMap) -> tuple[list[list[str]], list[tuple[Tier, int]]]:
    """The nodes in rows, each layer beginning one of its own; neighbours in the row above stand near each other."""
    rows: list[list[str]] = []
    tiers: list[tuple[Tier, int]] = []
    place: dict[str, float] = {}
    for tier in Tier:
        keys = [node.key for node in shown.nodes.values() if node.tier is tier]
        if not keys:
            continue
        order = {key: index for index, key in enumerate(keys)}

        def above(
            key: str, order: Mapping[str, int] = order, place: Mapping[str, float] = dict(place)
        ) -> tuple[float, int]:
            near = [place[other] for joint in shown.joints for other in (joint.upper, joint.lower)
                    if key in (joint.upper, joint.lower) and other != key and other in place]  # fmt: skip
            return (sum(near) / len(near) if near else 1.0, order[key])

        keys.sort(key=above)
        tiers.append((tier, len(rows)))
        count = -(-len(keys) // PER_ROW)
        size = -(-len(keys) // count)
        for begin in range(0, len(keys), size):
            row = keys[begin : begin + size]
            rows.append(row)
            place |= {key: (index + 0.5) / len(row) for index, key in enumerate(row)}
    return rows, tiers


Ends = Mapping[str, tuple[list[_Way], list[_Way]]]
"""For each node, the ways that end at its top, and those that start at its bottom."""


def _ends(ways: Sequence[_Way]) -> Ends:
    ends: defaultdict[str, tuple[list[_Way], list[_Way]]] = defaultdict(lambda: ([], []))
    for way in ways:
        ends[way.joint.upper][1].append(way)
        ends[way.joint.lower][1 if way.top == way.bottom else 0].append(way)
    return ends


def _at_the_boxes(ways: Sequence[_Way], ends: Ends, xs: Mapping[str, float], widths: Mapping[str, float]) -> None:
    """Spread the ends of cables along the edges of their boxes, in the order of where they come from."""

    for key, sides in ends.items():

        def middle_of_other(way: _Way, key: str = key) -> float:
            far = way.joint.lower if key == way.joint.upper else way.joint.upper
            return xs[far] + widths[far] / 2

        for side in sides:
            side.sort(key=middle_of_other)
            for number, way in enumerate(side, 1):
                x = xs[key] + widths[key] * number / (len(side) + 1)
                if key == way.joint.upper:
                    way.starts = x
                else:
                    way.ends = x


def _through_gutters(
    ways: Sequence[_Way],
    rows: Sequence[Sequence[str]],
    gaps: Sequence[float],
    xs: Mapping[str, float],
    widths: Mapping[str, float],
) -> None:
    """For each row that a cable passes, the gutter nearest to where it goes, and a place in it of its own."""
    used: defaultdict[tuple[int, int], int] = defaultdict(int)
    for way in sorted(ways, key=lambda way: way.ends):
        for row in range(way.top + 1, way.bottom):
            gutters = [xs[rows[row][0]] - gaps[row], *(xs[key] + widths.get(key, BOX_W) for key in rows[row])]
            nearest = min(range(len(gutters)), key=lambda i: abs(gutters[i] + gaps[row] / 2 - way.ends))
            used[row, nearest] += 1
            way.gutters[row] = gutters[nearest] + SLOT * used[row, nearest] + SLOT / 2


def _draw(
    rows: Sequence[Sequence[str]],
    tiers: Sequence[tuple[Tier, int]],
    ways: Sequence[_Way],
    xs: Mapping[str, float],
    widths: Mapping[str, float],
    width: float,
    spread: float,
) -> Layout:
    """Give each run along a channel its lane, then each row its height."""
    runs: defaultdict[int, list[tuple[float, float, int]]] = defaultdict(list)
    stations = []
    for number, way in enumerate(ways):
        xs_of = [way.starts, *(way.gutters[row] for row in range(way.top + 1, way.bottom)), way.ends]
        stations.append(xs_of)
        channels = [way.top + 1] if way.top == way.bottom else range(way.top + 1, way.bottom + 1)
        for channel, (a, b) in zip(channels, pairwise(xs_of), strict=True):
            runs[channel].append((min(a, b), max(a, b), number))
    lanes = {channel: _lanes(of_channel) for channel, of_channel in runs.items()}
    tops, y = [], 0.0
    for number in range(len(rows) + 1):
        count = 1 + max(lanes[number].values()) if number in lanes else 0
        above = PORT_ROOM if number and number in lanes else 14.0 if number else 0.0
        y += (
            above + LANE * count + (PORT_ROOM if number in lanes else 0.0) + (spread if 0 < number < len(rows) else 0.0)
        )
        tops.append(y)
        y += BOX_H if number < len(rows) else 0.0
    boxes = {key: Box(key, xs[key], tops[n], widths.get(key, BOX_W)) for n, row in enumerate(rows) for key in row}
    cables = []
    for number, way in enumerate(ways):
        x = stations[number]
        points = [(x[0], tops[way.top] + BOX_H)]
        channels = [way.top + 1] if way.top == way.bottom else list(range(way.top + 1, way.bottom + 1))
        for channel, (a, b) in zip(channels, pairwise(x), strict=True):
            wide = spread / 2 if channel < len(rows) else 0.0
            lane = tops[channel - 1] + BOX_H + PORT_ROOM + wide + LANE * lanes[channel][number]
            points += [(a, lane), (b, lane)]
        points.append((x[-1], tops[way.bottom] + (BOX_H if way.top == way.bottom else 0.0)))
        cables.append(Cable(way.joint, tuple(points)))
    return Layout(width, y, boxes, cables, [(tier, tops[row]) for tier, row in tiers])


def _lanes(runs: Sequence[tuple[float, float, int]]) -> dict[int, int]:
    """A lane for each run, so that no two that overlap share one; the shortest runs come nearest to the boxes."""
    found: dict[int, int] = {}
    taken: list[list[tuple[float, float]]] = []
    for begin, end, number in sorted(runs, key=lambda run: (run[1] - run[0], run)):
        lane = next(
            (i for i, spans in enumerate(taken) if all(end + SLOT < b or e + SLOT < begin for b, e in spans)),
            len(taken),
        )
        if lane == len(taken):
            taken.append([])
        taken[lane].append((begin, end))
        found[number] = lane
    return found
