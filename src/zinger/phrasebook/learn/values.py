"""The planned values of a device as they may be written on a page, each with the template that writes it so."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from zinger.phrasebook.writing import hexmask, mac, mask, wildcard
from zinger.plan.model import Device
from zinger.plan.values.account import Account
from zinger.plan.values.addresses import ManagementAddress
from zinger.plan.values.item import Item
from zinger.plan.values.mac import digits_of
from zinger.plan.values.secrets import SecretRef

Lookup = Mapping[str, str]
"""Vault entries by their name."""


@dataclass(frozen=True)
class Writing:
    """How a part of a planned value may be written: the text, and the template of it."""

    text: str
    template: str


@dataclass(frozen=True)
class Part:
    """One part of a planned value: of which setting and which entry of a list, and how it may be written.

    `words` are what a yes-or-no or a word of a list is; `secret` where it is a password's entry.
    """

    setting: str
    entry: int | None
    name: str
    value: object
    writings: tuple[Writing, ...]
    of_items: bool = False
    is_flag: bool = False
    secret: str = ""

    @property
    def expression(self) -> str:
        """What a template calls it, within one entry."""
        return f"value.{self.name}" if self.name else "value"


def parts_of(device: Device, secrets: Lookup) -> list[Part]:
    """Every part of every planned value; those of a list entry by entry."""
    return [part for name, value in device.values.items() for part in _parts(name, value.value, secrets)]


def _parts(setting: str, value: object, secrets: Lookup) -> Iterator[Part]:
    if isinstance(value, tuple):
        items = bool(value) and isinstance(value[0], Item)
        yield from _whole_list(setting, value)
        for index, entry in enumerate(value):
            yield from _single(setting, index, entry, secrets, items)
    else:
        yield from _single(setting, None, value, secrets, False)


def _whole_list(setting: str, value: tuple[object, ...]) -> Iterator[Part]:
    """All entries in one text."""
    attribute = ""
    texts = [str(entry) for entry in value]
    if value and isinstance(value[0], Item):
        attribute = next((lead for lead in value[0].lead if lead in ("host", "name")), "")
        texts = [str(getattr(entry, attribute)) for entry in value] if attribute else []
    if not texts or (value and isinstance(value[0], Item) and not attribute):
        return
    source = f"value | map(attribute='{attribute}')" if attribute else "value"
    betweens = (", ", " ", ",", ";", "; ", "\n")
    writings = [Writing(b.join(texts), f"{{{{ {source} | join({b!r}) }}}}") for b in betweens if b != "\n"]
    yield Part(setting, None, "", value, tuple(dict.fromkeys(writings)))


def _single(setting: str, entry: int | None, value: object, secrets: Lookup, items: bool) -> Iterator[Part]:
    if isinstance(value, Account):
        yield Part(setting, entry, "name", value.name, (Writing(value.name, "{{ value.name }}"),))
        yield _secret(setting, entry, "secret", value.secret, secrets)
    elif isinstance(value, ManagementAddress):
        yield from _address(setting, value)
    elif isinstance(value, Item):
        for name in type(value).model_fields:
            part = getattr(value, name)
            default = type(value).model_fields[name].default
            if isinstance(part, SecretRef):
                yield _secret(setting, entry, name, part, secrets, items)
            elif isinstance(part, bool):
                yield Part(setting, entry, name, part, (), items, is_flag=True)
            elif part not in (None, "", ()) and not (isinstance(part, tuple) and part == default):
                yield Part(setting, entry, name, part, tuple(_texts(part, f"value.{name}")), items)
    elif isinstance(value, SecretRef):
        yield _secret(setting, entry, "", value, secrets)
    elif isinstance(value, bool):
        yield Part(setting, entry, "", value, (), is_flag=True)
    else:
        yield Part(setting, entry, "", value, tuple(_texts(value, "value")), items)
        if re.fullmatch(r"[A-Z][A-Za-z]+/[A-Z][A-Za-z_]+", str(value)):  # a zone, asked for in two fields
            for at, piece in enumerate(str(value).split("/")):
                half = Writing(piece, f"{{{{ value.split('/')[{at}] }}}}")
                yield Part(setting, entry, f"part {at + 1}", value, (half,))


def _secret(setting: str, entry: int | None, name: str, ref: SecretRef, secrets: Lookup, items: bool = False) -> Part:
    expression = f"value.{name}" if name else "value"
    known = secrets.get(ref.name, "")
    writings = (Writing(known, f"{{{{ {expression} }}}}"),) if known else ()
    return Part(setting, entry, name, ref, writings, items, secret=ref.name)


def _address(setting: str, value: ManagementAddress) -> Iterator[Part]:
    if value.address is None:
        yield Part(setting, None, "method", value.method, (Writing(value.method, "{{ value.method }}"),))
        return
    whole = Writing(f"{value.ip}/{value.prefix}", "{{ value.ip }}/{{ value.prefix }}")
    yield Part(setting, None, "ip", value.ip, (whole, Writing(str(value.ip), "{{ value.ip }}")))
    lengths = [Writing(str(value.prefix), "{{ value.prefix }}"), Writing(f"/{value.prefix}", "/{{ value.prefix }}")]
    if value.ip.version == 4:
        lengths += [
            Writing(mask(value.prefix), "{{ value.prefix | mask }}"),
            Writing(wildcard(value.prefix), "{{ value.prefix | wildcard }}"),
            Writing(hexmask(value.prefix), "{{ value.prefix | hexmask }}"),
            Writing(f"0x{hexmask(value.prefix)}", "0x{{ value.prefix | hexmask }}"),
        ]
    yield Part(setting, None, "prefix", value.prefix, tuple(lengths))


def _texts(value: object, expression: str) -> Iterator[Writing]:
    """A value in its usual writing, and in others that devices have."""
    if isinstance(value, tuple):
        for between in (",", ", ", " "):
            yield Writing(between.join(map(str, value)), f"{{{{ {expression} | join({between!r}) }}}}")
        return
    text = str(value)
    yield Writing(text, f"{{{{ {expression} }}}}")
    if isinstance(value, int):
        yield Writing(str(value * 60), f"{{{{ {expression} * 60 }}}}")
        yield Writing(
            f"{value // 60:02}:{value % 60:02}:00",
            f"{{{{ '%02d:%02d:00' % ({expression} // 60, {expression} % 60) }}}}",
        )
    elif digits_of(text) and re.fullmatch(r"(?:[0-9a-f]{2}-){5}[0-9a-f]{2}", text):
        for between, group in ((":", 2), (".", 4), ("", 12)):
            yield Writing(mac(text, between, group), f"{{{{ {expression} | mac({between!r}, {group}) }}}}")
    elif "/" in text and re.fullmatch(r"[\d.]+/\d+", text):  # an interface or a network
        yield Writing(text.partition("/")[0], f"{{{{ ({expression} | string).split('/')[0] }}}}")
