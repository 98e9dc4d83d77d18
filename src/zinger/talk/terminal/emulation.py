"""The emulated terminal (pyte), guarded: a device may send anything, and what the emulator can't take is dropped.

pyte raises on sequences that are valid and rare (`ESC[?1m`, `ESC[1;2;3H`); one of them must not end a run or a screen.
A fork was rejected: the guard is one method.
"""

from __future__ import annotations

import pyte


class Emulation(pyte.Stream):
    """Feeds a screen; a sequence that raises is dropped, and what comes behind it is drawn."""

    def _send_to_parser(self, data: str) -> bool | None:
        try:
            return super()._send_to_parser(data)
        except Exception:  # whatever it is: pyte has begun its parser anew, so that plain text may follow
            return True
