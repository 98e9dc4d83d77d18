"""Values with parts of the names and the time."""

from __future__ import annotations

import re
from typing import Annotated, Any

from zinger.plan.values.item import Flag, Host, HostAddress, Item, Name, number, typed
from zinger.plan.values.summer import Moment, parse_moment


class NtpServer(Item):
    """A time server (RFC 5905); `poll` in whole seconds, from 1 s to 36 h; `key` names a symmetric key.

    Of several, the one that is `preferred`, or has the lowest `preference`, is asked first.
    """

    lead = ("host",)
    example = "10.44.8.22 preferred key 3 poll 256 s"
    units = {"poll": "s"}
    host: Host
    preferred: Flag = False
    key: Annotated[int, number(1, 65535, word="key number")] | None = None
    poll: Annotated[int, number(1, 131072, "s", "poll interval in seconds")] | None = None
    preference: Annotated[int, number(1, 15, word="preference")] | None = None


_BETWEEN_MOMENTS = re.compile(r"(.+?)\s+(?:to|until|till|-|–|and)\s+(.+?)(?:\s+(?:by|ahead)\s+(.+))?")


class SummerTime(Item):
    """A daylight-saving rule: when clocks are put `ahead`, in minutes, and when back, by the time that they show."""

    lead = ("begins", "ends")
    example = '"last sun mar 02:00" "last sun oct 03:00" ahead 60 min'
    units = {"ahead": "min"}
    begins: Annotated[Moment, typed(parse_moment)]
    ends: Annotated[Moment, typed(parse_moment)]
    ahead: Annotated[int, number(10, 120, "min", "number of minutes")] = 60

    @classmethod
    def _parts(cls, raw: object) -> dict[str, Any]:
        found = _BETWEEN_MOMENTS.fullmatch(str(raw).strip()) if '"' not in str(raw) else None
        if found is None:
            return super()._parts(raw)
        return {"begins": found[1], "ends": found[2], **({"ahead": found[3]} if found[3] else {})}


class HostName(Item):
    """A name that the device itself knows for an address, and shows in its place (RFC 1123 6.1.3.8)."""

    lead = ("name", "address")
    example = "kvr-log 10.44.8.24"
    name: Name
    address: HostAddress
