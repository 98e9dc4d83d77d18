"""The table of all settings, assembled from the subjects. A setting that is not in it does not exist for any room."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.accounts import settings as accounts
from zinger.plan.subjects.edge import settings as edge
from zinger.plan.subjects.management import settings as management
from zinger.plan.subjects.names import settings as names
from zinger.plan.subjects.services import settings as services
from zinger.plan.subjects.switching import settings as switching
from zinger.plan.subjects.voice import settings as voice
from zinger.plan.subjects.wireless import settings as wireless

_BY_SUBJECT: dict[str, tuple[Setting[Any], ...]] = {
    "names and time": names.SETTINGS,
    "management": management.SETTINGS,
    "accounts": accounts.SETTINGS,
    "services": services.SETTINGS,
    "switching": switching.SETTINGS,
    "wireless": wireless.SETTINGS,
    "edge": edge.SETTINGS,
    "voice": voice.SETTINGS,
}
_EVERY = [setting for subject in _BY_SUBJECT.values() for setting in subject]

SETTINGS: dict[str, Setting[Any]] = {s.name: s for s in sorted(_EVERY, key=lambda s: list(Stop).index(s.stop))}
"""Every setting by its name, in the order in which they are sent: by stop, then by the table."""

SECTIONS: dict[str, tuple[str, ...]] = {title: tuple(s.name for s in part) for title, part in _BY_SUBJECT.items()}
"""The names of the settings by subject, as people think of them, for screens."""

SECTION_OF: dict[str, str] = {name: title for title, names in SECTIONS.items() for name in names}
"""The subject of each setting."""

RENAMED = {
    "secrets.console": "passwords.console",
    "secrets.remote": "passwords.network",
    "secrets.elevation": "passwords.privileged",
    "idle.remote": "idle.network",
    "logs.memory": "logs.local",
    "logs.flash": "logs.local",
    "wireless.virtual": "wireless.guest_sign_in",
    "wireless.ap_manager": "wireless.join_address",
    "edge.mode": "edge.forwarding",
    "edge.outside": "edge.upstream",
    "edge.inside": "edge.local",
    "edge.recovery": "edge.reset_at_device",
}
"""Settings that had another name once: an old name is answered with the new one."""
