"""Names of ports, and ranges of them."""

from __future__ import annotations

import re

from zinger.plan.values.bad import BadValue
from zinger.plan.values.text import parse_text

_PORT = r"((?:[A-Za-z]*\d*/)*[A-Za-z]*)(\d{1,4})"
_PORT_RANGE = re.compile(rf"{_PORT}(?:\s*(?:-|–|to|\.\.)\s*{_PORT})?")


def parse_ports(raw: object) -> tuple[str, ...]:
    """Port names from ranges: `1-4,7` or `1/1-1/4`; a range runs within one slot."""
    if isinstance(raw, list | tuple):
        return tuple(port for item in raw for port in parse_ports(item))
    ports: list[str] = []
    for part in re.split(r"\s*[,+]\s*", parse_text(raw)):
        match = _PORT_RANGE.fullmatch(part)
        if not match or (match[3] and match[3] != match[1]):
            raise BadValue(f"{part!r} is not a valid port or range of ports", "write them like 1-4,7 or 1/1-1/4")
        first, last = int(match[2]), int(match[4] or match[2])
        if last < first or last - first > 4096:
            raise BadValue(f"{part!r} runs backwards or too far", "write the lower port first")
        ports += [f"{match[1]}{n}" for n in range(first, last + 1)]
    return tuple(ports)


def fold_ports(ports: tuple[str, ...]) -> str:
    """The shortest text for these ports, in their order: `1-4,7`."""
    runs: list[list[tuple[str, int]]] = []
    for port in ports:
        stem = port.rstrip("0123456789")
        number = int(port[len(stem) :])
        if runs and runs[-1][-1] == (stem, number - 1):
            runs[-1].append((stem, number))
        else:
            runs.append([(stem, number)])
    return ",".join(
        f"{a[0]}{a[1]}" if a == b else f"{a[0]}{a[1]}-{b[0]}{b[1]}" for a, b in ((run[0], run[-1]) for run in runs)
    )
