"""Compile a planned device and its family's phrasebook into an ordered script.

The order is that of the table of settings: credentials first, since left for later they are forgotten.
Nothing is said that cannot be said safely: a value with control characters is left out and listed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from zinger.phrasebook import Phrase, Phrasebook, Words, WordsError, masked, render
from zinger.plan import SETTINGS, Device, Stop, Value


@dataclass(frozen=True)
class ScriptPhrase:
    """One thing to say: where, in which words, for which setting, with what effect, and how it is undone.

    `expected` is what a reading must show afterwards, in the family's own writing; `undo` is masked.
    """

    setting: str
    title: str
    stop: Stop
    value: str
    at: str
    words: Words
    replies: Mapping[str, Words]
    expect: re.Pattern[str] | None
    effect: str
    undo: str
    fact: str | None
    expected: tuple[str, ...]

    @property
    def shown(self) -> str:
        """The words as a person may see them."""
        return masked(self.words)


@dataclass(frozen=True)
class Unsaid:
    """A planned value that is not said, and why; `blocks` means that the device can't be proved so."""

    setting: str
    value: str
    why: str
    blocks: bool = False


@dataclass(frozen=True)
class Script:
    """All that will be said to one device."""

    device: str
    family: str
    phrases: tuple[ScriptPhrase, ...]
    unsaid: tuple[Unsaid, ...]
    keep: ScriptPhrase


Known = dict[tuple[str, str, type, object], ScriptPhrase]
"""Phrases that were compiled already, by family, setting and value: most devices share most of theirs."""


def compile_script(device: Device, book: Phrasebook, known: Known | None = None) -> Script:
    """Order the phrases for every planned setting; what the family cannot be told is listed as unsaid."""
    known = {} if known is None else known
    phrases: list[ScriptPhrase] = []
    unsaid: list[Unsaid] = []
    for name in SETTINGS:
        value = device.values.get(name)
        if value is None:
            continue
        if name not in book.phrases:
            unsaid.append(Unsaid(name, value.shown, f"{book.title} has no phrase for it"))
            continue
        if name == "management.gateway" and device.address and device.address.method == "dhcp":
            unsaid.append(Unsaid(name, value.shown, "the lease brings the gateway"))
            continue
        try:
            key = (book.family, name, type(value.value), value.value)
            if key not in known:
                known[key] = _phrase(value, book.phrases[name])
            phrases.append(known[key])
        except WordsError as error:
            unsaid.append(Unsaid(name, value.shown, str(error), blocks=True))
    keep = book.keep
    kept = ScriptPhrase("keep", "save to startup", Stop.KEEP, "", keep.at, render(keep.say),
                        {place: render(reply) for place, reply in keep.replies.items()}, keep.expect,
                        "running becomes startup", "", None, ())
    return Script(device.name, book.family, tuple(phrases), tuple(unsaid), kept)


def _phrase(value: Value, phrase: Phrase) -> ScriptPhrase:
    setting = SETTINGS[value.setting]
    items = value.value if isinstance(value.value, tuple) else (value.value,)
    shows = tuple(masked(render(phrase.shows, value=item)) for item in items)
    return ScriptPhrase(
        setting=value.setting,
        title=setting.title,
        stop=setting.stop,
        value=value.shown,
        at=phrase.at,
        words=render(phrase.say, value=value.value),
        replies={place: render(reply, value=value.value) for place, reply in phrase.replies.items()},
        expect=phrase.expect,
        effect=phrase.effect,
        undo=masked(render(phrase.undo, value=value.value, before="(as before)")) if phrase.undo else "",
        fact=phrase.fact,
        expected=shows if phrase.fact else (),
    )


def compare(one: Script, other: Script) -> Iterator[tuple[ScriptPhrase | None, ScriptPhrase | None]]:
    """The pairs of phrases, by setting, in which two devices' scripts differ."""
    left = {p.setting: p for p in one.phrases}
    right = {p.setting: p for p in other.phrases}
    for name in SETTINGS:
        a, b = left.get(name), right.get(name)
        if (a.words if a else None) != (b.words if b else None):
            yield a, b
