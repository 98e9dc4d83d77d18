"""The run room: carries devices through their stages, many at once."""

from zinger.run.board import Board, Line, Mark, PhraseLine
from zinger.run.carrier import Carrier
from zinger.run.hands import Act, Hands, HandsNeeded, Verb
from zinger.run.job import OpenJob, Options, Run, RunError
from zinger.run.memory import Memory, remember
from zinger.run.onwire import OnWire
from zinger.run.pump import Pump, TakenOver
from zinger.run.transcript import Transcript

__all__ = [
    "Act", "Board", "Carrier", "Hands", "HandsNeeded", "Line", "Mark", "Memory", "OnWire", "OpenJob", "Options",
    "PhraseLine", "Pump", "Run", "RunError", "TakenOver", "Transcript", "Verb", "remember",
]
