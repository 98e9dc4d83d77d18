"""What a person does on the wire that concerns the vault: an entry typed by a key, a password changed by hand.

The map knows where a new password is asked for, so the vault can be kept true: what is typed there is in no
recording, and is asked for once before Zinger goes on. Reading it off the keys was rejected: half of what is typed
blind is mended, and a refused password would be taken for the new one.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from zinger.phrasebook.book import Phrasebook
from zinger.phrasebook.map import AsksFor
from zinger.plan.model import Device
from zinger.plan.subjects.accounts.credentials import accounts_of, factory_renewal, needed_secrets
from zinger.plan.values.secrets import SecretRef
from zinger.run.consolepump import ConsolePump
from zinger.run.memory import factory_secret
from zinger.run.world import World
from zinger.store import entries

_KNOWN_ALREADY = (AsksFor.USER, AsksFor.PASSWORD, AsksFor.ELEVATION, AsksFor.CONSOLE, AsksFor.NETWORK)
_LOOK_BACK = 2048
"""Bytes of what was shown in which the last question is looked for."""


class ByHand:
    """A person's typing on one device."""

    def __init__(
        self,
        world: World,
        device: Device,
        book: Phrasebook,
        pump: ConsolePump,
        note: Callable[[entries.Happened], None],
    ) -> None:
        self.world, self.device, self.book, self.pump, self._note = world, device, book, pump, note
        tried = {place for _, step in book.every_step() if step.tries for place in step.tries.what.replies}
        self._chosen_at = {
            name
            for name, sign in book.terminal.signs.items()
            if sign.blind and name not in tried and book.places[name].asks_for not in _KNOWN_ALREADY
        }
        self._choosing: str | None = None
        """Whose password is being chosen where it stands."""
        self._just_chose = False
        self._changed: dict[str, None] = {}

    def type(self, text: str) -> None:
        """What the person types goes to the device; a password chosen on the way is remembered, by whose it is."""
        known = self.book.terminal.recognise(self._last_said())
        if known is not None:
            groups = known[1].groupdict()
            chosen = known[0].name in self._chosen_at
            self._choosing = str(groups.get("user") or groups.get("whose") or "") if chosen else None
        if "\r" in text:
            if self._choosing or (self._choosing == "" and not self._just_chose):  # else it asks for the same again
                self._changed[self._choosing] = None
            self._just_chose, self._choosing = self._choosing is not None, None
        if not self.pump.acted:  # at the first key: who quits without handing it back has typed all the same
            self._note(entries.PersonActed("typed on its wire"))
        self.pump.type(text.encode())

    def _last_said(self) -> str:
        """The last thing that the device said, log lines left out: they come behind a question too."""
        if tail := self.pump.conversation.tail:
            return tail
        transcript = self.pump.transcript
        _, shown = transcript.since(transcript.end - _LOOK_BACK)
        lines = re.split(r"\r*\n", shown.decode("utf-8", "replace"))
        said = (line for line in reversed(lines) if line.strip() and not self.book.terminal.noise.search(line))
        return next(said, "")

    def entries(self) -> list[SecretRef]:
        """What this device has in the vault; the password of the account that it asks about now comes first."""
        known = self.book.terminal.recognise(self._last_said())
        asked = self.entry_of(known[1].groupdict().get("user") or "") if known else None
        every = (*([asked] if asked else []), *needed_secrets(self.device), factory_secret(self.device, self.book))
        return [ref for ref in dict.fromkeys(every) if ref in self.world.vault]

    def type_entry(self, ref: SecretRef) -> None:
        """Type an entry of the vault, without Enter."""
        self.pump.type_secret(ref)
        self._note(entries.PersonActed(f"had {ref.name} typed"))

    def take_changed(self) -> list[str]:
        """Whose passwords were chosen by hand since the last time; "" where the device did not say whose."""
        changed, self._changed = list(self._changed), {}
        return changed

    def entry_of(self, user: str) -> SecretRef | None:
        """Where the password of an account is kept; None for one that the plan does not know."""
        own = {account.name: account.secret for account in accounts_of(self.device)}
        first = self.book.factory.user
        return {first: factory_renewal(self.device, first), **own}.get(user) if user else None

    def file(self, ref: SecretRef, secret: str) -> None:
        """Put the password that was chosen by hand into the vault."""
        self.pump.masker.know([secret])
        self.world.vault.put({ref: secret})
        self._note(entries.PersonActed(f"changed {ref.name} by hand; it is in the vault"))

    def leave_out(self, user: str) -> None:
        """The person does not give it: the vault may not be true any more, and the journal says so."""
        whose = f"the password of {user}" if user else "a password"
        self._note(entries.PersonActed(f"may have changed {whose} by hand; it is not in the vault"))
