"""How a run is wanted. A module of its own: commands make one before anything of the job is loaded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path


@dataclass
class Options:
    """How a run is wanted: which devices, at what pace, and how much of it."""

    only: Sequence[str] = ()
    pace: float | None = None
    hands_within: float | None = None
    """Seconds that an act of hands may take; None where somebody is at the screen, 0 where nobody is there."""
    hands_done: bool = False
    """Whether cables and the laptop's addresses were seen to ahead."""
    by_person: bool = False
    """Whether in practice a person does the acts of hands, and not the yard."""
    brings_back: bool = False
    """Whether the configuration that was kept last is brought back to each device before anything is sent."""
    power_cut: bool = True
    restart: bool = False
    sends: bool = True
    only_saves: bool = False
    """Whether each device is taken up at saving: no setting is sent."""
    leases: Sequence[str] = ()
    """Lease lists of DHCP servers, in which devices are found by their MAC."""
    stop_after: str = ""
    """The stage after which each device is left as it is; nothing for all of them."""
    trace: Path | None = None
    """Where every turn of the conversations is written, for a developer."""
