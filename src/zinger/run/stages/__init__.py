"""The stages of a device's way, in their order: a later stage (files, an image, service checks) is added to `EVERY`."""

from __future__ import annotations

from zinger.run.stages.backup import Backup
from zinger.run.stages.conclude import Conclude
from zinger.run.stages.prove import FromNetwork, OnConsole, PowerCut, ReadBack, Restart, UsePasswords
from zinger.run.stages.reach import Reach, SignIn
from zinger.run.stages.save import Save
from zinger.run.stages.send import Send
from zinger.run.stages.stage import Stage

EVERY: tuple[Stage, ...] = (
    Reach(),
    SignIn(),
    Send(),
    Save(),
    ReadBack(),
    UsePasswords(),
    OnConsole(),
    Restart(),
    FromNetwork(),
    Backup(),
    PowerCut(),
    Conclude(),
)
"""What needs no hands comes first: a laptop without an address in the subnet keeps nothing else from being proved."""
