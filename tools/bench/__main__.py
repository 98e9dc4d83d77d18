"""Benchmarks of one run on this machine, printed as ratios: `make bench`, or `python -m tools.bench starting`.

Each part says in its module what it measures and what is aimed at; nothing here is asserted.
"""

from __future__ import annotations

import asyncio
import subprocess
import sys

from tools.bench import conversations, crowd, families, lineup, plans, recognition, schedules, starting


def _conversations() -> None:
    conversations.round_trips()
    asyncio.run(conversations.many_conversations())


def _plans() -> None:
    plans.plans()
    asyncio.run(plans.plan_keys())


PARTS = {
    "recognition": recognition.recognition,
    "buffer": recognition.buffer_alone,
    "conversations": _conversations,
    "plans": _plans,
    "schedules": schedules.schedules,
    "lineup": lambda: asyncio.run(lineup.lineup()),
    "starting": starting.starting,
    "families": lambda: asyncio.run(families.families()),
    "crowd": lambda: asyncio.run(crowd.crowd()),
}

if __name__ == "__main__":
    wanted = sys.argv[1:] or list(PARTS)
    if len(wanted) == 1:
        PARTS[wanted[0]]()
    else:  # what one keeps in memory is not counted for the next
        for part in wanted:
            subprocess.run([sys.executable, "-m", "tools.bench", part], check=True)
