"""Memory is tidied up while nobody types: a full collection takes as long as a key may.

The toolkit leaves thousands of objects in cycles behind with every screen that is drawn. Python collects them whenever
their number grows, which is while somebody types or scrolls. What lives as long as the job, phrasebooks and plans and
hundreds of conversations, is looked through only until a collection takes too long: then it is set apart.
"""

from __future__ import annotations

import gc
import time
from collections.abc import Callable

from textual.app import App

QUIET = 0.5
"""Seconds without a key after which nobody waits for an answer."""
AT_THE_LATEST = 30.0
"""Seconds after which it is done all the same."""
AT_REST = 60.0
"""Seconds without a key after which what was set apart is looked through once more: it may be garbage by now."""
_TOO_LONG = 0.03
"""Seconds of a collection from which on what it left is set apart."""
_MANY = 4
"""Collections of the middle generation since the last full one, from which on a full one is worth it."""


def collect_while_nobody_types(app: App[None], last_key: Callable[[], float]) -> None:
    """Full collections only in quiet moments; `last_key` says when the last one was pressed (monotonic)."""
    young, middle, _ = gc.get_threshold()
    gc.set_threshold(young, middle, 1_000_000)
    done = all_done = time.monotonic()

    def look() -> None:
        nonlocal done, all_done
        now = time.monotonic()
        due = gc.get_count()[2] >= _MANY
        if not due or (now - last_key() <= QUIET and now - done <= AT_THE_LATEST):
            return
        if now - last_key() > AT_REST and last_key() > all_done:
            gc.unfreeze()
            all_done = now
        began = time.perf_counter()
        gc.collect()
        if time.perf_counter() - began > _TOO_LONG:
            gc.freeze()
        done = now

    app.set_interval(0.5, look)
