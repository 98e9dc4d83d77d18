"""What wireless devices of the yard send through the air, so that others can look around and hear it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class AirNetwork:
    """A wireless network as it is heard: its name, channel, and the digest of its key ("" where it is open)."""

    name: str
    channel: str
    key: str = ""
