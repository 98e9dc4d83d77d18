"""Values with parts of the names and the time."""

from __future__ import annotations

from typing import Annotated

from zinger.plan.values.item import Flag, Host, Item, number


class NtpServer(Item):
    """A time server (RFC 5905); `poll` in whole seconds, from 1 s to 36 h; `key` names a symmetric key."""

    lead = ("host",)
    example = "10.44.8.22 preferred key 3 poll 256 s"
    units = {"poll": "s"}
    host: Host
    preferred: Flag = False
    key: Annotated[int, number(1, 65535, word="key number")] | None = None
    poll: Annotated[int, number(1, 131072, "s", "poll interval in seconds")] | None = None
