"""The settings of voice gateways."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.voice.models import Leg, Media, Peer, Profile, Rewrite
from zinger.plan.values.item import items
from zinger.plan.values.text import whole

LEGS = Setting("voice.legs", "legs", Stop.ROLE, items(Leg), ("legs",), reference="RFC 5853")
PROFILES = Setting("voice.profiles", "peer profiles", Stop.ROLE, items(Profile), ("profiles",), reference="RFC 3261")
PEERS = Setting("voice.peers", "peers", Stop.ROLE, items(Peer), ("peers",), reference="RFC 3261")
SESSIONS = Setting(
    "voice.sessions", "sessions allowed", Stop.ROLE, whole(1, 100000, word="number of sessions"), ("sessions",)
)
MEDIA = Setting("voice.media", "media ports", Stop.ROLE, Media.read, ("media ports",), reference="RFC 3550")
REWRITES = Setting(
    "voice.rewrites", "number rewriting", Stop.ROLE, items(Rewrite), ("number rewriting",), reference="ITU-T E.164"
)

SETTINGS: tuple[Setting[Any], ...] = (LEGS, PROFILES, PEERS, SESSIONS, MEDIA, REWRITES)
