"""A trace for a developer: every row of the terminal's table that the conversations of a run take, one line each.

It holds times and names of states, inputs and actions, and nothing that a device showed or was sent.
"""

from __future__ import annotations

from pathlib import Path

from zinger.run.hands import RunError
from zinger.talk.terminal.phases import Action, Input, State
from zinger.talk.terminal.surface import Trace


class TraceFile:
    """An open trace; raises RunError where the file can't be written."""

    def __init__(self, file: Path) -> None:
        try:
            self._out = file.open("w", encoding="utf-8", buffering=1)
        except OSError as error:
            raise RunError(f"the trace can't be written to {file}: {error.strerror}") from None

    def of(self, device: str) -> Trace:
        """Takes the turns of one device's conversation; times in seconds of its carrier's clock."""

        def turn(now: float, state: State, seen: Input, action: Action, after: State) -> None:
            self._out.write(f"{now:10.3f} {device:<16} {state.value}: {seen.value} -> {action.value}, {after.value}\n")

        return turn

    def close(self) -> None:
        """Nothing more comes."""
        self._out.close()
