"""The stages of a device's way, in their order; a later stage, such as an image, is added to one of the two tuples."""

from __future__ import annotations

from zinger.run.stages.backup import Backup
from zinger.run.stages.calls import CallThrough
from zinger.run.stages.conclude import Conclude
from zinger.run.stages.prove import AskLegs, FromNetwork, OnConsole, PowerCut, ReadBack, Restart, UsePasswords
from zinger.run.stages.reach import Reach, SignIn
from zinger.run.stages.restore import Restore
from zinger.run.stages.save import Save
from zinger.run.stages.send import Send
from zinger.run.stages.stage import Stage

EACH_PART: tuple[Stage, ...] = (
    Reach(),
    SignIn(),
    Restore(),
    Send(),
    Save(),
    ReadBack(),
    UsePasswords(),
    OnConsole(),
    Backup(),
)
"""What is done on each part of a device's dialogue: on its console, then on its pages, where it has both."""
STOPS_AFTER: dict[str, type] = {
    "sign-in": SignIn, "send": Send, "save": Save, "read-back": ReadBack, "network": FromNetwork, "power-cut": PowerCut,
}  # fmt: skip
"""The stages after which a run can be told to stop, by what people call them."""
BEGINS_WITH = ("send", "save", "read-back")
"""The stages with which a device can be taken up, once it was signed in to; nothing is sent from the last one on."""
AT_LAST: tuple[Stage, ...] = (Restart(), FromNetwork(), AskLegs(), CallThrough(), PowerCut(), Conclude())
"""What is done once, when all is set up. What needs no hands comes first: a laptop without an address in the subnet
keeps nothing else from being proved."""
