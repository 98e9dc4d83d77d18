"""Which part of the plan each filled field is: by its text, the words at it, and what else stands in the same form."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from zinger.phrasebook.document import Field, Form, same_label, written
from zinger.phrasebook.learn.deeds import Deed, Filled
from zinger.phrasebook.learn.likeness import likeness, strength
from zinger.phrasebook.learn.values import Part, Writing
from zinger.plan.values.text import NO, YES

ENOUGH = 2.05
"""From this worth on a match is believed."""
TOGETHER = 0.9
"""What it adds that the same setting was found in the same form."""


@dataclass(frozen=True)
class Slot:
    """Something that was sent: a field of a form, or a leaf of JSON; `offers` are the labels of a choice."""

    key: str
    label: str
    name: str
    value: str
    touched: bool = True
    is_secret: bool = False
    is_tick: bool = False
    offers: tuple[str, ...] = ()
    shown: str = ""
    """The label of what is chosen."""
    raw: Any = None
    """The value itself, of JSON."""
    loose: bool = False
    """Whether what is chosen may say more than the value, such as `44 management`."""


@dataclass(frozen=True)
class Match:
    """A slot, the part of the plan that it is, and the template that writes it."""

    slot: Slot
    part: Part
    template: str
    worth: float


@dataclass
class Matched:
    """All of one deed: matches, and what was sent besides."""

    deed: Deed
    matches: list[Match] = field(default_factory=list)
    constants: list[Slot] = field(default_factory=list)
    """What was filled in and is no planned value."""
    passwords: list[Slot] = field(default_factory=list)
    """Passwords that nobody knows."""
    doubts: list[tuple[Slot, Part, Part]] = field(default_factory=list)
    """Slots that could as well be another part."""

    @property
    def settings(self) -> list[str]:
        """The settings that it says, in the order of its fields."""
        order = {slot.key: n for n, slot in enumerate(slots_of(self.deed))}
        found = sorted(self.matches, key=lambda m: order.get(m.slot.key, 0))
        return list(dict.fromkeys(match.part.setting for match in found))


def slots_of(deed: Deed) -> list[Slot]:
    """What a deed sent."""
    if deed.form is not None:
        return [_slot(deed, filled) for filled in deed.fills]
    return (
        list(_leaves(deed.seen.json))
        if deed.seen.json is not None
        else [Slot(name, name, name, value, is_secret=is_password_word(name)) for name, value in deed.seen.pairs]
    )


def _slot(deed: Deed, filled: Filled) -> Slot:
    assert deed.form is not None
    return slot_of(deed.form, filled.field, filled.value, filled.touched)


def slot_of(form: Form, one: Field, value: str, touched: bool) -> Slot:
    """A field of a form, called by its label where that is its alone."""
    by_label = form.find(one.label) if one.label and len(one.label) < 70 else None
    key = one.label if by_label is one else one.name
    offers = tuple(choice.label or choice.value for choice in one.choices)
    shown = next((c.label for c in one.choices if value in (c.value, c.label)), "")
    secret, tick = one.kind == "password", one.kind == "checkbox"
    return Slot(key, one.label, one.name, value, touched, secret, tick, offers, shown)


def _leaves(data: Any, path: str = "") -> Iterator[Slot]:
    if isinstance(data, dict):
        for key, value in data.items():
            yield from _leaves(value, f"{path}.{key}" if path else str(key))
    else:
        last = path.rpartition(".")[2]
        text = ", ".join(map(written, data)) if isinstance(data, list) else written(data)
        yield Slot(path, path, last, text, is_secret=is_password_word(last), is_tick=isinstance(data, bool), raw=data)


def is_password_word(name: str) -> bool:
    """Whether a name is that of a password."""
    return bool(re.search(r"pass(?:w|$|phrase|code)|passwd|pwd|secret|^pw\d?$|^(?:key|psk)$", name, re.IGNORECASE))


def match_slots(slots: Sequence[Slot], parts: Sequence[Part], hint: Mapping[str, int], found: Matched) -> None:
    """Hold slots against the plan, twice: what was found once makes more of the same setting likelier."""
    near = frozenset[str]()
    for _ in range(2):
        found.matches = _assigned(list(_candidates(slots, parts, hint, near)), found)
        near = frozenset(match.part.setting for match in found.matches)


def matched(deed: Deed, parts: Sequence[Part], hint: Mapping[str, int]) -> Matched:
    """Hold what was sent against the plan; `hint` is which entry of a list this deed is about, by setting."""
    slots = slots_of(deed)
    found = Matched(deed)
    match_slots(slots, parts, hint, found)
    found.matches = [match for match in found.matches if _was_meant(match, found.matches)]
    taken = {match.slot.key for match in found.matches}
    for slot in slots:
        if slot.key in taken or not slot.value:
            continue
        if slot.is_secret:
            found.passwords.append(slot)
        elif slot.touched:
            found.constants.append(slot)
    found.matches += _guessed_passwords(slots, parts, found)
    return found


def _guessed_passwords(slots: Sequence[Slot], parts: Sequence[Part], found: Matched) -> Iterator[Match]:
    """A password that the vault does not have is taken for that of what stands before it in the form, and asked for."""
    by_key = {match.slot.key: match.part for match in found.matches}
    before: Part | None = None
    for slot in slots:
        before = by_key.get(slot.key, before)
        if slot not in found.passwords or before is None:
            continue
        mine = (p for p in parts if p.secret and p.setting == before.setting and p.entry == before.entry)
        if (secret := next(mine, None)) is not None:
            yield Match(slot, secret, f"{{{{ {secret.expression} }}}}", ENOUGH)


def _was_meant(match: Match, matches: Sequence[Match]) -> bool:
    """An entry of a list is said where at least one of its fields was filled in."""
    part = match.part
    return not part.of_items or any(m.slot.touched for m in matches if m.part.setting == part.setting)


def _candidates(
    slots: Sequence[Slot], parts: Sequence[Part], hint: Mapping[str, int], near: frozenset[str]
) -> Iterator[Match]:
    for slot in slots:
        for part in parts:
            if part.entry is not None and hint.get(part.setting, part.entry) != part.entry:
                continue
            found = _fits(slot, part)
            if found is None:
                continue
            template, worth = found
            worth += 3 * likeness(slot.label, slot.name, part.setting, part.name)
            worth += 0.4 if slot.touched else -1.2
            worth += TOGETHER if part.setting in near else 0.0
            if worth >= ENOUGH:
                yield Match(slot, part, template, round(worth, 3))


def _fits(slot: Slot, part: Part) -> tuple[str, float] | None:
    """The template that writes the part as it was sent, and what the text alone is worth."""
    if part.is_flag:
        return _flag(slot, bool(part.value), part.expression)
    if slot.is_secret != bool(part.secret) or slot.is_tick:
        return None
    for writing in part.writings:
        if writing.text and _is_written(slot, writing, part):
            worth = 6.0 if part.secret else strength(writing.text)
            if part.entry is None and isinstance(part.value, tuple) and len(part.value) > 1:
                worth += 1.0  # the whole list says more than its first entry
            return writing.template, worth
    return None


def _is_written(slot: Slot, writing: Writing, part: Part) -> bool:
    if isinstance(slot.raw, list):
        if not isinstance(part.value, tuple) or part.entry is not None:
            return False
        return slot.value == writing.text and "join(', ')" in writing.template
    if slot.offers and same_label(slot.shown, writing.text):
        return True
    if slot.loose and slot.offers and slot.shown.startswith(f"{writing.text} "):
        return True
    return slot.value == writing.text


def _flag(slot: Slot, value: bool, expression: str) -> tuple[str, float] | None:
    if isinstance(slot.raw, bool):
        return (f"{{{{ {expression} | flag('true', 'false') }}}}", 0.3) if slot.raw is value else None
    if slot.is_tick:
        on = slot.value == "on"
        if on is value:
            return f"{{{{ {expression} | flag('on', 'off') }}}}", 0.3
        turned = slot.touched and bool(_TURNED.search(slot.label or slot.name))
        return (f"{{{{ {expression} | flag('off', 'on') }}}}", 0.0) if turned else None
    text = (slot.shown or slot.value).strip()
    other = _opposite(text, slot.offers)
    says = text.lower() in (*YES, *_YES_TOO)
    if not other or not (says or text.lower() in (*NO, *_NO_TOO)) or says is not value:
        return None
    words = (text, other) if says else (other, text)
    return f"{{{{ {expression} | flag({words[0]!r}, {words[1]!r}) }}}}", 0.3


_TURNED = re.compile(
    r"\b(?:disable|disabled|block|deny|forbid|hide|refuse|stop|never|not?|switch off)\b", re.IGNORECASE
)
"""A tick at such words turns something off."""
_OPPOSITES = {
    "on": "off", "yes": "no", "true": "false", "enabled": "disabled", "enable": "disable", "always": "never",
    "open": "shut", "up": "down", "active": "inactive", "allowed": "forbidden", "running": "stopped",
}  # fmt: skip
_YES_TOO = frozenset(_OPPOSITES) - YES
_NO_TOO = frozenset(_OPPOSITES.values()) - NO


def _opposite(text: str, offers: tuple[str, ...]) -> str:
    """The other word: of two that are offered, else the usual one, written alike."""
    if len(set(offers)) == 2 and text in offers:
        return next(offer for offer in offers if offer != text)
    if offers:
        return ""
    pairs = {**_OPPOSITES, **{no: yes for yes, no in _OPPOSITES.items()}}
    found = pairs.get(text.lower(), "")
    return found.capitalize() if text[:1].isupper() else found


def _assigned(candidates: Iterable[Match], found: Matched) -> list[Match]:
    """The best for each slot; each part once, but for passwords, which are asked for twice."""
    taken: set[str] = set()
    used: set[tuple[str, int | None, str]] = set()
    best: list[Match] = []
    ordered = sorted(candidates, key=lambda m: (-m.worth, m.part.setting, m.part.entry or 0, m.slot.key))
    found.doubts = []
    for match in ordered:
        part = match.part
        spot = (part.setting, part.entry, part.name)
        whole = (part.setting, None, "")
        if match.slot.key in taken:
            first = next(m for m in best if m.slot.key == match.slot.key)
            if first.part.setting != part.setting and first.worth - match.worth < 0.5:
                found.doubts.append((match.slot, first.part, part))
            continue
        if not part.secret and (spot in used or (part.entry is not None and whole in used and not part.of_items)):
            continue
        taken.add(match.slot.key)
        used.add(spot)
        best.append(match)
    return best


def entry_of(deed: Deed, parts: Sequence[Part]) -> dict[str, int]:
    """Which entry of a list this deed is about, by setting; none where it is about several, a field each."""
    slots = [slot for slot in slots_of(deed) if slot.value]
    worth: dict[tuple[str, int], float] = {}
    seen_in: dict[tuple[str, int], set[str]] = {}
    for part in parts:
        if part.entry is None or not part.of_items or part.is_flag:
            continue
        best, at = 0.0, ""
        for slot in slots:
            if (fits := _fits(slot, part)) is not None:
                told = fits[1] + 2 * likeness(slot.label, slot.name, part.setting, part.name)
                best, at = max((best, at), (told, slot.key))
        key = (part.setting, part.entry)
        worth[key] = worth.get(key, 0.0) + best
        if best >= ENOUGH:
            seen_in.setdefault(key, set()).add(at)
    hint: dict[str, int] = {}
    for (setting, entry), sum_of in sorted(worth.items(), key=lambda item: (-item[1], item[0])):
        others = [keys for (name, other), keys in seen_in.items() if name == setting and other != entry]
        alone = not any(keys - seen_in.get((setting, entry), set()) for keys in others)
        if sum_of >= ENOUGH and alone:
            hint.setdefault(setting, entry)
    return hint
