"""A wire to a device that no phrasebook knows: what a person types goes to it, all is recorded, nothing is guessed.

Nothing is sent by itself, not even Enter. In listen-only mode nothing is sent at all. What a person marks (this is a
prompt, this saves) is kept in the recording, for whoever writes the phrasebook.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Sequence
from enum import StrEnum
from functools import partial

from zinger.link.base import Link, LinkError
from zinger.plan.values.secrets import MASK, SecretRef
from zinger.store.mask import Masker
from zinger.store.recording import Recording
from zinger.store.transcript import Transcript
from zinger.store.vault import Vault
from zinger.talk.terminal.buffer import LineBuffer
from zinger.talk.terminal.typed import Typed

ENDS = {"CR": "\r", "LF": "\n", "CR LF": "\r\n"}
"""What Enter sends."""
ECHO, SILENCE, LONGEST, LOOKS = 1.0, 1.2, 30.0, 0.02
"""Seconds of a paste: how long an echo may take, the silence that counts as an answer, the end, between two looks."""
_LOOK_BACK = 2048
"""Bytes in which the present line is looked for."""


class MarkKind(StrEnum):
    """What a person says of the present line."""

    PROMPT = "prompt"
    SAVES = "saves"
    NOISE = "noise"
    NOTE = "note"


class BareWire:
    """One open wire, in a person's hands from the beginning to its end.

    `opening` dials it, again after it was lost; it raises LinkError. Of the vault, `entries` can be typed by their
    names; every secret of it is masked, wherever it comes. `heard` was shown before: while its speed was found, say.
    """

    def __init__(
        self,
        name: str,
        opening: Callable[[], Awaitable[Link]],
        recording: Recording,
        vault: Vault | None = None,
        entries: Sequence[str] = (),
        listen_only: bool = False,
        heard: str = "",
    ) -> None:
        self.name, self._opening, self.recording = name, opening, recording
        self._vault, self.entries, self.listen_only = vault, entries, listen_only
        self.transcript = Transcript()
        self.evidence: set[str] = set()
        self.version = 0
        self.state = "not opened yet"
        self.enter = "CR"
        self.pasting = 0
        """Lines of a paste that are still to be typed."""
        self._link: Link | None = None
        self._masker = Masker(vault.secrets() if vault else ())
        self._typed = Typed()
        self._line = LineBuffer()
        self._left = ""
        """The line that stood there at the last Enter, until something is typed behind it; its echo may be late."""
        self._heard = 0.0
        self._show(self._masker(heard.encode()))

    # -- the link ----------------------------------------------------------------------------------
    @property
    def is_open(self) -> bool:
        """Whether there is somebody to talk to, as far as is known."""
        return self._link is not None

    async def open(self) -> None:
        """Dial it, once; why it can't be is in `state`."""
        if self._link is not None:
            return
        self._say("dialling")
        try:
            link = await self._opening()
        except LinkError as error:
            self._say(str(error))
            return
        self._link = link
        self._say("open")
        self.recording.marker(f"opened {self.name}")
        link.attach(self._take_in, self._lost)

    def close(self) -> None:
        """End it, and the recording."""
        self._record(self._typed.ended())
        if self._link is not None:
            self._link.close()
            self._link = None
        self.recording.close()

    def _say(self, state: str) -> None:
        self.state = state
        self.version += 1

    def _lost(self, why: str) -> None:
        self._link = None
        self._record(self._typed.ended())
        self.recording.marker(f"lost: {why}")
        self._say(f"lost: {why}")

    def _take_in(self, data: bytes) -> None:
        self._heard = asyncio.get_running_loop().time()
        self._show(self._masker(data))

    def _show(self, shown: bytes) -> None:
        if shown:
            self._record(self._typed.shown(shown.decode("utf-8", "replace")))
            self.transcript.add(shown)
            self._line.feed(shown)
            self._line.take()
            self.recording.shown(shown)

    @property
    def tail(self) -> str:
        """The line that is not ended yet: most likely a prompt or a question."""
        return self._line.tail

    # -- what a person sends -----------------------------------------------------------------------
    def type(self, text: str) -> bool:
        """What was typed goes to the device, Enter as it is set; returns whether anything was sent."""
        if self._link is None or self.listen_only:
            return False
        self._left = self.tail if text.endswith("\r") else ""
        text = text.replace("\r", ENDS[self.enter])
        self._record(self._typed.typed(text))
        self._link.write(text.encode())
        return True

    def type_entry(self, name: str) -> bool:
        """Type a password of the vault, without Enter; it is masked in all that comes back of it."""
        if self._link is None or self.listen_only or self._vault is None:
            return False
        self.recording.typed(MASK)
        self._link.write(self._vault.get(SecretRef(name)).encode())
        return True

    @property
    def why_nothing_is_sent(self) -> str:
        """What to say to somebody whose typing went nowhere."""
        return "listen only: nothing is sent (F2)" if self.listen_only else f"nobody is there (F12 dials): {self.state}"

    def send_break(self) -> bool:
        """A break; returns whether it was sent. Raises LinkError where the way carries none."""
        if self._link is None or self.listen_only:
            return False
        self._link.send_break()
        self.transcript.annotate("person", "break sent")
        self.recording.marker("break sent")
        return True

    async def paste(self, text: str) -> None:
        """Type several lines: each waits for its echo, then for an answer; a last one without its end is left open."""
        lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        for at, line in enumerate(lines):
            self.pasting = len(lines) - at
            self.version += 1
            if not self.type(line):
                break
            if at == len(lines) - 1:
                break
            await self._until(partial(self._echoed, line), ECHO + len(line) * 0.02)
            sent = asyncio.get_running_loop().time()
            self.type("\r")
            await self._until(partial(self._is_quiet, sent), LONGEST)
        self.pasting = 0
        self.version += 1

    def _echoed(self, line: str) -> bool:
        return self.tail.endswith(line)

    def _is_quiet(self, since: float) -> bool:
        return asyncio.get_running_loop().time() > max(since, self._heard) + SILENCE

    async def _until(self, holds: Callable[[], bool], longest: float) -> None:
        for _ in range(round(longest / LOOKS)):
            if holds() or self._link is None:
                return
            await asyncio.sleep(LOOKS)

    def mark(self, kind: MarkKind, words: str = "") -> str:
        """Keep what a person says of the present line in the recording; returns how it is kept."""
        told = f"{kind.value}: {words or self._present(kind)}".strip()
        self.transcript.annotate("person", told)
        self.recording.marker(self._masker.text(told))
        self.version += 1
        return told

    def _present(self, kind: MarkKind) -> str:
        """The line that is meant: the one that is not ended yet, else the last with something in it.

        What saves is a line that is sent: right behind Enter it is the one that was.
        """
        _, shown = self.transcript.since(self.transcript.end - _LOOK_BACK)
        ended = re.split(r"[\r\n]+", shown.decode("utf-8", "replace"))[:-1]
        last = next((line for line in reversed(ended) if line.strip()), "")
        if kind is MarkKind.SAVES and self._left:
            return next((line for line in reversed(ended) if line.startswith(self._left)), self._left)
        return last if kind is MarkKind.NOISE else self.tail or last

    def _record(self, text: str) -> None:
        if text:
            self.recording.typed(self._masker.text(text))
