"""The run room: carries devices through their stages, many at once."""

from zinger.run.board import Board, Line, Mark, PhraseLine
from zinger.run.carrier import Carrier
from zinger.run.desk import Desk, Place
from zinger.run.firstcontact import LaptopPlan, laptop_plan, own_ports
from zinger.run.hands import Act, Hands, HandsNeeded, Verb
from zinger.run.job import OpenJob, Options, Run, RunError
from zinger.run.memory import Memory, remember
from zinger.run.onwire import OnWire
from zinger.run.pump import Pump, TakenOver
from zinger.run.transcript import Transcript

__all__ = [
    "Act",
    "Board",
    "Carrier",
    "Desk",
    "Hands",
    "HandsNeeded",
    "LaptopPlan",
    "Line",
    "Mark",
    "Memory",
    "OnWire",
    "OpenJob",
    "Options",
    "PhraseLine",
    "Place",
    "Pump",
    "Run",
    "RunError",
    "TakenOver",
    "Transcript",
    "Verb",
    "laptop_plan",
    "own_ports",
    "remember",
]
