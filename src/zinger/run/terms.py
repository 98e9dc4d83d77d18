"""Terms of use that a device wants agreed to: a person reads and accepts them, once per job and text, or ahead."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from zinger.files import write_whole
from zinger.phrasebook.document import Document
from zinger.run.hands import Act, Hands, Verb
from zinger.store import entries

if TYPE_CHECKING:
    from zinger.store.journal import Journal

ANY = "any"
"""Stands for whatever text a family shows."""
_FIRST_WORDS = 120


class Terms:
    """What was accepted in this job, and the asking for what was not."""

    def __init__(self, hands: Hands, records: Path, accepted: Iterable[entries.TermsAccepted]) -> None:
        self.hands, self.records = hands, records
        self._accepted = {(event.family, event.text) for event in accepted}

    async def accept(self, family: str, title: str, page: Document, note: Callable[[entries.Happened], None]) -> None:
        """Return once a person has accepted this page's text; the whole of it is kept with the recordings."""
        text = "\n".join(page.lines)
        digest = hashlib.sha256(text.encode()).hexdigest()[:12]
        if (family, digest) in self._accepted:
            return
        file = self.records / f"terms-{family}-{digest}.txt"
        write_whole(file, f"{page.words}\n\n{text}\n".encode())
        if (family, ANY) not in self._accepted:
            words = " ".join(page.lines)
            words = words if len(words) <= _FIRST_WORDS else f"{words[:_FIRST_WORDS]}…"
            do = f"read the terms of {title} and accept them if you may: “{words}” (all of it: {file.name})"
            await self.hands.ask(Act(Verb.TERMS, f"{family} {digest}", do, "it goes on only when they are accepted"))
        self._accepted.add((family, digest))
        note(entries.TermsAccepted(family, digest))


def known_texts(records: Path) -> dict[tuple[str, str], str]:
    """The terms that were met in a job, by family and digest."""
    found: dict[tuple[str, str], str] = {}
    for file in sorted(records.glob("terms-*.txt")) if records.is_dir() else ():
        family, _, digest = file.stem.removeprefix("terms-").rpartition("-")
        found[family, digest] = file.read_text("utf-8", "replace").strip()
    return found


def accepted_in(journal: Journal) -> set[tuple[str, str]]:
    """What was accepted, by family and digest."""
    events = (entries.read(entry) for entry in journal.entries() if entry.kind == entries.TermsAccepted.kind)
    return {(event.family, event.text) for event in events if isinstance(event, entries.TermsAccepted)}


async def any_text_of(journal: Journal, family: str) -> None:
    """Accept what a family shows; a run that waits for it goes on."""
    kind, data = entries.written(entries.TermsAccepted(family, ANY))
    await journal.write(kind, "", **data)
    for entry in journal.entries():
        event = entries.read(entry)
        if isinstance(event, entries.HandsAsked) and event.verb == Verb.TERMS and entry.device.startswith(f"{family} "):
            kind, data = entries.written(entries.HandsAnswered(event.verb))
            await journal.write(kind, entry.device, **data)
