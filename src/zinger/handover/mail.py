"""A short text for a mail or a ticket: how many are proved, what is open, which papers there are."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Sequence

from zinger.handover.preview import open_points, to_be_known
from zinger.handover.record import DeviceRecord, proved_in_words

MOST = 20
"""Open points that are written out; of more, only how many there are."""


def mail_text(title: str, found: Sequence[DeviceRecord], at: float | None, papers: Sequence[str] = ()) -> str:
    """The text, with its subject in the first line; plain, so that it can be pasted anywhere."""
    states = Counter(record.state for record in found)
    subject = f"{title}: {proved_in_words(found)}"
    others = ", ".join(f"{count} {state}" for state, count in states.items() if state != "proved")
    lines = [f"Subject: {subject}", ""]
    lines.append(f"As of {time.strftime('%Y-%m-%d %H:%M', time.localtime(at))}: " if at else "Nothing was run yet: ")
    lines[-1] += f"{states['proved']} proved{f', {others}' if others else ''}."
    points = [f"- {line}" for line in open_points(found)]
    lines += ["", "Open:" if points else "Nothing is open."]
    lines += points[:MOST]
    if len(points) > MOST:
        lines.append(f"- and {len(points) - MOST} more, in the proof sheet")
    told = [f"- {line}" for line in to_be_known(found)]
    if told:
        lines += ["", "To be known:", *told[:MOST]]
    if len(told) > MOST:
        lines.append(f"- and {len(told) - MOST} more, in the proof sheet")
    here = [name for name in papers if "/" not in name and name.endswith((".pdf", ".csv"))]
    if here:
        lines += ["", f"Papers: {', '.join(here)}."]
    return "\n".join(lines) + "\n"
