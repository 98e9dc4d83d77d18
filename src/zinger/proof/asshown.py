"""What a device shows, as a value that could be planned: `10.44.8.11 len 24` is the address `10.44.8.11/24`.

A phrasebook says how a value is shown, not how it is read back. So texts are tried that are likely, by analogy with how
the planned value is written and shown; one counts only if the phrasebook shows it exactly as the device did.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from ipaddress import IPv4Network
from typing import Any

from zinger.phrasebook.book import Phrasebook
from zinger.plan.model import Device
from zinger.plan.setting import Setting
from zinger.plan.settings import SETTINGS
from zinger.plan.subjects.management.settings import ADDRESS
from zinger.plan.values.addresses import ManagementAddress
from zinger.proof.findings import Finding, planned_words
from zinger.script.compile import compile_script

_TOKEN = re.compile(r"[\w.:+-]+")
ENTRIES = "  "
"""What divides the entries of a list in a finding."""


def as_shown(device: Device, book: Phrasebook, found: Finding) -> str | None:
    """The text, for the sheet, of a value that this device would show so; None where none is known."""
    setting = SETTINGS.get(found.setting)
    value = device.values.get(found.setting)
    shown = found.read.strip()
    if setting is None or value is None or not shown:
        return None
    for text in dict.fromkeys(_likely(setting, value.value, found.planned, shown)):
        try:
            parsed = setting.parse(text)
        except ValueError:
            continue
        if _shown_by(device, book, setting, parsed) == shown:
            return setting.text(parsed)
    return None


def _shown_by(device: Device, book: Phrasebook, setting: Setting[Any], parsed: object) -> str:
    """What the phrasebook expects to be shown of this value."""
    values = {**device.values, setting.name: replace(device.values[setting.name], value=parsed)}
    address = parsed if setting is ADDRESS and isinstance(parsed, ManagementAddress) else device.address
    script = compile_script(replace(device, values=values, address=address), book)
    return next((planned_words(step) for step in script.steps if step.setting == setting.name), "")


def _likely(setting: Setting[Any], value: object, planned: str, shown: str) -> Iterator[str]:
    """Texts that the value may have, likeliest first."""
    yield shown
    yield from _by_analogy(setting.text(value), planned, shown)
    if isinstance(value, tuple):
        yield "; ".join(_entries(value, planned, shown))
    yield from ("on", "off") if isinstance(value, bool) else getattr(setting.parse, "words", ())
    if (before := _number(planned)) and (after := _number(shown)) and (own := re.search(r"\d+", setting.text(value))):
        yield setting.text(value).replace(own[0], f"{int(own[0]) * after / before:g}", 1)  # in another unit


def _entries(value: tuple[object, ...], planned: str, shown: str) -> Iterator[str]:
    """Each shown entry, written as the planned entry that is shown most like it."""
    known = list(zip(map(str, value), planned.split(ENTRIES), strict=False))
    for entry in shown.split(ENTRIES):
        yield next((text for text, was in known if was == entry), "") or next(
            (told for text, was in known for told in _by_analogy(text, was, entry)), entry
        )


def _by_analogy(text: str, planned: str, shown: str) -> Iterator[str]:
    """The planned text with what is shown otherwise put in its place, where both are made of as many words."""
    before, after = _TOKEN.findall(planned), _TOKEN.findall(shown)
    if len(before) != len(after) or _TOKEN.sub("", planned) != _TOKEN.sub("", shown):
        return
    for was, now in zip(before, after, strict=True):
        if was != now:
            text = _replaced(_replaced(text, was, now), _prefix(was), _prefix(now))
    yield text


def _replaced(text: str, old: str, new: str) -> str:
    return re.sub(rf"(?<![\w.:+-]){re.escape(old)}(?![\w.:+-])", lambda match: new, text) if old else text


def _prefix(token: str) -> str:
    """The length of a dotted mask; nothing for what is none."""
    try:
        return str(IPv4Network(f"0.0.0.0/{token}").prefixlen) if token.count(".") == 3 else ""
    except ValueError:
        return ""


def _number(text: str) -> int:
    """A text that is a number and nothing else; 0 for every other."""
    return int(text) if text.isascii() and text.isdigit() else 0
